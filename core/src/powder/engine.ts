/**
 * The calculated pattern: Rietveld (1969), J. Appl. Cryst. 2, 65, y = background + Σ_phases S Σ_hkl m |F|² Lp P A Ω(2θ − 2θ_hkl).
 * Hot loops over typed arrays; the same sum written plainly stands in the tests.
 */
import { reciprocalMetric } from '../crystal/cell.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { siteArrays, elementsOf } from '../refine/single-crystal-problem.ts';
import { scatteringTable, SiteSums, type ScatteringTable, type SiteArrays } from '../scattering/structure-factors.ts';
import { QUARTICS, quadraticForm, type PatternModel, type PhaseModel } from './model.ts';
import { absorptionFactor, lorentzPolarization } from './intensity-factors.ts';
import { addBackground } from './background.ts';
import { fittedPoints, lowerBound, type Points } from './fitted-points.ts';
import { axialSpread, GAUSS_NORM, LORENTZ_NORM, mixedShape, newSpread, reachOf, type Shape } from './profile.ts';
import { powderReflections, type PowderReflections } from './reflections.ts';

/** Scherrer constant for full widths at half maximum and sizes as mean diameters. */
export const SCHERRER = 0.9;
export const DEGREES = 180 / Math.PI;

/** Reflections of one phase with |F|², prepared for one model; positions and widths are worked out afresh for each calculation. */
export class PhaseWork {
  readonly list: PowderReflections;
  /** |F|², mean over Friedel pairs. */
  readonly f2: Float64Array;
  table: ScatteringTable | undefined;
  sites: SiteArrays | undefined;
  readonly paired: boolean;
  private readonly doubled: { count: number; h: Int16Array; k: Int16Array; l: Int16Array };

  constructor(
    public phase: PhaseModel,
    readonly wavelength: number,
    dMin: number,
    list?: PowderReflections,
  ) {
    const s = phase.structure;
    this.list = list ?? powderReflections(s.cell, s.spaceGroup, dMin);
    const n = this.list.count;
    this.f2 = new Float64Array(n);
    this.paired = !s.spaceGroup.centric;
    const twice = (v: Int16Array): Int16Array => (this.paired ? Int16Array.from([...v, ...v.map((x) => -x)]) : v);
    this.doubled = {
      count: this.paired ? 2 * n : n,
      h: twice(this.list.h),
      k: twice(this.list.k),
      l: twice(this.list.l),
    };
    this.setIntensities();
  }

  /** Takes on a changed phase with the same symmetry; the list of reflections stays. */
  update(phase: PhaseModel): void {
    const before = this.phase;
    this.phase = phase;
    if (before.structure !== phase.structure || before.extracted !== phase.extracted) this.setIntensities();
  }

  private setIntensities(): void {
    const { phase, list, f2 } = this;
    const n = list.count;
    if (phase.extraction) {
      const e = phase.extracted;
      if (!e) {
        f2.fill(1);
        return;
      }
      const at = new Map<string, number>();
      for (let i = 0; i < e.h.length; i++) at.set(`${e.h[i]},${e.k[i]},${e.l[i]}`, e.f2[i]!);
      for (let i = 0; i < n; i++) f2[i] = at.get(`${list.h[i]},${list.k[i]},${list.l[i]}`) ?? 0;
      return;
    }
    const s = phase.structure,
      elements = elementsOf(s);
    this.table = scatteringTable(s.cell, s.spaceGroup, this.doubled, elements, this.wavelength);
    this.sites = siteArrays(s, elements);
    const sums = new SiteSums(this.table, this.sites);
    for (let i = 0; i < n; i++) {
      sums.at(i, false);
      let f = sums.a * sums.a + sums.b * sums.b;
      if (this.paired) {
        sums.at(i + n, false);
        f = (f + sums.a * sums.a + sums.b * sums.b) / 2;
      }
      f2[i] = f;
    }
  }
}

/** Mean over the equivalents of the March function and its derivative by r (Dollase 1986, J. Appl. Cryst. 19, 267). */
export class OrientationAverage {
  private readonly cos2: Float64Array;
  private readonly start: Int32Array;

  constructor(phase: PhaseModel, list: PowderReflections) {
    const g = reciprocalMetric(phase.structure.cell);
    const rotations = laueRotations(rotationsOf(phase.structure.spaceGroup));
    const axis = phase.orientation!.axis;
    const product = (p: ArrayLike<number>, q: ArrayLike<number>): number => {
      let sum = 0;
      for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) sum += p[i]! * g[3 * i + j]! * q[j]!;
      return sum;
    };
    const aa = product(axis, axis);
    const values: number[] = [];
    this.start = new Int32Array(list.count + 1);
    for (let i = 0; i < list.count; i++) {
      const h = list.h[i]!,
        k = list.k[i]!,
        l = list.l[i]!;
      const hh = product([h, k, l], [h, k, l]);
      for (const r of rotations) {
        const e = [h * r[0] + k * r[3] + l * r[6], h * r[1] + k * r[4] + l * r[7], h * r[2] + k * r[5] + l * r[8]];
        values.push(Math.min(1, product(e, axis) ** 2 / (hh * aa)));
      }
      this.start[i + 1] = values.length;
    }
    this.cos2 = Float64Array.from(values);
  }

  at(i: number, r: number): { value: number; slope: number } {
    let value = 0,
      slope = 0;
    const from = this.start[i]!,
      to = this.start[i + 1]!;
    for (let j = from; j < to; j++) {
      const c = this.cos2[j]!,
        base = r * r * c + (1 - c) / r;
      const p = base ** -1.5;
      value += p;
      slope += ((-1.5 * p) / base) * (2 * r * c - (1 - c) / (r * r));
    }
    return { value: value / (to - from), slope: slope / (to - from) };
  }
}

/** Everything about the peaks of a phase in a pattern that does not depend on the points: an array of structs in columns. */
export interface PeakTable {
  /** reflections × lines; entry i·lines + j. */
  readonly count: number;
  readonly lines: number;
  readonly theta: Float64Array;
  readonly position: Float64Array;
  readonly area: Float64Array;
  readonly gauss: Float64Array;
  readonly lorentz: Float64Array;
  /** Area for unit |F|² and unit scale. */
  readonly factor: Float64Array;
  readonly orientation: Float64Array;
  readonly orientationSlope: Float64Array;
}

/** Shift of a peak per millimetre of displacement, degrees. */
export const displacementShift = (geometry: 'flat specimen' | 'capillary', theta: number, radius: number): number =>
  geometry === 'flat specimen' ? (-2 * Math.cos(theta) * DEGREES) / radius : (-Math.sin(2 * theta) * DEGREES) / radius;

/** cos² of the angle between a reflection and a direct-lattice-normal axis given in reciprocal indices. */
export function axisCosine(g: readonly number[], axis: readonly number[], h: number, k: number, l: number): number {
  const v = [h, k, l];
  let ha = 0,
    hh = 0,
    aa = 0;
  for (let i = 0; i < 3; i++)
    for (let j = 0; j < 3; j++) {
      const m = g[3 * i + j]!;
      ha += v[i]! * m * axis[j]!;
      hh += v[i]! * m * v[j]!;
      aa += axis[i]! * m * axis[j]!;
    }
  return Math.min(1, (ha * ha) / (hh * aa));
}

/** Σ S_HKL hᴴkᴷlᴸ. */
export function quarticSum(s: readonly number[], h: number, k: number, l: number): number {
  let sum = 0;
  for (let t = 0; t < 15; t++)
    if (s[t]) sum += s[t]! * h ** QUARTICS[t]![0] * k ** QUARTICS[t]![1] * l ** QUARTICS[t]![2];
  return sum;
}

/** Positions, areas and widths of all peaks of a phase. */
export function peakTable(
  work: PhaseWork,
  model: PatternModel,
  scale: number,
  orientation?: OrientationAverage,
): PeakTable {
  const { phase, list, f2 } = work;
  const { instrument } = model;
  const lines = instrument.lines.length,
    n = list.count * lines;
  const q = quadraticForm(phase.structure.cell),
    g = reciprocalMetric(phase.structure.cell);
  const cos2m = Math.cos(instrument.monochromator / DEGREES) ** 2;
  const out: PeakTable = {
    count: n,
    lines,
    theta: new Float64Array(n),
    position: new Float64Array(n),
    area: new Float64Array(n),
    gauss: new Float64Array(n),
    lorentz: new Float64Array(n),
    factor: new Float64Array(n),
    orientation: new Float64Array(list.count).fill(1),
    orientationSlope: new Float64Array(list.count),
  };
  const p = instrument.profile;
  for (let i = 0; i < list.count; i++) {
    const h = list.h[i]!,
      k = list.k[i]!,
      l = list.l[i]!;
    const q2 = h * h * q[0]! + k * k * q[1]! + l * l * q[2]! + k * l * q[3]! + h * l * q[4]! + h * k * q[5]!;
    let size = phase.inverseSize;
    if (phase.anisotropicSize) {
      const c = axisCosine(g, phase.anisotropicSize.axis, h, k, l);
      size = size * c + phase.anisotropicSize.inverseAcross * (1 - c);
    }
    const quartic = phase.stephens ? Math.max(0, quarticSum(phase.stephens, h, k, l)) * 1e-8 : 0;
    const strain = 4e-3 * phase.strain + Math.sqrt(quartic) / q2;
    if (orientation) {
      const o = orientation.at(i, phase.orientation!.r);
      out.orientation[i] = o.value;
      out.orientationSlope[i] = o.slope;
    }
    for (let j = 0; j < lines; j++) {
      const at = i * lines + j,
        { wavelength, weight } = instrument.lines[j]!;
      const sine = (wavelength * Math.sqrt(q2)) / 2;
      if (sine >= 0.99999) {
        out.theta[at] = NaN;
        continue;
      }
      const theta = Math.asin(sine),
        tan = Math.tan(theta),
        cos = Math.cos(theta);
      out.theta[at] = theta;
      out.position[at] =
        2 * theta * DEGREES +
        instrument.zero +
        model.zero +
        model.displacement * displacementShift(instrument.geometry, theta, instrument.radius);
      out.gauss[at] = Math.sqrt(Math.max(1e-8, p.u * tan * tan + p.v * tan + p.w));
      out.lorentz[at] = Math.max(
        0,
        p.x * tan + p.y / cos + (DEGREES * SCHERRER * wavelength * size) / (10 * cos) + DEGREES * strain * tan,
      );
      // The Lorentz factor belongs to intensities integrated over 2θ in radians; the constant goes into the scale.
      const factor =
        weight *
        list.multiplicity[i]! *
        lorentzPolarization(theta, cos2m) *
        absorptionFactor(instrument.geometry, model.absorption, theta) *
        out.orientation[i]!;
      out.factor[at] = factor;
      out.area[at] = scale * factor * f2[i]!;
    }
  }
  return out;
}

const shape: Shape = { width: 0, eta: 0, widthG: 0, widthL: 0, etaG: 0, etaL: 0 };
const spread = newSpread();

/** Spacing of the coarse grid that carries the Lorentzian tails, degrees. */
const COARSE = 0.15;

/**
 * Adds unit-area profiles times `area` at the points x, tails to the ends of the pattern included. Near its centre (|u| ≤ R) a profile is
 * added point by point; what is left is smooth, since the Lorentzian is replaced there by the parabola in u² that meets it at R with two
 * derivatives, and is summed on a coarse grid that is interpolated once.
 */
export function addPeaks(t: PeakTable, model: PatternModel, x: Float64Array, out: Float64Array): void {
  const n = x.length;
  if (!n) return;
  const { sampleHeight, detectorHeight } = model.instrument.profile;
  const first = x[0]! - 2 * COARSE,
    nodes = Math.ceil((x[n - 1]! - x[0]!) / COARSE) + 5;
  const tail = new Float64Array(nodes);
  for (let i = 0; i < t.count; i++) {
    const area = t.area[i]!;
    if (!area || Number.isNaN(t.theta[i]!)) continue;
    mixedShape(t.gauss[i]!, t.lorentz[i]!, shape);
    const { width, eta } = shape;
    axialSpread(2 * t.theta[i]! * DEGREES, sampleHeight, detectorHeight, width, spread);
    let centre = t.position[i]!;
    for (let s = 0; s < spread.count; s++) centre += spread.weight[s]! * spread.shift[s]!;
    const c = 4 / (width * width),
      k = (eta * LORENTZ_NORM * area) / width;
    const reach = Math.max(10 * width, 10 * COARSE),
      v0 = reach * reach;
    const at = 1 / (1 + c * v0),
      q1 = -c * at * at,
      q2 = c * c * at * at * at;
    const lo = Math.max(0, Math.min(nodes, Math.ceil((centre - reach - first) / COARSE))),
      hi = Math.max(lo, Math.min(nodes, Math.floor((centre + reach - first) / COARSE) + 1));
    for (let m = 0; m < lo; m++) {
      const u = first + m * COARSE - centre;
      tail[m]! += k / (1 + c * u * u);
    }
    for (let m = lo; m < hi; m++) {
      const u = first + m * COARSE - centre,
        v = u * u - v0;
      tail[m]! += k * (at + v * (q1 + v * q2));
    }
    for (let m = hi; m < nodes; m++) {
      const u = first + m * COARSE - centre;
      tail[m]! += k / (1 + c * u * u);
    }
    const from = lowerBound(x, centre - reach),
      to = lowerBound(x, centre + reach);
    if (spread.count === 1) {
      for (let m = from; m < to; m++) {
        const u = x[m]! - centre,
          w = u * u,
          v = w - v0;
        out[m]! += k * (1 / (1 + c * w) - at - v * (q1 + v * q2));
      }
    } else {
      for (let m = from; m < to; m++) {
        const u = x[m]! - centre,
          v = u * u - v0;
        out[m]! -= k * (at + v * (q1 + v * q2));
      }
      for (let s = 0; s < spread.count; s++) {
        const p = t.position[i]! + spread.shift[s]!,
          ks = k * spread.weight[s]!;
        for (let m = from; m < to; m++) {
          const u = x[m]! - p;
          out[m]! += ks / (1 + c * u * u);
        }
      }
    }
    if (eta >= 1) continue;
    for (let s = 0; s < spread.count; s++)
      addGauss(
        x,
        out,
        t.position[i]! + spread.shift[s]!,
        ((1 - eta) * GAUSS_NORM * area * spread.weight[s]!) / width,
        width,
      );
  }
  // Four-point Lagrange interpolation of the tails.
  for (let m = 0; m < n; m++) {
    const g = (x[m]! - first) / COARSE,
      j = Math.floor(g),
      f = g - j;
    const a = f + 1,
      b = f,
      c = f - 1,
      d = f - 2;
    out[m]! +=
      (-b * c * d * tail[j - 1]!) / 6 +
      (a * c * d * tail[j]!) / 2 -
      (a * b * d * tail[j + 1]!) / 2 +
      (a * b * c * tail[j + 2]!) / 6;
  }
}

function addGauss(x: Float64Array, out: Float64Array, position: number, height: number, width: number): void {
  const e = (-4 * Math.LN2) / (width * width),
    near = 2.4 * width;
  const from = lowerBound(x, position - near),
    to = lowerBound(x, position + near);
  for (let m = from; m < to; m++) {
    const u = x[m]! - position;
    out[m]! += height * Math.exp(e * u * u);
  }
}

/** One profile within its window, for work on single reflections. */
function addProfile(
  x: Float64Array,
  out: Float64Array,
  position: number,
  area: number,
  width: number,
  eta: number,
  reach: number,
): void {
  const from = lowerBound(x, position - reach),
    to = lowerBound(x, position + reach);
  const c = 4 / (width * width),
    k = (eta * LORENTZ_NORM * area) / width;
  for (let m = from; m < to; m++) {
    const u = x[m]! - position;
    out[m]! += k / (1 + c * u * u);
  }
  if (eta < 1) addGauss(x, out, position, ((1 - eta) * GAUSS_NORM * area) / width, width);
}

/** Rp, Rwp, Rexp (fractions), S and χ² of a calculated pattern (Young 1993, The Rietveld Method, ch. 1). */
export interface Figures {
  readonly rp: number;
  readonly rwp: number;
  readonly rExp: number;
  readonly s: number;
}

export function agreement(points: Points, calculated: Float64Array, parameters: number): Figures {
  let top = 0,
    bottom = 0,
    chi = 0,
    norm = 0;
  for (let i = 0; i < points.count; i++) {
    const d = points.y[i]! - calculated[i]!,
      w = 1 / (points.sigma[i]! * points.sigma[i]!);
    top += Math.abs(d);
    bottom += Math.abs(points.y[i]!);
    chi += w * d * d;
    norm += w * points.y[i]! * points.y[i]!;
  }
  const rwp = Math.sqrt(chi / norm),
    rExp = Math.sqrt(Math.max(1, points.count - parameters) / norm);
  return { rp: top / bottom, rwp, rExp, s: rwp / rExp };
}

/** The smallest spacing that the pattern reaches, with room for cells that change. */
export const smallestSpacing = (x: Float64Array, model: PatternModel, margin = 1.012): number => {
  const shortest = Math.min(...model.instrument.lines.map((l) => l.wavelength));
  return Math.max(0.3, shortest / (2 * Math.sin(Math.min(89.9, (x[x.length - 1]! + 0.5) / 2) / DEGREES)) / margin);
};

export interface CalculatedPattern {
  readonly calculated: Float64Array;
  readonly background: Float64Array;
  readonly phases: readonly Float64Array[];
  readonly tables: readonly PeakTable[];
}

/** Whether two models put peaks of like shape in like places. */
const sameOptics = (p: PatternModel, q: PatternModel): boolean =>
  p === q ||
  (p.instrument === q.instrument &&
    p.zero === q.zero &&
    p.displacement === q.displacement &&
    p.absorption === q.absorption);

/** A pattern that is calculated again and again while its model changes: reflections and |F|² are kept as long as they hold. */
export class PatternCalculator {
  readonly points: Points;
  readonly works: PhaseWork[];
  private readonly orientations: (OrientationAverage | undefined)[];
  /** What each phase gave the last time: while one is changed by hand the others stay as they are. */
  private readonly kept: {
    phase: PhaseModel;
    model: PatternModel;
    scale: number;
    y: Float64Array;
    table: PeakTable;
  }[] = [];

  constructor(
    readonly pattern: Pattern,
    public model: PatternModel,
    phases: readonly PhaseModel[],
  ) {
    this.points = fittedPoints(pattern, model);
    const dMin = smallestSpacing(this.points.x, model);
    this.works = phases.map((p) => new PhaseWork(p, model.instrument.lines[0]!.wavelength, dMin));
    this.orientations = this.works.map((w) =>
      w.phase.orientation ? new OrientationAverage(w.phase, w.list) : undefined,
    );
  }

  update(model: PatternModel, phases: readonly PhaseModel[]): void {
    this.model = model;
    phases.forEach((p, i) => {
      const axis = this.works[i]!.phase.orientation?.axis.join();
      const moved = p.structure !== this.works[i]!.phase.structure;
      this.works[i]!.update(p);
      if (p.orientation && (moved || p.orientation.axis.join() !== axis))
        this.orientations[i] = new OrientationAverage(p, this.works[i]!.list);
      if (!p.orientation) this.orientations[i] = undefined;
    });
  }

  calculate(): CalculatedPattern {
    const n = this.points.count,
      x = this.points.x;
    const background = new Float64Array(n);
    addBackground(this.model.background, x, background);
    const calculated = Float64Array.from(background);
    const tables: PeakTable[] = [];
    const phases = this.works.map((w, i) => {
      const scale = this.model.scales[i] ?? 0,
        before = this.kept[i];
      const same = before && before.phase === w.phase && before.scale === scale && sameOptics(before.model, this.model);
      const table = same ? before.table : peakTable(w, this.model, scale, this.orientations[i]);
      const y = same ? before.y : new Float64Array(n);
      if (!same) {
        addPeaks(table, this.model, x, y);
        this.kept[i] = { phase: w.phase, model: this.model, scale, y, table };
      }
      tables.push(table);
      for (let m = 0; m < n; m++) calculated[m]! += y[m]!;
      return y;
    });
    return { calculated, background, phases, tables };
  }

  orientation(i: number): OrientationAverage | undefined {
    return this.orientations[i];
  }
}

/** Areas per reflection as the pattern apportions them (Rietveld 1969; Le Bail, Duroy & Fourquet 1988, Mat. Res. Bull. 23, 447): observed |F|² of every reflection of a phase. */
export function apportion(c: CalculatedPattern, phase: number, calculator: PatternCalculator): Float64Array {
  const { points, works, model } = calculator;
  const t = c.tables[phase]!,
    list = works[phase]!.list,
    f2 = works[phase]!.f2;
  const out = new Float64Array(list.count);
  const { sampleHeight, detectorHeight } = model.instrument.profile;
  const ratio = new Float64Array(points.count);
  for (let i = 0; i < points.count; i++) {
    const net = c.calculated[i]! - c.background[i]!;
    ratio[i] = net > 1e-9 ? (points.y[i]! - c.background[i]!) / net : 0;
  }
  const one = new Float64Array(points.count);
  for (let i = 0; i < list.count; i++) {
    let top = 0,
      bottom = 0;
    for (let j = 0; j < t.lines; j++) {
      const at = i * t.lines + j,
        area = t.area[at]!;
      if (!(area > 0)) continue;
      mixedShape(t.gauss[at]!, t.lorentz[at]!, shape);
      axialSpread(2 * t.theta[at]! * DEGREES, sampleHeight, detectorHeight, shape.width, spread);
      // Beyond a few widths the tails say more about neighbours than about this reflection.
      const reach = Math.min(reachOf(shape.width, shape.eta), 6 * shape.width);
      const from = lowerBound(points.x, t.position[at]! - reach - Math.abs(spread.shift[spread.count - 1]!)),
        to = lowerBound(points.x, t.position[at]! + reach + Math.abs(spread.shift[spread.count - 1]!));
      one.fill(0, from, to);
      for (let s = 0; s < spread.count; s++)
        addProfile(
          points.x,
          one,
          t.position[at]! + spread.shift[s]!,
          area * spread.weight[s]!,
          shape.width,
          shape.eta,
          reach,
        );
      for (let m = from; m < to; m++) {
        const step = ((points.x[Math.min(m + 1, points.count - 1)]! - points.x[Math.max(0, m - 1)]!) / 2) * one[m]!;
        top += step * ratio[m]!;
        bottom += step;
        one[m] = 0;
      }
    }
    out[i] = bottom > 0 ? Math.max(0, f2[i]! * (top / bottom)) : f2[i]!;
  }
  return out;
}
