/** Random acts in up to three tabs. STEPS=2000 npx playwright test walk.spec.ts walks for half an hour; SEED takes another way. */
import { test } from '@playwright/test';
import { seededRandom } from '@nagare/core/math/random';
import { Walk } from './walk.ts';

const STEPS = Number(process.env['STEPS'] ?? 16);
const SEED = Number(process.env['SEED'] ?? 7);
const CHECK_EVERY = 8;

test(
  'a walk of random acts leaves nothing in the store without what it belongs to',
  { tag: '@long' },
  async ({ page, context }) => {
    test.setTimeout(120_000 + 4000 * STEPS);
    context.setDefaultTimeout(30_000);
    const walk = new Walk(context, seededRandom(SEED));
    await walk.begin(page);
    for (let i = 1; i <= STEPS; i++) {
      await walk.step();
      if (i % CHECK_EVERY === 0) await walk.check();
      if (STEPS > 100 && i % 100 === 0) process.stdout.write(`${i} acts\n`);
    }
    await walk.check();
    test.info().annotations.push({ type: 'acts', description: JSON.stringify([...walk.done]) });
    if (STEPS > 100) process.stdout.write(`${JSON.stringify([...walk.done])}\n`);
  },
);
