/**
 * The space group and its origin in the phases of a P1 solution (Palatinus & van der Lee 2008, J. Appl. Cryst. 41, 975):
 * for every candidate group one Fourier map over trial origins shows where the phases obey its operators.
 */
import { RealFft3, goodLength, gridSize, halfLength, halfSize } from '../math/fft.ts';
import { inverseSpacing, reciprocalMetric } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { PhasingData } from './expand.ts';

/** Look-up from index triple to reflection number and whether the stored one is its Friedel mate. */
export class PhaseIndex {
  private readonly table = new Map<number, number>();

  constructor(private readonly data: PhasingData) {
    for (let i = 0; i < data.h.length; i++) this.table.set(key(data.h[i]!, data.k[i]!, data.l[i]!), i);
  }

  /** Number + 1, negative for the mate; 0 when the reflection is not in the data. */
  find(h: number, k: number, l: number): number {
    const direct = this.table.get(key(h, k, l));
    if (direct !== undefined) return direct + 1;
    const mate = this.table.get(key(-h, -k, -l));
    return mate === undefined ? 0 : -(mate + 1);
  }

  get size(): number {
    return this.data.h.length;
  }
}
const key = (h: number, k: number, l: number): number => ((l + 1000) * 2000 + (k + 1000)) * 2000 + h + 1000;

export interface OriginMatch {
  /** Mean cosine of the phase errors over all operators, weighted by amplitudes; 1 is perfect. */
  score: number;
  /** Position of the group's origin in the frame of the phases. */
  origin: Vec3;
  /** Agreement of each representative but the identity. */
  operators: number[];
}

interface Term {
  i: number;
  j: number;
  op: number;
  m: Vec3;
  weight: number;
  constant: number;
  mate: boolean;
}

/** Pairs of reflections tied by the operators of a group; independent of the phases, so built once per group. */
export class SymmetryProbe {
  private readonly terms: Term[] = [];
  private readonly coarse: Term[];
  private readonly fft: RealFft3;
  private readonly totals: number[];
  private readonly coarseTotal: number;

  constructor(
    readonly group: SpaceGroup,
    data: PhasingData,
    index: PhaseIndex,
  ) {
    const g = reciprocalMetric(data.cell);
    const coarseLimit = 1 / Math.max(1.3, data.dMin);
    const strong = Math.floor(data.h.length * 0.5);
    const operators = group.representatives;
    this.totals = operators.map(() => 0);
    const isCoarse: boolean[] = [];
    for (let i = 0; i < strong; i++) {
      const h = data.h[i]!,
        k = data.k[i]!,
        l = data.l[i]!;
      const low = inverseSpacing(g, h, k, l) <= coarseLimit;
      operators.forEach(({ r, t }, op) => {
        if (op === 0) return;
        const p = h * r[0] + k * r[3] + l * r[6],
          q = h * r[1] + k * r[4] + l * r[7],
          s = h * r[2] + k * r[5] + l * r[8];
        const found = index.find(p, q, s);
        if (!found) return;
        const j = Math.abs(found) - 1;
        if (j >= strong) return;
        const weight = data.amplitude[i]! * data.amplitude[j]!;
        this.totals[op]! += weight;
        this.terms.push({
          i,
          j,
          op,
          m: [p - h, q - k, s - l],
          weight,
          constant: 2 * Math.PI * (h * t[0] + k * t[1] + l * t[2]),
          mate: found < 0,
        });
        isCoarse.push(low);
      });
    }
    this.coarse = this.terms.filter((_, n) => isCoarse[n]);
    this.coarseTotal = this.coarse.reduce((sum, t) => sum + t.weight, 0);
    // m reaches twice the index range; four points a period find the peak.
    const length = (edge: number): number => goodLength(Math.min(160, 4 * edge * coarseLimit));
    this.fft = new RealFft3({ nx: length(data.cell.a), ny: length(data.cell.b), nz: length(data.cell.c) });
  }

  private angle(t: Term, phases: Float32Array): number {
    return (t.mate ? -phases[t.j]! : phases[t.j]!) - phases[t.i]! + t.constant;
  }

  /** Best origin for these phases. */
  match(phases: Float32Array): OriginMatch {
    if (this.group.representatives.length === 1) return { score: 0, origin: [0, 0, 0], operators: [] };
    const { grid } = this.fft;
    const { nx, ny, nz } = grid,
      half = halfLength(grid);
    const re = new Float64Array(halfSize(grid)),
      im = new Float64Array(halfSize(grid));
    const wrap = (x: number, n: number): number => ((x % n) + n) % n;
    for (const t of this.coarse) {
      const phi = this.angle(t, phases);
      const c = t.weight * Math.cos(phi),
        s = t.weight * Math.sin(phi);
      // Σ_m C(m) e^{−2πi m·x} is real after adding the conjugate at −m; the half-complex arrays hold the conjugate.
      for (const sign of [1, -1]) {
        const h = wrap(sign * t.m[0], nx);
        if (h >= half) continue;
        const at = h + half * (wrap(sign * t.m[1], ny) + ny * wrap(sign * t.m[2], nz));
        re[at]! += c / 2;
        im[at]! += (-sign * s) / 2;
      }
    }
    const map = new Float64Array(gridSize(grid));
    this.fft.backward(re, im, map);
    let best = 0;
    for (let p = 1; p < map.length; p++) if (map[p]! > map[best]!) best = p;
    let origin: Vec3 = [(best % nx) / nx, (Math.floor(best / nx) % ny) / ny, Math.floor(best / (nx * ny)) / nz];
    let step = [0.5 / nx, 0.5 / ny, 0.5 / nz];
    let value = this.coarseScore(phases, origin);
    for (let pass = 0; pass < 5; pass++) {
      for (let axis = 0; axis < 3; axis++)
        for (const d of [-1, 1]) {
          const trial = [...origin] as [number, number, number];
          trial[axis]! += d * step[axis]!;
          const v = this.coarseScore(phases, trial);
          if (v > value) {
            value = v;
            origin = trial;
          }
        }
      step = step.map((x) => x / 2);
    }
    return this.scoreAt(phases, origin);
  }

  private coarseScore(phases: Float32Array, x: Vec3): number {
    let sum = 0;
    for (const t of this.coarse)
      sum += t.weight * Math.cos(this.angle(t, phases) - 2 * Math.PI * (t.m[0] * x[0] + t.m[1] * x[1] + t.m[2] * x[2]));
    return sum / (this.coarseTotal || 1);
  }

  private scoreAt(phases: Float32Array, x: Vec3): OriginMatch {
    const sums = this.totals.map(() => 0);
    for (const t of this.terms)
      sums[t.op]! +=
        t.weight * Math.cos(this.angle(t, phases) - 2 * Math.PI * (t.m[0] * x[0] + t.m[1] * x[1] + t.m[2] * x[2]));
    const operators = sums.slice(1).map((s, i) => s / (this.totals[i + 1]! || 1));
    return { score: operators.reduce((p, q) => p + q, 0) / operators.length, origin: x, operators };
  }
}

/** Phases moved to the group's origin and averaged over its operators: cosine and sine sums of one reflection. */
export function symmetrizedPhase(
  group: SpaceGroup,
  index: PhaseIndex,
  phases: Float32Array,
  amplitude: Float64Array,
  origin: Vec3,
  h: number,
  k: number,
  l: number,
): { cos: number; sin: number } {
  let c = 0,
    s = 0;
  for (const { r, t } of group.representatives) {
    const p = h * r[0] + k * r[3] + l * r[6],
      q = h * r[1] + k * r[4] + l * r[7],
      u = h * r[2] + k * r[5] + l * r[8];
    const found = index.find(p, q, u);
    if (!found) continue;
    const j = Math.abs(found) - 1;
    // F₀(h) = F₀(hR) e^{+2πi h·t}, F₀(hR) = F(hR) e^{−2πi hR·x₀}.
    const phase =
      (found < 0 ? -phases[j]! : phases[j]!) -
      2 * Math.PI * (p * origin[0] + q * origin[1] + u * origin[2]) +
      2 * Math.PI * (h * t[0] + k * t[1] + l * t[2]);
    c += amplitude[j]! * Math.cos(phase);
    s += amplitude[j]! * Math.sin(phase);
  }
  const n = group.representatives.length;
  return { cos: c / n, sin: s / n };
}
