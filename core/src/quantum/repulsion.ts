/** Integrals of the repulsion of two charge distributions, (bra|ket), by Hermite Gaussians (McMurchie & Davidson 1978). */
import { coulombTerms, hermiteCount, hermiteIndex, hermiteTriple } from './hermite.ts';
import type { HermitePair } from './shell-pairs.ts';

const sums = new Map<number, Int32Array>();

/** Index of the sum of term t of the bra and term u of the ket, at t·(terms of the ket) + u. */
function sumIndices(bra: number, ket: number): Int32Array {
  const key = 64 * bra + ket;
  const known = sums.get(key);
  if (known) return known;
  const [nb, nk] = [hermiteCount(bra), hermiteCount(ket)];
  const out = new Int32Array(nb * nk);
  for (let t = 0; t < nb; t++)
    for (let u = 0; u < nk; u++) {
      const [a, b] = [hermiteTriple(t), hermiteTriple(u)];
      out[t * nk + u] = hermiteIndex(a[0] + b[0], a[1] + b[1], a[2] + b[2]);
    }
  sums.set(key, out);
  return out;
}

/** (−1)^(t+u+v) of every term: the ket is differentiated by the other centre. */
const SIGNS = Float64Array.from({ length: hermiteCount(12) }, (_, i) => {
  const [t, u, v] = hermiteTriple(i);
  return (t + u + v) % 2 ? -1 : 1;
});

const FACTOR = 2 * Math.PI ** 2.5;

/** Room for the integrals of one pair of distributions after another, so that the loops allocate nothing. */
export class RepulsionBlock {
  /** (bra|ket) of function f of the bra and g of the ket at f·(functions of the ket) + g. */
  values = new Float64Array(0);
  private readonly r = new Float64Array(hermiteCount(18));
  private readonly row = new Float64Array(hermiteCount(12));
  private half = new Float64Array(0);

  /** All integrals of two distributions. */
  between(bra: HermitePair, ket: HermitePair): Float64Array {
    const nb = bra.rows * bra.columns,
      nk = ket.rows * ket.columns;
    if (this.values.length < nb * nk) this.values = new Float64Array(nb * nk);
    if (this.half.length < bra.terms * nk) this.half = new Float64Array(bra.terms * nk);
    const { values, half } = this;
    values.fill(0, 0, nb * nk);
    for (let k = 0; k < bra.count; k++) {
      this.overKet(bra, k, ket);
      const base = k * nb * bra.terms;
      for (let f = 0; f < nb; f++)
        for (let t = 0; t < bra.terms; t++) {
          const c = bra.coefficients[base + f * bra.terms + t]!;
          if (c === 0) continue;
          const to = f * nk,
            from = t * nk;
          for (let g = 0; g < nk; g++) values[to + g]! += c * half[from + g]!;
        }
    }
    return values;
  }

  /** Puts Σ over the ket of its coefficients times the Coulomb terms with primitive k of the bra into `half`. */
  private overKet(bra: HermitePair, k: number, ket: HermitePair): void {
    const { half, r, row } = this;
    const nk = ket.rows * ket.columns,
      { terms } = ket;
    const index = sumIndices(bra.order, ket.order),
      order = bra.order + ket.order;
    const p = bra.exponents[k]!,
      x = bra.centres[3 * k]!,
      y = bra.centres[3 * k + 1]!,
      z = bra.centres[3 * k + 2]!;
    half.fill(0, 0, bra.terms * nk);
    for (let m = 0; m < ket.count; m++) {
      const q = ket.exponents[m]!,
        at = 3 * m;
      coulombTerms(
        (p * q) / (p + q),
        x - ket.centres[at]!,
        y - ket.centres[at + 1]!,
        z - ket.centres[at + 2]!,
        order,
        r,
      );
      const scale = FACTOR / (p * q * Math.sqrt(p + q)),
        base = m * nk * terms;
      for (let t = 0; t < bra.terms; t++) {
        for (let u = 0; u < terms; u++) row[u] = scale * SIGNS[u]! * r[index[t * terms + u]!]!;
        for (let g = 0; g < nk; g++) {
          const from = base + g * terms;
          let sum = 0;
          for (let u = 0; u < terms; u++) sum += row[u]! * ket.coefficients[from + u]!;
          half[t * nk + g]! += sum;
        }
      }
    }
  }
}

/** Largest √(ab|ab) over the functions of each pair: |(ab|cd)| is at most the product of two (Whitten 1973). */
export function schwarzBounds(pairs: readonly HermitePair[]): Float64Array {
  const block = new RepulsionBlock();
  return Float64Array.from(pairs, (pair) => {
    const n = pair.rows * pair.columns,
      values = block.between(pair, pair);
    let most = 0;
    for (let f = 0; f < n; f++) most = Math.max(most, Math.abs(values[f * n + f]!));
    return Math.sqrt(most);
  });
}
