/**
 * Fitting functions for products of orbital functions, made from the orbital basis itself: even-tempered series of each l that
 * span the exponents which products on one atom have (the idea of Stoychev, Auer & Neese 2017).
 */
import type { ShellRecipe } from './gaussian.ts';

/** Ratio of neighbouring exponents, by l; products of higher order are left to the neighbours’ functions. */
const RATIOS = [2.1, 2.2, 2.4, 3] as const;
/** Core products of l > 0 are narrow and hardly carry charge: their series end at so many times the steepest of valence. */
const CORE_REACH = 2;

/** Exponents of least and most diffuse primitives of each l. */
function ranges(recipes: readonly ShellRecipe[]): readonly (readonly [number, number])[] {
  const out: [number, number][] = [];
  for (const { l, exponents } of recipes)
    for (const x of exponents) {
      const range = (out[l] ??= [x, x]);
      range[0] = Math.min(range[0], x);
      range[1] = Math.max(range[1], x);
    }
  return out;
}

/** Single-primitive shells that fit the products of an element's functions. */
export function fittingShells(recipes: readonly ShellRecipe[]): readonly ShellRecipe[] {
  const of = ranges(recipes),
    highest = of.length - 1;
  const valence = 2 * (of[1]?.[1] ?? of[0]![0] * 4);
  return Array.from({ length: Math.min(2 * highest + 1, RATIOS.length) }, (_, l) => {
    let least = Infinity,
      most = 0;
    of.forEach((a, la) =>
      of.forEach((b, lb) => {
        if (Math.abs(la - lb) > l || la + lb < l) return;
        least = Math.min(least, a[0] + b[0]);
        most = Math.max(most, a[1] + b[1]);
      }),
    );
    if (l > 0) most = Math.min(most, CORE_REACH * valence);
    const steps = Math.max(1, Math.ceil(Math.log(most / least) / Math.log(RATIOS[l]!)));
    const step = steps > 1 ? (most / least) ** (1 / steps) : 1;
    return Array.from({ length: steps + 1 }, (_, i): ShellRecipe => ({
      l,
      exponents: [least * step ** i],
      coefficients: [1],
    })).slice(0, step > 1 ? undefined : 1);
  }).flat();
}
