import { describe, expect, it } from 'vitest';
import { IDENTITY3, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { exactSetting, identifyGroup, nameGroup, originShift } from './identify.ts';
import {
  changeBasis,
  compose,
  intrinsicTranslation,
  operatorKey,
  operatorToXyz,
  parseXyz,
  rotationAxis,
  rotationType,
  type Operator,
} from './operator.ts';
import { crystalClass, crystalSystem, laueClass, rotationsOf } from './point-group.ts';
import {
  findSetting,
  groupOfSetting,
  referenceSetting,
  SETTINGS,
  shortSymbol,
  spaceGroupFromSymbol,
} from './settings.ts';
import {
  allOperators,
  groupOrder,
  polarDirections,
  reflectionSymmetry,
  siteSymmetry,
  spaceGroupFromOperators,
} from './space-group.ts';
import { hallOperators } from './hall.ts';

const references = Array.from({ length: 230 }, (_, i) => groupOfSetting(referenceSetting(i + 1)));
const CLASS_ORDER: Record<string, number> = {
  '1': 1,
  '-1': 2,
  '2': 2,
  m: 2,
  '2/m': 4,
  '222': 4,
  mm2: 4,
  mmm: 8,
  '4': 4,
  '-4': 4,
  '4/m': 8,
  '422': 8,
  '4mm': 8,
  '-42m': 8,
  '4/mmm': 16,
  '3': 3,
  '-3': 6,
  '32': 6,
  '3m': 6,
  '-3m': 12,
  '6': 6,
  '-6': 6,
  '6/m': 12,
  '622': 12,
  '6mm': 12,
  '-62m': 12,
  '6/mmm': 24,
  '23': 12,
  'm-3': 24,
  '432': 24,
  '-43m': 24,
  'm-3m': 48,
};

describe('the tabulated settings', () => {
  it('are 530 of 230 types, each closing to a group of the order its class and lattice demand', () => {
    expect(SETTINGS).toHaveLength(530);
    expect(new Set(SETTINGS.map((s) => s.number)).size).toBe(230);
    for (const s of SETTINGS) {
      const g = groupOfSetting(s);
      const lattice = { P: 1, A: 2, B: 2, C: 2, I: 2, R: s.code === 'R' ? 1 : 3, F: 4 }[s.symbol[0]!]!;
      expect(g.centring.length, s.symbol).toBe(lattice);
      expect(groupOrder(g), s.symbol).toBe(lattice * CLASS_ORDER[crystalClass(rotationsOf(g))]!);
    }
  });

  it('are closed under composition', () => {
    for (const s of SETTINGS.filter((_, i) => i % 7 === 0)) {
      const all = allOperators(groupOfSetting(s));
      const keys = new Set(all.map(operatorKey));
      for (const a of all.slice(0, 12))
        for (const b of all.slice(-12)) expect(keys.has(operatorKey(compose(a, b))), s.hall).toBe(true);
    }
  });

  it('of one type are conjugate, and no two types are', () => {
    for (const s of SETTINGS)
      expect(identifyGroup(groupOfSetting(s)).setting.number, `${s.symbol} ${s.hall}`).toBe(s.number);
  });

  it('obey their Hermann–Mauguin symbols along every axis', () => {
    // Orthorhombic symbols name one element for each of a, b, c.
    for (const s of SETTINGS.filter((x) => x.number >= 16 && x.number <= 74)) {
      const parts = s.symbol.split(' ').slice(1);
      parts.forEach((part, axis) => {
        const along = [0, 1, 2].map((i) => (i === axis ? 1 : 0)).join();
        const found = allOperators(groupOfSetting(s))
          .filter((o) => Math.abs(rotationType(o.r)) === 2 && rotationAxis(o.r).join() === along)
          .map((o) => ({ type: rotationType(o.r), w: intrinsicTranslation(o).map((x) => x - Math.floor(x + 1e-9)) }));
        const has = (type: number, test: (w: number[]) => boolean): boolean =>
          found.some((f) => f.type === type && test(f.w.map((x) => Math.round(x * 8) / 8)));
        const glide =
          (i: number) =>
          (w: number[]): boolean =>
            w[i] === 0.5 && w.filter((x) => x).length === 1;
        const tests: Record<string, () => boolean> = {
          2: () => has(2, (w) => w.every((x) => !x)),
          21: () => has(2, (w) => w[axis] === 0.5),
          m: () => has(-2, (w) => w.every((x) => !x)),
          a: () => has(-2, glide(0)),
          b: () => has(-2, glide(1)),
          c: () => has(-2, glide(2)),
          n: () => has(-2, (w) => w.filter((x) => x === 0.5).length === 2),
          d: () => has(-2, (w) => w.some((x) => x === 0.25 || x === 0.75)),
          e: () => [0, 1, 2].filter((i) => i !== axis).every((i) => has(-2, glide(i))),
        };
        expect(tests[part]!(), `${s.symbol} ${s.code}: ${part}`).toBe(true);
      });
    }
  });
});

describe('the 230 types', () => {
  it('fall into 32 classes, 11 Laue classes and 7 systems', () => {
    expect(new Set(references.map((g) => crystalClass(rotationsOf(g)))).size).toBe(32);
    expect(new Set(references.map(laueClass)).size).toBe(11);
    expect(new Set(references.map((g) => crystalSystem(crystalClass(rotationsOf(g))))).size).toBe(7);
  });

  it('have 14 Bravais lattices', () => {
    const lattices = new Set(
      references.map((g) => {
        const system = crystalSystem(crystalClass(rotationsOf(g)));
        const family = system === 'trigonal' ? 'hexagonal' : system;
        const n = g.centring.length;
        const side = n === 2 && g.centring[1]!.filter((x) => x === 0).length === 1;
        return `${family}${n}${side ? 'S' : ''}`;
      }),
    );
    expect(lattices.size).toBe(14);
  });

  it('hold 11 enantiomorphic pairs', () => {
    const pairs = new Set<string>();
    for (const g of references) {
      if (rotationsOf(g).some((r) => rotationType(r) < 0)) continue;
      const mirrored = spaceGroupFromOperators(
        allOperators(g).map((o): Operator => ({ r: o.r, t: toVec3(o.t.map((x) => -x)) })),
      );
      const other = identifyGroup(mirrored).setting.number;
      if (other !== g.number) pairs.add([g.number, other].sort((a, b) => a - b).join());
    }
    expect(pairs.size).toBe(11);
  });

  it('hold 73 symmorphic ones', () => {
    const symmorphic = references.filter((g) => {
      const plain = spaceGroupFromOperators([
        ...rotationsOf(g).map((r) => ({ r, t: [0, 0, 0] as Vec3 })),
        ...g.centring.map((t) => ({ r: IDENTITY3, t })),
      ]);
      return originShift(g, plain) !== undefined;
    });
    expect(symmorphic).toHaveLength(73);
  });
});

describe('other settings', () => {
  const odd: Mat3 = [1, 2, 0, 0, 1, 0, 1, 0, 1];
  it.each(['C2/c', 'Fdd2', 'P31', 'P32', 'R-3c', 'I-43d', 'Fd-3m', 'P41212', 'Ia-3', 'P-1', 'Cmce', 'Pnma'])(
    '%s is recognised in a skew cell with its origin moved',
    (symbol) => {
      const g = spaceGroupFromSymbol(symbol);
      const skew = nameGroup(
        spaceGroupFromOperators(allOperators(g).map((o) => changeBasis(o, odd, [0.125, 0.25, 1 / 3]))),
      );
      expect(skew.number).toBe(g.number);
      // The Hall symbol with its change of basis must give back the very same operators.
      const back = new Set(hallOperators(skew.hall).map(operatorKey));
      expect(back.size).toBe(groupOrder(skew));
      for (const o of allOperators(skew)) expect(back.has(operatorKey(o))).toBe(true);
    },
  );

  it('are told from tabulated ones', () => {
    expect(exactSetting(spaceGroupFromSymbol('P 1 21/n 1'))?.code).toBe('b2');
    expect(nameGroup(spaceGroupFromOperators(['x,y,z', '-x+1/2,y+1/2,-z+1/2'].map(parseXyz))).number).toBe(4);
  });
});

describe('symbols', () => {
  it.each([
    ['P21/c', 14, 'b1'],
    ['P 21/n', 14, 'b2'],
    ['P 1 21/a 1', 14, 'b3'],
    ['P1121/b', 14, 'c3'],
    ['P 21/n 21/m 21/a', 62, ''],
    ['P21/n21/m21/a', 62, ''],
    ['Pnam', 62, 'a-cb'],
    ['Fm3m', 225, ''],
    ['F 4/m -3 2/m', 225, ''],
    ['R -3 2/c', 167, 'H'],
    ['R-3c:R', 167, 'R'],
    ['I41/a', 88, '2'],
    ['I41/a:1', 88, '1'],
    ['Cmca', 64, ''],
    ['Abm2', 39, ''],
    ['-P 2ybc', 14, 'b1'],
    ['P 63/m 2/m 2/c', 194, ''],
    ['P432', 207, ''],
    ['P 2(1) 2(1) 2(1)', 19, ''],
    ['P-312/m', 162, ''],
    ['C 1 2/c 1', 15, 'b1'],
    ['I 2/a', 15, 'b3'],
  ])('%s is no. %i', (text, number, code) => {
    const s = findSetting(text);
    expect([s?.number, s?.code]).toEqual([number, code]);
  });

  it.each([
    ['R -3 c H', '-R 3 2"c'],
    ['R -3 c R', '-P 3* 2n'],
    ['H 3 2', 'R 3 2"'],
    ['F d -3 m Z', '-F 4vw 2vw 3'],
    ['F d 3 m S', 'F 4d 2 3 -1d'],
    ['I 41/a m d S', 'I 4bw 2bw -1bw'],
    ['P 2₁/c', '-P 2ybc'],
    ['P2~1~/c', '-P 2ybc'],
    ['P 2<sub>1</sub>/n', '-P 2yn'],
    ['P −1', '-P 1'],
  ])('%s is found as it is written elsewhere', (text, hall) => {
    expect(findSetting(text)?.hall).toBe(hall);
  });

  it('that mean nothing are refused in a sentence', () => {
    expect(findSetting('P 7/q')).toBeUndefined();
    expect(() => spaceGroupFromSymbol('P 7/q')).toThrow(/not a known space-group symbol.*P 21\/c/s);
    expect(() => hallOperators('X 2y')).toThrow(/lattice symbol/);
  });

  it('are shortened for reading', () => {
    expect(shortSymbol('P 1 21/c 1')).toBe('P 21/c');
    expect(shortSymbol('P n m a')).toBe('P n m a');
  });
});

describe('operators', () => {
  it('read what they write, and every usual spelling', () => {
    for (const o of allOperators(spaceGroupFromSymbol('I -4 3 d')))
      expect(operatorKey(parseXyz(operatorToXyz(o)))).toBe(operatorKey(o));
    expect(operatorToXyz(parseXyz(' 1/2 + X , -y+.5, Z-1/4 '))).toBe('x+1/2,-y+1/2,z-1/4');
    expect(() => parseXyz('x,y')).toThrow(/three/);
    expect(() => parseXyz('x,y,w')).toThrow(/"w"/);
  });

  it('give absences, centric zones and ε', () => {
    const g = spaceGroupFromSymbol('P 21 21 21');
    expect(reflectionSymmetry(g, 3, 0, 0)).toEqual({ absent: true, centric: true, epsilon: 2 });
    expect(reflectionSymmetry(g, 4, 0, 0).absent).toBe(false);
    expect(reflectionSymmetry(g, 1, 2, 0)).toEqual({ absent: false, centric: true, epsilon: 1 });
    expect(reflectionSymmetry(spaceGroupFromSymbol('C 2/c'), 1, 0, 3).absent).toBe(true);
    expect(reflectionSymmetry(spaceGroupFromSymbol('C 2/c'), 2, 0, 3).absent).toBe(true);
    expect(reflectionSymmetry(spaceGroupFromSymbol('C 2/c'), 2, 0, 4).absent).toBe(false);
  });

  it('find the symmetry of special positions', () => {
    const metric = [100, 0, 0, 0, 100, 0, 0, 0, 100];
    expect(siteSymmetry(spaceGroupFromSymbol('F m -3 m'), metric, [0, 0, 0]).multiplicity).toBe(4);
    expect(siteSymmetry(spaceGroupFromSymbol('F m -3 m'), metric, [0.25, 0.25, 0.25]).multiplicity).toBe(8);
    expect(siteSymmetry(spaceGroupFromSymbol('P 1 21/c 1'), metric, [0.1, 0.2, 0.3]).multiplicity).toBe(4);
  });

  it('leave polar directions free', () => {
    expect(polarDirections(spaceGroupFromSymbol('P 21 21 21'))).toHaveLength(0);
    expect(polarDirections(spaceGroupFromSymbol('P n a 21'))).toHaveLength(1);
    expect(polarDirections(spaceGroupFromSymbol('P 1 m 1'))).toHaveLength(2);
    expect(polarDirections(spaceGroupFromSymbol('P 1'))).toHaveLength(3);
  });
});
