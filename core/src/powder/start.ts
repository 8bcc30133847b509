/** Good starting values: scales and background by linear least squares with scales not negative, and cells that are some tenths of a percent off found on a blurred pattern. */
import type { Pattern } from '../crystal/pattern.ts';
import { choleskyInPlace, choleskySolve } from '../math/linear.ts';
import type { TaskContext } from '../task-context.ts';
import { PatternCalculator, type CalculatedPattern } from './engine.ts';
import { addBackground, chebyshevArgument } from './background.ts';
import { freeConstants, withConstant, type FitModel, type PatternModel, type PhaseModel } from './model.ts';

/** Columns of unit phases: each calculated with scale one. */
function unitPhases(
  pattern: Pattern,
  model: PatternModel,
  phases: readonly PhaseModel[],
): { calculator: PatternCalculator; c: CalculatedPattern } {
  const calculator = new PatternCalculator(pattern, { ...model, scales: phases.map(() => 1) }, phases);
  return { calculator, c: calculator.calculate() };
}

/** Weighted linear least squares with some unknowns not negative, by leaving out what turns negative (Lawson & Hanson 1974, simplified to one-way exclusion). Columns are n arrays. */
export function nonNegative(
  columns: readonly Float64Array[],
  y: Float64Array,
  weight: Float64Array,
  bounded: ReadonlySet<number>,
): number[] {
  const n = columns.length,
    m = y.length;
  const a = new Float64Array(n * n),
    b = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = 0;
      for (let k = 0; k < m; k++) sum += weight[k]! * columns[i]![k]! * columns[j]![k]!;
      a[i * n + j] = a[j * n + i] = sum;
    }
    for (let k = 0; k < m; k++) b[i]! += weight[k]! * columns[i]![k]! * y[k]!;
  }
  let active = columns.map((_, i) => i).filter((i) => a[i * n + i]! > 0);
  for (let round = 0; round < n; round++) {
    const k = active.length;
    const sub = new Float64Array(k * k),
      rhs = new Float64Array(k);
    const d = active.map((i) => Math.sqrt(a[i * n + i]!));
    active.forEach((i, p) => {
      rhs[p] = b[i]! / d[p]!;
      active.forEach((j, q) => (sub[p * k + q] = a[i * n + j]! / (d[p]! * d[q]!)));
    });
    for (let p = 0; p < k; p++) sub[p * k + p]! *= 1 + 1e-9;
    choleskyInPlace(sub, k);
    const x = choleskySolve(sub, k, rhs).map((v, p) => v / d[p]!);
    const worst = active.reduce(
      (w, i, p) => (bounded.has(i) && x[p]! < 0 && (w < 0 || x[p]! * d[p]! < x[w]! * d[w]!) ? p : w),
      -1,
    );
    if (worst < 0) {
      const out = new Array<number>(n).fill(0);
      active.forEach((i, p) => (out[i] = x[p]!));
      return out;
    }
    active = active.filter((_, p) => p !== worst);
  }
  return new Array<number>(n).fill(0);
}

/** Scales and Chebyshev background that fit a pattern best with everything else as it is. */
export function linearScales(pattern: Pattern, model: PatternModel, phases: readonly PhaseModel[]): PatternModel {
  const { calculator, c } = unitPhases(pattern, model, phases);
  const { x, y, sigma, count } = calculator.points;
  const free = phases.map((p) => !p.extraction);
  const terms = model.background.chebyshev.length;
  const fixed = new Float64Array(count);
  addBackground({ ...model.background, chebyshev: [] }, x, fixed);
  phases.forEach((p, i) => {
    if (p.extraction) for (let k = 0; k < count; k++) fixed[k]! += c.phases[i]![k]!;
  });
  const columns = [
    ...c.phases.filter((_, i) => free[i]),
    ...Array.from({ length: terms }, () => new Float64Array(count)),
  ];
  const first = columns.length - terms;
  for (let k = 0; k < count; k++) {
    const t = chebyshevArgument(x[k]!, x[0]!, x[count - 1]!);
    let before = 1,
      now = t;
    for (let m = 0; m < terms; m++) {
      columns[first + m]![k] = m === 0 ? 1 : now;
      if (m > 0) [before, now] = [now, 2 * t * now - before];
    }
  }
  const target = y.map((v, k) => v - fixed[k]!),
    weight = sigma.map((s) => 1 / (s * s));
  const found = nonNegative(columns, target, weight, new Set(columns.slice(0, first).keys()));
  let at = 0;
  return {
    ...model,
    scales: phases.map((_, i) => (free[i] ? found[at++]! : 1)),
    background: { ...model.background, chebyshev: found.slice(first) },
  };
}

/** A pattern and its model blurred by a Gaussian of the given full width and thinned to a few points a width. */
export function blurred(pattern: Pattern, width: number): Pattern {
  const { twoTheta: x, intensity: y, sigma: s } = pattern;
  const from = x[0]!,
    to = x[x.length - 1]!,
    step = width / 5;
  const n = Math.max(2, Math.floor((to - from) / step));
  const twoTheta = new Float64Array(n),
    intensity = new Float64Array(n),
    sigma = new Float64Array(n);
  let lo = 0;
  for (let i = 0; i < n; i++) {
    const at = from + (i + 0.5) * step;
    while (x[lo]! < at - 1.3 * width) lo++;
    let sum = 0,
      norm = 0,
      square = 0;
    for (let k = lo; k < x.length && x[k]! < at + 1.3 * width; k++) {
      const u = (x[k]! - at) / width,
        w = Math.exp(-4 * Math.LN2 * u * u);
      sum += w * y[k]!;
      norm += w;
      square += (w * s[k]!) ** 2;
    }
    twoTheta[i] = at;
    intensity[i] = norm ? sum / norm : 0;
    // Peaks differ in more than counting while cells are off: a share of the intensity keeps the strong ones from ruling.
    sigma[i] = norm ? Math.hypot(Math.sqrt(square) / norm, 0.03 * Math.abs(sum / norm)) : 1e9;
  }
  return { ...pattern, twoTheta, intensity, sigma };
}

const broadened = (m: PatternModel, width: number): PatternModel => ({
  ...m,
  instrument: {
    ...m.instrument,
    profile: { ...m.instrument.profile, w: m.instrument.profile.w + width * width, sampleHeight: 0, detectorHeight: 0 },
  },
});

function misfit(pattern: Pattern, model: PatternModel, phases: readonly PhaseModel[]): number {
  const fitted = linearScales(pattern, model, phases);
  const calculator = new PatternCalculator(pattern, fitted, phases);
  const { calculated } = calculator.calculate();
  const { y, sigma, count } = calculator.points;
  let sum = 0;
  for (let i = 0; i < count; i++) sum += ((y[i]! - calculated[i]!) / sigma[i]!) ** 2;
  return sum;
}

/**
 * Stretches every free constant of every phase in turn on a pattern blurred more and more finely, keeping what lowers the misfit with
 * scales and background fitted anew. Reaches about `reach` (a fraction) from the truth. Only the first pattern is looked at.
 */
export async function findCells(
  model: FitModel,
  patterns: readonly Pattern[],
  context: TaskContext,
  reach = 0.01,
): Promise<FitModel> {
  let phases = model.phases;
  const pattern = patterns[0]!,
    own = model.patterns[0]!;
  for (const [width, span, steps] of [
    [0.6, reach, 8],
    [0.3, reach / 3, 6],
    [0.15, reach / 8, 5],
  ] as const) {
    const data = blurred(pattern, width),
      blur = broadened(own, width);
    let best = misfit(data, blur, phases);
    for (let round = 0; round < 2; round++) {
      for (let i = 0; i < phases.length; i++) {
        const phase = phases[i]!;
        if (phase.extraction && phase.extraction === 'Pawley') continue;
        const group = phase.structure.spaceGroup,
          start = phases[i]!.structure.cell;
        const constants = freeConstants(group).filter(
          (f) => f.constant === 'a' || f.constant === 'b' || f.constant === 'c',
        );
        const tries = constants.length > 1 ? [undefined, ...constants] : [undefined];
        let cell = start;
        for (const t of tries) {
          const base = cell;
          for (let k = -steps; k <= steps; k++) {
            if (!k) continue;
            await context.breath();
            const factor = 1 + (span * k) / steps;
            let next = base;
            for (const f of t ? [t] : constants)
              next = withConstant(next, group, f.constant, base[f.constant] * factor);
            const trial = phases.map((p, j) => (j === i ? { ...p, structure: { ...p.structure, cell: next } } : p));
            const now = misfit(data, blur, trial);
            if (now < best * 0.9995) {
              best = now;
              cell = next;
            }
          }
        }
        phases = phases.map((p, j) => (j === i ? { ...p, structure: { ...p.structure, cell } } : p));
      }
      if (model.phases.length === 1) break;
    }
  }
  return { ...model, phases };
}
