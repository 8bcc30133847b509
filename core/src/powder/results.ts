/** What a powder fit says, with s.u. from the covariance matrix: weight fractions, cells, sizes, strains, agreement. */
import type { Cell } from '../crystal/cell.ts';
import type { TaskContext } from '../task-context.ts';
import type { FitProblem } from './assemble.ts';
import { agreement, apportion, type Figures } from './engine.ts';
import { covarianceAt } from './least-squares.ts';
import { densityOf, zmv, type FitModel } from './model.ts';
import { ACROSS, cellUncertainty, MARCH, modelAt, QUADRATIC, SCALES, SIZE, STRAIN, ZERO, SHIFT } from './parameters.ts';

export interface Value {
  readonly value: number;
  /** 0 where it was held. */
  readonly su: number;
}

export interface PhaseFit {
  readonly id: string;
  readonly name: string;
  readonly cell: Cell;
  /** a b c α β γ; 0 where symmetry or the person held it. */
  readonly cellSu: readonly number[];
  readonly density: number;
  /** nm; absent where the peaks are as narrow as the instrument's. */
  readonly size?: Value;
  readonly sizeAcross?: Value;
  /** 10⁻³ */
  readonly strain: Value;
  readonly orientation?: Value;
  readonly reflections: number;
}

export interface PatternFit extends Figures {
  readonly points: number;
  /** Per phase; undefined for extracted phases. */
  readonly weightFractions: readonly (Value | undefined)[];
  /** Of the whole specimen, from a weighed-in standard. */
  readonly absolute?: readonly (Value | undefined)[];
  readonly amorphous?: Value;
  readonly rBragg: readonly number[];
  readonly zero: Value;
  readonly displacement: Value;
}

export interface FitResult extends Figures {
  readonly parameters: number;
  readonly phases: readonly PhaseFit[];
  readonly patterns: readonly PatternFit[];
  readonly correlations: readonly { readonly value: number; readonly between: readonly [string, string] }[];
}

/** Weight fractions W_i = S_i (ZMV)_i / Σ (Hill & Howard 1987) with s.u. propagated from the covariance of the scales. */
export function weightFractions(
  scales: readonly number[],
  masses: readonly number[],
  covariance: (i: number, j: number) => number,
): Value[] {
  const m = scales.map((s, i) => s * masses[i]!),
    total = m.reduce((p, q) => p + q, 0);
  if (!(total > 0)) return scales.map(() => ({ value: 0, su: 0 }));
  return m.map((own, i) => {
    const slope = masses.map((z, j) => (z / total) * ((i === j ? 1 : 0) - own / total));
    let variance = 0;
    for (let j = 0; j < m.length; j++)
      for (let k = 0; k < m.length; k++) variance += slope[j]! * slope[k]! * covariance(j, k);
    return { value: own / total, su: Math.sqrt(Math.max(0, variance)) };
  });
}

/** Reads a converged problem. */
export async function readFit(
  problem: FitProblem,
  context: TaskContext,
): Promise<{ result: FitResult; model: FitModel }> {
  const { map, layout } = problem,
    n = map.independent;
  const full = n ? await covarianceAt(problem, context) : new Float64Array(0);
  const covariance = (p: number, q: number): number => {
    let sum = 0;
    for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
      for (let f = map.start[q]!; f < map.start[q + 1]!; f++)
        sum += map.value[e]! * map.value[f]! * full[map.column[e]! * n + map.column[f]!]!;
    return sum;
  };
  const su = Float64Array.from({ length: layout.total }, (_, i) => Math.sqrt(Math.max(0, covariance(i, i))));
  const { model } = problem;
  const value = (i: number): Value => ({ value: problem.values[i]!, su: su[i]! });
  const inverse = (i: number): Value | undefined => {
    const v = problem.values[i]!;
    return v > 1e-5 ? { value: 1 / v, su: su[i]! / (v * v) } : undefined;
  };
  const phases = model.phases.map((p, i): PhaseFit => {
    const e = layout.extra[i]!;
    const size = inverse(e + SIZE),
      across = p.anisotropicSize ? inverse(e + ACROSS) : undefined;
    const cellSu = cellUncertainty(p.structure.cell, (a, b) => covariance(e + QUADRATIC + a, e + QUADRATIC + b)).map(
      (x) => (x > 1e-9 ? x : 0),
    );
    return {
      id: p.id,
      name: p.name,
      cell: p.structure.cell,
      cellSu,
      density: p.structure.sites.length ? densityOf(p.structure) : 0,
      ...(size ? { size } : {}),
      ...(across ? { sizeAcross: across } : {}),
      strain: value(e + STRAIN),
      ...(p.orientation ? { orientation: value(e + MARCH) } : {}),
      reflections: problem.calculators[0]!.works[i]!.list.count,
    };
  });
  const patterns = model.patterns.map((pm, k): PatternFit => {
    const calculator = problem.calculators[k]!,
      c = calculator.calculate();
    const figures = agreement(calculator.points, c.calculated, n);
    const at = layout.pattern[k]!;
    const known = model.phases.flatMap((p, i) => (p.extraction ? [] : [i]));
    const masses = known.map((i) => zmv(model.phases[i]!.structure));
    const fractions = weightFractions(
      known.map((i) => pm.scales[i]!),
      masses,
      (a, b) => covariance(at + SCALES + known[a]!, at + SCALES + known[b]!),
    );
    const spread = model.phases.map((_, i) => (known.includes(i) ? fractions[known.indexOf(i)] : undefined));
    const standard = model.phases.findIndex((p) => p.weighed !== undefined);
    const found = standard >= 0 ? spread[standard] : undefined;
    const factor = found && found.value > 0 ? model.phases[standard]!.weighed! / found.value : undefined;
    const absolute = factor
      ? spread.map((f) => (f ? { value: f.value * factor, su: f.su * factor } : undefined))
      : undefined;
    const amorphous = factor && found ? { value: 1 - factor, su: (factor * found.su) / found.value } : undefined;
    const rBragg = model.phases.map((_, i) => {
      const observed = apportion(c, i, calculator),
        calc = calculator.works[i]!.f2,
        m = calculator.works[i]!.list.multiplicity,
        t = c.tables[i]!;
      let top = 0,
        bottom = 0;
      for (let r = 0; r < calc.length; r++) {
        if (
          Number.isNaN(t.theta[r * t.lines]!) ||
          t.position[r * t.lines]! > calculator.points.x[calculator.points.count - 1]! ||
          t.position[r * t.lines]! < calculator.points.x[0]!
        )
          continue;
        top += m[r]! * Math.abs(observed[r]! - calc[r]!);
        bottom += m[r]! * observed[r]!;
      }
      return bottom > 0 ? top / bottom : 0;
    });
    return {
      ...figures,
      points: calculator.points.count,
      weightFractions: spread,
      ...(absolute ? { absolute } : {}),
      ...(amorphous ? { amorphous } : {}),
      rBragg,
      zero: value(at + ZERO),
      displacement: value(at + SHIFT),
    };
  });
  const total = patterns.reduce((t, p) => t + p.points, 0);
  const mean = (pick: (f: Figures) => number): number =>
    Math.sqrt(patterns.reduce((t, p) => t + (p.points / total) * pick(p) ** 2, 0));
  const rwp = mean((f) => f.rwp),
    rExp = mean((f) => f.rExp);
  const correlations: { value: number; between: [string, string] }[] = [];
  for (let i = 0; i < n; i++)
    for (let j = 0; j < i; j++) {
      const r = full[i * n + j]! / Math.sqrt(full[i * n + i]! * full[j * n + j]!);
      if (Math.abs(r) > 0.6) correlations.push({ value: r, between: [problem.nameOf(i), problem.nameOf(j)] });
    }
  correlations.sort((p, q) => Math.abs(q.value) - Math.abs(p.value));
  const held = modelAt(problem.model, problem.values, layout, su);
  return {
    result: {
      rp: mean((f) => f.rp),
      rwp,
      rExp,
      s: rwp / rExp,
      parameters: n,
      phases,
      patterns,
      correlations: correlations.slice(0, 30),
    },
    model: {
      ...problem.model,
      phases: problem.model.phases.map((p, i) => {
        const structure = p.structure.sites.length ? held.phases[i]!.structure : p.structure;
        const { cellSu } = phases[i]!;
        // The cell says how well it is known wherever the structure goes.
        return {
          ...p,
          structure: { ...structure, cell: { ...structure.cell, su: cellSu as unknown as NonNullable<Cell['su']> } },
        };
      }),
    },
  };
}
