import { describe, expect, it } from 'vitest';
import { brucite, graphite, halite } from '../../../demo/src/textbook.ts';
import { turnAndStretch } from '../math/matrix2.ts';
import { seededRandom } from '../math/random.ts';
import { shortestContacts } from './from-symmetry.ts';
import { commonCells, stackLayers, type CommonCell } from './stack.ts';

const VACUUM = { vacuum: 12, along: 'normal', bothSides: true } as const;
const stack = (cell: CommonCell, fit: 'upper' | 'both' = 'upper') => ({
  cell,
  fit,
  order: [0, 1] as const,
  distance: 3.35,
  shift: [0, 0] as const,
  vacuum: VACUUM,
});

describe('two layers on one another', () => {
  // Turned hexagonal layers coincide where cos θ = (m² + 4mn + n²) / 2(m² + mn + n²), in cells of 4(m² + mn + n²) atoms.
  it.each([
    [1, 2],
    [2, 3],
    [3, 4],
  ])('the known twists of a hexagonal layer come out: m = %i, n = %i', (m, n) => {
    const size = m * m + m * n + n * n;
    const theta = (Math.acos((m * m + 4 * m * n + n * n) / (2 * size)) * 180) / Math.PI;
    const [first] = commonCells(graphite(), graphite(), {
      mostAtoms: 4 * size,
      mostStrain: 1e-4,
      twist: { angle: theta, within: 0.01 },
    });
    expect(first).toMatchObject({ atoms: 4 * size });
    expect(Math.max(...first!.strain.map(Math.abs))).toBeLessThan(1e-9);
    const { structure, counts } = stackLayers(graphite(), graphite(), stack(first!));
    expect(counts).toEqual([2 * size, 2 * size]);
    // No bond of either layer has changed.
    const cc = shortestContacts(structure)[0]!.distance;
    expect(cc).toBeCloseTo(2.464 / Math.sqrt(3), 2);
  });

  it('layers of two lattices are strained as told, and by halves where both give way', () => {
    const [first] = commonCells(graphite(), brucite(), { mostAtoms: 120, mostStrain: 0.03 });
    const [upper, both] = (['upper', 'both'] as const).map((fit) =>
      stackLayers(graphite(), brucite(), stack(first!, fit)),
    );
    const own = shortestContacts(graphite())[0]!.distance;
    const cc = (s: NonNullable<typeof upper>): number =>
      shortestContacts(s.structure).find((c) => c.pair.join() === 'C,C')!.distance;
    expect(cc(upper!)).toBeCloseTo(own, 6);
    // Half of what separates them.
    const strain = first!.strain[0];
    expect(cc(both!) / own).toBeCloseTo(1 - strain / (2 * (1 + strain)), 6);
    expect(upper!.counts.reduce((a, b) => a + b, 0)).toBe(first!.atoms);
  });

  it('stands in the order and at the distance that were wished', () => {
    const [cell] = commonCells(graphite(), graphite(), { mostAtoms: 4, mostStrain: 1e-4 });
    const three = stackLayers(graphite(), graphite(), {
      ...stack(cell!),
      order: [0, 1, 0],
      distance: 3.4,
      shift: [1 / 3, 2 / 3],
    });
    expect(three.counts).toEqual([2, 2, 2]);
    expect(three.thickness).toBeCloseTo(6.8, 9);
    expect(three.structure.cell.c).toBeCloseTo(18.8, 9);
  });

  it('deformations come apart into a turn and a stretch', () => {
    const random = seededRandom(5);
    for (let i = 0; i < 50; i++) {
      const angle = 360 * random.next() - 180,
        [e1, e2] = [0.2 * random.next(), -0.2 * random.next()],
        along = Math.PI * random.next();
      const [c, s, p, q] = [
        Math.cos((angle * Math.PI) / 180),
        Math.sin((angle * Math.PI) / 180),
        Math.cos(along),
        Math.sin(along),
      ];
      const u = [1 + e1 * p * p + e2 * q * q, (e1 - e2) * p * q, 1 + e1 * q * q + e2 * p * p] as const;
      const f = [c * u[0] - s * u[1], c * u[1] - s * u[2], s * u[0] + c * u[1], s * u[1] + c * u[2]] as const;
      const out = turnAndStretch(f);
      expect(out.angle).toBeCloseTo(angle, 8);
      expect(out.strain).toEqual([expect.closeTo(e1, 9), expect.closeTo(e2, 9)]);
    }
  });

  it('says where there are no layers, and where nothing fits', () => {
    expect(() => commonCells(halite('Mg', 4.2), graphite(), { mostAtoms: 50, mostStrain: 0.01 })).toThrow(/no layers/);
    expect(() => commonCells(graphite(), brucite(), { mostAtoms: 20, mostStrain: 0.001 })).toThrow(/No common cell/);
  });
});
