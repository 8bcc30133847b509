/** A molecule put over a surface: over an atom, at a height, turned. */
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { netsOf } from '../geometry/nets.ts';
import { add, apply3, inverse3, norm, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import type { SiteAnswer } from './edit-sites.ts';
import { wholeCell, withOwnLabels } from './whole-cell.ts';

export interface GuestAtom {
  readonly element: string;
  /** Cartesian, Å. */
  readonly at: Vec3;
}

/** Small molecules in their usual geometry, the atom that binds first; Å. */
export const SMALL_MOLECULES: Readonly<Record<string, readonly GuestAtom[]>> = {
  H2O: [
    { element: 'O', at: [0, 0, 0] },
    { element: 'H', at: [0.757, 0, 0.586] },
    { element: 'H', at: [-0.757, 0, 0.586] },
  ],
  CO: [
    { element: 'C', at: [0, 0, 0] },
    { element: 'O', at: [0, 0, 1.128] },
  ],
  CO2: [
    { element: 'O', at: [0, 0, 0] },
    { element: 'C', at: [0, 0, 1.163] },
    { element: 'O', at: [0, 0, 2.326] },
  ],
  NH3: [
    { element: 'N', at: [0, 0, 0] },
    { element: 'H', at: [0.937, 0, 0.382] },
    { element: 'H', at: [-0.4685, 0.8115, 0.382] },
    { element: 'H', at: [-0.4685, -0.8115, 0.382] },
  ],
  N2: [
    { element: 'N', at: [0, 0, 0] },
    { element: 'N', at: [0, 0, 1.098] },
  ],
  O2: [
    { element: 'O', at: [0, 0, 0] },
    { element: 'O', at: [0, 0, 1.208] },
  ],
  H2: [
    { element: 'H', at: [0, 0, 0] },
    { element: 'H', at: [0, 0, 0.741] },
  ],
  CH4: [
    { element: 'C', at: [0, 0, 0] },
    { element: 'H', at: [0, 0, 1.087] },
    { element: 'H', at: [1.0249, 0, -0.3623] },
    { element: 'H', at: [-0.51243, 0.88755, -0.3623] },
    { element: 'H', at: [-0.51243, -0.88755, -0.3623] },
  ],
};

/** Atoms of a molecule of a crystal, as bonds make it. Throws RangeError where there is none. */
export function moleculeOf(plain: Structure): GuestAtom[] {
  const s = bonded(plain);
  const molecule = netsOf(s).list.find((n) => n.dimension === 0);
  if (!molecule)
    throw new RangeError('Bonds make no molecule of this structure, so there is none to put over a surface.');
  const at = cartesianOf(s, molecule.atoms);
  const sites = new Map(s.sites.map((x) => [x.id, x]));
  return molecule.atoms.map((a, i) => ({ element: sites.get(a.site)!.element, at: at[i]! }));
}

export interface Placing {
  /** Fractional place it stands over. */
  readonly over: Vec3;
  /** Å from there to the molecule's first atom, along the normal of a and b; negative for beneath. */
  readonly height: number;
  /** Which atom of the molecule is nearest to the surface. */
  readonly anchor: number;
  /** Degrees: leaning about x (∥ a), then about y, then turned about the normal. */
  readonly turns: Vec3;
}

/** Part of the sum of van der Waals radii below which a contact is told as near, and of covalent ones as too near. */
const TOO_NEAR = 0.8;

/** The surface in P 1 with one molecule over it. Throws RangeError where the molecule has no atoms. */
export function placeGuest(
  s: Structure,
  guest: readonly GuestAtom[],
  { over, height, anchor, turns }: Placing,
): SiteAnswer {
  const first = guest[anchor];
  if (!first) throw new RangeError(`The molecule has ${guest.length} atoms, counted from 1.`);
  const whole = wholeCell(s);
  const m = orthogonalization(s.cell),
    back = inverse3(m);
  const foot = add(apply3(m, over), [0, 0, height]);
  const down = height < 0 ? -1 : 1;
  const placed = guest.map(({ element, at }): Site => {
    const d = subtract(at, first.at);
    const upright: Vec3 = [d[0], d[1] * down, d[2] * down];
    const x = add(foot, turned(upright, turns));
    return {
      id: newId(),
      label: `${element}1g`,
      element,
      position: apply3(back, x),
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    };
  });
  const sites = withOwnLabels([...whole.sites, ...placed]);
  const structure = { ...whole, sites };
  return {
    structure,
    words: `${guest.length} atoms over ${whole.sites.length}: ${sites.length}; ${nearest(whole, placed)}.`,
  };
}

function turned(v: Vec3, turns: Vec3): Vec3 {
  const axes: readonly Vec3[] = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  return axes.reduce((x, axis, k) => turn(x, axis, (turns[k]! * Math.PI) / 180), v);
}

/** The shortest distance from the molecule to the surface, in words. */
function nearest(host: Structure, guest: readonly Site[]): string {
  const m = orthogonalization(host.cell);
  let best = { distance: Infinity, pair: ['', ''] as readonly [string, string] };
  for (const g of guest)
    for (const x of host.sites)
      for (let i = -1; i <= 1; i++)
        for (let j = -1; j <= 1; j++) {
          const d = subtract(g.position, x.position);
          const at: Vec3 = [d[0] - Math.round(d[0]) + i, d[1] - Math.round(d[1]) + j, d[2] - Math.round(d[2])];
          const distance = norm(apply3(m, at));
          if (distance < best.distance) best = { distance, pair: [g.element, x.element] };
        }
  const [p, q] = best.pair;
  const least = p && q ? TOO_NEAR * (elementOf(p).covalentRadius + elementOf(q).covalentRadius) : 0;
  return `nearest ${best.pair.join('–')} ${best.distance.toFixed(2)} Å${best.distance < least ? ', which is too near' : ''}`;
}
