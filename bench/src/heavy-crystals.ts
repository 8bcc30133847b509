/**
 * How often small crystals with one heavy atom are solved whole, in their group, from one run: made-up ones by number, even numbers to
 * look at, odd ones held back.
 *
 *   npx tsx bench/src/heavy-crystals.ts FIRST LAST [STEP]
 */
import { compareToTruth } from '../../demo/src/compare.ts';
import { testCrystal } from '../../demo/src/test-crystals.ts';
import { modelContents } from '@nagare/core/crystal/structure';
import { solveStructure, type SolveReport } from '@nagare/core/solve/solve';
import { quietContext, type TaskContext } from '@nagare/core/task-context';

const MOLECULES = [
  'OCc1cc(I)cnc1OC',
  'CC(O)c1ccccc1I',
  'Ic1ccc(NC(=O)C)cc1',
  'OC(=O)Cc1cc(I)ccc1N',
  'CCNC(=O)c1ccccc1I',
  'Cc1cc(Br)c(O)c(I)c1',
  'OCC(N)c1ccc(Br)cc1',
  'COc1ccc(I)cc1C=O',
];
const GROUPS = ['P 1', 'P 1 21 1', 'C 1 2 1', 'P n a 21', 'P 1 c 1', 'C 1 c 1', 'P 21 21 21', 'P -1', 'P 1 21/c 1'];
const QUALITY = [
  { dMin: 0.84, meanCounts: 400 },
  { dMin: 0.78, meanCounts: 150 },
  { dMin: 0.9, meanCounts: 60 },
];

const [first = 1, last = 72, step = 2] = process.argv.slice(2).map(Number);
let whole = 0,
  tried = 0;
for (let n = first; n < last; n += step) {
  const line = MOLECULES[n % MOLECULES.length]!;
  const symbol = GROUPS[(n * 4 + Math.floor(n / MOLECULES.length)) % GROUPS.length]!;
  const {
    structure: truth,
    raw,
    wavelength,
  } = testCrystal(line, symbol, 7700 + n, {
    ...QUALITY[n % QUALITY.length]!,
    repeats: 1.6,
  });
  const started = performance.now();
  const { candidates } = await solveStructure(
    { raw, cell: truth.cell, wavelength, formula: modelContents(truth), seed: 1001, seeds: 999, seconds: 60 },
    quietContext() as TaskContext<SolveReport>,
  );
  const seconds = (performance.now() - started) / 1000;
  const best = candidates[0];
  const { found, elements } = best ? compareToTruth(best.structure, truth, 0.25) : { found: 0, elements: 0 };
  const right = found > 0.95 && best?.structure.spaceGroup.number === truth.spaceGroup.number;
  tried++;
  if (right) whole++;
  const told = best ? `${best.structure.spaceGroup.symbol}, R1 ${(100 * best.r1).toFixed(1)} %` : 'nothing';
  process.stdout.write(
    `${right ? ' ' : '*'} ${n} ${line} in ${symbol}: ${told}, ${(100 * found).toFixed(0)} % of the atoms, ${(100 * elements).toFixed(0)} % of their elements, ${seconds.toFixed(1)} s\n`,
  );
}
process.stdout.write(`${whole} of ${tried} whole, in their group\n`);
