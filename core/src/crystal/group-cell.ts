/** The cell that a group asks for. */
import { multiply3, transpose3, type Mat3 } from '../math/matrix3.ts';
import { cellParameters, metricTensor, type Cell } from './cell.ts';
import { rotationsOf } from './point-group.ts';
import type { SpaceGroup } from './space-group.ts';

/** The cell whose metric these rotations keep exactly, and how far the given one was from it (relative). */
export function averagedMetric(cell: Cell, rotations: readonly Mat3[]): { metric: Cell; misfit: number } {
  const g = metricTensor(cell);
  const sum = new Array<number>(9).fill(0);
  const n = rotations.length;
  for (const r of rotations) multiply3(transpose3(r), multiply3(g, r)).forEach((x, i) => (sum[i]! += x / n));
  let misfit = 0;
  sum.forEach(
    (x, i) => (misfit = Math.max(misfit, Math.abs(x - g[i]!) / Math.sqrt(g[4 * Math.floor(i / 3)]! * g[4 * (i % 3)]!))),
  );
  const [a, b, c] = [Math.sqrt(sum[0]!), Math.sqrt(sum[4]!), Math.sqrt(sum[8]!)];
  const angle = (x: number): number => {
    const d = (Math.acos(Math.max(-1, Math.min(1, x))) * 180) / Math.PI;
    return Math.abs(d - Math.round(d)) < 1e-7 ? Math.round(d) : d;
  };
  return {
    metric: {
      a,
      b,
      c,
      alpha: angle(sum[5]! / (b * c)),
      beta: angle(sum[2]! / (a * c)),
      gamma: angle(sum[1]! / (a * b)),
      ...(cell.su ? { su: cell.su } : {}),
    },
    misfit,
  };
}

/**
 * Which cell parameters the symmetry makes one: groups of indices 0–5 that vary together. Parameters that symmetry fixes
 * (90° and 120°) stand in none. Read off the metric that is left when a skew one is averaged over the group.
 */
export function cellTies(group: SpaceGroup): number[][] {
  const skew: Mat3 = [81, 11.3, 7.1, 11.3, 110, 13.7, 7.1, 13.7, 139];
  const mean = new Array<number>(9).fill(0);
  for (const { r } of group.representatives)
    multiply3(transpose3(r), multiply3(skew, r)).forEach((x, i) => (mean[i]! += x / group.representatives.length));
  const length = [mean[0]!, mean[4]!, mean[8]!].map(Math.sqrt);
  const cosines = [
    mean[5]! / (length[1]! * length[2]!),
    mean[2]! / (length[0]! * length[2]!),
    mean[1]! / (length[0]! * length[1]!),
  ];
  const fixed = (x: number): boolean => [0, 0.5, -0.5].some((f) => Math.abs(x - f) < 1e-9);
  const gather = (values: readonly number[], first: number): number[][] => {
    const out: number[][] = [];
    values.forEach((x, i) => {
      if (first && fixed(x)) return;
      const same = out.find((g) => Math.abs(values[g[0]! - first]! - x) < 1e-6);
      if (same) same.push(first + i);
      else out.push([first + i]);
    });
    return out;
  };
  return [...gather(length, 0), ...gather(cosines, 3)];
}

/** Whether a cell goes with a group: the metric is kept by every rotation, within 1 part in `parts`. */
export function metricFits(cell: Cell, group: SpaceGroup, parts = 200): boolean {
  const g = metricTensor(cell);
  return rotationsOf(group).every((r) => {
    const m = multiply3(transpose3(r), multiply3(g, r));
    return m.every((x, i) => Math.abs(x - g[i]!) < Math.sqrt(g[4 * Math.floor(i / 3)]! * g[4 * (i % 3)]!) / parts);
  });
}

/** Relative error of a metric that only rounding makes. */
const ROUNDING = 1e-9;

/**
 * A measured cell as a group has it: found without constraints, lengths differ and angles are off where the symmetry
 * makes them equal, 90° or 120°, and so would equivalent bonds. The metric is averaged over the rotations; lengths and
 * angles that become one are one number, with the mean of their s.u. (their errors are hardly independent), those that
 * become fixed have none. A cell that is right is returned as it is.
 */
export function cellInGroup(cell: Cell, group: SpaceGroup): Cell {
  const { metric, misfit } = averagedMetric(cell, rotationsOf(group));
  if (misfit < ROUNDING) return cell;
  const values = cellParameters(metric);
  const su: [number, number, number, number, number, number] = [0, 0, 0, 0, 0, 0];
  for (const tied of cellTies(group)) {
    const mean = tied.reduce((sum, i) => sum + (cell.su?.[i] ?? 0), 0) / tied.length;
    for (const i of tied) [values[i], su[i]] = [values[tied[0]!]!, mean];
  }
  const [a, b, c, alpha, beta, gamma] = values;
  return { a, b, c, alpha, beta, gamma, ...(cell.su ? { su } : {}) };
}
