/** The reciprocal lattice as it was measured: every index once, at the mean of its observations, for looking at. */
import { axisVectors, cellVolume, type Cell } from '../crystal/cell.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { cross, scale, type Vec3 } from '../math/matrix3.ts';

export interface LatticePoints {
  readonly count: number;
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  /** Weighted mean, on the scale of the measurement. */
  readonly intensity: Float32Array;
  /** Mean over its s.u. */
  readonly strength: Float32Array;
  /** 1 where the group forbids it. */
  readonly absent: Uint8Array;
  /** Cartesian, Å⁻¹, three a point. */
  readonly position: Float32Array;
}

/** Reciprocal axes a*, b*, c* in Cartesian Å⁻¹, without 2π. */
export function reciprocalAxes(cell: Cell): readonly [Vec3, Vec3, Vec3] {
  const [a, b, c] = axisVectors(cell);
  const inverse = 1 / cellVolume(cell);
  return [scale(cross(b, c), inverse), scale(cross(c, a), inverse), scale(cross(a, b), inverse)];
}

const keyOf = (h: number, k: number, l: number): number => ((l + 512) * 1024 + k + 512) * 1024 + h + 512;

/** Weighted sums of the observations of each index. */
interface Sums {
  readonly hkl: readonly [number, number, number];
  weight: number;
  weighted: number;
}

function sumsByIndex(raw: RawReflections): Map<number, Sums> {
  const sums = new Map<number, Sums>();
  for (let i = 0; i < raw.count; i++) {
    const h = raw.h[i]!,
      k = raw.k[i]!,
      l = raw.l[i]!;
    const weight = 1 / raw.sigma[i]! ** 2;
    const key = keyOf(h, k, l);
    const known = sums.get(key);
    if (known) {
      known.weight += weight;
      known.weighted += weight * raw.intensity[i]!;
    } else sums.set(key, { hkl: [h, k, l], weight, weighted: weight * raw.intensity[i]! });
  }
  return sums;
}

/** Points of the data, each with its Friedel mate where that was not measured itself: the eye expects a lattice to have both. */
export function latticePoints(raw: RawReflections, cell: Cell, group: SpaceGroup): LatticePoints {
  const sums = sumsByIndex(raw);
  const most = 2 * sums.size;
  const [h, k, l] = [new Int16Array(most), new Int16Array(most), new Int16Array(most)];
  const intensity = new Float32Array(most),
    strength = new Float32Array(most),
    absent = new Uint8Array(most),
    position = new Float32Array(3 * most);
  const star = reciprocalAxes(cell);
  let count = 0;
  for (const { hkl, weight, weighted } of sums.values()) {
    const forbidden = reflectionSymmetry(group, ...hkl).absent ? 1 : 0;
    for (const sign of [1, -1]) {
      const [p, q, r] = [sign * hkl[0], sign * hkl[1], sign * hkl[2]];
      if (sign < 0 && sums.has(keyOf(p, q, r))) continue;
      h[count] = p;
      k[count] = q;
      l[count] = r;
      intensity[count] = weighted / weight;
      strength[count] = weighted / Math.sqrt(weight);
      absent[count] = forbidden;
      for (let i = 0; i < 3; i++) position[3 * count + i] = p * star[0][i]! + q * star[1][i]! + r * star[2][i]!;
      count++;
    }
  }
  return {
    count,
    h: h.slice(0, count),
    k: k.slice(0, count),
    l: l.slice(0, count),
    intensity: intensity.slice(0, count),
    strength: strength.slice(0, count),
    absent: absent.slice(0, count),
    position: position.slice(0, 3 * count),
  };
}

/** One observation of a reflection, as it was indexed. */
export interface Observation {
  readonly h: number;
  readonly k: number;
  readonly l: number;
  readonly intensity: number;
  readonly sigma: number;
  readonly batch?: number;
}

/** The observations that merge to a reflection under the Laue class of a group, Friedel mates among them. */
export function observationsOf(
  raw: RawReflections,
  rotations: readonly (readonly number[])[],
  [h, k, l]: readonly [number, number, number],
): Observation[] {
  const keys = new Set<number>();
  for (const r of rotations)
    for (const sign of [1, -1]) {
      const at = (j: number): number => sign * (h * r[j]! + k * r[3 + j]! + l * r[6 + j]!);
      keys.add(keyOf(at(0), at(1), at(2)));
    }
  const found: Observation[] = [];
  for (let i = 0; i < raw.count; i++) {
    if (!keys.has(keyOf(raw.h[i]!, raw.k[i]!, raw.l[i]!))) continue;
    found.push({
      h: raw.h[i]!,
      k: raw.k[i]!,
      l: raw.l[i]!,
      intensity: raw.intensity[i]!,
      sigma: raw.sigma[i]!,
      ...(raw.batch ? { batch: raw.batch[i]! } : {}),
    });
  }
  return found;
}
