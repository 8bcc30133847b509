import { describe, expect, it } from 'vitest';
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { rotationsOf, laueRotations } from '../crystal/point-group.ts';
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { seededRandom } from '../math/random.ts';
import {
  canonicalIndex,
  countPossible,
  flatRotations,
  IndexNumbering,
  mergeReflections,
  unpackIndex,
} from './merge.ts';

const CELL: Cell = { a: 7, b: 8, c: 9, alpha: 90, beta: 90, gamma: 90 };
const KINDS: readonly (readonly [symbol: string, cell: Cell])[] = [
  ['P -1', { ...CELL, alpha: 83, beta: 97, gamma: 104 }],
  ['P 1 2/m 1', { ...CELL, beta: 104 }],
  ['P m m m', CELL],
  ['P 2 2 2', CELL],
  ['P 4/m', { ...CELL, b: 7 }],
  ['P 4 2 2', { ...CELL, b: 7 }],
  ['P -3', { ...CELL, b: 7, gamma: 120 }],
  ['P m -3 m', { ...CELL, b: 7, c: 7 }],
];
const lists = KINDS.map(([symbol, cell]) => ({ symbol, cell, rotations: rotationsOf(spaceGroupFromSymbol(symbol)) }));

/** Equivalents of an index by the definition h′ = h R. */
function equivalents(
  rotations: readonly (readonly number[])[],
  [h, k, l]: readonly [number, number, number],
): string[] {
  const all = rotations.map((r) => [0, 1, 2].map((j) => h * r[j]! + k * r[3 + j]! + l * r[6 + j]! + 0).join(' '));
  return [...new Set(all)];
}

describe('the representative of equivalent indices', () => {
  it.each(lists)('$symbol: is one for all of them, and one of them', ({ rotations }) => {
    const { next } = seededRandom(3);
    const flat = flatRotations(rotations);
    for (let n = 0; n < 60; n++) {
      const hkl = [next(), next(), next()].map((x) => Math.round(30 * x - 15)) as [number, number, number];
      const all = equivalents(rotations, hkl);
      const keys = new Set(
        all.map((t) => canonicalIndex(flat, ...(t.split(' ').map(Number) as [number, number, number]))),
      );
      expect(keys.size).toBe(1);
      expect(all).toContain(
        unpackIndex([...keys][0]!)
          .map((x) => x + 0)
          .join(' '),
      );
    }
  });

  it('are numbered in the order they first appear, however many', () => {
    const { below } = seededRandom(5);
    const flat = flatRotations([[1, 0, 0, 0, 1, 0, 0, 0, 1]]);
    const numbering = new IndexNumbering(5000);
    const known = new Map<number, number>();
    for (let n = 0; n < 5000; n++) {
      const key = canonicalIndex(flat, below(21) - 10, below(21) - 10, below(21) - 10);
      if (!known.has(key)) known.set(key, known.size);
      expect(numbering.enter(key)).toBe(known.get(key));
    }
    expect(numbering.count).toBe(known.size);
    expect(numbering.find(canonicalIndex(flat, 200, 0, 0))).toBe(-1);
    for (const [key, n] of known) expect(numbering.find(key)).toBe(n);
  });
});

describe('what is possible within a sphere', () => {
  it.each(lists)('$symbol: as many as a plain enumeration finds, shell by shell', ({ cell, rotations }) => {
    const laue = laueRotations(rotations);
    const g = reciprocalMetric(cell);
    const bounds = [0, 0.35, 0.5, 0.6];
    const found = bounds.slice(1).map(() => new Set<string>());
    for (let h = -6; h <= 6; h++)
      for (let k = -6; k <= 6; k++)
        for (let l = -6; l <= 6; l++) {
          const d = inverseSpacing(g, h, k, l);
          if (!d || d > 0.6) continue;
          const shell = bounds.findIndex((b, i) => d > b && d <= bounds[i + 1]!);
          found[shell]!.add(equivalents(laue, [h, k, l]).sort()[0]!);
        }
    expect(countPossible(cell, flatRotations(laue), bounds)).toEqual(found.map((s) => s.size));
  });

  it('leaves out what is absent', () => {
    const laue = laueRotations(lists[0]!.rotations);
    const all = countPossible(CELL, flatRotations(laue), [0, 0.6])[0]!;
    const body = countPossible(CELL, flatRotations(laue), [0, 0.6], (h, k, l) => (h + k + l) % 2 !== 0)[0]!;
    expect(body / all).toBeGreaterThan(0.44);
    expect(body / all).toBeLessThan(0.56);
  });
});

/** Observations of planted intensities with their own errors. */
function observed(times: number, spread: number): { raw: RawReflections; truth: Map<string, number> } {
  const { next, normal } = seededRandom(17);
  const rotations = rotationsOf(spaceGroupFromSymbol('P m m m'));
  const flat = flatRotations(rotations);
  const truth = new Map<string, number>();
  const out = new RawBuilder();
  for (let h = 0; h <= 4; h++)
    for (let k = 0; k <= 4; k++)
      for (let l = 1; l <= 4; l++) {
        const value = 50 + 950 * next();
        truth.set(unpackIndex(canonicalIndex(flat, h, k, l)).join(' '), value);
        for (let n = 0; n < times; n++) {
          const [s, t, u] = [1, 1, 1].map(() => (next() < 0.5 ? -1 : 1));
          const sigma = spread * (0.5 + next());
          out.push(s! * h, t! * k, u! * l, value + sigma * normal(), sigma);
        }
      }
  return { raw: out.build(false), truth };
}

describe('merged observations', () => {
  const rotations = rotationsOf(spaceGroupFromSymbol('P m m m'));

  it('are the weighted means of their sets, as a plain sum says', () => {
    const { raw } = observed(6, 3);
    const flat = flatRotations(rotations);
    const sums = new Map<number, [w: number, wi: number, n: number]>();
    for (let i = 0; i < raw.count; i++) {
      const key = canonicalIndex(flat, raw.h[i]!, raw.k[i]!, raw.l[i]!);
      const s = sums.get(key) ?? [0, 0, 0];
      const w = 1 / raw.sigma[i]! ** 2;
      sums.set(key, [s[0] + w, s[1] + w * raw.intensity[i]!, s[2] + 1]);
    }
    const { reflections: r, statistics } = mergeReflections(raw, CELL, rotations, { rejectAbove: 1e9 });
    expect(r.count).toBe(sums.size);
    expect(statistics).toMatchObject({ measured: raw.count, unique: sums.size, rejected: 0, redundancy: 6 });
    for (let i = 0; i < r.count; i++) {
      const [w, wi, n] = sums.get(canonicalIndex(flat, r.h[i]!, r.k[i]!, r.l[i]!))!;
      expect(r.fsq[i]).toBeCloseTo(wi / w, 8);
      expect(r.multiplicity[i]).toBe(n);
      expect(r.sigma[i]! * (1 + 1e-9)).toBeGreaterThanOrEqual(1 / Math.sqrt(w));
    }
  });

  it('scatter about the truth as their s.u. say', () => {
    const { raw, truth } = observed(8, 3);
    const { reflections: r } = mergeReflections(raw, CELL, rotations);
    let chi = 0;
    for (let i = 0; i < r.count; i++)
      chi += ((r.fsq[i]! - truth.get(`${r.h[i]} ${r.k[i]} ${r.l[i]}`)!) / r.sigma[i]!) ** 2 / r.count;
    // The merged s.u. is the larger of two estimates, so the scatter is at most what it says.
    expect(chi).toBeGreaterThan(0.4);
    expect(chi).toBeLessThan(1.3);
  });

  it('agree better the smaller their errors, and R_meas is larger than R_int', () => {
    const [fine, coarse] = [0.5, 20].map((s) => mergeReflections(observed(4, s).raw, CELL, rotations).statistics);
    expect(fine!.rInt).toBeLessThan(0.01);
    expect(coarse!.rInt).toBeGreaterThan(5 * fine!.rInt);
    for (const s of [fine!, coarse!]) {
      expect(s.rMeas).toBeGreaterThan(s.rInt);
      expect(s.ccHalf).toBeGreaterThan(0.9);
    }
    expect(fine!.ccHalf).toBeGreaterThan(coarse!.ccHalf);
  });
});
