/** Things put together by how far apart they are: average linkage (Sokal & Michener 1958, Univ. Kansas Sci. Bull. 38, 1409). */

/** A thing by its number, or two groups with the distance at which they join. */
export type Cluster =
  | { readonly leaf: number }
  | { readonly at: number; readonly of: readonly [Cluster, Cluster]; readonly leaves: readonly number[] };

export const leavesOf = (c: Cluster): readonly number[] => ('leaf' in c ? [c.leaf] : c.leaves);

/** The tree of `count` things; `distance` of two by number, the same either way. Throws RangeError for none. */
export function clusterTree(count: number, distance: (i: number, j: number) => number): Cluster {
  if (count < 1) throw new RangeError('There is nothing to put together.');
  let groups: Cluster[] = Array.from({ length: count }, (_, leaf) => ({ leaf }));
  const between = (p: Cluster, q: Cluster): number => {
    const pairs = leavesOf(p).flatMap((i) => leavesOf(q).map((j) => distance(i, j)));
    return pairs.reduce((sum, d) => sum + d, 0) / pairs.length;
  };
  while (groups.length > 1) {
    let best: { p: Cluster; q: Cluster; at: number } | undefined;
    groups.forEach((p, i) =>
      groups.slice(i + 1).forEach((q) => {
        const at = between(p, q);
        if (!best || at < best.at - 1e-12) best = { p, q, at };
      }),
    );
    const { p, q, at } = best!;
    const joined: Cluster = { at, of: [p, q], leaves: [...leavesOf(p), ...leavesOf(q)] };
    groups = [joined, ...groups.filter((g) => g !== p && g !== q)];
  }
  return groups[0]!;
}
