import { experiment } from '@nagare/core/crystal/experiment';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { formulaText } from '@nagare/core/crystal/formula';
import { fractionalDistance, metricTensor } from '@nagare/core/crystal/cell';
import { allOperators, operatorsNear } from '@nagare/core/crystal/neighbours';
import { recognise } from '@nagare/core/formats/recognise';
import { seededRandom } from '@nagare/core/math/random';
import { evaluateStructure } from '@nagare/core/refine/single-crystal-problem';
import { refineStructure } from '@nagare/core/refine/single-crystal';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { changeReflections, changeStructure, changeWords, parseChange } from '@nagare/core/symmetry/change-setting';
import { raiseSymmetry } from '@nagare/core/symmetry/raise';
import { missedWithOpinion, symmetryReport } from '@nagare/core/symmetry/report';
import { settingsOf } from '@nagare/core/symmetry/settings-of';
import { lowerSymmetry, subgroups } from '@nagare/core/symmetry/subgroups';
import { missedGroups } from '@nagare/core/symmetry/supergroups';
import { quietContext } from '@nagare/core/task-context';
import { shaken } from './models.ts';
import { testCrystal } from './test-crystals.ts';

const read = (folder: string, name: string) =>
  recognise(readFileSync(new URL(`../${folder}/${name}.cif`, import.meta.url), 'utf8'), name)[0]!;
const refine = async (s: Structure, raw: Parameters<typeof mergeForGroup>[0], wavelength: number) =>
  refineStructure(
    experiment(s, mergeForGroup(raw, s.cell, s.spaceGroup).reflections, wavelength, { weights: { a: 0.03, b: 0 } }),
    { cycles: 15, optimizeWeights: false, covariance: false },
    quietContext(),
  );

describe('symmetry that was missed', () => {
  it.each([
    ['hanada-3', 'P n m a'],
    ['kihada-2', 'P -1'],
  ])(
    'in %s is found with the right group and origin, and refines after one action',
    { tags: 'long' },
    async (name, symbol) => {
      const data = read('data', name),
        truth = read('truth', name).structure!;
      const s = data.structure!;
      const missed = missedWithOpinion(s, 0.25, data.raw!);
      const top = missed.find((m) => m.likely)!;
      expect(top.group.symbol).toBe(symbol);
      expect(top.group.hall).toBe(truth.spaceGroup.hall);
      expect(top.opinion!.verdict).not.toBe('against');
      const raised = raiseSymmetry(s, top);
      expect(raised.disordered).toEqual([]);
      expect(raised.structure.sites).toHaveLength(truth.sites.length);
      expect(formulaText(cellContents(raised.structure))).toBe(formulaText(cellContents(truth)));
      const moved = changeReflections(data.raw!, top.change).raw;
      const before = evaluateStructure(
        experiment(s, mergeForGroup(data.raw!, s.cell, s.spaceGroup).reflections, 0.71075, {
          weights: { a: 0.03, b: 0 },
        }),
      ).figures.r1;
      const done = await refine(raised.structure, moved, 0.71075);
      expect(done.state).not.toBe('diverged');
      expect(done.readings.r1).toBeLessThan(0.03);
      expect(done.readings.r1).toBeLessThan(before / 2);
    },
  );

  it('reports the pseudo-translation of Kihada-2, in the model and in the intensities', async () => {
    const data = read('data', 'kihada-2');
    const report = await symmetryReport(data.structure!, 0.6, data.raw!, quietContext() as never);
    expect(
      report.pseudoTranslations.some(
        (f) => Math.abs(Math.abs(f.operator.t[0] - Math.round(f.operator.t[0])) - 0.5) < 0.02,
      ),
    ).toBe(true);
    expect(report.superstructure[0]!.translation).toEqual([0.5, 0, 0]);
    expect(report.superstructure[0]!.ratio).toBeLessThan(0.4);
  }, 30_000);

  it('is not seen in structures that have all of theirs', { tags: 'long' }, () => {
    const crystals: Structure[] = [
      'aobae',
      'tsuyukusa-7',
      'benigara-2',
      'kasumi',
      'fujinezumi-4',
      'mizuasagi',
      'rokusho-9',
      'futago-1',
      'asagi-8',
      'suou-5',
      'enju-6',
      'hanada-3',
      'kihada-2',
    ].map((n) => read('truth', n).structure!);
    const more: [string, string][] = [
      ['c1ccccc1C(=O)N', 'P 1 21 1'],
      ['Clc1ccccc1O', 'P -1'],
      ['CC(=O)Nc1ccccn1', 'P b c a'],
      ['OCc1ccncc1', 'P 21 21 21'],
      ['Cc1ccccc1N', 'C 1 2/c 1'],
      ['NC(=O)CCO', 'P n a 21'],
      ['OC(=O)c1ccccc1', 'P 1 21/n 1'],
      ['CC(O)C#N', 'R -3'],
    ];
    more.forEach(([line, group], i) => crystals.push(testCrystal(line, group, 60 + i).structure));
    expect(crystals.length).toBeGreaterThan(20);
    for (const s of crystals)
      expect(
        missedGroups(s)
          .filter((m) => m.fit > 0.97 && m.metricMisfit < 0.02)
          .map((m) => `${s.spaceGroup.symbol} → ${m.group.symbol}`),
      ).toEqual([]);
  });

  it.each([
    ['P 1 21/c 1', 1],
    ['P b c a', 3],
    ['C 1 2/c 1', 4],
    ['P 41', 6],
  ] as const)(
    'written out in every subgroup of %s is found again',
    (symbol, seed) => {
      const { structure: s } = testCrystal('c1ccccc1C(=O)N', symbol, seed);
      const list = subgroups(s.spaceGroup);
      expect(list.length).toBeGreaterThan(0);
      for (const g of list) {
        const low = shaken(lowerSymmetry(s, g), seededRandom(9), 0.03, 0);
        expect(formulaText(cellContents(low))).toBe(formulaText(cellContents(s)));
        const top = missedGroups(low).find((m) => m.index === g.index)!;
        expect(top.group.number).toBe(s.spaceGroup.number);
        const raised = raiseSymmetry(low, top);
        expect(raised.structure.sites).toHaveLength(s.sites.length);
        expect(Math.max(...raised.merged.map((m) => m.deviation))).toBeLessThan(0.3);
      }
    },
    60_000,
  );

  it('keeps as disordered what has no partner, and fits the same data when written out lower', () => {
    const data = read('data', 'kihada-2'),
      s = data.structure!;
    const chlorine = s.sites.findIndex((x) => x.element === 'Cl');
    const odd: Structure = {
      ...s,
      sites: s.sites.map((x, i) =>
        i === chlorine ? { ...x, position: [x.position[0] + 0.09, x.position[1], x.position[2]] } : x,
      ),
    };
    const top = missedGroups(odd).find((m) => m.index === 2)!;
    expect(top.misfits.map((m) => odd.sites[m.site]!.element)).toContain('Cl');
    const raised = raiseSymmetry(odd, top);
    expect(raised.disordered.length).toBe(2);
    for (const label of raised.disordered)
      expect(raised.structure.sites.find((x) => x.label === label)).toMatchObject({
        occupancy: 0.5,
        disorder: { group: '-1' },
      });
    expect(formulaText(cellContents(raised.structure))).toBe(formulaText(cellContents(s)));
    // A subgroup is the same crystal: R1 does not change before anything is refined.
    const full = read('data', 'aobae'),
      truth = read('truth', 'aobae').structure!;
    const r1 = (x: Structure): number =>
      evaluateStructure(
        experiment(x, mergeForGroup(full.raw!, x.cell, x.spaceGroup).reflections, 0.71075, {
          weights: { a: 0.05, b: 0 },
        }),
      ).figures.r1;
    const lower = subgroups(truth.spaceGroup).find((g) => g.group.symbol === 'P -1')!;
    const low = lowerSymmetry(truth, lower);
    expect(low.sites).toHaveLength(2 * truth.sites.length);
    expect(Math.abs(r1(low) - r1(truth))).toBeLessThan(0.02);
  });

  it('implies the twin law of the element that is given up', () => {
    const of = subgroups(read('truth', 'futago-1').structure!.spaceGroup);
    expect(of.map((g) => g.group.symbol)).toContain('P 1 1 21');
    const low = subgroups(read('truth', 'aobae').structure!.spaceGroup);
    const p1 = low.find((g) => g.group.symbol === 'P -1')!;
    expect(p1.twins[0]!.law).toEqual([-1, 0, 0, 0, 1, 0, 0, 0, -1]);
    expect(low.find((g) => g.group.symbol === 'P 1 21 1')!.twins[0]!.name).toBe('inversion');
  });
});

describe('re-setting', () => {
  it('of Asagi-8 to the standard setting and back returns the file to 1e-6 and R1 to 1e-4', () => {
    const data = read('data', 'asagi-8'),
      s = data.structure!;
    const r1 = (x: Structure, raw: typeof data.raw): number =>
      evaluateStructure(
        experiment(x, mergeForGroup(raw!, x.cell, x.spaceGroup).reflections, 0.71075, { weights: { a: 0.05, b: 0 } }),
      ).figures.r1;
    const there = settingsOf(s.cell, s.spaceGroup).find((c) => c.standard)!;
    expect(there.group.symbol).toBe('C 1 2/c 1');
    expect(changeWords(there.change)).toBe('(a′, b′, c′) = (a + c, b, −a)');
    const standard = changeStructure(s, there.change);
    const moved = changeReflections(data.raw!, there.change);
    expect(moved.dropped).toBe(0);
    expect(Math.abs(r1(standard, moved.raw) - r1(s, data.raw))).toBeLessThan(1e-4);
    // Through the file and back, as a person would.
    const text = structureCif({
      name: 'there',
      structure: standard,
      experiment: data.experiment,
      wavelength: 0.71075,
      date: '2026-11-23',
      exact: true,
    });
    const back = changeStructure(recognise(text, 'there.cif')[0]!.structure!, parseChange('-c, b, a+c'));
    back.sites.forEach((x, i) => {
      x.position.forEach((v, k) => expect(Math.abs(v - s.sites[i]!.position[k]!)).toBeLessThan(1e-6));
      if (x.displacement.kind === 'aniso')
        x.displacement.u.forEach((v, k) =>
          expect(Math.abs(v - (s.sites[i]!.displacement as { u: readonly number[] }).u[k]!)).toBeLessThan(1e-6),
        );
    });
    expect(back.spaceGroup.hall).toBe(s.spaceGroup.hall);
    expect(back.cell.a).toBeCloseTo(s.cell.a, 6);
    expect(back.cell.beta).toBeCloseTo(s.cell.beta, 6);
  });

  it('keeps neighbours where they are', () => {
    const s = read('truth', 'aobae').structure!;
    const to = settingsOf(s.cell, s.spaceGroup).find((c) => c.group.symbol === 'P 1 21/n 1')!;
    const t = changeStructure(s, to.change);
    for (const [i, j] of [
      [0, 5],
      [3, 9],
      [12, 20],
    ] as const) {
      const d = operatorsNear(
        allOperators(s.spaceGroup),
        metricTensor(s.cell),
        s.sites[j]!.position,
        s.sites[i]!.position,
      ).distance;
      expect(
        operatorsNear(allOperators(t.spaceGroup), metricTensor(t.cell), t.sites[j]!.position, t.sites[i]!.position)
          .distance,
      ).toBeCloseTo(d, 8);
      expect(fractionalDistance(metricTensor(t.cell), t.sites[i]!.position, t.sites[j]!.position)).toBeCloseTo(
        fractionalDistance(metricTensor(s.cell), s.sites[i]!.position, s.sites[j]!.position),
        8,
      );
    }
  });
});
