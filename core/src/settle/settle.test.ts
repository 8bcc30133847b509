import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { compareToTruth } from '../../../demo/src/compare.ts';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { allOperators, operatorsNear } from '../crystal/neighbours.ts';
import { metricTensor } from '../crystal/cell.ts';
import { modelContents, type Structure } from '../crystal/structure.ts';
import { add, apply3, inverse3, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';
import { seededRandom } from '../math/random.ts';
import { refineStructure } from '../refine/single-crystal.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { breathingContext, Cancelled, quietContext } from '../task-context.ts';
import { absoluteStructure, invertStructure } from '../refine/absolute-structure.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { twinLaws } from '../data/twin-laws.ts';
import { RawBuilder } from '../crystal/reflections.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { correctedElements, readElements, rankedElements, tooClose } from './elements.ts';
import { settle, type SettleReport } from './settle.ts';

/** What a solution gives: atoms without hydrogens, isotropic, a little off, in another order. */
function asSolved(truth: Structure, seed: number): Structure {
  const random = seededRandom(seed);
  const cell = [truth.cell.a, truth.cell.b, truth.cell.c];
  return {
    ...truth,
    sites: truth.sites
      .filter((x) => x.element !== 'H')
      .map((x) => ({
        ...x,
        position: x.position.map((v, k) => v + (0.05 * random.normal()) / cell[k]!) as never,
        displacement: { kind: 'iso' as const, u: 0.035 },
      }))
      .reverse(),
  };
}

describe.each([
  ['OCC(N)c1ccc(F)cc1.O', 'P 1 21/c 1', 31],
  ['CC1CC(O)CN1C(=O)c1ccncc1', 'P 21 21 21', 12],
])('settle %s in %s', (line, symbol, seed) => {
  const often = { timeout: 300_000, ...(symbol === 'P 1 21/c 1' ? {} : { tags: 'long' }) };
  it('goes from solved atoms to convergence with hydrogens where the truth has them', often, async () => {
    const {
      structure: truth,
      raw,
      wavelength,
    } = testCrystal(line, symbol, seed, { dMin: 0.82, repeats: 1.3, systematic: 0.015 });
    const reflections = mergeForGroup(raw, truth.cell, truth.spaceGroup).reflections;
    const stages: string[] = [];
    const result = await settle(
      { structure: asSolved(truth, 4), reflections, wavelength, contents: modelContents(truth), disorder: 'ask' },
      {
        ...quietContext(),
        progress: (r: SettleReport) => {
          if (r.kind === 'stage') stages.push(r.stage.title);
        },
      } as never,
    );
    expect(result.settled).toBe(true);
    expect(stages[0]).toBe('Isotropic');
    expect(stages.at(-1)).toBe('Weights and convergence');
    const { structure: s, readings } = result.stage;
    const best = await refineStructure(
      experiment(truth, reflections, wavelength, { weights: { a: 0.03, b: 0 } }),
      { cycles: 15, optimizeWeights: true },
      quietContext(),
    );
    expect(readings.r1).toBeLessThan(best.readings.r1 + 0.003);
    expect(readings.maxShiftOverSu).toBeLessThan(0.01);
    expect(compareToTruth(s, truth)).toMatchObject({ found: 1, elements: 1 });
    const g = metricTensor(truth.cell),
      operators = allOperators(truth.spaceGroup);
    const mine = s.sites.filter((x) => x.element === 'H');
    // An inverted choice of hand is told from the truth by the sign of all coordinates.
    const near = (sign: 1 | -1): number[] =>
      truth.sites
        .filter((x) => x.element === 'H')
        .map((h) =>
          Math.min(
            ...mine.map(
              (x) => operatorsNear(operators, g, x.position.map((v) => sign * v) as never, h.position).distance,
            ),
          ),
        );
    const off = [near(1), near(-1)].sort((p, q) => Math.max(...p) - Math.max(...q))[0]!;
    expect(off.filter((d) => d < 0.16).length / off.length).toBeGreaterThanOrEqual(0.97);
  });
});

describe('a molecule that lies two ways', () => {
  it(
    'is taken from one place to both, at the true occupancy, or left to the person who is told',
    { tags: 'long', timeout: 300_000 },
    async () => {
      const { structure: whole, wavelength } = testCrystal('Cc1ccc(Cl)nc1O', 'P 1 21/c 1', 17, { dMin: 0.85 });
      const truth: Structure = { ...whole, sites: whole.sites.filter((x) => x.element !== 'H') };
      const m = orthogonalization(truth.cell),
        inverse = inverse3(m);
      const x = truth.sites.map((s) => apply3(m, s.position)),
        c = middle(x);
      const copy = x.map((p): Vec3 => add(c, turn(turn(subtract(p, c), [0.48, 0.6, 0.64], 2.4), [1, 0, 0], 0.3)));
      const both: Structure = {
        ...truth,
        sites: [
          ...truth.sites.map((s) => ({ ...s, occupancy: 0.62 })),
          ...truth.sites.map((s, i) => ({
            ...s,
            id: `b${i}`,
            label: `${s.label}B`,
            occupancy: 0.38,
            position: apply3(inverse, copy[i]!),
          })),
        ],
      };
      const f = calculatedIntensities(both, 0.84, wavelength);
      const mean = f.f2.reduce((p, q) => p + q, 0) / f.count,
        random = seededRandom(2);
      const intensity = Float64Array.from(
        f.f2,
        (v) => v * (1 + 0.01 * random.normal()) + 0.003 * mean * random.normal(),
      );
      const reflections = mergeForGroup(
        {
          count: f.count,
          h: f.h,
          k: f.k,
          l: f.l,
          intensity,
          sigma: Float64Array.from(f.f2, (v) => 0.01 * v + 0.003 * mean),
          merged: false,
        },
        truth.cell,
        truth.spaceGroup,
      ).reflections;
      const start = {
        ...truth,
        sites: truth.sites.map((s) => ({ ...s, displacement: { kind: 'iso' as const, u: 0.04 } })),
      };
      const before = evaluateStructure(experiment(start, reflections, wavelength)).figures.r1;
      expect(before).toBeGreaterThan(0.25);
      const result = await settle(
        { structure: start, reflections, wavelength, contents: { ...modelContents(truth), H: 0 }, disorder: 'try' },
        quietContext() as never,
      );
      expect(result.stage.readings.r1).toBeLessThan(0.03);
      const first = result.stage.structure.sites.find((s) => s.disorder?.group === '1')!;
      expect(Math.abs(first.occupancy - 0.62)).toBeLessThan(3 * first.occupancySu! + 0.004);
      const asked = await settle(
        { structure: start, reflections, wavelength, disorder: 'ask' },
        quietContext() as never,
      );
      expect(asked.decisions.join(' ')).toMatch(/may lie in two places/);
      expect(asked.stage.structure.sites.some((s) => s.disorder)).toBe(false);
    },
  );
});

describe('elements by their electrons', () => {
  const { structure: truth, raw, wavelength } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 1 21/c 1', 8, { dMin: 0.82 });
  const reflections = mergeForGroup(raw, truth.cell, truth.spaceGroup).reflections;
  const around = { reflections, wavelength, context: quietContext(), onCycle: () => undefined };
  const swap = (s: Structure, a: string, b: string): Structure => {
    const [x, y] = [a, b].map((l) => s.sites.find((z) => z.label === l)!);
    return {
      ...s,
      sites: s.sites.map((z) =>
        z === x ? { ...z, element: y!.element } : z === y ? { ...z, element: x!.element } : z,
      ),
    };
  };
  it('tell an exchanged carbon and nitrogen, and put them right', async () => {
    const wrong = swap(truth, 'N1', 'C3');
    const sites = ['N1', 'C3', 'O1', 'C2'].map((l) => wrong.sites.findIndex((x) => x.label === l));
    const { readings } = await readElements(around, wrong, {}, sites);
    expect(readings[0]!.electrons).toBeGreaterThan(readings[1]!.electrons);
    expect(readings[2]!.fits).toContain('O');
    const { structure, changes } = correctedElements(wrong, readings, undefined);
    expect(changes).toHaveLength(1);
    expect(structure.sites[sites[0]!]!.element).toBe('N');
    expect(structure.sites[sites[1]!]!.element).toBe('C');
  });
  it('deal out a formula by rank, and find atoms that stand too close', async () => {
    const heavy = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
    const wrong = swap(swap(heavy, 'O1', 'C1'), 'O2', 'C5');
    const dealt = await rankedElements(around, wrong, {}, modelContents(heavy));
    expect(dealt!.sites.filter((x, i) => x.element !== heavy.sites[i]!.element).length).toBeLessThanOrEqual(2);
    expect(
      tooClose({
        ...heavy,
        sites: [
          ...heavy.sites,
          {
            ...heavy.sites[0]!,
            id: 'y',
            label: 'Q1',
            element: 'B',
            position: heavy.sites[0]!.position.map((v) => v + 0.03) as never,
          },
        ],
      }),
    ).toEqual([heavy.sites.length]);
    expect(tooClose(heavy)).toEqual([]);
  });
});

describe('hand and twin laws', () => {
  it('quotients tell the hand, and inversion mends it', async () => {
    const { structure, raw, wavelength } = testCrystal('CC(O)c1ccccc1Cl', 'P 41', 6, {
      dMin: 0.84,
      wavelength: 1.5418,
      repeats: 2,
      systematic: 0.01,
    });
    const right = mergeForGroup(raw, structure.cell, structure.spaceGroup).reflections;
    const x = absoluteStructure(structure, right, evaluateStructure(experiment(structure, right, wavelength)).data)!;
    expect(Math.abs(x.x)).toBeLessThan(3 * x.su + 0.05);
    expect(x.verdict).toMatch(/right/);
    const inverted = invertStructure(structure);
    expect(inverted.spaceGroup.symbol).toBe('P 43');
    const back = invertStructure(inverted);
    expect(back.spaceGroup.symbol).toBe('P 41');
    const wrong: Structure = { ...structure, sites: structure.sites, spaceGroup: structure.spaceGroup };
    expect(
      absoluteStructure(
        wrong,
        { ...right, h: right.h.map((v) => -v), k: right.k.map((v) => -v), l: right.l.map((v) => -v) },
        evaluateStructure(
          experiment(
            wrong,
            { ...right, h: right.h.map((v) => -v), k: right.k.map((v) => -v), l: right.l.map((v) => -v) },
            wavelength,
          ),
        ).data,
      )!.x,
    ).toBeGreaterThan(0.8);
    expect(
      absoluteStructure(
        { ...structure, spaceGroup: spaceGroupFromSymbol('P -1') },
        right,
        evaluateStructure(experiment(structure, right, wavelength)).data,
      ),
    ).toBeUndefined();
  });
  it('laws follow from the metric: none for a general cell, one for a tetragonal crystal of low symmetry', () => {
    const cell = { a: 9, b: 9, c: 12, alpha: 90, beta: 90, gamma: 90 };
    expect(twinLaws(cell, spaceGroupFromSymbol('P 41'))).toHaveLength(1);
    expect(twinLaws(cell, spaceGroupFromSymbol('P 41 21 2'))).toHaveLength(0);
    expect(
      twinLaws({ a: 7.1, b: 9.3, c: 12.2, alpha: 81, beta: 97, gamma: 104 }, spaceGroupFromSymbol('P -1')),
    ).toHaveLength(0);
    const pseudo = twinLaws(
      { a: 7.1, b: 9.3, c: 12.2, alpha: 90, beta: 90.1, gamma: 90 },
      spaceGroupFromSymbol('P 1 21/c 1'),
    );
    expect(pseudo).toHaveLength(1);
    expect(pseudo[0]!.misfit).toBeGreaterThan(0);
  });
});

describe('a run that is stopped', () => {
  it('ends with Cancelled and leaves its input alone', async () => {
    const { structure, raw, wavelength } = testCrystal('CCO', 'P 1 21/c 1', 3);
    const reflections = mergeForGroup(raw, structure.cell, structure.spaceGroup).reflections;
    const before = JSON.stringify(structure);
    const signal = { aborted: false };
    const context = breathingContext<SettleReport>(signal, (r) => {
      if (r.kind === 'stage') signal.aborted = true;
    });
    await expect(settle({ structure, reflections, wavelength, disorder: 'ask' }, context)).rejects.toThrow(Cancelled);
    expect(JSON.stringify(structure)).toBe(before);
  });
});

it('atoms on special positions are anisotropic with as few reflections as their few values ask for', async () => {
  const spinel = shippedShelf().find((e) => e.id === 'spinel')!.structure;
  const { h, k, l, f2, count } = calculatedIntensities(spinel, 0.65, 0.71075);
  const raw = new RawBuilder();
  for (let i = 0; i < count; i++) raw.push(h[i]!, k[i]!, l[i]!, f2[i]!, 1 + 0.02 * f2[i]!);
  const { reflections } = mergeForGroup(raw.build(false), spinel.cell, spinel.spaceGroup);
  expect(reflections.count).toBeLessThan(9 * 3.5 * spinel.sites.length);
  const { stage, decisions } = await settle(
    {
      structure: { ...spinel, sites: spinel.sites.map((x) => ({ ...x, displacement: { kind: 'iso', u: 0.02 } })) },
      reflections,
      wavelength: 0.71075,
      contents: modelContents(spinel),
      disorder: 'ask',
    },
    quietContext() as never,
  );
  expect(decisions.filter((d) => d.includes('too few'))).toEqual([]);
  expect(stage.structure.sites.map((x) => x.displacement.kind)).toEqual(['aniso', 'aniso', 'aniso']);
});
