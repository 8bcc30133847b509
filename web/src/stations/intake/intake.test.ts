import { experiment } from '@nagare/core/crystal/experiment';
import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../../demo/src/test-crystals.ts';
import { groupOfSetting } from '@nagare/core/crystal/settings';
import { breathingContext, Cancelled } from '@nagare/core/task-context';
import { runTask } from '@nagare/core/tasks/registry';
import { analyseTask, mergeTask } from '@nagare/core/tasks/intake-tasks';
import { judgement } from './judgement.ts';

const { structure, raw, wavelength } = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 14);
const quiet = () => breathingContext<never>({ aborted: false }, () => undefined, {}, 1e9);

describe('the judgement', () => {
  it('is one plain sentence, and names a contradiction', async () => {
    const analysis = await analyseTask.run({ raw, cell: structure.cell }, quiet());
    const [best] = analysis.ranking.groups;
    const merge = await mergeTask.run({ raw, cell: structure.cell, group: groupOfSetting(best!.setting) }, quiet());
    expect(judgement(merge, groupOfSetting(best!.setting), best)).toMatch(
      /^(Strong|Usable) data to 0\.8\d Å; \d+ of [\d\u2009]+ rejected; P 2₁\/c fits without a contradiction\.$/,
    );
    const wrong = analysis.ranking.groups.find((g) => g.symbol === 'P 1 21/a 1') ?? {
      ...best!,
      violations: 7,
      absentCount: 90,
    };
    expect(judgement(merge, groupOfSetting(best!.setting), wrong)).toMatch(
      /\d+ of \d+ reflections that .* forbids were measured above 5σ/,
    );
    expect(
      judgement(
        { ...merge, statistics: { ...merge.statistics, completeness: 0.8 } },
        groupOfSetting(best!.setting),
        best,
      ),
    ).toContain('Only 80.0 % complete.');
  });
});

describe('the doors of the tasks', () => {
  it('refuse input of the wrong shape and unknown names in words', async () => {
    await expect(runTask('analyse', { raw: {}, cell: structure.cell })).rejects.toThrow(
      /input of "analyse" is not right: raw/,
    );
    await expect(runTask('paint', {})).rejects.toThrow('There is no task called "paint".');
    await expect(
      runTask('refine', { structure, reflections: raw, wavelength, options: { cycles: 0 } }),
    ).rejects.toThrow(/not right/);
  });

  it('run, report and stop', async () => {
    const reports: unknown[] = [];
    const found = (await runTask(
      'recognise',
      { text: '1 0 0 5.0 0.2\n2 0 0 5.0 0.2\n', fileName: 'x' },
      breathingContext({ aborted: false }, (r) => reports.push(r)),
    )) as { sentence: string }[];
    expect(found[0]!.sentence).toContain('2 reflections');
    const merged = await mergeTask.run({ raw, cell: structure.cell, group: structure.spaceGroup }, quiet());
    const input = {
      ...experiment(structure, merged.reflections, wavelength),
      options: { cycles: 3, optimizeWeights: false },
      displacement: 'iso',
    };
    const cycles: { cycle: number }[] = [];
    const done = (await runTask(
      'refine',
      input,
      breathingContext({ aborted: false }, (r) => cycles.push(r as { cycle: number }), {}, 1e9),
    )) as { result: { structure: typeof structure }; map: { peaks: unknown[]; grid: object; values: Float32Array } };
    expect(cycles.map((c) => c.cycle)).toEqual([1, 2, 3].slice(0, cycles.length));
    expect(done.result.structure.sites.every((x) => x.displacement.kind === 'iso')).toBe(true);
    expect(done.map.values).toBeInstanceOf(Float32Array);
    const signal = { aborted: true };
    await expect(
      runTask(
        'refine',
        input,
        breathingContext(signal, () => undefined),
      ),
    ).rejects.toBeInstanceOf(Cancelled);
    const contour = (await runTask('contour', {
      grid: done.map.grid,
      values: done.map.values,
      cell: structure.cell,
      region: { min: [0, 0, 0], max: [1, 1, 1] },
      level: 0.2,
      around: Float32Array.of(0, 0, 0),
      reach: 1e6,
    })) as { excess: { indices: Uint32Array }; deficit: { indices: Uint32Array } };
    expect(contour.excess.indices.length).toBeGreaterThan(0);
    expect(contour.excess.indices.length % 3).toBe(0);
  });
});
