import { describe, expect, it } from 'vitest';
import {
  NO_CONTROLS,
  type Constraint,
  type Controls,
  type HydrogenGroup,
  type OccupancyTie,
} from '../crystal/controls.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { compileConstraints, Contradiction, contradictionOf } from './compile-constraints.ts';
import { expandShift, type ConstraintMap } from './constraint-map.ts';
import { assignOccupancy, assignPosition, obeyControls } from './holds.ts';
import { commonInvariants, displacementRotation, invariantBasis } from './invariants.ts';
import { DISPLACEMENT, OCCUPANCY, parameterAt, parameterWords, siteOffset } from './parameters.ts';

const random = seededRandom(17);
const FREE = { extinction: false };

function crystal(n: number, aniso = false, symbol = 'P -1'): Structure {
  return {
    cell: { a: 9, b: 10, c: 11, alpha: 82, beta: 97, gamma: 104 },
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: Array.from({ length: n }, (_, i): Site => ({
      id: `s${i}`,
      label: `C${i}`,
      element: 'C',
      position: [0.1 + 0.07 * i, 0.2 + 0.05 * (i % 3), 0.15 + 0.06 * (i % 4)],
      occupancy: 0.5,
      displacement: aniso ? { kind: 'aniso', u: [0.03, 0.04, 0.05, 0.001, 0.002, 0.003] } : { kind: 'iso', u: 0.04 },
    })),
  };
}

const held = (s: Structure, controls: Partial<Controls>): Structure => ({
  ...s,
  controls: { ...NO_CONTROLS, ...controls },
});
const id = (i: number): string => `s${i}`;
let count = 0;
const share = (kind: 'shared position' | 'shared displacement' | 'rigid group', ...sites: number[]): Constraint => ({
  id: `c${count++}`,
  kind,
  sites: sites.map(id),
});
const fix = (what: 'position' | 'displacement' | 'occupancy', ...sites: number[]): Constraint => ({
  id: `c${count++}`,
  kind: 'fixed',
  sites: sites.map(id),
  what: [what],
});
const group = (parent: number, ...hydrogens: number[]): HydrogenGroup => ({
  id: `g${count++}`,
  parent: id(parent),
  hydrogens: hydrogens.map(id),
  shape: 'methine',
  hold: 'riding',
  uFactor: 1.2,
  length: 0.98,
});
const tie = (...sites: number[]): OccupancyTie => ({ id: `t${count++}`, kind: 'shared', sites: sites.map(id) });

/** A map without the order of its columns: its rows as sets of (column name, value), columns named by all they drive. */
function shape(map: ConstraintMap): string {
  const drives = Array.from({ length: map.independent }, () => [] as string[]);
  for (let p = 0; p < map.physical; p++)
    for (let e = map.start[p]!; e < map.start[p + 1]!; e++)
      drives[map.column[e]!]!.push(`${p}:${map.value[e]!.toFixed(9)}`);
  return drives
    .map((d) => d.sort().join(' '))
    .sort()
    .join('\n');
}

const shuffled = <T>(list: readonly T[]): T[] =>
  list
    .map((x) => ({ x, key: random.next() }))
    .sort((p, q) => p.key - q.key)
    .map((p) => p.x);

describe('rules of a model', () => {
  it('mean the same in whatever order they were made', () => {
    const constraints = [
      share('shared position', 0, 1),
      share('shared position', 2, 1),
      share('shared displacement', 3, 4),
      share('shared displacement', 5, 4),
      share('rigid group', 6, 7, 8, 9),
      fix('position', 10),
      fix('occupancy', 11),
      share('shared displacement', 10, 0),
    ];
    const occupancies = [tie(2, 3), tie(6, 7, 8)];
    const hydrogens = [group(5, 12), group(12, 13)];
    const first = shape(compileConstraints(held(crystal(14), { constraints, occupancies, hydrogens }), FREE));
    for (let i = 0; i < 40; i++) {
      const controls = {
        constraints: shuffled(constraints).map((c) => ({
          ...c,
          sites: c.kind === 'fixed' ? c.sites : shuffled(c.sites),
        })),
        occupancies: shuffled(occupancies),
        hydrogens: shuffled(hydrogens),
      };
      expect(shape(compileConstraints(held(crystal(14), controls), FREE))).toBe(first);
    }
  });

  it('make a chain of shared positions one position, however it is chained', () => {
    for (const pairs of [
      [share('shared position', 0, 1), share('shared position', 1, 2)],
      [share('shared position', 1, 2), share('shared position', 0, 1)],
    ]) {
      const s = held(crystal(4), { constraints: pairs });
      const map = compileConstraints(s, FREE);
      // Scale, two positions, four displacements.
      expect(map.independent).toBe(1 + 2 * 3 + 4);
      const shift = new Float64Array(map.independent).fill(0.01);
      const moved = expandShift(map, shift);
      for (let k = 0; k < 3; k++)
        for (const i of [1, 2]) expect(moved[siteOffset(i) + k]).toBe(moved[siteOffset(0) + k]);
      expect(moved[siteOffset(2)]).not.toBe(0);
      const obeyed = obeyControls(s).sites;
      expect(obeyed[2]!.position).toEqual(obeyed[0]!.position);
      expect(obeyed[1]!.position).toEqual(obeyed[0]!.position);
    }
  });

  it('compose pair by pair, or are refused with both in words', () => {
    const kinds: ((...sites: number[]) => Partial<Controls>)[] = [
      (...x) => ({ constraints: [share('shared position', ...x)] }),
      (...x) => ({ constraints: [share('shared displacement', ...x)] }),
      (...x) => ({ constraints: [share('rigid group', ...x, 6, 7)] }),
      (...x) => ({ constraints: [fix('position', ...x)] }),
      (...x) => ({ constraints: [fix('displacement', ...x)] }),
      (...x) => ({ constraints: [fix('occupancy', ...x)] }),
      (...x) => ({ occupancies: [tie(...x)] }),
      (p, h) => ({ hydrogens: [group(p!, h!)] }),
    ];
    const join = (a: Partial<Controls>, b: Partial<Controls>): Partial<Controls> => ({
      constraints: [...(a.constraints ?? []), ...(b.constraints ?? [])],
      occupancies: [...(a.occupancies ?? []), ...(b.occupancies ?? [])],
      hydrogens: [...(a.hydrogens ?? []), ...(b.hydrogens ?? [])],
    });
    const outcome = (controls: Partial<Controls>): string => {
      try {
        const map = compileConstraints(held(crystal(8), controls), { extinction: false, occupancies: [0, 1, 2] });
        // A value that moves has a column; none is driven twice by the same column.
        for (let p = 0; p < map.physical; p++) {
          const columns = Array.from(map.column.subarray(map.start[p], map.start[p + 1]));
          expect(new Set(columns).size).toBe(columns.length);
          expect(columns.every((c) => c >= 0 && c < map.independent)).toBe(true);
        }
        return shape(map);
      } catch (e) {
        expect(e).toBeInstanceOf(Contradiction);
        expect((e as Contradiction).first.length).toBeGreaterThan(8);
        expect((e as Contradiction).second.length).toBeGreaterThan(8);
        return 'refused';
      }
    };
    let refused = 0;
    for (const one of kinds)
      for (const other of kinds)
        for (const [p, q] of [
          [
            [0, 1],
            [1, 2],
          ],
          [
            [0, 1],
            [0, 1],
          ],
          [
            [0, 1],
            [2, 0],
          ],
        ] as const) {
          const both = outcome(join(one(...p), other(...q)));
          expect(outcome(join(other(...q), one(...p))), 'the other order').toBe(both);
          if (both === 'refused') refused++;
        }
    expect(refused).toBeGreaterThan(5);
    expect(refused).toBeLessThan(100);
  });

  it('that collide are told', () => {
    const two = held(crystal(8), { constraints: [share('rigid group', 0, 1, 2), share('rigid group', 2, 3, 4)] });
    expect(contradictionOf(two)).toBe(
      'Two rules cannot both hold: C0, C1, C2 moved as one rigid group; and C2, C3, C4 moved as one rigid group. Take one of them off.',
    );
    expect(contradictionOf(held(crystal(4), { occupancies: [tie(0, 1), tie(1, 2)] }))).toMatch(
      /C0, C1 share one occupancy; and C1, C2 share one occupancy/,
    );
    expect(contradictionOf(held(crystal(4), { hydrogens: [group(0, 1), group(1, 0)] }))).toMatch(/ride on it/);
    expect(contradictionOf(held(crystal(4), { hydrogens: [group(0, 2), group(1, 2)] }))).toMatch(/ride on it/);
    expect(contradictionOf(crystal(3))).toBeUndefined();
  });

  it('keep a fixed occupancy fixed, alone and in a tie', () => {
    const rows = (s: Structure, free: number[], i: number): number => {
      const map = compileConstraints(s, { extinction: false, occupancies: free });
      const p = siteOffset(i) + OCCUPANCY;
      return map.start[p + 1]! - map.start[p]!;
    };
    expect(rows(crystal(3), [0], 0)).toBe(1);
    expect(rows(held(crystal(3), { constraints: [fix('occupancy', 0)] }), [0], 0)).toBe(0);
    const tied = held(crystal(3), { constraints: [fix('occupancy', 0)], occupancies: [tie(0, 1)] });
    expect(rows(tied, [0, 1], 1)).toBe(0);
    const obeyed = obeyControls({ ...tied, sites: tied.sites.map((x, i) => (i ? x : { ...x, occupancy: 0.8 })) });
    expect(obeyed.sites.map((x) => x.occupancy)).toEqual([0.8, 0.8, 0.5]);
    // Asked for one by one and tied: one column, not two.
    const free = compileConstraints(held(crystal(3), { occupancies: [tie(0, 1)] }), {
      extinction: false,
      occupancies: [0, 1],
    });
    expect(free.independent).toBe(compileConstraints(crystal(3), FREE).independent + 1);
  });

  it('give shared tensors what all their places allow', () => {
    // One site on a two-fold axis, one in general position: the shared tensor obeys the axis.
    const s: Structure = {
      ...crystal(2, true, 'P 1 2 1'),
      cell: { a: 9, b: 10, c: 11, alpha: 90, beta: 97, gamma: 90 },
    };
    const on = { ...s, sites: [{ ...s.sites[0]! }, { ...s.sites[1]!, position: [0, 0.3, 0] as const }] };
    const map = compileConstraints(held(on, { constraints: [share('shared displacement', 0, 1)] }), FREE);
    // Scale; three coordinates and one; four tensor components instead of six.
    expect(map.independent).toBe(1 + 3 + 1 + 4);
    const u12 = siteOffset(0) + DISPLACEMENT + 3;
    expect(map.start[u12 + 1]! - map.start[u12]!).toBe(0);
    const rotation = displacementRotation(on.cell, [-1, 0, 0, 0, 1, 0, 0, 0, -1]);
    const unit = Array.from({ length: 36 }, (_, i) => (i % 7 ? 0 : 1));
    expect(commonInvariants([rotation], 6)).toHaveLength(invariantBasis([unit, rotation], 6).length);
  });
});

describe('a number typed on a tied value', () => {
  const four = held(crystal(5), { occupancies: [tie(0, 1, 2, 3)] });
  it('is the number of all of them, and reads back as typed', () => {
    for (let i = 0; i < 4; i++) {
      const typed = obeyControls(assignOccupancy(four, [i], 0.8));
      expect(typed.sites.map((x) => x.occupancy)).toEqual([0.8, 0.8, 0.8, 0.8, 0.5]);
    }
  });

  it('leaves the rest of an assembly what is over', () => {
    const base = crystal(6);
    const sites = base.sites.map((x, i) => ({
      ...x,
      occupancy: [0.5, 0.5, 0.3, 0.3, 0.2, 0.2][i]!,
      disorder: { assembly: 'A', group: String(1 + Math.floor(i / 2)) },
    }));
    const s = held(
      { ...base, sites },
      { occupancies: [{ id: 'a', kind: 'assembly', assembly: 'A', groups: ['1', '2', '3'] }] },
    );
    const typed = obeyControls(assignOccupancy(s, [1], 0.6)).sites.map((x) => x.occupancy);
    [0.6, 0.6, 0.24, 0.24, 0.16, 0.16].forEach((v, i) => expect(typed[i]).toBeCloseTo(v, 12));
  });

  it('moves every site of a shared place', () => {
    const s = held(crystal(4), { constraints: [share('shared position', 0, 1), share('shared position', 2, 1)] });
    const typed = obeyControls(assignPosition(s, 2, [0.4, 0.3, 0.2]));
    for (const i of [0, 1, 2]) expect(typed.sites[i]!.position).toEqual([0.4, 0.3, 0.2]);
    expect(typed.sites[3]!.position).toEqual(s.sites[3]!.position);
  });
});

describe('the layout of parameters', () => {
  it('names each and knows where it stands', () => {
    const s = crystal(2, true);
    expect(parameterWords(s, 0)).toBe('overall scale');
    expect(parameterWords(s, siteOffset(1) + 2)).toBe('z of C1');
    expect(parameterWords(s, siteOffset(0) + DISPLACEMENT + 3)).toBe('U12 of C0');
    expect(parameterWords(s, siteOffset(2))).toBe('twin fraction 2');
    for (let i = 0; i < 2; i++)
      for (let k = 0; k < 10; k++) {
        const p = parameterAt(siteOffset(i) + k, 2);
        expect(p.kind).toBe(k < 3 ? 'position' : k === 3 ? 'occupancy' : 'displacement');
        expect('site' in p && p.site).toBe(i);
      }
  });
});
