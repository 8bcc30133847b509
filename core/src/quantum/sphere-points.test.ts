import { describe, expect, it } from 'vitest';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import { SPHERE_SIZES, spherePoints } from './sphere-points.ts';

describe.each(SPHERE_SIZES)('the quadrature of %i points over the sphere', (size) => {
  const { points, weights, order } = spherePoints(size);

  it('has so many points on the sphere, weights that sum to one', () => {
    expect(points.length).toBe(size);
    for (const p of points) expect(Math.hypot(...p)).toBeCloseTo(1, 12);
    expect(weights.reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 12);
  });

  it('makes every harmonic vanish up to its order, and not all of those beyond', () => {
    const beyond = order + 3;
    const sums = new Float64Array((beyond + 1) ** 2 - 1);
    points.forEach((p, i) => sphericalHarmonics(...p, beyond).forEach((y, k) => (sums[k]! += weights[i]! * y)));
    const within = (order + 1) ** 2 - 1;
    for (let k = 0; k < within; k++) expect(Math.abs(sums[k]!)).toBeLessThan(1e-12);
    expect(Math.max(...sums.subarray(within).map(Math.abs))).toBeGreaterThan(1e-4);
  });
});
