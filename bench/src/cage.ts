/** A cage of sixty carbon atoms in a cubic cell: the corners of a truncated icosahedron, edges of 1.43 Å. */
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';

const GOLDEN = (1 + Math.sqrt(5)) / 2;
const SEEDS = [
  [0, 1, 3 * GOLDEN],
  [1, 2 + GOLDEN, 2 * GOLDEN],
  [2, 1 + 2 * GOLDEN, GOLDEN],
] as const;

export function cage(spaceGroup: SpaceGroup): Structure {
  const corners = new Map<string, [number, number, number]>();
  for (const seed of SEEDS)
    for (let turn = 0; turn < 3; turn++)
      for (let signs = 0; signs < 8; signs++) {
        const p = [0, 1, 2].map((k) => seed[(k + turn) % 3]! * (signs & (1 << k) ? -0.715 : 0.715));
        corners.set(p.map((x) => (x + 0).toFixed(4)).join(), p as [number, number, number]);
      }
  const edge = 10;
  return {
    cell: { a: edge, b: edge, c: edge, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup,
    sites: [...corners.values()].map((p, i) => ({
      id: `c${i}`,
      label: `C${i + 1}`,
      element: 'C',
      position: [p[0] / edge + 0.5, p[1] / edge + 0.5, p[2] / edge + 0.5],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}
