/** Copies of sites by symmetry and who lies near whom. */
import { metricTensor, type Cell } from './cell.ts';
import type { Operator } from './operator.ts';
import { allOperators, type SpaceGroup } from './space-group.ts';
import type { Vec3 } from '../math/matrix3.ts';

export { allOperators };

/** The copy of point x, over all operators and lattice translations, that lies nearest to `target`. */
export function operatorsNear(
  operators: readonly Operator[],
  g: readonly number[],
  x: readonly [number, number, number],
  target: Vec3,
): { distance: number; moved: [number, number, number]; operator: Operator } {
  let best = Infinity,
    moved: [number, number, number] = [...x],
    operator = operators[0]!;
  for (const o of operators) {
    const { r, t } = o;
    const y = [
      r[0] * x[0] + r[1] * x[1] + r[2] * x[2] + t[0],
      r[3] * x[0] + r[4] * x[1] + r[5] * x[2] + t[1],
      r[6] * x[0] + r[7] * x[1] + r[8] * x[2] + t[2],
    ];
    const shift = [0, 1, 2].map((i) => Math.round(target[i]! - y[i]!));
    const d = [0, 1, 2].map((i) => y[i]! + shift[i]! - target[i]!);
    const q =
      d[0]! * d[0]! * g[0]! +
      d[1]! * d[1]! * g[4]! +
      d[2]! * d[2]! * g[8]! +
      2 * (d[0]! * d[1]! * g[1]! + d[0]! * d[2]! * g[2]! + d[1]! * d[2]! * g[5]!);
    if (q < best - 1e-9) {
      best = q;
      moved = [0, 1, 2].map((i) => y[i]! + shift[i]!) as [number, number, number];
      operator = { r, t: [t[0] + shift[0]!, t[1] + shift[1]!, t[2] + shift[2]!] };
    }
  }
  return { distance: Math.sqrt(Math.max(0, best)), moved, operator };
}

export interface Neighbour {
  /** Index of the central site. */
  readonly from: number;
  /** Index of the neighbouring site, and the operator that makes the copy. */
  readonly to: number;
  readonly operator: Operator;
  readonly position: Vec3;
  readonly distance: number;
}

/** Every copy within `reachOf(i, j)` Å of a site; each pair is reported from both ends. The cost grows with sites² × operators × cells in reach. */
export function neighbours(
  cell: Cell,
  group: SpaceGroup,
  positions: readonly Vec3[],
  reachOf: (i: number, j: number) => number,
  centres: readonly number[] = positions.map((_, i) => i),
): Neighbour[] {
  const g = metricTensor(cell);
  const operators = allOperators(group);
  let widest = 0;
  for (let i = 0; i < positions.length; i++) for (let j = 0; j <= i; j++) widest = Math.max(widest, reachOf(i, j));
  // Spacing of lattice planes bounds how many cells a sphere can reach.
  const det = Math.sqrt(
    g[0] * (g[4] * g[8] - g[5] * g[7]) - g[1] * (g[3] * g[8] - g[5] * g[6]) + g[2] * (g[3] * g[7] - g[4] * g[6]),
  );
  const spacing = [
    det / Math.sqrt(g[4] * g[8] - g[5] ** 2),
    det / Math.sqrt(g[0] * g[8] - g[2] ** 2),
    det / Math.sqrt(g[0] * g[4] - g[1] ** 2),
  ];
  const out: Neighbour[] = [];
  for (let j = 0; j < positions.length; j++) {
    const x = positions[j]!;
    // Distinct images of the site within one cell: special positions give fewer than there are operators.
    const images: { o: Operator; y: number[] }[] = [];
    for (const o of operators) {
      const { r, t } = o;
      const y = [
        r[0] * x[0] + r[1] * x[1] + r[2] * x[2] + t[0],
        r[3] * x[0] + r[4] * x[1] + r[5] * x[2] + t[1],
        r[6] * x[0] + r[7] * x[1] + r[8] * x[2] + t[2],
      ];
      if (!images.some((m) => m.y.every((v, i) => Math.abs(v - y[i]! - Math.round(v - y[i]!)) < 1e-4)))
        images.push({ o, y });
    }
    for (const i of centres) {
      const limit = reachOf(i, j);
      if (!(limit > 0)) continue;
      const c = positions[i]!;
      for (const { o, y } of images) {
        const base = [0, 1, 2].map((k) => Math.round(c[k]! - y[k]!));
        const range = spacing.map((s) => Math.ceil(limit / s - 0.5 + 1e-9));
        for (let u = -range[0]!; u <= range[0]!; u++)
          for (let v = -range[1]!; v <= range[1]!; v++)
            for (let w = -range[2]!; w <= range[2]!; w++) {
              const n = [base[0]! + u, base[1]! + v, base[2]! + w];
              const d = [y[0]! + n[0]! - c[0], y[1]! + n[1]! - c[1], y[2]! + n[2]! - c[2]] as const;
              const q =
                d[0] * d[0] * g[0] +
                d[1] * d[1] * g[4] +
                d[2] * d[2] * g[8] +
                2 * (d[0] * d[1] * g[1] + d[0] * d[2] * g[2] + d[1] * d[2] * g[5]);
              if (q > limit * limit || q < 1e-4) continue;
              out.push({
                from: i,
                to: j,
                operator: { r: o.r, t: [o.t[0] + n[0]!, o.t[1] + n[1]!, o.t[2] + n[2]!] },
                position: [c[0] + d[0], c[1] + d[1], c[2] + d[2]],
                distance: Math.sqrt(q),
              });
            }
      }
    }
  }
  return out;
}
