import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol, referenceSetting, groupOfSetting } from '../crystal/settings.ts';
import { applyOperator, operatorKey } from '../crystal/operator.ts';
import { allOperators } from '../crystal/space-group.ts';
import { elementShapes, elementOfOperator, symmetryElements } from './elements.ts';
import { specialPositions, sitesOn } from './positions.ts';
import { reflectionConditions, symbolParts } from './symbol-words.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { Structure } from '../crystal/structure.ts';

const words = (symbol: string): string[] => symmetryElements(spaceGroupFromSymbol(symbol)).map((e) => e.words);

describe('symmetry elements', () => {
  it('stand where International Tables draw them', () => {
    expect(words('P 1 21/c 1')).toEqual(
      expect.arrayContaining([
        'c glide plane ⊥ b at y = ¼, gliding by (0, 0, ½)',
        '2₁ screw axis along b at x = 0, z = ¼',
        'inversion centre at ½, 0, ½',
      ]),
    );
    expect(words('P 1 21/c 1')).toHaveLength(2 + 4 + 8);
    expect(words('P n m a')).toEqual(
      expect.arrayContaining([
        'mirror plane ⊥ b at y = ¼',
        'n glide plane ⊥ a at x = ¼, gliding by (0, ½, ½)',
        'a glide plane ⊥ c at z = ¼, gliding by (½, 0, 0)',
        '2₁ screw axis along b at x = 0, z = 0',
      ]),
    );
    expect(words('I 1 2/a 1')).toEqual(
      expect.arrayContaining([
        '2 rotation axis along b at x = ¼, z = 0',
        'a glide plane ⊥ b at y = 0, gliding by (½, 0, 0)',
        'inversion centre at ¼, ¼, ¼',
      ]),
    );
    expect(words('P -4 21 c').filter((w) => w.startsWith('−4'))).toHaveLength(4);
    expect(words('P 61').some((w) => w.startsWith('6₁ screw axis along c'))).toBe(true);
    expect(words('P 65').some((w) => w.startsWith('6₅ screw axis along c'))).toBe(true);
    expect(words('A e a 2').some((w) => w.startsWith('e glide plane ⊥ a'))).toBe(true);
  });

  it.each(['P 1 21/c 1', 'P b c a', 'C 1 2/c 1', 'R -3 c', 'P 41 21 2', 'F d d 2', 'P 63/m', 'I -4 3 d'])(
    'of %s are operations of the group and keep their own points',
    (symbol) => {
      const g = spaceGroupFromSymbol(symbol),
        all = allOperators(g);
      for (const e of symmetryElements(g)) {
        expect(all.some((o) => operatorKey(o) === operatorKey(e.operator))).toBe(true);
        const again = elementOfOperator(e.operator, g.centring)!;
        expect(again.symbol).toBe(e.symbol);
        // A point of the element moves by the gliding part alone.
        const y = applyOperator(e.operator, e.at);
        y.forEach((x, i) => expect(x - e.glide[i]!).toBeCloseTo(e.at[i]!, 6));
      }
    },
  );

  it('are cut by the walls of the cell', () => {
    for (const e of symmetryElements(spaceGroupFromSymbol('P n m a')))
      for (const shape of elementShapes(e)) {
        expect(shape.points).toHaveLength(e.plane ? 4 : e.kind === 'inversion centre' ? 1 : 2);
        for (const p of shape.points)
          p.forEach((x) => {
            expect(x).toBeGreaterThan(-1e-6);
            expect(x).toBeLessThan(1 + 1e-6);
          });
      }
    // On walls, edges and corners every copy is drawn: eight corners for the centre at the origin.
    expect(
      elementShapes(symmetryElements(spaceGroupFromSymbol('P -1')).find((e) => e.words.endsWith('at 0, 0, 0'))!),
    ).toHaveLength(8);
  });
});

describe('special positions', () => {
  it('number 1731 over the 230 types, as the tables have them', { tags: 'long' }, () => {
    let sum = 0;
    for (let n = 1; n <= 230; n++) {
      const list = specialPositions(groupOfSetting(referenceSetting(n)));
      sum += list.length;
      expect(list[0]!.freedom).toBe(3);
      for (const p of list) expect(p.equivalent).toHaveLength(p.multiplicity);
    }
    expect(sum).toBe(1731);
  });

  it('of Pnma are the mirror and two kinds of centre', () => {
    expect(
      specialPositions(spaceGroupFromSymbol('P n m a')).map((p) => [p.multiplicity, p.siteSymmetry, p.coordinates]),
    ).toEqual([
      [8, '1', 'x, y, z'],
      [4, 'm', 'x, ¼, z'],
      [4, '-1', '0, 0, 0'],
      [4, '-1', '0, 0, ½'],
    ]);
  });

  it('tell which sites stand on them', () => {
    const site = (label: string, position: Vec3): Structure['sites'][number] => ({
      id: label,
      label,
      element: 'C',
      position,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    });
    const s: Structure = {
      cell: { a: 8, b: 9, c: 11, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P n m a'),
      sites: [
        site('C1', [0.1, 0.25, 0.3]),
        site('C2', [0.5, 0.5, 0]),
        site('C3', [0.2, 0.1, 0.4]),
        site('C4', [0.7, 0.75, 0.1]),
      ],
    };
    const list = specialPositions(s.spaceGroup);
    expect(list.map((p) => sitesOn(s, p))).toEqual([[2], [0, 3], [], [1]]);
  });
});

describe('the symbol in words', () => {
  it('names what stands along each direction', () => {
    const parts = symbolParts(spaceGroupFromSymbol('P 1 21/c 1'));
    expect(parts.map((p) => p.text)).toEqual(['P', '1', '21/c', '1']);
    expect(parts[2]).toMatchObject({ direction: 'along b' });
    expect(parts[2]!.words).toContain('two-fold screw axis');
    expect(parts[2]!.words).toContain('½c');
    expect(symbolParts(spaceGroupFromSymbol('P 41 21 2')).map((p) => p.direction)).toEqual([
      '',
      'along c',
      'along a (and b)',
      'along [1 1 0] (and [1 −1 0])',
    ]);
  });
  it('gives the reflection conditions of the tables', () => {
    const of = (symbol: string): string[] =>
      reflectionConditions(spaceGroupFromSymbol(symbol))
        .map((c) => c.condition)
        .sort();
    expect(of('P 1 21/c 1')).toEqual(['0k0: k = 2n', 'h0l: l = 2n']);
    expect(of('P n m a')).toEqual(['00l: l = 2n', '0k0: k = 2n', '0kl: k + l = 2n', 'h00: h = 2n', 'hk0: h = 2n']);
    expect(of('I 1 2/a 1')).toContain('hkl: h + k + l = 2n');
    expect(of('R -3')).toContain('hkl: −h + k + l = 3n');
    expect(of('P -1')).toEqual([]);
  });
});
