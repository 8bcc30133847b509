/** Space groups ranked by absences, intensity statistics and how often molecular crystals choose them. */
import { determinant3, type Mat3, negative3 } from '../math/matrix3.ts';
import type { Cell } from '../crystal/cell.ts';
import { intrinsicTranslation, rotationAxis, rotationKey, rotationType, type Operator } from '../crystal/operator.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { groupOfSetting, SETTINGS, type Setting } from '../crystal/settings.ts';
import { allOperators, reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import {
  errorFunction,
  intensityReading,
  normalizedIntensities,
  type IntensityReading,
} from './intensity-statistics.ts';
import { mergeReflections } from './merge.ts';
import { detectCentring, type LatticeAnalysis } from './lattice-analysis.ts';

/** What a screw axis or glide plane forbids, and what was measured there. */
export interface ElementEvidence {
  /** "2₁ along b" or "c glide ⊥ b". */
  element: string;
  /** Reflections concerned in words: "0k0: k = 2n". */
  condition: string;
  reflections: number;
  meanIOverSigma: number;
  strongest?: { h: number; k: number; l: number; iOverSigma: number };
  /** Log-likelihood of absence against presence, capped per reflection. */
  support: number;
}

export interface RankedGroup {
  setting: Setting;
  number: number;
  symbol: string;
  hall: string;
  score: number;
  centric: boolean;
  /** Elements of this group that have absences, and what the data say of each. */
  elements: ElementEvidence[];
  /** Reflections forbidden by the group but clearly measured. */
  violations: number;
  absentCount: number;
  rInt: number;
}

export interface Ranking {
  groups: RankedGroup[];
  /** Every element any candidate could have. */
  elements: ElementEvidence[];
  statistics: IntensityReading;
}

/** Frequency of the types among molecular crystals in per cent, rounded (after Brock & Dunitz 1994, Chem. Mater. 6, 1118, and later surveys); others are rare. */
const FREQUENCY: Record<number, number> = {
  14: 34.6,
  2: 24.6,
  15: 8.4,
  19: 7.2,
  4: 5.2,
  61: 3.3,
  33: 1.4,
  62: 1.1,
  1: 1,
  9: 1,
  5: 0.85,
  60: 0.8,
  29: 0.7,
  148: 0.7,
  13: 0.65,
  12: 0.6,
  11: 0.55,
  88: 0.45,
  18: 0.4,
  7: 0.4,
  56: 0.35,
  43: 0.35,
  92: 0.2,
  96: 0.2,
  167: 0.2,
  147: 0.2,
  20: 0.2,
  86: 0.2,
  36: 0.15,
  76: 0.1,
  78: 0.1,
  144: 0.1,
  145: 0.1,
  152: 0.1,
  154: 0.1,
  161: 0.1,
  205: 0.1,
  169: 0.08,
  170: 0.08,
  146: 0.15,
  82: 0.15,
  114: 0.1,
  41: 0.1,
  45: 0.1,
  57: 0.1,
  58: 0.15,
  63: 0.1,
  64: 0.1,
  85: 0.1,
  173: 0.08,
  176: 0.08,
  198: 0.1,
  52: 0.08,
  54: 0.05,
  31: 0.1,
  87: 0.05,
  142: 0.05,
  110: 0.05,
};

const SUBSCRIPT = '₀₁₂₃₄₅₆';
const AXIS_NAMES: Record<string, string> = { '1,0,0': 'a', '0,1,0': 'b', '0,0,1': 'c' };
const directionName = (v: readonly number[]): string => AXIS_NAMES[v.join(',')] ?? `[${v.join(' ')}]`;

/** Name of a screw axis or glide plane, or undefined for an operator that forbids nothing. */
export function elementName(o: Operator): string | undefined {
  const type = rotationType(o.r);
  if (type < -2 || type === -1 || type === 1) return undefined;
  const w = intrinsicTranslation(o);
  if (w.every((x) => Math.abs(x - Math.round(x)) < 1e-6)) return undefined;
  const axis = rotationAxis(o.r);
  if (type > 0) {
    const along = w.findIndex((_, i) => axis[i] !== 0);
    let k = Math.round((w[along]! / axis[along]!) * type);
    // Clockwise rotations describe the same axis with the opposite sense.
    if (determinant3(o.r) > 0 && senseOf(o.r, axis) < 0) k = -k;
    k = ((k % type) + type) % type;
    return k ? `${type}${SUBSCRIPT[k]} along ${directionName(axis)}` : undefined;
  }
  const f = w.map((x) => x - Math.floor(x + 1e-9));
  const half = f.map((x) => Math.abs(x - 0.5) < 1e-6),
    nonzero = f.filter((x) => x > 1e-6 && x < 1 - 1e-6).length;
  const letter =
    nonzero === 1 && half.some(Boolean)
      ? 'abc'[half.indexOf(true)]!
      : f.some((x) => Math.abs(x - 0.25) < 1e-6 || Math.abs(x - 0.75) < 1e-6)
        ? 'd'
        : 'n';
  return `${letter} glide ⊥ ${directionName(axis)}`;
}

/** +1 when the rotation is counter-clockwise seen against its axis (judged on the lattice, right-handed axes). */
function senseOf(r: Mat3, axis: readonly number[]): number {
  const probe = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 1, 0],
  ].find((v) => v.some((_, i) => v[(i + 1) % 3]! * axis[(i + 2) % 3]! !== v[(i + 2) % 3]! * axis[(i + 1) % 3]!))!;
  const image = [0, 1, 2].map((i) => r[3 * i]! * probe[0]! + r[3 * i + 1]! * probe[1]! + r[3 * i + 2]! * probe[2]!);
  const det =
    axis[0]! * (probe[1]! * image[2]! - probe[2]! * image[1]!) -
    axis[1]! * (probe[0]! * image[2]! - probe[2]! * image[0]!) +
    axis[2]! * (probe[0]! * image[1]! - probe[1]! * image[0]!);
  return det < 0 ? -1 : 1;
}

/** Words for the reflections with h·R = h and what remains of them. */
export function conditionText(o: Operator): string {
  // Invariant indices: three generic triples are projected, and zero and shared entries read off.
  const type = rotationType(o.r),
    order = type > 0 ? type : 2;
  const project = (v: readonly number[]): number[] => {
    let x = [...v];
    const sum = [0, 0, 0];
    for (let k = 0; k < order; k++) {
      x.forEach((c, i) => (sum[i]! += c));
      x = [0, 1, 2].map((j) => x[0]! * o.r[j]! + x[1]! * o.r[3 + j]! + x[2]! * o.r[6 + j]!);
    }
    return sum.map((s) => s / order);
  };
  const samples = [
    [7, 11, 29],
    [13, -5, 3],
    [2, 17, -19],
  ].map(project);
  const parts = relatedIndices(samples);
  const w = intrinsicTranslation(o).map((x) => x - Math.floor(x + 1e-9));
  const denominator = [2, 3, 4, 6].find((d) => w.every((x) => Math.abs(x * d - Math.round(x * d)) < 1e-4)) ?? 12;
  const terms = new Map<string, number>();
  w.forEach((x, i) => {
    const { letter, factor } = parts[i]!;
    if (factor) terms.set(letter, (terms.get(letter) ?? 0) + Math.round(x * denominator) * factor);
  });
  const text = [...terms]
    .filter(([, c]) => c % denominator)
    .map(([k, c]) => (Math.abs(c % denominator) === 1 ? '' : Math.abs(c % denominator)) + k)
    .join(' + ');
  const names = parts.map(({ letter, factor }) =>
    factor ? `${factor < 0 ? '−' : ''}${Math.abs(factor) === 1 ? '' : Math.abs(factor)}${letter}` : '0',
  );
  return `${names.join(names.some((n) => n.length > 2) ? ' ' : '')}: ${text} = ${denominator}n`;
}

/** An index as a multiple of a letter; 0 where it vanishes. */
interface IndexPart {
  readonly letter: string;
  readonly factor: number;
}

/** How the indices of a class of reflections hang together, from examples of it: (h, h, l), (0, k, 0), (−2k, k, l). */
function relatedIndices(samples: readonly (readonly number[])[]): IndexPart[] {
  const parts: IndexPart[] = [];
  const ratio = (i: number, j: number): number | undefined => {
    const r = samples[0]![i]! / samples[0]![j]!;
    return samples.every((s) => Math.abs(s[i]! - r * s[j]!) < 1e-9) ? r : undefined;
  };
  ['h', 'k', 'l'].forEach((letter, i) => {
    if (samples.every((s) => Math.abs(s[i]!) < 1e-9)) return void parts.push({ letter, factor: 0 });
    for (let j = 0; j < i; j++) {
      const r = parts[j]!.factor ? ratio(i, j) : undefined;
      if (r === undefined) continue;
      // The smaller of the two has the letter, so that no index is a fraction of another.
      if (Math.abs(r) < 1 - 1e-9) {
        parts[j] = { letter, factor: Math.round(1 / r) };
        break;
      }
      return void parts.push({ letter: parts[j]!.letter, factor: Math.round(r) * parts[j]!.factor });
    }
    parts.push({ letter, factor: 1 });
  });
  return parts;
}

/** log[p(I | absent)/p(I | present)] for one reflection; Gaussian noise against an exponential law folded with noise. */
function absenceLogRatio(intensity: number, sigma: number, expected: number): number {
  const s = Math.hypot(sigma, 0.002 * expected),
    S = Math.max(expected, 0.05 * s);
  const absent = (Math.exp(-0.5 * (intensity / s) ** 2) / (s * Math.sqrt(2 * Math.PI))) * 0.99 + 0.01 / (6 * S + 6 * s);
  const x = (s / S - intensity / s) / Math.SQRT2;
  const tail = x > 5 ? Math.exp(-x * x) / (x * Math.sqrt(Math.PI)) : 1 - errorFunction(x);
  const present = (0.5 / S) * Math.exp(Math.min(600, (s * s) / (2 * S * S) - intensity / S)) * tail;
  return Math.max(-5, Math.min(3, Math.log(absent + 1e-300) - Math.log(present + 1e-300)));
}

/** Ranks every tabulated setting compatible with the lattice and the Laue symmetry of the (already conventional) data. */
export function rankSpaceGroups(
  raw: RawReflections,
  cell: Cell,
  lattice: Pick<LatticeAnalysis, 'agreements' | 'laueClass'> & { laueRotations: readonly Mat3[] },
): Ranking {
  const centring = detectCentring(raw);
  const allowed = new Set(lattice.laueRotations.map(rotationKey));
  const candidates = SETTINGS.filter((s) => {
    const g = groupOfSetting(s);
    return (
      g.centring.length === centring.vectors.length + 1 &&
      centring.vectors.every((v) => g.centring.some((c) => c.every((x, i) => Math.abs(x - v[i]!) < 1e-6))) &&
      g.representatives.every((o) => allowed.has(rotationKey(o.r)) || allowed.has(rotationKey(negative3(o.r))))
    );
  });
  const merged = new Map<
    string,
    { r: MergedReflections; rInt: number; e2: Float64Array; local: Float64Array; reading: IntensityReading }
  >();
  const laueData = (g: SpaceGroup): NonNullable<ReturnType<typeof merged.get>> => {
    const rotations = laueRotations(rotationsOf(g));
    const key = rotations.map(rotationKey).sort().join(';');
    let found = merged.get(key);
    if (!found) {
      const m = mergeReflections(raw, cell, rotations, { shells: 1 });
      const plain: SpaceGroup = {
        ...g,
        representatives: rotations.map((r) => ({ r, t: [0, 0, 0] as const })),
        centricAtOrigin: false,
        centric: true,
      };
      const e2 = normalizedIntensities(m.reflections, cell, plain);
      // The expected intensity of a reflection is what normalisation divided by.
      const local = Float64Array.from(e2, (e, i) => (e ? Math.abs(m.reflections.fsq[i]! / e) : 0));
      found = {
        r: m.reflections,
        rInt: m.statistics.rInt,
        e2,
        local,
        reading: intensityReading(m.reflections, e2, plain),
      };
      merged.set(key, found);
    }
    return found;
  };
  const evidence = new Map<string, ElementEvidence>();
  const evidenceFor = (o: Operator, g: SpaceGroup): ElementEvidence | undefined => {
    const name = elementName(o);
    if (!name) return undefined;
    const data = laueData(g);
    const key = `${name}|${data.r.count}|${conditionText(o)}`;
    let e = evidence.get(key);
    if (e) return e;
    e = { element: name, condition: conditionText(o), reflections: 0, meanIOverSigma: NaN, support: 0 };
    let snr = 0;
    for (let i = 0; i < data.r.count; i++) {
      const h = data.r.h[i]!,
        k = data.r.k[i]!,
        l = data.r.l[i]!;
      const p = h * o.r[0] + k * o.r[3] + l * o.r[6],
        q = h * o.r[1] + k * o.r[4] + l * o.r[7],
        s = h * o.r[2] + k * o.r[5] + l * o.r[8];
      if (p !== h || q !== k || s !== l) continue;
      const phase = h * o.t[0] + k * o.t[1] + l * o.t[2];
      if (Math.abs(phase - Math.round(phase)) < 1e-3 || data.e2[i] !== data.e2[i]) continue;
      const ratio = data.r.fsq[i]! / data.r.sigma[i]!;
      e.reflections++;
      snr += ratio;
      if (!e.strongest || ratio > e.strongest.iOverSigma) e.strongest = { h, k, l, iOverSigma: ratio };
      e.support += absenceLogRatio(data.r.fsq[i]!, data.r.sigma[i]!, data.local[i]!);
    }
    e.meanIOverSigma = e.reflections ? snr / e.reflections : NaN;
    evidence.set(key, e);
    return e;
  };
  const groups = candidates.map((setting): RankedGroup => {
    const g = groupOfSetting(setting);
    const data = laueData(g);
    let score = 0,
      absentCount = 0,
      violations = 0;
    for (let i = 0; i < data.r.count; i++) {
      if (data.e2[i] !== data.e2[i]) continue;
      const { absent } = reflectionSymmetry(g, data.r.h[i]!, data.r.k[i]!, data.r.l[i]!);
      if (!absent) continue;
      absentCount++;
      if (data.r.fsq[i]! > 5 * data.r.sigma[i]!) violations++;
      score += absenceLogRatio(data.r.fsq[i]!, data.r.sigma[i]!, data.local[i]!);
    }
    // In a lower Laue class the same observations make more unique reflections; they are evidence only once.
    score *= laueRotations(rotationsOf(g)).length / allowed.size;
    // A handful of chance absences must not outweigh everything; many agreeing ones should.
    const x = data.reading.meanE2Minus1;
    const centricEvidence = Math.max(-5, Math.min(5, ((x - 0.736) ** 2 - (x - 0.968) ** 2) / (2 * 0.09 ** 2)));
    score += g.centric ? centricEvidence / 2 : -centricEvidence / 2;
    score += Math.log(FREQUENCY[setting.number] ?? 0.02);
    // Fewer rotations than the data support: possible, but then the agreement would be chance.
    score -= 6 * Math.log2(allowed.size / laueRotations(rotationsOf(g)).length);
    const seen = new Set<string>();
    const elements = allOperators(g)
      .map((o) => evidenceFor(o, g))
      .filter(
        (e): e is ElementEvidence => !!e && !seen.has(e.element + e.condition) && !!seen.add(e.element + e.condition),
      );
    return {
      setting,
      number: setting.number,
      symbol: setting.symbol,
      hall: setting.hall,
      score,
      centric: g.centric,
      elements,
      violations,
      absentCount,
      rInt: data.rInt,
    };
  });
  // Of a type whose settings look alike to the data (origin choices), one is enough; enantiomorphic pairs both stay.
  const unique = new Map<string, RankedGroup>();
  for (const r of groups) {
    if (r.setting.code.startsWith('1') && r.setting.code !== '1' ? true : r.setting.code === '1') continue;
    unique.set(`${r.number}|${r.hall}`, r);
  }
  const ranked = [...unique.values()].sort((p, q) => q.score - p.score);
  const top = groupOfSetting(ranked[0]!.setting);
  const shown = new Map<string, ElementEvidence>();
  for (const e of [...(ranked[0]?.elements ?? []), ...evidence.values()])
    if (e.reflections && !shown.has(e.element)) shown.set(e.element, e);
  return { groups: ranked, elements: [...shown.values()], statistics: laueData(top).reading };
}
