/** What a set of crystals that were compared two and two says. */
import { clusterTree, type Cluster } from '@nagare/core/math/cluster';
import type { PlainTable } from '@nagare/core/publish/tables';

export interface PairFound {
  /** Of the calculated patterns, 0 … 1. */
  readonly similarity: number;
  /** Molecules that stand alike; undefined where they are no such crystals. */
  readonly packing?: { readonly matched: number; readonly of: number };
}

export interface SetFound {
  readonly names: readonly string[];
  /** By `i j`, i below j. */
  readonly pairs: ReadonlyMap<string, PairFound>;
}

export const pairOf = ({ pairs }: SetFound, i: number, j: number): PairFound | undefined =>
  pairs.get(`${Math.min(i, j)} ${Math.max(i, j)}`);

export const pairWords = (p: PairFound | undefined): string =>
  p ? `${p.similarity.toFixed(2)}${p.packing ? `, ${p.packing.matched}` : ''}` : '–';

export const setTable = (found: SetFound): PlainTable => ({
  title: 'Crystals compared two and two',
  columns: ['', ...found.names],
  rows: found.names.map((name, i) => [
    name,
    ...found.names.map((_, j) => (i === j ? '' : pairWords(pairOf(found, i, j)))),
  ]),
  notes: ['Similarity of the calculated patterns, 0 to 1; then how many of fifteen molecules stand alike.'],
});

/** What decides who joins whom. */
export const TREE_BY = ['patterns', 'packings'] as const;
export type TreeBy = (typeof TREE_BY)[number];

/** Whether molecules of any two of them were laid over each other. */
export const hasPackings = ({ pairs }: SetFound): boolean => [...pairs.values()].some((p) => p.packing);

/** How alike two of them are, 0 … 1; crystals that share no molecule are not alike in their packing. */
function likeness(p: PairFound | undefined, by: TreeBy): number {
  if (by === 'patterns') return p?.similarity ?? 0;
  return p?.packing ? p.packing.matched / p.packing.of : 0;
}

/** The most alike joined first; heights are what two of them, on the average, lack in likeness. */
export const treeOf = (found: SetFound, by: TreeBy): Cluster =>
  clusterTree(found.names.length, (i, j) => 1 - likeness(pairOf(found, i, j), by));

/** What stands beside a branch at a height. */
export function heightWords(at: number, by: TreeBy): string {
  return by === 'patterns' ? (1 - at).toFixed(2) : `${Math.round(100 * (1 - at))} %`;
}
