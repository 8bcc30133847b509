import { describe, expect, it } from 'vitest';
import type { Cell } from '../crystal/cell.ts';
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import { seededRandom } from '../math/random.ts';
import { scaleObservations } from './scaling.ts';
import { findSuperstructure, opinionOfData } from '../symmetry/opinion.ts';

const cell: Cell = { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 };
const laue = laueRotations(rotationsOf(spaceGroupFromSymbol('P 1 2/m 1')));

/** Noise-free observations of made-up intensities with planted factors by batch, resolution-free direction and all. */
function planted(factor: (batch: number, s0: readonly number[], s1: readonly number[]) => number): RawReflections {
  const random = seededRandom(7),
    out = new RawBuilder();
  const unit = (): number[] => {
    const v = [random.normal(), random.normal(), random.normal()],
      l = Math.hypot(...v);
    return v.map((x) => x / l);
  };
  for (let h = -4; h <= 4; h++)
    for (let k = 0; k <= 5; k++)
      for (let l = 0; l <= 5; l++) {
        if (!h && !k && !l) continue;
        const intensity =
          200 + 800 * seededRandom(1000 + 100 * Math.abs(h) + 10 * k + l + (h < 0 && l ? 5000 : 0)).next();
        for (let n = 0; n < 6; n++) {
          const batch = 1 + (n % 3),
            s0 = unit(),
            s1 = unit(),
            sign = random.next() < 0.5 ? 1 : -1;
          const x = intensity * factor(batch, s0, s1);
          out.push(h, sign * k, l, x, 0.01 * x, batch, [...s0, ...s1]);
        }
      }
  return out.build(false);
}

describe('scaling by logarithms', () => {
  it('returns planted batch scales and harmonics exactly where there is no noise', () => {
    const scales = [1, 0.8, 1.3];
    const raw = planted(
      (b, p, q) =>
        scales[b - 1]! *
        Math.exp(
          -0.15 *
            ((sphericalHarmonics(p[0]!, p[1]!, p[2]!, 2)[5]! + sphericalHarmonics(q[0]!, q[1]!, q[2]!, 2)[5]!) / 2) +
            0.1 *
              ((sphericalHarmonics(p[0]!, p[1]!, p[2]!, 2)[0]! + sphericalHarmonics(q[0]!, q[1]!, q[2]!, 2)[0]!) / 2),
        ),
    );
    const s = scaleObservations(raw, cell, laue, { batches: true, decay: false, harmonics: 2 });
    expect(s.before.rInt).toBeGreaterThan(0.05);
    expect(s.after.rInt).toBeLessThan(1e-3);
    expect((s.batches[0]!.scale / s.batches[1]!.scale) * (scales[0]! / scales[1]!)).toBeCloseTo(1, 2);
    expect((s.batches[0]!.scale / s.batches[2]!.scale) * (scales[0]! / scales[2]!)).toBeCloseTo(1, 2);
    expect(s.parameters).toBe(2 + 8);
    // Intensities keep their relative s.u.
    expect(s.raw.sigma[5]! / s.raw.intensity[5]!).toBeCloseTo(0.01, 9);
  });
  it('says when there is too little to fit by', () => {
    const one = new RawBuilder();
    for (let h = 1; h < 9; h++) one.push(h, 0, 0, 100, 1, 1, [1, 0, 0, 0, 1, 0]);
    expect(() =>
      scaleObservations(one.build(false), cell, laue, { batches: false, decay: false, harmonics: 2 }),
    ).toThrow('too few for 8 corrections');
  });
});

describe('the opinion of the data', () => {
  /** Intensities with 2/m symmetry, the h0l absences of a c glide if wished. */
  const data = (glide: boolean, even: number): RawReflections => {
    const out = new RawBuilder(),
      random = seededRandom(3);
    for (let h = -5; h <= 5; h++)
      for (let k = -5; k <= 5; k++)
        for (let l = 0; l <= 6; l++) {
          if (!h && !k && !l) continue;
          const absent = glide && ((k === 0 && l % 2 !== 0) || (h === 0 && l === 0 && k % 2 !== 0));
          const value = absent
            ? 0
            : (h % 2 === 0 ? 1 : even) *
              -600 *
              Math.log(seededRandom(77 + 1000 * Math.abs(h) + 37 * Math.abs(k) + l + (h * l < 0 ? 9000 : 0)).next());
          out.push(h, k, l, value + 3 * random.normal(), 3 + 0.02 * value);
        }
    return out.build(false);
  };
  it('is for a higher Laue class whose equivalents agree, and for absences that are absent', () => {
    const p1 = spaceGroupFromSymbol('P -1'),
      higher = spaceGroupFromSymbol('P 1 21/c 1').representatives;
    const yes = opinionOfData(data(true, 1), cell, p1, higher);
    expect(yes).toMatchObject({ laueNow: '-1', laueThen: '2/m', verdict: 'for', violations: 0 });
    expect(yes.rIntThen).toBeLessThan(0.06);
    const no = opinionOfData(data(false, 1), cell, p1, higher);
    expect(no.verdict).toBe('against');
    expect(no.violations).toBeGreaterThan(10);
    const orthorhombic = opinionOfData(
      data(true, 1),
      cell,
      spaceGroupFromSymbol('P 1 21/c 1'),
      spaceGroupFromSymbol('P m m m').representatives,
    );
    expect(orthorhombic.verdict).toBe('against');
    expect(orthorhombic.rIntThen).toBeGreaterThan(0.2);
  });
  it('sees a class of weak reflections and what translation it means', () => {
    const g = spaceGroupFromSymbol('P 1 2/m 1');
    expect(findSuperstructure(data(false, 1), cell, g)).toEqual([]);
    const [found] = findSuperstructure(data(false, 0.1), cell, g);
    expect(found!.translation).toEqual([0.5, 0, 0]);
    expect(found!.ratio).toBeLessThan(0.2);
    expect(found!.words).toContain('½h not whole');
  });
});
