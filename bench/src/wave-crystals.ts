/**
 * How often aspherical atoms bring hydrogens to where they are: made-up crystals by seed, their data from a better wavefunction than
 * the one that refines them. `npx tsx bench/src/wave-crystals.ts 4 8 [level]` takes seeds 4 to 8. Even seeds are held back: nothing
 * is changed on their account.
 */
import { NEUTRON_LENGTHS, withHydrogensAt } from '@nagare/core/contacts/molecules';
import { rotationsOf } from '@nagare/core/crystal/point-group';
import { experiment } from '@nagare/core/crystal/experiment';
import { hydrogenLengths } from '@nagare/core/aspherical/free-hydrogens';
import { LEVELS, LEVEL_NAMES, wavefunctionOptions, type LevelName } from '@nagare/core/aspherical/levels';
import { seededRandom } from '@nagare/core/math/random';
import { mergeReflections } from '@nagare/core/data/merge';
import { breathingContext, type TaskContext } from '@nagare/core/task-context';
import { asphericalTask } from '@nagare/core/tasks/wave-tasks';
import type { AsphericalTaskReport } from '@nagare/core/tasks/wave-tasks';
import { threadPool } from '@nagare/server/worker-pool';
import { shaken } from '../../demo/src/models.ts';
import { neutronCrystal, SPHERICAL_LENGTHS, waveCrystal } from '../../demo/src/wave-crystal.ts';

const MOLECULES = ['CC(O)C(=O)N', 'NC(=O)CO', 'NC(=O)N', 'OCC#N', 'Oc1cncnc1', 'CS(=O)C', 'OC(=O)CCl', 'NC=O'];
const GROUPS = ['P 1 21/c 1', 'P -1', 'P 21 21 21', 'P b c a', 'P n a 21', 'P 1 21 1'];
const MEASUREMENT = {
  dMin: 0.65,
  wavelength: 0.71073,
  coverage: 0.95,
  repeats: 1.8,
  meanCounts: 900,
  systematic: 0.015,
  outliers: 0,
};

async function tried(seed: number, level: LevelName, context: TaskContext): Promise<string> {
  const random = seededRandom(seed);
  const line = MOLECULES[random.below(MOLECULES.length)]!,
    symbol = GROUPS[random.below(GROUPS.length)]!;
  const spherical = withHydrogensAt(neutronCrystal([line], symbol, random), SPHERICAL_LENGTHS);
  const wave = { wavefunction: wavefunctionOptions('double-zeta', 'hybrid'), neighbours: 'field' as const };
  const { raw } = await waveCrystal(spherical, MEASUREMENT, random, wave, context);
  const { reflections } = mergeReflections(raw, spherical.cell, rotationsOf(spherical.spaceGroup));
  const { basis, method, neighbours } = LEVELS[level];
  const started = performance.now();
  const result = await asphericalTask.run(
    {
      ...experiment(shaken(spherical, random, 0.003, 0.001), reflections, MEASUREMENT.wavelength, {}),
      choices: { basis, method, neighbours, hydrogens: 'free', rounds: 8 },
    },
    context as TaskContext<AsphericalTaskReport>,
  );
  const { structure, readings, map } = result.stage;
  const elements = new Map(structure.sites.map((x) => [x.id, x.element]));
  const off = hydrogenLengths(structure).map(({ parent, length }) => length - NEUTRON_LENGTHS[elements.get(parent)!]!);
  const before = result.spherical;
  return [
    `${seed} ${line} ${symbol}:`,
    `R1 ${(100 * before.r1).toFixed(2)} → ${(100 * readings.r1).toFixed(2)} %,`,
    `peak ${before.peak.toFixed(2)} → ${(map.peaks[0]?.height ?? 0).toFixed(2)} e Å⁻³,`,
    `X–H off by ${Math.sqrt(off.reduce((sum, x) => sum + x * x, 0) / off.length).toFixed(3)} Å r.m.s., at most ${Math.max(...off.map(Math.abs)).toFixed(3)};`,
    `${result.rounds.length} rounds, ${((performance.now() - started) / 1000).toFixed(0)} s${result.settled ? '' : ', not settled'}`,
  ].join(' ');
}

const [first = 2, last = 6] = process.argv.slice(2, 4).map(Number);
const level = LEVEL_NAMES.find((x) => x === process.argv[4]) ?? 'quick';
const pool = threadPool();
const context = breathingContext({ aborted: false }, () => undefined, { fork: pool.fork, parallel: pool.parallel });
for (let seed = first; seed <= last; seed++)
  console.log(await tried(seed, level, context).catch((e: Error) => `${seed}: ${e.message}`));
pool.close();
