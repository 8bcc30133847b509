/** Form factors by site and index as the structure-factor sums take them. */
import { isKept, tripleKey, type FormFactors } from '../crystal/form-factors.ts';
import type { ScatteringProvider, ScatteringTable } from './structure-factors.ts';

/** The indices h R that operator o of a table makes of its reflection i. */
export function turnedIndices(t: ScatteringTable, o: number, i: number): [number, number, number] {
  const r = 9 * o,
    h = t.h[i]!,
    k = t.k[i]!,
    l = t.l[i]!;
  const at = (c: number): number =>
    Math.round(h * t.rotations[r + c]! + k * t.rotations[r + 3 + c]! + l * t.rotations[r + 6 + c]!);
  return [at(0), at(1), at(2)];
}

/** All triples that the sums over a table ask for, each with its negative once. */
export function triplesOf(t: ScatteringTable): { h: Int16Array; k: Int16Array; l: Int16Array } {
  const found = new Map<number, readonly [number, number, number]>();
  for (let i = 0; i < t.count; i++)
    for (let o = 0; o < t.operators; o++) {
      const [h, k, l] = turnedIndices(t, o, i);
      const kept = isKept(h, k, l) ? ([h, k, l] as const) : ([-h, -k, -l] as const);
      found.set(tripleKey(...kept), kept);
    }
  const list = [...found.values()];
  const column = (c: 0 | 1 | 2): Int16Array => Int16Array.from(list, (x) => x[c]);
  return { h: column(0), k: column(1), l: column(2) };
}

/**
 * Provider of tabulated factors for a table and the sites of a model, in its order. Throws RangeError where a reflection of the
 * table has none.
 */
export function tabulatedProvider(
  f: FormFactors,
  sites: readonly { readonly id: string }[],
  t: ScatteringTable,
): ScatteringProvider {
  const { length: count } = f.h;
  const rowOf = new Map<number, number>();
  for (let i = 0; i < count; i++) rowOf.set(tripleKey(f.h[i]!, f.k[i]!, f.l[i]!), i);
  // Row of a triple from 1 on, negative for the conjugate.
  const rows = new Int32Array(t.operators * t.count);
  for (let o = 0; o < t.operators; o++)
    for (let i = 0; i < t.count; i++) {
      const [h, k, l] = turnedIndices(t, o, i);
      const kept = isKept(h, k, l);
      const row = rowOf.get(kept ? tripleKey(h, k, l) : tripleKey(-h, -k, -l));
      if (row === undefined)
        throw new RangeError(`The form factors do not reach reflection ${h} ${k} ${l}; make them anew for these data.`);
      rows[o * t.count + i] = kept ? row + 1 : -row - 1;
    }
  const places = Int32Array.from(sites, (s) => f.sites.indexOf(s.id));
  return {
    covers: Uint8Array.from(places, (p) => (p < 0 ? 0 : 1)),
    factor(j, o, i, out) {
      const row = rows[o * t.count + i]!,
        at = places[j]! * count + Math.abs(row) - 1;
      out[0] = f.real[at]!;
      out[1] = row > 0 ? f.imaginary[at]! : -f.imaginary[at]!;
    },
  };
}
