/** The data a treatment leaves, and the indices of twin components. */
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import type { Overlaps, Treatment } from '../crystal/treatment.ts';
import type { Mat3 } from '../math/matrix3.ts';

/** The merged data that take part. Numbering of the result is its own; `kept` leads back. */
export function treatedReflections(
  r: MergedReflections,
  cell: Cell,
  t: Treatment,
): { reflections: MergedReflections; kept: Int32Array } {
  const g = reciprocalMetric(cell);
  const out = new Set((t.excluded ?? []).map((x) => `${x.h} ${x.k} ${x.l}`));
  const kept: number[] = [];
  for (let i = 0; i < r.count; i++) {
    const h = r.h[i]!,
      k = r.k[i]!,
      l = r.l[i]!;
    const d = 1 / inverseSpacing(g, h, k, l);
    if ((t.dMin && d < t.dMin - 1e-9) || (t.dMax && d > t.dMax + 1e-9)) continue;
    if (out.size && out.has(`${h} ${k} ${l}`)) continue;
    kept.push(i);
  }
  const index = Int32Array.from(kept);
  if (index.length === r.count) return { reflections: r, kept: index };
  const pick = <T extends Int16Array | Float64Array | Uint16Array>(v: T, make: new (n: number) => T): T => {
    const o = new make(index.length);
    for (let i = 0; i < index.length; i++) o[i] = v[index[i]!]!;
    return o;
  };
  return {
    kept: index,
    reflections: {
      ...r,
      count: index.length,
      h: pick(r.h, Int16Array),
      k: pick(r.k, Int16Array),
      l: pick(r.l, Int16Array),
      fsq: pick(r.fsq, Float64Array),
      sigma: pick(r.sigma, Float64Array),
      multiplicity: pick(r.multiplicity, Uint16Array),
    },
  };
}

/** Indices of a twin component for one reflection; undefined where they are not whole (no overlap) within `tolerance`. */
export function twinIndices(
  law: Mat3,
  h: number,
  k: number,
  l: number,
  tolerance = 0.1,
): [number, number, number] | undefined {
  const v = [
    law[0] * h + law[1] * k + law[2] * l,
    law[3] * h + law[4] * k + law[5] * l,
    law[6] * h + law[7] * k + law[8] * l,
  ] as const;
  const n = v.map(Math.round) as [number, number, number];
  return v.every((x, i) => Math.abs(x - n[i]!) < tolerance) ? n : undefined;
}

/** Listed overlaps by the indices of the first component, equivalents included. */
export function overlapTable(o: Overlaps, rotations: readonly Mat3[]): Map<string, [number, number, number]> {
  const out = new Map<string, [number, number, number]>();
  for (let i = 0; i < o.h.length; i++) {
    const h = o.h[i]!,
      k = o.k[i]!,
      l = o.l[i]!;
    for (const r of rotations)
      out.set(`${h * r[0] + k * r[3] + l * r[6]} ${h * r[1] + k * r[4] + l * r[7]} ${h * r[2] + k * r[5] + l * r[8]}`, [
        o.h2[i]!,
        o.k2[i]!,
        o.l2[i]!,
      ]);
  }
  return out;
}
