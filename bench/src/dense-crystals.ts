/**
 * How often dense crystals of ions on special positions are solved whole, in their group, from one run: made-up ones by number, even
 * numbers to look at, odd ones held back.
 *
 *   npx tsx bench/src/dense-crystals.ts FIRST LAST [STEP]
 */
import { compareToTruth } from '../../demo/src/compare.ts';
import { measuredDense } from '../../demo/src/dense-crystals.ts';
import { groupOrder } from '@nagare/core/crystal/space-group';
import { cellContents } from '@nagare/core/crystal/structure';
import { solveStructure, type SolveReport } from '@nagare/core/solve/solve';
import { quietContext, type TaskContext } from '@nagare/core/task-context';

const GROUPS = [
  'P n m a',
  'C 1 2/m 1',
  'R -3 m',
  'P 63/m m c',
  'F d -3 m',
  'I 41/a m d',
  'P m -3 m',
  'P 1 21/c 1',
  'I 4/m m m',
  'F m -3 m',
  'C m c m',
  'P 42/m n m',
  'R -3 c',
  'P 63 m c',
  'F -4 3 m',
  'I a -3 d',
  'P -3 m 1',
  'P 4/n m m',
  'I m m a',
  'P a -3',
  'C 1 2/c 1',
  'P 31 2 1',
  'I -4 2 d',
  'P 21 3',
  'P -1',
  'R 3 m',
  'I 4/m',
  'P 63/m',
  'F d d 2',
  'P b c n',
];
const QUALITY = [
  { dMin: 0.7, meanCounts: 500 },
  { dMin: 0.6, meanCounts: 150 },
  { dMin: 0.8, meanCounts: 300 },
];
const [first = 1, last = 90, step = 2] = process.argv.slice(2).map(Number);
let whole = 0,
  tried = 0;
for (let n = first; n < last; n += step) {
  const symbol = GROUPS[n % GROUPS.length]!;
  const { structure: truth, raw, wavelength } = measuredDense(symbol, 3300 + n, QUALITY[n % QUALITY.length]);
  const contents = cellContents(truth);
  const started = performance.now();
  const { candidates } = await solveStructure(
    { raw, cell: truth.cell, wavelength, formula: contents, z: 1, seed: 1001, seeds: 999, seconds: 15 },
    quietContext() as TaskContext<SolveReport>,
  );
  const seconds = (performance.now() - started) / 1000;
  const best = candidates[0];
  const { found, elements } = best ? compareToTruth(best.structure, truth, 0.25) : { found: 0, elements: 0 };
  // Atoms on special positions can have more symmetry than they were placed with.
  const right = !!best && found > 0.95 && groupOrder(best.structure.spaceGroup) >= groupOrder(truth.spaceGroup);
  tried++;
  if (right) whole++;
  const told = best
    ? `${best.structure.spaceGroup.symbol}, R1 ${(100 * best.r1).toFixed(1)} %, ${best.structure.sites.length} sites`
    : 'nothing';
  const what = Object.entries(contents)
    .map(([e, x]) => `${e}${x}`)
    .join(' ');
  process.stdout.write(
    `${right ? ' ' : '*'} ${n} ${what} in ${symbol}, ${truth.sites.length} sites: ${told}, ${(100 * found).toFixed(0)} % of the atoms, ${(100 * elements).toFixed(0)} % of their elements, ${seconds.toFixed(1)} s\n`,
  );
}
process.stdout.write(`${whole} of ${tried} whole, in their group\n`);
