/** Difference and observed-density syntheses of a model, and the residual peaks with their surroundings. */
import { metricTensor } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { allOperators, operatorsNear } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import type { CalculatedData } from '../refine/single-crystal-problem.ts';
import { gridFor, reach, synthesize, type DensityMap } from './fourier.ts';
import { localMaxima, uniquePeaks } from './peaks.ts';

export const MAP_KINDS = ['difference', 'observed', 'doubled', 'deformation'] as const;
export type MapKind = (typeof MAP_KINDS)[number];

/** Maps that lie about nought: what is below it says something too. */
export const isSigned = (kind: MapKind): boolean => kind === 'difference' || kind === 'deformation';

/** Fo − Fc, Fo or 2Fo − Fc with calculated phases; observed values without dispersion are not attempted, so f″ stays in the phases. */
export function modelMap(
  kind: Exclude<MapKind, 'deformation'>,
  s: Structure,
  reflections: MergedReflections,
  data: CalculatedData,
  spacing?: number,
): DensityMap {
  const n = data.used.length;
  const pickIndex = (source: Int16Array): Int16Array =>
    Int16Array.from({ length: n }, (_, i) => source[data.used[i]!]!);
  const hkl = { count: n, h: pickIndex(reflections.h), k: pickIndex(reflections.k), l: pickIndex(reflections.l) };
  const a = new Float64Array(n),
    b = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const fc = Math.hypot(data.a[i]!, data.b[i]!);
    if (!(fc > 1e-9)) continue;
    // What extinction and twin components did to |F|² (y = fc2/fc²) is taken out of the observation.
    const y = data.fc2[i]! / (fc * fc) || 1;
    const fo = Math.sqrt(Math.max(0, data.fo2[i]!) / Math.max(0.05, y));
    const f = kind === 'difference' ? fo - fc : kind === 'observed' ? fo : 2 * fo - fc;
    a[i] = (f * data.a[i]!) / fc;
    b[i] = (f * data.b[i]!) / fc;
  }
  const { limits, dMin } = reach(s.cell, hkl);
  return synthesize(s.cell, s.spaceGroup, gridFor(s.cell, spacing ?? Math.min(0.25, dMin / 3), limits), hkl, a, b);
}

export interface ResidualPeak {
  /** ρ1, ρ2 … for maxima, ordered by height; minima carry a minus. */
  readonly name: string;
  readonly position: readonly [number, number, number];
  /** e Å⁻³ */
  readonly height: number;
  /** Up to three nearest sites with distances in Å. */
  readonly near: readonly { readonly site: number; readonly label: string; readonly distance: number }[];
}

/** The strongest residual maxima and minima of a difference map. */
export function residualPeaks(
  map: DensityMap,
  s: Structure,
  most = 20,
): { peaks: ResidualPeak[]; holes: ResidualPeak[] } {
  const list = (sign: 1 | -1): ResidualPeak[] => {
    const raw = localMaxima(map, 1.5 * map.sigma, sign, 60 * most);
    return uniquePeaks(raw, s.cell, s.spaceGroup, most, 0.6).map((p, i) => {
      const near = nearestSites(s, p.position);
      return {
        name: `${sign > 0 ? 'ρ' : '−ρ'}${i + 1}`,
        height: p.height,
        position: near[0]?.moved ?? p.position,
        near: near.map(({ site, label, distance }) => ({ site, label, distance })),
      };
    });
  };
  return { peaks: list(1), holes: list(-1) };
}

/** Three nearest sites to a point, and the equivalent of the point that lies beside the first. */
export function nearestSites(
  s: Structure,
  x: readonly [number, number, number],
  most = 3,
): { site: number; label: string; distance: number; moved: [number, number, number] }[] {
  const g = metricTensor(s.cell);
  const operators = allOperators(s.spaceGroup);
  const out = s.sites.map((site, i) => ({
    site: i,
    label: site.label,
    ...operatorsNear(operators, g, x, site.position),
  }));
  return out.sort((p, q) => p.distance - q.distance).slice(0, most);
}
