import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { dot, type Vec3 } from '../math/matrix3.ts';
import { planeThroughPlaces } from './surface-plane.ts';

const random = seededRandom(12);

describe('the plane through three places', () => {
  it('is found again, whichever three of its points are taken', () => {
    const planes: Vec3[] = [
      [1, 0, 0],
      [1, 1, 1],
      [1, -1, 0],
      [2, 1, 0],
      [3, -2, 1],
      [1, 1, -4],
    ];
    for (const h of planes)
      for (let k = 0; k < 20; k++) {
        const on = (): Vec3 => {
          const x = [0, 1, 2].map(() => 2 * random.next() - 1);
          // Moved along the axis that crosses the plane most.
          const i = h.map(Math.abs).indexOf(Math.max(...h.map(Math.abs)));
          const rest = dot(h, x as unknown as Vec3) - h[i]! * x[i]!;
          x[i] = (1 - rest) / h[i]!;
          return x as unknown as Vec3;
        };
        const [a, b, c] = [on(), on(), on()];
        const found = planeThroughPlaces(a, b, c);
        expect(found).toEqual(h);
      }
  });

  it('is none for places on a line, or where no small indices fit', () => {
    expect(planeThroughPlaces([0, 0, 0], [0.1, 0.2, 0.3], [0.2, 0.4, 0.6])).toBeUndefined();
    expect(planeThroughPlaces([0, 0, 0], [1, 0, -0.423], [0, 1, -0.731])).toBeUndefined();
  });
});
