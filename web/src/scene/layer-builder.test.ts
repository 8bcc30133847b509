import { Color, InstancedMesh, LineSegments, Matrix4, Mesh, Vector3, type BufferGeometry, type Object3D } from 'three';
import { describe, expect, it } from 'vitest';
import { LayerBuilder } from './layer-builder.ts';
import { Materials } from './materials.ts';
import type { PaintedAtom, PaintedBond, PaintLayer } from './packed-layers.ts';

const builder = new LayerBuilder(new Materials());
const build = (layer: PaintLayer, others: readonly PaintLayer[] = []) => builder.build(layer, [layer, ...others]);

const atom = (x: number, more: Partial<PaintedAtom> = {}): PaintedAtom => ({
  position: [x, 2, 3],
  axes: [
    [0.5, 0, 0],
    [0, 0.25, 0],
    [0, 0, 0.75],
  ],
  colour: '#c8452b',
  shape: 'ellipsoid',
  opacity: 1,
  ...more,
});
const atoms = (items: readonly PaintedAtom[]): PaintLayer => ({ kind: 'atoms', name: 'model', items });
const instanced = (of: Object3D): InstancedMesh[] => of.children.filter((c) => c instanceof InstancedMesh);
const matrixAt = (mesh: InstancedMesh, i: number): Matrix4 => {
  const m = new Matrix4();
  mesh.getMatrixAt(i, m);
  return m;
};
const triangles = (shape: BufferGeometry): number => (shape.index?.count ?? shape.getAttribute('position').count) / 3;

describe('atoms', () => {
  it('stand where they are, stretched along their half axes, in their colour', () => {
    const { group } = build(atoms([atom(1), atom(5, { colour: '#204060' })]));
    const [mesh] = instanced(group);
    expect(mesh!.count).toBe(2);
    const tip = new Vector3(0, 0, 1).applyMatrix4(matrixAt(mesh!, 1));
    expect(tip.toArray()).toEqual([5, 2, 3.75]);
    const colour = new Color();
    mesh!.getColorAt(1, colour);
    expect(`#${colour.getHexString()}`).toBe('#204060');
  });

  it('are never turned inside out by axes of the other hand', () => {
    const left = atom(0, {
      axes: [
        [0.5, 0, 0],
        [0, 0.25, 0],
        [0, 0, -0.75],
      ],
    });
    const [mesh] = instanced(build(atoms([left])).group);
    expect(matrixAt(mesh!, 0).determinant()).toBeGreaterThan(0);
  });

  it('of different opacity and impossible displacements are meshes of their own', () => {
    const { group } = build(atoms([atom(0), atom(1, { opacity: 0.4 }), atom(2, { shape: 'cube' }), atom(3)]));
    expect(
      instanced(group)
        .map((m) => m.count)
        .sort(),
    ).toEqual([1, 1, 2]);
    const see = instanced(group).map((m) => (m.material as { transparent: boolean }).transparent);
    expect(see.filter(Boolean)).toHaveLength(1);
  });

  it('of a crowd have a plainer shape for while they turn, and only those of a crowd', () => {
    expect(build(atoms(Array.from({ length: 500 }, (_, i) => atom(i)))).refinable).toEqual([]);
    const many = build(
      atoms(Array.from({ length: 2600 }, (_, i) => atom(i, { shape: i % 2 ? 'sphere' : 'ellipsoid' }))),
    );
    const [one] = many.refinable;
    expect(many.refinable).toHaveLength(1);
    expect(triangles(one!.plain)).toBeLessThan(triangles(one!.fine) / 3);
    // Either shape tells which atoms carry principal ellipses.
    for (const shape of [one!.plain, one!.fine]) {
      const ringed = shape.getAttribute('ringed');
      expect([ringed.count, ringed.getX(0), ringed.getX(1)]).toEqual([2600, 1, 0]);
    }
  });

  it('few of them are finer than many', () => {
    const shapeOf = (n: number) =>
      instanced(build(atoms(Array.from({ length: n }, (_, i) => atom(i)))).group)[0]!.geometry;
    expect(triangles(shapeOf(10))).toBeGreaterThan(triangles(shapeOf(1000)));
    expect(triangles(shapeOf(1000))).toBeGreaterThan(triangles(shapeOf(5000)));
  });
});

describe('bonds', () => {
  const bond: PaintedBond = {
    from: [0, 0, 0],
    to: [0, 0, 2],
    colours: ['#c8452b', '#204060'],
    radius: 0.1,
    opacity: 1,
  };
  const layer = (items: readonly PaintedBond[]): PaintLayer => ({ kind: 'bonds', name: 'model', items });

  it('are two halves in the colours of their ends', () => {
    const [mesh] = instanced(build(layer([bond])).group);
    expect(mesh!.count).toBe(2);
    const ends = [0, 1].map((i) => new Vector3(0, 0.5, 0).applyMatrix4(matrixAt(mesh!, i)).toArray());
    expect(ends[0]![2]).toBeCloseTo(1, 9);
    expect(ends[1]![2]).toBeCloseTo(2, 9);
    const side = new Vector3(1, 0, 0).applyMatrix4(matrixAt(mesh!, 0));
    expect(Math.hypot(side.x, side.y)).toBeCloseTo(0.1, 6);
  });

  it('that are dashed come in pieces that leave gaps', () => {
    const [mesh] = instanced(build(layer([{ ...bond, dash: 0.14 }])).group);
    expect(mesh!.count).toBeGreaterThan(6);
    const length = Array.from(
      { length: mesh!.count },
      (_, i) => new Vector3().setFromMatrixScale(matrixAt(mesh!, i)).y,
    );
    const drawn = length.reduce((a, b) => a + b, 0);
    expect(drawn).toBeGreaterThan(1);
    expect(drawn).toBeLessThan(1.6);
  });
});

describe('what else a scene holds', () => {
  const count = (layer: PaintLayer): number => build(layer).group.children.length;
  const square = [
    [0, 0, 0],
    [1, 0, 0],
    [1, 1, 0],
    [0, 1, 0],
  ] as const;

  it('faces and edges of polyhedra', () => {
    const { group } = build({
      kind: 'polyhedra',
      name: 'model',
      items: [
        {
          vertices: [
            [0, 0, 0],
            [1, 0, 0],
            [0, 1, 0],
            [0, 0, 1],
          ],
          faces: [
            [0, 2, 1],
            [0, 1, 3],
            [0, 3, 2],
            [1, 2, 3],
          ],
          colour: '#336699',
          opacity: 0.5,
          edgeColour: '#112233',
          edgeWidth: 1,
        },
      ],
    });
    const [faces] = group.children.filter((c): c is Mesh => c instanceof Mesh);
    expect(faces!.geometry.getAttribute('position').count).toBe(12);
    const [edges] = group.children.filter((c) => c instanceof LineSegments);
    // Every edge once, though two faces meet there.
    expect((edges as LineSegments).geometry.getAttribute('position').count).toBe(12);
  });

  it('a square as two triangles, lines by their colours, a symmetry element by its shape', () => {
    const plane = build({
      kind: 'planes',
      name: 'measures',
      items: [{ corners: square, colour: '#aa7700', opacity: 0.2 }],
    });
    expect(triangles((plane.group.children[0] as Mesh).geometry)).toBe(2);
    const line = (colour: string, dashed = false) => ({
      from: [0, 0, 0] as const,
      to: [1, 0, 0] as const,
      colour,
      width: 1,
      opacity: 1,
      dashed,
    });
    expect(count({ kind: 'lines', name: 'cell', items: [line('#111111'), line('#111111'), line('#222222')] })).toBe(2);
    const element = (points: (readonly [number, number, number])[]) => ({
      name: 'x',
      points,
      colour: '#111111',
      picked: false,
    });
    expect(
      count({
        kind: 'symmetry elements',
        name: 'symmetry',
        items: [
          element([[0, 0, 0]]),
          element([
            [0, 0, 0],
            [0, 0, 1],
          ]),
          element([...square]),
        ],
      }),
    ).toBe(3);
    expect(
      count({
        kind: 'arrows',
        name: 'measures',
        items: [{ from: [0, 0, 0], to: [0, 0, 2], colour: '#111111', radius: 0.1 }],
      }),
    ).toBe(2);
    expect(count({ kind: 'labels', name: 'model', items: [] })).toBe(0);
  });

  it('a surface, with its mesh where that is wished', () => {
    const surface = (mesh: number): number =>
      count({
        kind: 'surfaces',
        name: 'density',
        items: [
          {
            positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
            indices: Uint32Array.of(0, 1, 2),
            colour: '#3366aa',
            opacity: 0.4,
            mesh,
          },
        ],
      });
    expect([surface(0), surface(0.5)]).toEqual([1, 2]);
  });
});
