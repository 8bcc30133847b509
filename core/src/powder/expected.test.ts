import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { reciprocalMetric } from '../crystal/cell.ts';
import { allOperators } from '../crystal/space-group.ts';
import { formFactor, gaussianFactor } from '../scattering/form-factor.ts';
import { apply3, dot, type Vec3 } from '../math/matrix3.ts';
import { expectedFactors, expectedPattern, reciprocalLayer } from './expected.ts';

const molecule = testCrystal('CC(=O)Nc1ccccc1', 'P 21/c', 3).structure;

/** The sum itself, site by site and copy by copy, isotropic displacements. */
function directSum(s: typeof molecule, h: Vec3): { f: number; phase: number } {
  const s2 = dot(h, apply3(reciprocalMetric(s.cell), h)) / 4;
  let [a, b] = [0, 0];
  for (const site of s.sites) {
    const u = site.displacement.kind === 'iso' ? site.displacement.u : 0;
    const f =
      site.occupancy * formFactor(gaussianFactor(site.element), Math.sqrt(s2)) * Math.exp(-8 * Math.PI ** 2 * u * s2);
    for (const { r, t } of allOperators(s.spaceGroup)) {
      const x = apply3(r, site.position).map((v, k) => v + t[k]!);
      const angle = 2 * Math.PI * (h[0] * x[0]! + h[1] * x[1]! + h[2] * x[2]!);
      a += f * Math.cos(angle);
      b += f * Math.sin(angle);
    }
  }
  return { f: Math.hypot(a, b), phase: (Math.atan2(b, a) * 180) / Math.PI };
}

describe('structure factors of any structure', () => {
  it('are the direct sums', () => {
    const iso = { ...molecule, sites: molecule.sites.map((x) => ({ ...x, displacement: { kind: 'iso' as const, u: 0.04 } })) }; // prettier-ignore
    const list = expectedFactors(iso, 1.4, 0);
    expect(list.length).toBeGreaterThan(100);
    for (const r of list.filter((_, i) => i % 7 === 0)) {
      const { f, phase } = directSum(iso, [r.h, r.k, r.l]);
      expect(r.f).toBeCloseTo(f, 3);
      if (f > 1) expect(Math.cos(((r.phase - phase) * Math.PI) / 180)).toBeCloseTo(1, 6);
      expect(r.phase).toBeGreaterThanOrEqual(0);
      expect(r.phase).toBeLessThan(360.001);
    }
    for (let i = 1; i < list.length; i++) expect(list[i]!.d).toBeLessThanOrEqual(list[i - 1]!.d + 1e-9);
  });

  it('are refused where they are too many', () => {
    expect(() => expectedFactors(molecule, 0.1, 0)).toThrow(/from 0.25/);
    const huge = { ...molecule, cell: { ...molecule.cell, a: 200, b: 200, c: 200 } };
    expect(() => expectedFactors(huge, 0.5, 0)).toThrow(/million/);
  });
});

describe('the expected pattern', () => {
  it('has its lines where Bragg has them, and keeps their areas', () => {
    const s = textbook('F m -3 m', 5.64, 5.64, [['Na', 0, 0, 0], ['Cl', 0.5, 0.5, 0.5]]); // prettier-ignore
    const { lines, curve } = expectedPattern(s, { wavelength: 1.5406, from: 20, to: 90, width: 0.1 });
    const [strongest] = [...lines].sort((p, q) => q.intensity - p.intensity);
    expect([strongest!.h, strongest!.k, strongest!.l].map(Math.abs).sort()).toEqual([0, 0, 2]);
    const at = (2 * Math.asin(1.5406 / 5.64) * 180) / Math.PI;
    expect(strongest!.twoTheta).toBeCloseTo(at, 6);
    const top = curve.values.indexOf(Math.max(...curve.values));
    expect(curve.from + top * curve.step).toBeCloseTo(at, 1);
    expect(curve.values[top]).toBeCloseTo(100, 4);
    // Two lines far apart: their areas are as their intensities.
    const area = (from: number, to: number): number => {
      let sum = 0;
      for (let i = 0; i < curve.values.length; i++) {
        const t = curve.from + i * curve.step;
        if (t > from && t < to) sum += curve.values[i]! * curve.step;
      }
      return sum;
    };
    const other = lines.find((r) => r.h ** 2 + r.k ** 2 + r.l ** 2 === 8)!;
    expect(area(at - 1.5, at + 1.5) / area(other.twoTheta - 1.5, other.twoTheta + 1.5)).toBeCloseTo(
      strongest!.intensity / other.intensity,
      1,
    );
  });

  it('says what is wrong with its range', () => {
    const wrong = { wavelength: 1.5406, from: 50, to: 20, width: 0.1 };
    expect(() => expectedPattern(molecule, wrong)).toThrow(/run upwards/);
    expect(() => expectedPattern(molecule, { ...wrong, wavelength: 50 })).toThrow(/wavelength/);
  });
});

describe('a layer of the reciprocal lattice', () => {
  it('lies as the lattice does, with its extinctions', () => {
    const { spots, axes, radius } = reciprocalLayer(molecule, { axis: 1, level: 0, dMin: 1.2, wavelength: 0 });
    // In h 0 l of a c glide, l is even.
    for (const { hkl, isForbidden, f } of spots) {
      expect(hkl[1]).toBe(0);
      expect(isForbidden).toBe(Math.abs(hkl[2]) % 2 === 1);
      if (isForbidden) expect(f).toBe(0);
    }
    const g = reciprocalMetric(molecule.cell);
    for (const { hkl, x, y } of spots) {
      expect(Math.hypot(x, y)).toBeCloseTo(Math.sqrt(dot(hkl, apply3(g, hkl))), 9);
      expect(x).toBeCloseTo(hkl[0] * axes[0][0] + hkl[2] * axes[1][0], 9);
      expect(y).toBeCloseTo(hkl[0] * axes[0][1] + hkl[2] * axes[1][1], 9);
      expect(Math.hypot(x, y)).toBeLessThanOrEqual(radius);
    }
    // The angle between a* and c* is 180° − β.
    const angle = (Math.atan2(axes[1][1], axes[1][0]) * 180) / Math.PI;
    expect(Math.abs(angle)).toBeCloseTo(180 - molecule.cell.beta, 6);
    const pair = spots.find((p) => p.hkl.join() === '1,0,2')!;
    const mate = spots.find((p) => p.hkl.join() === '-1,0,-2')!;
    expect(pair.f).toBeCloseTo(mate.f, 6);
  });

  it('of a higher level has no origin and fewer spots', () => {
    const base = { axis: 2 as const, dMin: 1, wavelength: 0.71 };
    const [zero, third] = [0, 3].map((level) => reciprocalLayer(molecule, { ...base, level }));
    expect(third!.spots.length).toBeLessThan(zero!.spots.length);
    expect(third!.spots.every((p) => p.hkl[2] === 3)).toBe(true);
    // The plane itself is the same: only what lies along the third axis is added.
    expect(third!.axes).toEqual(zero!.axes);
  });
});
