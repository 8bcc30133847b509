/**
 * What a face of a crystal shows: the layers beneath it end where whole molecules do, and columns over the face find the atom that each
 * of them meets first.
 */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { isHydrogen, isMetal, vanDerWaalsRadius } from '../crystal/elements.ts';
import { ionicRadius, usualCharge } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite } from '../geometry/bonds.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { distinctNets, netsOf } from '../geometry/nets.ts';
import { siteIndices, siteOf } from '../crystal/atom-ref.ts';
import { apply3, cross, dot, inverse3, norm, scale, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { normalOf } from '../space/forms.ts';

/** Atoms of one kind on a face. */
export interface ShownKind {
  /** Element; hydrogens at nitrogen, oxygen and fluorine are told apart. */
  readonly kind: string;
  readonly isPolar: boolean;
  /** Of the area, 0 … 1. */
  readonly share: number;
  /** Atoms that more than a little is seen of, in one square nanometre. */
  readonly perArea: number;
}

export interface FaceView {
  readonly hkl: Vec3;
  /** Å², of the smallest cell in the face. */
  readonly area: number;
  /** Root mean square of the height, and from the lowest to the highest place, Å. */
  readonly roughness: number;
  readonly relief: number;
  /** What is seen most first. */
  readonly kinds: readonly ShownKind[];
  /** Of the area, polar atoms; polar atoms in one square nanometre. */
  readonly polarShare: number;
  readonly polarPerArea: number;
  /** Distinct molecules by formula and place, with their share of the area; empty where nothing is a molecule. */
  readonly molecules: readonly { readonly formula: string; readonly share: number }[];
  /** Atoms at the surface, the most seen first. */
  readonly atoms: readonly AtomRef[];
}

/** Å between columns, and Å² of an atom from which on it counts as seen. */
const STEP = 0.25,
  SEEN = 1;
const POLAR = new Set(['N', 'O', 'F', 'H of N', 'H of O', 'H of F']);
/** Indices of the vectors in a face that are looked at. */
const MOST = 6;

/** Two lattice vectors that span the smallest cell in a plane, Cartesian. */
function cellOfFace(s: Structure, hkl: Vec3): readonly [Vec3, Vec3] {
  const m = orthogonalization(s.cell);
  const star = norm(apply3(inverseTranspose(m), hkl));
  const list: Vec3[] = [];
  for (let u = -MOST; u <= MOST; u++)
    for (let v = -MOST; v <= MOST; v++)
      for (let w = -MOST; w <= MOST; w++)
        if ((u || v || w) && u * hkl[0] + v * hkl[1] + w * hkl[2] === 0) list.push(apply3(m, [u, v, w]));
  list.sort((p, q) => norm(p) - norm(q));
  const first = list[0]!;
  const area = cellVolume(s.cell) * star;
  const second = list.find((x) => Math.abs(norm(cross(first, x)) / area - 1) < 1e-6)!;
  return [first, second];
}

const inverseTranspose = (m: ReturnType<typeof orthogonalization>) => {
  const b = inverse3(m);
  return [b[0], b[3], b[6], b[1], b[4], b[7], b[2], b[5], b[8]] as unknown as typeof m;
};

/** A group of atoms that comes and goes as one. */
interface Unit {
  readonly atoms: readonly AtomRef[];
  readonly at: readonly Vec3[];
  /** Height of its middle, Å. */
  readonly height: number;
  readonly molecule?: number;
}

interface SeenAtom {
  readonly atom: AtomRef;
  readonly at: Vec3;
  readonly kind: string;
  readonly radius: number;
  readonly molecule?: number;
}

/** Molecules of one cell, or single atoms where bonds go on without end. */
function unitsOf(s: Structure, normal: Vec3): { units: Unit[]; formulas: readonly string[] } {
  const distinct = distinctNets(s);
  const homes = new Map<string, number>();
  distinct.forEach((n, k) => n.atoms.forEach((a) => homes.set(a.site, k)));
  const units = netsOf(s).list.flatMap((n): Unit[] => {
    const at = cartesianOf(s, n.atoms);
    const unit = (atoms: readonly AtomRef[], places: readonly Vec3[]): Unit => {
      const middle = places.reduce((sum, x) => sum + dot(normal, x), 0) / places.length;
      return { atoms, at: places, height: middle };
    };
    if (n.dimension > 0) return n.atoms.map((a, i) => unit([a], [at[i]!]));
    return [{ ...unit(n.atoms, at), molecule: homes.get(n.atoms[0]!.site)! }];
  });
  const formulas = distinct.map((n) => {
    const counts = new Map<string, number>();
    for (const a of n.atoms) counts.set(siteOf(s, a)!.element, (counts.get(siteOf(s, a)!.element) ?? 0) + 1);
    return [...counts].map(([e, k]) => (k > 1 ? `${e}${k}` : e)).join(' ');
  });
  return { units, formulas };
}

/** The height in one period where units are furthest apart, Å: layers part there. */
function widestGap(units: readonly Unit[], period: number): number {
  const heights = units.map((u) => u.height - period * Math.floor(u.height / period)).sort((p, q) => p - q);
  let best = { gap: -1, cut: 0 };
  heights.forEach((h, i) => {
    const next = heights[i + 1] ?? heights[0]! + period;
    if (next - h > best.gap + 1e-9) best = { gap: next - h, cut: (h + next) / 2 };
  });
  return best.cut;
}

/** Elements, with hydrogens by what they are bonded to. */
function kindsBySite(s: Structure): string[] {
  const bySite = bondsBySite(s, bonds(s));
  return s.sites.map((x, i) => {
    const parent = bySite[i]?.[0];
    const element = parent && s.sites[parent.to]!.element;
    return isHydrogen(x.element) && element && POLAR.has(element) ? `H of ${element}` : x.element;
  });
}

/** Å: metals as ions, everything else as it touches others. */
const radiusOf = (element: string): number =>
  (isMetal(element) && ionicRadius(element, usualCharge(element) ?? 2, 6)) || vanDerWaalsRadius(element);

/** Å that atoms stand below the highest of them at most to be seen. */
const DEEP = 14;

/**
 * What the face (hkl) shows, of a structure whose bonds are known; the crystal ends `cut` Å along the normal modulo one spacing, or where
 * molecules are furthest apart. Throws RangeError for indices that are none.
 */
export function faceView(s: Structure, hkl: Vec3, cut?: number): FaceView {
  if (!hkl.every(Number.isInteger) || hkl.every((x) => x === 0))
    throw new RangeError(`(${hkl.join(' ')}) is no face: indices are whole numbers, not all of them 0.`);
  const normal = normalOf(s, hkl);
  const period = 1 / norm(apply3(inverseTranspose(orthogonalization(s.cell)), hkl));
  const { units, formulas } = unitsOf(s, normal);
  const from = cut ?? widestGap(units, period);
  const [u, v] = cellOfFace(s, hkl);
  const kinds = kindsBySite(s);
  const index = siteIndices(s);
  const up = stepUp(s, hkl, normal);
  // Every unit moved by whole periods until its middle lies just beneath the cut, and as many periods below as can be seen.
  const atoms = units.flatMap((unit): SeenAtom[] => {
    const top = Math.ceil((from - unit.height) / period) - 1;
    return Array.from({ length: Math.ceil(DEEP / period) + 1 }, (_, n) => scale(up, top - n)).flatMap((shift) =>
      unit.atoms.map((atom, i): SeenAtom => {
        const site = index.get(atom.site)!;
        const at = toVec3(unit.at[i]!.map((x, k) => x + shift[k]!));
        const base = { atom, at, kind: kinds[site]!, radius: radiusOf(s.sites[site]!.element) };
        return unit.molecule === undefined ? base : { ...base, molecule: unit.molecule };
      }),
    );
  });
  return told(hkl, columns(atoms, u, v, normal), atoms, norm(cross(u, v)), formulas);
}

/** A lattice vector from one plane to the next, Cartesian. */
function stepUp(s: Structure, hkl: Vec3, normal: Vec3): Vec3 {
  const m = orthogonalization(s.cell);
  let best: Vec3 | undefined;
  for (let u = -MOST; u <= MOST; u++)
    for (let v = -MOST; v <= MOST; v++)
      for (let w = -MOST; w <= MOST; w++) {
        if (u * hkl[0] + v * hkl[1] + w * hkl[2] !== 1) continue;
        const x = apply3(m, [u, v, w]);
        if (!best || norm(x) < norm(best)) best = x;
      }
  if (!best) throw new RangeError(`(${hkl.join(' ')}) has a common divisor or is too high to be looked at.`);
  return dot(best, normal) < 0 ? scale(best, -1) : best;
}

/** For each column over the cell of the face, the atom met first (−1: none) and its height, Å. */
function columns(
  atoms: readonly SeenAtom[],
  u: Vec3,
  v: Vec3,
  normal: Vec3,
): { first: Int32Array; height: Float64Array } {
  const [p, q] = [Math.max(4, Math.ceil(norm(u) / STEP)), Math.max(4, Math.ceil(norm(v) / STEP))];
  const height = new Float64Array(p * q).fill(-Infinity);
  const first = new Int32Array(p * q).fill(-1);
  // Rows: coordinates along u and v of a place in the face.
  const w = cross(u, v);
  const size = dot(w, w);
  const [du, dv] = [scale(cross(v, w), 1 / size), scale(cross(w, u), 1 / size)];
  const [su, sv] = [scale(u, 1 / p), scale(v, 1 / q)];
  atoms.forEach(({ at, radius }, n) => {
    const z = dot(normal, at);
    const [a, b] = [dot(du, at) * p, dot(dv, at) * q];
    const [reachU, reachV] = [Math.ceil(radius * norm(du) * p), Math.ceil(radius * norm(dv) * q)];
    for (let i = Math.floor(a) - reachU; i <= Math.ceil(a) + reachU; i++)
      for (let j = Math.floor(b) - reachV; j <= Math.ceil(b) + reachV; j++) {
        const off = subtract(toVec3(su.map((x, k) => x * i + sv[k]! * j)), at);
        const along = dot(off, normal);
        const square = radius * radius - (dot(off, off) - along * along);
        if (square < 0) continue;
        const top = z + Math.sqrt(square);
        const slot = wrap(i, p) * q + wrap(j, q);
        if (top > height[slot]!) [height[slot], first[slot]] = [top, n];
      }
  });
  return { first, height };
}

const wrap = (i: number, n: number): number => ((i % n) + n) % n;

function told(
  hkl: Vec3,
  { first, height }: { first: Int32Array; height: Float64Array },
  atoms: readonly SeenAtom[],
  area: number,
  formulas: readonly string[],
): FaceView {
  const one = area / first.length;
  const own = new Float64Array(atoms.length);
  for (const n of first) if (n >= 0) own[n]! += one;
  const met = Array.from(height).filter(Number.isFinite);
  const mean = met.reduce((p, q) => p + q, 0) / (met.length || 1);
  const squares = met.reduce((sum, h) => sum + (h - mean) ** 2, 0) / (met.length || 1);
  const byKind = new Map<string, { share: number; count: number }>();
  const byMolecule = new Map<number, number>();
  atoms.forEach(({ kind, molecule }, n) => {
    if (!own[n]) return;
    const known = byKind.get(kind) ?? { share: 0, count: 0 };
    byKind.set(kind, { share: known.share + own[n]! / area, count: known.count + (own[n]! > SEEN ? 1 : 0) });
    if (molecule !== undefined) byMolecule.set(molecule, (byMolecule.get(molecule) ?? 0) + own[n]! / area);
  });
  const kinds = [...byKind]
    .map(([kind, x]): ShownKind => ({
      kind,
      isPolar: POLAR.has(kind),
      share: x.share,
      perArea: (100 * x.count) / area,
    }))
    .sort((p, q) => q.share - p.share);
  const polar = kinds.filter((k) => k.isPolar);
  const seen = [...own.keys()].filter((n) => own[n]! > SEEN).sort((p, q) => own[q]! - own[p]!);
  return {
    hkl,
    area,
    roughness: Math.sqrt(squares),
    relief: met.length ? Math.max(...met) - Math.min(...met) : 0,
    kinds,
    polarShare: polar.reduce((sum, k) => sum + k.share, 0),
    polarPerArea: polar.reduce((sum, k) => sum + k.perArea, 0),
    molecules: [...byMolecule].sort(([, p], [, q]) => q - p).map(([k, share]) => ({ formula: formulas[k]!, share })),
    atoms: seen.map((n) => atoms[n]!.atom),
  };
}
