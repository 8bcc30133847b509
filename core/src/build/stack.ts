/**
 * Two layers on one another, with a twist or a mismatch: cells common to both are looked for among the sublattices of each
 * (Zur & McGill 1984, J. Appl. Phys. 55, 378), with the strain that makes them one.
 */
import { newId, type Structure } from '../crystal/structure.ts';
import { apply2, cosets2, determinant2, inverse2, multiply2, turnAndStretch, type Mat2 } from '../math/matrix2.ts';
import { takeLayers, type TakenLayers } from './layers.ts';
import { inVacuum, type Slab, type SurfaceSite, type VacuumChoice } from './surface.ts';

export interface StackSearch {
  /** Atoms of the common cell at most, one layer of each. */
  readonly mostAtoms: number;
  /** Largest principal strain between the two, as a part of one. */
  readonly mostStrain: number;
  /** Degrees between the first axes of the two layers, if wished, and how far that may be missed. */
  readonly twist?: { readonly angle: number; readonly within: number } | undefined;
}

export interface CommonCell {
  /** Columns: the common axes in terms of each layer's own, whole numbers. */
  readonly lower: Mat2;
  readonly upper: Mat2;
  /** Degrees by which the upper layer is turned, −90 … 90. */
  readonly twist: number;
  /** Principal strains of the upper layer where it is fitted to the lower one, as parts of one. */
  readonly strain: readonly [number, number];
  /** Å² */
  readonly area: number;
  /** Of one layer of each. */
  readonly atoms: number;
}

export interface StackWish {
  readonly cell: CommonCell;
  /** Who gives way: the upper layer alone, or both by halves. */
  readonly fit: 'upper' | 'both';
  /** 0 the lower layer, 1 the upper one, from below. */
  readonly order: readonly (0 | 1)[];
  /** Å from the uppermost atom of a layer to the lowest one of the next. */
  readonly distance: number;
  /** Fractions of the common axes by which the upper layer is shifted. */
  readonly shift: readonly [number, number];
  readonly vacuum: VacuumChoice;
}

/** Axes in the plane as columns. */
const axesOf = ({ vectors: [u, v] }: TakenLayers): Mat2 => [u[0], v[0], u[1], v[1]];

/** Sublattices of a plane lattice of an index, Hermite normal form, columns the axes. */
function* sublattices2(index: number): Generator<Mat2> {
  for (let a = 1; a <= index; a++) if (index % a === 0) for (let b = 0; b < a; b++) yield [a, b, 0, index / a];
}

/** Right-handed axes of a sublattice, the two shortest; whole numbers in terms of the lattice. */
function shortAxes(axes: Mat2, h: Mat2): Mat2 {
  const length = (x: readonly number[]): number => {
    const [p, q] = apply2(axes, x[0]!, x[1]!);
    return p * p + q * q;
  };
  const product = (x: readonly number[], y: readonly number[]): number => {
    const [p, q] = apply2(axes, x[0]!, x[1]!),
      [r, t] = apply2(axes, y[0]!, y[1]!);
    return p * r + q * t;
  };
  let a = [h[0], h[2]],
    b = [h[1], h[3]];
  for (let round = 0; round < 100; round++) {
    if (length(b) < length(a) - 1e-9) [a, b] = [b, a];
    const times = Math.round(product(a, b) / length(a));
    if (!times) break;
    b = [b[0]! - times * a[0]!, b[1]! - times * a[1]!];
  }
  const hand = a[0]! * b[1]! - a[1]! * b[0]! < 0 ? -1 : 1;
  b = b.map((x) => hand * x);
  // An obtuse angle between the two is the habit.
  return product(a, b) > 1e-9 ? [b[0]!, -a[0]!, b[1]!, -a[1]!] : [a[0]!, b[0]!, a[1]!, b[1]!];
}

/** Bases of one lattice that may fall on reduced axes of another: sums of its two shortest, right-handed. */
const REBASES: readonly Mat2[] = (() => {
  const out: Mat2[] = [];
  for (let a = -2; a <= 2; a++)
    for (let b = -2; b <= 2; b++)
      for (let c = -2; c <= 2; c++) for (let d = -2; d <= 2; d++) if (a * d - b * c === 1) out.push([a, b, c, d]);
  return out;
})();

/** Common cells looked at before a search is given up as too wide. */
const MOST_TRIED = 4_000_000;
/** Cells that are told. */
const MOST_TOLD = 60;

/**
 * Cells that both layers have, smallest first; of one twist only the smallest. Throws RangeError where bonds make no layers or
 * nothing fits.
 */
export function commonCells(lower: Structure, upper: Structure, search: StackSearch): CommonCell[] {
  const [below, above] = [takeLayers(lower, 1), takeLayers(upper, 1)];
  const found = new Map<string, CommonCell>();
  const [p, q] = [axesOf(below), axesOf(above)];
  const [smaller, larger] = [below.atoms.length, above.atoms.length];
  const [areaP, areaQ] = [determinant2(p), determinant2(q)];
  const loosest = (1 + search.mostStrain) ** 2;
  let tried = 0;
  for (let m = 1; m * smaller + larger <= search.mostAtoms; m++)
    for (let n = 1; m * smaller + n * larger <= search.mostAtoms; n++) {
      const ratio = (n * areaQ) / (m * areaP);
      if (ratio > loosest || ratio < 1 / loosest) continue;
      const mine = [...sublattices2(m)].map((h) => shortAxes(p, h));
      const theirs = [...sublattices2(n)].map((h) => shortAxes(q, h));
      for (const one of mine)
        for (const other of theirs)
          for (const base of REBASES) {
            if (tried++ > MOST_TRIED) return told(found);
            offer(found, search, { p, q, one, other: multiply2(other, base), atoms: m * smaller + n * larger });
          }
    }
  if (!found.size)
    throw new RangeError(
      `No common cell of up to ${search.mostAtoms} atoms comes out with less than ${(100 * search.mostStrain).toFixed(1)} % of strain. Allow more atoms or more strain.`,
    );
  return told(found);
}

const told = (found: ReadonlyMap<string, CommonCell>): CommonCell[] =>
  [...found.values()]
    .sort(
      (a, b) =>
        a.atoms - b.atoms || Math.round(1e6 * (largest(a) - largest(b))) || Math.abs(a.twist) - Math.abs(b.twist),
    )
    .slice(0, MOST_TOLD);

const largest = (c: CommonCell): number => Math.max(...c.strain.map(Math.abs));

interface Offer {
  readonly p: Mat2;
  readonly q: Mat2;
  readonly one: Mat2;
  readonly other: Mat2;
  readonly atoms: number;
}

function offer(found: Map<string, CommonCell>, search: StackSearch, { p, q, one, other, atoms }: Offer): void {
  const target = multiply2(p, one),
    from = multiply2(q, other);
  if (!isLike(target, from, search.mostStrain)) return;
  const { angle, strain } = turnAndStretch(multiply2(target, inverse2(from)));
  if (strain.some((x) => Math.abs(x) > search.mostStrain)) return;
  const clean = strain.map((x) => (Math.abs(x) < 1e-9 ? 0 : x)) as [number, number];
  // Half a turn is a lattice's own.
  const twist = angle > 90 + 1e-9 ? angle - 180 : angle <= -90 + 1e-9 ? angle + 180 : angle;
  const { twist: wanted } = search;
  if (wanted && Math.abs(twist - wanted.angle) > wanted.within) return;
  const key = Math.abs(twist) < 0.005 ? '0' : twist.toFixed(2);
  const known = found.get(key);
  const next = { lower: one, upper: other, twist, strain: clean, area: determinant2(target), atoms };
  if (!known || atoms < known.atoms || (atoms === known.atoms && largest(next) < largest(known) - 1e-9))
    found.set(key, next);
}

/** Lengths of both axes near to one another: most pairs end here. */
function isLike(a: Mat2, b: Mat2, most: number): boolean {
  for (const k of [0, 1] as const) {
    const ratio = Math.hypot(b[k], b[k + 2]!) / Math.hypot(a[k], a[k + 2]!);
    if (ratio > 1 + 1.01 * most || ratio < 1 - 1.01 * most) return false;
  }
  return true;
}

/** A layer repeated into the common cell: fractions in the plane, heights from its lowest atom, Å. */
function spread(layer: TakenLayers, own: Mat2): { site: SurfaceSite['site']; f: [number, number]; z: number }[] {
  const back = inverse2(multiply2(axesOf(layer), own));
  const lattice = inverse2(own);
  const low = Math.min(...layer.atoms.map((a) => a.at[2]));
  const shifts = cosets2(own);
  return layer.atoms.flatMap(({ site, at }) =>
    shifts.map(([i, j]) => {
      const f = apply2(back, at[0], at[1]),
        step = apply2(lattice, i, j);
      return { site, f: [f[0] + step[0], f[1] + step[1]], z: at[2] - low };
    }),
  );
}

/** The axes both layers come to: the lower layer's, or half-way between the two. */
function sharedAxes(p: Mat2, q: Mat2, { cell, fit }: StackWish): Mat2 {
  const target = multiply2(p, cell.lower);
  if (fit === 'upper') return target;
  const { angle } = turnAndStretch(multiply2(target, inverse2(multiply2(q, cell.upper))));
  const [c, s] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)];
  // The upper layer turned onto the lower one but not stretched yet: the mean of the two carries no turn of its own.
  const free = multiply2([c, -s, s, c], multiply2(q, cell.upper));
  return target.map((x, k) => (x + free[k]!) / 2) as unknown as Mat2;
}

export interface Stack extends Slab {
  /** Atoms of each layer in the order of the stack, from below. */
  readonly counts: readonly number[];
}

/** The layers in their order, each at its distance above the one before. Throws RangeError where there are none. */
export function stackLayers(lower: Structure, upper: Structure, wish: StackWish): Stack {
  const layers = [takeLayers(lower, 1), takeLayers(upper, 1)] as const;
  if (!wish.order.length) throw new RangeError('A stack has one layer or more.');
  if (!(wish.distance > 0)) throw new RangeError('The distance between layers is a length in Å above 0.');
  const axes = sharedAxes(axesOf(layers[0]), axesOf(layers[1]), wish);
  const parts = [spread(layers[0], wish.cell.lower), spread(layers[1], wish.cell.upper)] as const;
  const atoms: SurfaceSite[] = [];
  let height = 0;
  for (const which of wish.order) {
    const part = parts[which];
    for (const { site, f, z } of part) {
      const [dx, dy] = which ? wish.shift : [0, 0];
      const [x, y] = apply2(axes, f[0] + dx, f[1] + dy);
      atoms.push({ site: { ...site, id: newId() }, at: [x, y, height + z] });
    }
    height += Math.max(...part.map((a) => a.z)) + wish.distance;
  }
  const [ax, bx, ay, by] = axes;
  const slab = inVacuum(
    atoms,
    [
      [ax, ay, 0],
      [bx, by, 0],
      [0, 0, 1],
    ],
    wish.vacuum,
  );
  return { ...slab, counts: wish.order.map((w) => parts[w].length) };
}
