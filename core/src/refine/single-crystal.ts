/** Full-matrix least squares on F² against all data. */
import { choleskyInPlace, choleskyInverse, choleskySolve } from '../math/linear.ts';
import { elementOf } from '../crystal/elements.ts';
import { cellVolume, metricTensor } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { groupOrder, reflectionSymmetry, siteSymmetry } from '../crystal/space-group.ts';
import type { Displacement, Site, Structure } from '../crystal/structure.ts';
import { scatteringTable, SiteSums, STRIDE, structureFactors, type ScatteringTable, type SiteArrays } from '../scattering/structure-factors.ts';
import type { TaskContext } from '../task-context.ts';
import { packLower, type CovarianceData } from './covariance.ts';
import { NormalEquations } from './normal-equations.ts';
import {
  constraintMap, DISPLACEMENT, EXTINCTION, expandShift, OCCUPANCY, physicalValues, SCALE, siteOffset, type ConstraintMap, type FreeValues,
} from './parameters.ts';
import { floatingOrigin, type RestraintRow } from './restraints.ts';
import { optimizeWeights, weightOf, type Weights } from './weights.ts';

export interface RefineOptions {
  /** At most this many cycles. */
  cycles: number;
  weights: Weights;
  optimizeWeights: boolean;
  extinction: boolean;
  extinctionStart?: number;
  /** Indices of sites with free occupancy. */
  occupancies?: readonly number[];
  restraints?: readonly RestraintRow[];
  /** Stop when every |shift/s.u.| is below this. */
  settled?: number;
  /** S.u. and covariances at the end (needs one inversion). */
  covariance?: boolean;
}

export interface Readings {
  readonly r1: number;
  readonly r1All: number;
  readonly wr2: number;
  readonly s: number;
  readonly parameters: number;
  readonly restraints: number;
  readonly reflections: number;
  readonly observed: number;
  readonly maxShiftOverSu: number;
  readonly meanShiftOverSu: number;
  readonly weights: Weights;
  readonly scale: number;
  readonly extinction?: { readonly value: number; readonly su: number };
}

export interface CycleReport {
  cycle: number;
  r1: number;
  wr2: number;
  s: number;
  maxShiftOverSu: number;
  maxShiftOf: string;
}

export interface RefineResult {
  readonly structure: Structure;
  readonly readings: Readings;
  readonly history: CycleReport[];
  readonly state: 'settled' | 'moving' | 'diverged';
  /** One sentence on how it ended. */
  readonly message: string;
  readonly covariance?: CovarianceData;
  /** Labels of parameters the data do not determine. */
  readonly undetermined: string[];
}

/** Observed and calculated values of every reflection used, on the absolute scale. */
export interface CalculatedData {
  /** Indices into the merged set. */
  readonly used: Int32Array;
  readonly a: Float64Array;
  readonly b: Float64Array;
  /** Extinction-corrected |F|². */
  readonly fc2: Float64Array;
  readonly fo2: Float64Array;
  readonly sigma: Float64Array;
}

export const elementsOf = (s: Structure): string[] => [...new Set(s.sites.map((x) => x.element))];

/** Typed arrays of a structure's sites for a table's element order. */
export function siteArrays(s: Structure, elements: readonly string[]): SiteArrays {
  const n = s.sites.length, order = groupOrder(s.spaceGroup), metric = metricTensor(s.cell);
  const out = { count: n, element: new Int32Array(n), x: new Float64Array(3 * n), weight: new Float64Array(n), aniso: new Uint8Array(n), u: new Float64Array(6 * n) };
  s.sites.forEach((site, i) => {
    out.element[i] = elements.indexOf(site.element);
    out.x.set(site.position, 3 * i);
    out.weight[i] = (site.occupancy * siteSymmetry(s.spaceGroup, metric, site.position).multiplicity) / order;
    if (site.displacement.kind === 'aniso') {
      out.aniso[i] = 1;
      out.u.set(site.displacement.u, 6 * i);
    } else out.u[6 * i] = site.displacement.u;
  });
  return out;
}

/** Reflections of a merged set that the group allows. */
export function allowedReflections(r: MergedReflections, s: Structure): Int32Array {
  const used: number[] = [];
  for (let i = 0; i < r.count; i++) if (!reflectionSymmetry(s.spaceGroup, r.h[i]!, r.k[i]!, r.l[i]!).absent && r.sigma[i]! > 0) used.push(i);
  return Int32Array.from(used);
}

const pick = <T extends Int16Array | Float64Array>(values: T, used: Int32Array, make: new (n: number) => T): T => {
  const out = new make(used.length);
  for (let i = 0; i < used.length; i++) out[i] = values[used[i]!]!;
  return out;
};

/** Geometry factor of the extinction correction: λ³/sin 2θ · (1+cos⁴2θ)/(1+cos²2θ), scaled by 10⁻³ (Larson 1970, Crystallographic Computing, 291). */
function extinctionFactors(t: ScatteringTable, wavelength: number): Float64Array {
  return t.s2.map((s2) => {
    const sine = Math.min(0.999999, wavelength * Math.sqrt(s2));
    const theta2 = 2 * Math.asin(sine), c2 = Math.cos(theta2) ** 2;
    return ((1e-3 * wavelength ** 3) / Math.sin(theta2)) * ((1 + c2 * c2) / (1 + c2));
  });
}

/** The state of one refinement: arrays that stay, and the physical parameters that move. */
export class SingleCrystalProblem {
  readonly used: Int32Array;
  readonly table: ScatteringTable;
  readonly intensity: Float64Array;
  readonly sigma: Float64Array;
  readonly map: ConstraintMap;
  readonly sites: SiteArrays;
  private readonly siteFactor: Float64Array;
  private readonly delta: Float64Array;
  physical: Float64Array;
  weights: Weights;
  readonly restraints: RestraintRow[];
  readonly fc2: Float64Array;
  private readonly hasExtinction: boolean;

  constructor(readonly structure: Structure, reflections: MergedReflections, wavelength: number, options: RefineOptions, free: Partial<FreeValues> = {}) {
    this.used = allowedReflections(reflections, structure);
    const elements = elementsOf(structure);
    const hkl = { count: this.used.length, h: pick(reflections.h, this.used, Int16Array), k: pick(reflections.k, this.used, Int16Array), l: pick(reflections.l, this.used, Int16Array) };
    this.table = scatteringTable(structure.cell, structure.spaceGroup, hkl, elements, wavelength);
    this.intensity = pick(reflections.fsq, this.used, Float64Array);
    this.sigma = pick(reflections.sigma, this.used, Float64Array);
    this.sites = siteArrays(structure, elements);
    this.siteFactor = this.sites.weight.map((w, i) => w / (structure.sites[i]!.occupancy || 1));
    this.hasExtinction = options.extinction;
    this.map = constraintMap(structure, { extinction: options.extinction, ...(options.occupancies ? { occupancies: options.occupancies } : {}), ...free });
    this.weights = options.weights;
    this.restraints = [...(options.restraints ?? []), ...floatingOrigin(structure)];
    this.delta = extinctionFactors(this.table, wavelength || 0.71073);
    this.fc2 = new Float64Array(this.used.length);
    this.physical = physicalValues(structure, 1, options.extinction ? (options.extinctionStart ?? 0.001) : 0);
    this.physical[SCALE] = this.bestScale();
  }

  /** Moves the site arrays to the physical values. */
  private load(): void {
    const p = this.physical, s = this.sites;
    for (let j = 0; j < s.count; j++) {
      const at = siteOffset(j);
      for (let k = 0; k < 3; k++) s.x[3 * j + k] = p[at + k]!;
      s.weight[j] = p[at + OCCUPANCY]! * this.siteFactor[j]!;
      for (let k = 0; k < 6; k++) s.u[6 * j + k] = p[at + DISPLACEMENT + k]!;
    }
  }

  private bestScale(): number {
    this.load();
    const { a, b } = structureFactors(this.table, this.sites);
    let top = 0, bottom = 0;
    for (let i = 0; i < a.length; i++) {
      const f = a[i]! ** 2 + b[i]! ** 2;
      // Weak data carry no scale; amplitude weighting keeps the strongest few from deciding alone.
      top += Math.sqrt(Math.max(0, this.intensity[i]!) * f);
      bottom += f;
    }
    return bottom > 0 ? (top / bottom) ** 2 : 1;
  }

  /** Observed and calculated values at the present parameters. */
  calculated(): CalculatedData {
    this.load();
    const { a, b } = structureFactors(this.table, this.sites);
    const k = this.physical[SCALE]!, g = this.physical[EXTINCTION]!;
    const fc2 = a.map((x, i) => {
      const f = x * x + b[i]! * b[i]!;
      return f / Math.sqrt(1 + Math.max(0, 2 * g * f * this.delta[i]!));
    });
    return { used: this.used, a, b, fc2, fo2: this.intensity.map((x) => x / k), sigma: this.sigma.map((x) => x / k) };
  }

  /** Σ w(Fo² − Fc²)² on the measured scale plus restraints, at trial parameters, with the weights of the last assembly. */
  private cost(weight: Float64Array): number {
    const c = this.calculated();
    const k = this.physical[SCALE]!;
    let sum = 0;
    for (let i = 0; i < c.fc2.length; i++) sum += weight[i]! * (this.intensity[i]! - k * c.fc2[i]!) ** 2;
    for (const r of this.restraints) sum += ((r.target - r.evaluate(this.physical).value) / r.su) ** 2;
    return sum;
  }

  /** Design matrix and residuals into normal equations; also refreshes fc2. */
  async assemble(context: TaskContext): Promise<{ normal: NormalEquations; cost: number; weight: Float64Array }> {
    this.load();
    const { table: t, sites: s, map, delta } = this;
    const n = t.count, k = this.physical[SCALE]!, g = this.physical[EXTINCTION]!;
    const normal = new NormalEquations(map.independent);
    const weight = new Float64Array(n);
    const sums = new SiteSums(t, s);
    const derivative = new Float64Array(map.physical);
    const { start, column, value } = map;
    let cost = 0;
    for (let i = 0; i < n; i++) {
      if (i % 128 === 0) await context.breath();
      sums.at(i, true);
      const A = sums.a, B = sums.b, f2sq = A * A + B * B;
      const y = this.hasExtinction ? 1 / Math.sqrt(1 + Math.max(0, 2 * g * f2sq * delta[i]!)) : 1;
      const fc2 = f2sq * y;
      this.fc2[i] = fc2;
      const w = weightOf(this.weights, this.intensity[i]! / k, fc2, this.sigma[i]! / k) / (k * k);
      weight[i] = w;
      const root = Math.sqrt(w);
      const outer = this.hasExtinction ? k * y ** 3 * (1 + g * f2sq * delta[i]!) : k;
      derivative[SCALE] = fc2;
      derivative[EXTINCTION] = -k * f2sq * f2sq * delta[i]! * y ** 3;
      const terms = sums.terms;
      for (let j = 0; j < s.count; j++) {
        const base = j * STRIDE, at = siteOffset(j), e = s.element[j]!;
        const f1 = t.f[e * n + i]! * t.factor, f2 = t.f2[e]! * t.factor;
        // ∂|F|²/∂p = 2(A ∂A + B ∂B) = pc ∂C + ps ∂S.
        const unit = 2 * outer;
        const pc0 = unit * (A * f1 + B * f2), ps0 = unit * (B * f1 - A * f2);
        const pc = pc0 * s.weight[j]!, ps = ps0 * s.weight[j]!;
        derivative[at] = pc * terms[base + 2]! + ps * terms[base + 5]!;
        derivative[at + 1] = pc * terms[base + 3]! + ps * terms[base + 6]!;
        derivative[at + 2] = pc * terms[base + 4]! + ps * terms[base + 7]!;
        derivative[at + 3] = (pc0 * terms[base]! + ps0 * terms[base + 1]!) * this.siteFactor[j]!;
        derivative[at + 4] = pc * terms[base + 8]! + ps * terms[base + 14]!;
        if (s.aniso[j] === 1) for (let q = 1; q < 6; q++) derivative[at + 4 + q] = pc * terms[base + 8 + q]! + ps * terms[base + 14 + q]!;
      }
      const row = normal.storage, offset = normal.offset;
      for (let p = 0; p < map.physical; p++) {
        const to = start[p + 1]!;
        for (let q = start[p]!; q < to; q++) row[offset + column[q]!]! += root * derivative[p]! * value[q]!;
      }
      const residual = this.intensity[i]! - k * fc2;
      cost += w * residual * residual;
      normal.push(root * residual);
    }
    for (const r of this.restraints) {
      const { value: now, gradient } = r.evaluate(this.physical);
      const row = normal.storage, offset = normal.offset;
      for (const [p, d] of gradient) for (let q = start[p]!; q < start[p + 1]!; q++) row[offset + column[q]!]! += (d * value[q]!) / r.su;
      const residual = (r.target - now) / r.su;
      cost += residual * residual;
      normal.push(residual);
    }
    return { normal, cost, weight };
  }

  /** R1, wR2 and S of calculated data under the present weights. */
  figures(): { r1: number; r1All: number; wr2: number; s: number; observed: number } {
    const c = this.calculated();
    let top = 0, bottom = 0, topAll = 0, bottomAll = 0, chi = 0, norm = 0, observed = 0;
    for (let i = 0; i < c.fc2.length; i++) {
      const fo = Math.sqrt(Math.max(0, c.fo2[i]!)), fc = Math.sqrt(c.fc2[i]!);
      topAll += Math.abs(fo - fc);
      bottomAll += fo;
      // F > 4σ(F) is F² > 2σ(F²), since σ(F²) = 2Fσ(F).
      if (c.fo2[i]! > 2 * c.sigma[i]!) {
        top += Math.abs(fo - fc);
        bottom += fo;
        observed++;
      }
      const w = weightOf(this.weights, c.fo2[i]!, c.fc2[i]!, c.sigma[i]!);
      chi += w * (c.fo2[i]! - c.fc2[i]!) ** 2;
      norm += w * c.fo2[i]! ** 2;
    }
    const freedom = Math.max(1, c.fc2.length + this.restraints.filter((r) => !r.silent).length - this.map.independent);
    return { r1: top / bottom, r1All: topAll / bottomAll, wr2: Math.sqrt(chi / norm), s: Math.sqrt(chi / freedom), observed };
  }

  /** Label of an independent parameter, by the first physical value it drives. */
  nameOf(independent: number): string {
    for (let p = 0; p < this.map.physical; p++)
      for (let e = this.map.start[p]!; e < this.map.start[p + 1]!; e++)
        if (this.map.column[e] === independent) {
          if (p === SCALE) return 'overall scale';
          if (p === EXTINCTION) return 'extinction';
          const site = Math.floor((p - 2) / 10), part = (p - 2) % 10;
          const tensor = this.structure.sites[site]!.displacement.kind === 'aniso';
          return `${['x', 'y', 'z', 'occupancy', tensor ? 'U11' : 'U', 'U22', 'U33', 'U12', 'U13', 'U23'][part]} of ${this.structure.sites[site]!.label}`;
        }
    return `parameter ${independent}`;
  }

  trial(shifted: Float64Array, weight: Float64Array): number {
    const kept = this.physical;
    this.physical = shifted;
    const cost = this.cost(weight);
    this.physical = kept;
    return cost;
  }
}

/** Largest sensible move per cycle: 0.25 Å for coordinates, half of the value or 0.03 Å² for displacements, 0.3 for occupancies. */
function limitShift(problem: SingleCrystalProblem, shift: Float64Array): number {
  let factor = 1;
  const { a, b, c } = problem.structure.cell;
  const lengths = [a, b, c];
  problem.structure.sites.forEach((site, j) => {
    const at = siteOffset(j);
    for (let k = 0; k < 3; k++) factor = Math.min(factor, 0.25 / Math.max(1e-9, Math.abs(shift[at + k]!) * lengths[k]!));
    factor = Math.min(factor, 0.3 / Math.max(1e-9, Math.abs(shift[at + OCCUPANCY]!)));
    const count = site.displacement.kind === 'iso' ? 1 : 6;
    for (let k = 0; k < count; k++) factor = Math.min(factor, Math.max(0.03, 0.6 * Math.abs(problem.physical[at + DISPLACEMENT + k]!)) / Math.max(1e-9, Math.abs(shift[at + DISPLACEMENT + k]!)));
  });
  return Math.max(0.05, factor);
}

/** Structure with the values of physical parameters, s.u. attached where given. */
export function structureFromPhysical(s: Structure, p: Float64Array, su?: Float64Array): Structure {
  const sites = s.sites.map((site, j): Site => {
    const at = siteOffset(j);
    const slice = (array: Float64Array, n: number, from: number): number[] => Array.from(array.subarray(at + from, at + from + n));
    const displacement: Displacement = site.displacement.kind === 'iso'
      ? { kind: 'iso', u: p[at + DISPLACEMENT]!, su: su?.[at + DISPLACEMENT] ?? 0 }
      : { kind: 'aniso', u: slice(p, 6, DISPLACEMENT) as never, su: (su ? slice(su, 6, DISPLACEMENT) : [0, 0, 0, 0, 0, 0]) as never };
    return {
      ...site, position: slice(p, 3, 0) as never, positionSu: (su ? slice(su, 3, 0) : [0, 0, 0]) as never,
      occupancy: p[at + OCCUPANCY]!, occupancySu: su?.[at + OCCUPANCY] ?? 0, displacement,
    };
  });
  return { ...s, sites };
}

/** Keeps isotropic displacements physical between cycles; returns whether anything was held. */
function holdPositive(problem: SingleCrystalProblem, p: Float64Array): void {
  problem.structure.sites.forEach((site, j) => {
    const at = siteOffset(j) + DISPLACEMENT;
    if (site.displacement.kind === 'iso') p[at] = Math.min(1, Math.max(0.0005, p[at]!));
  });
  p[SCALE] = Math.max(1e-12, p[SCALE]!);
}

/**
 * Refines until settled, diverged or out of cycles. Shifts are limited, and damped further (Levenberg 1944; Marquardt 1963)
 * whenever they would raise the sum of squares. Never returns a model worse than the one it was given.
 */
export async function refineStructure(structure: Structure, reflections: MergedReflections, wavelength: number, options: RefineOptions, context: TaskContext<CycleReport>): Promise<RefineResult> {
  if (!structure.sites.length) throw new RangeError('There are no atoms to refine. Solve the structure or add atoms first.');
  for (const site of structure.sites) elementOf(site.element);
  const problem = new SingleCrystalProblem(structure, reflections, wavelength, options);
  const n = problem.map.independent;
  if (problem.used.length + problem.restraints.length < n) throw new RangeError(`${n} parameters cannot be refined against ${problem.used.length} reflections. Use isotropic displacements or more data.`);
  const history: CycleReport[] = [];
  const settledBelow = options.settled ?? 0.01;
  let damping = 0, state: RefineResult['state'] = 'moving', message = '';
  let undetermined: string[] = [];
  let last = { maxShift: Infinity, meanShift: Infinity, name: '' };
  let inverse: Float64Array | undefined;
  let extra = 0;
  const plannedCycles = Math.max(1, options.cycles);
  for (let cycle = 1; cycle <= plannedCycles + extra; cycle++) {
    const { normal, cost, weight } = await problem.assemble(context as TaskContext);
    const matrix = normal.complete();
    const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
    const scaled = new Float64Array(n * n);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) scaled[i * n + j] = matrix[i * n + j]! / (diagonal[i]! * diagonal[j]!);
    const right = normal.vector.map((x, i) => x / diagonal[i]!);
    let accepted = false, shift = new Float64Array(n);
    const data = problem.used.length;
    for (let attempt = 0; attempt < 6 && !accepted; attempt++) {
      const factor = scaled.slice();
      for (let i = 0; i < n; i++) factor[i * n + i]! *= 1 + damping;
      const weak = choleskyInPlace(factor, n);
      undetermined = weak.map((i) => problem.nameOf(i));
      shift = choleskySolve(factor, n, right).map((x, i) => x / diagonal[i]!);
      let physical = expandShift(problem.map, shift);
      const limit = Math.min(1, limitShift(problem, physical));
      if (limit < 1) physical = physical.map((x) => x * limit);
      const moved = problem.physical.map((x, i) => x + physical[i]!);
      holdPositive(problem, moved);
      const trial = problem.trial(moved, weight);
      if (trial <= cost * 1.001 + 1e-12) {
        problem.physical = moved;
        accepted = true;
        damping = damping > 1e-4 ? damping / 8 : 0;
        inverse = factor;
      } else damping = damping ? damping * 10 : 0.003;
      await context.breath();
    }
    const figures = problem.figures();
    const chi = Math.sqrt(cost / Math.max(1, data - n));
    // S.u. for the convergence test come from the factor already at hand: diag(N⁻¹) by columns would cost an inversion.
    const variances = accepted && inverse ? diagonalOfInverse(inverse, n) : new Float64Array(n).fill(NaN);
    let max = 0, sum = 0, at = 0;
    for (let i = 0; i < n; i++) {
      const su = (Math.sqrt(variances[i]!) / diagonal[i]!) * chi;
      const ratio = su > 0 ? Math.abs(shift[i]!) / su : 0;
      sum += ratio;
      if (ratio > max) { max = ratio; at = i; }
    }
    last = { maxShift: max, meanShift: sum / n, name: problem.nameOf(at) };
    history.push({ cycle, r1: figures.r1, wr2: figures.wr2, s: figures.s, maxShiftOverSu: max, maxShiftOf: last.name });
    context.progress(history[history.length - 1]!);
    if (!accepted) {
      state = cycle > 1 && last.maxShift < 0.3 ? 'settled' : 'diverged';
      message = state === 'settled' ? `No step lowers the residual any further; the largest shift was ${max.toFixed(2)} s.u. (${last.name}).` : `The refinement runs away (${last.name}); the model of cycle ${cycle - 1} was kept. Look at that atom's element, occupancy and displacement.`;
      break;
    }
    // With hardly any noise the s.u. vanish too; then the shifts themselves decide.
    const still = accepted && expandShift(problem.map, shift).every((x, p) => p < 2 || Math.abs(x) < 1e-7);
    const quiet = max < settledBelow || still;
    if (options.optimizeWeights && (max < 0.5 || cycle === plannedCycles) && extra < 4) {
      const c = problem.calculated();
      const next = optimizeWeights(c.fo2, c.fc2, c.sigma, n, problem.weights);
      const changed = Math.abs(next.a - problem.weights.a) > 0.0005 || Math.abs(next.b - problem.weights.b) > 0.01 * Math.max(0.01, problem.weights.b);
      problem.weights = next;
      if (changed && cycle >= plannedCycles) extra++;
      if (changed) continue;
    }
    if (quiet) {
      state = 'settled';
      message = `Settled after ${cycle} cycles: the largest shift is ${max.toFixed(3)} s.u. (${last.name}).`;
      break;
    }
  }
  if (!message) {
    state = last.maxShift < 0.05 ? 'settled' : 'moving';
    message = state === 'settled' ? `Settled: the largest shift is ${last.maxShift.toFixed(3)} s.u. (${last.name}).` : `Still moving after ${history.length} cycles: ${last.name} by ${last.maxShift.toFixed(2)} s.u.`;
  }
  return finish(problem, options, { history, state, message, undetermined, maxShift: last.maxShift, meanShift: last.meanShift }, context as TaskContext);
}

/** diag((L Lᵀ)⁻¹) = row norms of L⁻ᵀ. */
function diagonalOfInverse(l: Float64Array, n: number): Float64Array {
  const out = new Float64Array(n);
  const column = new Float64Array(n);
  for (let j = 0; j < n; j++) {
    column[j] = 1 / l[j * n + j]!;
    let sum = column[j]! * column[j]!;
    for (let i = j + 1; i < n; i++) {
      let s = 0;
      const row = i * n;
      for (let k = j; k < i; k++) s += l[row + k]! * column[k]!;
      column[i] = -s / l[row + i]!;
      sum += column[i]! * column[i]!;
    }
    out[j] = sum;
  }
  return out;
}

async function finish(
  problem: SingleCrystalProblem, options: RefineOptions, end: { history: CycleReport[]; state: RefineResult['state']; message: string; undetermined: string[]; maxShift: number; meanShift: number }, context: TaskContext,
): Promise<RefineResult> {
  const figures = problem.figures();
  const n = problem.map.independent;
  let su: Float64Array | undefined;
  let covariance: CovarianceData | undefined;
  let extinctionSu = 0;
  if (options.covariance !== false) {
    const { normal } = await problem.assemble(context);
    const matrix = normal.complete();
    const diagonal = Float64Array.from({ length: n }, (_, i) => Math.sqrt(matrix[i * n + i]!) || 1);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) matrix[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    choleskyInPlace(matrix, n);
    const full = choleskyInverse(matrix, n);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) full[i * n + j]! /= diagonal[i]! * diagonal[j]!;
    const { map } = problem;
    const variance = figures.s ** 2;
    su = new Float64Array(map.physical);
    for (let p = 0; p < map.physical; p++) {
      let sum = 0;
      for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
        for (let f = map.start[p]!; f < map.start[p + 1]!; f++) sum += map.value[e]! * map.value[f]! * full[map.column[e]! * n + map.column[f]!]!;
      su[p] = Math.sqrt(Math.max(0, sum) * variance);
    }
    extinctionSu = su[EXTINCTION]!;
    covariance = { packed: packLower(full, n, variance), map, siteIds: problem.structure.sites.map((s) => s.id) };
  }
  return {
    structure: structureFromPhysical(problem.structure, problem.physical, su),
    readings: {
      ...figures, parameters: n, restraints: problem.restraints.filter((r) => !r.silent).length, reflections: problem.used.length,
      maxShiftOverSu: end.maxShift, meanShiftOverSu: end.meanShift, weights: problem.weights, scale: problem.physical[SCALE]!,
      ...(options.extinction ? { extinction: { value: problem.physical[EXTINCTION]!, su: extinctionSu } } : {}),
    },
    history: end.history, state: end.state, message: end.message, undetermined: end.undetermined, ...(covariance ? { covariance } : {}),
  };
}

/** R factors and calculated data of a structure as it stands: one scale is fitted, nothing else moves. */
export function evaluateStructure(structure: Structure, reflections: MergedReflections, wavelength: number, weights: Weights = { a: 0.1, b: 0 }, extinction = 0, scale?: number): { figures: ReturnType<SingleCrystalProblem['figures']>; data: CalculatedData; scale: number; volume: number } {
  const problem = new SingleCrystalProblem(structure, reflections, wavelength, { cycles: 0, weights, optimizeWeights: false, extinction: extinction > 0, extinctionStart: extinction });
  if (scale) problem.physical[SCALE] = scale;
  else problem.physical[EXTINCTION] = extinction;
  return { figures: problem.figures(), data: problem.calculated(), scale: problem.physical[SCALE]!, volume: cellVolume(structure.cell) };
}
