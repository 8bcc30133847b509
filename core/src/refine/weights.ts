/** The weighting scheme w = 1/[σ²(Fo²) + (aP)² + bP], P = (max(Fo², 0) + 2Fc²)/3, all on the absolute scale. */

import type { Weights } from '../crystal/experiment.ts';

export function weightOf(weights: Weights, fo2: number, fc2: number, sigma: number): number {
  const p = (Math.max(fo2, 0) + 2 * fc2) / 3;
  return 1 / (sigma * sigma + (weights.a * p) ** 2 + weights.b * p);
}

/**
 * a and b for a flat analysis of variance: the mean of wΔ² is brought near one in ten bins of equal population by Fc².
 * Coordinate search with shrinking steps; a ≤ 0.2. `parameters` corrects the mean for degrees of freedom.
 */
export function optimizeWeights(
  fo2: Float64Array,
  fc2: Float64Array,
  sigma: Float64Array,
  parameters: number,
  start: Weights = { a: 0.05, b: 0 },
): Weights {
  const n = fo2.length;
  const order = Int32Array.from({ length: n }, (_, i) => i).sort((p, q) => fc2[p]! - fc2[q]!);
  const bins = Math.max(3, Math.min(10, Math.floor(n / 30)));
  const freedom = Math.max(0.2, (n - parameters) / n);
  const cost = (a: number, b: number): number => {
    let total = 0;
    for (let bin = 0; bin < bins; bin++) {
      const from = Math.floor((bin * n) / bins),
        to = Math.floor(((bin + 1) * n) / bins);
      let sum = 0;
      for (let j = from; j < to; j++) {
        const i = order[j]!;
        sum += weightOf({ a, b }, fo2[i]!, fc2[i]!, sigma[i]!) * (fo2[i]! - fc2[i]!) ** 2;
      }
      total += Math.log(Math.max(1e-6, sum / ((to - from) * freedom))) ** 2;
    }
    return total;
  };
  const meanP = fc2.reduce((p, q) => p + q, 0) / n || 1;
  let best = { a: start.a, b: start.b, cost: cost(start.a, start.b) };
  let stepA = 0.02,
    stepB = Math.max(0.01, 0.01 * meanP ** 0.5);
  for (const a of [0, 0.02, 0.05, 0.1])
    for (const b of [0, stepB, 10 * stepB]) {
      const c = cost(a, b);
      if (c < best.cost) best = { a, b, cost: c };
    }
  for (let pass = 0; pass < 40; pass++) {
    let improved = false;
    for (const [da, db] of [
      [stepA, 0],
      [-stepA, 0],
      [0, stepB],
      [0, -stepB],
    ] as const) {
      const a = Math.max(0, Math.min(0.2, best.a + da)),
        b = Math.max(0, best.b + db);
      const c = cost(a, b);
      if (c < best.cost - 1e-9) {
        best = { a, b, cost: c };
        improved = true;
      }
    }
    if (!improved) {
      stepA /= 2;
      stepB /= 2;
      if (stepA < 1e-4) break;
    }
  }
  return { a: Number(best.a.toFixed(4)), b: Number(best.b.toFixed(4)) };
}
