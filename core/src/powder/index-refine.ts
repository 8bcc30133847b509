/** Cell constants that index a list of lines: refined on them, and judged by M20 and F20. */
import { cellVolume } from '../crystal/cell.ts';
import { laueClass } from '../crystal/point-group.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { choleskyInPlace, choleskySolve } from '../math/linear.ts';
import { cellOfQuadratic } from './model.ts';
import {
  CENTRINGS,
  groupsOf,
  LAUE_SYMBOL,
  obeys,
  possibleLines,
  type IndexedLine,
  type IndexSystem,
  type Lines,
} from './index-groups.ts';
import type { IndexedCell, IndexOptions } from './index-cells.ts';

/** Free coefficients of 1/d² = A h² + B k² + C l² + D kl + E hl + F hk by system: which of the six each free one drives. */
export const TIES: Readonly<Record<IndexSystem, readonly (readonly number[])[]>> = {
  cubic: [[1, 1, 1, 0, 0, 0]],
  tetragonal: [
    [1, 1, 0, 0, 0, 0],
    [0, 0, 1, 0, 0, 0],
  ],
  hexagonal: [
    [1, 1, 0, 0, 0, 1],
    [0, 0, 1, 0, 0, 0],
  ],
  orthorhombic: [
    [1, 0, 0, 0, 0, 0],
    [0, 1, 0, 0, 0, 0],
    [0, 0, 1, 0, 0, 0],
  ],
  monoclinic: [
    [1, 0, 0, 0, 0, 0],
    [0, 1, 0, 0, 0, 0],
    [0, 0, 1, 0, 0, 0],
    [0, 0, 0, 0, 1, 0],
  ],
  triclinic: [0, 1, 2, 3, 4, 5].map((i) => [0, 1, 2, 3, 4, 5].map((j) => (i === j ? 1 : 0))),
};

/** Least squares of the free coefficients (and nothing else) on the lines, nearest indices taken anew each round. */
export function refineCell(
  L: Lines,
  n: number,
  system: IndexSystem,
  start: number[],
  tolerance: number,
): { q: number[]; indexed: (IndexedLine | undefined)[] } | undefined {
  const ties = TIES[system];
  let q = start;
  let indexed: (IndexedLine | undefined)[] = [];
  // The first lines are safe to index with rough constants; the others follow as the constants settle.
  for (const [count, slack] of [
    [Math.min(n, 9), 4],
    [Math.min(n, 14), 2.5],
    [n, 1.8],
    [n, 1.15],
  ] as const) {
    indexed = assign(L, count, q, tolerance * slack);
    const m = ties.length;
    const a = new Float64Array(m * m),
      b = new Float64Array(m);
    let used = 0;
    indexed.forEach((x, i) => {
      if (!x) return;
      used++;
      const t = [x.h * x.h, x.k * x.k, x.l * x.l, x.k * x.l, x.h * x.l, x.h * x.k];
      const row = ties.map((tie) => tie.reduce((s, c, j) => s + c * t[j]!, 0));
      const w = 1 / L.error[i]! ** 2;
      row.forEach((u, p) => {
        b[p]! += w * u * L.q[i]!;
        row.forEach((v, r) => (a[p * m + r]! += w * u * v));
      });
    });
    if (used < Math.max(m + 1, 0.7 * count)) return undefined;
    for (let p = 0; p < m; p++) a[p * m + p]! *= 1 + 1e-10;
    if (choleskyInPlace(a, m).length) return undefined;
    const x = choleskySolve(a, m, b);
    const next = [0, 0, 0, 0, 0, 0];
    ties.forEach((tie, p) => tie.forEach((c, j) => (next[j]! += c * x[p]!)));
    if (!(next[0]! > 0 && next[1]! > 0 && next[2]! > 0)) return undefined;
    try {
      cellOfQuadratic(next);
    } catch {
      return undefined;
    }
    q = next;
  }
  return { q, indexed };
}

/** Nearest calculated reflection of each of the first n lines, undefined beyond the tolerance. */
function assign(L: Lines, n: number, q: readonly number[], tolerance: number): (IndexedLine | undefined)[] {
  const top = L.q[n - 1]! * 1.02;
  const list: { q: number; h: number; k: number; l: number }[] = [];
  const cell = cellOfQuadratic(q);
  if (!(cellVolume(cell) > 8)) return [];
  const hm = Math.min(24, Math.ceil(cell.a * Math.sqrt(top))),
    km = Math.min(24, Math.ceil(cell.b * Math.sqrt(top))),
    lm = Math.min(24, Math.ceil(cell.c * Math.sqrt(top)));
  for (let h = 0; h <= hm; h++)
    for (let k = h ? -km : 0; k <= km; k++)
      for (let l = h || k ? -lm : 1; l <= lm; l++) {
        const v = h * h * q[0]! + k * k * q[1]! + l * l * q[2]! + k * l * q[3]! + h * l * q[4]! + h * k * q[5]!;
        if (v <= top) list.push({ q: v, h, k, l });
      }
  list.sort((a, b) => a.q - b.q);
  const wavelength = L.q[0]! > 0 ? (2 * Math.sin((L.twoTheta[0]! * Math.PI) / 360)) / Math.sqrt(L.q[0]!) : 1;
  const degrees = (v: number): number =>
    (360 / Math.PI) * Math.asin(Math.min(1, (wavelength * Math.sqrt(Math.max(0, v))) / 2));
  return Array.from({ length: n }, (_, i) => {
    let lo = 0,
      hi = list.length;
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (list[mid]!.q < L.q[i]!) lo = mid + 1;
      else hi = mid;
    }
    const near = [list[lo - 1], list[lo]]
      .filter((x) => x !== undefined)
      .sort((a, b) => Math.abs(a.q - L.q[i]!) - Math.abs(b.q - L.q[i]!))[0];
    if (!near) return undefined;
    const delta = L.twoTheta[i]! - degrees(near.q);
    return Math.abs(delta) <= tolerance ? { line: i, h: near.h, k: near.k, l: near.l, delta } : undefined;
  });
}

/** Judges refined coefficients: best centring, M and F, group hints. */
export function judge(
  L: Lines,
  n: number,
  system: IndexSystem,
  q: number[],
  indexed: (IndexedLine | undefined)[],
  o: IndexOptions,
): IndexedCell | undefined {
  const cell = cellOfQuadratic(q),
    volume = cellVolume(cell);
  const used = indexed.filter((x) => x !== undefined);
  if (used.length < n - (o.impurities ?? 0) || volume < 20) return undefined;
  const last = L.q[n - 1]! + L.error[n - 1]!;
  const dq = used.reduce((s, x) => s + Math.abs(L.q[x.line]! - quad(q, x)), 0) / used.length || 1e-9;
  const dt = used.reduce((s, x) => s + Math.abs(x.delta), 0) / used.length || 1e-6;
  let best: { centring: string; count: number } | undefined;
  for (const centring of CENTRINGS[system]) {
    const symbol = groupsOf(system, centring).find(
      (g) => laueClass(g.group) === LAUE_SYMBOL[system] || centring === 'R',
    );
    if (!symbol) continue;
    const bare: SpaceGroup = {
      ...symbol.group,
      representatives: symbol.group.representatives.map((r) => ({ r: r.r, t: [0, 0, 0] })),
    };
    if (centring !== 'P' && !obeys(bare, indexed, L, cell)) continue;
    const count = possibleLines(cell, bare, last).length;
    if (!best || count < best.count) best = { centring, count };
  }
  if (!best) return undefined;
  const m20 = L.q[n - 1]! / (2 * dq * best.count),
    f20 = (1 / dt) * (used.length / best.count);
  return {
    cell,
    system,
    centring: best.centring,
    volume,
    m20,
    f20,
    lines: n,
    indexed: used,
    zero: used.reduce((s, x) => s + x.delta, 0) / used.length,
    groups: [],
  };
}

const quad = (q: readonly number[], x: { h: number; k: number; l: number }): number =>
  x.h * x.h * q[0]! + x.k * x.k * q[1]! + x.l * x.l * q[2]! + x.k * x.l * q[3]! + x.h * x.l * q[4]! + x.h * x.k * q[5]!;
