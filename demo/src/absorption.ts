/** A plate that absorbs, measured on a four-circle diffractometer in several runs: path lengths, run scales, one bad run, and a ring of frost. */
import { axisVectors, cellVolume, inverseSpacing, reciprocalMetric } from '@nagare/core/crystal/cell';
import { RawBuilder, type RawReflections } from '@nagare/core/crystal/reflections';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { apply3, cross, multiply3, normalize, turn, type Mat3, type Vec3, toVec3 } from '@nagare/core/math/matrix3';
import type { Random } from '@nagare/core/math/random';
import { absorptionCoefficient } from '@nagare/core/scattering/form-factor';
import { calculatedIntensities, type Measurement } from './simulate.ts';

export interface AbsorbingMeasurement {
  raw: RawReflections;
  /** ω, χ, φ in degrees, three an observation. */
  angles: Float64Array;
  ub: Mat3;
  /** mm⁻¹. */
  mu: number;
}

const SETTING: Mat3 = multiply3(
  [Math.cos(0.7), -Math.sin(0.7), 0, Math.sin(0.7), Math.cos(0.7), 0, 0, 0, 1],
  [1, 0, 0, 0, Math.cos(0.4), -Math.sin(0.4), 0, Math.sin(0.4), Math.cos(0.4)],
);

/** From the axes of the goniometer to those of the plate, which stands askew to the cell; its rows are the normals of the faces. */
export const TO_PLATE: Mat3 = multiply3(
  [Math.cos(1.1), 0, Math.sin(1.1), 0, 1, 0, -Math.sin(1.1), 0, Math.cos(1.1)],
  [1, 0, 0, 0, Math.cos(0.5), -Math.sin(0.5), 0, Math.sin(0.5), Math.cos(0.5)],
);

/** Path to the surface of a box with half edges `half` (mm) from a point along a direction. */
const pathOut = (p: Vec3, u: Vec3, half: Vec3): number =>
  Math.min(
    ...[0, 1, 2].map((i) => (Math.abs(u[i]!) < 1e-9 ? Infinity : ((u[i]! > 0 ? half[i]! : -half[i]!) - p[i]!) / u[i]!)),
  );

export function measureAbsorbing(s: Structure, m: Measurement, size: Vec3, random: Random): AbsorbingMeasurement {
  const c = calculatedIntensities(s, m.dMin, m.wavelength);
  const mu = absorptionCoefficient(cellContents(s), 1, cellVolume(s.cell), m.wavelength);
  const [a, b, cc] = axisVectors(s.cell),
    v = cellVolume(s.cell);
  const star = [cross(b, cc), cross(cc, a), cross(a, b)].map((x) => toVec3(x.map((y) => y / v)));
  const B: Mat3 = [
    star[0]![0],
    star[1]![0],
    star[2]![0],
    star[0]![1],
    star[1]![1],
    star[2]![1],
    star[0]![2],
    star[1]![2],
    star[2]![2],
  ];
  const ub = multiply3(SETTING, B);
  const half: Vec3 = [size[0] / 2, size[1] / 2, size[2] / 2];
  const points = Array.from({ length: 60 }, (): Vec3 =>
    toVec3([0, 1, 2].map((i) => (2 * random.next() - 1) * half[i]!)),
  );
  const inPlate = (u: Vec3): Vec3 => apply3(TO_PLATE, u);
  const scales = [1, 0.86, 1.17, 0.94, 1.08, 0.79];
  const mean = c.f2.reduce((p, q) => p + q, 0) / c.count;
  const g = reciprocalMetric(s.cell);
  const out = new RawBuilder();
  const angles: number[] = [];
  for (let i = 0; i < c.count; i++) {
    const invD = inverseSpacing(g, c.h[i]!, c.k[i]!, c.l[i]!);
    if (invD < 1 / 14 || random.next() > m.coverage) continue;
    const times = Math.max(1, Math.floor(m.repeats + random.next()));
    for (let r = 0; r < times; r++) {
      const h: Vec3 = normalize(
        toVec3([0, 1, 2].map((k) => ub[3 * k]! * c.h[i]! + ub[3 * k + 1]! * c.k[i]! + ub[3 * k + 2]! * c.l[i]!)),
      );
      // Any turn about the scattering vector diffracts; the rows of the setting are that vector and two across it.
      const across = normalize(cross(h, Math.abs(h[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]));
      const y = turn(across, h, 2 * Math.PI * random.next()),
        z = cross(h, y);
      const sin = (m.wavelength * invD) / 2,
        cos = Math.sqrt(1 - sin * sin);
      const back = (p: number, q: number): Vec3 => toVec3([0, 1, 2].map((k) => h[k]! * p + y[k]! * q));
      const source = inPlate(back(sin, -cos)),
        leaving = inPlate(back(sin, cos));
      const transmission =
        points.reduce((t, p) => t + Math.exp(-mu * (pathOut(p, source, half) + pathOut(p, leaving, half))), 0) /
        points.length;
      const batch = 1 + Math.floor(6 * random.next());
      const chi = Math.acos(Math.max(-1, Math.min(1, z[2]!)));
      const phi = Math.atan2(-z[1]!, -z[0]!),
        omega = Math.atan2(-y[2]!, h[2]);
      angles.push((omega * 180) / Math.PI, (chi * 180) / Math.PI, (phi * 180) / Math.PI);
      const counts = (c.f2[i]! / mean) * m.meanCounts * transmission * scales[batch - 1]!;
      const background = 40;
      // The fourth run slipped; frost adds to a narrow ring now and then.
      const bad = batch === 4 ? 0.3 : m.systematic;
      const frost =
        Math.abs(1 / invD - 1.918) < 0.02 && random.next() < 0.25 ? m.meanCounts * (2 + 2 * random.next()) : 0;
      const value = counts * (1 + bad * random.normal()) + frost + Math.sqrt(counts + 2 * background) * random.normal();
      out.push(
        c.h[i]!,
        c.k[i]!,
        c.l[i]!,
        value / 10,
        Math.sqrt(Math.max(counts, 0) + 2 * background + (0.6 * m.systematic * counts) ** 2) / 10,
        batch,
        [...back(sin, -cos), ...back(sin, cos)],
      );
    }
  }
  return { raw: out.build(false), angles: Float64Array.from(angles), ub, mu };
}
