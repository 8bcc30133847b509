/** Zod schemas of what tasks take and give beside models, data and the results that are stored. */
import { z } from 'zod';
import { SHAPES } from '../crystal/controls.ts';
import type { Operator } from '../crystal/operator.ts';
import type { Setting } from '../crystal/settings.ts';
import type { AnisotropyReading, RingReading, SetComparison } from '../data/diagnostics.ts';
import type { LatticeAnalysis } from '../data/lattice-analysis.ts';
import type { LatticePoints } from '../data/lattice-points.ts';
import type { ScalingResult } from '../data/scaling.ts';
import type { Ranking } from '../data/space-group-ranking.ts';
import type { TwinLaw } from '../data/twin-laws.ts';
import type { FileProblemAt } from '../formats/dictionary.ts';
import { instrumentSchema } from '../formats/pattern-file.ts';
import type { Recognised } from '../formats/recognise.ts';
import type { Surface } from '../maps/isosurface.ts';
import type { Match as MoleculeMatch, MoleculeGraph } from '../model/expected.ts';
import type { HydrogenPlan, JudgedPlaces } from '../model/hydrogen-plan.ts';
import type { Fragment, PlaceProposal } from '../model/second-place.ts';
import type { IdentifyOptions } from '../powder/identify.ts';
import type { IndexOptions } from '../powder/index-cells.ts';
import { KINDS } from '../powder/parameters.ts';
import type { RunResult, Stage as FitStage } from '../powder/recipes.ts';
import type { PlaceResult } from '../powder/place-molecule.ts';
import type { ReportFinding } from '../publish/report.ts';
import { TABLE_KINDS, type Table, type TableOptions } from '../publish/tables.ts';
import type { PlotData } from '../refine/data-plots.ts';
import type { RefineResult } from '../refine/single-crystal.ts';
import type { ElementReading } from '../settle/elements.ts';
import type { SettleResult } from '../settle/settle.ts';
import type { Stage } from '../settle/stage.ts';
import type { ShelfEntry } from '../shelf/entry.ts';
import type { PhaseInput, PhaseResult } from '../solve/phase.ts';
import type { IntakeAnalysis } from '../solve/prepare.ts';
import type { SolveResult } from '../solve/solve.ts';
import type { Superstructure } from '../symmetry/opinion.ts';
import type { Raised } from '../symmetry/raise.ts';
import type { SymmetryReport } from '../symmetry/report.ts';
import type { MissedGroup } from '../symmetry/supergroups.ts';
import type { VetReport } from '../vet/registry.ts';
import {
  batchSchema,
  candidateSchema,
  covarianceSchema,
  figure,
  fitModelSchema,
  fitResultSchema,
  intensityReadingSchema,
  mapSchema,
  readingsSchema,
  statisticsSchema,
} from './result-schemas.ts';
import type { AllTrue, SameBut, SameType } from './same-type.ts';
import {
  absoluteSchema,
  cellSchema,
  experimentSchema,
  mat3Schema,
  rawSchema,
  spaceGroupSchema,
  structureSchema,
  treatmentSchema,
  twinSchema,
  vec3Schema,
} from './schemas.ts';

const text = z.string();
const count = z.number().int();
const flag = z.boolean();
const singles = z.instanceof(Float32Array);
const shorts = z.instanceof(Int16Array);
const formulaSchema = z.record(text, z.number());
const indices = z.tuple([count, count, count]);
const gridSchema = z.strictObject({ nx: count, ny: count, nz: count });

// Symmetry.

const operatorSchema = z.strictObject({ r: mat3Schema, t: vec3Schema });
const settingSchema = z.strictObject({ index: count, number: count, code: text, symbol: text, hall: text });
const changeSchema = z.strictObject({ p: mat3Schema, origin: vec3Schema });
const foundOperationSchema = z.strictObject({
  operator: operatorSchema,
  maxDeviation: figure,
  rms: figure,
  fit: figure,
  misfits: z.array(z.strictObject({ site: count, distance: figure })),
});
const missed = {
  group: spaceGroupSchema,
  change: changeSchema,
  cell: cellSchema,
  index: figure,
  maxDeviation: figure,
  rms: figure,
  fit: figure,
  misfits: foundOperationSchema.shape.misfits,
  metricMisfit: figure,
  operators: z.array(operatorSchema),
  added: z.array(foundOperationSchema),
};
/** A supergroup may come with the opinion that the report adds to it. */
const opinion = {
  opinion: z
    .strictObject({
      laueNow: text,
      laueThen: text,
      rIntNow: figure,
      rIntThen: figure,
      absent: count,
      absentSnr: figure,
      violations: count,
      meanE2Minus1: figure,
      verdict: z.enum(['for', 'against', 'silent']),
      words: text,
    })
    .optional(),
  likely: flag,
  words: text,
};
export const missedGroupSchema = z.strictObject(missed);
export const judgedGroupSchema = z.strictObject({ ...missed, ...opinion });
const superstructureSchema = z.strictObject({
  translation: vec3Schema,
  words: text,
  ratio: figure,
  reflections: count,
});
const elementSchema = z.strictObject({
  kind: z.enum([
    'mirror plane',
    'glide plane',
    'rotation axis',
    'screw axis',
    'rotoinversion axis',
    'inversion centre',
  ]),
  order: count,
  screw: count,
  direction: vec3Schema,
  plane: vec3Schema.optional(),
  at: vec3Schema,
  glide: vec3Schema,
  operator: operatorSchema,
  symbol: text,
  words: text,
});
export const symmetryReportSchema = z.strictObject({
  group: spaceGroupSchema,
  system: text,
  crystalClass: text,
  laueClass: text,
  operators: z.array(text),
  parts: z.array(z.strictObject({ text, direction: text, words: text })),
  conditions: z.array(z.strictObject({ condition: text, because: text })),
  elements: z.array(elementSchema),
  positions: z.array(
    z.strictObject({
      multiplicity: count,
      siteSymmetry: text,
      coordinates: text,
      freedom: count,
      projection: mat3Schema,
      shift: vec3Schema,
      equivalent: z.array(text),
      sites: z.array(count),
    }),
  ),
  settings: z.array(
    z.strictObject({
      setting: settingSchema,
      group: spaceGroupSchema,
      change: changeSchema,
      cell: cellSchema,
      present: flag,
      standard: flag,
      reasons: z.array(text),
    }),
  ),
  reduced: z.strictObject({ cell: cellSchema, words: text }),
  subgroups: z.array(
    z.strictObject({
      group: spaceGroupSchema,
      index: count,
      lost: z.array(z.strictObject({ operator: operatorSchema, words: text })),
      twins: z.array(twinSchema),
    }),
  ),
  missed: z.array(judgedGroupSchema),
  pseudoTranslations: z.array(foundOperationSchema),
  superstructure: z.array(superstructureSchema),
  tolerance: figure,
});
export const raisedSchema = z.strictObject({
  structure: structureSchema,
  merged: z.array(z.strictObject({ kept: text, from: z.array(text), deviation: figure })),
  disordered: z.array(text),
});

// Data.

const evidenceSchema = z.strictObject({
  element: text,
  condition: text,
  reflections: count,
  meanIOverSigma: figure,
  strongest: z.strictObject({ h: count, k: count, l: count, iOverSigma: figure }).optional(),
  support: figure,
});
const latticeSchema = z.strictObject({
  centring: text,
  centringEvidence: z.array(z.strictObject({ symbol: text, reflections: count, meanIOverSigma: figure })),
  metricDeviation: figure,
  latticeClass: text,
  laueClass: text,
  agreements: z.array(
    z.strictObject({ rotation: mat3Schema, r: figure, expected: figure, pairs: count, accepted: flag }),
  ),
  laue: z.array(mat3Schema),
  p: mat3Schema,
  cell: cellSchema,
  changed: flag,
  reducedCell: cellSchema,
});
const rankingSchema = z.strictObject({
  groups: z.array(
    z.strictObject({
      setting: settingSchema,
      number: count,
      symbol: text,
      hall: text,
      score: figure,
      centric: flag,
      elements: z.array(evidenceSchema),
      violations: count,
      absentCount: count,
      rInt: figure,
    }),
  ),
  elements: z.array(evidenceSchema),
  statistics: intensityReadingSchema,
});
export const analysisSchema = z.strictObject({
  lattice: latticeSchema,
  ranking: rankingSchema,
  raw: rawSchema,
  cell: cellSchema,
  dropped: count,
  volume: figure,
});
export const scalingSchema = z.strictObject({
  raw: rawSchema,
  before: statisticsSchema,
  after: statisticsSchema,
  parameters: count,
  used: count,
  batches: z.array(batchSchema),
  directionRange: z.tuple([figure, figure]).optional(),
});
const anisotropySchema = z.strictObject({
  directions: z.array(
    z.strictObject({ name: z.enum(['a*', 'b*', 'c*']), reflections: count, meanIOverSigma: figure, limit: figure }),
  ),
  principal: z.tuple([figure, figure, figure]),
  axes: z.tuple([vec3Schema, vec3Schema, vec3Schema]),
  spread: figure,
  su: figure,
});
const ringSchema = z.strictObject({ d: figure, width: figure, observations: count, share: figure, ice: flag });
export const diagnosisSchema = z.strictObject({
  anisotropy: anisotropySchema,
  rings: z.array(ringSchema),
  superstructure: z.array(superstructureSchema),
  batches: z.array(batchSchema),
});
export const comparisonSchema = z.strictObject({ common: count, scale: figure, r: figure, correlation: figure });
export const latticePointsSchema = z.strictObject({
  count,
  h: shorts,
  k: shorts,
  l: shorts,
  intensity: singles,
  strength: singles,
  absent: z.instanceof(Uint8Array),
  position: singles,
});
export const plotsSchema = z.strictObject({
  index: z.instanceof(Int32Array),
  h: shorts,
  k: shorts,
  l: shorts,
  fo: singles,
  fc: singles,
  d: singles,
  iOverSigma: singles,
  delta: singles,
  expected: singles,
  shells: z.array(z.strictObject({ dMin: figure, count, r1: figure, iOverSigma: figure, meanWeighted: figure })),
  variance: z.array(z.strictObject({ fc: figure, mean: figure, count })),
});

/** Of one batch of raw intensities against the model. */
export const batchScaleSchema = z.strictObject({ batch: count, scale: figure, count });

// Solving, refining and settling.

const phasingDataSchema = z.strictObject({
  cell: cellSchema,
  grid: gridSchema,
  h: shorts,
  k: shorts,
  l: shorts,
  amplitude: z.instanceof(Float64Array),
  dMin: figure,
});
export const phaseInputSchema = z.strictObject({
  data: phasingDataSchema,
  groups: z.array(spaceGroupSchema),
  seed: count,
  maxIterations: count,
});
export const phaseResultSchema = z.strictObject({
  seed: count,
  iterations: count,
  converged: flag,
  skewness: figure,
  phases: singles,
  matches: z.array(z.strictObject({ group: count, score: figure, worst: figure, origin: vec3Schema })),
});
export const solveResultSchema = z.strictObject({
  candidates: z.array(candidateSchema),
  seedsTried: count,
  nextSeed: count,
  seconds: figure,
  message: text,
});
export const refineResultSchema = z.strictObject({
  structure: structureSchema,
  readings: readingsSchema,
  history: z.array(
    z.strictObject({ cycle: count, r1: figure, wr2: figure, s: figure, maxShiftOverSu: figure, maxShiftOf: text }),
  ),
  state: z.enum(['settled', 'moving', 'diverged']),
  message: text,
  covariance: covarianceSchema.optional(),
  undetermined: z.array(text),
});
const stageSchema = z.strictObject({
  title: text,
  cycles: count,
  structure: structureSchema,
  readings: readingsSchema,
  map: mapSchema,
  treatment: treatmentSchema,
  message: text,
  covariance: covarianceSchema.optional(),
});
export const settleResultSchema = z.strictObject({
  stage: stageSchema,
  stages: z.array(
    z.strictObject({
      title: text,
      cycles: count,
      r1: figure,
      wr2: figure,
      s: figure,
      parameters: count,
      peak: figure,
      hole: figure,
      message: text,
    }),
  ),
  decisions: z.array(text),
  settled: flag,
  message: text,
  absolute: absoluteSchema.optional(),
});

// The model.

const partnerSchema = z.strictObject({ label: text, distance: figure, reach: figure, angle: figure });
const shapeSchema = z.union([z.enum(SHAPES), z.literal('none')]);
export const hydrogenPlanSchema = z.strictObject({
  rows: z.array(
    z.strictObject({
      key: text,
      parent: text,
      label: text,
      element: text,
      shape: shapeSchema,
      count,
      hold: z.enum(['riding', 'rotating', 'restrained', 'free']),
      length: figure,
      uFactor: figure,
      positions: z.array(vec3Schema),
      density: z.array(figure),
      partners: z.array(partnerSchema),
      circle: z.array(figure).optional(),
      torsion: figure.optional(),
      why: text,
      confidence: z.enum(['sure', 'likely', 'look']),
      options: z.array(z.strictObject({ shape: shapeSchema, count, score: figure, why: text })),
      disorder: z.strictObject({ assembly: text, group: text }).optional(),
      weight: figure,
      warning: text.optional(),
    }),
  ),
  typical: figure.optional(),
  sigma: figure.optional(),
  proposed: figure,
  expected: figure.optional(),
});
export const judgedPlacesSchema = z.strictObject({ density: z.array(figure), partners: z.array(partnerSchema) });
export const proposalSchema = z.strictObject({
  positions: z.array(vec3Schema),
  density: figure,
  covered: count,
  atoms: count,
  moved: figure,
  how: text,
  score: figure,
});
export const fragmentSchema = z.strictObject({
  sites: z.array(count),
  positions: z.array(vec3Schema),
  anchors: z.array(z.strictObject({ atom: count, outside: vec3Schema, length: figure, site: count })),
  obstacles: z.array(z.strictObject({ place: vec3Schema, least: figure, site: count })),
});
export const elementReadingSchema = z.strictObject({
  site: count,
  label: text,
  element: text,
  occupancy: figure,
  su: figure,
  electrons: figure,
  fits: z.array(text),
  text,
});
export const twinLawSchema = z.strictObject({ law: mat3Schema, name: text, misfit: figure });
export const moleculeSchema = z.strictObject({
  atoms: z.array(
    z.strictObject({
      element: text,
      hydrogens: count.optional(),
      x: z.number().optional(),
      y: z.number().optional(),
    }),
  ),
  bonds: z.array(z.tuple([count, count])),
});
export const moleculeMatchSchema = z.strictObject({
  atoms: z.array(
    z
      .union([
        z.strictObject({ kind: z.literal('site'), site: count }),
        z.strictObject({ kind: z.literal('peak'), peak: text }),
      ])
      .or(z.undefined()),
  ),
  matched: count,
  extra: z.array(count),
  retype: z.array(z.strictObject({ site: count, to: text, atom: count })),
  missing: z.array(z.strictObject({ atom: count, element: text, nearPeak: text.optional(), beside: count.optional() })),
  disordered: z.array(z.strictObject({ site: count, beside: count })),
});
export const surfaceSchema = z.strictObject({ positions: singles, indices: z.instanceof(Uint32Array) });
const cornerSchema = z.tuple([z.number(), z.number(), z.number()]);
export const contourInputSchema = z.strictObject({
  grid: gridSchema,
  values: singles,
  cell: cellSchema,
  region: z.strictObject({ min: cornerSchema, max: cornerSchema }),
  level: z.number(),
  around: singles,
  reach: z.number(),
});

// Files.

const patternSchema = z.strictObject({
  name: text,
  twoTheta: z.instanceof(Float64Array),
  intensity: z.instanceof(Float64Array),
  sigma: z.instanceof(Float64Array),
  sigmaFrom: z.enum(['file', 'counts']),
  at: z.number().optional(),
});
export const recognisedSchema = z.strictObject({
  name: text,
  sentence: text,
  cell: cellSchema.optional(),
  spaceGroup: spaceGroupSchema.optional(),
  experiment: experimentSchema,
  raw: rawSchema.optional(),
  structure: structureSchema.optional(),
  items: z.record(text, text).optional(),
  treatment: treatmentSchema.optional(),
  powder: z
    .strictObject({
      pattern: patternSchema,
      axis: z.enum(['2θ', 'd', 'Q']),
      even: flag,
      columns: z.union([z.literal(2), z.literal(3)]),
      lines: z.array(z.strictObject({ wavelength: z.number(), weight: z.number() })).optional(),
    })
    .optional(),
  instrument: instrumentSchema.optional(),
});

// Powders.

export const fitStageSchema = z.strictObject({
  title: text,
  says: text,
  kind: z.enum(['scales', 'find cells', 'orientations', 'background', 'refine']),
  free: z.array(z.enum(KINDS)).optional(),
  cycles: count.optional(),
});
export const runResultSchema = z.strictObject({
  stages: z.array(
    z.strictObject({
      title: text,
      says: text,
      model: fitModelSchema,
      figures: z.strictObject({ rp: figure, rwp: figure, rExp: figure, s: figure }),
      cycles: count,
      undone: text.optional(),
      note: text.optional(),
    }),
  ),
  model: fitModelSchema,
  result: fitResultSchema,
  message: text,
  stopped: flag,
});
export const shelfEntrySchema = z.strictObject({
  id: text,
  name: text,
  alias: text,
  formula: text,
  contents: formulaSchema,
  spaceGroup: text,
  system: z.enum(['triclinic', 'monoclinic', 'orthorhombic', 'tetragonal', 'trigonal', 'hexagonal', 'cubic']),
  cell: cellSchema,
  volume: figure,
  temperature: z.number().optional(),
  pressure: z.number(),
  source: text,
  quality: z.enum(['A', 'B', 'C', 'own']),
  note: text,
  warnings: z.array(text),
  structure: structureSchema,
});
export const identifyOptionsSchema = z.strictObject({
  instrument: instrumentSchema,
  elements: z.array(text).optional(),
  required: z.array(text).optional(),
  stretch: z.number().optional(),
  tolerance: z.number().optional(),
});
export const indexOptionsSchema = z.strictObject({
  wavelength: z.number().positive(),
  tolerance: z.number().positive(),
  systems: z.array(z.enum(['cubic', 'tetragonal', 'hexagonal', 'orthorhombic', 'monoclinic', 'triclinic'])).optional(),
  impurities: count.optional(),
  maxLength: z.number().optional(),
  maxVolume: z.number().optional(),
  seconds: z.number().optional(),
});
export const placeResultSchema = z.strictObject({
  structure: structureSchema,
  r: figure,
  torsions: count,
  steps: count,
});

// Vetting and publishing.

const siteList = z.array(count);
const remedySchema = z.union([
  z.strictObject({ words: text, act: z.literal('element'), site: count, element: text }),
  z.strictObject({ words: text, act: z.literal('delete'), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('rigid bonds'), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('second place'), sites: siteList }),
  z.strictObject({ words: text, act: z.enum(['sensible displacement', 'anisotropic']), sites: siteList }),
  z.strictObject({ words: text, act: z.enum(['turn hydrogen', 'place hydrogens']), sites: siteList }),
  z.strictObject({ words: text, act: z.literal('formula'), formula: formulaSchema, z: z.number() }),
  z.strictObject({ words: text, act: z.literal('exclude'), reflections: z.array(indices), reason: text }),
  z.strictObject({ words: text, act: z.enum(['refine', 'settle', 'invert', 'connect', 'extinction']) }),
  z.strictObject({
    words: text,
    act: z.literal('go'),
    station: z.enum(['intake', 'refine', 'symmetry', 'publish']),
    sheet: text.optional(),
  }),
]);
export const vetReportSchema = z.strictObject({
  findings: z.array(
    z.strictObject({
      check: text,
      key: text,
      family: z.enum(['data', 'contents', 'refinement', 'displacement', 'geometry', 'symmetry', 'file']),
      severity: z.enum(['mend', 'explain', 'know']),
      title: text,
      detail: text,
      value: figure.optional(),
      unit: text.optional(),
      sites: siteList,
      reflections: z.array(indices).optional(),
      at: z.tuple([figure, figure, figure]).optional(),
      remedies: z.array(remedySchema),
    }),
  ),
  ran: z.array(text),
  silent: z.array(z.strictObject({ id: text, lacks: text })),
});
export const tableSchema = z.strictObject({
  kind: z.enum(TABLE_KINDS),
  title: text,
  columns: z.array(text),
  rows: z.array(z.array(text)),
  notes: z.array(text),
});
export const tableOptionsSchema = z.strictObject({
  hydrogens: z.boolean(),
  scaled: z.boolean(),
  order: z.enum(['as in the model', 'by label', 'by value']),
  picometres: z.boolean().optional(),
});
export const reportFindingSchema = z.strictObject({
  severity: text,
  title: text,
  detail: text,
  explanation: text.optional(),
});
export const fileProblemSchema = z.strictObject({ line: count, tag: text, says: text });

/** What the schemas say and what the types say are the same; this line compiles only then. */
export type Checked = AllTrue<
  [
    SameType<typeof operatorSchema, Operator>,
    SameType<typeof settingSchema, Setting>,
    SameType<typeof missedGroupSchema, MissedGroup>,
    SameType<typeof superstructureSchema, Superstructure>,
    SameType<typeof symmetryReportSchema, SymmetryReport>,
    SameBut<typeof raisedSchema, Raised, 'structure'>,
    SameType<typeof latticeSchema, LatticeAnalysis>,
    SameType<typeof rankingSchema, Ranking>,
    SameType<typeof analysisSchema, IntakeAnalysis>,
    SameType<typeof scalingSchema, ScalingResult>,
    SameType<typeof anisotropySchema, AnisotropyReading>,
    SameType<typeof ringSchema, RingReading>,
    SameType<typeof comparisonSchema, SetComparison>,
    SameType<typeof latticePointsSchema, LatticePoints>,
    SameType<typeof plotsSchema, PlotData>,
    SameType<typeof phaseInputSchema, PhaseInput>,
    SameType<typeof phaseResultSchema, PhaseResult>,
    SameBut<typeof solveResultSchema, SolveResult, 'candidates'>,
    SameBut<typeof refineResultSchema, RefineResult, 'structure'>,
    SameBut<typeof stageSchema, Stage, 'structure'>,
    SameBut<typeof settleResultSchema, SettleResult, 'stage'>,
    SameType<typeof hydrogenPlanSchema, HydrogenPlan>,
    SameType<typeof judgedPlacesSchema, JudgedPlaces>,
    SameType<typeof proposalSchema, PlaceProposal>,
    SameType<typeof fragmentSchema, Fragment>,
    SameType<typeof elementReadingSchema, ElementReading>,
    SameType<typeof twinLawSchema, TwinLaw>,
    SameType<typeof moleculeSchema, MoleculeGraph>,
    SameType<typeof moleculeMatchSchema, MoleculeMatch>,
    SameType<typeof surfaceSchema, Surface>,
    SameBut<typeof recognisedSchema, Recognised, 'structure'>,
    SameType<typeof fitStageSchema, FitStage>,
    SameBut<typeof runResultSchema, RunResult, 'stages' | 'model'>,
    SameBut<typeof shelfEntrySchema, ShelfEntry, 'structure'>,
    SameType<typeof identifyOptionsSchema, IdentifyOptions>,
    SameType<typeof indexOptionsSchema, IndexOptions>,
    SameBut<typeof placeResultSchema, PlaceResult, 'structure'>,
    SameType<typeof vetReportSchema, VetReport>,
    SameType<typeof tableSchema, Table>,
    SameType<typeof tableOptionsSchema, TableOptions>,
    SameType<typeof reportFindingSchema, ReportFinding>,
    SameType<typeof fileProblemSchema, FileProblemAt>,
  ]
>;
