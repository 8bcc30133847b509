import { describe, expect, it } from 'vitest';
import * as textbook from '../../../demo/src/textbook.ts';
import { buildLayers } from '../draw/build-scene.ts';
import { PAPER_COLOURS } from '../draw/colours.ts';
import { ball } from '../draw/balls.ts';
import type { Layer } from '../draw/scene.ts';
import { cross, dot, type Vec3 } from '../math/matrix3.ts';
import { solidMeshes, type ColouredMesh } from './solid-meshes.ts';

const point = (m: ColouredMesh, i: number): Vec3 => [
  m.positions[3 * i]!,
  m.positions[3 * i + 1]!,
  m.positions[3 * i + 2]!,
];

/** Volume within the triangles, by the divergence theorem: positive where they face outwards. */
function volume(m: ColouredMesh): number {
  let sum = 0;
  for (let t = 0; t < m.indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => point(m, m.indices[t + k]!)) as [Vec3, Vec3, Vec3];
    sum += dot(a, cross(b, c)) / 6;
  }
  return sum;
}
/** How often each edge is met, by the places of its ends. */
function openEdges(m: ColouredMesh): number {
  const count = new Map<string, number>();
  const key = (i: number): string =>
    point(m, i)
      .map((x) => x.toFixed(4))
      .join();
  for (let t = 0; t < m.indices.length; t += 3)
    for (const [i, j] of [
      [0, 1],
      [1, 2],
      [2, 0],
    ]) {
      const [p, q] = [key(m.indices[t + i!]!), key(m.indices[t + j!]!)];
      if (p === q) continue;
      const name = p < q ? `${p}|${q}` : `${q}|${p}`;
      count.set(name, (count.get(name) ?? 0) + (p < q ? 1 : -1));
    }
  return [...count.values()].filter((n) => n !== 0).length;
}

describe('solids', () => {
  it('a ball is closed and nearly as large as it is round', () => {
    const [m] = solidMeshes([{ kind: 'atoms', name: 'model', items: [ball([1, 2, 3], 0.5, '#336699')] }]);
    expect(openEdges(m!)).toBe(0);
    const whole = (4 / 3) * Math.PI * 0.5 ** 3;
    expect(volume(m!) / whole).toBeGreaterThan(0.985);
    expect(volume(m!) / whole).toBeLessThan(1);
  });

  it('a left-handed ellipsoid faces outwards too', () => {
    const left = {
      ...ball([0, 0, 0], 1, '#336699'),
      axes: [
        [0, 0.3, 0],
        [0.5, 0, 0],
        [0, 0, 0.7],
      ] as never,
    };
    const [m] = solidMeshes([{ kind: 'atoms', name: 'model', items: [left] }]);
    expect(volume(m!) / ((4 / 3) * Math.PI * 0.3 * 0.5 * 0.7)).toBeGreaterThan(0.985);
    // Normals point away from the middle.
    for (let i = 0; i < 20; i++)
      expect(dot(point(m!, i), [m!.normals[3 * i]!, m!.normals[3 * i + 1]!, m!.normals[3 * i + 2]!])).toBeGreaterThan(
        0,
      );
  });

  it('a stick is closed in each of its colours', () => {
    const bonds: Layer = {
      kind: 'bonds',
      name: 'model',
      items: [{ from: [0, 0, 0], to: [0, 0, 2], colours: ['#111111', '#222222'], radius: 0.1, opacity: 1 }],
    };
    const meshes = solidMeshes([bonds]);
    expect(meshes.map((m) => m.colour)).toEqual(['#111111', '#222222']);
    for (const m of meshes) {
      expect(openEdges(m)).toBe(0);
      expect(volume(m) / (Math.PI * 0.01)).toBeGreaterThan(0.94);
    }
  });

  it('polyhedra have the volume of their hulls', () => {
    const rutile = textbook.rutile('Ti', 4.594, 2.959, 0.3053);
    const layers = buildLayers(rutile, {
      extent: { kind: 'cell' },
      rules: [{ which: { kind: 'all' }, style: { hidden: false } }],
      showCell: false,
      labels: 'none',
      colours: PAPER_COLOURS,
      polyhedra: [{ centre: { kind: 'element', element: 'Ti' }, opacity: 0.5, edges: true, showCentre: true }],
    });
    const m = solidMeshes(layers.filter((l) => l.kind === 'polyhedra'))[0]!;
    expect(openEdges(m)).toBe(0);
    // Two octahedra of TiO6 with edges of about 2.8 Å: some 9.9 Å³ each.
    expect(volume(m) / 2).toBeGreaterThan(9);
    expect(volume(m) / 2).toBeLessThan(11);
  });
});
