/** Absolute structure from Bijvoet quotients: D = (I₊ − I₋)/(½(I₊ + I₋)) observed against calculated (Parsons, Flack & Wagner 2013, Acta Cryst. B69, 249). */
import type { MergedReflections } from '../crystal/reflections.ts';
import { allOperators, reflectionSymmetry, spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { canonicalIndex, flatRotations } from '../data/merge.ts';
import { nameGroup } from '../crystal/identify.ts';
import type { CalculatedData } from './single-crystal-problem.ts';

export interface AbsoluteStructure {
  /** Flack parameter x: 0 as the model stands, 1 for its inverse. */
  readonly x: number;
  readonly su: number;
  readonly pairs: number;
  /** Plain words. */
  readonly verdict: string;
}

const verdictOf = (x: number, su: number): string =>
  su > 0.3
    ? 'The anomalous signal is too weak to tell the hand.'
    : Math.abs(x) < 3 * su + 0.05 && su < 0.1
      ? 'The hand is right.'
      : Math.abs(x - 1) < 3 * su + 0.05 && su < 0.1
        ? 'The hand is wrong: invert the structure.'
        : x > 0.5 + 2 * su
          ? 'The hand is probably wrong: invert the structure.'
          : x < 0.5 - 2 * su
            ? 'The hand is probably right.'
            : 'The hand is not determined; a twin by inversion is possible.';

/** x by quotients; undefined for centrosymmetric groups or where no Friedel pairs were measured. Calculated data must be of the untwinned model. */
export function absoluteStructure(
  s: Structure,
  reflections: MergedReflections,
  data: CalculatedData,
): AbsoluteStructure | undefined {
  if (s.spaceGroup.centric) return undefined;
  const flat = flatRotations(rotationsOf(s.spaceGroup));
  const at = new Map<number, number>();
  const n = data.used.length;
  for (let i = 0; i < n; i++) {
    const u = data.used[i]!;
    at.set(canonicalIndex(flat, reflections.h[u]!, reflections.k[u]!, reflections.l[u]!), i);
  }
  let top = 0,
    bottom = 0,
    pairs = 0;
  const seen = new Uint8Array(n);
  const list: { o: number; c: number; v: number }[] = [];
  for (let i = 0; i < n; i++) {
    if (seen[i]) continue;
    const u = data.used[i]!,
      h = reflections.h[u]!,
      k = reflections.k[u]!,
      l = reflections.l[u]!;
    if (reflectionSymmetry(s.spaceGroup, h, k, l).centric) continue;
    const j = at.get(canonicalIndex(flat, -h, -k, -l));
    if (j === undefined || j === i) continue;
    seen[i] = seen[j] = 1;
    const sum = (data.fo2[i]! + data.fo2[j]!) / 2,
      sumC = (data.fc2[i]! + data.fc2[j]!) / 2;
    if (!(sum > 0) || !(sumC > 0) || data.fo2[i]! < 3 * data.sigma[i]! || data.fo2[j]! < 3 * data.sigma[j]!) continue;
    const o = (data.fo2[i]! - data.fo2[j]!) / sum,
      c = (data.fc2[i]! - data.fc2[j]!) / sumC;
    const v = (data.sigma[i]! ** 2 + data.sigma[j]! ** 2) / (sum * sum);
    list.push({ o, c, v });
    pairs++;
  }
  if (pairs < 20) return undefined;
  for (const { o, c, v } of list) {
    top += (o * c) / v;
    bottom += (c * c) / v;
  }
  if (!(bottom > 0)) return undefined;
  const slope = top / bottom;
  const chi = list.reduce((sum, { o, c, v }) => sum + (o - slope * c) ** 2 / v, 0) / Math.max(1, pairs - 1);
  const x = (1 - slope) / 2,
    su = Math.sqrt(Math.max(1, chi) / bottom) / 2;
  return { x, su, pairs, verdict: verdictOf(x, su) };
}

/** The group of the other hand, its translations turned about (P4₁ becomes P4₃). Data merged for one serve the other as well. */
export function invertedGroup(group: SpaceGroup): SpaceGroup {
  const inverse = spaceGroupFromOperators(
    allOperators(group).map((o) => ({ r: o.r, t: [-o.t[0], -o.t[1], -o.t[2]] as [number, number, number] })),
  );
  const keys = (g: SpaceGroup): string =>
    allOperators(g)
      .map((o) => `${o.r.join()}|${o.t.map((t) => Math.round((((t % 1) + 1) % 1) * 24) % 24).join()}`)
      .sort()
      .join(';');
  return keys(inverse) === keys(group) ? group : nameGroup(inverse);
}

/** The structure of the other hand: coordinates through the origin, operators with them. */
export const invertStructure = (s: Structure): Structure => ({
  ...s,
  spaceGroup: invertedGroup(s.spaceGroup),
  sites: s.sites.map((x) => ({ ...x, position: [1 - x.position[0], 1 - x.position[1], 1 - x.position[2]] as const })),
});
