import { describe, expect, it } from 'vitest';
import { shippedShelf } from '../shelf/entry.ts';
import { axisVectors } from '../crystal/cell.ts';
import { dot, norm, type Vec3 } from '../math/matrix3.ts';
import { extentOfWords, figureScene, rotationOfView } from './figure.ts';
import { itemsOf } from './scene.ts';

const rutile = shippedShelf().find((e) => e.id === 'rutile')!.structure;
const SIZE = { width: 400, height: 300 };

describe('figures in words', () => {
  it('views look along rows and at planes', () => {
    const [a, , c] = axisVectors(rutile.cell);
    const towards = (text: string): Vec3 => {
      const r = rotationOfView(rutile, text);
      return [r[6], r[7], r[8]];
    };
    expect(dot(towards('c'), c) / norm(c)).toBeCloseTo(1, 10);
    expect(dot(towards('[1 0 0]'), a) / norm(a)).toBeCloseTo(1, 10);
    // In a tetragonal cell the normal of (1 1 0) is the row [1 1 0], that of (1 0 1) is no row [1 0 1].
    expect(dot(towards('1 1 0'), towards('[1,1,0]'))).toBeCloseTo(1, 10);
    expect(dot(towards('(1 0 1)'), towards('[1 0 1]'))).toBeLessThan(0.99);
    expect(() => rotationOfView(rutile, 'q')).toThrow(/no view/);
    expect(() => rotationOfView(rutile, '0 0 0')).toThrow(/no plane/);
  });

  it('extents are named, a block by how many cells', () => {
    expect(extentOfWords('block:2,2,1')).toEqual({ kind: 'block', from: [0, 0, 0], to: [2, 2, 1] });
    expect(extentOfWords('closed')).toEqual({ kind: 'closed cell' });
    expect(() => extentOfWords('block:0,1,1')).toThrow(/no extent/);
    expect(() => extentOfWords('everything')).toThrow(/no extent/);
    const atoms = (extent: string): number =>
      itemsOf(figureScene(rutile, { extent, style: ['no polyhedra'] }, SIZE).layers, 'atoms').length;
    expect(atoms('cell')).toBe(6);
    expect(atoms('block:2,1,1')).toBeGreaterThan(atoms('closed'));
  });

  it('styles choose looks, polyhedra and labels; what is hidden is not drawn', () => {
    const drawn = figureScene(rutile, { style: ['sticks', 'polyhedra:Ti', 'labels:element', 'no cell'] }, SIZE).layers;
    expect(itemsOf(drawn, 'polyhedra').length).toBeGreaterThan(0);
    expect(itemsOf(drawn, 'labels').some((l) => l.text === 'Ti')).toBe(true);
    expect(itemsOf(drawn, 'lines')).toHaveLength(0);
    const bare = figureScene(rutile, { hide: ['O'] }, SIZE).layers;
    expect(itemsOf(bare, 'atoms').every((a) => a.element === 'Ti')).toBe(true);
    expect(() => figureScene(rutile, { style: ['pretty'] }, SIZE)).toThrow(/no style/);
    expect(() => figureScene(rutile, { style: ['polyhedra:Fe'] }, SIZE)).toThrow(/no Fe/);
    expect(() => figureScene(rutile, { hide: ['Q7'] }, SIZE)).toThrow(/"Q7"/);
  });
});
