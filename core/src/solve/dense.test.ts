/** Dense crystals on special positions: solved in their group from what the cell holds, and told apart from lower groups. */
import { describe, expect, it } from 'vitest';
import { compareToTruth } from '../../../demo/src/compare.ts';
import { measuredDense } from '../../../demo/src/dense-crystals.ts';
import { measure } from '../../../demo/src/simulate.ts';
import { scaleFormula } from '../crystal/formula.ts';
import { groupOrder } from '../crystal/space-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { cellContents, type Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { breathingContext, Cancelled, quietContext, type TaskContext } from '../task-context.ts';
import type { BuildInput } from './build-model.ts';
import { candidateRank, Candidates, type Candidate } from './candidates.ts';
import { expandToP1, laueExpansionGroup } from './expand.ts';
import { fixedArrangements } from './fixed-sites.ts';
import { higherGroups } from './higher-groups.ts';
import { mergeForGroup, mergeForLaue } from './prepare.ts';
import { solveStructure, type SolveReport, type SolveResult } from './solve.ts';
import { PhaseIndex } from './symmetry-from-phases.ts';

const WAVELENGTH = 0.71075;
const quiet = (): TaskContext<SolveReport> => quietContext() as TaskContext<SolveReport>;
const fromShelf = (id: string): Structure => shippedShelf().find((e) => e.id === id)!.structure;

const measured = (s: Structure, seed: number): ReturnType<typeof measure> =>
  measure(
    s,
    { dMin: 0.7, wavelength: WAVELENGTH, coverage: 0.97, repeats: 2, meanCounts: 600, systematic: 0.02, outliers: 0 },
    seededRandom(seed),
  );

const solve = (s: Structure, raw: ReturnType<typeof measure>): Promise<SolveResult> =>
  solveStructure(
    { raw, cell: s.cell, wavelength: WAVELENGTH, formula: cellContents(s), z: 1, seed: 1001, seeds: 5, seconds: 60 },
    quiet(),
  );

function expectWhole({ candidates }: SolveResult, truth: Structure): void {
  const best = candidates[0]!;
  expect(groupOrder(best.structure.spaceGroup)).toBeGreaterThanOrEqual(groupOrder(truth.spaceGroup));
  const { found, elements } = compareToTruth(best.structure, truth, 0.2);
  expect([found, elements]).toEqual([1, 1]);
  expect(best.completeness).toBeCloseTo(1, 9);
}

describe('made-up crystals of ions', { tags: 'long' }, () => {
  it.each([
    ['P n m a', 3330],
    ['F d -3 m', 3334],
    ['I -4 2 d', 3322],
    ['P 63/m m c', 3303],
    ['R 3 m', 3325],
  ])('in %s are solved at the first seed', async (symbol, seed) => {
    const { structure, raw } = measuredDense(symbol, seed);
    expectWhole(await solve(structure, raw), structure);
  });
});

describe('elements and simple salts', () => {
  it.each(['platinum', 'diamond', 'halite', 'ceria', 'caesium-chloride', 'sphalerite', 'magnesium'])(
    '%s, whose amplitudes are nearly equal, is solved',
    async (id) => {
      const truth = fromShelf(id);
      expectWhole(await solve(truth, measured(truth, 12)), truth);
    },
  );

  it('light anions that break the centring of heavy cations are seen', async () => {
    for (const id of ['cassiterite', 'cuprite']) {
      const truth = fromShelf(id);
      expectWhole(await solve(truth, measured(truth, 5)), truth);
    }
  });

  it('are stopped', async () => {
    const signal = { aborted: false };
    const truth = fromShelf('spinel');
    const running = solveStructure(
      {
        raw: measured(truth, 3),
        cell: truth.cell,
        wavelength: WAVELENGTH,
        formula: cellContents(truth),
        z: 1,
        seed: 1,
        seeds: 9,
        seconds: 60,
      },
      breathingContext<SolveReport>(
        signal,
        (p) => {
          if (p.kind === 'building') signal.aborted = true;
        },
        {},
        0,
      ),
    );
    await expect(running).rejects.toThrow(Cancelled);
  });
});

describe('atoms on fixed positions', () => {
  const inputOf = (s: Structure): BuildInput => ({
    cell: s.cell,
    group: s.spaceGroup,
    reflections: mergeForGroup(measured(s, 7), s.cell, s.spaceGroup).reflections,
    wavelength: WAVELENGTH,
    contents: cellContents(s),
  });

  it('are laid where they are, the heaviest first', () => {
    const truth = fromShelf('strontium-titanate');
    const [best] = fixedArrangements(inputOf(truth));
    expect(best!.map((p) => p.height)).toEqual([38, 22, 8]);
    const sites = best!.map((p, i) => ({ ...truth.sites[0]!, element: ['Sr', 'Ti', 'O'][i]!, position: p.position }));
    expect(compareToTruth({ ...truth, sites }, truth)).toMatchObject({ found: 1, elements: 1 });
  });

  it('are none where the numbers do not come out, where nothing is fixed, and without contents', () => {
    const input = inputOf(fromShelf('halite'));
    expect(fixedArrangements({ ...input, contents: { Na: 3, Cl: 5 } })).toEqual([]);
    const { contents: _, ...unknown } = input;
    expect(fixedArrangements(unknown)).toEqual([]);
    expect(fixedArrangements(inputOf(fromShelf('wurtzite')))).toEqual([]);
  });

  it('are none where the data say otherwise', () => {
    const halite = inputOf(fromShelf('halite')),
      ceria = inputOf(fromShelf('ceria'));
    expect(fixedArrangements({ ...halite, contents: ceria.contents! })).toEqual([]);
  });
});

describe('groups higher than that of a model', () => {
  it('are those that its own phases obey', () => {
    const truth = fromShelf('rutile');
    const higher = spaceGroupFromSymbol('P 42/m n m'),
      wrong = spaceGroupFromSymbol('P 4/m m m');
    const low = { ...truth, spaceGroup: spaceGroupFromSymbol('P n n m') };
    const data = expandToP1(
      mergeForLaue(measured(truth, 9), truth.cell, higher),
      truth.cell,
      laueExpansionGroup(laueRotations(rotationsOf(higher)), higher.centring),
    );
    const { matches } = higherGroups(low, [wrong, higher, spaceGroupFromSymbol('P 1')], data, new PhaseIndex(data));
    // What heavy atoms alone would obey agrees less, and no lower group is looked at.
    const agreement = (n: number): number => matches.find((m) => m.group === n)?.worst ?? 0;
    expect(matches[0]!.group).toBe(1);
    expect(agreement(1)).toBeGreaterThan(0.95);
    expect(agreement(0)).toBeLessThan(agreement(1));
    expect(agreement(2)).toBe(0);
  });
});

describe('the order of candidates', () => {
  const truth = fromShelf('wurtzite');
  const candidate = (r1: number, symbol: string, more: Partial<Candidate> = {}): Candidate => ({
    seed: 1,
    structure: { ...truth, spaceGroup: spaceGroupFromSymbol(symbol) },
    r1,
    completeness: 1,
    guessed: false,
    agreement: 1,
    ...more,
  });

  it('puts the more symmetric of equals first, and a clearly better one before it', () => {
    const high = candidate(0.03, 'P 63 m c');
    expect(candidateRank(high)).toBeLessThan(candidateRank(candidate(0.03, 'P 3 m 1')));
    expect(candidateRank(high)).toBeLessThan(candidateRank(candidate(0.031, 'P 63')));
    expect(candidateRank(high)).toBeGreaterThan(candidateRank(candidate(0.015, 'P 3 m 1')));
  });

  it('asks a subgroup with twice the parameters for an R1 lower by a fifth, and counts what is missing', () => {
    const general = (symbol: string, sites: number): Structure => ({
      ...truth,
      spaceGroup: spaceGroupFromSymbol(symbol),
      sites: Array.from({ length: sites }, (_, i) => ({ ...truth.sites[0]!, position: [0.11, 0.07 + i / 50, 0.23] })),
    });
    const whole = candidate(0.1, 'P -1', { structure: general('P -1', 10) });
    const half = (r1: number): Candidate => candidate(r1, 'P 1', { structure: general('P 1', 20) });
    expect(candidateRank(half(0.085))).toBeGreaterThan(candidateRank(whole));
    expect(candidateRank(half(0.07))).toBeLessThan(candidateRank(whole));
    expect(candidateRank({ ...whole, completeness: 0.8 })).toBeGreaterThan(candidateRank(whole));
  });

  it('keeps the best, and says when no more seeds are needed', () => {
    const list = new Candidates();
    expect(list.best).toBeUndefined();
    const poor = candidate(0.3, 'P 63 m c'),
      good = candidate(0.05, 'P 63 m c');
    list.add(poor);
    expect(list.isSolvedBy(poor)).toBe(false);
    list.add(good);
    expect(list.best).toBe(good);
    expect(list.first(8)).toEqual([good, poor]);
    expect(list.isSolvedBy(good)).toBe(true);
    for (let n = 0; n < 3; n++) list.add({ ...poor, seed: n + 2 });
    expect(list.isSolvedBy(poor)).toBe(false);
    const stuck = new Candidates();
    for (let n = 0; n < 4; n++) stuck.add({ ...poor, seed: n });
    expect(stuck.isSolvedBy(poor)).toBe(true);
  });
});

it('a formula of one unit gives the same contents in every candidate group', async () => {
  const truth = fromShelf('rutile');
  const { candidates } = await solveStructure(
    {
      raw: measured(truth, 4),
      cell: truth.cell,
      wavelength: WAVELENGTH,
      formula: scaleFormula(cellContents(truth), 1 / 2),
      seed: 1001,
      seeds: 5,
      seconds: 60,
    },
    quiet(),
  );
  expectWhole({ candidates } as SolveResult, truth);
});
