/** Wavefunctions and refinement with the atoms they make: jobs of the Refine station and of the terminal. */
import { z } from 'zod';
import { crystalFactors, type FactorOptions, type FactorReport } from '../aspherical/crystal-factors.ts';
import { NEIGHBOURHOODS, type Neighbourhood } from '../aspherical/cluster.ts';
import { forecastOf, type Forecast } from '../aspherical/forecast.ts';
import { HYDROGEN_FREEDOMS, type HydrogenFreedom } from '../aspherical/free-hydrogens.ts';
import {
  BASIS_WORDS,
  energyOptions,
  METHOD_WORDS,
  NEIGHBOUR_WORDS,
  wavefunctionOptions,
  DIVISIONS,
  DIVISION_WORDS,
  type Division,
} from '../aspherical/levels.ts';
import { asphericalRefinement, type AsphericalReport } from '../aspherical/rounds.ts';
import { workshopOf, type PartsPlan } from '../aspherical/workshops.ts';
import type { Experiment } from '../crystal/experiment.ts';
import type { FormFactors, MoleculeReading, SphericalReading } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import { BASIS_NAMES, type BasisName } from '../quantum/basis-sets.ts';
import { helpCrew, type CrewOrder } from '../quantum/crew.ts';
import { BOHR } from '../math/units.ts';
import { METHOD_NAMES, type MethodName } from '../quantum/functionals.ts';
import type { Wavefunction } from '../quantum/wavefunction.ts';
import type { Stage } from '../settle/stage.ts';
import { experimentFields, sphericalReadingSchema, structureSchema } from './schemas.ts';
import { shaped, task } from './task.ts';

/** What may be chosen of a wavefunction. */
export interface WaveChoices {
  readonly basis: BasisName;
  readonly method: MethodName;
  readonly neighbours: Neighbourhood;
  readonly division?: Division;
  /** All atoms in one wavefunction. */
  readonly together?: boolean;
  /** Large molecules in one wavefunction each. */
  readonly whole?: boolean;
  readonly charges?: readonly number[];
  readonly spins?: readonly number[];
}

const choiceFields = {
  basis: z.enum(BASIS_NAMES as [BasisName, ...BasisName[]]),
  method: z.enum(METHOD_NAMES as [MethodName, ...MethodName[]]),
  neighbours: z.enum(NEIGHBOURHOODS as [Neighbourhood, ...Neighbourhood[]]),
  division: z.enum(DIVISIONS as [Division, ...Division[]]).optional(),
  together: z.boolean().optional(),
  whole: z.boolean().optional(),
  charges: z.array(z.number().int().min(-50).max(50)).optional(),
  spins: z.array(z.number().int().min(1).max(30)).optional(),
};

const factorOptions = ({ basis, method, ...rest }: WaveChoices): FactorOptions => ({
  ...rest,
  wavefunction: wavefunctionOptions(basis, method),
});

/** A wavefunction as it is written to a file: enough to calculate anything of it again. */
export interface WaveRecord {
  readonly reading: MoleculeReading;
  /** Å and e. */
  readonly atoms: readonly { readonly element: string; readonly position: readonly number[] }[];
  readonly shells: readonly {
    readonly atom: number;
    readonly l: number;
    readonly pure: boolean;
    readonly exponents: readonly number[];
    /** Of x^l exp(−αr²), norms included; bohr. */
    readonly coefficients: readonly number[];
  }[];
  /** By spin, one for a closed shell: energies in hartree. */
  readonly orbitals: readonly { readonly occupied: number; readonly energies: readonly number[] }[];
  /** Density matrix of all electrons, row by row. */
  readonly density: readonly number[];
}

function recordOf(w: Wavefunction, reading: MoleculeReading): WaveRecord {
  return {
    reading,
    atoms: w.molecule.centres.map((c) => ({ element: c.element, position: c.position.map((x) => x * BOHR) })),
    shells: w.basis.shells.map((s) => ({
      atom: s.centre,
      l: s.l,
      pure: s.pure,
      exponents: Array.from(s.exponents),
      coefficients: Array.from(s.coefficients),
    })),
    orbitals: w.orbitals.map((o) => ({ occupied: o.occupied, energies: Array.from(o.energies) })),
    density: Array.from(w.total),
  };
}

const NO_TRIPLES: Pick<FormFactors, 'h' | 'k' | 'l'> = {
  h: new Int16Array(0),
  k: new Int16Array(0),
  l: new Int16Array(0),
};

export const wavefunctionTask = task<
  { structure: Structure; choices: WaveChoices },
  { molecules: readonly WaveRecord[] },
  FactorReport
>({
  input: z.strictObject({ structure: structureSchema, choices: z.strictObject(choiceFields) }),
  output: z.strictObject({ molecules: z.array(shaped<WaveRecord>(['reading', 'atoms', 'shells', 'density'])) }),
  run: async ({ structure, choices }, context) => {
    const { basis, method, ...rest } = choices;
    const options = { ...rest, wavefunction: energyOptions(basis, method) };
    const found = await crystalFactors(structure, NO_TRIPLES, options, context, (r) => context.progress(r));
    return { molecules: found.wavefunctions.map((w, i) => recordOf(w, found.molecules[i]!)) };
  },
});

/** Takes parts of the field, the shares or the factors of another task that runs beside it, from the memory they share. */
export const wavePartsTask = task<CrewOrder<PartsPlan>, null, never>({
  input: z.strictObject({ control: z.instanceof(Int32Array), plans: z.array(shaped<PartsPlan>(['kind'])) }),
  output: z.null(),
  run: async (order, context) => {
    await helpCrew(order, workshopOf, context);
    return null;
  },
});

export const waveForecastTask = task<
  { structure: Structure; choices: WaveChoices; reflections: number },
  Forecast,
  never
>({
  input: z.strictObject({
    structure: structureSchema,
    choices: z.strictObject(choiceFields),
    reflections: z.number().int().min(0),
  }),
  output: shaped<Forecast>(['molecules', 'megabytes', 'work']),
  run: async ({ structure, choices, reflections }) => forecastOf(structure, factorOptions(choices), reflections),
});

export interface AsphericalChoices extends WaveChoices {
  readonly hydrogens: HydrogenFreedom;
  /** At most. */
  readonly rounds: number;
}

export interface RoundReading {
  readonly r1: number;
  readonly wr2: number;
  /** Hartree, over all molecules. */
  readonly energy: number;
  /** Largest change since the round before. */
  readonly maxShiftOverSu: number;
  readonly seconds: number;
}

export type AsphericalTaskReport =
  | AsphericalReport
  /** A stage that has ended; 0 is the spherical one. */
  | { readonly kind: 'stage'; readonly round: number; readonly stage: Stage };

export interface AsphericalTaskResult {
  readonly spherical: SphericalReading;
  readonly rounds: readonly RoundReading[];
  readonly stage: Stage;
  readonly settled: boolean;
  readonly message: string;
}

export const asphericalTask = task<
  Experiment & { choices: AsphericalChoices },
  AsphericalTaskResult,
  AsphericalTaskReport
>({
  input: z.strictObject({
    ...experimentFields,
    choices: z.strictObject({
      ...choiceFields,
      hydrogens: z.enum(HYDROGEN_FREEDOMS as [HydrogenFreedom, ...HydrogenFreedom[]]),
      rounds: z.number().int().min(1).max(30),
    }),
  }),
  output: z.strictObject({
    spherical: sphericalReadingSchema,
    rounds: z.array(
      z.strictObject({
        r1: z.number(),
        wr2: z.number(),
        energy: z.number(),
        maxShiftOverSu: z.number(),
        seconds: z.number(),
      }),
    ),
    stage: shaped<Stage>(['structure', 'readings', 'map', 'treatment']),
    settled: z.boolean(),
    message: z.string(),
  }),
  run: async ({ choices, ...e }, context) => {
    const ends: number[] = [performance.now()];
    const { basis, method, neighbours, division } = choices;
    const result = await asphericalRefinement(
      e,
      {
        ...factorOptions(choices),
        hydrogens: choices.hydrogens,
        rounds: choices.rounds,
        words: {
          basis: BASIS_WORDS[basis],
          method: METHOD_WORDS[method],
          neighbours: NEIGHBOUR_WORDS[neighbours],
          ...(division === 'iterated' ? { division: DIVISION_WORDS.iterated } : {}),
        },
      },
      context,
      (round, stage) => {
        ends[round] = performance.now();
        context.progress({ kind: 'stage', round, stage });
      },
    );
    return {
      spherical: result.spherical,
      rounds: result.rounds.map((r, i) => ({
        r1: r.stage.readings.r1,
        wr2: r.stage.readings.wr2,
        energy: r.energy,
        maxShiftOverSu: r.maxShiftOverSu,
        seconds: (ends[i + 1]! - ends[i]!) / 1000,
      })),
      stage: result.rounds.at(-1)!.stage,
      settled: result.settled,
      message: result.message,
    };
  },
});
