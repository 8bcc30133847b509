/** Jobs of the Refine station that look at a model: hydrogen plans, second places, elements, plots, twins, solvent, expected molecules. */
import type { Experiment } from '../crystal/experiment.ts';
import { z } from 'zod';
import {
  elementReadingSchema,
  fragmentSchema,
  hydrogenPlanSchema,
  judgedPlacesSchema,
  moleculeMatchSchema,
  moleculeSchema,
  proposalSchema,
  twinLawSchema,
} from './model-schemas.ts';
import { plotsSchema, batchScaleSchema } from './data-schemas.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import { twinLaws, type TwinLaw } from '../data/twin-laws.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { deformationMap } from '../maps/deformation.ts';
import { MAP_KINDS, modelMap, type MapKind } from '../maps/residual.ts';
import { solventMask } from '../maps/solvent-mask.ts';
import { withSites } from '../model/place-hydrogens.ts';
import { judgePlaces, planHydrogens, type HydrogenPlan, type JudgedPlaces } from '../model/hydrogen-plan.ts';
import { matchMolecule, type Match, type MoleculeGraph } from '../model/expected.ts';
import {
  fragmentOf,
  proposeSecondPlaces,
  turnableBonds,
  type Fragment,
  type PlaceProposal,
} from '../model/second-place.ts';
import type { ResidualPeak } from '../maps/residual.ts';
import { batchScales, plotData, type PlotData } from '../refine/data-plots.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { halved, tryProposals } from '../settle/disorder-trial.ts';
import { readElements, suspiciousSites, type ElementReading } from '../settle/elements.ts';
import { refineStage, residualOf, type MapResult, type StageSurroundings } from '../settle/stage.ts';
import type { TaskContext } from '../task-context.ts';
import type { SolventMask } from '../crystal/treatment.ts';
import { figure, mapSchema } from './result-schemas.ts';
import { experimentFields, maskSchema, rawSchema, structureSchema, residualPeakSchema, vec3Schema } from './schemas.ts';
import { shaped, task } from './task.ts';

const surroundingsOf = (i: Experiment, context: TaskContext<string>, say = ''): StageSurroundings => ({
  reflections: i.reflections,
  wavelength: i.wavelength,
  context: context as TaskContext<unknown>,
  onCycle: (title, c) => context.progress(`${say || title}: cycle ${c.cycle}, R1 ${(100 * c.r1).toFixed(2)} %`),
});

export interface PlanTaskInput extends Experiment {
  temperature?: number;
  expected?: number;
  /** Hydrogens (site ids) to be left out of the map and planned anew. */
  without?: readonly string[];
}

export const planTask = task<PlanTaskInput, { plan: HydrogenPlan; map: MapResult }, string>({
  input: z.strictObject({
    ...experimentFields,
    temperature: z.number().optional(),
    expected: z.number().optional(),
    without: z.array(z.string()).optional(),
  }),
  output: z.strictObject({ plan: hydrogenPlanSchema, map: mapSchema }),
  run: async (i, context) => {
    const gone = new Set(i.without ?? []);
    const bare = gone.size
      ? withSites(
          i.structure,
          i.structure.sites.filter((x) => !gone.has(x.id)),
        )
      : i.structure;
    context.progress('Density without the hydrogens');
    await context.breath();
    const { map } = residualOf({ ...i, structure: bare });
    context.progress('Looking at every atom that can carry hydrogens');
    await context.breath();
    return {
      plan: planHydrogens({
        structure: bare,
        map,
        ...(i.temperature ? { temperature: i.temperature } : {}),
        ...(i.expected !== undefined ? { expected: i.expected } : {}),
      }),
      map,
    };
  },
});

export interface JudgePlacesInput {
  /** Without the hydrogens that are judged. */
  structure: Structure;
  map?: MapResult;
  /** Site that carries them. */
  parent: string;
  /** Cartesian, Å. */
  positions: readonly Vec3[];
}

/** Density at places for hydrogens and the bonds they would make. */
export const judgePlacesTask = task<JudgePlacesInput, JudgedPlaces, never>({
  input: z.strictObject({
    structure: structureSchema,
    map: mapSchema.optional(),
    parent: z.string(),
    positions: z.array(vec3Schema),
  }),
  output: judgedPlacesSchema,
  run: async ({ structure, map, parent, positions }) =>
    judgePlaces({ structure, ...(map ? { map } : {}) }, parent, positions),
});

export interface PlacesTaskInput extends Experiment {
  sites: readonly number[];
  /** Whether bonds inside the selection may turn. */
  turn: boolean;
}
export interface PlacesTaskResult {
  /** The first place with its refined share. */
  structure: Structure;
  share: number;
  /** Ranked by the R1 that a few cycles of the model with the copy reach. */
  proposals: (PlaceProposal & { r1?: number })[];
  before: number;
  map: MapResult;
  /** What is laid, with its surroundings: what scoring a copy by hand needs. */
  fragment: Fragment;
}

export const placesTask = task<PlacesTaskInput, PlacesTaskResult, string>({
  input: z.strictObject({
    ...experimentFields,
    sites: z.array(z.number().int()),
    turn: z.boolean(),
  }),
  output: z.strictObject({
    structure: structureSchema,
    share: figure,
    proposals: z.array(proposalSchema.extend({ r1: figure.optional() })),
    before: figure,
    map: mapSchema,
    fragment: fragmentSchema,
  }),
  run: async (i, context) => {
    const around = surroundingsOf(i, context, 'How much of it is in the first place');
    const before = residualOf(i);
    // Only the map and the share of this refinement are used; the model itself stays as it is.
    const stage = {
      title: '',
      cycles: 0,
      structure: i.structure,
      readings: {
        ...before.figures,
        parameters: 0,
        restraints: 0,
        reflections: 0,
        maxShiftOverSu: 0,
        meanShiftOverSu: 0,
        weights: i.weights,
        scale: before.scale,
      },
      map: before.map,
      treatment: i.treatment,
      state: 'settled' as const,
      message: '',
    };
    const part = await halved(around, stage, i.sites);
    context.progress('Laying copies on the residual density');
    await context.breath();
    const proposals = proposeSecondPlaces({
      structure: part.structure,
      sites: i.sites,
      map: part.map,
      peaks: part.map.peaks.map((p) => p.position),
      torsions: i.turn ? turnableBonds(part.structure, i.sites).slice(0, 3) : [],
    });
    const tried = await tryProposals(
      surroundingsOf(i, context, 'Trying the proposals'),
      part,
      i.treatment,
      i.sites,
      proposals,
      5,
    );
    const ranked = [
      ...tried.map((t) => ({ ...t.proposal, r1: t.stage.readings.r1 })),
      ...proposals.filter((p) => !tried.some((t) => t.proposal === p)),
    ];
    return {
      structure: part.structure,
      share: part.structure.sites[i.sites[0]!]!.occupancy,
      proposals: ranked,
      before: before.figures.r1,
      map: part.map,
      fragment: fragmentOf(part.structure, i.sites),
    };
  },
});

export const elementsTask = task<Experiment & { sites?: readonly number[] }, { readings: ElementReading[] }, string>({
  input: z.strictObject({ ...experimentFields, sites: z.array(z.number().int()).optional() }),
  output: z.strictObject({ readings: z.array(elementReadingSchema) }),
  run: async (i, context) => ({
    readings: (
      await readElements(
        surroundingsOf(i, context),
        i.structure,
        i.treatment,
        i.sites?.length ? i.sites : suspiciousSites(i.structure),
      )
    ).readings,
  }),
});

export type PlotsResult = PlotData & { batches: ReturnType<typeof batchScales> };

export const plotsTask = task<Experiment & { goodness: number; raw?: RawReflections }, PlotsResult, never>({
  input: z.strictObject({ ...experimentFields, goodness: z.number(), raw: rawSchema.optional() }),
  output: plotsSchema.extend({ batches: z.array(batchScaleSchema) }),
  run: async (i) => {
    const { data } = evaluateStructure(i);
    return {
      ...plotData(i.structure, i.reflections, data, i.weights, i.goodness),
      batches: i.raw ? batchScales(i.raw, i.structure.spaceGroup, i.reflections, data) : [],
    };
  },
});

export interface TwinTrial {
  law: TwinLaw;
  fraction: number;
  su: number;
  r1: number;
}

/** Each law the metric allows, tested by a short refinement of its fraction. */
export const twinsTask = task<Experiment, { r1: number; trials: TwinTrial[] }, string>({
  input: z.strictObject(experimentFields),
  output: z.strictObject({
    r1: figure,
    trials: z.array(z.strictObject({ law: twinLawSchema, fraction: figure, su: figure, r1: figure })),
  }),
  run: async (i, context) => {
    const { twins: _t, ...rest } = i.treatment;
    const r1 = evaluateStructure({ ...i, treatment: rest }).figures.r1;
    const trials: TwinTrial[] = [];
    for (const law of twinLaws(i.structure.cell, i.structure.spaceGroup).slice(0, 8)) {
      const s = await refineStage(
        surroundingsOf(i, context, law.name),
        law.name,
        i.structure,
        { ...rest, twins: [{ law: law.law, fraction: 0.1, name: law.name }] },
        { cycles: 5, covariance: true, settled: 0.2, weights: i.weights },
      );
      const f = s.readings.twins![0]!;
      trials.push({ law, fraction: f.fraction, su: f.su ?? 0, r1: s.readings.r1 });
    }
    return { r1, trials };
  },
});

export const maskTask = task<Experiment & { probe: number }, { mask: SolventMask; r1: number; before: number }, string>(
  {
    input: z.strictObject({ ...experimentFields, probe: z.number() }),
    output: z.strictObject({ mask: maskSchema, r1: figure, before: figure }),
    run: async (i, context) => {
      const { mask: _m, ...rest } = i.treatment;
      const before = evaluateStructure({ ...i, treatment: rest }).figures.r1;
      const mask = await solventMask(i.structure, i.reflections, i.wavelength, rest, context, i.probe);
      return {
        mask,
        before,
        r1: evaluateStructure({ ...i, treatment: { ...rest, mask } }).figures.r1,
      };
    },
  },
);

export const mapTask = task<
  Experiment & { kind: MapKind },
  { grid: MapResult['grid']; values: Float32Array; sigma: number },
  never
>({
  input: z.strictObject({ ...experimentFields, kind: z.enum(MAP_KINDS) }),
  output: shaped(['grid', 'values', 'sigma']),
  run: async (i) => {
    const { kind } = i;
    const map =
      kind === 'deformation'
        ? deformationMap(i)
        : modelMap(kind, i.structure, i.reflections, evaluateStructure(i).data);
    return { grid: map.grid, values: Float32Array.from(map.values), sigma: map.sigma };
  },
});

export const matchTask = task<
  { structure: Structure; peaks: readonly ResidualPeak[]; molecule: MoleculeGraph; copies: number },
  Match[],
  never
>({
  input: z.strictObject({
    structure: structureSchema,
    peaks: z.array(residualPeakSchema),
    molecule: moleculeSchema,
    copies: z.number().int().positive(),
  }),
  output: z.array(moleculeMatchSchema),
  run: async (i) => matchMolecule(i.structure, i.peaks, i.molecule, i.copies),
});
