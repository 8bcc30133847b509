/** Quadrature over the sphere with octahedral symmetry (Lebedev 1975 …). */
import table from './tables/sphere-points.json' with { type: 'json' };
import { toVec3, type Vec3 } from '../math/matrix3.ts';

interface Orbits {
  readonly order: number;
  readonly corner?: number;
  readonly edge?: number;
  readonly diagonal?: number;
  readonly twice?: readonly (readonly [number, number])[];
  readonly plane?: readonly (readonly [number, number])[];
  readonly general?: readonly (readonly [number, number, number])[];
}
const orbits = table as unknown as Record<string, Orbits>;

export interface SpherePoints {
  readonly points: readonly Vec3[];
  /** Their sum is 1. */
  readonly weights: Float64Array;
  /** Harmonics up to this order are integrated exactly. */
  readonly order: number;
}

export const SPHERE_SIZES = [6, 26, 50, 110, 194, 302, 590] as const;
export type SphereSize = (typeof SPHERE_SIZES)[number];

/** All different points that permutations and signs make of one. */
function orbitOf([x, y, z]: Vec3): Vec3[] {
  const out = new Map<string, Vec3>();
  const permutations: Vec3[] = [
    [x, y, z],
    [x, z, y],
    [y, x, z],
    [y, z, x],
    [z, x, y],
    [z, y, x],
  ];
  for (const p of permutations)
    for (const signs of [0, 1, 2, 3, 4, 5, 6, 7]) {
      const v = toVec3(p.map((value, k) => (signs & (1 << k) ? -value : value) + 0));
      out.set(v.map((value) => value.toFixed(12)).join(' '), v);
    }
  return [...out.values()];
}

const made = new Map<number, SpherePoints>();

/** The quadrature of so many points. */
export function spherePoints(size: SphereSize): SpherePoints {
  const known = made.get(size);
  if (known) return known;
  const o = orbits[size]!;
  const points: Vec3[] = [],
    weights: number[] = [];
  const add = (first: Vec3, weight: number | undefined): void => {
    if (weight === undefined) return;
    for (const p of orbitOf(first)) {
      points.push(p);
      weights.push(weight);
    }
  };
  const half = Math.SQRT1_2,
    third = 1 / Math.sqrt(3);
  add([1, 0, 0], o.corner);
  add([0, half, half], o.edge);
  add([third, third, third], o.diagonal);
  o.twice?.forEach(([a, w]) => add([a, a, Math.sqrt(1 - 2 * a * a)], w));
  o.plane?.forEach(([a, w]) => add([a, Math.sqrt(1 - a * a), 0], w));
  o.general?.forEach(([a, b, w]) => add([a, b, Math.sqrt(1 - a * a - b * b)], w));
  const out = { points, weights: Float64Array.from(weights), order: o.order };
  made.set(size, out);
  return out;
}
