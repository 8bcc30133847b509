import { beforeAll, describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import type { Structure } from '../crystal/structure.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { breathingContext, Cancelled, quietContext } from '../task-context.ts';
import { decodeWire, encodeWire } from './wire.ts';
import { experiment, type Experiment } from '../crystal/experiment.ts';
import type { PlacesTaskResult } from './model-tasks.ts';
import { runTask } from './registry.ts';
import {
  elementsTask,
  mapTask,
  maskTask,
  matchTask,
  placesTask,
  planTask,
  plotsTask,
  twinsTask,
} from './model-tasks.ts';
import { refineTask } from './refine-tasks.ts';
import type { MergedReflections } from '../crystal/reflections.ts';

const crystal = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 1 21/c 1', 8, { dMin: 0.85 });
const truth = crystal.structure;
const heavy: Structure = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
let reflections: MergedReflections, input: Experiment;
beforeAll(() => {
  reflections = mergeForGroup(crystal.raw, truth.cell, truth.spaceGroup).reflections;
  input = {
    structure: heavy,
    reflections,
    wavelength: crystal.wavelength,
    treatment: {},
    weights: { a: 0.05, b: 0 },
    extinction: 0,
  };
});

describe('jobs that look at a model', () => {
  it('take their input through the door, and refuse what has not its shape', async () => {
    const sent = decodeWire(encodeWire({ ...input, expected: 9 }));
    const { plan } = (await runTask('plan', sent)) as Awaited<ReturnType<typeof planTask.run>>;
    expect(plan.proposed).toBe(9);
    await expect(runTask('plan', { ...input, structure: { sites: [] } })).rejects.toThrow(
      /The input of "plan" is not right/,
    );
    await expect(
      runTask('plan', {
        ...input,
        structure: {
          ...heavy,
          controls: { hydrogens: [], occupancies: [], constraints: [], restraints: [{ id: 'x', kind: 'glue', su: 1 }] },
        },
      }),
    ).rejects.toThrow(SyntaxError);
  });

  it('plan hydrogens anew where some are left out of the map', async () => {
    const oxygen = truth.sites.find((x) => x.label === 'O2')!;
    const near = truth.sites.filter((x) => x.element === 'H').slice(-1)[0]!;
    const all = await planTask.run(
      { ...input, structure: truth, without: truth.sites.filter((x) => x.element === 'H').map((x) => x.id) },
      quietContext() as never,
    );
    expect(all.plan.rows.filter((r) => r.shape !== 'none').reduce((n, r) => n + r.count, 0)).toBe(9);
    expect(all.map.sigma).toBeGreaterThan(0);
    expect(oxygen.element + near.element).toBe('OH');
  });

  it('lay out second places with what they would bring', { tags: 'long' }, async () => {
    const ring = heavy.sites.flatMap((x, i) => (['C1', 'C2', 'O1'].includes(x.label) ? [i] : []));
    const said: string[] = [];
    const r: PlacesTaskResult = await placesTask.run({ ...input, sites: ring, turn: true }, {
      ...quietContext(),
      progress: (t: string) => said.push(t),
    } as never);
    expect(r.share).toBeGreaterThan(0.9);
    expect(said.join(' ')).toMatch(/Laying copies/);
    for (const p of r.proposals) {
      expect(p.positions.length).toBeGreaterThanOrEqual(ring.length);
      expect(p.covered).toBeLessThanOrEqual(p.atoms);
    }
    const ranked = r.proposals.map((p) => p.r1).filter((x): x is number => x !== undefined);
    expect([...ranked].sort((a, b) => a - b)).toEqual(ranked);
    // The model itself is as it was.
    expect(heavy.sites.every((x) => x.occupancy === 1)).toBe(true);
  });

  it('read elements, plots and maps, and test twin laws', async () => {
    const { readings } = await elementsTask.run(
      { ...input, structure: truth, sites: [0, 1, 2] },
      quietContext() as never,
    );
    readings.forEach((x) => expect(x.fits).toContain(truth.sites[x.site]!.element));
    const plots = await plotsTask.run(
      {
        ...input,
        structure: truth,
        goodness: 1,
        raw: { ...crystal.raw, batch: Int16Array.from(crystal.raw.h, (_, i) => 1 + (i % 3)) },
      },
      quietContext() as never,
    );
    expect(plots.fo.length).toBe(plots.index.length);
    expect(plots.batches).toHaveLength(3);
    plots.batches.forEach((b) => expect(b.scale).toBeCloseTo(1, 1));
    const observed = await mapTask.run({ ...input, structure: truth, kind: 'observed' }, quietContext() as never);
    const difference = await mapTask.run({ ...input, structure: truth, kind: 'difference' }, quietContext() as never);
    expect(observed.sigma).toBeGreaterThan(5 * difference.sigma);
    const twins = await twinsTask.run({ ...input, structure: truth }, quietContext() as never);
    expect(twins.r1).toBeLessThan(0.06);
    for (const t of twins.trials) expect(t.fraction).toBeLessThan(0.08);
  });

  it('refine with restraints and treatment, and match an expected molecule', async () => {
    const restrained: Structure = {
      ...truth,
      controls: {
        hydrogens: [],
        occupancies: [],
        constraints: [],
        restraints: [{ id: 'r', kind: 'planar', sites: truth.sites.slice(3, 9).map((x) => x.id), su: 0.02 }],
      },
    };
    const r = await refineTask.run(
      {
        ...experiment(restrained, reflections, crystal.wavelength, { treatment: { dMin: 1 } }),
        options: { cycles: 2, optimizeWeights: false },
      },
      quietContext() as never,
    );
    expect(r.result.readings.restraints).toBe(6);
    expect(r.result.readings.reflections).toBeLessThan(reflections.count);
    expect(r.treatment.dMin).toBe(1);
    expect(r.absolute).toBeUndefined();
    const [m] = await matchTask.run(
      {
        structure: heavy,
        peaks: [],
        molecule: {
          atoms: [{ element: 'C' }, { element: 'O' }, { element: 'N' }],
          bonds: [
            [0, 1],
            [0, 2],
          ],
        },
        copies: 1,
      },
      quietContext() as never,
    );
    expect(m!.matched).toBe(3);
    expect(m!.retype).toEqual([]);
  });

  it('stop when they are told to', async () => {
    const signal = { aborted: true };
    await expect(
      placesTask.run(
        { ...input, sites: [0, 1, 2, 3], turn: false },
        breathingContext(signal, () => undefined) as never,
      ),
    ).rejects.toThrow(Cancelled);
    await expect(
      maskTask.run({ ...input, probe: 1.2 }, breathingContext(signal, () => undefined) as never),
    ).rejects.toThrow(Cancelled);
  });
});
