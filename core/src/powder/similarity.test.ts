import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { patternSimilarity, type PatternLine } from './similarity.ts';

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
