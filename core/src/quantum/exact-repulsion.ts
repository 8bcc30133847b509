/** Coulomb and exchange matrices from the integrals over four functions, made anew each time (direct). */
import { RepulsionBlock, schwarzBounds } from './repulsion.ts';
import type { HermitePair } from './shell-pairs.ts';
import type { RepulsionBuilder } from './spin-density.ts';

/** Integrals times densities below this are left out. */
const NEGLIGIBLE = 1e-11;

/** Adds one block of integrals to the halves of J and K; each is met once of its eight orders. */
function digest(
  v: Float64Array,
  bra: HermitePair,
  ket: HermitePair,
  size: number,
  scale: number,
  total: Float64Array,
  j: Float64Array,
  densities: readonly Float64Array[],
  k: readonly Float64Array[],
): void {
  let at = 0;
  for (let a = bra.firstRow; a < bra.firstRow + bra.rows; a++)
    for (let b = bra.firstColumn; b < bra.firstColumn + bra.columns; b++)
      for (let c = ket.firstRow; c < ket.firstRow + ket.rows; c++)
        for (let d = ket.firstColumn; d < ket.firstColumn + ket.columns; d++) {
          const value = scale * v[at++]!;
          j[a * size + b]! += 2 * value * total[c * size + d]!;
          j[c * size + d]! += 2 * value * total[a * size + b]!;
          for (let s = 0; s < k.length; s++) {
            const density = densities[s]!,
              x = k[s]!;
            x[a * size + c]! += value * density[b * size + d]!;
            x[a * size + d]! += value * density[b * size + c]!;
            x[b * size + c]! += value * density[a * size + d]!;
            x[b * size + d]! += value * density[a * size + c]!;
          }
        }
}

const symmetric = (half: Float64Array, size: number): Float64Array => {
  const out = new Float64Array(half.length);
  for (let i = 0; i < size; i++)
    for (let j = 0; j < size; j++) out[i * size + j] = half[i * size + j]! + half[j * size + i]!;
  return out;
};

/** Builder over the integrals themselves: exact, for small molecules and for proof. */
export function exactRepulsion(pairs: readonly HermitePair[], size: number): RepulsionBuilder {
  const bounds = schwarzBounds(pairs);
  const order = Array.from(bounds.keys()).sort((i, j) => bounds[j]! - bounds[i]!);
  const block = new RepulsionBlock();
  return {
    async build(total, spins, withExchange, context) {
      const densities = spins.map((s) => s.density);
      const j = new Float64Array(size * size),
        k = withExchange ? densities.map(() => new Float64Array(size * size)) : [];
      const most = total.reduce((sum, x) => Math.max(sum, Math.abs(x)), 0);
      for (let p = 0; p < order.length; p++) {
        await context.breath();
        const bra = pairs[order[p]!]!;
        for (let q = 0; q <= p; q++) {
          if (bounds[order[p]!]! * bounds[order[q]!]! * most < NEGLIGIBLE) break;
          const ket = pairs[order[q]!]!;
          const scale =
            (bra.firstRow === bra.firstColumn ? 0.5 : 1) *
            (ket.firstRow === ket.firstColumn ? 0.5 : 1) *
            (p === q ? 0.5 : 1);
          digest(block.between(bra, ket), bra, ket, size, scale, total, j, densities, k);
        }
      }
      return { coulomb: symmetric(j, size), exchange: k.map((x) => symmetric(x, size)) };
    },
  };
}
