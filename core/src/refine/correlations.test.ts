import { describe, expect, it } from 'vitest';
import { largestCorrelations, packLower, type CovarianceData } from './covariance.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { ConstraintBuilder } from './constraint-map.ts';
import { OCCUPANCY, SCALE, siteOffset } from './parameters.ts';

const twoSites = {
  cell: { a: 5, b: 5, c: 5, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 1'),
  sites: ['C1', 'O1'].map((label) => ({
    id: label,
    label,
    element: label[0]!,
    position: [0, 0, 0] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.02 },
  })),
};

describe('correlations', () => {
  it('are named by what they drive and ordered by size', () => {
    const builder = new ConstraintBuilder(2 + 10 * 2);
    builder.add([[SCALE, 1]]);
    builder.add([[siteOffset(0), 1]]);
    // One number drives an occupancy and its complement.
    builder.add([
      [siteOffset(0) + OCCUPANCY, 1],
      [siteOffset(1) + OCCUPANCY, -0.5],
    ]);
    const map = builder.build();
    const r = [
        [1, 0.2, 0.95],
        [0.2, 1, -0.6],
        [0.95, -0.6, 1],
      ],
      su = [2, 0.1, 0.3];
    const full = Float64Array.from(r.flatMap((row, i) => row.map((x, j) => x * su[i]! * su[j]!)));
    const data: CovarianceData = { packed: packLower(full, 3, 1.7), map, siteIds: ['a', 'b'] };
    const found = largestCorrelations(data, twoSites, 0.5);
    expect(found.map((c) => Number(c.value.toFixed(3)))).toEqual([0.95, -0.6]);
    expect(found[0]!.between).toEqual(['occupancy of C1', 'overall scale']);
    expect(found[1]!.between).toEqual(['occupancy of C1', 'x of C1']);
    expect(largestCorrelations(data, twoSites, 0.99)).toEqual([]);
  });
});
