/** Centring, lattice symmetry and Laue symmetry of a raw data set in the cell it came in, and the way to the conventional cell. */
import { determinant3, IDENTITY3, inverse3, multiply3, type Mat3, type Vec3, toMat3 } from '../math/matrix3.ts';
import { transformCell, type Cell } from '../crystal/cell.ts';
import { LATTICE_TRANSLATIONS } from '../crystal/hall.ts';
import { identifyGroup } from '../crystal/identify.ts';
import { metricSymmetry } from '../crystal/lattice.ts';
import { closeRotations, crystalClass, laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { rotationKey } from '../crystal/operator.ts';
import { groupOfSetting, SETTINGS } from '../crystal/settings.ts';
import { spaceGroupFromOperators } from '../crystal/space-group.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { canonicalIndex, flatRotations, IndexNumbering, mergeReflections } from './merge.ts';

const INVERSION: Mat3 = [-1, 0, 0, 0, -1, 0, 0, 0, -1];

const LATTICES: [string, readonly Vec3[]][] = [
  ...(['F', 'A', 'B', 'C', 'I', 'R'] as const).map((s): [string, readonly Vec3[]] => [s, LATTICE_TRANSLATIONS[s]!]),
  [
    'R reverse',
    [
      [1 / 3, 2 / 3, 1 / 3],
      [2 / 3, 1 / 3, 2 / 3],
    ],
  ],
];

export interface CentringEvidence {
  symbol: string;
  /** Observations the centring forbids. */
  reflections: number;
  meanIOverSigma: number;
}

/** Of reflections that are absent, the share that may stand above three s.u. once their equivalents are averaged. */
const MEASURED_OF_ABSENT = 0.25;

/** Averages of observations whose indices differ in signs alone: what is absent stays at nothing, however alike the others are. */
class AveragesBySign {
  private readonly group: Int32Array;
  private readonly groups: number;

  constructor(private readonly raw: RawReflections) {
    const known = new Map<number, number>();
    this.group = Int32Array.from({ length: raw.count }, (_, i) => {
      const key = (Math.abs(raw.h[i]!) * 1024 + Math.abs(raw.k[i]!)) * 1024 + Math.abs(raw.l[i]!);
      let n = known.get(key);
      if (n === undefined) known.set(key, (n = known.size));
      return n;
    });
    this.groups = known.size;
  }

  /** Share of the averages of some observations that stand above three s.u. */
  shareMeasured(observations: readonly number[]): number {
    const weight = new Float64Array(this.groups),
      sum = new Float64Array(this.groups);
    for (const i of observations) {
      const w = 1 / this.raw.sigma[i]! ** 2;
      weight[this.group[i]!]! += w;
      sum[this.group[i]!]! += w * this.raw.intensity[i]!;
    }
    let groups = 0,
      measured = 0;
    for (let g = 0; g < this.groups; g++) {
      if (!weight[g]) continue;
      groups++;
      if (sum[g]! > 3 * Math.sqrt(weight[g]!)) measured++;
    }
    return groups ? measured / groups : 0;
  }
}

/** Centring of the lattice from the observations each type forbids; P when none is weak enough. */
export function detectCentring(raw: RawReflections): {
  symbol: string;
  vectors: readonly Vec3[];
  evidence: CentringEvidence[];
} {
  let all = 0;
  for (let i = 0; i < raw.count; i++) all += raw.intensity[i]!;
  all /= Math.max(1, raw.count);
  const averages = new AveragesBySign(raw);
  const evidence: CentringEvidence[] = [];
  let best: [string, readonly Vec3[]] = ['P', []];
  for (const [symbol, vectors] of LATTICES) {
    const isOdd = (i: number): boolean =>
      vectors.some((v) => {
        const phase = raw.h[i]! * v[0] + raw.k[i]! * v[1] + raw.l[i]! * v[2];
        return Math.abs(Math.round(phase) - phase) > 0.01;
      });
    let n = 0,
      snr = 0,
      sum = 0;
    const odd: number[] = [];
    for (let i = 0; i < raw.count; i++) {
      if (!isOdd(i)) continue;
      odd.push(i);
      n++;
      snr += raw.intensity[i]! / raw.sigma[i]!;
      sum += raw.intensity[i]!;
    }
    evidence.push({ symbol, reflections: n, meanIOverSigma: n ? snr / n : NaN });
    // A file may simply omit what the centring forbids; then nothing forbidden is measured at all.
    const weak =
      n < 0.002 * raw.count ||
      (snr / n < 1.2 && sum / n < 0.03 * all && averages.shareMeasured(odd) < MEASURED_OF_ABSENT);
    if (weak && best[0] === 'P') best = [symbol, vectors];
  }
  return { symbol: best[0], vectors: best[1], evidence };
}

export interface RotationAgreement {
  rotation: Mat3;
  /** Σ|I₁−I₂|/Σ(I₁+I₂) over pairs related by this rotation and nothing lower; about 0.5 when unrelated. */
  r: number;
  expected: number;
  pairs: number;
  accepted: boolean;
}

export interface LatticeAnalysis {
  centring: string;
  centringEvidence: CentringEvidence[];
  /** Largest angular deviation of a lattice two-fold, degrees. */
  metricDeviation: number;
  latticeClass: string;
  laueClass: string;
  agreements: RotationAgreement[];
  /** Rotations of the accepted Laue group in the given basis. */
  laue: Mat3[];
  /** Columns: conventional axes in terms of the given ones (identity when the given cell serves). */
  p: Mat3;
  cell: Cell;
  changed: boolean;
  reducedCell: Cell;
}

/**
 * Degrees that a two-fold of the lattice may be off: more than the error of a cell found without constraints (a tenth
 * as a rule), less than a distortion that intensities hardly show (a and c differing by 1 % make 0.57).
 */
const CELL_ERROR = 0.4;

/** Works out centring, metric symmetry, Laue symmetry by agreement of equivalents, and the conventional cell. */
export function analyseLattice(raw: RawReflections, cell: Cell): LatticeAnalysis {
  const centring = detectCentring(raw);
  const metric = metricSymmetry(cell, centring.vectors, CELL_ERROR);
  const integral = metric.rotations.filter((r) => r.every(Number.isInteger));
  const friedel = mergeReflections(raw, cell, [IDENTITY3, INVERSION], { shells: 1 }).reflections;
  const flat = flatRotations([IDENTITY3, INVERSION]);
  const numbering = new IndexNumbering(friedel.count);
  for (let i = 0; i < friedel.count; i++)
    numbering.enter(canonicalIndex(flat, friedel.h[i]!, friedel.k[i]!, friedel.l[i]!));
  // Non-integral rotations (possible when the given cell hides the symmetry) are compared where they map indices to whole ones.
  const proper = metric.rotations.filter(
    (r) => Math.abs(determinant3(r) - 1) < 1e-6 && rotationKey(r) !== rotationKey(IDENTITY3),
  );
  const agreements = proper.map((rotation) => {
    let difference = 0,
      total = 0,
      expected = 0,
      pairs = 0;
    for (let i = 0; i < friedel.count; i++) {
      const h = friedel.h[i]!,
        k = friedel.k[i]!,
        l = friedel.l[i]!;
      const image = [0, 1, 2].map((j) => h * rotation[j]! + k * rotation[3 + j]! + l * rotation[6 + j]!);
      const p = Math.round(image[0]!),
        q = Math.round(image[1]!),
        s = Math.round(image[2]!);
      if (Math.abs(p - image[0]!) + Math.abs(q - image[1]!) + Math.abs(s - image[2]!) > 1e-3) continue;
      const j = numbering.find(canonicalIndex(flat, p, q, s));
      if (j < 0 || j === i) continue;
      const a = friedel.fsq[i]!,
        b = friedel.fsq[j]!;
      difference += Math.abs(a - b);
      total += Math.max(0, a) + Math.max(0, b);
      expected += 0.8 * Math.hypot(friedel.sigma[i]!, friedel.sigma[j]!);
      pairs++;
    }
    const r = pairs ? difference / total : NaN;
    const noise = pairs ? expected / total : NaN;
    // In a list merged by the true symmetry no two equivalents are left to compare: then the metric alone speaks.
    const silent = pairs < Math.max(3, 0.02 * friedel.count);
    return {
      rotation,
      r,
      expected: noise,
      pairs,
      accepted: silent || r < Math.min(0.35, Math.max(0.12, 2.5 * noise + 0.05)),
    };
  });
  const kept = agreements.filter((a) => a.accepted).sort((a, b) => (a.r || 0) - (b.r || 0));
  let laue: Mat3[] = closeRotationsSafely([]);
  for (const a of kept) {
    const trial = closeRotationsSafely([...laue, a.rotation]);
    // A product of accepted rotations must itself agree.
    const sound = trial.every((r) => agreements.every((x) => rotationKey(x.rotation) !== rotationKey(r) || x.accepted));
    if (trial.length && sound) laue = trial;
  }
  const whole = laue.every((r) => r.every(Number.isInteger));
  const serves =
    whole &&
    SETTINGS.some((s) => {
      const g = groupOfSetting(s);
      if (g.centring.length !== centring.vectors.length + 1) return false;
      if (!centring.vectors.every((v) => g.centring.some((c) => c.every((x, i) => Math.abs(x - v[i]!) < 1e-6))))
        return false;
      const mine = new Set(laueRotations(rotationsOf(g)).map(rotationKey));
      return mine.size === laue.length && laue.every((r) => mine.has(rotationKey(r)));
    });
  let p: Mat3 = IDENTITY3;
  if (!serves) {
    // In the reduced basis all rotations are integral; the symmorphic group on the lattice shows the conventional axes.
    const b = metric.toReduced,
      q = inverse3(b);
    const reduced = laue.map((r) => toMat3(multiply3(q, multiply3(r, b)).map((x) => Math.round(x) + 0)));
    const found = identifyGroup(spaceGroupFromOperators(reduced.map((r) => ({ r, t: [0, 0, 0] as Vec3 }))));
    p = toMat3(multiply3(b, found.p).map((x) => (Math.abs(x - Math.round(x)) < 1e-6 ? Math.round(x) + 0 : x)));
  }
  return {
    centring: centring.symbol,
    centringEvidence: centring.evidence,
    metricDeviation: metric.deviation,
    latticeClass: crystalClass(integral.length === metric.rotations.length ? integral : metric.rotations),
    laueClass: crystalClass(laue),
    agreements,
    laue,
    p,
    cell: transformCell(cell, p),
    changed: !serves,
    reducedCell: transformCell(cell, metric.toReduced),
  };
}

function closeRotationsSafely(rotations: readonly Mat3[]): Mat3[] {
  const tidy = rotations.map((r) => toMat3(r.map((x) => (Math.abs(x - Math.round(x)) < 1e-6 ? Math.round(x) + 0 : x))));
  return closeRotations([INVERSION, ...tidy]);
}
