import { expect, it } from 'vitest';
import { BOHR } from '../math/units.ts';
import { shellsOf } from '../quantum/basis-sets.ts';
import { fittingShells } from '../quantum/fitting-basis.ts';
import { repulsionPlan } from '../quantum/fitted-repulsion.ts';
import { basisOf, type Centre } from '../quantum/gaussian.ts';
import { countingPairs } from './forecast.ts';

/** Carbons in a row, so many Å from one another. */
const row = (count: number, apart: number): Centre[] =>
  Array.from({ length: count }, (_, i) => ({ element: 'C', charge: 6, position: [(i * apart) / BOHR, 0, 0] }));
const recipes = (element: string) => shellsOf('6-31G', element)!;

it.each([
  [1, 1],
  [6, 1.4],
  [6, 4],
  [8, 9],
  [5, 30],
])('pairs of functions of %i carbons, %f Å apart, are forecast as they are made', (count, apart) => {
  const centres = row(count, apart);
  const { shells, size } = basisOf(centres, recipes);
  const fitting = basisOf(centres.slice(0, 1), (e) => fittingShells(recipes(e))).shells;
  const made = repulsionPlan(shells, size, fitting, 1).first.length;
  const told = countingPairs(centres.flatMap((c) => recipes(c.element).map((recipe) => ({ recipe, at: c.position }))));
  expect(told / made).toBeGreaterThan(0.95);
  expect(told / made).toBeLessThan(1.25);
  expect(told).toBeLessThanOrEqual((size * (size + 1)) / 2);
});
