/** Unique reflections to a half sphere in P1, with normalised amplitudes, placed on the grid the phasing works on. */
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { normalizedIntensities } from '../data/intensity-statistics.ts';
import type { Grid } from '../math/fft.ts';
import { gridFor } from '../maps/fourier.ts';

/** Everything phasing needs: plain data, sent to workers as it is. */
export interface PhasingData {
  readonly cell: Cell;
  readonly grid: Grid;
  /** Half sphere of indices (Friedel mates left out), strongest amplitude first. */
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  /** Normalised amplitude |E|. */
  readonly amplitude: Float64Array;
  readonly dMin: number;
}

/** Expands a merged set by its Laue symmetry. Absent and very weak or negative intensities keep a small amplitude rather than none. */
export function expandToP1(r: MergedReflections, cell: Cell, group: SpaceGroup, dMinWanted = 0): PhasingData {
  const g = reciprocalMetric(cell);
  const e2 = normalizedIntensities(r, cell, group);
  const seen = new Set<number>();
  const h: number[] = [],
    k: number[] = [],
    l: number[] = [],
    amplitude: number[] = [];
  let top = 0;
  for (let i = 0; i < r.count; i++) {
    const invD = inverseSpacing(g, r.h[i]!, r.k[i]!, r.l[i]!);
    if (dMinWanted && invD > 1 / dMinWanted) continue;
    top = Math.max(top, invD);
    const absent = e2[i] !== e2[i];
    // The posterior mean of a weak intensity is positive (French & Wilson 1978); half a σ is close enough here.
    const z = absent
      ? 0
      : (e2[i]! * Math.max(r.fsq[i]!, 0.5 * r.sigma[i]!)) / (Math.abs(r.fsq[i]!) > 1e-12 ? r.fsq[i]! : 1e-12);
    // Rare huge values (ε or outliers) would dominate the density.
    const e = Math.min(4.5, Math.sqrt(Math.max(0, z)));
    for (const { r: m } of group.representatives) {
      let p = r.h[i]! * m[0] + r.k[i]! * m[3] + r.l[i]! * m[6],
        q = r.h[i]! * m[1] + r.k[i]! * m[4] + r.l[i]! * m[7],
        s = r.h[i]! * m[2] + r.k[i]! * m[5] + r.l[i]! * m[8];
      if (p < 0 || (p === 0 && (q < 0 || (q === 0 && s < 0)))) [p, q, s] = [-p, -q, -s];
      const key = ((s + 1000) * 2000 + (q + 1000)) * 2000 + p;
      if (seen.has(key)) continue;
      seen.add(key);
      h.push(p + 0);
      k.push(q + 0);
      l.push(s + 0);
      amplitude.push(e);
    }
  }
  const order = Int32Array.from({ length: h.length }, (_, i) => i).sort((a, b) => amplitude[b]! - amplitude[a]!);
  const dMin = 1 / top;
  return {
    cell,
    dMin,
    grid: gridFor(
      cell,
      dMin / 2,
      [0, 1, 2].map((i) => Math.floor([cell.a, cell.b, cell.c][i]! * top)) as [number, number, number],
    ),
    h: Int16Array.from(order, (i) => h[i]!),
    k: Int16Array.from(order, (i) => k[i]!),
    l: Int16Array.from(order, (i) => l[i]!),
    amplitude: Float64Array.from(order, (i) => amplitude[i]!),
  };
}

/** The group with rotations of a Laue class and no translations, for expanding data whose space group is not decided. */
export function laueExpansionGroup(
  rotations: SpaceGroup['representatives'][number]['r'][],
  centring: SpaceGroup['centring'],
): SpaceGroup {
  return {
    number: 0,
    symbol: '',
    hall: '',
    code: '',
    representatives: rotations.map((r) => ({ r, t: [0, 0, 0] as const })),
    centring,
    centricAtOrigin: false,
    centric: true,
  };
}
