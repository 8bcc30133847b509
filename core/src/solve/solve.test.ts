import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { compareToTruth } from '../../../demo/src/compare.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { cellParameters } from '../crystal/cell.ts';
import { cellContents, modelContents, type Structure } from '../crystal/structure.ts';
import { groupOrder } from '../crystal/space-group.ts';
import { recognise } from '../formats/recognise.ts';
import { fragments } from '../geometry/bonds.ts';
import { breathingContext, Cancelled, quietContext } from '../task-context.ts';
import { dominantElement } from './ghosts.ts';
import { solveStructure, type SolveReport, type SolveResult } from './solve.ts';
import { scaleFormula } from '../crystal/formula.ts';
import type { TaskContext } from '../task-context.ts';

const quiet = (): TaskContext<SolveReport> => quietContext() as TaskContext<SolveReport>;

describe.each([
  ['aobae', 1],
  ['tsuyukusa-7', 77],
  ['benigara-2', 1],
])('the demo set %s', (name, seed) => {
  const [data] = recognise(readFileSync(new URL(`../../../demo/data/${name}.cif`, import.meta.url), 'utf8'), name);
  const truth = recognise(readFileSync(new URL(`../../../demo/truth/${name}.cif`, import.meta.url), 'utf8'), name)[0]!
    .structure!;

  it('is solved without being told the group', name === 'aobae' ? {} : { tags: 'long' }, async () => {
    const { candidates } = await solveStructure(
      {
        raw: data!.raw!,
        cell: data!.cell!,
        wavelength: data!.experiment.wavelength!,
        formula: data!.experiment.formula!,
        z: data!.experiment.z!,
        seed,
        seeds: 10,
        seconds: 100,
      },
      quiet(),
    );
    const best = candidates[0]!;
    expect(best.structure.spaceGroup.number).toBe(truth.spaceGroup.number);
    const found = compareToTruth(best.structure, truth);
    expect(found.found).toBeGreaterThanOrEqual(0.95);
    expect(found.elements).toBeGreaterThan(0.85);
    // Whole molecules, each with its middle in the cell.
    const molecules = fragments(best.structure);
    expect(molecules.length).toBeLessThanOrEqual(2);
    for (const members of molecules.filter((m) => m.length > 3))
      for (const axis of [0, 1, 2] as const) {
        const middle = members.reduce((s, i) => s + best.structure.sites[i]!.position[axis] / members.length, 0);
        expect(Math.abs(middle - 0.5)).toBeLessThanOrEqual(0.5);
      }
  });
});

const SMALL = 'CC(O)c1ccccc1Cl',
  MIDDLE = 'COc1ccc(cc1)C(=O)Nc1ccc(O)cc1',
  CHIRAL = 'CC1CC(O)C2(C)C(C1)OC(=O)C2Nc1ccc(N)cc1';

describe('other molecules', () => {
  async function isSolved(line: string, symbol: string): Promise<void> {
    const { structure: truth, raw, wavelength } = testCrystal(line, symbol, 12);
    const formula = scaleFormula(cellContents(truth), 1 / groupOrder(truth.spaceGroup));
    const { candidates } = await solveStructure(
      { raw, cell: truth.cell, wavelength, formula, seed: 1, seeds: 8, seconds: 90 },
      quiet(),
    );
    expect(candidates[0]?.structure.spaceGroup.number).toBe(truth.spaceGroup.number);
    expect(compareToTruth(candidates[0]!.structure, truth).found).toBeGreaterThanOrEqual(0.95);
  }
  it.each([
    [SMALL, 'P 1'],
    [MIDDLE, 'P -1'],
    [SMALL, 'P b c a'],
    [MIDDLE, 'P n a 21'],
  ])('%s in %s', isSolved);
  it.each([
    [CHIRAL, 'P 1 21 1'],
    [MIDDLE, 'P 1 21/n 1'],
    [SMALL, 'C 1 2/c 1'],
    [CHIRAL, 'P 21 21 21'],
    [SMALL, 'R -3'],
    [SMALL, 'I 41/a'],
  ])('%s in %s', { tags: 'long' }, isSolved);

  it('are solved without a formula, elements marked as a guess', async () => {
    const { structure: truth, raw, wavelength } = testCrystal(SMALL, 'P 1 21/c 1', 5);
    const { candidates } = await solveStructure(
      { raw, cell: truth.cell, wavelength, seed: 1, seeds: 8, seconds: 60 },
      quiet(),
    );
    expect(candidates[0]!.guessed).toBe(true);
    const c = compareToTruth(candidates[0]!.structure, truth);
    expect(c.found).toBe(1);
    expect(candidates[0]!.structure.sites.filter((x) => x.element === 'Cl')).toHaveLength(1);
  });
});

describe('a heavy atom in whose shadow the others stand', () => {
  const solved = async (line: string, symbol: string, seed: number): Promise<SolveResult & { truth: Structure }> => {
    const { structure: truth, raw, wavelength } = testCrystal(line, symbol, seed, { meanCounts: 150, repeats: 1.6 });
    const formula = modelContents(truth);
    const input = { raw, cell: truth.cell, wavelength, formula, seed: 1, seeds: 1, seconds: 60 };
    return { truth, ...(await solveStructure(input, quiet())) };
  };

  it('leaves no images of them in polar groups, at the first seed', { tags: 'long' }, async () => {
    const all = await Promise.all(
      (
        [
          ['COc1cncc(I)c1CO', 'P n a 21', 41],
          ['NC(=O)Cc1ccc(I)cc1', 'P 1', 42],
          ['CC(N)c1ccccc1Br', 'P 1 c 1', 43],
        ] as const
      ).map(([line, symbol, seed]) => solved(line, symbol, seed)),
    );
    const found = all.map(({ candidates: [c], truth }) => ({
      group: c?.structure.spaceGroup.number === truth.spaceGroup.number,
      whole: !!c && compareToTruth(c.structure, truth).found === 1,
    }));
    expect(found.filter((f) => f.group && f.whole).length).toBeGreaterThanOrEqual(2);
  });

  it('is known by its share of the scattering', () => {
    expect(dominantElement({ C: 7, H: 8, I: 1, N: 1, O: 2 })?.element).toBe('I');
    expect(dominantElement({ C: 8, H: 9, Cl: 1, O: 1 })?.element).toBe('Cl');
    expect(dominantElement({ C: 24, H: 30, Cl: 1, O: 6 })).toBeUndefined();
    expect(dominantElement({ C: 6, H: 6 })).toBeUndefined();
  });
});

it('a cell that was measured without constraints is that of the group in its models', async () => {
  const { structure: truth, raw, wavelength } = testCrystal(SMALL, 'P b c a', 12);
  const cell = { ...truth.cell, alpha: 90.05, beta: 89.96, a: 1.0005 * truth.cell.a };
  const { candidates } = await solveStructure({ raw, cell, wavelength, seed: 1, seeds: 4, seconds: 60 }, quiet());
  const [best] = candidates;
  expect(best!.structure.spaceGroup.number).toBe(61);
  expect(cellParameters(best!.structure.cell).slice(3)).toEqual([90, 90, 90]);
  expect(compareToTruth(best!.structure, truth).found).toBe(1);
});

it('stops when asked, and the same seed gives the same answer', { tags: 'long' }, async () => {
  const { structure: truth, raw, wavelength } = testCrystal(SMALL, 'P -1', 2);
  const input = { raw, cell: truth.cell, wavelength, seed: 3, seeds: 4, seconds: 60 };
  const signal = { aborted: false };
  const stopped = solveStructure(
    input,
    breathingContext<SolveReport>(
      signal,
      (r) => {
        if (r.kind === 'seed') signal.aborted = true;
      },
      {},
      0,
    ),
  );
  await expect(stopped).rejects.toBeInstanceOf(Cancelled);
  const [a, b] = [await solveStructure(input, quiet()), await solveStructure(input, quiet())];
  expect(a.candidates[0]!.structure.sites.map((x) => x.position)).toEqual(
    b.candidates[0]!.structure.sites.map((x) => x.position),
  );
});

describe('an atom in a wrong place, smeared out,', () => {
  it.each([
    ['OCC1CCCN1C(=O)C', 'P n a 21', 9115, 400],
    ['CC(=O)Nc1ccc(S)cc1', 'P 21 21 2', 9119, 150],
  ])('makes room for the true one: %s in %s', async (line, symbol, seed, meanCounts) => {
    const { structure: truth, raw, wavelength } = testCrystal(line, symbol, seed, { meanCounts, repeats: 1.5 });
    const { candidates } = await solveStructure(
      { raw, cell: truth.cell, wavelength, formula: modelContents(truth), seed: 1001, seeds: 3, seconds: 60 },
      quiet(),
    );
    expect(candidates[0]!.r1).toBeLessThan(0.1);
    expect(compareToTruth(candidates[0]!.structure, truth, 0.25)).toMatchObject({ found: 1, elements: 1 });
  });
});
