/** A cage of sixty carbon atoms in a cubic cell. */
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';
import { cageCorners } from '../../demo/src/cage.ts';

export function cage(spaceGroup: SpaceGroup): Structure {
  const edge = 10;
  return {
    cell: { a: edge, b: edge, c: edge, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup,
    sites: cageCorners().map((p, i) => ({
      id: `c${i}`,
      label: `C${i + 1}`,
      element: 'C',
      position: [p[0] / edge + 0.5, p[1] / edge + 0.5, p[2] / edge + 0.5],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}
