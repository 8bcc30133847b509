/**
 * A crystal seen from a plane (hkl): the shortest cell in the plane, where it may be cut, and slabs of it with nothing above.
 * Heights are along the outward normal, Å. Polar cuts after Tasker (1979, J. Phys. C 12, 4977).
 */
import { operatorOf, symmetryTable } from '../crystal/atom-ref.ts';
import { cellFromMetric, orthogonalization, type Cell } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { primitiveBasis } from '../crystal/lattice.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { equivalentU, newId, type Site, type Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { bonds } from '../geometry/bonds.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import {
  add,
  apply3,
  cross,
  dot,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  toMat3,
  transpose3,
  type Mat3,
  type Vec3,
  toVec3,
} from '../math/matrix3.ts';
import { wholeCell, withOwnLabels } from './whole-cell.ts';

/** Two vectors of the lattice in the plane and one that leads out of it, in terms of the crystal's axes. */
export interface PlaneBasis {
  /** Columns u, v in the plane and w to the next one, right-handed, w nearest to the normal. */
  readonly p: Mat3;
  /** Å between one lattice plane and the next. */
  readonly spacing: number;
  /** Å² of the cell in the plane. */
  readonly area: number;
}

const ROUND = 5040;
const isZero = (v: Vec3): boolean => !v.some((x) => x);

/** Whole numbers without a common divisor. */
function coprime(v: Vec3): Vec3 {
  const d = v.reduce((n, x) => greatestCommonDivisor(n, Math.abs(x)), 0) || 1;
  return toVec3(v.map((x) => x / d + 0));
}

/** x, y with a x + b y = gcd(a, b) (Euclid). */
function bezout(a: number, b: number): [number, number] {
  if (!b) return [Math.sign(a) || 1, 0];
  const [x, y] = bezout(b, a % b);
  return [y, x - Math.trunc(a / b) * y];
}

/** A basis of ℤ³ whose first two vectors lie in the plane h·n = 0 and whose third has h·n = 1. */
function integerBasis(h: Vec3): [Vec3, Vec3, Vec3] {
  const [p, q, r] = h;
  const d = greatestCommonDivisor(Math.abs(p), Math.abs(q));
  if (!d)
    return [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, Math.sign(r)],
    ];
  const [x, y] = bezout(p, q);
  const [s, t] = bezout(d, r);
  // The combination (x, y) has h·n = d; with r it makes one.
  return [
    [q / d, -p / d, 0],
    [-r * x, -r * y, d],
    [s * x, s * y, t],
  ];
}

/** Gauss reduction in the plane: the two shortest vectors, which stand nearest to 90°. */
function shortestPair(
  u: Vec3,
  v: Vec3,
  length: (n: Vec3) => number,
  product: (p: Vec3, q: Vec3) => number,
): [Vec3, Vec3] {
  let [p, q] = length(u) <= length(v) ? [u, v] : [v, u];
  for (let round = 0; round < 200; round++) {
    const times = Math.round(product(p, q) / product(p, p) - 1e-9);
    q = subtract(q, scale(p, times));
    if (length(q) >= length(p) - 1e-9) break;
    [p, q] = [q, p];
  }
  return [p, q];
}

/** The shortest cell in the lattice plane (hkl) of a crystal. Throws RangeError where the indices are none. */
export function planeBasis(s: Structure, hkl: Vec3): PlaneBasis {
  if (isZero(hkl) || !hkl.every(Number.isInteger))
    throw new RangeError(`(${hkl.join(' ')}) is no plane. Give three whole numbers, not all of them zero.`);
  const lattice = primitiveBasis(s.spaceGroup.centring);
  const m = orthogonalization(s.cell);
  const own = coprime(toVec3(apply3(transpose3(lattice), hkl).map((x) => Math.round(x * ROUND))));
  const toAxes = (n: Vec3): Vec3 => toVec3(apply3(lattice, n).map((x) => Math.round(x * ROUND) / ROUND + 0));
  const cartesian = (n: Vec3): Vec3 => apply3(m, n);
  const length = (n: Vec3): number => norm(cartesian(n));
  const product = (p: Vec3, q: Vec3): number => dot(cartesian(p), cartesian(q));
  const [i, j, k] = integerBasis(own).map(toAxes) as [Vec3, Vec3, Vec3];
  const pair = shortestPair(i, j, length, product);
  const normal = normalize(apply3(transpose3(inverse3(m)), hkl));
  // An obtuse angle in the plane is the habit; then the hand, with the third vector outwards.
  const obtuse = product(pair[0], pair[1]) > 1e-9 ? ([pair[0], scale(pair[1], -1)] as const) : pair;
  const right = dot(cross(cartesian(obtuse[0]), cartesian(obtuse[1])), normal) > 0;
  const [u, v] = right
    ? obtuse
    : product(obtuse[0], obtuse[1]) < -1e-9
      ? [obtuse[1], obtuse[0]]
      : [obtuse[0], scale(obtuse[1], -1)];
  const w = nearestToNormal(k, u!, v!, normal, cartesian);
  return {
    p: toMat3([u![0], v![0], w[0], u![1], v![1], w[1], u![2], v![2], w[2]].map((x) => x + 0)),
    spacing: dot(cartesian(w), normal),
    area: norm(cross(cartesian(u!), cartesian(v!))),
  };
}

/** Of all vectors to the next plane the one that leans least. */
function nearestToNormal(w: Vec3, u: Vec3, v: Vec3, normal: Vec3, cartesian: (n: Vec3) => Vec3): Vec3 {
  const [cu, cv, cw] = [cartesian(u), cartesian(v), cartesian(w)];
  const aside = subtract(cw, scale(normal, dot(cw, normal)));
  const uu = dot(cu, cu),
    uv = dot(cu, cv),
    vv = dot(cv, cv),
    det = uu * vv - uv * uv;
  const x = (dot(aside, cu) * vv - dot(aside, cv) * uv) / det,
    y = (dot(aside, cv) * uu - dot(aside, cu) * uv) / det;
  let best = w,
    least = Infinity;
  for (const i of [Math.floor(x), Math.floor(x) + 1])
    for (const j of [Math.floor(y), Math.floor(y) + 1]) {
      const candidate = subtract(w, add(scale(u, i), scale(v, j)));
      const c = cartesian(candidate);
      const lean = norm(subtract(c, scale(normal, dot(c, normal))));
      if (lean > least - 1e-9) continue;
      least = lean;
      best = candidate;
    }
  return best;
}

/** An atom in the axes of a surface: Cartesian, x along u, z along the normal, Å. */
export interface SurfaceSite {
  readonly site: Site;
  readonly at: Vec3;
}

/** An atom of one period, with what decides about cuts. */
export interface SurfaceAtom extends SurfaceSite {
  readonly charge: number | undefined;
  /** Which atomic plane it stands in, from below. */
  readonly plane: number;
}

export interface Termination {
  readonly index: number;
  /** Å: height of the cut, in the middle of the gap. */
  readonly height: number;
  /** Å between the last atoms below the cut and the first above it. */
  readonly gap: number;
  /** Atoms of the plane that is uppermost below the cut. */
  readonly uppermost: Readonly<Record<string, number>>;
  /** Bonds cut, per Å². */
  readonly brokenBonds: number;
  /** Of one period above the cut, per area, e Å / Å²; undefined where charges are not known. */
  readonly dipole?: number;
  readonly polar: boolean;
  /** A symmetry operation of the crystal carries one side of the slab onto the other. */
  readonly symmetric: boolean;
}

/** Å: atoms whose heights differ by less stand in one plane. */
const ONE_PLANE = 0.15;
/** e Å / Å²: a dipole below this is none. */
export const NO_DIPOLE = 1e-4;

export interface VacuumChoice {
  /** Å from the uppermost atom to the lowest one of the next slab. */
  readonly vacuum: number;
  /** c along the normal, or along the crystal's own vector so that its angles stay. */
  readonly along: 'normal' | 'oblique';
  /** Beneath as well as above. */
  readonly bothSides: boolean;
}

export interface Slab {
  readonly structure: Structure;
  /** Å from the lowest to the uppermost atom. */
  readonly thickness: number;
  readonly vacuum: number;
}

/** One crystal as it is cut along a plane. */
export class Surface {
  readonly basis: PlaneBasis;
  /** Cartesian vectors u, v, w in the axes of the surface, Å. */
  readonly vectors: readonly [Vec3, Vec3, Vec3];
  readonly terminations: readonly Termination[];
  /** One period. */
  readonly atoms: readonly SurfaceAtom[];
  private readonly normal: Vec3;

  constructor(
    readonly s: Structure,
    readonly hkl: Vec3,
  ) {
    this.basis = planeBasis(s, hkl);
    const m = orthogonalization(s.cell);
    const column = (j: number): Vec3 => apply3(m, [this.basis.p[j]!, this.basis.p[3 + j]!, this.basis.p[6 + j]!]);
    const [u, v, w] = [column(0), column(1), column(2)];
    const x = normalize(u),
      z = normalize(cross(u, v)),
      y = cross(z, x);
    this.normal = z;
    const turn = toMat3([...x, ...y, ...z]);
    this.vectors = [apply3(turn, u), apply3(turn, v), apply3(turn, w)];
    this.atoms = this.onePeriod();
    this.terminations = this.cuts();
  }

  /** Every atom of the cell u, v, w once. */
  private onePeriod(): SurfaceAtom[] {
    const whole = wholeCell(this.s);
    const charges = siteCharges(whole);
    const q = inverse3(this.basis.p);
    const frame = toMat3([0, 1, 2].flatMap((k) => this.vectors.map((a) => a[k]!)));
    const placed: { site: Site; f: Vec3; charge: number | undefined }[] = [];
    // The cell of the plane is primitive, so of a centred crystal several atoms fall together.
    const centred = this.s.spaceGroup.centring.length > 1;
    const isThere = (site: Site, f: Vec3): boolean =>
      placed.some(
        (p) =>
          p.site.element === site.element &&
          p.site.occupancy === site.occupancy &&
          p.f.every((c, k) => Math.abs(c - f[k]! - Math.round(c - f[k]!)) < 2e-4),
      );
    whole.sites.forEach((site, i) => {
      const f = toVec3(apply3(q, site.position).map(wrapped));
      if (centred && isThere(site, f)) return;
      placed.push({ site: plainSite(this.s.cell, site), f, charge: charges[i] });
    });
    const atoms = placed
      .map(({ site, f, charge }) => ({ site, at: apply3(frame, f), charge }))
      .sort((p, r) => p.at[2] - r.at[2]);
    return this.inPlanes(atoms);
  }

  /** Gathers heights into planes; a plane that lies across the period's border becomes one below it. */
  private inPlanes(atoms: readonly Omit<SurfaceAtom, 'plane'>[]): SurfaceAtom[] {
    const d = this.basis.spacing;
    if (!atoms.length) return [];
    // The widest gap is where the period begins, so that no plane is torn.
    const gaps = atoms.map((a, i) => (i ? a.at[2] - atoms[i - 1]!.at[2] : a.at[2] + d - atoms.at(-1)!.at[2]));
    const first = gaps.indexOf(Math.max(...gaps));
    const turned = [
      ...atoms.slice(first),
      ...atoms.slice(0, first).map((a) => ({ ...a, at: add(a.at, this.vectors[2]) })),
    ];
    let plane = 0;
    return turned.map((a, i) => {
      const before = turned[i - 1];
      if (before && a.at[2] - before.at[2] > ONE_PLANE) plane++;
      return { ...a, plane };
    });
  }

  /** A cut above every plane of the period. */
  private cuts(): Termination[] {
    const d = this.basis.spacing;
    const count = (this.atoms.at(-1)?.plane ?? -1) + 1;
    const planes = Array.from({ length: count }, (_, n) => this.atoms.filter((a) => a.plane === n));
    const crossing = this.bondSpans();
    const reflections = this.turningHeights();
    return planes.map((below, index): Termination => {
      const top = Math.max(...below.map((a) => a.at[2]));
      const next = planes[index + 1];
      const start = next ? Math.min(...next.map((a) => a.at[2])) : Math.min(...planes[0]!.map((a) => a.at[2])) + d;
      const height = (top + start) / 2;
      const uppermost: Record<string, number> = {};
      for (const a of below) uppermost[a.site.element] = (uppermost[a.site.element] ?? 0) + a.site.occupancy;
      const dipole = this.dipoleAbove(height);
      return {
        index,
        height,
        gap: start - top,
        uppermost,
        brokenBonds: crossing.reduce((n, [low, high]) => n + timesBetween(low, high, height, d), 0) / this.basis.area,
        ...(dipole === undefined ? {} : { dipole }),
        polar: Math.abs(dipole ?? 0) > NO_DIPOLE,
        symmetric: reflections.some((c) => isMultiple(c - 2 * height, d)),
      };
    });
  }

  /** Heights of the ends of every bond that leads upwards from an atom of the period. */
  private bondSpans(): [number, number][] {
    const one = bonded(this.periodic());
    const m = orthogonalization(one.cell);
    return bonds(one).flatMap((b): [number, number][] => {
      const from = apply3(m, one.sites[b.from]!.position)[2],
        to = apply3(m, b.position)[2];
      return to > from + 1e-3 ? [[from, to]] : [];
    });
  }

  /** The crystal in P 1 in the cell u, v, w, sites in the order of `atoms`. */
  periodic(): Structure {
    const cell = cellOf(this.vectors);
    const back = inverse3(orthogonalization(cell));
    const sites = this.atoms.map((a) => ({ ...a.site, id: newId(), position: apply3(back, a.at) }));
    return { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
  }

  /** Of operations that turn the normal round: height z goes to c − z; the values of c, modulo one period. */
  turningHeights(): number[] {
    const m = orthogonalization(this.s.cell);
    const { operators } = symmetryTable(this.s.spaceGroup);
    return operators.flatMap((_, operator) => {
      const o = operatorOf(this.s.spaceGroup, { operator, shift: [0, 0, 0] });
      const row = apply3(transpose3(o.r), this.hkl);
      return row.every((x, k) => Math.abs(x + this.hkl[k]!) < 1e-6) ? [dot(apply3(m, o.t), this.normal)] : [];
    });
  }

  private dipoleAbove(cut: number): number | undefined {
    const d = this.basis.spacing;
    let sum = 0;
    for (const a of this.atoms) {
      if (a.charge === undefined) return undefined;
      const z = a.at[2] - cut;
      sum += a.charge * a.site.occupancy * (z - d * Math.floor(z / d));
    }
    return sum / this.basis.area;
  }

  /** Atoms from one height up to another, from the lowest on. */
  between(low: number, high: number): SurfaceAtom[] {
    const d = this.basis.spacing;
    const out: SurfaceAtom[] = [];
    for (const a of this.atoms)
      for (let k = Math.ceil((low - a.at[2]) / d); a.at[2] + k * d < high; k++)
        out.push({ ...a, at: add(a.at, scale(this.vectors[2], k)) });
    return out.sort((p, q) => p.at[2] - q.at[2]);
  }

  /** A termination by its number. Throws RangeError where there is none. */
  cut(termination: number): Termination {
    const cut = this.terminations[termination];
    if (!cut)
      throw new RangeError(
        `There is no termination ${termination}; (${this.hkl.join(' ')}) has ${this.terminations.length}, numbered from 0.`,
      );
    return cut;
  }

  /**
   * A slab of whole periods of the lattice along the normal, cut at a termination, with a vacuum. Throws RangeError where
   * there is no such termination.
   */
  slab(layers: number, termination: number, choice: VacuumChoice): Slab {
    const { height } = this.cut(termination);
    if (!Number.isInteger(layers) || layers < 1) throw new RangeError('A slab takes one layer or more.');
    const atoms = this.between(height, height + layers * this.basis.spacing);
    return inVacuum(atoms, this.vectors, choice);
  }
}

/** A site for other axes: its displacement by the mean, coordinates without the s.u. they had. */
export function plainSite(cell: Cell, site: Site): Site {
  const { positionSu: _, ...rest } = site;
  return { ...rest, displacement: { kind: 'iso', u: equivalentU(cell, site.displacement) } };
}

const wrapped = (c: number): number => {
  const y = c - Math.floor(c);
  return y > 1 - 1e-7 ? 0 : y;
};

/** Whether a height is a whole number of periods, within 0.02 Å. */
export const isMultiple = (x: number, d: number): boolean => Math.abs(x / d - Math.round(x / d)) * d < 0.02;

/** How many of the cuts at `height` + n·d lie between two heights. */
const timesBetween = (low: number, high: number, height: number, d: number): number =>
  Math.floor((high - height) / d) - Math.floor((low - height) / d);

/** Cell of three vectors. */
export const cellOf = (v: readonly [Vec3, Vec3, Vec3]): Cell =>
  cellFromMetric(toMat3(v.flatMap((p) => v.map((q) => dot(p, q)))));

/** Atoms in the plane of u and v with nothing above (and, if so chosen, beneath): a cell for them, and the sites in it. */
export function inVacuum(
  atoms: readonly SurfaceSite[],
  [u, v, w]: readonly [Vec3, Vec3, Vec3],
  { vacuum, along, bothSides }: VacuumChoice,
): Slab {
  if (!(vacuum >= 0)) throw new RangeError('The vacuum is a length in Å, zero or more.');
  const heights = atoms.map((a) => a.at[2]);
  const low = Math.min(...heights),
    thickness = Math.max(...heights) - low;
  const height = thickness + vacuum;
  if (height < 1) throw new RangeError('A slab of one plane of atoms needs a vacuum of 1 Å or more.');
  const c: Vec3 = along === 'normal' ? [0, 0, height] : scale(w, height / w[2]);
  const cell = cellOf([u, v, c]);
  const back = inverse3(toMat3([0, 1, 2].flatMap((k) => [u[k]!, v[k]!, c[k]!])));
  const lift = (bothSides ? vacuum / 2 : 0) - low;
  const sites = atoms.map(({ site, at }): Site => {
    const f = apply3(back, [at[0], at[1], at[2] + lift]);
    return { ...site, id: newId(), position: [wrapped(f[0]), wrapped(f[1]), f[2]] };
  });
  return {
    structure: { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites: withOwnLabels(sites) },
    thickness,
    vacuum,
  };
}
