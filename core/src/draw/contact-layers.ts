/** Contacts in the picture: a line wherever one end is drawn, with an open end where the other is not. */
import { composePlacements, invertPlacement, moveRef, placeKey, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { add, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { ball } from './balls.ts';
import type { AtomPrimitive, BondPrimitive, Layer, PointPrimitive } from './scene.ts';

/** A contact as it is drawn: from one end to another, each an atom or the middle of several. */
export interface DrawnContact {
  readonly from: readonly AtomRef[];
  readonly to: readonly AtomRef[];
  readonly colour: string;
  /** Å */
  readonly radius: number;
  /** Å of a dash; 0 where the line is whole. */
  readonly dash: number;
  /** Drawn only where both of its ends are. */
  readonly closedOnly?: boolean;
  /** Å: balls at both ends, where they are middles of molecules. */
  readonly knob?: number;
}

/** Where a contact leaves what is drawn: the atom that would come. */
export interface OpenEnd {
  readonly name: string;
  readonly at: Vec3;
  readonly leadsTo: AtomRef;
}

/** Part of the way that an open end goes, and Å of its mark. */
const OPEN = 0.45,
  MARK = 0.16;

const middleOf = (points: readonly Vec3[]): Vec3 =>
  scale(
    points.reduce((sum, p) => add(sum, p), [0, 0, 0] as Vec3),
    1 / points.length,
  );

interface Placed {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly leadsTo: AtomRef;
  readonly isWhole: boolean;
}

/** Every copy of a contact that starts at a drawn atom. */
function copiesOf(
  s: Structure,
  from: readonly AtomRef[],
  to: readonly AtomRef[],
  bySite: ReadonlyMap<string, readonly AtomRef[]>,
  drawn: ReadonlySet<string>,
): Placed[] {
  const first = from[0]!;
  const back = invertPlacement(s.spaceGroup, first);
  return (bySite.get(first.site) ?? []).map((atom): Placed => {
    const by = composePlacements(s.spaceGroup, atom, back);
    const ends = [from, to].map((list) => list.map((a) => moveRef(s.spaceGroup, by, a)));
    const [p, q] = ends.map((list) => middleOf(cartesianOf(s, list))) as [Vec3, Vec3];
    const leadsTo = ends[1]![0]!;
    return { from: p, to: q, leadsTo, isWhole: drawn.has(placeKey(s, leadsTo)) };
  });
}

/** Lines of contacts between drawn atoms, and the open ends of those that lead out of them. */
export function contactLayers(
  s: Structure,
  contacts: readonly DrawnContact[],
  atoms: readonly Pick<AtomPrimitive, 'ref'>[],
): { layers: Layer[]; open: OpenEnd[] } {
  const bySite = new Map<string, AtomRef[]>();
  const drawn = new Set<string>();
  for (const { ref } of atoms) {
    const key = placeKey(s, ref);
    if (drawn.has(key)) continue;
    drawn.add(key);
    const here = bySite.get(ref.site);
    if (here) here.push(ref);
    else bySite.set(ref.site, [ref]);
  }
  const lines: BondPrimitive[] = [];
  const marks: PointPrimitive[] = [];
  const knobs: AtomPrimitive[] = [];
  const open = new Map<string, OpenEnd>();
  for (const c of contacts)
    for (const [from, to, first] of [
      [c.from, c.to, true],
      [c.to, c.from, false],
    ] as const)
      for (const { from: p, to: q, leadsTo, isWhole } of copiesOf(s, from, to, bySite, drawn)) {
        // Seen from both of its ends, a whole one is drawn once.
        if (isWhole ? !first : c.closedOnly) continue;
        if (c.knob) knobs.push(...(isWhole ? [p, q] : [p]).map((at) => ball(at, c.knob!, c.colour)));
        const end = isWhole ? q : add(p, scale(subtract(q, p), OPEN));
        lines.push({
          from: p,
          to: end,
          colours: [c.colour, c.colour],
          radius: c.radius,
          opacity: 1,
          ...(c.dash ? { dash: c.dash } : {}),
        });
        if (isWhole) continue;
        const name = placeKey(s, leadsTo);
        if (!open.has(`${name} ${end.join()}`)) {
          open.set(`${name} ${end.join()}`, { name, at: end, leadsTo });
          marks.push({ name, position: end, colour: c.colour, radius: MARK });
        }
      }
  return {
    layers: [
      { kind: 'bonds', name: 'contacts', items: lines },
      { kind: 'points', name: 'contacts', items: marks },
      ...(knobs.length ? [{ kind: 'atoms' as const, name: 'contacts' as const, items: knobs }] : []),
    ],
    open: [...open.values()],
  };
}
