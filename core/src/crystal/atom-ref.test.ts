import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';
import {
  canonicalRef,
  composePlacements,
  HOME,
  invertPlacement,
  isHome,
  operatorOf,
  originalRef,
  placementOf,
  placeKey,
  placeNumber,
  positionOf,
  refKey,
  samePlace,
  symmetryCode,
  symmetryTable,
  type AtomRef,
  type Placement,
} from './atom-ref.ts';
import { orthogonalization } from './cell.ts';
import { neighbours } from './neighbours.ts';
import { applyOperator, parseXyz } from './operator.ts';
import { spaceGroupFromSymbol } from './settings.ts';
import { allOperators } from './space-group.ts';
import type { Structure } from './structure.ts';

const random = seededRandom(7);
const GROUPS = ['P 1', 'P -1', 'P 1 21/c 1', 'C 1 2/c 1', 'P 21 21 21', 'I 41/a', 'R -3 c', 'P 63/m m c', 'F d -3 m'];
const point = (): Vec3 => [random.next(), random.next(), random.next()];
const some = (group: Structure['spaceGroup']): Placement => ({
  operator: Math.floor(random.next() * symmetryTable(group).operators.length),
  shift: [0, 1, 2].map(() => Math.floor(5 * random.next()) - 2) as never,
});
const close = (a: Vec3, b: Vec3): void => a.forEach((x, k) => expect(x).toBeCloseTo(b[k]!, 10));
const holding = (symbol: string, positions: readonly Vec3[]): Structure => ({
  cell: { a: 8, b: 8, c: 8, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: positions.map((position, i) => ({
    id: `s${i}`,
    label: `C${i}`,
    element: 'C',
    position,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.02 },
  })),
});

describe('placements', () => {
  it.each(GROUPS)('of %s compose and invert as their operations do', (symbol) => {
    const group = spaceGroupFromSymbol(symbol);
    for (let i = 0; i < 60; i++) {
      const a = some(group),
        b = some(group),
        x = point();
      const both = composePlacements(group, a, b);
      close(
        applyOperator(operatorOf(group, both), x),
        applyOperator(operatorOf(group, a), applyOperator(operatorOf(group, b), x)),
      );
      expect(isHome(composePlacements(group, a, invertPlacement(group, a)))).toBe(true);
      expect(isHome(composePlacements(group, invertPlacement(group, a), a))).toBe(true);
      expect(placementOf(group, operatorOf(group, a))).toEqual(a);
    }
  });

  it('refuse what is no operation of the group', () => {
    const group = spaceGroupFromSymbol('P 1 21/c 1');
    expect(() => placementOf(group, parseXyz('x,y,z+1/3'))).toThrow(/not an operation/);
    expect(placementOf(group, parseXyz('x,y,z'))).toEqual(HOME);
  });

  it('have the codes of CIF', () => {
    expect(symmetryCode(HOME)).toBe('.');
    expect(symmetryCode({ operator: 3, shift: [0, 1, 0] })).toBe('4_565');
    expect(symmetryCode({ operator: 0, shift: [-1, 0, 2] })).toBe('1_457');
  });
});

describe('one place', () => {
  const s = holding('F m -3 m', [
    [0.5, 0.5, 0.5],
    [0.13, 0.21, 0.34],
  ]);
  const every = (site: string): AtomRef[] =>
    symmetryTable(s.spaceGroup).operators.map((_, operator) => ({ site, operator, shift: [0, 0, 0] }));

  it('has one name however it is reached, and no other place has it', () => {
    for (const [site, distinct] of [
      ['s0', 4],
      ['s1', 192],
    ] as const) {
      const byPosition = new Map<string, Set<string>>();
      for (const ref of every(site)) {
        const x = positionOf(s, ref);
        // Wrapped, so that the lattice shift of the reference does not matter for the count.
        const shift = toVec3(x.map((v) => -Math.floor(v + 1e-6)));
        const inside = { ...ref, shift };
        const at = positionOf(s, inside)
          .map((v) => v.toFixed(6).replace('-0.', '0.'))
          .join();
        (byPosition.get(at) ?? byPosition.set(at, new Set()).get(at)!).add(placeKey(s, inside));
      }
      expect(byPosition.size).toBe(distinct);
      expect([...byPosition.values()].every((names) => names.size === 1)).toBe(true);
      expect(new Set([...byPosition.values()].flatMap((n) => [...n])).size).toBe(distinct);
    }
  });

  it('does not hang on the last digit of a coordinate', () => {
    const off = holding('F m -3 m', [[0.5 - 1e-12, 0.5, 0.5 + 1e-12]]);
    const names = every('s0').map((r) => placeKey(s, r));
    expect(every('s0').map((r) => placeKey(off, r))).toEqual(names);
    expect(samePlace(off, { site: 's0', operator: 1, shift: [0, 0, 0] }, originalRef('s0'))).toBe(
      samePlace(s, { site: 's0', operator: 1, shift: [0, 0, 0] }, originalRef('s0')),
    );
  });

  it('keeps the position, and its number tells it apart as its name does', () => {
    const seen = new Map<number, string>();
    for (let i = 0; i < 400; i++) {
      const ref: AtomRef = { site: i % 2 ? 's0' : 's1', ...some(s.spaceGroup) };
      close(positionOf(s, canonicalRef(s, ref)), positionOf(s, ref));
      expect(refKey(canonicalRef(s, canonicalRef(s, ref)))).toBe(placeKey(s, ref));
      const n = placeNumber(s, ref);
      expect(Number.isSafeInteger(n)).toBe(true);
      expect(seen.get(n) ?? placeKey(s, ref)).toBe(placeKey(s, ref));
      seen.set(n, placeKey(s, ref));
    }
    expect(seen.size).toBe(new Set(seen.values()).size);
  });

  it('is told apart from a site that is gone', () => {
    expect(() => positionOf(s, originalRef('gone'))).toThrow(/not in this model/);
  });
});

describe('neighbours by boxes', () => {
  /** Every pair by brute force over the cells around. */
  function direct(s: Structure, reach: number): Map<string, number> {
    const m = orthogonalization(s.cell);
    const out = new Map<string, number>();
    const n = 6;
    s.sites.forEach((c, from) =>
      s.sites.forEach((x, to) => {
        for (const o of allOperators(s.spaceGroup)) {
          const y = applyOperator(o, x.position);
          for (let u = -n; u <= n; u++)
            for (let v = -n; v <= n; v++)
              for (let w = -n; w <= n; w++) {
                const d = [y[0] + u, y[1] + v, y[2] + w].map((q, k) => q - c.position[k]!);
                const r = Math.hypot(
                  m[0] * d[0]! + m[1] * d[1]! + m[2] * d[2]!,
                  m[4] * d[1]! + m[5] * d[2]!,
                  m[8] * d[2]!,
                );
                if (r > 0.01 && r <= reach)
                  out.set(`${from} ${to} ${d.map((q) => (Math.round(q * 1e5) + 0).toString()).join()}`, r);
              }
        }
      }),
    );
    return out;
  }

  it.each([
    ['P 1', { a: 5, b: 9, c: 7, alpha: 61, beta: 118, gamma: 74 }, 6.5],
    ['P 1 21/c 1', { a: 6, b: 7, c: 11, alpha: 90, beta: 112, gamma: 90 }, 4.1],
    ['R -3 c', { a: 5, b: 5, c: 14, alpha: 90, beta: 90, gamma: 120 }, 3.3],
    ['F m -3 m', { a: 6, b: 6, c: 6, alpha: 90, beta: 90, gamma: 90 }, 4.3],
  ] as const)('in %s are those found one by one', (symbol, cell, reach) => {
    const positions: Vec3[] = [[0, 0, 0], [2.31, -0.62, 0.25], point(), point()];
    const s = { ...holding(symbol, positions), cell };
    const found = neighbours(s.cell, s.spaceGroup, positions, reach);
    const wanted = direct(s, reach);
    expect(found).toHaveLength(wanted.size);
    const sorted = [...wanted.values()].sort((p, q) => p - q);
    found
      .map((n) => n.distance)
      .sort((p, q) => p - q)
      .forEach((d, i) => expect(d).toBeCloseTo(sorted[i]!, 8));
    for (const n of found) close(positionOf(s, { site: `s${n.to}`, operator: n.operator, shift: n.shift }), n.position);
  });

  it('look from chosen centres with a reach by pair', () => {
    const positions: Vec3[] = [
      [0, 0, 0],
      [0.2, 0, 0],
      [0, 0.3, 0],
    ];
    const s = holding('P 1', positions);
    const list = neighbours(s.cell, s.spaceGroup, positions, { widest: 3, of: (i, j) => (i + j === 1 ? 3 : 0) }, [1]);
    expect(list.map((n) => [n.from, n.to])).toEqual([[1, 0]]);
    expect(list[0]!.distance).toBeCloseTo(1.6, 10);
    expect(neighbours(s.cell, s.spaceGroup, positions, 0)).toEqual([]);
  });
});
