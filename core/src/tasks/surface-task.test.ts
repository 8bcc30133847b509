import { describe, expect, it } from 'vitest';
import { KJ_PER_HARTREE } from '../math/units.ts';
import { elementOf } from '../crystal/elements.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3 } from '../math/matrix3.ts';
import { BOHR } from '../math/units.ts';
import { quietContext } from '../task-context.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { surfaceTask } from './surface-task.ts';

const { structure } = testCrystal('OCC#N', 'P 1 21/c 1', 3);
const ids = structure.sites.map((x) => x.id);
const charges = structure.sites.map((x) => (x.element === 'H' ? 0.1 : x.element === 'O' ? -0.4 : 0.05));

/** Point charges: all electrons within the first radius. */
const potentials = {
  sites: ids,
  radii: ids.map(() => Float64Array.of(0.01, 0.02)),
  parts: ids.map((_, i) => {
    const electrons = elementOf(structure.sites[i]!.element).z - charges[i]!;
    const part = new Float64Array(32);
    part[0] = part[16] = -electrons * Math.sqrt(4 * Math.PI);
    return part;
  }),
};

describe('the surface of a molecule', () => {
  it('has the potential of its atoms at every vertex', async () => {
    const { surface } = await surfaceTask.run({ structure, by: 'distance', potentials }, quietContext());
    expect(surface.potential).toHaveLength(surface.inside.length);
    const m = orthogonalization(structure.cell);
    const middle = structure.sites.map((x) => apply3(m, x.position));
    for (let v = 0; v < surface.inside.length; v += 97) {
      const direct = middle.reduce((sum, at, i) => {
        const way = at.map((x, k) => surface.positions[3 * v + k]! - x);
        return sum + (charges[i]! * KJ_PER_HARTREE * BOHR) / Math.hypot(...way);
      }, 0);
      expect(surface.potential![v]).toBeCloseTo(direct, 1);
    }
  });

  it('is told without one where an atom of it has none', async () => {
    const fewer = { ...potentials, sites: ['gone', ...ids.slice(1)] };
    const { surface } = await surfaceTask.run({ structure, by: 'distance', potentials: fewer }, quietContext());
    expect(surface.potential).toBeUndefined();
    expect(surface.inside.length).toBeGreaterThan(100);
  });
});
