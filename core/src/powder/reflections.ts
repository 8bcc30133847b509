/** Reflections of a powder: unique under the Laue group, with multiplicity, as plain typed arrays. */
import { cellVolume, indexLimits, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';

export interface PowderReflections {
  readonly count: number;
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  /** Number of reciprocal-lattice points that fall together by Laue symmetry. */
  readonly multiplicity: Uint8Array;
}

/** Points of the reciprocal lattice within the sphere beyond which no pattern is calculated. */
const MOST_POINTS = 3e6;
/** Indices that fit into the codes below. */
const LARGEST_INDEX = 511;

/**
 * All reflections that the group allows with dMin ≤ d, largest spacing first. Spacings in Å. Throws RangeError where they are
 * too many for a pattern.
 */
export function powderReflections(cell: Cell, group: SpaceGroup, dMin: number): PowderReflections {
  const points = ((4 / 3) * Math.PI * cellVolume(cell)) / dMin ** 3;
  if (points > MOST_POINTS || Math.max(...indexLimits(cell, dMin)) > LARGEST_INDEX)
    throw new RangeError(
      `Down to d = ${dMin.toFixed(3)} Å this cell has some ${points.toExponential(0)} reflections, too many for a pattern. End at a smaller angle or take a longer wavelength.`,
    );
  const g = reciprocalMetric(cell);
  const rotations = laueRotations(rotationsOf(group));
  const [hm, km, lm] = indexLimits(cell, dMin);
  const found: { h: number; k: number; l: number; m: number; q: number }[] = [];
  const limit = 1 / (dMin * dMin);
  const seen = new Set<number>();
  const code = (h: number, k: number, l: number): number => (h + 512) * 1048576 + (k + 512) * 1024 + (l + 512);
  for (let h = hm; h >= -hm; h--)
    for (let k = km; k >= -km; k--)
      for (let l = lm; l >= -lm; l--) {
        const q = h * h * g[0] + k * k * g[4] + l * l * g[8] + 2 * (h * k * g[1] + h * l * g[2] + k * l * g[5]);
        if (q > limit || (!h && !k && !l) || seen.has(code(h, k, l))) continue;
        let m = 0;
        for (const r of rotations) {
          const c = code(
            h * r[0] + k * r[3] + l * r[6],
            h * r[1] + k * r[4] + l * r[7],
            h * r[2] + k * r[5] + l * r[8],
          );
          if (!seen.has(c)) {
            seen.add(c);
            m++;
          }
        }
        if (!reflectionSymmetry(group, h, k, l).absent) found.push({ h, k, l, m, q });
      }
  found.sort((a, b) => a.q - b.q || b.h - a.h || b.k - a.k || b.l - a.l);
  return {
    count: found.length,
    h: Int16Array.from(found, (r) => r.h),
    k: Int16Array.from(found, (r) => r.k),
    l: Int16Array.from(found, (r) => r.l),
    multiplicity: Uint8Array.from(found, (r) => r.m),
  };
}
