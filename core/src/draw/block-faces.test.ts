import { describe, expect, it } from 'vitest';
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { blockFaces, faceLayer, faceShift, movedFace, type Block } from './block-faces.ts';
import { lookAlong, project } from './camera.ts';
import { PAPER_COLOURS } from './colours.ts';
import { itemsOf } from './scene.ts';

const cell: Cell = { a: 6, b: 8, c: 11, alpha: 90, beta: 104, gamma: 90 };
const block: Block = { from: [0, 0, 0], to: [2, 1, 1] };
const SIZE = { width: 800, height: 600 };
const STILL = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1] as const, target: [0, 0, 0] as Vec3, scale: 0.05 };

describe('faces of a block of cells', () => {
  it('stand in the middle of its sides', () => {
    const faces = blockFaces(cell, block);
    expect(faces).toHaveLength(6);
    const m = orthogonalization(cell);
    expect(faces.find((f) => f.axis === 0 && f.end === 'to')!.at).toEqual(apply3(m, [2, 0.5, 0.5]));
    expect(itemsOf([faceLayer(cell, block, PAPER_COLOURS)], 'points').map((p) => p.name)).toContain('c from');
  });

  it('follow the pointer: a drag of what a cell measures on screen is a cell', () => {
    const m = orthogonalization(cell);
    for (const [direction, up] of [
      [
        [0.3, 0.4, 1],
        [0, 1, 0],
      ],
      [
        [1, 0.2, -0.5],
        [0, 0, 1],
      ],
    ] as const) {
      const camera = lookAlong(STILL, direction, up);
      for (const axis of [0, 1, 2] as const) {
        const at = (x: number) =>
          project(camera, SIZE, apply3(m, [0, 1, 2].map((k) => (k === axis ? x : 0.3)) as never));
        const [p, q] = [at(0), at(1.5)];
        expect(faceShift(cell, camera, axis, q.x - p.x, q.y - p.y)).toBeCloseTo(1.5, 9);
      }
    }
  });

  it('do not move along an axis seen on end', () => {
    expect(faceShift(cell, lookAlong(STILL, [0, 1, 0], [0, 0, 1]), 1, 40, 40)).toBe(0);
  });

  it('go in quarter cells, and never through one another', () => {
    expect(movedFace(block, { axis: 0, end: 'to' }, 0.6).to).toEqual([2.5, 1, 1]);
    expect(movedFace(block, { axis: 1, end: 'to' }, -5).to).toEqual([2, 0.25, 1]);
    expect(movedFace(block, { axis: 1, end: 'from' }, 5).from).toEqual([0, 0.75, 0]);
    expect(movedFace(block, { axis: 2, end: 'to' }, 500).to[2]).toBe(20);
    expect(movedFace(block, { axis: 2, end: 'to' }, 0.1)).toEqual(block);
  });
});
