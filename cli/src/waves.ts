/** `wavefunction` and `aspherical` of the terminal. */
import type { FactorReport } from '@nagare/core/aspherical/crystal-factors';
import { DIVISIONS, LEVELS, LEVEL_NAMES, type Division, type LevelName } from '@nagare/core/aspherical/levels';
import { hydrogenLengths, HYDROGEN_FREEDOMS, type HydrogenFreedom } from '@nagare/core/aspherical/free-hydrogens';
import { NEIGHBOURHOODS, type Neighbourhood } from '@nagare/core/aspherical/cluster';
import { kelvinOf } from '@nagare/core/crystal/form-factors';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { experiment } from '@nagare/core/crystal/experiment';
import { distance } from '@nagare/core/geometry/figures';
import { measure } from '@nagare/core/geometry/measure';
import { basisNamed, BASIS_NAMES, type BasisName } from '@nagare/core/quantum/basis-sets';
import { METHOD_NAMES, type MethodName } from '@nagare/core/quantum/functionals';
import { asphericalTask, wavefunctionTask } from '@nagare/core/tasks/wave-tasks';
import type { AsphericalTaskReport, AsphericalTaskResult, WaveRecord } from '@nagare/core/tasks/wave-tasks';
import { breathingContext } from '@nagare/core/task-context';
import { writeOut } from './answer-file.ts';
import { BadInput, rounded, type Answer, type Options, type Say } from './answers.ts';
import { writeModel } from './crystal.ts';
import { modelJob, modelWithData, type ModelJob } from './inputs.ts';
import { withThreads } from './threads.ts';

/** One of a few words, or the usual one. */
function oneOf<T extends string>(name: string, value: Options[string], words: readonly T[], usual: T): T {
  if (value === undefined) return usual;
  const found = words.find((w) => w === value);
  if (!found)
    throw new BadInput(`--${name} must be ${words.slice(0, -1).join(', ')} or ${words.at(-1)}, not "${value}".`);
  return found;
}

function basisOption(value: Options[string]): BasisName {
  if (value === undefined) return '6-31G(d,p)';
  const found = basisNamed(String(value));
  if (!found) throw new BadInput(`--basis must be one of ${BASIS_NAMES.join(', ')}, not "${value}".`);
  return found;
}

/** How the density is divided among the atoms, and whether large molecules are taken in parts. */
const partingOptions = (options: Options): { division?: Division; whole?: boolean } => ({
  ...(options['division'] === undefined
    ? {}
    : { division: oneOf<Division>('division', options['division'], DIVISIONS, 'stockholder') }),
  ...(options['whole'] ? { whole: true } : {}),
});

const whole = (options: Options, name: string): number | undefined =>
  options[name] === undefined ? undefined : Number(options[name]);

const secondsSince = (started: number): number => rounded((performance.now() - started) / 1000, 2);

/** The few numbers of one molecule. */
const moleculeJson = ({ reading: r }: WaveRecord) => ({
  labels: r.labels,
  charge: r.charge,
  spin: r.multiplicity,
  energy: rounded(r.energy, 8),
  iterations: r.iterations,
  converged: r.converged,
  ...(r.smearing ? { electronTemperature: Math.round(kelvinOf(r.smearing)) } : {}),
  basisFunctions: r.functions,
  electrons: r.electrons,
  dipole: rounded(r.dipole, 4),
  charges: r.charges.map((x) => rounded(x, 4)),
});

export async function wavefunctionAnswer(files: string[], options: Options, say: Say): Promise<Answer> {
  const started = performance.now();
  const { model } = modelWithData('wavefunction', files);
  const charge = whole(options, 'charge'),
    spin = whole(options, 'spin');
  const together = /\.xyz$/i.test(files[0]!);
  const choices = {
    basis: basisOption(options['basis']),
    method: oneOf<MethodName>('method', options['method'], METHOD_NAMES, 'hybrid'),
    neighbours: oneOf<Neighbourhood>('neighbours', options['neighbours'], NEIGHBOURHOODS, 'none'),
    ...partingOptions(options),
    ...(together ? { together } : {}),
    ...(charge === undefined ? {} : { charges: [charge] }),
    ...(spin === undefined ? {} : { spins: [spin] }),
  };
  let last = '';
  const tell = (r: FactorReport): void => {
    const line = r.stage === 'field' ? `iteration ${r.iteration}: ${r.energy.toFixed(6)} hartree` : '';
    if (line && line !== last && !options['json']) say(`Molecule ${r.molecule + 1}, ${line}`);
    last = line;
  };
  const input = { structure: model.structure!, choices };
  const { molecules } = await withThreads((threads) =>
    wavefunctionTask.run(input, breathingContext<FactorReport>({ aborted: false }, tell, threads)),
  );
  if (typeof options['out'] === 'string')
    writeOut(options['out'], JSON.stringify({ format: 'nagare wavefunction 1', ...choices, molecules }));
  const rows = molecules.map(moleculeJson),
    first = rows[0]!;
  const sum = (of: (r: (typeof rows)[number]) => number): number => rows.reduce((total, r) => total + of(r), 0);
  const lost = rows.find((r) => !r.converged);
  return {
    json: {
      energy: rounded(
        sum((r) => r.energy),
        8,
      ),
      iterations: Math.max(...rows.map((r) => r.iterations)),
      converged: !lost,
      basisFunctions: sum((r) => r.basisFunctions),
      electrons: sum((r) => r.electrons),
      dipole: first.dipole,
      charges: rows.flatMap((r) => r.labels.map((label, i) => ({ label, charge: r.charges[i]! }))),
      ...(rows.length > 1 ? { molecules: rows } : {}),
      seconds: secondsSince(started),
    },
    text: [
      ...rows.map(
        (r) =>
          `${r.labels[0]} and ${r.labels.length - 1} more: ${r.energy.toFixed(6)} hartree after ${r.iterations} iterations, ${r.basisFunctions} functions, dipole ${r.dipole.toFixed(2)} D.`,
      ),
      ...rows.flatMap((r) =>
        r.electronTemperature
          ? [
              `The orbitals of ${r.labels[0]} were filled at ${r.electronTemperature} K: it has others of nearly the same energy.`,
            ]
          : [],
      ),
      ...(lost ? [`The molecule of ${lost.labels[0]} is not self-consistent; check its charge and spin.`] : []),
    ].join('\n'),
  };
}

/** Bonds to hydrogen before and after, with the s.u. of the later. */
function bondRows({ stage, spherical }: AsphericalTaskResult) {
  const labels = new Map(stage.structure.sites.map((x) => [x.id, x.label]));
  const before = new Map(spherical.lengths.map((x) => [x.hydrogen, x.length]));
  return hydrogenLengths(stage.structure).map(({ hydrogen, parent, length }) => ({
    a: labels.get(parent)!,
    h: labels.get(hydrogen)!,
    spherical: before.has(hydrogen) ? rounded(before.get(hydrogen)!, 4) : null,
    aspherical: rounded(length, 4),
    su: rounded(
      measure(stage.structure, [originalRef(parent), originalRef(hydrogen)], distance, stage.covariance).su ?? 0,
      4,
    ),
  }));
}

function written(out: Options[string], job: ModelJob, { stage }: AsphericalTaskResult): void {
  const { structure, readings, treatment, map, covariance } = stage;
  writeModel(out, job, { structure, readings, treatment, map, ...(covariance ? { covariance } : {}) });
}

export async function asphericalAnswer(files: string[], options: Options, say: Say): Promise<Answer> {
  const level = oneOf<LevelName>('level', options['level'], LEVEL_NAMES, 'good');
  const hydrogens = oneOf<HydrogenFreedom>('hydrogens', options['hydrogens'], HYDROGEN_FREEDOMS, 'free');
  const job = modelJob('aspherical', files);
  const { basis, method } = LEVELS[level];
  const neighbours = oneOf<Neighbourhood>(
    'neighbours',
    options['neighbours'],
    NEIGHBOURHOODS,
    LEVELS[level].neighbours,
  );
  const tell = (r: AsphericalTaskReport): void => {
    if (r.kind === 'stage' && !options['json'])
      say(
        `${r.stage.title}: R1 ${(100 * r.stage.readings.r1).toFixed(2)} %, wR2 ${(100 * r.stage.readings.wr2).toFixed(2)} %.`,
      );
  };
  const input = {
    ...experiment(job.structure, job.reflections, job.source.wavelength, { treatment: job.model.treatment }),
    choices: { basis, method, neighbours, ...partingOptions(options), hydrogens, rounds: 12 },
  };
  const result = await withThreads((threads) =>
    asphericalTask.run(input, breathingContext<AsphericalTaskReport>({ aborted: false }, tell, threads)),
  );
  written(options['out'], job, result);
  const { stage, spherical } = result,
    { readings: r, map } = stage;
  return {
    json: {
      rounds: result.rounds.map((x) => ({
        r1: x.r1,
        wr2: x.wr2,
        energy: rounded(x.energy, 8),
        maxShiftOverSu: x.maxShiftOverSu,
        seconds: rounded(x.seconds, 2),
      })),
      r1Spherical: spherical.r1,
      wr2Spherical: spherical.wr2,
      peakSpherical: spherical.peak,
      holeSpherical: spherical.hole,
      r1: r.r1,
      wr2: r.wr2,
      s: r.s,
      peak: map.peaks[0]?.height ?? 0,
      hole: map.holes[0]?.height ?? 0,
      settled: result.settled,
      message: result.message,
      bonds: bondRows(result),
      molecules: (stage.treatment.aspherical?.molecules ?? []).map((m) => ({
        labels: m.labels,
        charge: m.charge,
        spin: m.multiplicity,
        energy: rounded(m.energy, 8),
        dipole: rounded(m.dipole, 4),
        charges: m.charges.map((x) => rounded(x, 4)),
      })),
      level: { name: level, basis, method, neighbours },
      seconds: secondsSince(job.started),
    },
    text: `R1 ${(100 * spherical.r1).toFixed(2)} % with spherical atoms, ${(100 * r.r1).toFixed(2)} % with aspherical ones. ${result.message}`,
  };
}
