/** Lengths of bonds and angles between them, written at their places; painters that know s.u. put them in. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Site } from '../crystal/structure.ts';
import { add, dot, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import type { MeasureLabel } from './label-rules.ts';
import type { AtomPrimitive, BondPrimitive, LabelPrimitive } from './scene.ts';

/** An atom that is drawn. */
interface Shown {
  readonly primitive: AtomPrimitive;
  readonly site: Site;
}

/** Å from the middle of an angle at which it is written. */
const BISECTOR = 0.55;

/**
 * Labels of bonds whose two atoms a rule holds (`length`), or of angles at atoms that it holds (`angle`); bonds with hydrogen, which
 * mostly ride, are left out. `bonds` name their atoms by their places in `drawn`.
 */
export function measureLabels(
  say: MeasureLabel,
  holds: (ref: AtomRef, site: Site) => boolean,
  drawn: readonly Shown[],
  bonds: readonly BondPrimitive[],
  colour: string,
): LabelPrimitive[] {
  const held = drawn.map(({ primitive, site }) => holds(primitive.ref, site));
  const pairs = bonds.flatMap((b) =>
    b.atoms && !b.atoms.some((i) => isHydrogen(drawn[i]!.site.element)) ? [b.atoms] : [],
  );
  const place = (i: number): Vec3 => drawn[i]!.primitive.position;
  const label = (text: string, at: Vec3, atoms: readonly number[]): LabelPrimitive => ({
    text,
    at,
    colour,
    clear: 0.1,
    // Names of atoms come first.
    weight: -1000,
    measured: atoms.map((i) => drawn[i]!.primitive.ref),
  });
  if (say === 'length')
    return pairs
      .filter(([i, j]) => held[i] && held[j])
      .map(([i, j]) =>
        label(norm(subtract(place(j), place(i))).toFixed(3), scale(add(place(i), place(j)), 0.5), [i, j]),
      );
  return anglesAt(pairs, held).map(([i, at, j]) => {
    const [u, v] = [i, j].map((k) => normalize(subtract(place(k), place(at)))) as [Vec3, Vec3];
    const degrees = (Math.acos(Math.max(-1, Math.min(1, dot(u, v)))) * 180) / Math.PI;
    const middle = add(u, v);
    // A straight angle has no side: it is written at its atom.
    const way = norm(middle) > 0.05 ? scale(normalize(middle), BISECTOR) : ([0, 0, 0] as const);
    return label(`${degrees.toFixed(1)}°`, add(place(at), way), [i, at, j]);
  });
}

/** Every two neighbours of each atom that is held, the atom between them. */
function anglesAt(pairs: readonly (readonly [number, number])[], held: readonly boolean[]): [number, number, number][] {
  const around = new Map<number, number[]>();
  for (const [i, j] of pairs)
    for (const [at, other] of [
      [i, j],
      [j, i],
    ] as const)
      if (held[at]) around.set(at, [...(around.get(at) ?? []), other]);
  return [...around].flatMap(([at, list]) =>
    list.flatMap((i, n) => list.slice(n + 1).map((j): [number, number, number] => [i, at, j])),
  );
}
