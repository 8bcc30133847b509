/** Normal equations of a powder fit with analytic derivatives of every parameter but absorption and axial divergence, whose columns are differences of whole patterns. */
import { reciprocalMetric } from '../crystal/cell.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { NormalEquations } from '../refine/normal-equations.ts';
import { addIntensityDerivatives } from '../refine/intensity-derivatives.ts';
import { modelRestraints } from '../refine/model-restraints.ts';
import { DISPLACEMENT, siteOffset } from '../refine/parameters.ts';
import { floatingOrigin, type RestraintRow } from '../refine/restraints.ts';
import { expandShift, type ConstraintMap } from '../refine/constraint-map.ts';
import type { Problem } from '../refine/least-squares.ts';
import { SiteSums } from '../scattering/structure-factors.ts';
import type { TaskContext } from '../task-context.ts';
import {
  addPeaks,
  axisCosine,
  DEGREES,
  displacementShift,
  PatternCalculator,
  quarticSum,
  SCHERRER,
  type CalculatedPattern,
  type PeakTable,
} from './engine.ts';
import { chebyshevArgument } from './background.ts';
import { lowerBound } from './fitted-points.ts';
import { QUARTICS, quadraticForm, type FitModel } from './model.ts';
import {
  ABSORPTION,
  ACROSS,
  DETECTOR,
  fitMap,
  layoutOf,
  MARCH,
  modelAt,
  parameterName,
  QUADRATIC,
  QUARTIC,
  SAMPLE,
  SCALES,
  SHIFT,
  SIZE,
  STRAIN,
  valuesOf,
  WIDTHS,
  ZERO,
  type Free,
  type Layout,
} from './parameters.ts';
import { axialSpread, GAUSS_NORM, LORENTZ_NORM, mixedShape, newSpread, reachOf, type Shape } from './profile.ts';

const shape: Shape = { width: 0, eta: 0, widthG: 0, widthL: 0, etaG: 0, etaL: 0 };
const spread = newSpread();

export class FitProblem implements Problem {
  private before: { readonly values: Float64Array; readonly model: FitModel } | undefined;
  readonly layout: Layout;
  readonly map: ConstraintMap;
  readonly calculators: PatternCalculator[];
  readonly restraints: { row: RestraintRow; base: number }[];
  values: Float64Array;
  private readonly intensities: number[];

  constructor(
    public model: FitModel,
    patterns: readonly Pattern[],
    readonly free: Free,
  ) {
    this.calculators = model.patterns.map((p, i) => new PatternCalculator(patterns[i]!, p, model.phases));
    // With several patterns an extracted phase keeps the list of the first: spacings beyond it are not fitted.
    this.intensities = model.phases.map((p, i) =>
      p.extraction === 'Pawley' ? this.calculators[0]!.works[i]!.list.count : 0,
    );
    this.layout = layoutOf(model, this.intensities);
    this.map = fitMap(model, this.layout, free, this.intensities);
    this.values = valuesOf(
      model,
      this.layout,
      model.phases.map((p, i) => (p.extraction === 'Pawley' ? this.calculators[0]!.works[i]!.f2 : undefined)),
    );
    const sites = (id: string): boolean =>
      ['positions', 'U', 'occupancies'].some((k) => free.has(k) || free.has(`${k}:${id}`));
    this.restraints = model.phases.flatMap((p, i) =>
      p.extraction || !sites(p.id)
        ? []
        : [...floatingOrigin(p.structure), ...modelRestraints(p.structure)].map((row) => ({
            row,
            base: this.layout.phase[i]!,
          })),
    );
  }

  /** Model at trial values, calculators brought up to it. */
  take(values: Float64Array): void {
    this.values = values;
    this.model = modelAt(this.model, values, this.layout);
    // Pawley intensities live in the vector only.
    this.model = {
      ...this.model,
      phases: this.model.phases.map((p, i) => (this.intensities[i] ? this.withIntensities(p, i, values) : p)),
    };
    this.calculators.forEach((c, i) => c.update(this.model.patterns[i]!, this.model.phases));
  }

  private withIntensities(p: FitModel['phases'][number], i: number, values: Float64Array): FitModel['phases'][number] {
    const { list } = this.calculators[0]!.works[i]!;
    const from = this.layout.intensity[i]!;
    return { ...p, extracted: { h: list.h, k: list.k, l: list.l, f2: values.slice(from, from + list.count) } };
  }

  /** Σ w Δ² of all patterns and restraints at the present values. */
  cost(calculated: readonly CalculatedPattern[] = this.calculators.map((c) => c.calculate())): number {
    let sum = 0;
    calculated.forEach((c, p) => {
      const { count, y, sigma } = this.calculators[p]!.points;
      for (let i = 0; i < count; i++) sum += ((y[i]! - c.calculated[i]!) / sigma[i]!) ** 2;
    });
    for (const { row, base } of this.restraints)
      sum += ((row.target - row.evaluate(this.values.subarray(base)).value) / row.su) ** 2;
    return sum;
  }

  get observations(): number {
    return this.calculators.reduce((n, c) => n + c.points.count, 0);
  }

  step(q: Float64Array): { values: Float64Array; shift: Float64Array } {
    const physical = expandShift(this.map, q);
    const limit = this.cellLimit(physical);
    const values = this.values.map((x, i) => x + physical[i]! * limit);
    return { values: this.withinBounds(values), shift: limit < 1 ? q.map((x) => x * limit) : q };
  }

  try(values: Float64Array): number {
    this.before = { values: this.values, model: this.model };
    try {
      this.take(values);
      return this.cost();
    } catch {
      // A cell that is none: the step was too long.
      return Infinity;
    }
  }

  restore(): void {
    if (!this.before) return;
    this.model = this.before.model;
    this.take(this.before.values);
  }

  /** Sizes and strains not negative, orientation and displacements sensible; in place. */
  private withinBounds(v: Float64Array): Float64Array {
    const keep = (at: number, least: number, most: number): void => {
      v[at] = Math.min(most, Math.max(least, v[at]!));
    };
    const { layout: l, model } = this;
    model.phases.forEach((p, i) => {
      const e = l.extra[i]!;
      keep(e + SIZE, 0, 2);
      keep(e + ACROSS, 0, 2);
      keep(e + STRAIN, 0, 60);
      keep(e + MARCH, 0.15, 5);
      p.structure.sites.forEach((site, j) => {
        if (site.displacement.kind === 'iso') keep(l.phase[i]! + siteOffset(j) + DISPLACEMENT, -0.02, 0.5);
      });
    });
    return v;
  }

  /** The share of a step by which no cell is stretched more than a percent at a time. */
  private cellLimit(shift: Float64Array): number {
    let limit = 1;
    this.model.phases.forEach((p, i) => {
      const e = this.layout.extra[i]! + QUADRATIC;
      const q = quadraticForm(p.structure.cell);
      for (let k = 0; k < 3; k++) {
        const relative = Math.abs(shift[e + k]! / q[k]!);
        if (relative > 0.01) limit = Math.min(limit, 0.01 / relative);
      }
    });
    return limit;
  }

  nameOf(independent: number): string {
    for (let p = 0; p < this.map.physical; p++)
      for (let e = this.map.start[p]!; e < this.map.start[p + 1]!; e++)
        if (this.map.column[e] === independent) return parameterName(this.model, this.layout, p);
    return `parameter ${independent}`;
  }

  async assemble(
    context: TaskContext,
  ): Promise<{ normal: NormalEquations; cost: number; calculated: CalculatedPattern[] }> {
    const n = this.map.independent;
    const normal = new NormalEquations(n);
    let cost = 0;
    const calculated: CalculatedPattern[] = [];
    for (let p = 0; p < this.calculators.length; p++) {
      await context.breath();
      const c = this.calculators[p]!.calculate();
      calculated.push(c);
      const columns = this.design(p, c);
      const { count, y, sigma } = this.calculators[p]!.points;
      for (let i = 0; i < count; i++) {
        if (i % 2000 === 0) await context.breath();
        const row = normal.storage,
          at = normal.offset,
          w = 1 / sigma[i]!;
        for (let k = 0; k < n; k++) row[at + k] = columns[k]![i]! * w;
        const delta = (y[i]! - c.calculated[i]!) * w;
        cost += delta * delta;
        normal.push(delta);
      }
    }
    for (const { row: r, base } of this.restraints) {
      const { value, gradient } = r.evaluate(this.values.subarray(base));
      const row = normal.storage,
        at = normal.offset;
      for (const [q, d] of gradient)
        for (let e = this.map.start[base + q]!; e < this.map.start[base + q + 1]!; e++)
          row[at + this.map.column[e]!]! += (d * this.map.value[e]!) / r.su;
      const delta = (r.target - value) / r.su;
      cost += delta * delta;
      normal.push(delta);
    }
    return { normal, cost, calculated };
  }

  /** Columns ∂y/∂q of one pattern. */
  design(p: number, c: CalculatedPattern): Float64Array[] {
    const count = this.calculators[p]!.points.count;
    const columns = Array.from({ length: this.map.independent }, () => new Float64Array(count));
    this.backgroundColumns(p, columns);
    this.model.phases.forEach((_, q) => {
      this.scaleColumn(p, q, c, columns);
      this.phaseColumns(p, q, c.tables[q]!, columns);
    });
    for (const k of [ABSORPTION, SAMPLE]) this.numericColumn(p, this.layout.pattern[p]! + k, columns);
    return columns;
  }

  private backgroundColumns(p: number, columns: Float64Array[]): void {
    const { map, layout } = this,
      x = this.calculators[p]!.points.x,
      n = x.length;
    const b = this.model.patterns[p]!.background,
      base = layout.background[p]!;
    const column = (index: number): Float64Array | undefined =>
      map.start[index]! < map.start[index + 1]! ? columns[map.column[map.start[index]!]!] : undefined;
    if (!column(base)) return;
    const out = b.chebyshev.map((_, k) => column(base + k)!);
    for (let i = 0; i < n; i++) {
      const t = chebyshevArgument(x[i]!, x[0]!, x[n - 1]!);
      let before = 1,
        now = t;
      out.forEach((o, k) => {
        o[i] = k === 0 ? 1 : now;
        if (k > 0) [before, now] = [now, 2 * t * now - before];
      });
    }
    b.peaks.forEach((peak, k) => {
      const at = base + b.chebyshev.length + 3 * k;
      for (let i = 0; i < n; i++) {
        const u = (x[i]! - peak.position) / peak.width;
        if (u * u > 12) continue;
        const g = Math.exp(-4 * Math.LN2 * u * u);
        const slope = (8 * Math.LN2 * peak.height * g * u) / peak.width;
        column(at)![i] = slope;
        column(at + 1)![i] = g;
        column(at + 2)![i] = slope * u;
      }
    });
  }

  /** The phase's own pattern over its scale, tails and all. */
  private scaleColumn(p: number, q: number, c: CalculatedPattern, columns: Float64Array[]): void {
    const index = this.layout.pattern[p]! + SCALES + q,
      scale = this.model.patterns[p]!.scales[q]!;
    if (this.map.start[index] === this.map.start[index + 1]) return;
    const out = columns[this.map.column[this.map.start[index]!]!]!;
    if (scale) {
      for (let i = 0; i < out.length; i++) out[i] = c.phases[q]![i]! / scale;
      return;
    }
    const t = c.tables[q]!,
      f2 = this.calculators[p]!.works[q]!.f2;
    addPeaks(
      { ...t, area: t.factor.map((x, i) => x * f2[Math.floor(i / t.lines)]!) },
      this.model.patterns[p]!,
      this.calculators[p]!.points.x,
      out,
    );
  }

  private numericColumn(p: number, index: number, columns: Float64Array[]): void {
    const { map, layout } = this;
    if (map.start[index] === map.start[index + 1]) return;
    const column = map.column[map.start[index]!]!;
    const kept = this.values;
    const step = 1e-4;
    const side = (sign: number): Float64Array => {
      const v = kept.slice();
      v[index]! += sign * step;
      if (index === layout.pattern[p]! + SAMPLE) v[layout.pattern[p]! + DETECTOR]! += sign * step;
      this.take(v);
      return this.calculators[p]!.calculate().calculated;
    };
    const up = side(1),
      down = side(-1);
    this.take(kept);
    for (let i = 0; i < up.length; i++) columns[column]![i] = (up[i]! - down[i]!) / (2 * step);
  }

  private phaseColumns(p: number, q: number, t: PeakTable, columns: Float64Array[]): void {
    const { map, layout } = this,
      model = this.model.patterns[p]!,
      phase = this.model.phases[q]!;
    const work = this.calculators[p]!.works[q]!,
      { list } = work,
      x = this.calculators[p]!.points.x;
    const scale = model.scales[q]!,
      cell = quadraticForm(phase.structure.cell),
      g = reciprocalMetric(phase.structure.cell);
    const e = layout.extra[q]!,
      at = layout.pattern[p]!;
    const n = map.independent;
    // Per column: coefficients of ∂y/∂area, ∂y/∂position, ∂y/∂Γ_G and ∂y/∂Γ_L.
    const ca = new Float64Array(n),
      cp = new Float64Array(n),
      cg = new Float64Array(n),
      cl = new Float64Array(n);
    const touched: number[] = [];
    const isTouched = new Uint8Array(n);
    const put = (physical: number, a: number, position: number, gauss: number, lorentz: number): void => {
      for (let k = map.start[physical]!; k < map.start[physical + 1]!; k++) {
        const c = map.column[k]!,
          v = map.value[k]!;
        if (!isTouched[c]) {
          isTouched[c] = 1;
          touched.push(c);
        }
        ca[c]! += v * a;
        cp[c]! += v * position;
        cg[c]! += v * gauss;
        cl[c]! += v * lorentz;
      }
    };
    const rowFree = (i: number): boolean => map.start[i]! < map.start[i + 1]!;
    const siteFree =
      work.table !== undefined &&
      phase.structure.sites.some((_, j) =>
        Array.from({ length: 10 }, (_, k) => rowFree(layout.phase[q]! + siteOffset(j) + k)).some(Boolean),
      );
    const sums = siteFree ? new SiteSums(work.table!, work.sites!) : undefined;
    const siteFactor = siteFree
      ? Float64Array.from(work.sites!.weight, (w, j) => w / (phase.structure.sites[j]!.occupancy || 1))
      : undefined;
    const sites = new Float64Array(siteOffset(phase.structure.sites.length));
    const cellFree = [0, 1, 2, 3, 4, 5].some((k) => rowFree(e + QUADRATIC + k));
    const ys = new Float64Array(x.length),
      yp = new Float64Array(x.length),
      yg = new Float64Array(x.length),
      yl = new Float64Array(x.length);
    for (let i = 0; i < list.count; i++) {
      const h = list.h[i]!,
        k = list.k[i]!,
        l = list.l[i]!;
      const terms = [h * h, k * k, l * l, k * l, h * l, h * k];
      const q2 = terms.reduce((s, v, m) => s + v * cell[m]!, 0);
      if (sums) {
        sites.fill(0);
        const both = work.paired ? 2 : 1;
        for (let side = 0; side < both; side++) {
          sums.at(i + side * list.count, true);
          addIntensityDerivatives(
            sites,
            0,
            i + side * list.count,
            work.table!,
            work.sites!,
            siteFactor!,
            sums,
            sums.a,
            sums.b,
            1 / both,
          );
        }
      }
      const cosAxis = phase.anisotropicSize ? axisCosine(g, phase.anisotropicSize.axis, h, k, l) : 1;
      const quartic = phase.stephens ? Math.max(0, quarticSum(phase.stephens, h, k, l)) * 1e-8 : 0;
      for (let j = 0; j < t.lines; j++) {
        const at1 = i * t.lines + j,
          theta = t.theta[at1]!,
          area = t.area[at1]!,
          factor = t.factor[at1]!;
        if (Number.isNaN(theta)) continue;
        const { wavelength } = model.instrument.lines[j]!;
        const tan = Math.tan(theta),
          cos = Math.cos(theta),
          sin = Math.sin(theta);
        for (const c of touched) {
          ca[c] = cp[c] = cg[c] = cl[c] = 0;
          isTouched[c] = 0;
        }
        touched.length = 0;
        if (phase.extraction === 'Pawley') put(layout.intensity[q]! + i, scale * factor, 0, 0, 0);
        put(at + ZERO, 0, 1, 0, 0);
        put(at + SHIFT, 0, displacementShift(model.instrument.geometry, theta, model.instrument.radius), 0, 0);
        const gauss = t.gauss[at1]!,
          w = model.instrument.profile;
        put(at + WIDTHS, 0, 0, (tan * tan) / (2 * gauss), 0);
        put(at + WIDTHS + 1, 0, 0, tan / (2 * gauss), 0);
        put(at + WIDTHS + 2, 0, 0, 1 / (2 * gauss), 0);
        put(at + WIDTHS + 3, 0, 0, 0, tan);
        put(at + WIDTHS + 4, 0, 0, 0, 1 / cos);
        const perSize = (DEGREES * SCHERRER * wavelength) / (10 * cos);
        put(e + SIZE, 0, 0, 0, perSize * cosAxis);
        if (phase.anisotropicSize) put(e + ACROSS, 0, 0, 0, perSize * (1 - cosAxis));
        put(e + STRAIN, 0, 0, 0, 4e-3 * DEGREES * tan);
        if (phase.stephens)
          for (let m = 0; m < 15; m++)
            if (rowFree(e + QUARTIC + m)) {
              const [a, b, c] = QUARTICS[m]!;
              put(
                e + QUARTIC + m,
                0,
                0,
                0,
                quartic > 0 ? (DEGREES * tan * h ** a * k ** b * l ** c * 1e-8) / (2 * Math.sqrt(quartic) * q2) : 0,
              );
            }
        if (phase.orientation) put(e + MARCH, (area * t.orientationSlope[i]!) / t.orientation[i]!, 0, 0, 0);
        if (sums)
          for (let m = 2; m < sites.length; m++)
            if (sites[m]) put(layout.phase[q]! + m, scale * factor * sites[m]!, 0, 0, 0);
        if (cellFree) {
          // dθ/dQ = λ² / (8 sin θ cos θ); widths and the Lorentz factor follow θ.
          const dTheta = (wavelength * wavelength) / (8 * sin * cos);
          const displaced =
            model.displacement *
            (model.instrument.geometry === 'flat specimen'
              ? (2 * sin * DEGREES) / model.instrument.radius
              : (-2 * Math.cos(2 * theta) * DEGREES) / model.instrument.radius);
          const dTan = 1 / (cos * cos),
            dSec = sin / (cos * cos);
          const dGauss = ((2 * w.u * tan + w.v) * dTan) / (2 * gauss);
          const strain = 4e-3 * phase.strain + Math.sqrt(quartic) / q2;
          const inverse = phase.anisotropicSize
            ? phase.inverseSize * cosAxis + phase.anisotropicSize.inverseAcross * (1 - cosAxis)
            : phase.inverseSize;
          const dLorentz =
            (w.x + DEGREES * strain) * dTan + (w.y + (DEGREES * SCHERRER * wavelength * inverse) / 10) * dSec;
          const dArea = area * this.areaSlope(model, theta);
          for (let m = 0; m < 6; m++)
            if (terms[m])
              put(
                e + QUADRATIC + m,
                dArea * dTheta * terms[m]!,
                (2 * DEGREES + displaced) * dTheta * terms[m]!,
                dGauss * dTheta * terms[m]!,
                dLorentz * dTheta * terms[m]! -
                  (quartic ? (DEGREES * tan * Math.sqrt(quartic) * terms[m]!) / (q2 * q2) : 0),
              );
        }
        if (!touched.length) continue;
        const [from, to] = unitProfile(x, t, at1, theta, w.sampleHeight, w.detectorHeight, ys, yp, yg, yl);
        for (const c of touched) {
          const out = columns[c]!,
            a = ca[c]!,
            b = cp[c]! * area,
            u = cg[c]! * area,
            v = cl[c]! * area;
          if (a && !b && !u && !v) for (let m = from; m < to; m++) out[m]! += a * ys[m]!;
          else if (!a && b && !u && !v) for (let m = from; m < to; m++) out[m]! += b * yp[m]!;
          else if (!a && !b && u && !v) for (let m = from; m < to; m++) out[m]! += u * yg[m]!;
          else if (!a && !b && !u && v) for (let m = from; m < to; m++) out[m]! += v * yl[m]!;
          else for (let m = from; m < to; m++) out[m]! += a * ys[m]! + b * yp[m]! + u * yg[m]! + v * yl[m]!;
        }
      }
    }
  }

  /** Slope by θ of the logarithm of Lorentz, polarisation and absorption factors; |F|² is taken to follow the cell too slowly to matter. */
  private areaSlope(model: FitModel['patterns'][number], theta: number): number {
    const cos2m = Math.cos(model.instrument.monochromator / DEGREES) ** 2;
    const c2 = Math.cos(2 * theta);
    return (-4 * cos2m * c2 * Math.sin(2 * theta)) / (1 + cos2m * c2 * c2) - 2 / Math.tan(theta) + Math.tan(theta);
  }
}

/** Unit-area profile of a peak and its derivatives by position and widths over its window [from, to). */
function unitProfile(
  x: Float64Array,
  t: PeakTable,
  at: number,
  theta: number,
  sample: number,
  detector: number,
  ys: Float64Array,
  yp: Float64Array,
  yg: Float64Array,
  yl: Float64Array,
): [number, number] {
  mixedShape(t.gauss[at]!, t.lorentz[at]!, shape);
  const { width, eta, widthG, widthL, etaG, etaL } = shape;
  axialSpread(2 * theta * DEGREES, sample, detector, width, spread);
  const reach = reachOf(width, eta),
    position = t.position[at]!;
  let low = 0,
    high = 0;
  for (let s = 0; s < spread.count; s++) {
    low = Math.min(low, spread.shift[s]!);
    high = Math.max(high, spread.shift[s]!);
  }
  const first = lowerBound(x, position + low - reach),
    last = lowerBound(x, position + high + reach);
  ys.fill(0, first, last);
  yp.fill(0, first, last);
  yg.fill(0, first, last);
  yl.fill(0, first, last);
  const c = 4 / (width * width),
    near = 2.2 * width,
    kl = LORENTZ_NORM / width,
    kg = GAUSS_NORM / width,
    ln2c = Math.LN2 * c;
  for (let s = 0; s < spread.count; s++) {
    const centre = position + spread.shift[s]!,
      weight = spread.weight[s]!;
    const from = lowerBound(x, centre - reach),
      to = lowerBound(x, centre + reach);
    for (let m = from; m < to; m++) {
      const u = x[m]! - centre,
        q = 1 / (1 + c * u * u);
      const L = kl * q;
      const lu = 2 * c * u * q * L,
        lw = (L / width) * (2 * c * u * u * q - 1);
      let G = 0,
        gu = 0,
        gw = 0;
      if (u < near && u >= -near) {
        G = kg * Math.exp(-ln2c * u * u);
        gu = 2 * ln2c * u * G;
        gw = (G / width) * (2 * ln2c * u * u - 1);
      }
      const byWidth = eta * lw + (1 - eta) * gw,
        byEta = L - G;
      ys[m]! += weight * (eta * L + (1 - eta) * G);
      yp[m]! += weight * (eta * lu + (1 - eta) * gu);
      yg[m]! += weight * (byWidth * widthG + byEta * etaG);
      yl[m]! += weight * (byWidth * widthL + byEta * etaL);
    }
  }
  return [first, last];
}
