import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { cellVolume, metricTensor, type Cell } from '../crystal/cell.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { cellContents, equivalentU, type Structure } from '../crystal/structure.ts';
import { lowerSymmetry, subgroups } from './subgroups.ts';
import { seededRandom } from '../math/random.ts';
import {
  changeStructure,
  changeTreatment,
  combineChanges,
  consequenceOf,
  parseChange,
  type AxesChange,
} from './change-setting.ts';
import { settingsOf } from './settings-of.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { apply3, inverse3, type Mat3 } from '../math/matrix3.ts';

/** The way back. */
function reverseChange(c: AxesChange): AxesChange {
  const p = inverse3(c.p);
  const o = apply3(p, c.origin);
  return { p, origin: [-o[0] + 0, -o[1] + 0, -o[2] + 0] };
}

const monoclinic: Cell = {
  a: 9.12,
  b: 7.45,
  c: 13.31,
  alpha: 90,
  beta: 101.7,
  gamma: 90,
  su: [0.001, 0.001, 0.002, 0, 0.01, 0],
};

function madeUp(symbol: string, cell: Cell, count = 5): Structure {
  const random = seededRandom(4);
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: Array.from({ length: count }, (_, i) => ({
      id: `s${i}`,
      label: `C${i + 1}`,
      element: i ? 'C' : 'S',
      position: [random.next(), random.next(), random.next()] as [number, number, number],
      positionSu: [1e-4, 2e-4, 1e-4] as [number, number, number],
      occupancy: 1,
      displacement: {
        kind: 'aniso' as const,
        u: [0.03 + 0.01 * random.next(), 0.04, 0.035, 0.004, 0.006, -0.003] as const,
        su: [1e-3, 1e-3, 1e-3, 1e-3, 1e-3, 1e-3] as const,
      },
    })),
  };
}

/** Made-up indices. */
function indices(): MergedReflections {
  const h: number[] = [],
    k: number[] = [],
    l: number[] = [];
  for (let i = -3; i <= 3; i++)
    for (let j = 0; j <= 3; j++)
      for (let m = 0; m <= 4; m++)
        if (i || j || m) {
          h.push(i);
          k.push(j);
          l.push(m);
        }
  const n = h.length;
  return {
    count: n,
    h: Int16Array.from(h),
    k: Int16Array.from(k),
    l: Int16Array.from(l),
    fsq: new Float64Array(n).fill(100),
    sigma: new Float64Array(n).fill(1),
    multiplicity: new Uint16Array(n).fill(1),
  };
}
const moved = (r: MergedReflections, p: Mat3): MergedReflections => ({
  ...r,
  h: Int16Array.from(r.h, (x, i) => Math.round(x * p[0] + r.k[i]! * p[3] + r.l[i]! * p[6])),
  k: Int16Array.from(r.h, (x, i) => Math.round(x * p[1] + r.k[i]! * p[4] + r.l[i]! * p[7])),
  l: Int16Array.from(r.h, (x, i) => Math.round(x * p[2] + r.k[i]! * p[5] + r.l[i]! * p[8])),
});
const distances = (s: Structure): number[] =>
  neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    6,
  )
    .map((n) => n.distance)
    .sort((p, q) => p - q);

describe('a change of setting', () => {
  const cases: [string, Cell, string][] = [
    ['P 1 21/c 1', monoclinic, '-a-c, b, a'],
    ['I 1 2/a 1', monoclinic, '-a-c, b, a'],
    ['P 21 21 21', { a: 6.1, b: 9.2, c: 14.4, alpha: 90, beta: 90, gamma: 90 }, 'c, a, b; 1/4, 0, 1/4'],
    ['P -1', { a: 7, b: 8, c: 9, alpha: 81, beta: 75, gamma: 69 }, 'a, b, c-a; 0 1/2 0'],
  ];
  it.each(cases)('of %s keeps every distance, U_eq and |F|², and the way back returns it', (symbol, cell, text) => {
    const s = madeUp(symbol, cell);
    const change = parseChange(text);
    const t = changeStructure(s, change);
    const d1 = distances(s),
      d2 = distances(t);
    expect(d2.length).toBe(d1.length);
    d1.forEach((x, i) => expect(d2[i]).toBeCloseTo(x, 8));
    s.sites.forEach((x, i) =>
      expect(equivalentU(t.cell, t.sites[i]!.displacement)).toBeCloseTo(equivalentU(s.cell, x.displacement), 10),
    );
    expect(t.spaceGroup.number).toBe(s.spaceGroup.number);
    const r = indices();
    const one = evaluateStructure(experiment(s, r, 0.71, { weights: { a: 0.1, b: 0 } }), 1).data,
      two = evaluateStructure(experiment(t, moved(r, change.p), 0.71, { weights: { a: 0.1, b: 0 } }), 1).data;
    const f = new Map(Array.from(one.used, (u, i) => [u, one.fc2[i]!]));
    expect(one.used.length).toBeGreaterThan(30);
    expect(two.used.length).toBe(one.used.length);
    Array.from(two.used).forEach((u, i) => expect(two.fc2[i]! / f.get(u)!).toBeCloseTo(1, 6));
    const back = changeStructure(t, reverseChange(change));
    back.sites.forEach((x, i) => {
      x.position.forEach((v, k) => expect(v).toBeCloseTo(s.sites[i]!.position[k]!, 9));
      (x.displacement as { u: readonly number[] }).u.forEach((v, k) =>
        expect(v).toBeCloseTo((s.sites[i]!.displacement as { u: readonly number[] }).u[k]!, 9),
      );
    });
    metricTensor(back.cell).forEach((x, i) => expect(x).toBeCloseTo(metricTensor(s.cell)[i]!, 7));
    expect(back.spaceGroup.hall).toBe(s.spaceGroup.hall);
  });

  it('refuses what cannot be, and says why', () => {
    const g = spaceGroupFromSymbol('P 1 21/c 1');
    const why = (text: string): string => {
      const c = consequenceOf(monoclinic, g, parseChange(text));
      return c.possible ? '' : c.reason;
    };
    expect(why('a, b, a+b')).toContain('in one plane');
    expect(why('b, a, c')).toContain('left-handed');
    expect(why('1/2a, b, c')).toContain('not a vector of the lattice');
    expect(why('a+b, 3b, c')).toContain('fractional coefficients');
    expect(() => parseChange('a, b')).toThrow('Three axes');
    expect(() => parseChange('1 0 0 0 1')).toThrow('Nine numbers');
    expect(() => parseChange('a, b, q')).toThrow('cannot be read');
    const doubled = consequenceOf(monoclinic, g, parseChange('2a, b, c'));
    expect(doubled.possible && doubled.points).toBe(2);
    expect(doubled.possible && doubled.words).toContain('2 times as large');
  });

  it('carries twin laws with the indices', () => {
    const law: Mat3 = [-1, 0, 0, 0, -1, 0, 1, 0, 1];
    const change = parseChange('-a-c, b, a');
    const out = changeTreatment({ twins: [{ law, fraction: 0.3, name: '' }] }, change).twins![0]!.law;
    // h′ = Pᵀh, so law′ Pᵀ h must be Pᵀ (law h).
    const pt = [
      change.p[0],
      change.p[3],
      change.p[6],
      change.p[1],
      change.p[4],
      change.p[7],
      change.p[2],
      change.p[5],
      change.p[8],
    ];
    const apply = (m: readonly number[], v: readonly number[]): number[] =>
      [0, 1, 2].map((i) => m[3 * i]! * v[0]! + m[3 * i + 1]! * v[1]! + m[3 * i + 2]! * v[2]!);
    for (const h of [
      [1, 2, 3],
      [4, -1, 2],
    ])
      expect(apply(out, apply(pt, h))).toEqual(apply(pt, apply(law, h)).map((x) => x + 0));
    const round = combineChanges(change, reverseChange(change));
    round.p.forEach((x, i) => expect(x).toBeCloseTo(i % 4 ? 0 : 1, 12));
  });
});

describe('settings of a structure', () => {
  it('puts I2/a into C2/c with the shortest cell, and tells why', () => {
    const g = spaceGroupFromSymbol('I 1 2/a 1');
    const list = settingsOf(monoclinic, g);
    expect(list[0]).toMatchObject({ present: true });
    const standard = list.find((x) => x.standard)!;
    expect(standard.group.symbol).toBe('C 1 2/c 1');
    expect(cellVolume(standard.cell)).toBeCloseTo(cellVolume(monoclinic), 6);
    const s = changeStructure(madeUp('I 1 2/a 1', monoclinic), standard.change);
    expect(s.spaceGroup.hall).toBe(standard.group.hall);
    expect(standard.cell.beta).toBeGreaterThanOrEqual(90);
  });
  it.each([
    'P 1 21/n 1',
    'P b c a',
    'P c a 21',
    'F d -3 m',
    'R -3',
    'P 41 21 2',
    'P -1',
    'B b 21 m',
    'I 41/a c d',
    'P 63/m m c',
  ])('of %s reproduce its own type whichever is taken', (symbol) => {
    const g = spaceGroupFromSymbol(symbol);
    const has = (n: number): boolean => g.representatives.some((o) => Math.abs(o.r[0] + o.r[4] + o.r[8]) === n);
    const cubic = g.representatives.length > 16 && has(0);
    const hexagonal = symbol.startsWith('R') || symbol.startsWith('P 6');
    const cell: Cell = cubic
      ? { a: 8, b: 8, c: 8, alpha: 90, beta: 90, gamma: 90 }
      : hexagonal
        ? { a: 8, b: 8, c: 11, alpha: 90, beta: 90, gamma: 120 }
        : /4/.test(symbol)
          ? { a: 8, b: 8, c: 13, alpha: 90, beta: 90, gamma: 90 }
          : symbol === 'P -1'
            ? { a: 12, b: 8, c: 7, alpha: 70, beta: 120, gamma: 95 }
            : symbol.includes('21/n')
              ? monoclinic
              : { a: 7, b: 9, c: 11, alpha: 90, beta: 90, gamma: 90 };
    const list = settingsOf(cell, g);
    expect(new Set(list.filter((x) => x.standard).map((x) => x.group.hall)).size).toBe(1);
    expect(list.filter((x) => x.present)).toHaveLength(1);
    for (const choice of list) {
      const c = consequenceOf(cell, g, choice.change);
      expect(c.possible && c.group.hall).toBe(choice.group.hall);
    }
  });
});

describe('subgroups', () => {
  it.each(['P 3 2 1', 'P 4 m m', 'R -3 m', 'P 6 2 2', 'P n -3'])(
    'of %s hold the same crystal, special positions and threefold cosets included',
    (symbol) => {
      const hexagonal = /3 2 1|6|R/.test(symbol);
      const cell: Cell = hexagonal
        ? { a: 9, b: 9, c: 11, alpha: 90, beta: 90, gamma: 120 }
        : symbol.includes('n -3')
          ? { a: 9, b: 9, c: 9, alpha: 90, beta: 90, gamma: 90 }
          : { a: 9, b: 9, c: 11, alpha: 90, beta: 90, gamma: 90 };
      const site = (
        label: string,
        element: string,
        position: readonly [number, number, number],
      ): Structure['sites'][number] => ({
        id: label,
        label,
        element,
        position,
        occupancy: 1,
        displacement: { kind: 'iso', u: 0.03 },
      });
      const s: Structure = {
        cell,
        spaceGroup: spaceGroupFromSymbol(symbol),
        sites: [
          site('C1', 'C', [0.21, 0.33, 0.14]),
          site('O1', 'O', [0.3, 0, 0]),
          site('N1', 'N', [0, 0, 0.27]),
          site('S1', 'S', [0, 0, 0]),
        ],
      };
      const list = subgroups(s.spaceGroup);
      expect(list.some((g) => g.index === 2 || g.index === 3)).toBe(true);
      for (const g of list) {
        const low = lowerSymmetry(s, g);
        const before = cellContents(s),
          after = cellContents(low);
        for (const e of Object.keys(before)) expect(after[e], `${g.group.symbol} ${e}`).toBeCloseTo(before[e]!, 9);
      }
    },
  );
});
