/** Crystals from a terminal: merging, solving, refining and settling by the tasks of the application. */
import { withThreads } from './threads.ts';
import { cellParameters } from '@nagare/core/crystal/cell';
import { isHydrogen } from '@nagare/core/crystal/elements';
import type { Hold } from '@nagare/core/crystal/controls';
import { experiment } from '@nagare/core/crystal/experiment';
import { parseFormula, type Formula } from '@nagare/core/crystal/formula';
import { findSetting, groupOfSetting } from '@nagare/core/crystal/settings';
import { contentsOfUnit, equivalentU, type Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import { assemblies } from '@nagare/core/model/disorder';
import { structureCif } from '@nagare/core/publish/structure-cif';
import type { AbsoluteStructure } from '@nagare/core/refine/absolute-structure';
import type { CovarianceData } from '@nagare/core/refine/covariance';
import type { Readings } from '@nagare/core/refine/single-crystal';
import type { SettleReport } from '@nagare/core/settle/settle';
import type { MapResult } from '@nagare/core/settle/stage';
import type { SolveReport } from '@nagare/core/solve/solve';
import { breathingContext } from '@nagare/core/task-context';
import { analyseTask, mergeTask } from '@nagare/core/tasks/intake-tasks';
import { refineTask, settleTask } from '@nagare/core/tasks/refine-tasks';
import { solveTask } from '@nagare/core/tasks/solve-tasks';
import { writeOut } from './answer-file.ts';
import { BadInput, numberOption, quiet, rounded, type Answer, type Options, type Say } from './answers.ts';
import { measured, mergedFor, modelJob, onePath, type ModelJob } from './inputs.ts';
import { groupJson } from './symmetry.ts';

type Output = Record<string, unknown>;

function formulaOption(text: string | undefined, fallback: Formula | undefined): Formula | undefined {
  if (!text) return fallback;
  try {
    return parseFormula(text);
  } catch (e) {
    throw new BadInput((e as Error).message);
  }
}

export async function merge(paths: string[]): Promise<Answer> {
  const data = measured(onePath(paths));
  const analysis = await analyseTask.run({ raw: data.raw, cell: data.cell }, quiet());
  const best = groupOfSetting(analysis.ranking.groups[0]!.setting);
  const m = await mergeTask.run({ raw: analysis.raw, cell: analysis.cell, group: best }, quiet());
  const s = m.statistics;
  const json = {
    measured: s.measured,
    unique: s.unique,
    rejected: s.rejected,
    rInt: s.rInt,
    rSigma: s.rSigma,
    completeness: s.completeness,
    dMin: s.dMin,
    meanIOverSigma: s.meanIOverSigma,
    laueClass: analysis.lattice.laueClass,
    cell: cellParameters(analysis.cell).map((x) => rounded(x, 4)),
    spaceGroups: analysis.ranking.groups.slice(0, 10).map((g) => ({
      number: g.number,
      symbol: g.symbol,
      hall: g.hall,
      score: rounded(g.score, 2),
      absences: g.elements.map((e) => ({
        element: e.element,
        condition: e.condition,
        reflections: e.reflections,
        meanIOverSigma: rounded(e.meanIOverSigma, 2),
        ...(e.strongest ? { strongest: e.strongest } : {}),
      })),
    })),
  };
  return {
    json,
    text: `${s.measured} measured, ${s.unique} unique, ${s.rejected} rejected; R_int ${(100 * s.rInt).toFixed(2)} %, complete to ${(100 * s.completeness).toFixed(1)} % at ${s.dMin.toFixed(2)} Å. Space group ${best.symbol}.`,
  };
}

export async function solve(paths: string[], options: Options, say: Say): Promise<Answer> {
  const started = performance.now();
  const data = measured(onePath(paths));
  const formula = formulaOption(options['formula'] as string | undefined, data.entry.experiment.formula);
  const z = options['z'] === undefined ? data.entry.experiment.z : numberOption('z', options['z'] as string, 4);
  const named = options['space-group'] as string | undefined;
  const setting = named ? findSetting(named) : undefined;
  if (named && !setting)
    throw new BadInput(`--space-group "${named}" is not a known symbol. Write it like "P 1 21/c 1" or "P 21/c".`);
  const seed = numberOption('seed', options['seed'] as string | undefined, 1);
  const tell = (p: SolveReport): void => {
    if (p.kind === 'candidate' && !options['json'])
      say(
        `seed ${p.candidate.seed}: ${p.candidate.structure.spaceGroup.symbol} R1 ${(100 * p.candidate.r1).toFixed(1)} %, ${p.candidate.structure.sites.length} atoms`,
      );
  };
  const input = {
    raw: data.raw,
    cell: data.cell,
    wavelength: data.wavelength,
    ...(formula ? { formula } : {}),
    ...(z ? { z } : {}),
    ...(setting ? { spaceGroup: groupOfSetting(setting) } : {}),
    // Seeds of different runs never overlap.
    seed: seed * 1000 + 1,
    seeds: 999,
    seconds: numberOption('seconds', options['seconds'] as string | undefined, 180),
  };
  const result = await withThreads((threads) =>
    solveTask.run(input, breathingContext<SolveReport>({ aborted: false }, tell, threads)),
  );
  const best = result.candidates[0];
  if (!best) throw new BadInput(result.message);
  const s = best.structure;
  if (typeof options['out'] === 'string') {
    const merged = mergedFor(data.raw, data.cell, s);
    writeOut(
      options['out'],
      structureCif({
        name: data.name,
        structure: s,
        experiment: { ...data.entry.experiment, ...(formula ? { formula } : {}), ...(z ? { z } : {}) },
        wavelength: data.wavelength,
        reflections: merged.reflections,
        statistics: merged.statistics,
        date: new Date().toISOString(),
      }),
    );
  }
  const json = {
    spaceGroup: groupJson(s.spaceGroup),
    r1: best.r1,
    cell: cellParameters(s.cell).map((x) => rounded(x, 4)),
    atoms: s.sites.map((x) => ({
      label: x.label,
      element: x.element,
      x: rounded(x.position[0], 5),
      y: rounded(x.position[1], 5),
      z: rounded(x.position[2], 5),
      uiso: rounded(equivalentU(s.cell, x.displacement), 5),
    })),
    completeness: best.completeness,
    seed,
    seedsTried: result.seedsTried,
    seconds: rounded((performance.now() - started) / 1000, 2),
  };
  return { json, text: result.message };
}

interface Refined {
  structure: Structure;
  readings: Readings;
  map: MapResult;
  treatment: Treatment;
  covariance?: CovarianceData;
  absolute?: AbsoluteStructure;
}

export function writeModel(out: string | boolean | undefined, job: ModelJob, r: Refined): void {
  if (typeof out !== 'string') return;
  writeOut(
    out,
    structureCif({
      name: job.model.name,
      structure: r.structure,
      experiment: job.experiment,
      wavelength: job.source.wavelength,
      reflections: job.reflections,
      ...(job.statistics ? { statistics: job.statistics } : {}),
      readings: r.readings,
      treatment: r.treatment,
      ...(r.covariance ? { covariance: r.covariance } : {}),
      residual: { peak: r.map.peaks[0]?.height ?? 0, hole: r.map.holes[0]?.height ?? 0, sigma: r.map.sigma },
      ...(r.absolute ? { absolute: r.absolute } : {}),
      date: new Date().toISOString(),
    }),
  );
}

/** What both commands report of the model they end with. */
function refinedJson({ readings: r, map, absolute }: Refined): Output {
  return {
    r1: r.r1,
    r1All: r.r1All,
    wr2: r.wr2,
    s: r.s,
    parameters: r.parameters,
    restraints: r.restraints,
    reflections: r.reflections,
    observed: r.observed,
    maxShiftOverSu: r.maxShiftOverSu,
    peak: map.peaks[0]?.height ?? 0,
    hole: map.holes[0]?.height ?? 0,
    weights: r.weights,
    twins: (r.twins ?? []).map((x) => ({
      law: x.law,
      name: x.name,
      fraction: rounded(x.fraction, 4),
      su: rounded(x.su ?? 0, 4),
    })),
    ...(r.extinction ? { extinction: r.extinction } : {}),
    ...(absolute
      ? {
          absoluteStructure: {
            x: rounded(absolute.x, 3),
            su: rounded(absolute.su, 3),
            pairs: absolute.pairs,
            verdict: absolute.verdict,
          },
        }
      : {}),
  };
}

const secondsSince = (started: number): number => rounded((performance.now() - started) / 1000, 2);

export async function refine(paths: string[], options: Options): Promise<Answer> {
  const adp = options['adp'] as string | undefined;
  if (adp !== undefined && adp !== 'iso' && adp !== 'aniso')
    throw new BadInput(`--adp must be iso or aniso, not "${adp}".`);
  const job = modelJob('refine', paths);
  const { result, ...rest } = await refineTask.run(
    {
      ...experiment(job.structure, job.reflections, job.source.wavelength, { treatment: job.model.treatment }),
      ...(adp ? { displacement: adp } : {}),
      options: {
        cycles: Math.round(numberOption('cycles', options['cycles'] as string | undefined, 20)),
        optimizeWeights: true,
        settled: 0.001,
      },
    },
    quiet(),
  );
  const refined: Refined = { ...rest, ...result };
  writeModel(options['out'], job, refined);
  const r = result.readings;
  return {
    json: {
      ...refinedJson(refined),
      cycles: result.history.length,
      state: result.state,
      message: result.message,
      seconds: secondsSince(job.started),
    },
    text: `R1 ${(100 * r.r1).toFixed(2)} %, wR2 ${(100 * r.wr2).toFixed(2)} %, S ${r.s.toFixed(2)}. ${result.message}`,
  };
}

export async function settle(paths: string[], options: Options, say: Say): Promise<Answer> {
  const disorder = (options['disorder'] as string | undefined) ?? 'try';
  if (disorder !== 'try' && disorder !== 'ask') throw new BadInput(`--disorder must be try or ask, not "${disorder}".`);
  const job = modelJob('settle', paths);
  const { temperature, formula, z } = job.experiment;
  const contents = contentsOfUnit(job.structure, formula, z);
  const context = breathingContext<SettleReport>(
    { aborted: false },
    (r) => {
      if (r.kind === 'stage' && !options['json'])
        say(`${r.stage.title}: R1 ${(100 * r.stage.readings.r1).toFixed(2)} %. ${r.stage.message}`);
    },
    {},
    1e9,
  );
  const result = await settleTask.run(
    {
      structure: job.structure,
      reflections: job.reflections,
      wavelength: job.source.wavelength,
      ...(temperature ? { temperature } : {}),
      ...(contents ? { contents } : {}),
      ...(job.model.treatment ? { treatment: job.model.treatment } : {}),
      disorder,
    },
    context,
  );
  const refined: Refined = { ...result.stage, ...(result.absolute ? { absolute: result.absolute } : {}) };
  writeModel(options['out'], job, refined);
  const s = refined.structure,
    groups = s.controls?.hydrogens ?? [];
  const placed = s.sites.filter((x) => isHydrogen(x.element)).length;
  const held = (hold: Hold): number =>
    groups.filter((g) => g.hold === hold).reduce((n, g) => n + g.hydrogens.length, 0);
  const [riding, rotating, restrained] = [held('riding'), held('rotating'), held('restrained')];
  const json = {
    ...refinedJson(refined),
    hydrogens: { placed, riding, rotating, restrained, free: placed - riding - rotating - restrained },
    disorder: assemblies(s).map((a) => ({
      assembly: a.assembly,
      groups: a.groups.map((g) => g.group),
      occupancies: a.groups.map((g) => rounded(g.occupancy, 4)),
      su: a.groups.map((g) => rounded(g.su, 4)),
    })),
    cycles: result.stages.reduce((n, x) => n + x.cycles, 0),
    stages: result.stages,
    decisions: result.decisions,
    state: result.settled ? 'settled' : 'moving',
    message: result.message,
    seconds: secondsSince(job.started),
  };
  return { json, text: [result.message, ...result.decisions.map((d) => `To decide: ${d}`)].join('\n') };
}
