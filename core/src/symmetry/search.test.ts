import { describe, expect, it } from 'vitest';
import { fractionalDistance, metricTensor, type Cell } from '../crystal/cell.ts';
import { compose, operatorKey, rotationKey, type Operator } from '../crystal/operator.ts';
import { allOperators, spaceGroupFromOperators } from '../crystal/space-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';
import { atomsOfPrimitiveCell, CellLookup } from './cell-lookup.ts';
import { comparedSites, latticePart, operationsOf, rotationsOfView, testOperation, viewThrough } from './search.ts';
import { averagedMetric } from '../crystal/group-cell.ts';
import { exactOperators, missedGroups, rationalOrigin } from './supergroups.ts';
import { changeBasis } from '../crystal/operator.ts';
import { IDENTITY3 } from '../math/matrix3.ts';

const cell: Cell = { a: 9.1, b: 7.3, c: 12.2, alpha: 90, beta: 103, gamma: 90 };
function cloud(symbol: string, count: number, seed = 3, elements = ['C', 'C', 'C', 'O', 'N']): Structure {
  const random = seededRandom(seed);
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: Array.from({ length: count }, (_, i) => ({
      id: `${i}`,
      label: `X${i}`,
      element: elements[i % elements.length]!,
      position: [random.next(), random.next(), random.next()] as Vec3,
      occupancy: 1,
      displacement: { kind: 'iso' as const, u: 0.03 },
    })),
  };
}

describe('looking atoms up by place', () => {
  it('finds the same nearest atom as asking all of them', () => {
    const s = cloud('P 1 21/c 1', 25),
      lookup = new CellLookup(
        cell,
        atomsOfPrimitiveCell(
          s,
          s.sites.map((_, i) => i),
        ),
      ),
      g = metricTensor(cell),
      random = seededRandom(8);
    expect(lookup.atoms).toHaveLength(100);
    for (let k = 0; k < 200; k++) {
      const x: Vec3 = [3 * random.next() - 1, 3 * random.next() - 1, 3 * random.next() - 1];
      const direct = Math.min(
        ...lookup.atoms
          .filter((a) => a.element === 'C')
          .flatMap((a) =>
            [-2, -1, 0, 1, 2].flatMap((i) =>
              [-2, -1, 0, 1, 2].flatMap((j) =>
                [-2, -1, 0, 1, 2].map((l) => fractionalDistance(g, [a.x[0] + i, a.x[1] + j, a.x[2] + l], x)),
              ),
            ),
          ),
      );
      const found = lookup.nearest('C', x);
      // Beyond two ångströms nothing has to be found.
      if (direct < 2) expect(found!.distance).toBeCloseTo(direct, 9);
    }
  });
  it('compares the fuller place of what is disordered, and no hydrogens', () => {
    const s = cloud('P 1', 4, 3, ['C', 'C', 'C', 'H']);
    const d: Structure = {
      ...s,
      sites: s.sites.map((x, i) =>
        i === 0
          ? { ...x, occupancy: 0.3, disorder: { assembly: 'A', group: '1' } }
          : i === 1
            ? { ...x, occupancy: 0.7, disorder: { assembly: 'A', group: '2' } }
            : x,
      ),
    };
    expect(comparedSites(d)).toEqual([1, 2]);
  });
});

describe('operations nearly there', () => {
  it('are found with the translation that fits best', () => {
    const whole = cloud('P 1 21/c 1', 12);
    const random = seededRandom(5);
    const p1: Structure = {
      cell,
      spaceGroup: spaceGroupFromSymbol('P 1'),
      sites: allOperators(whole.spaceGroup).flatMap((o, k) =>
        whole.sites.map((x) => ({
          ...x,
          id: `${x.id}${k}`,
          label: `${x.label}${k}`,
          position: toVec3(
            [0, 1, 2].map(
              (i) =>
                o.r[3 * i]! * x.position[0] +
                o.r[3 * i + 1]! * x.position[1] +
                o.r[3 * i + 2]! * x.position[2] +
                o.t[i]! +
                0.17 * (i + 1) +
                0.003 * random.normal(),
            ),
          ),
        })),
      ),
    };
    const wide = viewThrough(p1, p1.spaceGroup.centring, 0.3);
    const found = operationsOf(wide, rotationsOfView(wide), 0.3, 0.8);
    expect(found).toHaveLength(3);
    for (const f of found) {
      expect(f.fit).toBe(1);
      expect(f.maxDeviation).toBeLessThan(0.3);
    }
    const view = viewThrough(p1, p1.spaceGroup.centring, 0.2);
    expect(testOperation(view, { r: [-1, 0, 0, 0, -1, 0, 0, 0, -1], t: [0.05, 0.3, 0.2] }, 0.2, 0.8)).toBeUndefined();
    const best = missedGroups(p1, 0.3)[0]!;
    expect(best.group.symbol).toBe('P 1 21/c 1');
    expect(best.index).toBe(4);
  });
  it('come out exact from loose translations, along free directions too', () => {
    const g = spaceGroupFromSymbol('P n a 21'),
      random = seededRandom(2);
    // About an arbitrary origin no translation is a simple fraction.
    const origin: Vec3 = [0.113, 0.271, 0.4049];
    const moved = g.representatives.map((o) => changeBasis(o, IDENTITY3, origin));
    const loose = moved.map((o) => ({ r: o.r, t: toVec3(o.t.map((x) => x + 0.008 * random.normal())) }));
    const exact = exactOperators(loose, g.centring);
    const split = latticePart(g.centring),
      at = new Map(exact.map((o) => [rotationKey(o.r), o]));
    for (const a of exact)
      for (const b of exact) {
        const p = compose(a, b),
          c = at.get(rotationKey(p.r))!;
        split([p.t[0] - c.t[0], p.t[1] - c.t[1], p.t[2] - c.t[2]]).rest.forEach((x) =>
          expect(Math.abs(x)).toBeLessThan(1e-9),
        );
      }
    const home = exact.map((o) => changeBasis(o, IDENTITY3, rationalOrigin(exact)));
    for (const o of home) for (const x of o.t) expect(Math.abs(x * 4 - Math.round(x * 4))).toBeLessThan(1e-6);
    expect(spaceGroupFromOperators(home as Operator[]).representatives).toHaveLength(4);
    expect(new Set(home.map(operatorKey)).size).toBe(4);
  });
  it('ask for a cell of their metric', () => {
    const { metric, misfit } = averagedMetric(
      { a: 8, b: 8.02, c: 11, alpha: 90.05, beta: 89.9, gamma: 90 },
      spaceGroupFromSymbol('P 4').representatives.map((o) => o.r),
    );
    expect(metric.a).toBeCloseTo(metric.b, 10);
    expect([metric.alpha, metric.beta, metric.gamma]).toEqual([90, 90, 90]);
    expect(misfit).toBeGreaterThan(0.001);
    expect(misfit).toBeLessThan(0.01);
  });
});
