import { describe, expect, it } from 'vitest';
import type { Cell } from '../crystal/cell.ts';
import type { GivenFace } from '../crystal/faces.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { RawBuilder, transformReflections, type RawReflections } from '../crystal/reflections.ts';
import { apply3, inverse3, multiply3, normalize, scale, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { polyhedronWithin, volumeWithin } from '../math/polyhedron.ts';
import { seededRandom } from '../math/random.ts';
import { AbsorbingCrystal, dividedExponential, transmissionByFaces } from './face-absorption.ts';

const cubeOf = (half: number) =>
  [0, 1, 2].flatMap((k) =>
    [1, -1].map((side) => ({ normal: [0, 1, 2].map((j) => (j === k ? side : 0)) as never as Vec3, distance: half })),
  );

describe('divided differences of the exponential', () => {
  it('are those of the definition where the arguments lie apart', () => {
    const x = [-3, -1.2, 0.4, 2];
    const direct = x.reduce(
      (sum, a, i) => sum + Math.exp(a) / x.reduce((p, b, j) => (i === j ? p : p * (a - b)), 1),
      0,
    );
    expect(dividedExponential(x)).toBeCloseTo(direct, 13);
  });

  it('keep their digits where the arguments are equal or nearly so', () => {
    expect(dividedExponential([1, 1, 1, 1])).toBeCloseTo(Math.E / 6, 14);
    expect(dividedExponential([1, 1 + 1e-9, 1 + 2e-9, 1 + 3e-9])).toBeCloseTo((Math.E * (1 + 1.5e-9)) / 6, 14);
    // On either side of where the series begins.
    const [below, above] = [0.3999999, 0.4000001].map((w) => dividedExponential([0, w / 3, w / 2, w]));
    expect(above! / below! - 1).toBeGreaterThan(0);
    expect(above! / below! - 1).toBeLessThan(1e-6);
  });
});

describe('bodies within half-spaces', () => {
  it('have the volumes of solids that are known', () => {
    expect(volumeWithin(polyhedronWithin(cubeOf(0.5), 10))).toBeCloseTo(1, 12);
    const eight = [1, -1].flatMap((x) =>
      [1, -1].flatMap((y) => [1, -1].map((z) => ({ normal: [x, y, z] as Vec3, distance: 1 }))),
    );
    expect(volumeWithin(polyhedronWithin(eight, 10))).toBeCloseTo(4 / 3, 12);
  });

  it('are refused where they do not close or share nothing', () => {
    expect(() => polyhedronWithin(cubeOf(1).slice(1), 10)).toThrow('do not close');
    expect(() => polyhedronWithin([...cubeOf(1), { normal: [1, 1, 1], distance: -9 }], 10)).toThrow('leave nothing');
  });
});

describe('transmission', () => {
  it('of a plate with both beams along its normal is exp(−μt), whatever its other faces', () => {
    const plate = cubeOf(0.3).map((p) => (p.normal[2] ? { ...p, distance: 0.05 } : p));
    const t = new AbsorbingCrystal(plate, 4).transmission([0, 0, 1], [0, 0, -1]);
    expect(t).toBeCloseTo(Math.exp(-0.4), 12);
  });

  it('of a plate seen from one side is that of reflection, (1 − exp(−2μt))/2μt', () => {
    const plate = cubeOf(0.3).map((p) => (p.normal[2] ? { ...p, distance: 0.05 } : p));
    const x = 2 * 4 * 0.1;
    expect(new AbsorbingCrystal(plate, 4).transmission([0, 0, 1], [0, 0, 1])).toBeCloseTo((1 - Math.exp(-x)) / x, 12);
  });

  it('is that of points at random in a crystal with ten faces', () => {
    const random = seededRandom(5);
    const planes = [
      ...cubeOf(0.12),
      ...[[1, 1, 0.4] as Vec3, [-1, 0.3, 1] as Vec3, [0.2, -1, 0.7] as Vec3, [-0.6, -0.5, -1] as Vec3].map((n) => ({
        normal: normalize(n),
        distance: 0.11,
      })),
    ];
    const crystal = new AbsorbingCrystal(planes, 9);
    const way = (x: Vec3, u: Vec3): number =>
      Math.min(
        ...planes.map(({ normal: n, distance }) => {
          const a = n[0] * u[0] + n[1] * u[1] + n[2] * u[2];
          return a > 0 ? (distance - n[0] * x[0] - n[1] * x[1] - n[2] * x[2]) / a : Infinity;
        }),
      );
    const isInside = (x: Vec3): boolean =>
      planes.every(({ normal: n, distance }) => n[0] * x[0] + n[1] * x[1] + n[2] * x[2] < distance);
    for (const [u, v] of [
      [normalize([0.3, 0.8, -0.2]), normalize([-0.5, 0.1, 0.7])],
      [normalize([1, 0.05, 0.02]), normalize([-0.9, 0.4, 0.1])],
    ] as const) {
      let sum = 0,
        n = 0,
        squares = 0;
      for (let i = 0; i < 60_000; i++) {
        const x: Vec3 = [random.next() * 0.24 - 0.12, random.next() * 0.24 - 0.12, random.next() * 0.24 - 0.12];
        if (!isInside(x)) continue;
        const t = Math.exp(-9 * (way(x, u) + way(x, v)));
        sum += t;
        squares += t * t;
        n++;
      }
      const mean = sum / n,
        su = Math.sqrt((squares / n - mean ** 2) / n);
      expect(Math.abs(crystal.transmission(u, v) - mean)).toBeLessThan(4 * su);
      expect(su).toBeLessThan(0.005 * mean);
    }
  });

  it('falls to 1 − μ⟨path⟩ for a crystal that absorbs next to nothing', () => {
    const little = new AbsorbingCrystal(cubeOf(0.1), 1e-6).transmission([0, 0, 1], [1, 0, 0]);
    expect((1 - little) / 1e-6).toBeCloseTo(0.2, 6);
  });
});

const CELL: Cell = { a: 7.1, b: 9.4, c: 11.2, alpha: 84, beta: 97, gamma: 103 };
const FACES: readonly GivenFace[] = [
  [1, 0, 0, 0.03],
  [-1, 0, 0, 0.04],
  [0, 1, 0, 0.08],
  [0, -1, 0, 0.09],
  [0, 0, 1, 0.15],
  [0, 0, -1, 0.11],
  [1, 1, 1, 0.1],
].map(([h, k, l, distance]) => ({ hkl: [h!, k!, l!] as Vec3, distance: distance! }));

/** Reflections of a crystal on a mount, each at a random turn about its scattering vector. */
function measured(ub: Mat3, wavelength: number, batch: number, seed: number, into: RawBuilder): void {
  const random = seededRandom(seed);
  for (let i = 0; i < 60; i++) {
    const hkl = [0, 1, 2].map(() => Math.round(8 * random.next() - 4)) as never as Vec3;
    const q = scale(apply3(ub, hkl), wavelength);
    const length = Math.hypot(...q);
    if (length < 0.05 || length > 1.9) continue;
    const along = scale(q, 1 / length);
    const any = normalize([random.next() - 0.5, random.next() - 0.5, random.next() - 0.5]);
    const d = any[0] * along[0] + any[1] * along[1] + any[2] * along[2];
    const side = normalize([any[0] - d * along[0], any[1] - d * along[1], any[2] - d * along[2]]);
    const [sin, cos] = [length / 2, Math.sqrt(1 - length ** 2 / 4)];
    const beams = [
      ...[0, 1, 2].map((k) => sin * along[k]! - cos * side[k]!),
      ...[0, 1, 2].map((k) => sin * along[k]! + cos * side[k]!),
    ];
    into.push(...hkl, 100, 1, batch, beams);
  }
}

const rotation = (angle: number): Mat3 => [
  Math.cos(angle),
  -Math.sin(angle),
  0,
  Math.sin(angle),
  Math.cos(angle),
  0,
  0,
  0,
  1,
];
const ubOf = (turned: Mat3): Mat3 => multiply3(turned, transpose3(inverse3(orthogonalization(CELL))));

function twoMounts(): RawReflections {
  const builder = new RawBuilder();
  measured(ubOf(rotation(0.4)), 0.71, 1, 3, builder);
  measured(ubOf(rotation(2.1)), 0.71, 2, 4, builder);
  return builder.build(false);
}

describe('observations of a crystal with faces', () => {
  it('are placed by their own angles, on two mounts and in other axes', () => {
    const raw = twoMounts();
    const { shares, volume } = transmissionByFaces(raw, CELL, { faces: FACES, mu: 6 });
    const inverse = transpose3(inverse3(orthogonalization(CELL)));
    for (const [batch, angle] of [
      [1, 0.4],
      [2, 2.1],
    ] as const) {
      const planes = FACES.map(({ hkl, distance }) => ({
        normal: normalize(apply3(multiply3(rotation(angle), inverse), hkl)),
        distance,
      }));
      const crystal = new AbsorbingCrystal(planes, 6);
      expect(volume).toBeCloseTo(crystal.volume, 8);
      for (let i = 0; i < raw.count; i++) {
        if (raw.batch![i] !== batch) continue;
        const b = [...raw.beams!.subarray(6 * i, 6 * i + 6)];
        const direct = crystal.transmission(b.slice(0, 3) as never, b.slice(3) as never);
        expect(shares[i]).toBeCloseTo(direct, 5);
      }
    }
    // h′ = h P in axes a′ = a, b′ = b + a, c′ = −c; the faces go over the same way.
    const p = [1, 1, 0, 0, 1, 0, 0, 0, -1];
    const over = transformReflections(raw, p).raw;
    const faces = FACES.map(({ hkl: [h, k, l], distance }) => ({ hkl: [h, h + k, -l] as Vec3, distance }));
    const cell = { ...CELL, ...otherAxes() };
    const again = transmissionByFaces(over, cell, { faces, mu: 6 }).shares;
    for (let i = 0; i < raw.count; i++) expect(again[i]).toBeCloseTo(shares[i]!, 5);
  });

  it('are refused with a reason: no beams, beams of another cell, faces that do not close', () => {
    const raw = twoMounts();
    const { beams: _, ...plain } = raw;
    expect(() => transmissionByFaces(plain, CELL, { faces: FACES, mu: 1 })).toThrow('from where each reflection');
    expect(() => transmissionByFaces(raw, { ...CELL, c: 14 }, { faces: FACES, mu: 1 })).toThrow('another cell');
    expect(() => transmissionByFaces(raw, CELL, { faces: FACES.slice(0, 5), mu: 1 })).toThrow('do not close');
    expect(() => transmissionByFaces(raw, CELL, { faces: FACES, mu: 0 })).toThrow('absorption coefficient');
    const shuffled = { ...raw, h: raw.k, k: raw.h };
    expect(() => transmissionByFaces(shuffled, CELL, { faces: FACES, mu: 1 })).toThrow(/one orientation|another cell/);
  });
});

/** The cell of a, a + b, −c. */
function otherAxes(): Cell {
  const o = orthogonalization(CELL);
  const [a, b, c] = [0, 1, 2].map((j): Vec3 => [o[j]!, o[3 + j]!, o[6 + j]!]) as [Vec3, Vec3, Vec3];
  const [p, q, r] = [a, [a[0] + b[0], a[1] + b[1], a[2] + b[2]] as Vec3, scale(c, -1)];
  const angle = (x: Vec3, y: Vec3): number =>
    (Math.acos((x[0] * y[0] + x[1] * y[1] + x[2] * y[2]) / Math.hypot(...x) / Math.hypot(...y)) * 180) / Math.PI;
  return {
    a: Math.hypot(...p),
    b: Math.hypot(...q),
    c: Math.hypot(...r),
    alpha: angle(q, r),
    beta: angle(p, r),
    gamma: angle(p, q),
  };
}
