import { describe, expect, it } from 'vitest';
import type { Pattern } from '../crystal/pattern.ts';
import { seededRandom } from '../math/random.ts';
import { addBackground } from './background.ts';
import { absorptionFactor, lorentzPolarization } from './intensity-factors.ts';
import { fittedPoints, lowerBound } from './fitted-points.ts';
import { axialSpread, mixedShape, newSpread, pseudoVoigt, reachOf, TAIL, type Shape } from './profile.ts';
import { blurred, nonNegative } from './start.ts';

const pattern = (count = 101): Pattern =>
  ({
    name: 'made up',
    twoTheta: Float64Array.from({ length: count }, (_, i) => 20 + 0.5 * i),
    intensity: Float64Array.from({ length: count }, (_, i) => 100 + (i % 7)),
    sigma: Float64Array.from({ length: count }, (_, i) => (i === 3 ? 0 : 10)),
  }) as Pattern;

describe('points that are fitted', () => {
  it('are those in the range, outside what is left out, with an s.u.', () => {
    const p = pattern();
    const points = fittedPoints(p, { excluded: [[30, 31]], range: [21, 50] });
    expect(points.count).toBe(points.x.length);
    expect(points.x[0]).toBe(21);
    expect(points.x.at(-1)).toBe(50);
    expect([...points.x].filter((x) => x >= 30 && x <= 31)).toEqual([]);
    points.index.forEach((i, k) => {
      expect(p.twoTheta[i]).toBe(points.x[k]);
      expect(p.intensity[i]).toBe(points.y[k]);
    });
    expect([...fittedPoints(p, { excluded: [] }).index]).not.toContain(3);
  });

  it('are found by their place', () => {
    const x = Float64Array.of(1, 2, 2, 5);
    expect([0, 1, 2, 3, 5, 6].map((v) => lowerBound(x, v))).toEqual([0, 0, 1, 3, 3, 4]);
  });
});

describe('the background', () => {
  const { twoTheta: x } = pattern();
  const of = (chebyshev: number[], peaks = [] as never[], points = [] as never[]): Float64Array => {
    const out = new Float64Array(x.length);
    addBackground({ chebyshev, peaks, points }, x, out);
    return out;
  };

  it('is a sum of Chebyshev polynomials cos(n arccos t)', () => {
    const c = [80, -12, 7, 3, -1.5, 0.4];
    of(c).forEach((y, i) => {
      const t = (2 * (x[i]! - x[0]!)) / (x.at(-1)! - x[0]!) - 1;
      expect(y).toBeCloseTo(
        c.reduce((sum, a, n) => sum + a * Math.cos(n * Math.acos(Math.max(-1, Math.min(1, t)))), 0),
        9,
      );
    });
  });

  it('has humps of their height and half width', () => {
    const hump = of([], [{ position: 45, height: 60, width: 10 }] as never);
    const at = (v: number): number => hump[lowerBound(x, v)]!;
    expect(at(45)).toBeCloseTo(60, 9);
    expect(at(50)).toBeCloseTo(30, 9);
    expect(at(40)).toBeCloseTo(30, 9);
  });

  it('joins points by straight lines and goes level beyond them', () => {
    const set = of([], [], [
      [30, 10],
      [40, 20],
      [60, 0],
    ] as never);
    const at = (v: number): number => set[lowerBound(x, v)]!;
    expect([at(20), at(30), at(35), at(40), at(50), at(60), at(70)]).toEqual([10, 10, 15, 20, 10, 0, 0]);
  });
});

describe('factors of the angle alone', () => {
  it('are the Lorentz and polarisation factor of the tables', () => {
    // (1 + cos² 2θ)/(sin² θ cos θ), without a monochromator; International Tables C, 6.2.
    for (const theta of [10, 22.5, 45, 60].map((d) => (d * Math.PI) / 180)) {
      const plain = (1 + Math.cos(2 * theta) ** 2) / (2 * Math.sin(theta) ** 2 * Math.cos(theta));
      expect(lorentzPolarization(theta, 1)).toBeCloseTo(plain, 9);
    }
    // A crystal at 45° lets one polarisation through.
    expect(lorentzPolarization(Math.PI / 4, 0)).toBeCloseTo(1 / (0.5 * Math.cos(Math.PI / 4)), 9);
  });

  it('absorb nothing without absorption, more the longer the path', () => {
    for (const geometry of ['flat specimen', 'capillary'] as const) expect(absorptionFactor(geometry, 0, 0.4)).toBe(1);
    const flat = [0.1, 0.4, 1.2].map((t) => absorptionFactor('flat specimen', 0.4, t));
    expect(flat).toEqual([...flat].sort((a, b) => b - a));
    const round = [0.1, 0.5, 0.9].map((mu) => absorptionFactor('capillary', mu, 0.5));
    expect(round).toEqual([...round].sort((a, b) => b - a));
  });

  it('absorb in a capillary as a sum over its section says', () => {
    // Transmission of a cylinder: mean of exp(−μ·path) over points of the section, paths in and out in the plane.
    const transmission = (mu: number, theta: number): number => {
      let sum = 0,
        count = 0;
      const n = 60;
      const path = (px: number, py: number, ux: number, uy: number): number => {
        const b = px * ux + py * uy;
        return -b + Math.sqrt(Math.max(0, b * b + 1 - px * px - py * py));
      };
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n; j++) {
          const px = (2 * (i + 0.5)) / n - 1,
            py = (2 * (j + 0.5)) / n - 1;
          if (px * px + py * py > 1) continue;
          const inward = path(px, py, -1, 0),
            outward = path(px, py, Math.cos(2 * theta), Math.sin(2 * theta));
          sum += Math.exp(-mu * (inward + outward));
          count++;
        }
      return sum / count;
    };
    for (const mu of [0.2, 0.5, 0.9])
      for (const theta of [0.1, 0.5, 1.0, 1.4])
        expect(Math.abs(absorptionFactor('capillary', mu, theta) / transmission(mu, theta) - 1)).toBeLessThan(0.02);
  });
});

describe('profiles', () => {
  const area = (f: (x: number) => number, reach: number, n = 40_001): number => {
    const step = (2 * reach) / (n - 1);
    let sum = 0;
    for (let i = 0; i < n; i++) sum += f(-reach + i * step) * step;
    return sum;
  };

  it('have the area one and half their height at half their width', () => {
    for (const eta of [0, 0.35, 1]) {
      // A Lorentzian has 1/(60 π) of its area beyond sixty widths on either side.
      expect(area((x) => pseudoVoigt(x, 0.1, eta), 6)).toBeCloseTo(1 - eta / (60 * Math.PI), 4);
      expect(pseudoVoigt(0.05, 0.1, eta) / pseudoVoigt(0, 0.1, eta)).toBeCloseTo(0.5, 9);
    }
  });

  it('have fallen to the tail where they are cut', () => {
    for (const eta of [0.3, 0.7, 1])
      expect(pseudoVoigt(reachOf(0.2, eta), 0.2, eta) / pseudoVoigt(0, 0.2, eta)).toBeLessThan(1.3 * TAIL);
  });

  it('mix as the convolution of a Gaussian and a Lorentzian does', () => {
    const shape = {} as Shape;
    for (const [g, l] of [
      [0.1, 0.02],
      [0.08, 0.08],
      [0.03, 0.12],
    ] as const) {
      mixedShape(g, l, shape);
      // The Voigt profile by direct convolution, at the centre and at half width.
      const sigma = g / Math.sqrt(8 * Math.LN2);
      const voigt = (x: number): number =>
        area(
          (t) =>
            ((Math.exp(-(t * t) / (2 * sigma * sigma)) / (sigma * Math.sqrt(2 * Math.PI))) * (l / (2 * Math.PI))) /
            ((x - t) ** 2 + (l / 2) ** 2),
          8 * sigma,
          4001,
        );
      expect(Math.abs(pseudoVoigt(0, shape.width, shape.eta) / voigt(0) - 1)).toBeLessThan(0.012);
      expect(Math.abs(voigt(shape.width / 2) / voigt(0) - 0.5)).toBeLessThan(0.006);
    }
  });

  it('know how width and mixing change', () => {
    const at = (g: number, l: number): Shape => {
      const s = {} as Shape;
      mixedShape(g, l, s);
      return s;
    };
    const here = at(0.07, 0.05),
      step = 1e-6;
    const slope = (f: (s: Shape) => number, dg: number, dl: number): number =>
      (f(at(0.07 + dg * step, 0.05 + dl * step)) - f(at(0.07 - dg * step, 0.05 - dl * step))) / (2 * step);
    expect(here.widthG).toBeCloseTo(
      slope((s) => s.width, 1, 0),
      6,
    );
    expect(here.widthL).toBeCloseTo(
      slope((s) => s.width, 0, 1),
      6,
    );
    expect(here.etaG).toBeCloseTo(
      slope((s) => s.eta, 1, 0),
      5,
    );
    expect(here.etaL).toBeCloseTo(
      slope((s) => s.eta, 0, 1),
      5,
    );
  });

  it('are drawn to small angles by axial divergence, less the nearer to 90°', () => {
    const spread = newSpread();
    const mean = (twoTheta: number): number => {
      axialSpread(twoTheta, 0.03, 0.03, 0.05, spread);
      const weights = spread.weight.subarray(0, spread.count);
      expect(weights.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 12);
      return weights.reduce((sum, w, i) => sum + w * spread.shift[i]!, 0);
    };
    const shifts = [10, 30, 60, 85].map(mean);
    expect(shifts.every((s) => s < 0)).toBe(true);
    expect(shifts).toEqual([...shifts].sort((a, b) => a - b));
    // Beyond 90° the tail turns to the other side.
    expect(mean(140)).toBeGreaterThan(0);
    // The first moment: −(h²/6 of each height) cot 2θ, for narrow slits of equal heights (Klug & Alexander 1974).
    const expected = (-(2 * 0.03 ** 2) / 6 / Math.tan(Math.PI / 6)) * (180 / Math.PI);
    expect(mean(30) / expected).toBeCloseTo(1, 1);
  });
});

describe('starting values', () => {
  it('of non-negative least squares are the best of all choices of what is nothing', () => {
    const { normal, next } = seededRandom(41);
    for (let n = 0; n < 12; n++) {
      const m = 40;
      const columns = Array.from({ length: 3 }, () => Float64Array.from({ length: m }, () => next()));
      const planted = [1 + next(), -next(), 2 * next()];
      const y = Float64Array.from({ length: m }, (_, i) =>
        planted.reduce((s, c, k) => s + c * columns[k]![i]!, 0.05 * normal()),
      );
      const weight = new Float64Array(m).fill(1);
      const cost = (c: readonly number[]): number =>
        y.reduce((s, v, i) => s + (v - c.reduce((t, x, k) => t + x * columns[k]![i]!, 0)) ** 2, 0);
      const found = nonNegative(columns, y, weight, new Set([0, 1, 2]));
      expect(Math.min(...found)).toBeGreaterThanOrEqual(0);
      // Among all subsets with a non-negative solution none is better.
      for (let mask = 1; mask < 8; mask++) {
        const chosen = [0, 1, 2].filter((k) => mask & (1 << k));
        const part = nonNegative(
          chosen.map((k) => columns[k]!),
          y,
          weight,
          new Set(),
        );
        if (part.some((x) => x < 0)) continue;
        const whole = [0, 0, 0];
        chosen.forEach((k, i) => (whole[k] = part[i]!));
        expect(cost(found)).toBeLessThanOrEqual(cost(whole) * (1 + 1e-6));
      }
    }
  });

  it('blur a pattern without changing its area or moving its peaks', () => {
    const count = 4001;
    const p = {
      twoTheta: Float64Array.from({ length: count }, (_, i) => 20 + 0.01 * i),
      intensity: Float64Array.from({ length: count }, (_, i) => 500 * pseudoVoigt(0.01 * i - 17.3, 0.1, 0.2)),
      sigma: new Float64Array(count).fill(1),
    } as Pattern;
    const b = blurred(p, 0.6);
    const area = (q: Pattern): number =>
      q.intensity.reduce((s, v) => s + v, 0) * ((q.twoTheta.at(-1)! - q.twoTheta[0]!) / (q.twoTheta.length - 1));
    expect(area(b) / area(p)).toBeCloseTo(1, 2);
    const centre = (q: Pattern): number =>
      q.intensity.reduce((s, v, i) => s + v * q.twoTheta[i]!, 0) / q.intensity.reduce((s, v) => s + v, 0);
    expect(centre(b)).toBeCloseTo(37.3, 1);
    expect(b.twoTheta.length).toBeLessThan(count / 10);
  });
});
