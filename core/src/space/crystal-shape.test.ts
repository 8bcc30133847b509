import { describe, expect, it } from 'vitest';
import { copper, halite, quartz, textbook } from '../../../demo/src/textbook.ts';
import { dot, norm, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { crystalShape, facesOf } from './crystal-shape.ts';

const forms = (list: ReturnType<typeof crystalShape>): string[] => [
  ...new Set(list.map((f) => f.hkl.map(Math.abs).sort().join(''))),
];

describe('the shape a lattice is expected to grow in', () => {
  it('of a primitive cube is the cube, of a face-centred one the octahedron with small cube faces', () => {
    const cube = crystalShape(textbook('P m -3 m', 4, 4, [['Cu', 0, 0, 0]]));
    expect(forms(cube)[0]).toBe('001');
    expect(cube.filter((f) => f.hkl.filter((x) => x).length === 1)).toHaveLength(6);
    const octahedron = crystalShape(copper());
    expect(octahedron.slice(0, 8).every((f) => f.hkl.every((x) => Math.abs(x) === 1))).toBe(true);
    expect(forms(octahedron)).toEqual(['111', '002', '001'].filter((x) => forms(octahedron).includes(x)));
  });

  it('closes: faces of equal and opposite areas, corners on their planes and inside all others', () => {
    for (const s of [quartz(), halite('Mg', 4.2), textbook('P 21/c', 7, 11, [['C', 0.1, 0.2, 0.3]])]) {
      const faces = crystalShape(s);
      expect(faces.length).toBeGreaterThan(5);
      const sum = faces.reduce<Vec3>((v, f) => [0, 1, 2].map((k) => v[k]! + f.area * f.normal[k]!) as never, [0, 0, 0]);
      expect(norm(sum)).toBeLessThan(1e-6);
      for (const f of faces)
        for (const c of f.corners) {
          expect(dot(c, f.normal)).toBeCloseTo(f.distance, 6);
          for (const g of faces) expect(dot(c, g.normal)).toBeLessThan(g.distance + 1e-6);
        }
    }
  });

  it('of six planes at unit distance has faces of area 4', () => {
    const axes: Vec3[] = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ];
    const cube = facesOf(
      [...axes, ...axes.map((a) => scale(a, -1))].map((normal) => ({ hkl: normal, normal, distance: 1 })),
    );
    expect(cube.map((f) => f.area)).toEqual([4, 4, 4, 4, 4, 4].map((x) => expect.closeTo(x, 9)));
    expect(norm(subtract(cube[0]!.corners[0]!, cube[0]!.corners[1]!))).toBeCloseTo(2, 9);
  });
});
