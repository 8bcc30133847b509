import { describe, expect, it } from 'vitest';
import { halite, textbook } from '../../../demo/src/textbook.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { crystalShape } from './crystal-shape.ts';
import { faceAngle, formName, formsOf, habitOf, habitWords, normalOf } from './forms.ts';

const shapeOf = (symbol: string, a: number, c = a, at: Vec3 = [0, 0, 0]) => {
  const s = textbook(symbol, a, c, [['Cu', ...at]]);
  const faces = crystalShape(s);
  return { s, faces, forms: formsOf(s, faces) };
};

describe('forms', () => {
  it.each([
    // Faces of a polyhedron around a sphere of radius 1: a cube’s, a rhombic dodecahedron’s, an octahedron’s.
    ['P m -3 m', [1, 0, 0], 6, 4],
    ['I m -3 m', [1, 1, 0], 12, Math.SQRT2],
    ['F d -3 m', [1, 1, 1], 8, 1.5 * Math.sqrt(3)],
  ] as const)('of %s are one, with the areas that theory gives', (symbol, hkl, count, area) => {
    const at: Vec3 = symbol === 'F d -3 m' ? [1 / 8, 1 / 8, 1 / 8] : [0, 0, 0];
    const { forms } = shapeOf(symbol, 4, 4, at);
    expect(forms).toHaveLength(1);
    expect(forms[0]!.hkl).toEqual(hkl);
    expect(forms[0]!.faces).toHaveLength(count);
    for (const f of forms[0]!.faces) expect(Math.abs(f.area - area)).toBeLessThan(1e-6);
    expect(forms[0]!.area).toBeCloseTo(1, 9);
  });

  it('of a hexagonal lattice are the prism and its ends, as the axes say', () => {
    const [a, c] = [3, 5];
    const { forms } = shapeOf('P 6/m m m', a, c);
    const prism = forms.find((f) => f.hkl[2] === 0)!,
      ends = forms.find((f) => f.hkl[2] !== 0 && f.faces.length === 2)!;
    expect(prism.faces).toHaveLength(6);
    expect(ends.hkl).toEqual([0, 0, 1]);
    // Distances go as 1/d: of (1 0 0) 2/(√3 a), of (0 0 1) 1/c.
    expect(prism.distance / ends.distance).toBeCloseTo((2 / (Math.sqrt(3) * a)) * c, 9);
  });

  it('follow the class: a face of a polar crystal has no opposite in its form', () => {
    const { forms } = shapeOf('P 4 m m', 4, 5, [0, 0, 0.1]);
    expect(forms.filter((f) => formName(f.hkl) === '{0 0 1}' || formName(f.hkl) === '{0 0 −1}')).toHaveLength(2);
    expect(forms.find((f) => formName(f.hkl) === '{1 0 0}')!.faces).toHaveLength(4);
  });

  it('angles between faces are those of their normals', () => {
    const { s } = shapeOf('P m -3 m', 4);
    expect(faceAngle({ normal: normalOf(s, [1, 0, 0]) }, { normal: normalOf(s, [1, 1, 1]) })).toBeCloseTo(54.7356, 3);
    const cube = halite('Mg', 4.2);
    expect(faceAngle({ normal: normalOf(cube, [1, 1, 1]) }, { normal: normalOf(cube, [1, 1, -1]) })).toBeCloseTo(
      70.5288,
      3,
    );
  });
});

describe('habit', () => {
  const habit = (a: number, c: number): string => {
    const { s, faces } = shapeOf('P 4/m m m', a, c);
    return habitWords(habitOf(s, faces));
  };

  it('is a block, a plate on its large face, a needle along its short axis', () => {
    expect(habit(5, 5)).toMatch(/^block, 1.0 : 1.0 : 1.0/);
    // What is widely spaced grows slowly: a short axis makes a long crystal.
    expect(habit(12, 3)).toMatch(/^needle along \[0 0 1\]/);
    expect(habit(3, 14)).toMatch(/^plate on \(0 0 1\)/);
  });
});
