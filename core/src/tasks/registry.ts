/** The registry of long-running jobs: the page's workers, the server and the terminal run these very functions. */
import type { Experiment } from '../crystal/experiment.ts';
import { z } from 'zod';
import { analysisSchema, recognisedSchema } from './data-schemas.ts';
import {
  contourInputSchema,
  phaseInputSchema,
  phaseResultSchema,
  refineResultSchema,
  settleResultSchema,
  solveResultSchema,
  surfaceSchema,
} from './model-schemas.ts';
import { fileProblemSchema, reportFindingSchema, tableOptionsSchema, tableSchema } from './report-schemas.ts';
import { recognise, type Recognised } from '../formats/recognise.ts';
import { analyseIntake, mergeForGroup, mergeForLaue, type IntakeAnalysis } from '../solve/prepare.ts';
import { normalizedIntensities, intensityReading, lTest } from '../data/intensity-statistics.ts';
import { phaseSeed, type PhaseInput, type PhaseResult } from '../solve/phase.ts';
import { solveStructure, type SolveInput, type SolveReport, type SolveResult } from '../solve/solve.ts';
import { refineStructure, type CycleReport, type RefineResult } from '../refine/single-crystal.ts';
import type { RefineOptions } from '../refine/single-crystal-problem.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { absoluteStructure, type AbsoluteStructure } from '../refine/absolute-structure.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { refinedExperiment, residualOf, type MapResult } from '../settle/stage.ts';
import { settle, type SettleInput, type SettleReport, type SettleResult } from '../settle/settle.ts';
import type { Region, Surface } from '../maps/isosurface.ts';
import { mapSurfaces } from '../maps/map-surfaces.ts';
import { cifProblems, type FileProblemAt } from '../formats/dictionary.ts';
import { reportHtml, type ReportInput } from '../publish/report.ts';
import { KNOWN_GROUPS, knownOf, type KnownRow } from '../publish/known.ts';
import { structureCif, type CifInput } from '../publish/structure-cif.ts';
import { makeTable, TABLE_KINDS, type Table, type TableKind, type TableOptions } from '../publish/tables.ts';
import { equivalentU, isotropicTensor, type Structure } from '../crystal/structure.ts';
import type { Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { breathingContext, type TaskContext } from '../task-context.ts';
import {
  atomRefSchema,
  cellSchema,
  experimentSchema,
  mergedSchema,
  rawSchema,
  spaceGroupSchema,
  structureSchema,
  treatmentSchema,
  experimentFields,
  absoluteSchema,
} from './schemas.ts';
import {
  elementsTask,
  judgePlacesTask,
  mapTask,
  maskTask,
  matchTask,
  placesTask,
  planTask,
  plotsTask,
  twinsTask,
} from './model-tasks.ts';
import { commonCellsTask, poresTask, searchCellsTask, terminationPicturesTask } from './build-searches.ts';
import { buildTask } from './build-task.ts';
import { contactsTask } from './contacts-task.ts';
import { energiesTask } from './energies-task.ts';
import { fromSymmetryTask } from './from-symmetry-task.ts';
import { leaveTask } from './leave-task.ts';
import {
  cagePlacesTask,
  cagesTask,
  channelPlacesTask,
  channelsTask,
  drawingTask,
  drawnRingsTask,
  figureSvgTask,
  figureThumbTask,
  newFigureTask,
} from './figure-tasks.ts';
import { firstLookTask, pairsTask, portraitTask } from './look-tasks.ts';
import { lengthsTask, overlayTask } from './measure-tasks.ts';
import { relateTask } from './relate-task.ts';
import { raiseTask, symmetryTask } from './symmetry-tasks.ts';
import {
  axesTask,
  compareSetsTask,
  diagnoseTask,
  latticeTask,
  observationsTask,
  reworkTask,
  scaleTask,
} from './data-tasks.ts';
import {
  extractTask,
  fitCifTask,
  fitTask,
  doubtsTask,
  identifyTask,
  indexTask,
  peaksTask,
  placeTask,
  seriesTask,
} from './powder-tasks.ts';
import { surfaceTask } from './surface-task.ts';
import { traceTask } from './trace-task.ts';
import { vetTask } from './vet-task.ts';
import { compareTask } from './compare-task.ts';
import { expectedFactorsTask, expectedPatternTask, measuredBesideTask, reciprocalLayerTask } from './expected-task.ts';
import { faceViewTask, shapeTask } from './shape-task.ts';
import { voidCurveTask, voidElectronsTask, voidNetworkTask, voidsTask } from './voids-task.ts';
import { HELPER } from '../quantum/crew.ts';
import { asphericalTask, waveForecastTask, wavefunctionTask, wavePartsTask } from './wave-tasks.ts';
import { wishesTask, wishSurfacesTask } from './wishes-task.ts';
import { sceneTask } from './scene-task.ts';
import {
  covarianceSchema,
  mapSchema,
  mergedDataSchema,
  readingsSchema,
  statisticsSchema,
  type MergedData,
} from './result-schemas.ts';
import { encodeWire } from './wire.ts';
import { task, type Task } from './task.ts';
import type { Grid } from '../math/fft.ts';
import { issuePhrase } from '../formats/issue-words.ts';

export type { MapResult };

export interface RefineTaskInput extends Experiment {
  options: Omit<RefineOptions, 'restraints' | 'scattering'>;
  /** Turns all isotropic non-hydrogen sites anisotropic first, or all sites isotropic. */
  displacement?: 'iso' | 'aniso';
}

export interface RefineTaskResult {
  result: RefineResult;
  map: MapResult;
  treatment: Treatment;
  absolute?: AbsoluteStructure;
}

/** Changes the kind of displacement of every non-hydrogen site. */
export function withDisplacement(s: Structure, kind: 'iso' | 'aniso'): Structure {
  return {
    ...s,
    sites: s.sites.map((x) => {
      if (x.element === 'H' || x.element === 'D' || x.displacement.kind === kind) return x;
      if (kind === 'iso')
        return { ...x, displacement: { kind: 'iso' as const, u: equivalentU(s.cell, x.displacement) } };
      return {
        ...x,
        displacement: { kind: 'aniso' as const, u: isotropicTensor(s.cell, equivalentU(s.cell, x.displacement)) },
      };
    }),
  };
}

const recogniseTask = task<{ text: string; fileName: string }, Recognised[], number>({
  name: 'recognise',
  can: { server: true },
  input: z.strictObject({ text: z.string(), fileName: z.string() }),
  output: z.array(recognisedSchema),
  run: async ({ text, fileName }, context) => recognise(text, fileName, (f) => context.progress(f)),
});

const analyseTask = task<{ raw: RawReflections; cell: Cell; wavelength?: number }, IntakeAnalysis, string>({
  name: 'analyse',
  can: { server: true, resident: ['raw'] },
  input: z.strictObject({ raw: rawSchema, cell: cellSchema, wavelength: z.number().positive().optional() }),
  output: analysisSchema,
  run: async ({ raw, cell, wavelength }, context) => {
    context.progress('Looking for symmetry in the metric and in the intensities');
    await context.breath();
    return analyseIntake(raw, cell, wavelength);
  },
});

export type MergeTaskResult = MergedData;

const mergeTask = task<{ raw: RawReflections; cell: Cell; group: SpaceGroup }, MergeTaskResult, number>({
  name: 'merge',
  can: { server: true, resident: ['raw'] },
  input: z.strictObject({ raw: rawSchema, cell: cellSchema, group: spaceGroupSchema }),
  output: mergedDataSchema,
  run: async ({ raw, cell, group }, context) => {
    const result = mergeForGroup(raw, cell, group, (f) => context.progress(f));
    await context.breath();
    const laue = mergeForLaue(raw, cell, group);
    return {
      ...result,
      reading: intensityReading(laue, normalizedIntensities(laue, cell, group), group),
      ...(group.centric ? {} : { local: lTest(result.reflections, group) }),
    };
  },
});

const phaseTask = task<PhaseInput, PhaseResult, unknown>({
  name: 'phase',
  input: phaseInputSchema,
  output: phaseResultSchema,
  run: (input, context) => phaseSeed(input, context as never),
});

const solveTask = task<SolveInput, SolveResult, SolveReport>({
  name: 'solve',
  can: { forks: true, server: true, resident: ['raw'] },
  input: z.strictObject({
    raw: rawSchema,
    cell: cellSchema,
    wavelength: z.number().positive(),
    formula: z.record(z.string(), z.number()).optional(),
    z: z.number().positive().optional(),
    spaceGroup: spaceGroupSchema.optional(),
    groups: z.array(spaceGroupSchema).optional(),
    seed: z.number().int(),
    seeds: z.number().int().positive(),
    seconds: z.number().positive(),
  }),
  output: solveResultSchema,
  run: solveStructure,
});

const optionsSchema = z.strictObject({
  cycles: z.number().int().min(1).max(500),
  optimizeWeights: z.boolean(),
  overrun: z.number().int().nonnegative().optional(),
  occupancies: z.array(z.number()).optional(),
  settled: z.number().optional(),
  covariance: z.boolean().optional(),
});

const refineTask = task<RefineTaskInput, RefineTaskResult, CycleReport>({
  name: 'refine',
  can: { server: true, resident: ['reflections'] },
  input: z.strictObject({
    ...experimentFields,
    options: optionsSchema,
    displacement: z.enum(['iso', 'aniso']).optional(),
  }),
  output: z.strictObject({
    result: refineResultSchema,
    map: mapSchema,
    treatment: treatmentSchema,
    absolute: absoluteSchema.optional(),
  }),
  run: async ({ options, displacement, ...given }, context) => {
    const start = displacement ? { ...given, structure: withDisplacement(given.structure, displacement) } : given;
    const result = await refineStructure(start, options, context);
    const { scale } = result.readings;
    const after = refinedExperiment(start, result);
    const { map } = residualOf(after, scale);
    const known = after.structure.spaceGroup.centric || after.treatment.twins?.length;
    const untwinned: Experiment = { ...after, treatment: { ...after.treatment, twins: [] }, extinction: 0 };
    const absolute = known
      ? undefined
      : absoluteStructure(after.structure, after.reflections, evaluateStructure(untwinned, scale).data);
    return { result, treatment: after.treatment, map, ...(absolute ? { absolute } : {}) };
  },
});

const settleTask = task<SettleInput, SettleResult, SettleReport>({
  name: 'settle',
  can: { forks: true, server: true, resident: ['reflections'] },
  input: z.strictObject({
    structure: structureSchema,
    reflections: mergedSchema,
    wavelength: z.number().positive(),
    treatment: treatmentSchema.optional(),
    temperature: z.number().optional(),
    contents: z.record(z.string(), z.number()).optional(),
    disorder: z.enum(['ask', 'try']),
  }),
  output: settleResultSchema,
  run: settle,
});

export interface ResidualTaskResult {
  map: MapResult;
  r1: number;
  wr2: number;
}

const residualTask = task<Experiment & { scale?: number }, ResidualTaskResult, never>({
  name: 'residual',
  can: { resident: ['reflections'] },
  input: z.strictObject({ ...experimentFields, scale: z.number().optional() }),
  output: z.strictObject({ map: mapSchema, r1: z.number(), wr2: z.number() }),
  run: async ({ scale, ...e }) => {
    const { map, figures } = residualOf(e, scale);
    return { map, r1: figures.r1, wr2: figures.wr2 };
  },
});

const cifFields = {
  name: z.string(),
  structure: structureSchema,
  experiment: experimentSchema,
  wavelength: z.number().positive().optional(),
  reflections: mergedSchema.optional(),
  statistics: statisticsSchema.optional(),
  readings: readingsSchema.optional(),
  covariance: covarianceSchema.optional(),
  residual: z.strictObject({ peak: z.number(), hole: z.number(), sigma: z.number() }).optional(),
  treatment: treatmentSchema.optional(),
  absolute: absoluteSchema.optional(),
  date: z.string(),
  exact: z.boolean().optional(),
  explanations: z.array(z.strictObject({ family: z.string(), title: z.string(), text: z.string() })).optional(),
  pinned: z.array(z.array(atomRefSchema).min(2).max(4)).optional(),
};

const tableTask = task<{ input: CifInput; kind: TableKind; options: TableOptions }, Table, never>({
  name: 'table',
  input: z.strictObject({
    input: z.strictObject(cifFields),
    kind: z.enum(TABLE_KINDS),
    options: tableOptionsSchema,
  }),
  output: tableSchema,
  run: async (i) => makeTable(i.kind, i.input, i.options),
});

const reportTask = task<ReportInput, string, never>({
  name: 'report',
  can: { resident: ['reflections'] },
  input: z.strictObject({
    ...cifFields,
    findings: z.array(reportFindingSchema),
    tables: tableOptionsSchema.optional(),
    sentence: z.string().optional(),
  }),
  output: z.string(),
  run: async (input) => reportHtml(input),
});

const cifProblemsTask = task<{ text: string }, FileProblemAt[], never>({
  name: 'cifProblems',
  input: z.strictObject({ text: z.string() }),
  output: z.array(fileProblemSchema),
  run: async ({ text }) => cifProblems(text),
});

const knownSchema = z.array(
  z.strictObject({
    key: z.string(),
    group: z.enum(KNOWN_GROUPS),
    name: z.string(),
    value: z.string(),
    unit: z.string().optional(),
    meaning: z.string().optional(),
    recorded: z.string().optional(),
  }),
);

const knownTask = task<{ input: CifInput; items: Readonly<Record<string, string>> }, KnownRow[], never>({
  name: 'known',
  input: z.strictObject({ input: z.strictObject(cifFields), items: z.record(z.string(), z.string()) }),
  output: knownSchema,
  run: async ({ input, items }) => knownOf(input, items),
});

const cifTask = task<CifInput, string, never>({
  name: 'cif',
  can: { resident: ['reflections'] },
  input: z.strictObject(cifFields),
  output: z.string(),
  run: async (input) => structureCif(input),
});

export interface ContourInput {
  grid: Grid;
  values: Float32Array;
  cell: Cell;
  region: Region;
  level: number;
  /** Cartesian points the surfaces are kept around, and how far, Å. */
  around: Float32Array;
  reach: number;
}

const contourTask = task<ContourInput, { excess: Surface; deficit: Surface }, never>({
  name: 'contour',
  can: { resident: ['values'] },
  input: contourInputSchema,
  output: z.strictObject({ excess: surfaceSchema, deficit: surfaceSchema }),
  run: async ({ grid, values, cell, region, level, around, reach }) => {
    const { excess, deficit } = mapSurfaces({ grid, values }, cell, region, level, around, reach);
    return { excess, deficit };
  },
});

/** An answer that came over the network, looked at beside the page: given back as it is, or refused with its place. */
const answerTask = task<{ task: string; answer: unknown }, unknown, never>({
  name: 'answer',
  input: z.strictObject({ task: z.string(), answer: z.unknown() }),
  output: z.unknown(),
  run: async (i) => checkedAnswer(i.task, i.answer),
});

/** The text of what goes over the network, written beside the page. */
const wireTask = task<{ value: unknown }, string, never>({
  name: 'wire',
  input: z.strictObject({ value: z.unknown() }),
  output: z.string(),
  run: async ({ value }) => encodeWire(value),
});

export const TASKS = {
  recognise: recogniseTask,
  analyse: analyseTask,
  merge: mergeTask,
  phase: phaseTask,
  solve: solveTask,
  refine: refineTask,
  aspherical: asphericalTask,
  [HELPER]: wavePartsTask,
  'wave forecast': waveForecastTask,
  wavefunction: wavefunctionTask,
  settle: settleTask,
  plan: planTask,
  places: placesTask,
  judgePlaces: judgePlacesTask,
  elements: elementsTask,
  plots: plotsTask,
  twins: twinsTask,
  mask: maskTask,
  map: mapTask,
  match: matchTask,
  relate: relateTask,
  'expected pattern': expectedPatternTask,
  'expected factors': expectedFactorsTask,
  'reciprocal layer': reciprocalLayerTask,
  'measured beside': measuredBesideTask,
  known: knownTask,
  'crystal shape': shapeTask,
  'face view': faceViewTask,
  voids: voidsTask,
  'void network': voidNetworkTask,
  'void electrons': voidElectronsTask,
  'void curve': voidCurveTask,
  'compare crystals': compareTask,
  'new figure': newFigureTask,
  drawing: drawingTask,
  'figure svg': figureSvgTask,
  'figure thumb': figureThumbTask,
  cages: cagesTask,
  'cage places': cagePlacesTask,
  channels: channelsTask,
  'drawn rings': drawnRingsTask,
  'channel places': channelPlacesTask,
  'first look': firstLookTask,
  pairs: pairsTask,
  portrait: portraitTask,
  lengths: lengthsTask,
  overlay: overlayTask,
  build: buildTask,
  contacts: contactsTask,
  energies: energiesTask,
  trace: traceTask,
  'molecule surface': surfaceTask,
  wishes: wishesTask,
  'wish surfaces': wishSurfacesTask,
  'from symmetry': fromSymmetryTask,
  'search cells': searchCellsTask,
  'common cells': commonCellsTask,
  'termination pictures': terminationPicturesTask,
  pores: poresTask,
  leave: leaveTask,
  symmetry: symmetryTask,
  raise: raiseTask,
  vet: vetTask,
  scale: scaleTask,
  diagnose: diagnoseTask,
  compareSets: compareSetsTask,
  rework: reworkTask,
  lattice: latticeTask,
  axes: axesTask,
  observations: observationsTask,
  table: tableTask,
  report: reportTask,
  cifProblems: cifProblemsTask,
  residual: residualTask,
  cif: cifTask,
  contour: contourTask,
  scene: sceneTask,
  fit: fitTask,
  series: seriesTask,
  peaks: peaksTask,
  identify: identifyTask,
  doubts: doubtsTask,
  index: indexTask,
  extract: extractTask,
  place: placeTask,
  fitCif: fitCifTask,
  answer: answerTask,
  wire: wireTask,
} as const;
export type TaskName = keyof typeof TASKS;
export type TaskInput<N extends TaskName> = Parameters<(typeof TASKS)[N]['run']>[0];
export type TaskOutput<N extends TaskName> = Awaited<ReturnType<(typeof TASKS)[N]['run']>>;

const taskOf = (name: string): Task<unknown, unknown, unknown> => {
  const found = Object.hasOwn(TASKS, name) && (TASKS as Record<string, Task<unknown, unknown, unknown>>)[name];
  if (!found) throw new RangeError(`There is no task called "${name}".`);
  return found;
};

/** The answer of a task as it came, if it is what the task gives. Throws SyntaxError with the place of what is not. */
export function checkedAnswer(name: string, answer: unknown): unknown {
  const parsed = taskOf(name).output.safeParse(answer);
  if (parsed.error) throw new SyntaxError(`The answer to "${name}" is not right: ${issuePhrase(parsed.error)}.`);
  return answer;
}

/** The input of a task, checked at the door. Throws RangeError for an unknown name and SyntaxError for input of the wrong shape. */
export function checkedInput(name: string, input: unknown): unknown {
  const parsed = taskOf(name).input.safeParse(input);
  if (!parsed.success) throw new SyntaxError(`The input of "${name}" is not right: ${issuePhrase(parsed.error)}.`);
  return parsed.data;
}

/** Runs a task on input that was checked. */
export const runChecked = (name: string, input: unknown, context: TaskContext): Promise<unknown> =>
  taskOf(name).run(input, context);

/** Checks the input at the door and runs a task. Throws RangeError for an unknown name and SyntaxError for input of the wrong shape. */
export async function runTask(
  name: string,
  input: unknown,
  context: TaskContext = breathingContext({ aborted: false }, () => undefined),
): Promise<unknown> {
  return runChecked(name, checkedInput(name, input), context);
}
