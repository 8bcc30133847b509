/** Who is bonded to an atom, as hydrogen geometry needs it: within its disorder group, hydrogens and mere coordination left out. */
import { isHydrogen, isMetal } from '../crystal/elements.ts';
import type { Neighbour } from '../crystal/neighbours.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { composePlacements, isHome, operatorOf } from '../crystal/atom-ref.ts';
import { applyOperator } from '../crystal/operator.ts';
import { bonds } from './bonds.ts';
import type { Surroundings } from './hydrogens.ts';

export type GroupOf = Site['disorder'];

/** Whether two sites may meet: same assembly asks for the same group. */
export const meets = (p: GroupOf, q: GroupOf): boolean => !p || !q || p.assembly !== q.assembly || p.group === q.group;

/** Non-hydrogen atoms bonded to a site, nearest first; metals only where nothing else is bonded. `as` is the disorder group looked from. */
export function parentSurroundings(s: Structure, parent: number, as: GroupOf = s.sites[parent]!.disorder): Neighbour[] {
  const near = bonds(s)
    .filter(
      (b) =>
        b.from === parent &&
        b.distance > 0.7 &&
        !isHydrogen(s.sites[b.to]!.element) &&
        meets(as, s.sites[b.to]!.disorder),
    )
    .sort((p, q) => p.distance - q.distance);
  const covalent = near.filter((n) => !isMetal(s.sites[n.to]!.element));
  return covalent.length ? covalent : near;
}

/** A parent's neighbours by reference, so that positions can be renewed as the model moves. */
export interface ParentReference {
  readonly parent: number;
  readonly neighbours: readonly Neighbour[];
  readonly beyond?: Neighbour;
}

export function parentReference(
  s: Structure,
  parent: number,
  as: GroupOf = s.sites[parent]!.disorder,
): ParentReference {
  const near = parentSurroundings(s, parent, as);
  const first = near[0];
  if (!first) return { parent, neighbours: near };
  // The atom beyond that defines torsions: the heaviest-bonded, farthest from the parent's own place.
  const next = parentSurroundings(s, first.to, as)
    .map((n) => ({ ...n, ...composePlacements(s.spaceGroup, first, n) }))
    .filter((n) => n.to !== parent || !isHome(n))[0];
  return { parent, neighbours: near, ...(next ? { beyond: next } : {}) };
}

/** Cartesian surroundings at given fractional positions (x, y, z of site i at 3i). */
export function surroundingsAt(
  s: Structure,
  reference: ParentReference,
  position: (site: number) => Vec3,
): Surroundings {
  const m = orthogonalization(s.cell);
  const at = (n: Neighbour): Vec3 => apply3(m, applyOperator(operatorOf(s.spaceGroup, n), position(n.to)));
  return {
    parent: apply3(m, position(reference.parent)),
    neighbours: reference.neighbours.map(at),
    ...(reference.beyond ? { beyond: at(reference.beyond) } : {}),
  };
}
