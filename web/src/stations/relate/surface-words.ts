/** Colours of a molecule's surface, and the words of its fingerprint. */
import { surfaceShades, type PaintedBy } from '@nagare/core/depict/figure-surfaces';
import type { SceneColours } from '@nagare/core/draw/colours';
import type { Layer } from '@nagare/core/draw/scene';
import type { Fingerprint, MoleculeSurface } from '@nagare/core/contacts/molecule-surface';
import type { PlainTable } from '@nagare/core/publish/tables';

export const PAINTED_WORDS: Readonly<Record<PaintedBy, string>> = {
  closeness: 'how near against the radii',
  inside: 'distance to the nearest atom inside',
  outside: 'distance to the nearest atom outside',
  potential: 'electrostatic potential of the molecule',
};

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
