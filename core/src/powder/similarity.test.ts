import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { expectedPattern } from './expected.ts';
import { measuredLines, patternSimilarity, similarityToMeasured, type PatternLine } from './similarity.ts';

const random = seededRandom(6);
const lines = (count: number): PatternLine[] =>
  Array.from({ length: count }, () => ({ twoTheta: 5 + 45 * random.next(), intensity: random.next() }));
const shifted = (list: readonly PatternLine[], by: number): PatternLine[] =>
  list.map((l) => ({ ...l, twoTheta: l.twoTheta + by }));

describe('similarity of patterns', () => {
  it('is one for the same pattern on any scale, nought where nothing meets', () => {
    const a = lines(40);
    expect(patternSimilarity(a, a.map((l) => ({ ...l, intensity: 7 * l.intensity })))).toBeCloseTo(1, 12); // prettier-ignore
    expect(patternSimilarity([{ twoTheta: 10, intensity: 1 }], [{ twoTheta: 20, intensity: 1 }])).toBe(0);
    expect(patternSimilarity(a, [])).toBe(0);
  });

  it('falls along a triangle as one line moves away', () => {
    const line = [{ twoTheta: 10, intensity: 3 }];
    for (const by of [0, 0.25, 0.5, 0.9, 1.2])
      expect(patternSimilarity(line, shifted(line, by))).toBeCloseTo(Math.max(0, 1 - by), 9);
  });

  it('agrees with the sum over all pairs, whichever comes first', () => {
    const [a, b] = [lines(30), lines(50)];
    const sum = (p: readonly PatternLine[], q: readonly PatternLine[]): number =>
      p.reduce((s, x) => s + q.reduce((t, y) => t + x.intensity * y.intensity * Math.max(0, 1 - Math.abs(x.twoTheta - y.twoTheta)), 0), 0); // prettier-ignore
    expect(patternSimilarity(a, b)).toBeCloseTo(sum(a, b) / Math.sqrt(sum(a, a) * sum(b, b)), 10);
    expect(patternSimilarity(b, a)).toBeCloseTo(patternSimilarity(a, b), 12);
    expect(patternSimilarity(a, shifted(a, 0.1))).toBeGreaterThan(0.85);
  });
});

describe('a measured pattern', () => {
  const rutile = textbook('P 42/m n m', 4.594, 2.959, [['Ti', 0, 0, 0], ['O', 0.305, 0.305, 0]]); // prettier-ignore
  const zincite = textbook('P 63 m c', 3.25, 5.207, [['Zn', 1 / 3, 2 / 3, 0], ['O', 1 / 3, 2 / 3, 0.382]]); // prettier-ignore
  const range = { wavelength: 1.5406, from: 20, to: 80, width: 0.15 };

  /** Counts over a sloping background. */
  const measured = (seed: number): Pattern => {
    const noise = seededRandom(seed);
    const { curve } = expectedPattern(rutile, range);
    const twoTheta = Float64Array.from(curve.values, (_, i) => curve.from + i * curve.step);
    const clean = Float64Array.from(curve.values, (y, i) => 40 * y + 900 - 6 * twoTheta[i]!);
    const intensity = clean.map((y) => y + Math.sqrt(y) * noise.normal());
    return { name: 'x', twoTheta, intensity, sigma: clean.map(Math.sqrt), sigmaFrom: 'counts' };
  };

  it('is like the structure that made it, less like another', () => {
    for (const seed of [1, 2]) {
      const points = measuredLines(measured(seed));
      const own = similarityToMeasured(expectedPattern(rutile, range).lines, points);
      const other = similarityToMeasured(expectedPattern(zincite, range).lines, points);
      expect(own).toBeGreaterThan(0.93);
      expect(other).toBeLessThan(0.7);
    }
  });

  it('keeps its range, and nothing is like no pattern', () => {
    const points = measuredLines(measured(3));
    expect(points[0]!.twoTheta).toBeGreaterThanOrEqual(20);
    expect(points.length).toBeLessThanOrEqual(8000);
    expect(similarityToMeasured([], points)).toBe(0);
    expect(similarityToMeasured([{ twoTheta: 30, intensity: 1 }], [])).toBe(0);
  });
});
