import { describe, expect, it } from 'vitest';
import { textbook } from '../../../demo/src/textbook.ts';
import { faceAngle, formsOf } from './forms.ts';
import { completed, hiddenFaces, indexByAngles, shapeOfFaces, volumeOf } from './given-shape.ts';

const cubic = textbook('P m -3 m', 5, 5, [['O', 0, 0, 0]]);
const hexagonal = textbook('P 6/m m m', 5, 8, [['O', 0, 0, 0]]);
const monoclinic = {
  ...textbook('P 2/m', 6, 9, [['O', 0, 0, 0]]),
  cell: { a: 6, b: 7.5, c: 9, alpha: 90, beta: 107, gamma: 90 },
};

describe('the shape of given faces', () => {
  it('keeps the unit that distances are given in', () => {
    const faces = shapeOfFaces(cubic, completed(cubic, [{ hkl: [1, 0, 0], distance: 0.15 }]));
    expect(faces).toHaveLength(6);
    for (const f of faces) {
      expect(f.area).toBeCloseTo(0.09, 9);
      expect(f.distance).toBeCloseTo(0.15, 9);
    }
    expect(volumeOf(faces)).toBeCloseTo(0.027, 9);
  });

  it('is a hexagonal prism of two forms', () => {
    const given = [{ hkl: [1, 0, 0] as const, distance: 2 }, { hkl: [0, 0, 1] as const, distance: 5 }]; // prettier-ignore
    const faces = shapeOfFaces(hexagonal, completed(hexagonal, given));
    expect(faces).toHaveLength(8);
    // A hexagon of inner radius 2 has sides of 4/√3.
    const side = 4 / Math.sqrt(3);
    const forms = formsOf(hexagonal, faces);
    const prism = forms.find((f) => f.faces.length === 6)!;
    for (const f of prism.faces) expect(f.area).toBeCloseTo(10 * side, 6);
    const pinacoid = forms.find((f) => f.faces.length === 2)!;
    for (const f of pinacoid.faces) expect(f.area).toBeCloseTo((3 * Math.sqrt(3) * side ** 2) / 2, 6);
    expect(volumeOf(faces)).toBeCloseTo(10 * ((3 * Math.sqrt(3) * side ** 2) / 2), 6);
  });

  it('takes faces one by one where the class is not to complete them, and names what is hidden', () => {
    const six = [[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]]; // prettier-ignore
    const given = six.map((hkl, i) => ({ hkl: hkl as never, distance: 1 + 0.1 * i }));
    const faces = shapeOfFaces(cubic, given);
    expect(volumeOf(faces)).toBeCloseTo(2.1 * 2.5 * 2.9, 9);
    const far = { hkl: [1, 1, 1] as const, distance: 9 };
    expect(hiddenFaces([...given, far], shapeOfFaces(cubic, [...given, far]))).toEqual([far]);
  });

  it('says what is wrong', () => {
    expect(() => shapeOfFaces(cubic, [])).toThrow(/No face/);
    expect(() => shapeOfFaces(cubic, [{ hkl: [0, 0, 1], distance: 1 }, { hkl: [0, 0, -1], distance: 1 }])).toThrow(/do not close/); // prettier-ignore
    expect(() => shapeOfFaces(cubic, [{ hkl: [2, 0, 0], distance: 1 }])).toThrow(/is the face \(1 0 0\)/);
    expect(() => shapeOfFaces(cubic, [{ hkl: [1, 0, 0], distance: -1 }])).toThrow(/above 0/);
    expect(() => shapeOfFaces(cubic, [{ hkl: [0, 0, 0], distance: 1 }])).toThrow(/not all of them 0/);
  });
});

describe('faces from angles', () => {
  it('are the ones that the angles were measured from, to a quarter of a degree', () => {
    const known = [[1, 0, 0], [0, 0, 1], [0, 1, 0]] as const; // prettier-ignore
    const wanted = [[1, 1, 0], [0, 1, 1], [-1, 0, 1], [1, -1, 2], [2, 1, 1]] as const; // prettier-ignore
    const all = completed(
      monoclinic,
      [...known, ...wanted].map((hkl) => ({ hkl, distance: 1 })),
    );
    const normals = new Map(shapeOfFaces(monoclinic, all).map((f) => [f.hkl.join(), f]));
    for (const hkl of wanted) {
      const face = normals.get(hkl.join()) ?? shapeOfFaces(monoclinic, [...all.filter((f) => f.hkl.join() !== hkl.join()), { hkl, distance: 0.8 }]).find((f) => f.hkl.join() === hkl.join())!; // prettier-ignore
      const measured = known.map((to, i) => ({
        to,
        angle: faceAngle(face, normals.get(to.join())!) + [0.2, -0.15, 0.1][i]!,
      }));
      const [best] = indexByAngles(monoclinic, measured);
      expect(best!.hkl.join()).toBe(hkl.join());
      expect(best!.deviation).toBeLessThan(0.25);
    }
    expect(() => indexByAngles(monoclinic, [])).toThrow(/at least one/);
  });
});
