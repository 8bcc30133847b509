/**
 * Two crystals compared without molecules: how their lattices are related, and which atom of the one stands where which of the other
 * does. Lattices by their reduced cells; places by trying every origin that lays an atom of the rarest kind on one of the other.
 */
import { metricTensor, orthogonalization } from '../crystal/cell.ts';
import { congruence, niggliReduce, primitiveBasis } from '../crystal/lattice.ts';
import { applyOperator } from '../crystal/operator.ts';
import { allOperators } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import {
  add,
  apply3,
  determinant3,
  inverse3,
  multiply3,
  norm,
  subtract,
  toMat3,
  toVec3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';

export interface LatticeRelation {
  /** Primitive cells of the first in one of the second; below 1 where it is the other way round (½ and so on). */
  readonly ratio: number;
  /** The second's reduced axes over the first's vectors that they are laid on: per cent, and degrees of the angles. */
  readonly lengths: Vec3;
  readonly angles: Vec3;
}

export interface MappedSite {
  /** Labels. */
  readonly one: string;
  readonly two: string;
  readonly elements: readonly [string, string];
  /** Å, the mean over the copies that are mapped. */
  readonly shift: number;
}

export interface FrameworkMatch {
  readonly lattice: LatticeRelation;
  /** Atoms of the larger primitive cell that have one in their place, of how many. */
  readonly matched: number;
  readonly of: number;
  /** Å, of those. */
  readonly rms: number;
  readonly mirrored: boolean;
  /** The largest shift first. */
  readonly sites: readonly MappedSite[];
}

/** Cells of the smaller one in the larger at most, and coefficients of vectors that are looked at. */
const MOST_CELLS = 4,
  COEFFICIENTS = 3;
/** By how much axes and angles may differ: share, degrees. */
const LONGER = 0.1,
  WIDER = 7;
/** Å up to which atoms are in one place; atoms of a cell that are compared at most. */
const SAME_PLACE = 1.2,
  MOST_ATOMS = 400;

interface Atom {
  readonly at: Vec3;
  readonly element: string;
  readonly site: number;
}

interface Reduced {
  readonly s: Structure;
  /** Columns: reduced axes, Cartesian. */
  readonly axes: Mat3;
  /** Places in those axes. */
  readonly atoms: readonly Atom[];
}

const isThere = (list: readonly Atom[], x: Atom): boolean =>
  list.some((y) => y.site === x.site && y.at.every((v, k) => Math.abs(v - x.at[k]! - Math.round(v - x.at[k]!)) < 1e-3));

/** The reduced primitive cell and its atoms; hydrogens are left out. */
function reduced(s: Structure): Reduced {
  const primitive = primitiveBasis(s.spaceGroup.centring);
  const { p } = niggliReduce(congruence(metricTensor(s.cell) as Mat3, primitive));
  const basis = multiply3(primitive, p);
  const back = inverse3(basis);
  const atoms: Atom[] = [];
  s.sites.forEach((site, i) => {
    if (site.element === 'H' || site.element === 'D') return;
    for (const o of allOperators(s.spaceGroup)) {
      const at = toVec3(apply3(back, applyOperator(o, site.position)).map((x) => x - Math.floor(x + 1e-9)));
      const atom = { at, element: site.element, site: i };
      if (!isThere(atoms, atom)) atoms.push(atom);
    }
  });
  return { s, axes: multiply3(orthogonalization(s.cell), basis), atoms };
}

const column = (m: Mat3, k: number): Vec3 => [m[k]!, m[3 + k]!, m[6 + k]!];
const angleOf = (u: Vec3, v: Vec3): number =>
  (Math.acos(Math.max(-1, Math.min(1, (u[0] * v[0] + u[1] * v[1] + u[2] * v[2]) / (norm(u) * norm(v))))) * 180) /
  Math.PI;

/** Every set of three vectors of the smaller lattice that looks like the larger one's axes: columns of whole numbers. */
function laidOn(small: Reduced, large: Reduced, cells: number): Mat3[] {
  const wanted = [0, 1, 2].map((k) => column(large.axes, k));
  const vectors: { n: Vec3; v: Vec3 }[] = [];
  for (let i = -COEFFICIENTS; i <= COEFFICIENTS; i++)
    for (let j = -COEFFICIENTS; j <= COEFFICIENTS; j++)
      for (let k = -COEFFICIENTS; k <= COEFFICIENTS; k++)
        if (i || j || k) vectors.push({ n: [i, j, k], v: apply3(small.axes, [i, j, k]) });
  const alike = wanted.map((w) => vectors.filter(({ v }) => Math.abs(norm(v) / norm(w) - 1) < LONGER));
  const isAngle = (p: Vec3, q: Vec3, i: number, j: number): boolean =>
    Math.abs(angleOf(p, q) - angleOf(wanted[i]!, wanted[j]!)) < WIDER;
  const out: Mat3[] = [];
  for (const a of alike[0]!)
    for (const b of alike[1]!) {
      if (!isAngle(a.v, b.v, 0, 1)) continue;
      for (const c of alike[2]!) {
        if (!isAngle(a.v, c.v, 0, 2) || !isAngle(b.v, c.v, 1, 2)) continue;
        const t = toMat3([a.n[0], b.n[0], c.n[0], a.n[1], b.n[1], c.n[1], a.n[2], b.n[2], c.n[2]]);
        if (Math.round(Math.abs(determinant3(t))) === cells) out.push(t);
      }
    }
  return out;
}

/** Atoms of the smaller cell in a larger one whose axes are the columns of `t`. */
function expanded(atoms: readonly Atom[], t: Mat3, cells: number): Atom[] {
  const back = inverse3(t);
  const out: Atom[] = [];
  const reach = cells > 1 ? COEFFICIENTS : 0;
  for (const atom of atoms) {
    const own: Atom[] = [];
    for (let i = -reach; i <= reach && own.length < cells; i++)
      for (let j = -reach; j <= reach && own.length < cells; j++)
        for (let k = -reach; k <= reach && own.length < cells; k++) {
          const at = toVec3(apply3(back, add(atom.at, [i, j, k])).map((x) => x - Math.floor(x + 1e-9)));
          const copy = { ...atom, at };
          if (!isThere(own, copy)) own.push(copy);
        }
    out.push(...own);
  }
  return out;
}

interface Laid {
  readonly matched: number;
  readonly alike: number;
  readonly rms: number;
  readonly pairs: readonly { small: Atom; large: Atom; off: number }[];
  /** What the places still are off by on the mean, fractional. */
  readonly drift: Vec3;
}

/** Atoms laid over each other with a shift of the smaller one's: each by the nearest that is not taken. */
function laid(small: readonly Atom[], large: readonly Atom[], axes: Mat3, shift: Vec3): Laid {
  const taken = new Set<number>();
  const pairs: { small: Atom; large: Atom; off: number }[] = [];
  const drift = [0, 0, 0];
  for (const atom of small) {
    const at = add(atom.at, shift);
    let best = -1,
      least = SAME_PLACE,
      way: Vec3 = [0, 0, 0];
    large.forEach((other, n) => {
      if (taken.has(n)) return;
      const d = toVec3(subtract(other.at, at).map((x) => x - Math.round(x)));
      const off = norm(apply3(axes, d));
      // Of two that are as near, the one of the same element.
      if (off < least - (other.element === atom.element ? 0 : 0.1)) [best, least, way] = [n, off, d];
    });
    if (best < 0) continue;
    taken.add(best);
    pairs.push({ small: atom, large: large[best]!, off: least });
    way.forEach((x, k) => (drift[k]! += x));
  }
  const n = pairs.length || 1;
  return {
    matched: pairs.length,
    alike: pairs.filter((p) => p.small.element === p.large.element).length,
    rms: Math.sqrt(pairs.reduce((sum, p) => sum + p.off ** 2, 0) / n),
    pairs,
    drift: toVec3(drift.map((x) => x / n)),
  };
}

const isBetter = (p: Laid, q: Laid | undefined): boolean =>
  !q ||
  p.matched > q.matched ||
  (p.matched === q.matched && (p.alike > q.alike || (p.alike === q.alike && p.rms < q.rms - 1e-9)));

/** Atoms of the kind that is rarest in a list. */
function rarest(atoms: readonly Atom[]): Atom[] {
  const counts = new Map<string, number>();
  for (const a of atoms) counts.set(a.element, (counts.get(a.element) ?? 0) + 1);
  const [element] = [...counts].sort((p, q) => p[1] - q[1] || p[0].localeCompare(q[0]))[0]!;
  return atoms.filter((a) => a.element === element);
}

/** The best origin for one way of laying the lattices. */
function bestOrigin(small: readonly Atom[], large: readonly Atom[], axes: Mat3): Laid | undefined {
  const start = rarest(large)[0]!;
  const same = small.filter((a) => a.element === start.element);
  let best: Laid | undefined;
  for (const a of same.length ? same : small) {
    const shift = subtract(start.at, a.at);
    const first = laid(small, large, axes, shift);
    const settled = laid(small, large, axes, add(shift, first.drift));
    for (const l of [first, settled]) if (isBetter(l, best)) best = l;
  }
  return best;
}

/**
 * The second structure laid on the first. Throws RangeError where their lattices have nothing to do with one another, or there is too
 * much to compare.
 */
export function compareFrameworks(one: Structure, two: Structure): FrameworkMatch {
  const [p, q] = [reduced(one), reduced(two)];
  if (!p.atoms.length || !q.atoms.length) throw new RangeError('One of the two has no atoms but hydrogens.');
  if (Math.max(p.atoms.length, q.atoms.length) > MOST_ATOMS)
    throw new RangeError(`Frameworks are compared up to ${MOST_ATOMS} atoms in the primitive cell.`);
  const [v, w] = [Math.abs(determinant3(p.axes)), Math.abs(determinant3(q.axes))];
  const isSwapped = v > w * (1 + LONGER);
  const [small, large] = isSwapped ? [q, p] : [p, q];
  const cells = Math.max(1, Math.round(Math.max(v, w) / Math.min(v, w)));
  const ways = cells <= MOST_CELLS ? laidOn(small, large, cells) : [];
  if (!ways.length) throw new RangeError('The lattices are not related: no axes of the one can be laid on the other.');
  let best: { laid: Laid; t: Mat3 } | undefined;
  for (const t of ways) {
    const found = bestOrigin(expanded(small.atoms, t, cells), large.atoms, large.axes);
    if (found && isBetter(found, best?.laid)) best = { laid: found, t };
  }
  const { laid: match, t } = best!;
  const hands = Math.sign(determinant3(t)) * Math.sign(determinant3(small.axes)) * Math.sign(determinant3(large.axes));
  return {
    lattice: relationOf(small.axes, large.axes, t, cells, isSwapped),
    matched: match.matched,
    of: large.atoms.length,
    rms: match.rms,
    mirrored: hands < 0,
    sites: sitesOf(match, small.s, large.s, isSwapped),
  };
}

function relationOf(small: Mat3, large: Mat3, t: Mat3, cells: number, isSwapped: boolean): LatticeRelation {
  const laidAxes = multiply3(small, t);
  const [from, to] = isSwapped ? [large, laidAxes] : [laidAxes, large];
  const axes = (m: Mat3): Vec3[] => [0, 1, 2].map((k) => column(m, k));
  const [f, g] = [axes(from), axes(to)];
  const angles = (a: readonly Vec3[]): Vec3 => [angleOf(a[1]!, a[2]!), angleOf(a[0]!, a[2]!), angleOf(a[0]!, a[1]!)];
  return {
    ratio: isSwapped ? 1 / cells : cells,
    lengths: toVec3([0, 1, 2].map((k) => 100 * (norm(g[k]!) / norm(f[k]!) - 1))),
    angles: subtract(angles(g), angles(f)),
  };
}

/** Pairs of sites, the mean over their copies. */
function sitesOf({ pairs }: Laid, small: Structure, large: Structure, isSwapped: boolean): MappedSite[] {
  const sums = new Map<string, { small: number; large: number; sum: number; count: number }>();
  for (const pair of pairs) {
    const key = `${pair.small.site} ${pair.large.site}`;
    const known = sums.get(key) ?? { small: pair.small.site, large: pair.large.site, sum: 0, count: 0 };
    sums.set(key, { ...known, sum: known.sum + pair.off, count: known.count + 1 });
  }
  return [...sums.values()]
    .map(({ small: i, large: j, sum, count }): MappedSite => {
      const [a, b] = [small.sites[i]!, large.sites[j]!];
      const [one, two] = isSwapped ? [b, a] : [a, b];
      return { one: one.label, two: two.label, elements: [one.element, two.element], shift: sum / count };
    })
    .sort((x, y) => y.shift - x.shift);
}
