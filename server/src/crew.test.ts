import { afterAll, describe, expect, it } from 'vitest';
import { wavefunctionOptions } from '@nagare/core/aspherical/levels';
import { siteFactors } from '@nagare/core/aspherical/site-factors';
import { BOHR } from '@nagare/core/math/units';
import type { Centre } from '@nagare/core/quantum/gaussian';
import { Crew, helpCrew, sharedDoubles, sharedIntegers, type Workshop } from '@nagare/core/quantum/crew';
import { freeAtoms, stockholderShares } from '@nagare/core/quantum/stockholder';
import { wavefunctionOf, type Molecule, type WavefunctionOptions } from '@nagare/core/quantum/wavefunction';
import { breathingContext, quietContext, type TaskContext } from '@nagare/core/task-context';
import { threadPool } from './worker-pool.ts';

const pool = threadPool(2);
afterAll(() => pool.close());

const withThreads = (signal = { aborted: false }): TaskContext =>
  breathingContext(signal, () => undefined, { fork: pool.fork, parallel: 2 });

const centre = (element: string, charge: number, ...at: [number, number, number]): Centre => ({
  element,
  charge,
  position: [at[0] / BOHR, at[1] / BOHR, at[2] / BOHR],
});
/** Hydroperoxyl: two spins, so that every part of the plans is used. */
const radical: Molecule = {
  centres: [centre('O', 8, 0, 0, 0), centre('O', 8, 1.32, 0, 0.1), centre('H', 1, -0.3, 0.1, 0.92)],
  charge: 0,
  multiplicity: 2,
};
const cell = { a: 5, b: 6, c: 7, alpha: 90, beta: 97, gamma: 90 };
const triples = {
  h: Int16Array.from({ length: 900 }, (_, i) => i % 5),
  k: Int16Array.from({ length: 900 }, (_, i) => (i * 7) % 6),
  l: Int16Array.from({ length: 900 }, (_, i) => i % 7),
};

const options: WavefunctionOptions = {
  ...wavefunctionOptions('6-31G(d,p)', 'hybrid'),
  grid: { radial: 30, sphere: 110 },
};

async function everything(context: TaskContext) {
  const w = await wavefunctionOf(radical, options, context);
  const free = freeAtoms(w.atoms);
  const shares = await stockholderShares(
    w,
    radical.centres.map((c) => free.get(c.element)!),
    context,
  );
  const sites = shares.map((share) => ({ share, rotation: [0, -1, 0, 1, 0, 0, 0, 0, 1] as const }));
  const factors = await siteFactors(sites, cell, triples, context, () => undefined);
  return { energy: w.energy, total: w.total, electrons: shares.map((s) => s.electrons), factors };
}

describe('a wavefunction over several threads', () => {
  it('is the same to the last digit as over one, with its atoms and their form factors', { tags: 'long' }, async () => {
    const alone = await everything(quietContext());
    const together = await everything(withThreads());
    expect(alone.electrons.reduce((sum, x) => sum + x)).toBeCloseTo(17, 3);
    expect(together.energy).toBe(alone.energy);
    expect(together.total).toEqual(alone.total);
    expect(together.electrons).toEqual(alone.electrons);
    together.factors.forEach((f, i) => expect(Array.from(f)).toEqual(Array.from(alone.factors[i]!)));
  });

  it('stops when it is told to, and its threads are free again', { tags: 'long' }, async () => {
    const signal = { aborted: false };
    const stopped = wavefunctionOf(radical, options, withThreads(signal), (r) => {
      if (r.stage === 'field' && r.iteration === 2) signal.aborted = true;
    });
    await expect(stopped).rejects.toMatchObject({ name: 'Cancelled' });
    const found = await Promise.all(
      [1, 2, 3].map((n) => pool.run<unknown[]>('recognise', { text: '1 0 0 5 1\n2 0 0 6 1', fileName: `${n}` }).result),
    );
    expect(found.map((x) => x.length)).toEqual([1, 1, 1]);
  });
});

/** Every part adds its number to a place of its own. */
const counting = (seen: Int32Array): Workshop => ({
  part: async (step, index) => void Atomics.add(seen, index, step),
});

describe('a crew', () => {
  it('does each part of each step once, with helpers that come and go', async () => {
    const seen = sharedIntegers(500);
    const workshop = counting(seen);
    const crew = new Crew<null>([{ plan: null, workshop }]);
    // A helper in this very thread takes its turns at every breath.
    const context: TaskContext = {
      ...breathingContext({ aborted: false }, () => undefined, {}, 0),
      parallel: 2,
      fork: <T>(_task: string, order: unknown) => ({
        result: helpCrew(order as never, () => counting(seen), context) as Promise<T>,
        cancel: () => undefined,
      }),
    };
    await crew.during(context, async () => {
      for (let step = 1; step <= 20; step++) await crew.run(workshop, step, 500 - 10 * step, context);
    });
    // Part n was there in every step with more than n parts.
    const expected = Array.from(seen, (_, n) =>
      Array.from({ length: 20 }, (_x, i) => i + 1)
        .filter((step) => n < 500 - 10 * step)
        .reduce((sum, step) => sum + step, 0),
    );
    expect(Array.from(seen)).toEqual(expected);
  });

  it('says how much memory it lacks', () => {
    expect(() => sharedDoubles(2 ** 45)).toThrow(/281475\.0 GB of memory at once, more than there is/);
  });

  it('says so when a helper breaks down', async () => {
    let taken = false;
    const workshop: Workshop = { part: () => context.breath() };
    const crew = new Crew<null>([{ plan: null, workshop }]);
    const context: TaskContext = {
      ...breathingContext({ aborted: false }, () => undefined, {}, 0),
      parallel: 2,
      fork: <T>(_task: string, order: unknown) => ({
        result: helpCrew(
          order as never,
          () => ({
            part: async () => {
              taken = true;
              throw new RangeError('no memory');
            },
          }),
          context,
        ) as Promise<T>,
        cancel: () => undefined,
      }),
    };
    const run = crew.during(context, async () => {
      while (!taken) await crew.run(workshop, 1, 3, context);
    });
    await expect(run).rejects.toThrow('helped broke down');
  });
});
