/** Nagare from a terminal: merge, solve and refine with the same tasks as the application. */
import { experiment } from '@nagare/core/crystal/experiment';
import { readFileSync, writeFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { cellParameters, type Cell } from '@nagare/core/crystal/cell';
import type { MergedReflections, RawReflections } from '@nagare/core/crystal/reflections';
import { findSetting, groupOfSetting } from '@nagare/core/crystal/settings';
import { contentsOfUnit, equivalentU, type Structure } from '@nagare/core/crystal/structure';
import { transformReflections } from '@nagare/core/crystal/reflections';
import { FileProblem } from '@nagare/core/formats/cif-parser';
import { recognise, type Recognised } from '@nagare/core/formats/recognise';
import { parseFormula, type Formula } from '@nagare/core/crystal/formula';
import { analyseIntake as analyse, mergeForGroup } from '@nagare/core/solve/prepare';
import { breathingContext } from '@nagare/core/task-context';
import { TASKS } from '@nagare/core/tasks/registry';
import type { SolveReport } from '@nagare/core/solve/solve';
import { structureCif } from '@nagare/core/publish/structure-cif';
import type { Hold } from '@nagare/core/crystal/controls';
import { isHydrogen } from '@nagare/core/crystal/elements';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { SampleRecord } from '@nagare/core/formats/cif-data';
import type { AbsoluteStructure } from '@nagare/core/refine/absolute-structure';
import type { CovarianceData } from '@nagare/core/refine/covariance';
import type { Readings } from '@nagare/core/refine/single-crystal';
import type { MapResult } from '@nagare/core/settle/stage';
import { assemblies } from '@nagare/core/model/disorder';
import type { SettleReport } from '@nagare/core/settle/settle';
import { threadPool } from '@nagare/server/worker-pool';
import type { MergeResult, MergeStatistics } from '@nagare/core/data/merge';
import { BadInput, type Answer } from './answers.ts';
import { checkAnswer, reportAnswer } from './check.ts';
import { fitAnswer, identifyAnswer, indexAnswer, patternAnswer } from './powder.ts';
import { chooseChange, groupJson, resetAnswer, symmetryAnswer } from './symmetry.ts';

const HELP = `Use:
  nagare merge  data.cif [--json]
  nagare solve  data.cif [--formula "C14 H16 N2 O3"] [--z 4] [--space-group "P 1 21/c 1"] [--seed 1] [--seconds 180] --out model.cif [--json]
  nagare refine model.cif [data.cif] [--adp iso|aniso] [--cycles 20] --out refined.cif [--json]
  nagare settle model.cif [data.cif] [--disorder try|ask] --out final.cif [--json]
  nagare symmetry model.cif [data.cif] [--tolerance 0.25] [--json]
  nagare check  model.cif [data.cif] [--json]
  nagare reset  model.cif --setting standard|"P 1 21/n 1"|"matrix;shift" --out new.cif [--json]
  nagare report model.cif [data.cif] --out report.html
  nagare pattern model.cif [--wavelength 1.5406] [--from 10 --to 120] [--json]
  nagare fit    pattern.xy --phase a.cif [--phase b.cif] [--instrument i.json] [--recipe quantify|cell|size|structure|profile] [--out result.cif] [--json]
  nagare index  peaks.txt|pattern.xy [--wavelength 1.5406] [--tolerance 0.03] [--json]
  nagare identify pattern.xy [--elements Zn,Ti,O] [--instrument i.json] [--json]`;

const sameCell = (p: Cell, q: Cell): boolean =>
  cellParameters(p).every((x, i) => Math.abs(x - cellParameters(q)[i]!) < (i < 3 ? 0.01 * x : 0.5));

function read(path: string): Recognised[] {
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch (e) {
    throw new BadInput(
      `${path} cannot be read: ${(e as NodeJS.ErrnoException).code === 'ENOENT' ? 'there is no such file' : (e as Error).message}.`,
    );
  }
  try {
    return recognise(text, path);
  } catch (e) {
    if (e instanceof FileProblem) throw new BadInput(`${path}: ${e.message}`);
    throw e;
  }
}

interface Measured {
  name: string;
  raw: RawReflections;
  cell: Cell;
  wavelength: number;
  entry: Recognised;
}

function measured(path: string): Measured {
  const entry = read(path).find((r) => r.raw);
  if (!entry?.raw) throw new BadInput(`${path} holds no reflections.`);
  if (!entry.cell)
    throw new BadInput(
      `${path} holds reflections but no cell. Give it as a CIF with _cell_length_a … _cell_angle_gamma.`,
    );
  if (!entry.experiment.wavelength)
    throw new BadInput(`${path} gives no wavelength. Add _diffrn_radiation_wavelength.`);
  return { name: entry.name, raw: entry.raw, cell: entry.cell, wavelength: entry.experiment.wavelength, entry };
}

function formulaOption(text: string | undefined, fallback: Formula | undefined): Formula | undefined {
  if (!text) return fallback;
  try {
    return parseFormula(text);
  } catch (e) {
    throw new BadInput((e as Error).message);
  }
}

function numberOption(name: string, text: string | undefined, fallback: number): number {
  if (text === undefined) return fallback;
  const value = Number(text);
  if (!Number.isFinite(value) || value <= 0) throw new BadInput(`--${name} needs a positive number, not "${text}".`);
  return value;
}

const rounded = (x: number, digits: number): number => Number(x.toFixed(digits));

type Output = Record<string, unknown>;

async function merge(paths: string[]): Promise<Answer> {
  const data = measured(onePath(paths));
  const analysis = await TASKS.analyse.run({ raw: data.raw, cell: data.cell }, quiet());
  const best = groupOfSetting(analysis.ranking.groups[0]!.setting);
  const m = await TASKS.merge.run({ raw: analysis.raw, cell: analysis.cell, group: best }, quiet());
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

async function solve(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const started = performance.now();
  const data = measured(onePath(paths));
  const formula = formulaOption(options['formula'] as string | undefined, data.entry.experiment.formula);
  const z = options['z'] === undefined ? data.entry.experiment.z : numberOption('z', options['z'] as string, 4);
  const named = options['space-group'] as string | undefined;
  const setting = named ? findSetting(named) : undefined;
  if (named && !setting)
    throw new BadInput(`--space-group "${named}" is not a known symbol. Write it like "P 1 21/c 1" or "P 21/c".`);
  const seed = numberOption('seed', options['seed'] as string | undefined, 1);
  const pool = threadPool();
  const context = breathingContext<SolveReport>(
    { aborted: false },
    (p) => {
      if (p.kind === 'candidate' && !options['json'])
        process.stderr.write(
          `seed ${p.candidate.seed}: ${p.candidate.structure.spaceGroup.symbol} R1 ${(100 * p.candidate.r1).toFixed(1)} %, ${p.candidate.structure.sites.length} atoms\n`,
        );
    },
    { fork: pool.fork, parallel: pool.parallel },
  );
  const result = await TASKS.solve.run(
    {
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
    },
    context,
  );
  pool.close();
  const best = result.candidates[0];
  if (!best) throw new BadInput(result.message);
  const s = best.structure;
  if (typeof options['out'] === 'string') {
    const merged = mergedFor(data.raw, data.cell, s);
    writeFileSync(
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

/** Merged data in the cell and group of a structure, re-indexed when the file's cell was not the conventional one. */
function mergedFor(raw: RawReflections, cell: Cell, s: Structure): MergeResult {
  return mergeForGroup(inCellOf(raw, cell, s.cell), s.cell, s.spaceGroup);
}

function inCellOf(raw: RawReflections, cell: Cell, target: Cell): RawReflections {
  if (sameCell(cell, target)) return raw;
  const { lattice } = analyse(raw, cell);
  if (sameCell(lattice.cell, target)) return transformReflections(raw, lattice.p).raw;
  throw new BadInput(
    `The model's cell (${cellParameters(target)
      .map((x) => x.toFixed(3))
      .join(' ')}) is not the cell of the reflections (${cellParameters(cell)
      .map((x) => x.toFixed(3))
      .join(' ')}).`,
  );
}

/** A model with the data it is refined against, as `refine` and `settle` take them. */
interface ModelJob {
  readonly started: number;
  readonly model: Recognised;
  readonly structure: Structure;
  readonly source: Measured;
  readonly reflections: MergedReflections;
  /** Absent where the file held a merged list. */
  readonly statistics?: MergeStatistics;
  readonly experiment: SampleRecord;
}

function modelJob(command: string, [modelPath, dataPath]: string[]): ModelJob {
  const started = performance.now();
  if (!modelPath) throw new BadInput(`${command} needs a model.\n${HELP}`);
  const model = read(modelPath).find((r) => r.structure);
  if (!model?.structure) throw new BadInput(`${modelPath} holds no atom sites to refine.`);
  const source = measured(dataPath ?? modelPath);
  const merged = mergedFor(source.raw, source.cell, model.structure);
  return {
    started,
    model,
    structure: model.structure,
    source,
    reflections: merged.reflections,
    ...(source.raw.merged ? {} : { statistics: merged.statistics }),
    experiment: { ...model.experiment, ...source.entry.experiment },
  };
}

interface Refined {
  structure: Structure;
  readings: Readings;
  map: MapResult;
  treatment: Treatment;
  covariance?: CovarianceData;
  absolute?: AbsoluteStructure;
}

function writeModel(out: string | boolean | undefined, job: ModelJob, r: Refined): void {
  if (typeof out !== 'string') return;
  writeFileSync(
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

async function refine(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const adp = options['adp'] as string | undefined;
  if (adp !== undefined && adp !== 'iso' && adp !== 'aniso')
    throw new BadInput(`--adp must be iso or aniso, not "${adp}".`);
  const job = modelJob('refine', paths);
  const { result, ...rest } = await TASKS.refine.run(
    {
      ...experiment(job.structure, job.reflections, job.source.wavelength, { treatment: job.model.treatment }),
      ...(adp ? { displacement: adp } : {}),
      options: {
        cycles: Math.round(numberOption('cycles', options['cycles'] as string | undefined, 20)),
        optimizeWeights: true,
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

async function settle(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const disorder = (options['disorder'] as string | undefined) ?? 'try';
  if (disorder !== 'try' && disorder !== 'ask') throw new BadInput(`--disorder must be try or ask, not "${disorder}".`);
  const job = modelJob('settle', paths);
  const { temperature, formula, z } = job.experiment;
  const contents = contentsOfUnit(job.structure, formula, z);
  const context = breathingContext<SettleReport>(
    { aborted: false },
    (r) => {
      if (r.kind === 'stage' && !options['json'])
        process.stderr.write(`${r.stage.title}: R1 ${(100 * r.stage.readings.r1).toFixed(2)} %. ${r.stage.message}\n`);
    },
    {},
    1e9,
  );
  const result = await TASKS.settle.run(
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

/** A model and, where there are any, its reflections in its own axes. */
function modelWithData(command: string, [modelPath, dataPath]: string[]): { model: Recognised; raw?: RawReflections } {
  if (!modelPath) throw new BadInput(`${command} needs a model.\n${HELP}`);
  const model = read(modelPath).find((r) => r.structure);
  if (!model?.structure) throw new BadInput(`${modelPath} holds no atom sites.`);
  const source = dataPath ? read(dataPath).find((r) => r.raw) : model.raw ? model : undefined;
  if (dataPath && !source?.raw) throw new BadInput(`${dataPath} holds no reflections.`);
  const { wavelength } = { ...source?.experiment, ...model.experiment };
  return {
    model: { ...model, experiment: { ...model.experiment, ...(wavelength ? { wavelength } : {}) } },
    ...(source?.raw ? { raw: inCellOf(source.raw, source.cell ?? model.structure.cell, model.structure.cell) } : {}),
  };
}

async function symmetry(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const { model, raw } = modelWithData('symmetry', paths);
  return symmetryAnswer(model, numberOption('tolerance', options['tolerance'] as string | undefined, 0.25), raw);
}

async function check(paths: string[]): Promise<Answer> {
  const { model, raw } = modelWithData('check', paths);
  return checkAnswer(model, raw);
}

async function report(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const { model, raw } = modelWithData('report', paths);
  if (typeof options['out'] !== 'string') throw new BadInput('report needs --out report.html.');
  const { html, json, text } = reportAnswer(model, raw);
  writeFileSync(options['out'], html);
  return { json: { ...json, out: options['out'] }, text: `${text} Written to ${options['out']}.` };
}

async function reset(paths: string[], options: Record<string, string | boolean | undefined>): Promise<Answer> {
  const { model, raw } = modelWithData('reset', paths);
  const { cif, json, text } = resetAnswer(
    model,
    chooseChange(model, (options['setting'] as string | undefined) ?? 'standard'),
    raw,
  );
  if (typeof options['out'] === 'string') writeFileSync(options['out'], cif);
  return { json, text };
}

const quiet = () => breathingContext<never>({ aborted: false }, () => undefined, {}, 1e9);

function onePath(paths: string[]): string {
  if (paths.length !== 1) throw new BadInput(`One data file is needed.\n${HELP}`);
  return paths[0]!;
}

async function main(): Promise<void> {
  let parsed;
  try {
    parsed = parseArgs({
      allowPositionals: true,
      options: {
        json: { type: 'boolean' },
        help: { type: 'boolean' },
        formula: { type: 'string' },
        z: { type: 'string' },
        'space-group': { type: 'string' },
        seed: { type: 'string' },
        seconds: { type: 'string' },
        out: { type: 'string' },
        adp: { type: 'string' },
        disorder: { type: 'string' },
        cycles: { type: 'string' },
        tolerance: { type: 'string' },
        setting: { type: 'string' },
        wavelength: { type: 'string' },
        from: { type: 'string' },
        to: { type: 'string' },
        phase: { type: 'string', multiple: true },
        instrument: { type: 'string' },
        recipe: { type: 'string' },
        elements: { type: 'string' },
      },
    });
  } catch (e) {
    throw new BadInput(`${(e as Error).message}\n${HELP}`);
  }
  const [command, ...paths] = parsed.positionals;
  if (parsed.values.help || !command) {
    process.stdout.write(`${HELP}\n`);
    if (!command && !parsed.values.help) process.exitCode = 2;
    return;
  }
  const flags = Object.fromEntries(
    Object.entries(parsed.values).map(([k, v]) => [k, Array.isArray(v) ? String(v.at(-1)) : v]),
  );
  const commands: Record<string, () => Promise<Answer>> = {
    merge: () => merge(paths),
    solve: () => solve(paths, flags),
    refine: () => refine(paths, flags),
    settle: () => settle(paths, flags),
    symmetry: () => symmetry(paths, flags),
    check: () => check(paths),
    report: () => report(paths, flags),
    reset: () => reset(paths, flags),
    pattern: async () => patternAnswer([onePath(paths)], parsed.values, read),
    fit: () => fitAnswer([onePath(paths)], parsed.values, read),
    index: () => indexAnswer([onePath(paths)], parsed.values, read),
    identify: () => identifyAnswer([onePath(paths)], parsed.values, read),
  };
  const run = commands[command];
  if (!run) throw new BadInput(`"${command}" is not a command.\n${HELP}`);
  const { json, text } = await run();
  // NaN has no place in JSON; what is not known becomes null.
  process.stdout.write(parsed.values.json ? `${JSON.stringify(json)}\n` : `${text}\n`);
}

main().catch((e: Error) => {
  // What the person can mend is one sentence; anything else is ours, and says so.
  const theirs =
    e instanceof BadInput || e instanceof RangeError || e instanceof SyntaxError || e instanceof FileProblem;
  process.stderr.write(theirs ? `${e.message}\n` : `Something went wrong inside Nagare: ${e.stack}\n`);
  process.exit(theirs ? 2 : 1);
});
