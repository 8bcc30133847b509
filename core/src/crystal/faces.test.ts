import { describe, expect, it } from 'vitest';
import { inverse3, type Mat3 } from '../math/matrix3.ts';
import { faceIndices, facesInAxes } from './faces.ts';

/** Axes of the primitive cell within a C-centred one. */
const PRIMITIVE: Mat3 = [0.5, 0.5, 0, -0.5, 0.5, 0, 0, 0, 1];

describe('faces of a crystal', () => {
  it('have the smallest whole indices that name them', () => {
    expect(faceIndices([2, 0, 4])).toEqual([1, 0, 2]);
    expect(faceIndices([0.5, -0.5, 0])).toEqual([1, -1, 0]);
    expect(faceIndices([1 / 3, 2 / 3, -1])).toEqual([1, 2, -3]);
    expect(faceIndices([-1, 0, 3])).toEqual([-1, 0, 3]);
    expect(faceIndices([0.123, 1, 0])).toEqual([0.123, 1, 0]);
  });

  it('are whole in the axes of a primitive cell and of a doubled one, and come back', () => {
    const faces = [
      { hkl: [1, 0, 0] as const, distance: 0.1 },
      { hkl: [1, 1, 2] as const, distance: 0.2 },
    ];
    expect(facesInAxes(faces, PRIMITIVE).map((f) => f.hkl)).toEqual([
      [1, 1, 0],
      [0, 1, 2],
    ]);
    expect(facesInAxes(faces, [2, 0, 0, 0, 2, 0, 0, 0, 2])).toEqual(faces);
    expect(facesInAxes(facesInAxes(faces, PRIMITIVE), inverse3(PRIMITIVE))).toEqual(faces);
  });
});
