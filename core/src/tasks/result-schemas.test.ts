import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import type { z } from 'zod';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { experiment } from '../crystal/experiment.ts';
import type { Instrument } from '../crystal/pattern.ts';
import { recognise } from '../formats/recognise.ts';
import { newPatternModel, newPhase } from '../powder/model.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { breathingContext } from '../task-context.ts';
import { checkedAnswer, type TaskName } from './registry.ts';
import { diagnoseTask, latticeTask } from './data-tasks.ts';
import { analyseTask, mergeTask } from './intake-tasks.ts';
import { elementsTask, planTask, plotsTask, twinsTask } from './model-tasks.ts';
import { fitTask, identifyTask, indexTask, peaksTask } from './powder-tasks.ts';
import { refineTask } from './refine-tasks.ts';
import { relateTask } from './relate-task.ts';
import { solveTask } from './solve-tasks.ts';
import { symmetryTask } from './symmetry-tasks.ts';
import { vetTask } from './vet-task.ts';
import {
  candidateSchema,
  covarianceSchema,
  fitModelSchema,
  fitResultSchema,
  indexedCellSchema,
  mapSchema,
  matchSchema,
  mergedDataSchema,
  readingsSchema,
} from './result-schemas.ts';
import { decodeWire, encodeWire } from './wire.ts';

const quiet = () => breathingContext<never>({ aborted: false }, () => undefined, {}, 1e9);
const { structure, raw, wavelength } = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 14);

/** Results as the tasks give them, by the schema they must pass. */
let results: [name: string, schema: z.ZodType, value: unknown][] = [];
/** Whole answers by the task that gave them. */
let answers: [task: TaskName, answer: unknown][] = [];

beforeAll(async () => {
  const merged = await mergeTask.run({ raw, cell: structure.cell, group: structure.spaceGroup }, quiet());
  const list = await mergeTask.run(
    { raw: { ...raw, merged: true }, cell: structure.cell, group: structure.spaceGroup },
    quiet(),
  );
  const input = {
    ...experiment(structure, merged.reflections, wavelength),
    options: { cycles: 2, optimizeWeights: true },
  };
  const refined = await refineTask.run(input, quiet());
  const solved = await solveTask.run(
    { raw, cell: structure.cell, wavelength, spaceGroup: structure.spaceGroup, seed: 1, seeds: 1, seconds: 60 },
    quiet(),
  );
  const text = readFileSync(new URL('../../../demo/data/frit-12.xy', import.meta.url), 'utf8');
  const { pattern } = recognise(text, 'frit-12.xy')[0]!.powder!;
  const instrument = JSON.parse(
    readFileSync(new URL('../../../demo/data/kiln-diffractometer.json', import.meta.url), 'utf8'),
  ) as Instrument;
  const phase = newPhase('one', 'Rutile', shippedShelf().find((e) => e.id === 'rutile')!.structure);
  const model = { phases: [phase], patterns: [newPatternModel(pattern, instrument, 1, 6)] };
  const stages = [{ title: 'Scales', says: '', kind: 'scales' as const }];
  const fit = await fitTask.run({ model, patterns: [pattern], recipe: stages }, quiet());
  const peaks = await peaksTask.run({ pattern, instrument }, quiet());
  const found = await identifyTask.run({ peaks, entries: [...shippedShelf()], options: { instrument } }, quiet());
  results = [
    ['merged data', mergedDataSchema, merged],
    ['a merged list', mergedDataSchema, list],
    ['readings', readingsSchema, refined.result.readings],
    ['a residual map', mapSchema, refined.map],
    ['covariance', covarianceSchema, refined.result.covariance],
    ['a candidate', candidateSchema, solved.candidates[0]],
    ['a fit’s model', fitModelSchema, fit.model],
    ['a fit’s result', fitResultSchema, fit.result],
    ['matches', matchSchema.array().min(1), found.ranked],
  ];
  const bare = experiment(structure, merged.reflections, wavelength);
  const data = { raw, cell: structure.cell, group: structure.spaceGroup };
  answers = [
    ['merge', merged],
    ['refine', refined],
    ['solve', solved],
    ['fit', fit],
    ['peaks', peaks],
    ['identify', found],
    ['analyse', await analyseTask.run({ raw, cell: structure.cell }, quiet())],
    ['lattice', await latticeTask.run(data, quiet())],
    ['diagnose', await diagnoseTask.run(data, quiet())],
    ['symmetry', await symmetryTask.run({ structure, tolerance: 0.25, raw }, quiet())],
    ['vet', await vetTask.run({ structure, experiment: { kept: {} }, raw }, quiet())],
    ['relate', await relateTask.run({ structure, reach: 5 }, quiet())],
    ['plots', await plotsTask.run({ ...bare, goodness: 1 }, quiet())],
    ['plan', await planTask.run(bare, quiet())],
    ['elements', await elementsTask.run({ ...bare, sites: [0, 1] }, quiet())],
    ['twins', await twinsTask.run(bare, quiet())],
    [
      'index',
      await indexTask.run(
        {
          twoTheta: [21.128, 30.054, 37.029, 43.02, 48.403, 53.368, 62.469, 66.734, 70.866, 74.897, 78.853, 82.755],
          options: { wavelength: 1.54, tolerance: 0.1, systems: ['cubic'] },
        },
        quiet(),
      ),
    ],
  ];
}, 120_000);

/** Every field of an object and of what it holds, as paths; arrays by their first member. */
function paths(value: unknown, at: readonly (string | number)[] = []): (readonly (string | number)[])[] {
  if (!value || typeof value !== 'object' || ArrayBuffer.isView(value)) return [];
  const keys = Array.isArray(value) ? (value.length ? [0] : []) : Object.keys(value);
  return keys.flatMap((k) => {
    const inner = (value as Record<string, unknown>)[k as string];
    return inner === undefined ? [] : [[...at, k], ...paths(inner, [...at, k])];
  });
}
function changed(value: unknown, path: readonly (string | number)[], to: unknown): unknown {
  const copy = structuredClone(value) as Record<string, unknown>;
  let holder = copy;
  for (const k of path.slice(0, -1)) holder = holder[k] as Record<string, unknown>;
  holder[path.at(-1)!] = to;
  return copy;
}

describe('answers of tasks', () => {
  it('are what the task says it gives, through the wire too', async () => {
    for (const [name, answer] of answers) {
      expect(await checkedAnswer(name, answer)).toBe(answer);
      await checkedAnswer(name, decodeWire(encodeWire(answer)));
    }
  });
});

describe('results of tasks', () => {
  it('pass their schema as they are, and through the wire', () => {
    for (const [name, schema, value] of results) {
      expect([name, schema.safeParse(value).error?.issues[0]]).toEqual([name, undefined]);
      const back = schema.safeParse(decodeWire(encodeWire(value)));
      expect([name, back.error?.issues[0]]).toEqual([name, undefined]);
      expect(back.data).toEqual(value);
    }
  });

  it('are refused, with the place, when any field of theirs is something else', () => {
    let tried = 0;
    for (const [name, schema, value] of results)
      for (const path of paths(value)) {
        const issues = schema.safeParse(changed(value, path, () => 'nothing that is stored')).error?.issues ?? [];
        // Named where it stands, or where the choice that holds it stands.
        const told = issues.some((i) => i.path.every((k, n) => k === path[n]));
        expect([name, path.join('.'), told]).toEqual([name, path.join('.'), true]);
        tried++;
      }
    expect(tried).toBeGreaterThan(100);
  });

  it('are refused when they hold a field that nobody knows', () => {
    for (const [name, schema, value] of results) {
      const extra = Array.isArray(value) ? [{ ...value[0], mood: 'good' }] : { ...(value as object), mood: 'good' };
      expect([name, schema.safeParse(extra).success]).toEqual([name, false]);
    }
  });
});

describe('an indexed cell', () => {
  it('has a system that there is', () => {
    const good = {
      cell: structure.cell,
      system: 'monoclinic',
      centring: 'P',
      volume: 900,
      m20: 31,
      f20: 60,
      lines: 20,
      indexed: [{ line: 0, h: 1, k: 0, l: 0, delta: 0.004 }],
      zero: 0,
      groups: [{ symbol: 'P 1 21/c 1', possible: 24 }],
    };
    expect(indexedCellSchema.safeParse(good).success).toBe(true);
    expect(indexedCellSchema.safeParse({ ...good, system: 'quasi' }).error!.issues[0]!.path).toEqual(['system']);
  });
});
