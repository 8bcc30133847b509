/** One single-crystal refinement as arrays: observations, sites, parameters, and the sums over them. */
import { addIntensityDerivatives } from './intensity-derivatives.ts';
import { cellVolume, metricTensor } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { groupOrder, reflectionSymmetry, siteSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import {
  scatteringTable,
  SiteSums,
  structureFactors,
  type ScatteringTable,
  type SiteArrays,
  type ScatteringProvider,
} from '../scattering/structure-factors.ts';
import { tabulatedProvider } from '../scattering/tabulated-factors.ts';
import type { TaskContext } from '../task-context.ts';
import { NormalEquations } from './normal-equations.ts';
import { compileConstraints, type CompiledConstraints } from './compile-constraints.ts';
import { expandShift } from './constraint-map.ts';
import type { Problem } from './least-squares.ts';
import type { Experiment, Weights } from '../crystal/experiment.ts';
import {
  DISPLACEMENT,
  EXTINCTION,
  OCCUPANCY,
  parameterWords,
  physicalValues,
  SCALE,
  siteOffset,
  twinOffset,
  type FreeValues,
} from './parameters.ts';
import { hydrogenHolds, reshapeHeld, turnRigid } from './holds.ts';
import { modelRestraints } from './model-restraints.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { overlapTable, treatedReflections, twinIndices } from './treatment.ts';
import { floatingOrigin, type RestraintRow } from './restraints.ts';
import { weightOf } from './weights.ts';

export interface RefineOptions {
  /** At most this many cycles. */
  cycles: number;
  optimizeWeights: boolean;
  /** Cycles beyond `cycles` that may be run to settle with new weights. */
  overrun?: number;
  /** Indices of sites with free occupancy. */
  occupancies?: readonly number[];
  restraints?: readonly RestraintRow[];
  /** Stop when every |shift/s.u.| is below this. */
  settled?: number;
  /** S.u. and covariances at the end (needs one inversion). */
  covariance?: boolean;
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
  const n = s.sites.length,
    order = groupOrder(s.spaceGroup),
    metric = metricTensor(s.cell);
  const out = {
    count: n,
    element: new Int32Array(n),
    x: new Float64Array(3 * n),
    weight: new Float64Array(n),
    aniso: new Uint8Array(n),
    u: new Float64Array(6 * n),
  };
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
  for (let i = 0; i < r.count; i++)
    if (!reflectionSymmetry(s.spaceGroup, r.h[i]!, r.k[i]!, r.l[i]!).absent && r.sigma[i]! > 0) used.push(i);
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
    const theta2 = 2 * Math.asin(sine),
      c2 = Math.cos(theta2) ** 2;
    return ((1e-3 * wavelength ** 3) / Math.sin(theta2)) * ((1 + c2 * c2) / (1 + c2));
  });
}

/** The state of one refinement: arrays that stay, and the physical parameters that move. */
export class SingleCrystalProblem implements Problem {
  readonly used: Int32Array;
  readonly table: ScatteringTable;
  readonly intensity: Float64Array;
  readonly sigma: Float64Array;
  readonly map: CompiledConstraints;
  readonly sites: SiteArrays;
  private readonly siteFactor: Float64Array;
  private readonly delta: Float64Array;
  physical: Float64Array;
  weights: Weights;
  readonly restraints: RestraintRow[];
  readonly fc2: Float64Array;
  private readonly hasExtinction: boolean;
  /** One table a twin component beyond the first, and which reflections have it. */
  private readonly twins: {
    table: ScatteringTable;
    present: Uint8Array;
    delta: Float64Array;
    scattering: ScatteringProvider | undefined;
  }[];
  /** What sites scatter beyond the spherical table of their elements. */
  private readonly scattering: ScatteringProvider | undefined;
  private readonly maskA: Float64Array | undefined;
  private readonly maskB: Float64Array | undefined;
  private readonly holds: ReturnType<typeof hydrogenHolds>;

  readonly structure: Structure;
  /** Of the last assembly, by which trials are weighed. */
  private weight = new Float64Array(0);
  private before: Float64Array | undefined;

  constructor(
    { structure, reflections, wavelength, treatment, weights, extinction }: Experiment,
    options: Partial<RefineOptions> = {},
    free: Partial<FreeValues> = {},
  ) {
    this.structure = structure;
    const treated = treatedReflections(reflections, structure.cell, treatment);
    const laws = treatment.twins ?? [];
    this.used = allowedReflections(treated.reflections, structure).map((i) => treated.kept[i]!);
    const elements = elementsOf(structure);
    const hkl = {
      count: this.used.length,
      h: pick(reflections.h, this.used, Int16Array),
      k: pick(reflections.k, this.used, Int16Array),
      l: pick(reflections.l, this.used, Int16Array),
    };
    this.table = scatteringTable(structure.cell, structure.spaceGroup, hkl, elements, wavelength);
    const scatteringOf = (t: ScatteringTable): ScatteringProvider | undefined =>
      treatment.aspherical && tabulatedProvider(treatment.aspherical.factors, structure.sites, t);
    this.scattering = scatteringOf(this.table);
    this.intensity = pick(reflections.fsq, this.used, Float64Array);
    this.sigma = pick(reflections.sigma, this.used, Float64Array);
    this.sites = siteArrays(structure, elements);
    this.siteFactor = this.sites.weight.map((w, i) => w / (structure.sites[i]!.occupancy || 1));
    const refined = treatment.extinction ?? false;
    this.hasExtinction = refined || extinction > 0;
    this.map = compileConstraints(structure, {
      extinction: refined,
      ...(options.occupancies ? { occupancies: options.occupancies } : {}),
      ...free,
      twins: laws.length,
    });
    this.holds = hydrogenHolds(structure);
    this.weights = weights;
    this.restraints = [...(options.restraints ?? []), ...modelRestraints(structure), ...floatingOrigin(structure)];
    this.delta = extinctionFactors(this.table, wavelength || 0.71073);
    this.fc2 = new Float64Array(this.used.length);
    this.twins = laws.map(({ law, overlaps }) => {
      const listed = overlaps && overlapTable(overlaps, rotationsOf(structure.spaceGroup));
      const present = new Uint8Array(hkl.count);
      const own = {
        count: hkl.count,
        h: new Int16Array(hkl.count),
        k: new Int16Array(hkl.count),
        l: new Int16Array(hkl.count),
      };
      for (let i = 0; i < hkl.count; i++) {
        const v = listed
          ? listed.get(`${hkl.h[i]} ${hkl.k[i]} ${hkl.l[i]}`)
          : twinIndices(law, hkl.h[i]!, hkl.k[i]!, hkl.l[i]!);
        if (!v) continue;
        present[i] = 1;
        [own.h[i], own.k[i], own.l[i]] = v;
      }
      const table = scatteringTable(structure.cell, structure.spaceGroup, own, elements, wavelength);
      return {
        table,
        present,
        delta: extinctionFactors(table, wavelength || 0.71073),
        scattering: scatteringOf(table),
      };
    });
    const mask = treatment.mask;
    if (mask) {
      const at = new Map<string, number>();
      for (let i = 0; i < mask.h.length; i++) at.set(`${mask.h[i]} ${mask.k[i]} ${mask.l[i]}`, i);
      const find = (values: Float64Array): Float64Array =>
        Float64Array.from(
          { length: hkl.count },
          (_, i) => values[at.get(`${hkl.h[i]} ${hkl.k[i]} ${hkl.l[i]}`) ?? -1] ?? 0,
        );
      this.maskA = find(mask.a);
      this.maskB = find(mask.b);
    }
    this.physical = physicalValues(
      structure,
      1,
      // From zero the refinement would not find its way.
      refined ? extinction || 0.001 : extinction,
      laws.map((x) => x.fraction),
    );
    this.physical[SCALE] = this.bestScale();
  }

  /** Every table whose structure factors are summed: of the crystal itself and of its twin components. */
  get tables(): readonly ScatteringTable[] {
    return [this.table, ...this.twins.map((t) => t.table)];
  }

  /** Moves the site arrays to the physical values. */
  private load(): void {
    const p = this.physical,
      s = this.sites;
    for (let j = 0; j < s.count; j++) {
      const at = siteOffset(j);
      for (let k = 0; k < 3; k++) s.x[3 * j + k] = p[at + k]!;
      s.weight[j] = p[at + OCCUPANCY]! * this.siteFactor[j]!;
      for (let k = 0; k < 6; k++) s.u[6 * j + k] = p[at + DISPLACEMENT + k]!;
    }
  }

  private bestScale(): number {
    const { fc2 } = this.calculated();
    let top = 0,
      bottom = 0;
    for (let i = 0; i < fc2.length; i++) {
      // Weak data carry no scale; amplitude weighting keeps the strongest few from deciding alone.
      top += Math.sqrt(Math.max(0, this.intensity[i]!) * fc2[i]!);
      bottom += fc2[i]!;
    }
    return bottom > 0 ? (top / bottom) ** 2 : 1;
  }

  /** Fractions of the twin components beyond the first. */
  get twinFractions(): Float64Array {
    return this.physical.subarray(twinOffset(this.sites.count), twinOffset(this.sites.count) + this.twins.length);
  }

  /** Observed and calculated values at the present parameters; a and b are of the first component, solvent included. */
  calculated(): CalculatedData {
    this.load();
    const { a, b } = structureFactors(this.table, this.sites, this.scattering);
    if (this.maskA && this.maskB)
      for (let i = 0; i < a.length; i++) {
        a[i]! += this.maskA[i]!;
        b[i]! += this.maskB[i]!;
      }
    const k = this.physical[SCALE]!,
      g = this.physical[EXTINCTION]!;
    const fractions = this.twinFractions;
    const first = 1 - fractions.reduce((p, q) => p + q, 0);
    const fc2 = a.map((x, i) => {
      const f = x * x + b[i]! * b[i]!;
      return (first * f) / Math.sqrt(1 + Math.max(0, 2 * g * f * this.delta[i]!));
    });
    this.twins.forEach((twin, c) => {
      const own = structureFactors(twin.table, this.sites, twin.scattering);
      for (let i = 0; i < fc2.length; i++) {
        if (!twin.present[i]) continue;
        const f = own.a[i]! ** 2 + own.b[i]! ** 2;
        fc2[i]! += (fractions[c]! * f) / Math.sqrt(1 + Math.max(0, 2 * g * f * twin.delta[i]!));
      }
    });
    return { used: this.used, a, b, fc2, fo2: this.intensity.map((x) => x / k), sigma: this.sigma.map((x) => x / k) };
  }

  /** Parameters after a step: the linear shift, then rigid groups turned exactly and held hydrogens brought back to shape. */
  moved(shift: Float64Array, physicalShift: Float64Array): Float64Array {
    const out = this.physical.map((x, i) => x + physicalShift[i]!);
    if (this.map.rigid.length) turnRigid(this.structure, this.map.rigid, this.physical, shift, out);
    if (this.holds.length) reshapeHeld(this.structure, this.holds, out);
    return out;
  }

  get observations(): number {
    return this.used.length;
  }

  step(shift: Float64Array): { values: Float64Array; shift: Float64Array } {
    const physical = expandShift(this.map, shift);
    const limit = Math.min(1, this.largestStep(physical));
    const short = limit < 1 ? shift.map((x) => x * limit) : shift;
    return {
      values: this.withinBounds(this.moved(short, limit < 1 ? physical.map((x) => x * limit) : physical)),
      shift: short,
    };
  }

  try(values: Float64Array): number {
    this.before = this.physical;
    this.physical = values;
    return this.cost();
  }

  restore(): void {
    if (this.before) this.physical = this.before;
  }

  /** Largest sensible move per cycle: 0.25 Å for coordinates, half of the value or 0.03 Å² for displacements, 0.3 for occupancies. */
  private largestStep(shift: Float64Array): number {
    let factor = 1;
    const { a, b, c } = this.structure.cell;
    const lengths = [a, b, c];
    this.structure.sites.forEach((site, j) => {
      const at = siteOffset(j);
      for (let k = 0; k < 3; k++)
        factor = Math.min(factor, 0.25 / Math.max(1e-9, Math.abs(shift[at + k]!) * lengths[k]!));
      factor = Math.min(factor, 0.3 / Math.max(1e-9, Math.abs(shift[at + OCCUPANCY]!)));
      const count = site.displacement.kind === 'iso' ? 1 : 6;
      for (let k = 0; k < count; k++) {
        const value = this.physical[at + DISPLACEMENT + k]!;
        const most = Math.max(0.03, 0.6 * Math.abs(value));
        factor = Math.min(factor, most / Math.max(1e-9, Math.abs(shift[at + DISPLACEMENT + k]!)));
      }
    });
    return Math.max(0.05, factor);
  }

  /** Keeps isotropic displacements and the scale physical between cycles, in place. */
  private withinBounds(p: Float64Array): Float64Array {
    this.structure.sites.forEach((site, j) => {
      const at = siteOffset(j) + DISPLACEMENT;
      if (site.displacement.kind === 'iso') p[at] = Math.min(1, Math.max(0.0005, p[at]!));
    });
    p[SCALE] = Math.max(1e-12, p[SCALE]!);
    return p;
  }

  /** Σ w(Fo² − Fc²)² on the measured scale plus restraints, with the weights of the last assembly. */
  private cost(): number {
    const { weight } = this;
    const c = this.calculated();
    const k = this.physical[SCALE]!;
    let sum = 0;
    for (let i = 0; i < c.fc2.length; i++) sum += weight[i]! * (this.intensity[i]! - k * c.fc2[i]!) ** 2;
    for (const r of this.restraints) sum += ((r.target - r.evaluate(this.physical).value) / r.su) ** 2;
    return sum;
  }

  /** Design matrix and residuals into normal equations; also refreshes fc2. */
  async assemble(context: TaskContext): Promise<{ normal: NormalEquations; cost: number }> {
    this.load();
    const { table: t, sites: s, map, delta } = this;
    const n = t.count,
      k = this.physical[SCALE]!,
      g = this.physical[EXTINCTION]!;
    const normal = new NormalEquations(map.independent);
    const weight = new Float64Array(n);
    const sums = new SiteSums(t, s, this.scattering);
    const twinSums = this.twins.map((twin) => new SiteSums(twin.table, s, twin.scattering));
    const fractions = this.twinFractions,
      firstTwin = twinOffset(s.count);
    const first = 1 - fractions.reduce((p, q) => p + q, 0);
    const derivative = new Float64Array(map.physical);
    const { start, column, value } = map;
    let cost = 0;
    for (let i = 0; i < n; i++) {
      if (i % 128 === 0) await context.breath();
      derivative.fill(0);
      sums.at(i, true);
      const A = sums.a + (this.maskA ? this.maskA[i]! : 0),
        B = sums.b + (this.maskB ? this.maskB[i]! : 0),
        f2sq = A * A + B * B;
      const y = this.hasExtinction ? 1 / Math.sqrt(1 + Math.max(0, 2 * g * f2sq * delta[i]!)) : 1;
      let fc2 = first * f2sq * y;
      addIntensityDerivatives(
        derivative,
        0,
        i,
        t,
        s,
        this.siteFactor,
        sums,
        A,
        B,
        first * (this.hasExtinction ? k * y ** 3 * (1 + g * f2sq * delta[i]!) : k),
      );
      derivative[EXTINCTION] = -first * k * f2sq * f2sq * delta[i]! * y ** 3;
      for (let c = 0; c < twinSums.length; c++) {
        derivative[firstTwin + c] = -k * f2sq * y;
        const twin = this.twins[c]!,
          own = twinSums[c]!;
        if (!twin.present[i]) continue;
        own.at(i, true);
        const f = own.a * own.a + own.b * own.b,
          d = twin.delta[i]!;
        const z = this.hasExtinction ? 1 / Math.sqrt(1 + Math.max(0, 2 * g * f * d)) : 1;
        fc2 += fractions[c]! * f * z;
        derivative[firstTwin + c]! += k * f * z;
        derivative[EXTINCTION]! -= fractions[c]! * k * f * f * d * z ** 3;
        addIntensityDerivatives(
          derivative,
          0,
          i,
          twin.table,
          s,
          this.siteFactor,
          own,
          own.a,
          own.b,
          fractions[c]! * (this.hasExtinction ? k * z ** 3 * (1 + g * f * d) : k),
        );
      }
      derivative[SCALE] = fc2;
      this.fc2[i] = fc2;
      const w = weightOf(this.weights, this.intensity[i]! / k, fc2, this.sigma[i]! / k) / (k * k);
      weight[i] = w;
      const root = Math.sqrt(w);
      const row = normal.storage,
        offset = normal.offset;
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
      const row = normal.storage,
        offset = normal.offset;
      for (const [p, d] of gradient)
        for (let q = start[p]!; q < start[p + 1]!; q++) row[offset + column[q]!]! += (d * value[q]!) / r.su;
      const residual = (r.target - now) / r.su;
      cost += residual * residual;
      normal.push(residual);
    }
    this.weight = weight;
    return { normal, cost };
  }

  /** R1, wR2 and S of calculated data under the present weights. */
  figures(): { r1: number; r1All: number; wr2: number; s: number; observed: number } {
    const c = this.calculated();
    let top = 0,
      bottom = 0,
      topAll = 0,
      bottomAll = 0,
      chi = 0,
      norm = 0,
      observed = 0;
    for (let i = 0; i < c.fc2.length; i++) {
      const fo = Math.sqrt(Math.max(0, c.fo2[i]!)),
        fc = Math.sqrt(c.fc2[i]!);
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
    return {
      r1: top / bottom,
      r1All: topAll / bottomAll,
      wr2: Math.sqrt(chi / norm),
      s: Math.sqrt(chi / freedom),
      observed,
    };
  }

  /** Label of an independent parameter, by the first physical value it drives. */
  nameOf(independent: number): string {
    for (let p = 0; p < this.map.physical; p++)
      for (let e = this.map.start[p]!; e < this.map.start[p + 1]!; e++)
        if (this.map.column[e] === independent) return parameterWords(this.structure, p);
    return `parameter ${independent}`;
  }
}

/** R factors and calculated data of a model as it stands: one scale is fitted (unless given), nothing else moves. */
export function evaluateStructure(
  e: Experiment,
  scale?: number,
): {
  figures: ReturnType<SingleCrystalProblem['figures']>;
  data: CalculatedData;
  scale: number;
  volume: number;
  problem: SingleCrystalProblem;
} {
  const problem = new SingleCrystalProblem(e);
  if (scale) problem.physical[SCALE] = scale;
  return {
    figures: problem.figures(),
    data: problem.calculated(),
    scale: problem.physical[SCALE]!,
    volume: cellVolume(e.structure.cell),
    problem,
  };
}
