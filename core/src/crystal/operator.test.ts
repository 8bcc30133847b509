import { describe, expect, it } from 'vitest';
import { apply3, determinant3, type Mat3, type Vec3, toMat3 } from '../math/matrix3.ts';
import {
  applyOperator,
  changeBasis,
  closeGroup,
  compose,
  IDENTITY,
  intrinsicTranslation,
  operatorKey,
  operatorToXyz,
  parseXyz,
  rotationAxis,
  rotationType,
  wrapTranslation,
} from './operator.ts';
import { groupOfSetting, SETTINGS } from './settings.ts';
import { allOperators } from './space-group.ts';

/** One setting of every type, so that every kind of operator is met. */
const GROUPS = [...new Map(SETTINGS.map((s) => [s.number, s])).values()].map(groupOfSetting);
const X: Vec3 = [0.137, 0.2791, 0.4253];
const same = (a: Vec3, b: Vec3): void =>
  a.forEach((v, i) => expect(v - b[i]! - Math.round(v - b[i]!)).toBeCloseTo(0, 6));

describe('the notation of operators', () => {
  it('comes back from its text for every operator of the 230 types', () => {
    expect(GROUPS).toHaveLength(230);
    for (const g of GROUPS)
      for (const o of allOperators(g)) {
        const back = parseXyz(operatorToXyz(o));
        expect(back.r.map((v) => v + 0)).toEqual(o.r.map((v) => v + 0));
        expect(operatorKey(back)).toBe(operatorKey(o));
      }
  });

  it.each([
    ['x, y, z', 'x,y,z'],
    ['1/2+X, -Y , Z-1/4', 'x+1/2,-y,z-1/4'],
    ['.5-y,x-y,.333333+z', '-y+1/2,x-y,z+1/3'],
    ["'-x+0.75, y, 1/4-z'", '-x+3/4,y,-z+1/4'],
    ['x/2+y/2,y,z', '1/2*x+1/2*y,y,z'],
  ])('reads %s', (text, plain) => expect(operatorToXyz(parseXyz(text))).toBe(plain));

  it.each([
    ['x,y', 'needs three'],
    ['x,y,z,x', 'needs three'],
    ['x,y,q', '"q"'],
    ['x,,z', 'empty part'],
    ['x,y,2*', '"2*"'],
  ])('refuses %s with what is wrong', (text, words) => expect(() => parseXyz(text)).toThrow(words));
});

describe('operators', () => {
  it('compose as they act, one after the other', () => {
    for (const g of GROUPS.filter((_, i) => i % 7 === 0)) {
      const all = allOperators(g);
      for (let i = 0; i < all.length; i += 3)
        for (let j = 0; j < all.length; j += 5)
          same(applyOperator(compose(all[i]!, all[j]!), X), applyOperator(all[i]!, applyOperator(all[j]!, X)));
    }
  });

  it('have the order of their rotation', () => {
    const seen = new Set<number>();
    for (const g of GROUPS)
      for (const o of g.representatives) {
        const type = rotationType(o.r);
        seen.add(type);
        const order = { 1: 1, 2: 2, 3: 3, 4: 4, 6: 6, [-1]: 2, [-2]: 2, [-3]: 6, [-4]: 4, [-6]: 6 }[type]!;
        let power = IDENTITY;
        for (let k = 1; k <= order; k++) {
          power = compose(o, power);
          const home = power.r.every((v, i) => v === IDENTITY.r[i]);
          expect(home).toBe(k === order);
        }
        expect(Math.sign(type)).toBe(Math.sign(determinant3(o.r)));
      }
    expect([...seen].sort((a, b) => a - b)).toEqual([-6, -4, -3, -2, -1, 1, 2, 3, 4, 6]);
  });

  it('turn about their axis, which they keep or reverse', () => {
    for (const g of GROUPS)
      for (const { r } of g.representatives) {
        const axis = rotationAxis(r);
        const type = rotationType(r);
        if (Math.abs(type) === 1) expect(axis).toEqual([0, 0, 0]);
        else expect(apply3(r, axis).map((v) => v + 0)).toEqual(axis.map((v) => v * Math.sign(type) + 0));
      }
  });

  it('have a screw or glide part along what they keep, and no other for another origin', () => {
    for (const g of GROUPS)
      for (const o of g.representatives) {
        const part = intrinsicTranslation(o);
        // What the operator itself leaves unchanged.
        same(apply3(o.r, part), part);
        const moved = changeBasis(o, IDENTITY.r, [0.1, 0.2, 0.3]);
        const there = intrinsicTranslation(moved);
        // The translation is reduced to the cell, which may add a lattice vector's projection.
        const whole = part.map((v, i) => 12 * (v - there[i]!));
        for (const v of whole) expect(v).toBeCloseTo(Math.round(v), 5);
      }
  });

  it('act the same in other axes', () => {
    const p: Mat3 = [1, 1, 0, -1, 1, 0, 0, 1, 2];
    const shift: Vec3 = [0.25, 0, 0.125];
    const there = (x: Vec3): Vec3 => {
      const [a, b, c] = apply3(p, x);
      return [a + shift[0], b + shift[1], c + shift[2]];
    };
    for (const g of GROUPS.filter((_, i) => i % 11 === 0))
      for (const o of g.representatives) {
        const moved = changeBasis(o, p, shift);
        // Whole cells of the new axes are whole combinations of the old, so places agree up to those.
        same(there(applyOperator(moved, X)), applyOperator(o, there(X)));
      }
  });

  it('close to their group from generators, whatever the order', () => {
    for (const g of GROUPS.filter((_, i) => i % 5 === 0)) {
      const all = allOperators(g);
      const keys = new Set(all.map(operatorKey));
      expect(new Set(closeGroup([...all].reverse()).map(operatorKey))).toEqual(keys);
    }
  });

  it('that do not close are refused', () => {
    expect(() => closeGroup([parseXyz('x+0.137,y,z')])).toThrow('do not close');
    expect(() => rotationType(toMat3([1, 1, 0, 0, 1, 0, 0, 0, 1].map((v) => v * 2)))).toThrow(
      'not a crystallographic rotation',
    );
  });

  it('have translations in one cell, without the hair of rounding', () => {
    expect([-0.25, 1, 0.3333333, 0.9999999999, 7.5].map(wrapTranslation)).toEqual([0.75, 0, 48 / 144, 0, 0.5]);
  });
});
