/** Space groups as plain data, worked out from their operators. */
import { IDENTITY3, negative3, toVec3, trace3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import {
  closeGroup,
  operatorToXyz,
  rotationKey,
  type RotationKey,
  rotationType,
  wrapTranslation,
  type Operator,
} from './operator.ts';

export interface SpaceGroup {
  /** 1–230, or 0 while the type has not been worked out. */
  readonly number: number;
  /** Hermann–Mauguin symbol with blanks, such as "P 1 21/c 1". */
  readonly symbol: string;
  readonly hall: string;
  /** Setting code within its type: "b1", "2", "cab", "H", or "" for the only one. */
  readonly code: string;
  /** One operator per rotation, identity first; where an inversion stands at the origin, the second half is the first times −1. */
  readonly representatives: readonly Operator[];
  /** Centring translations, the zero vector first. */
  readonly centring: readonly Vec3[];
  /** An inversion centre stands at the origin. */
  readonly centricAtOrigin: boolean;
  /** The group contains an inversion anywhere. */
  readonly centric: boolean;
}

const translationSize = (t: Vec3): number => t[0] + t[1] + t[2];

/** Builds the group of any closed or generating set of operators. Throws RangeError when it does not close. */
export function spaceGroupFromOperators(
  operators: readonly Operator[],
  names: { number?: number; symbol?: string; hall?: string; code?: string } = {},
): SpaceGroup {
  return spaceGroupOfClosed(closeGroup(operators), names);
}

/** The same of operators that are known to close, each of them once, identity first. */
export function spaceGroupOfClosed(
  all: readonly Operator[],
  names: { number?: number; symbol?: string; hall?: string; code?: string } = {},
): SpaceGroup {
  const identity = rotationKey(IDENTITY3);
  const byRotation = new Map<RotationKey, Operator>();
  const centring: Vec3[] = [];
  for (const o of all) {
    const key = rotationKey(o.r);
    if (key === identity) centring.push(o.t);
    const known = byRotation.get(key);
    if (!known || translationSize(o.t) < translationSize(known.t) - 1e-9) byRotation.set(key, o);
  }
  centring.sort((p, q) => translationSize(p) - translationSize(q));
  const minus = rotationKey(negative3(IDENTITY3));
  const inversion = byRotation.get(minus);
  const centricAtOrigin = !!inversion && translationSize(inversion.t) < 1e-9;
  let representatives = [...byRotation.values()];
  if (centricAtOrigin) {
    const half: Operator[] = [];
    const taken = new Set<RotationKey>();
    // Proper rotations first, so that symbols such as -x,-y,-z stand in the second half.
    for (const o of [...representatives.filter((p) => rotationType(p.r) > 0), ...representatives]) {
      const key = rotationKey(o.r);
      if (taken.has(key)) continue;
      taken.add(key);
      taken.add(rotationKey(negative3(o.r)));
      half.push(o);
    }
    representatives = [
      ...half,
      ...half.map((o) => ({
        r: negative3(o.r),
        t: toVec3(o.t.map((x) => wrapTranslation(-x))),
      })),
    ];
  }
  return {
    number: names.number ?? 0,
    symbol: names.symbol ?? '',
    hall: names.hall ?? '',
    code: names.code ?? '',
    representatives,
    centring,
    centricAtOrigin,
    centric: !!inversion,
  };
}

/** Every operator of the cell, centring included. */
export const allOperators = (g: SpaceGroup): Operator[] =>
  g.centring.flatMap((c) =>
    g.representatives.map((o) => ({
      r: o.r,
      t: [wrapTranslation(o.t[0] + c[0]), wrapTranslation(o.t[1] + c[1]), wrapTranslation(o.t[2] + c[2])] as Vec3,
    })),
  );

export const groupOrder = (g: SpaceGroup): number => g.representatives.length * g.centring.length;

export const operatorStrings = (g: SpaceGroup): string[] => allOperators(g).map(operatorToXyz);

/** What the group does to one reflection. */
export interface ReflectionSymmetry {
  absent: boolean;
  centric: boolean;
  /** ε: how often the point group carries h to itself. */
  epsilon: number;
}

const fractional = (x: number): boolean => Math.abs(x - Math.round(x)) > 1e-3;

/** Systematic absence, centricity and ε of an index triple. */
export function reflectionSymmetry(g: SpaceGroup, h: number, k: number, l: number): ReflectionSymmetry {
  let epsilon = 0,
    centric = false,
    absent = false;
  for (const c of g.centring) if (fractional(h * c[0] + k * c[1] + l * c[2])) absent = true;
  for (const { r, t } of g.representatives) {
    const p = h * r[0] + k * r[3] + l * r[6],
      q = h * r[1] + k * r[4] + l * r[7],
      s = h * r[2] + k * r[5] + l * r[8];
    if (p === h && q === k && s === l) {
      epsilon++;
      if (fractional(h * t[0] + k * t[1] + l * t[2])) absent = true;
    }
    if (p === -h && q === -k && s === -l) centric = true;
  }
  return { absent, centric, epsilon };
}

export interface SiteSymmetry {
  /** Operators, lattice translations added, that carry the site to itself. */
  operators: Operator[];
  /** Number of distinct sites per cell. */
  multiplicity: number;
}

const operatorsByGroup = new WeakMap<SpaceGroup, readonly Operator[]>();

/** `allOperators`, worked out once a group: sites are asked about by the hundred thousand. */
function knownOperators(g: SpaceGroup): readonly Operator[] {
  let all = operatorsByGroup.get(g);
  if (!all) operatorsByGroup.set(g, (all = allOperators(g)));
  return all;
}

/** Operators that leave a site where it is, within `tolerance` Å judged through the metric tensor. */
export function siteSymmetry(g: SpaceGroup, metric: readonly number[], x: Vec3, tolerance = 0.01): SiteSymmetry {
  const all = knownOperators(g);
  if (all.length === 1) return { operators: [...all], multiplicity: 1 };
  const operators: Operator[] = [];
  const [a, b, c] = x;
  const [m00, m01, m02, , m11, m12, , , m22] = metric as [...Mat3];
  const limit = tolerance * tolerance;
  for (const { r, t } of all) {
    const p = r[0] * a + r[1] * b + r[2] * c + t[0] - a,
      q = r[3] * a + r[4] * b + r[5] * c + t[1] - b,
      s = r[6] * a + r[7] * b + r[8] * c + t[2] - c;
    const i = Math.round(p),
      j = Math.round(q),
      k = Math.round(s);
    const u = p - i,
      v = q - j,
      w = s - k;
    const square = u * u * m00 + v * v * m11 + w * w * m22 + 2 * (u * v * m01 + u * w * m02 + v * w * m12);
    if (square < limit) operators.push({ r, t: [t[0] - i, t[1] - j, t[2] - k] });
  }
  return { operators, multiplicity: groupOrder(g) / operators.length };
}

/** Directions in which a site may move without leaving its special position, 0 to 3: the mean of the rotations that keep it projects onto them. */
export const siteFreedom = ({ operators }: Pick<SiteSymmetry, 'operators'>): number =>
  Math.round(operators.reduce((t, o) => t + trace3(o.r), 0) / operators.length);

/** Averages a position over the operators that nearly keep it, so that rounded coordinates stand exactly on their element. */
export function snapToSymmetry(group: SpaceGroup, metric: readonly number[], x: Vec3, tolerance = 0.02): Vec3 {
  const { operators } = siteSymmetry(group, metric, x, tolerance);
  if (operators.length < 2) return x;
  const sum = [0, 0, 0];
  for (const o of operators)
    for (let i = 0; i < 3; i++)
      sum[i]! += (o.r[3 * i]! * x[0] + o.r[3 * i + 1]! * x[1] + o.r[3 * i + 2]! * x[2] + o.t[i]!) / operators.length;
  return toVec3(sum);
}

/** The allowed continuous origin shifts: directions left fixed by every rotation (polar axes), as coordinate indices 0–2 that may be held. */
export function polarDirections(g: SpaceGroup): Vec3[] {
  // Average of all rotations projects on the invariant vectors.
  const sum = new Array<number>(9).fill(0);
  for (const o of g.representatives) o.r.forEach((x, i) => (sum[i]! += x / g.representatives.length));
  const columns = [0, 1, 2]
    .map((j) => [sum[j]!, sum[3 + j]!, sum[6 + j]!] as number[])
    .filter((v) => v.some((x) => Math.abs(x) > 1e-6));
  const basis: number[][] = [];
  for (const v of columns) {
    const w = [...v];
    for (const b of basis) {
      const pivot = b.findIndex((x) => Math.abs(x) > 1e-6);
      const f = w[pivot]! / b[pivot]!;
      for (let i = 0; i < 3; i++) w[i]! -= f * b[i]!;
    }
    if (w.some((x) => Math.abs(x) > 1e-6)) basis.push(w);
  }
  return basis as unknown as Vec3[];
}
