import { describe, expect, it } from 'vitest';
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { RawBuilder, type MergedReflections, type RawReflections } from '../crystal/reflections.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { seededRandom } from '../math/random.ts';
import { canonicalIndex, flatRotations } from './merge.ts';
import { anisotropy, compareSets, findRings, joinSets, withoutRings } from './diagnostics.ts';

const CELL: Cell = { a: 9, b: 11, c: 13, alpha: 90, beta: 101, gamma: 90 };
const G = reciprocalMetric(CELL);
const ROTATIONS = rotationsOf(spaceGroupFromSymbol('P 1 2/m 1'));

/** Every index of the half sphere (or of the whole) to 0.8 Å with an exponential (Wilson) intensity, changed as a test wishes. */
function measured(
  seed: number,
  change: (value: number, hkl: readonly [number, number, number], d: number) => number = (v) => v,
  both = false,
): RawReflections {
  const { next, normal } = seededRandom(seed);
  const flat = flatRotations(ROTATIONS);
  const known = new Map<number, number>();
  const out = new RawBuilder();
  for (let l = 0; l <= 16; l++)
    for (let k = -13; k <= 13; k++)
      for (let h = -11; h <= 11; h++) {
        const s = inverseSpacing(G, h, k, l);
        if (!s || s > 1.25) continue;
        const key = canonicalIndex(flat, h, k, l);
        // Equivalents have one intensity.
        const value = known.get(key) ?? -400 * Math.exp(-2 * s * s) * Math.log(1 - next());
        known.set(key, value);
        for (const sign of both ? [1, -1] : [1]) {
          const seen = change(value, [sign * h, sign * k, sign * l], 1 / s);
          const sigma = 1 + Math.sqrt(Math.max(seen, 1)) * 0.3;
          out.push(sign * h, sign * k, sign * l, seen + sigma * normal(), sigma);
        }
      }
  return out.build(false);
}
const merged = (raw: RawReflections): MergedReflections => ({
  count: raw.count,
  h: raw.h,
  k: raw.k,
  l: raw.l,
  fsq: raw.intensity,
  sigma: raw.sigma,
  multiplicity: new Uint16Array(raw.count).fill(1),
});

describe('strength by direction', () => {
  it('of an even crystal has no spread beyond its s.u.', () => {
    const even = anisotropy(merged(measured(1)), CELL);
    expect(Math.abs(even.spread)).toBeLessThan(4 * even.su);
  });

  it('finds a planted fall-off along c*', () => {
    // The part of a reflection across a and b is small where it is steep along c*.
    const weak = anisotropy(
      merged(
        measured(2, (v, [, , l], d) => {
          const along = inverseSpacing(G, 0, 0, l);
          return v * Math.exp((-6 * (along * along - 1 / (3 * d * d))) / 2);
        }),
      ),
      CELL,
    );
    expect(weak.spread).toBeGreaterThan(5 * weak.su);
    expect(weak.spread).toBeGreaterThan(2);
    const [, , worst] = weak.directions;
    expect(worst!.meanIOverSigma).toBeLessThan(Math.min(...weak.directions.slice(0, 2).map((x) => x.meanIOverSigma)));
  });
});

describe('rings', () => {
  const at = 1.92;
  const ringed = measured(3, (v, [h, k], d) => (Math.abs(d - at) < 0.03 && h > 0 && k > 0 ? v + 900 : v), true);

  it('are found at their spacing where they lift intensities, and nowhere else', () => {
    const found = findRings(ringed, CELL, ROTATIONS);
    expect(found.length).toBeGreaterThan(0);
    expect(Math.abs(found[0]!.d - at)).toBeLessThan(0.06);
    expect(findRings(measured(3, undefined, true), CELL, ROTATIONS)).toEqual([]);
  });

  it('leave with every observation in them, and no other', () => {
    const width = 0.08;
    const left = withoutRings(ringed, CELL, [{ d: at, width }]);
    const inside = (raw: RawReflections): number =>
      Array.from(raw.h, (h, i) => 1 / inverseSpacing(G, h, raw.k[i]!, raw.l[i]!)).filter(
        (d) => Math.abs(d - at) < 0.75 * width,
      ).length;
    expect(inside(left)).toBe(0);
    expect(left.count).toBe(ringed.count - inside(ringed));
    expect(inside(ringed)).toBeGreaterThan(10);
  });
});

describe('two data sets', () => {
  const one = measured(4),
    scaled = { ...one, intensity: one.intensity.map((x) => x / 2.5), sigma: one.sigma.map((x) => x / 2.5) };

  it('that differ by a scale agree perfectly after it', () => {
    const c = compareSets(merged(one), merged(scaled));
    expect(c.common).toBe(one.count);
    expect(c.scale).toBeCloseTo(2.5, 9);
    expect(c.r).toBeCloseTo(0, 9);
    expect(c.correlation).toBeCloseTo(1, 9);
  });

  it('of different crystals hardly agree', () => {
    const c = compareSets(merged(one), merged(measured(5)));
    expect(c.r).toBeGreaterThan(0.3);
    expect(c.correlation).toBeLessThan(0.8);
  });

  it('joined keep their batches apart', () => {
    const joined = joinSets({ ...one, batch: new Int16Array(one.count).fill(3) }, scaled);
    expect(joined.count).toBe(2 * one.count);
    expect(new Set(joined.batch)).toEqual(new Set([3, 4]));
    expect(joined.batch!.indexOf(4)).toBe(one.count);
    expect(joined.intensity[one.count]).toBe(scaled.intensity[0]);
    expect(joined.beams).toBeUndefined();
  });
});
