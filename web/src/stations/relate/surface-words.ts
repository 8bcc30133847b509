/** Colours of a molecule's surface, and the words of its fingerprint. */
import { channels, mixColours, type SceneColours } from '@nagare/core/draw/colours';
import type { Layer } from '@nagare/core/draw/scene';
import type { Fingerprint, MoleculeSurface } from '@nagare/core/contacts/molecule-surface';
import type { PlainTable } from '@nagare/core/publish/tables';

export type PaintedBy = 'closeness' | 'inside' | 'outside';
export const PAINTED_WORDS: Readonly<Record<PaintedBy, string>> = {
  closeness: 'how near against the radii',
  inside: 'distance to the nearest atom inside',
  outside: 'distance to the nearest atom outside',
};

/** Ends of the scale, near first. */
const SCALES: Readonly<Record<PaintedBy, readonly [number, number]>> = {
  closeness: [-0.5, 1],
  inside: [0.7, 2.2],
  outside: [0.7, 2.2],
};

/** Near is gold, at the ends of the radii paper, far is indigo. */
function shade(part: number, colours: SceneColours): readonly number[] {
  const [near, middle] = [channels(colours.gold), channels('#f3efe6')];
  const far = channels(mixColours(colours.indigo, '#f3efe6', 0.3));
  const mix = (p: readonly number[], q: readonly number[], k: number): number[] => p.map((x, i) => x + (q[i]! - x) * k);
  return part < 1 / 3 ? mix(near, middle, 3 * part) : mix(middle, far, (1.5 * (part - 1 / 3)) ** 0.9);
}

/** Red, green, blue of every vertex. */
export function surfaceShades(s: MoleculeSurface, by: PaintedBy, colours: SceneColours): Uint8Array {
  const values = s[by];
  const [from, to] = SCALES[by];
  const out = new Uint8Array(3 * values.length);
  values.forEach((v, i) => {
    const part = Math.max(0, Math.min(1, (v - from) / (to - from)));
    shade(part, colours).forEach((x, k) => (out[3 * i + k] = Math.round(x)));
  });
  return out;
}

export function surfaceLayers(s: MoleculeSurface, by: PaintedBy, colours: SceneColours): Layer[] {
  const { positions, indices } = s;
  const shades = surfaceShades(s, by, colours);
  return [
    {
      kind: 'surfaces',
      name: 'surroundings',
      items: [{ positions, indices, colour: colours.gold, shades, opacity: 0.78, mesh: 0 }],
    },
  ];
}

export const surfaceState = (s: MoleculeSurface, formula: string): string =>
  `${formula}: ${s.area.toFixed(0)} Å² around ${s.volume.toFixed(0)} Å³.`;

const percent = (x: number): string => `${(100 * x).toFixed(x < 0.0995 ? 1 : 0)} %`;

/** Shares of unlike elements taken together, whoever is inside; the largest first. */
export function mutualShares(f: Fingerprint): { pair: string; share: number }[] {
  const out = new Map<string, number>();
  for (const { inner, outer, share } of f.pairs) {
    const pair = [inner, outer].sort().join('⋯');
    out.set(pair, (out.get(pair) ?? 0) + share);
  }
  return [...out].map(([pair, share]) => ({ pair, share })).sort((p, q) => q.share - p.share);
}

export function shareTable(names: readonly string[], prints: readonly Fingerprint[]): PlainTable {
  const lists = prints.map(mutualShares);
  const pairs = [...new Set(lists.flatMap((l) => l.map((x) => x.pair)))];
  const share = (k: number, pair: string): number => lists[k]!.find((x) => x.pair === pair)?.share ?? 0;
  const most = (pair: string): number => Math.max(...lists.map((_, k) => share(k, pair)));
  return {
    title: 'Shares of the surface by elements on both sides',
    columns: ['elements', ...names],
    rows: pairs
      .sort((p, q) => most(q) - most(p))
      .map((pair) => [pair, ...lists.map((_, k) => percent(share(k, pair)))]),
    notes: [],
  };
}
