/**
 * Indexing by successive dichotomy (Boultif & Louër 1991, J. Appl. Cryst. 24, 987): boxes of cell constants are halved as long as every line
 * can be indexed somewhere inside, system by system and by rising volume; solutions are refined and judged by M20 (de Wolff 1968,
 * J. Appl. Cryst. 1, 108) and F_N (Smith & Snyder 1979, J. Appl. Cryst. 12, 60). Triclinic cells come from lines taken as 100, 010, 001
 * and sums of pairs in reciprocal space (Ito 1949), since six constants are too many to halve.
 */
import { cellVolume, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { niggliReduce } from '../crystal/lattice.ts';
import { metricTensor, transformCell } from '../crystal/cell.ts';
import type { TaskContext } from '../task-context.ts';
import { groupHints, INDEX_SYSTEMS, type IndexedLine, type IndexSystem, type Lines } from './index-groups.ts';
import type { Mat3 } from '../math/matrix3.ts';
import { refineCell, judge } from './index-refine.ts';

export interface IndexOptions {
  readonly wavelength: number;
  /** Largest error of a position, degrees of 2θ. */
  readonly tolerance: number;
  readonly systems?: readonly IndexSystem[];
  /** Lines that may stay unindexed. */
  readonly impurities?: number;
  readonly maxLength?: number;
  readonly maxVolume?: number;
  /** Seconds after which the search of the lower systems ends. */
  readonly seconds?: number;
}

export interface IndexedCell {
  readonly cell: Cell;
  readonly system: IndexSystem;
  readonly centring: string;
  readonly volume: number;
  readonly m20: number;
  readonly f20: number;
  /** Lines counted in M and F. */
  readonly lines: number;
  readonly indexed: readonly IndexedLine[];
  /** Zero that brings the lines nearest, degrees. */
  readonly zero: number;
  /** Space groups whose conditions all lines obey, fewest unobserved reflections first. */
  readonly groups: readonly { readonly symbol: string; readonly possible: number }[];
}

export interface IndexProgress {
  readonly system: IndexSystem;
  readonly volume: number;
  readonly found: number;
  readonly best: number;
}

function linesOf(twoTheta: readonly number[], o: IndexOptions): Lines {
  const sorted = [...twoTheta].sort((p, q) => p - q);
  const rad = Math.PI / 360;
  const q = Float64Array.from(sorted, (t) => (4 * Math.sin(t * rad) ** 2) / (o.wavelength * o.wavelength));
  const error = Float64Array.from(
    sorted,
    (t) => (4 * Math.sin(2 * t * rad) * o.tolerance * rad) / (o.wavelength * o.wavelength),
  );
  return { q, error, twoTheta: sorted };
}

/** Whether every line (but some) has an index triple whose 1/d² interval over the box holds it. Arrays: lower and upper bounds of A, B, C, E. */
function possible(
  L: Lines,
  n: number,
  lo: Float64Array,
  hi: Float64Array,
  hexagonal: boolean,
  monoclinic: boolean,
  symmetric: boolean,
  spare: number,
): boolean {
  let missed = 0;
  const top = L.q[n - 1]! + L.error[n - 1]!;
  const hMax = Math.min(
      14,
      Math.floor(Math.sqrt(top / (hexagonal ? 0.75 * lo[0]! : monoclinic ? lo[0]! * 0.55 : lo[0]!))),
    ),
    kMax = Math.min(14, Math.floor(Math.sqrt(top / lo[1]!)) + (hexagonal ? 1 : 0)),
    lMax = Math.min(20, Math.floor(Math.sqrt(top / (monoclinic ? lo[2]! * 0.55 : lo[2]!))));
  lines: for (let i = 0; i < n; i++) {
    const from = L.q[i]! - L.error[i]!,
      to = L.q[i]! + L.error[i]!;
    for (let h = 0; h <= hMax; h++) {
      const hl0 = h * h * lo[0]!,
        hu0 = h * h * hi[0]!;
      if (!monoclinic && hl0 > to) break;
      for (let k = symmetric ? h : 0; k <= kMax; k++) {
        const cross = hexagonal ? h * k : 0;
        const a = hl0 + cross * lo[0]! + k * k * lo[1]!,
          b = hu0 + cross * hi[0]! + k * k * hi[1]!;
        if (!monoclinic && a > to) break;
        if (monoclinic && k * k * lo[1]! > to) break;
        if (!monoclinic) {
          for (let l = 0; l <= lMax; l++) {
            const s = l * l;
            if (a + s * lo[2]! > to) break;
            if (b + s * hi[2]! >= from) continue lines;
          }
        } else {
          for (let l = h === 0 ? 0 : -lMax; l <= lMax; l++) {
            const s = l * l,
              x = h * l;
            const low = a + s * lo[2]! + (x > 0 ? x * lo[3]! : x * hi[3]!),
              high = b + s * hi[2]! + (x > 0 ? x * hi[3]! : x * lo[3]!);
            if (low <= to && high >= from) continue lines;
          }
        }
      }
    }
    if (++missed > spare) return false;
  }
  return true;
}

/** Bounds of the coefficients over a box of cell constants (lengths Å, β degrees, which is at least 90). */
function bounds(system: IndexSystem, box: Float64Array, lo: Float64Array, hi: Float64Array): number {
  const inv2 = (x: number): number => 1 / (x * x);
  switch (system) {
    case 'cubic':
      lo.fill(inv2(box[1]!), 0, 3);
      hi.fill(inv2(box[0]!), 0, 3);
      return box[0]! ** 3;
    case 'tetragonal':
      lo[0] = lo[1] = inv2(box[1]!);
      hi[0] = hi[1] = inv2(box[0]!);
      lo[2] = inv2(box[3]!);
      hi[2] = inv2(box[2]!);
      return box[0]! ** 2 * box[2]!;
    case 'hexagonal':
      lo[0] = lo[1] = (4 / 3) * inv2(box[1]!);
      hi[0] = hi[1] = (4 / 3) * inv2(box[0]!);
      lo[2] = inv2(box[3]!);
      hi[2] = inv2(box[2]!);
      return 0.866 * box[0]! ** 2 * box[2]!;
    case 'orthorhombic':
      for (let i = 0; i < 3; i++) {
        lo[i] = inv2(box[2 * i + 1]!);
        hi[i] = inv2(box[2 * i]!);
      }
      return box[0]! * box[2]! * box[4]!;
    default: {
      const r = Math.PI / 180,
        s0 = Math.sin(box[6]! * r),
        s1 = Math.sin(box[7]! * r),
        c0 = -Math.cos(box[6]! * r),
        c1 = -Math.cos(box[7]! * r);
      lo[0] = inv2(box[1]! * s0);
      hi[0] = inv2(box[0]! * s1);
      lo[1] = inv2(box[3]!);
      hi[1] = inv2(box[2]!);
      lo[2] = inv2(box[5]! * s0);
      hi[2] = inv2(box[4]! * s1);
      // E = 2 a* c* cos β* with cos β* = −cos β ≥ 0.
      lo[3] = (2 * c0) / (box[1]! * box[5]! * s0 * s0);
      hi[3] = (2 * c1) / (box[0]! * box[4]! * s1 * s1);
      return box[0]! * box[2]! * box[4]! * s1;
    }
  }
}

interface Search {
  L: Lines;
  n: number;
  o: IndexOptions;
  found: IndexedCell[];
  deadline: number;
  context: TaskContext<IndexProgress>;
  told: number;
}

/** Best M among what was found. */
const bestOf = (s: Search): number => s.found.reduce((m, c) => Math.max(m, c.m20), 0);

async function dichotomy(s: Search, system: IndexSystem, maxVolume: number): Promise<void> {
  const { L, n, o } = s;
  const lengths = system === 'cubic' ? 1 : system === 'tetragonal' || system === 'hexagonal' ? 2 : 3;
  const dims = system === 'monoclinic' ? 4 : lengths;
  const longest = o.maxLength ?? (system === 'cubic' ? 30 : system === 'monoclinic' ? 20 : 26),
    shortest = 2.4;
  const stepLength = system === 'monoclinic' ? 0.5 : system === 'orthorhombic' ? 0.5 : 0.4;
  const lo = new Float64Array(4),
    hi = new Float64Array(4);
  const steps = Math.ceil((longest - shortest) / stepLength);
  const cosines = system === 'monoclinic' ? 8 : 1;
  const spare = o.impurities ?? 0;
  const hexagonal = system === 'hexagonal',
    monoclinic = system === 'monoclinic',
    symmetric = system === 'cubic' || system === 'tetragonal' || hexagonal;
  const shell = system === 'cubic' ? 4000 : monoclinic ? 120 : 400;
  let work = 0;
  const leaf = 0.004;
  const recurse = async (box: Float64Array, lines: number): Promise<void> => {
    if (
      performance.now() > s.deadline ||
      s.found.some((c) => c.system === system && c.m20 > 55 && c.indexed.length >= n)
    )
      return;
    if (++work % 64 === 0) await s.context.breath();
    bounds(system, box, lo, hi);
    let widest = 0;
    for (let i = 0; i < lengths; i++) widest = Math.max(widest, (box[2 * i + 1]! - box[2 * i]!) / box[2 * i]!);
    // Few lines suffice to rule out wide boxes; all must fit in narrow ones.
    const count = Math.min(n, widest > 0.06 ? Math.min(lines, 8) : widest > 0.025 ? 14 : n);
    if (!possible(L, count, lo, hi, hexagonal, monoclinic, symmetric, spare)) return;
    if (widest < leaf) {
      const q = centre(system, box);
      const refined = refineCell(L, n, system, q, o.tolerance);
      if (!refined) return;
      const judged = judge(L, n, system, refined.q, refined.indexed, o);
      if (judged && judged.m20 > 4 && judged.volume <= maxVolume * 1.1) remember(s.found, judged);
      return;
    }
    const halves = 1 << dims;
    for (let c = 0; c < halves; c++) {
      const child = Float64Array.from(box);
      for (let i = 0; i < dims; i++) {
        const mid = (box[2 * i]! + box[2 * i + 1]!) / 2;
        if (c & (1 << i)) child[2 * i] = mid;
        else child[2 * i + 1] = mid;
      }
      await recurse(child, n);
    }
  };
  for (let v0 = 0; v0 < maxVolume; v0 += shell) {
    const v1 = Math.min(maxVolume, v0 + shell);
    s.context.progress({ system, volume: v1, found: s.found.length, best: bestOf(s) });
    const walk = async (box: Float64Array, i: number): Promise<void> => {
      if (performance.now() > s.deadline) return;
      if (i === lengths) {
        for (let g = 0; g < cosines; g++) {
          if (monoclinic) {
            box[6] = 90 + 4 * g;
            box[7] = 94 + 4 * g;
          }
          const r = Math.PI / 180,
            sMax = monoclinic ? Math.sin(box[6]! * r) : 1,
            sMin = monoclinic ? Math.sin(box[7]! * r) : 1;
          const k = hexagonal ? 0.866 : 1;
          const small =
            k *
            sMin *
            (system === 'cubic' ? box[0]! ** 3 : lengths === 2 ? box[0]! ** 2 * box[2]! : box[0]! * box[2]! * box[4]!);
          const large =
            k *
            sMax *
            (system === 'cubic' ? box[1]! ** 3 : lengths === 2 ? box[1]! ** 2 * box[3]! : box[1]! * box[3]! * box[5]!);
          // A box belongs to the shell its middle volume lies in.
          const mid = (small + large) / 2;
          if (mid < v0 || mid >= v1) continue;
          await recurse(Float64Array.from(box), 6);
        }
        return;
      }
      for (let j = 0; j < steps; j++) {
        box[2 * i] = shortest + j * stepLength;
        box[2 * i + 1] = box[2 * i]! + stepLength;
        // Lengths in rising order where symmetry makes the axes alike (a ≤ c in monoclinic cells).
        if (system === 'orthorhombic' && i > 0 && box[2 * i + 1]! <= box[2 * i - 2]!) continue;
        if (monoclinic && i === 2 && box[5]! <= box[0]!) continue;
        await walk(box, i + 1);
      }
    };
    await walk(new Float64Array(8), 0);
    // A convincing cell ends the search for larger ones of its system.
    if (s.found.some((c) => c.system === system && c.m20 > 25)) break;
  }
}

function centre(system: IndexSystem, b: Float64Array): number[] {
  const m = (i: number): number => (b[2 * i]! + b[2 * i + 1]!) / 2;
  const cell: Cell =
    system === 'cubic'
      ? { a: m(0), b: m(0), c: m(0), alpha: 90, beta: 90, gamma: 90 }
      : system === 'tetragonal'
        ? { a: m(0), b: m(0), c: m(1), alpha: 90, beta: 90, gamma: 90 }
        : system === 'hexagonal'
          ? { a: m(0), b: m(0), c: m(1), alpha: 90, beta: 90, gamma: 120 }
          : { a: m(0), b: m(1), c: m(2), alpha: 90, beta: system === 'monoclinic' ? m(3) : 90, gamma: 90 };
  const g = reciprocalMetric(cell);
  return [g[0], g[4], g[8], 2 * g[5], 2 * g[2], 2 * g[1]];
}

/** Keeps one of each lattice: the same reduced cell counts once, with the higher merit. */
function remember(found: IndexedCell[], c: IndexedCell): void {
  const same = found.findIndex(
    (x) => x.system === c.system && x.centring === c.centring && sameLattice(x.cell, c.cell),
  );
  if (same < 0) found.push(c);
  else if (found[same]!.m20 < c.m20) found[same] = c;
}

function sameLattice(p: Cell, q: Cell): boolean {
  if (Math.abs(cellVolume(p) / cellVolume(q) - 1) > 0.004) return false;
  const a = niggliReduce(metricTensor(p)),
    b = niggliReduce(metricTensor(q));
  const ca = transformCell(p, a.p as Mat3),
    cb = transformCell(q, b.p as Mat3);
  return (
    [ca.a - cb.a, ca.b - cb.b, ca.c - cb.c].every((x) => Math.abs(x) < 0.02) &&
    [ca.alpha - cb.alpha, ca.beta - cb.beta, ca.gamma - cb.gamma].every((x) => Math.abs(x) < 0.4)
  );
}

/** Triclinic trials: three lines as 100, 010, 001, and the cross terms from lines taken as their sums and differences. */
async function triclinic(s: Search, maxVolume: number): Promise<void> {
  const { L, n, o } = s;
  const first = Math.min(8, n);
  let tries = 0;
  for (let i = 0; i < first; i++)
    for (let j = i + 1; j < first; j++)
      for (let k = j + 1; k < first; k++) {
        if (performance.now() > s.deadline) return;
        const A = L.q[i]!,
          B = L.q[j]!,
          C = L.q[k]!;
        const cross = (x: number, y: number): number[] => {
          const most = 1.2 * Math.sqrt(x * y);
          const out = [0];
          for (let m = 0; m < n; m++) {
            const f = L.q[m]! - x - y;
            if (Math.abs(f) <= most) out.push(f);
          }
          return out;
        };
        const ds = cross(B, C),
          es = cross(A, C),
          fs = cross(A, B);
        for (const D of ds)
          for (const E of es)
            for (const F of fs) {
              for (const sign of D && E && F ? [1, -1] : [1]) {
                if (++tries % 256 === 0) {
                  await s.context.breath();
                  if (performance.now() > s.deadline) return;
                }
                const q = [A, B, C, sign * D, E, F];
                const det =
                  q[0]! * q[1]! * q[2]! +
                  (q[3]! * q[4]! * q[5]!) / 4 -
                  (q[0]! * q[3]! ** 2 + q[1]! * q[4]! ** 2 + q[2]! * q[5]! ** 2) / 4;
                if (!(det > (1 / (maxVolume * maxVolume)) * 0.8)) continue;
                if (!quickly(L, Math.min(n, 13), q, 3)) continue;
                const refined = refineCell(L, n, 'triclinic', q, o.tolerance);
                if (!refined) continue;
                const judged = judge(L, n, 'triclinic', refined.q, refined.indexed, o);
                if (judged && judged.m20 > 6) remember(s.found, reduced(judged));
              }
            }
        s.context.progress({ system: 'triclinic', volume: maxVolume, found: s.found.length, best: bestOf(s) });
      }
}

function reduced(c: IndexedCell): IndexedCell {
  const cell = transformCell(c.cell, niggliReduce(metricTensor(c.cell)).p as Mat3);
  return { ...c, cell };
}

/** Whether all but a few lines lie near some lattice point, the tolerance opened for unrefined constants. */
function quickly(L: Lines, n: number, q: readonly number[], slack: number): boolean {
  let missed = 0;
  lines: for (let i = 0; i < n; i++) {
    const v = L.q[i]!,
      e = L.error[i]! * slack;
    const hm = Math.min(6, Math.ceil(Math.sqrt(v / (q[0]! * 0.6)))),
      km = Math.min(6, Math.ceil(Math.sqrt(v / (q[1]! * 0.6)))),
      lm = Math.min(6, Math.ceil(Math.sqrt(v / (q[2]! * 0.6))));
    for (let h = 0; h <= hm; h++)
      for (let k = h ? -km : 0; k <= km; k++) {
        const base = h * h * q[0]! + k * k * q[1]! + h * k * q[5]!,
          slope = k * q[3]! + h * q[4]!;
        for (let l = -lm; l <= lm; l++) if (Math.abs(base + l * l * q[2]! + l * slope - v) <= e) continue lines;
      }
    if (++missed > Math.max(1, n * 0.15)) return false;
  }
  return true;
}

/** Cells that index a list of 2θ, best first. Throws RangeError with fewer than eight lines. */
export async function indexPattern(
  twoTheta: readonly number[],
  o: IndexOptions,
  context: TaskContext<IndexProgress>,
): Promise<IndexedCell[]> {
  if (twoTheta.length < 8)
    throw new RangeError(
      `${twoTheta.length} lines are too few to find a cell. Give at least eight, better twenty, of the first lines of one phase.`,
    );
  const L = linesOf(twoTheta, o),
    n = Math.min(20, L.q.length);
  const d = 1 / Math.sqrt(L.q[n - 1]!);
  // Volume from the number of lines (Smith 1977, J. Appl. Cryst. 10, 252: 13.39 d20³ for triclinic cells), with room for absent lines.
  const base = (0.6 * d ** 3) / (1 / n - 0.0052);
  const room: Readonly<Record<IndexSystem, number>> = {
    cubic: 96,
    tetragonal: 24,
    hexagonal: 24,
    orthorhombic: 11,
    monoclinic: 4.2,
    triclinic: 3,
  };
  const start = performance.now();
  const s: Search = { L, n, o, found: [], deadline: start + 1000 * (o.seconds ?? 55), context, told: 0 };
  for (const system of o.systems ?? INDEX_SYSTEMS) {
    const limit = Math.min(o.maxVolume ?? 4000, Math.max(80, base * room[system]));
    if (system === 'triclinic') await triclinic(s, limit);
    else await dichotomy(s, system, limit);
    await context.breath();
    // Lower systems can only describe the same lattice again.
    if (s.found.some((c) => c.m20 > 30 && c.indexed.length >= n)) break;
  }
  const lattices: IndexedCell[] = [];
  for (const c of s.found.sort((p, q) => q.m20 - p.m20))
    if (!lattices.some((x) => sameLattice(x.cell, c.cell) && x.m20 >= c.m20 && x.centring === c.centring))
      lattices.push(c);
  return lattices.slice(0, 20).map((c) => ({ ...c, groups: groupHints(L, c) }));
}
