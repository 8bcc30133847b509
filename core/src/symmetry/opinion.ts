/** What the intensities say of a change of symmetry, before any refinement: agreement of equivalents, new absences, statistics, superstructure. */
import type { Cell } from '../crystal/cell.ts';
import { inverseSpacing, reciprocalMetric } from '../crystal/cell.ts';
import { rotationsOf, laueClass, laueRotations } from '../crystal/point-group.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Operator } from '../crystal/operator.ts';
import { mergeReflections } from '../data/merge.ts';
import { intensityReading, normalizedIntensities } from '../data/intensity-statistics.ts';
import type { Vec3 } from '../math/matrix3.ts';

export interface Opinion {
  readonly laueNow: string;
  readonly laueThen: string;
  readonly rIntNow: number;
  readonly rIntThen: number;
  /** Observations the new group alone forbids, their mean I/σ, and how many stand above 5σ. */
  readonly absent: number;
  readonly absentSnr: number;
  readonly violations: number;
  readonly meanE2Minus1: number;
  /** "for", "against" or "silent". */
  readonly verdict: 'for' | 'against' | 'silent';
  readonly words: string;
}

const percent = (x: number): string => `${(100 * x).toFixed(1)} %`;

/** Groups and data in the same axes; `then` may stand about any origin. */
export function opinionOfData(
  raw: RawReflections,
  cell: Cell,
  now: SpaceGroup,
  thenOperators: readonly Operator[],
): Opinion {
  // Absences do not depend on the origin, and rounded translations keep the keys of the closure clean.
  const rotations = new Map(thenOperators.map((o) => [o.r.join(), o.r]));
  const laueThenRotations = laueRotations([...rotations.values()]);
  // Outliers stay in: under a wrong symmetry every equivalent is one.
  const whole = { shells: 1, rejectAbove: Infinity };
  const laue = (g: SpaceGroup) => mergeReflections(raw, cell, laueRotations(rotationsOf(g)), whole);
  const one = laue(now),
    two = mergeReflections(raw, cell, laueThenRotations, whole);
  const forbids = (operators: readonly Operator[], h: number, k: number, l: number): boolean =>
    operators.some(({ r, t }) => {
      const p = h * r[0] + k * r[3] + l * r[6],
        q = h * r[1] + k * r[4] + l * r[7],
        s = h * r[2] + k * r[5] + l * r[8];
      const phase = h * t[0] + k * t[1] + l * t[2];
      return p === h && q === k && s === l && Math.abs(phase - Math.round(phase)) > 0.05;
    });
  const nowOperators = now.centring.flatMap((c) =>
    now.representatives.map((o) => ({ r: o.r, t: [o.t[0] + c[0], o.t[1] + c[1], o.t[2] + c[2]] as Vec3 })),
  );
  let absent = 0,
    snr = 0,
    violations = 0;
  const m = two.reflections;
  for (let i = 0; i < m.count; i++) {
    if (!forbids(thenOperators, m.h[i]!, m.k[i]!, m.l[i]!) || forbids(nowOperators, m.h[i]!, m.k[i]!, m.l[i]!))
      continue;
    absent++;
    snr += m.fsq[i]! / m.sigma[i]!;
    if (m.fsq[i]! > 5 * m.sigma[i]!) violations++;
  }
  const reading = intensityReading(one.reflections, normalizedIntensities(one.reflections, cell, now), now);
  const [rNow, rThen] = [one.statistics.rInt, two.statistics.rInt];
  const higher = laueThenRotations.length > laueRotations(rotationsOf(now)).length;
  const agrees = !higher || rThen < Math.max(1.6 * rNow, rNow + 0.03) || !Number.isFinite(rNow);
  const absentAgrees = absent < 4 || snr / absent < 2.5;
  const shows = (higher && agrees) || (absent >= 4 && absentAgrees);
  const verdict = !agrees || !absentAgrees ? 'against' : shows ? 'for' : 'silent';
  const centricWord =
    Math.abs(reading.meanE2Minus1 - 0.968) < Math.abs(reading.meanE2Minus1 - 0.736)
      ? 'nearer to centric'
      : 'nearer to acentric';
  const words = [
    higher
      ? `R_int ${percent(rThen)} in the higher Laue class against ${percent(rNow)} now`
      : 'the Laue class stays the same',
    absent
      ? `${absent} reflections it would forbid have a mean I/σ of ${(snr / absent).toFixed(1)}${violations ? `, ${violations} of them above 5` : ''}`
      : 'no reflections more are forbidden',
    `⟨|E²−1|⟩ ${reading.meanE2Minus1.toFixed(3)}, ${centricWord}`,
  ].join('; ');
  return {
    laueNow: laueClass(now),
    laueThen: laueClass(spaceGroupFromOperators([...rotations.values()].map((r): Operator => ({ r, t: [0, 0, 0] })))),
    rIntNow: rNow,
    rIntThen: rThen,
    absent,
    absentSnr: absent ? snr / absent : NaN,
    violations,
    meanE2Minus1: reading.meanE2Minus1,
    verdict,
    words,
  };
}

export interface Superstructure {
  /** Translation that nearly repeats the structure, fractional. */
  readonly translation: Vec3;
  readonly words: string;
  /** Mean intensity of the reflections it would forbid against the others. */
  readonly ratio: number;
  readonly reflections: number;
}

const TRANSLATIONS: Vec3[] = (() => {
  const out: Vec3[] = [];
  for (const d of [2, 3])
    for (let i = 0; i < d; i++)
      for (let j = 0; j < d; j++)
        for (let k = 0; k < d; k++) {
          const t: Vec3 = [i / d, j / d, k / d];
          if (!i && !j && !k) continue;
          // Of a translation and its opposite one is enough.
          if (out.some((o) => o.every((x, q) => Math.abs((x + t[q]!) % 1) < 1e-9))) continue;
          out.push(t);
        }
  return out;
})();

const fraction = (x: number): string =>
  ({ '0': '0', '0.5': '½', '0.3333': '⅓', '0.6667': '⅔' })[String(Number(x.toFixed(4)))] ?? x.toFixed(3);

/** Weak classes of reflections: a translation by halves or thirds of the axes that the intensities nearly obey. Resolution is divided out in shells. */
export function findSuperstructure(raw: RawReflections, cell: Cell, group: SpaceGroup, below = 0.4): Superstructure[] {
  const m = mergeReflections(raw, cell, laueRotations(rotationsOf(group)), { shells: 1 }).reflections;
  const g = reciprocalMetric(cell);
  const shells = 12;
  const inv = Float64Array.from(m.h, (h, i) => inverseSpacing(g, h, m.k[i]!, m.l[i]!));
  let top = 0;
  for (const x of inv) top = Math.max(top, x);
  const shell = Int32Array.from(inv, (x) => Math.min(shells - 1, Math.floor(shells * (x / top) ** 3)));
  const sum = new Float64Array(shells),
    n = new Float64Array(shells);
  for (let i = 0; i < m.count; i++) {
    sum[shell[i]!]! += m.fsq[i]!;
    n[shell[i]!]!++;
  }
  const out: Superstructure[] = [];
  for (const t of TRANSLATIONS) {
    if (group.centring.some((c) => c.every((x, i) => Math.abs(x - t[i]! - Math.round(x - t[i]!)) < 1e-6))) continue;
    let weak = 0,
      nWeak = 0,
      strong = 0,
      nStrong = 0;
    for (let i = 0; i < m.count; i++) {
      const mean = sum[shell[i]!]! / n[shell[i]!]!;
      if (!(mean > 0)) continue;
      const phase = m.h[i]! * t[0] + m.k[i]! * t[1] + m.l[i]! * t[2];
      if (Math.abs(phase - Math.round(phase)) > 0.01) {
        weak += m.fsq[i]! / mean;
        nWeak++;
      } else {
        strong += m.fsq[i]! / mean;
        nStrong++;
      }
    }
    if (nWeak < 30 || nStrong < 30) continue;
    const ratio = weak / nWeak / (strong / nStrong);
    if (ratio > below) continue;
    out.push({
      translation: t,
      ratio,
      reflections: nWeak,
      words: `reflections with ${t
        .map((x, i) => (x ? `${fraction(x)}${'hkl'[i]}` : ''))
        .filter(Boolean)
        .join(
          ' + ',
        )} not whole have ${(100 * ratio).toFixed(0)} % of the mean intensity of the others: the structure nearly repeats after (${t.map(fraction).join(', ')})`,
    });
  }
  return out.sort((p, q) => p.ratio - q.ratio);
}
