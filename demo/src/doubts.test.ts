/** A wrong isotype in a mixture is told, and the right one is not accused. */
import { describe, expect, it } from 'vitest';
import type { Pattern } from '@nagare/core/crystal/pattern';
import { seededRandom } from '@nagare/core/math/random';
import { phaseDoubts, type PhaseDoubt } from '@nagare/core/powder/doubts';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import { runRecipe } from '@nagare/core/powder/recipes';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { quietContext, type TaskContext } from '@nagare/core/task-context';
import { measurePowder } from './powder.ts';
import { fromShelf, TRUE_INSTRUMENT, usual } from './powder-sets.ts';

const nameOf = (id: string): string => shippedShelf().find((e) => e.id === id)!.name;

/** A counted pattern of these phases by weight. */
const mixture = (seed: number, weights: Readonly<Record<string, number>>): Pattern =>
  measurePowder(
    'mixture',
    Object.entries(weights).map(([id, weight]) => ({
      name: nameOf(id),
      structure: fromShelf(id),
      weight,
      size: 70,
      strain: 0.4,
    })),
    { ...usual, to: 80, step: 0.04 },
    seededRandom(seed),
  );

async function doubts(pattern: Pattern, ids: readonly string[]): Promise<PhaseDoubt[]> {
  const phases = ids.map((id) => newPhase(id, nameOf(id), fromShelf(id)));
  const model = { phases, patterns: [newPatternModel(pattern, { ...TRUE_INSTRUMENT, zero: 0 }, phases.length, 8)] };
  const run = await runRecipe({ model, patterns: [pattern], recipe: 'quantify' }, quietContext());
  return phaseDoubts(
    { model: run.model, patterns: [pattern], result: run.result, entries: shippedShelf() },
    quietContext() as TaskContext,
  );
}

describe('what speaks against a phase', () => {
  it.each([
    [{ periclase: 0.35, quartz: 0.65 }, 'periclase', 'bunsenite'],
    [{ cassiterite: 0.4, quartz: 0.6 }, 'cassiterite', 'yamabuki-frit'],
  ] as const)(
    '%o: %s is told from %s in its place',
    { tags: 'long', timeout: 120_000 },
    async (weights, right, wrong) => {
      const pattern = mixture(911, weights);
      const ids = Object.keys(weights);
      const honest = await doubts(pattern, ids);
      expect(honest.map((d) => d.against)).toEqual(ids.map(() => []));
      const mistaken = await doubts(
        pattern,
        ids.map((id) => (id === right ? wrong : id)),
      );
      const accused = mistaken[ids.indexOf(right)]!;
      expect(accused.against.length).toBeGreaterThan(0);
      expect(accused.better?.id).toBe(right);
    },
  );
});
