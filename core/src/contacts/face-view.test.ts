import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { faceView } from './face-view.ts';

const A = 4.2;
const magnesia = bonded(textbook('F m -3 m', A, A, [['Mg', 0, 0, 0], ['O', 0.5, 0.5, 0.5]])); // prettier-ignore

describe('what a face shows', () => {
  it('both ions of rock salt on a cube’s face, one on an octahedron’s', () => {
    const cube = faceView(magnesia, [0, 0, 1]);
    expect(cube.area).toBeCloseTo(A * A, 6);
    expect(cube.kinds.map((k) => k.kind).sort()).toEqual(['Mg', 'O']);
    // Two of each in a square of the cell's side.
    for (const k of cube.kinds) expect(k.perArea).toBeCloseTo(200 / A ** 2, 6);
    const octahedron = faceView(magnesia, [1, 1, 1]);
    expect(octahedron.kinds[0]!.share).toBeGreaterThan(0.7);
    expect(octahedron.roughness).toBeGreaterThan(0);
    expect(cube.kinds.reduce((sum, k) => sum + k.share, 0)).toBeCloseTo(1, 6);
  });

  it('the heights of balls in rows are those of circles', () => {
    // Balls that touch along a square: under a column off by ρ the height falls by r − √(r² − ρ²).
    const s = textbook('P m m m', 3.04, 12, [['O', 0, 0, 0]]);
    const view = faceView({ ...s, cell: { ...s.cell, b: 3.04 } }, [0, 0, 1]);
    const r = 1.52;
    // Between the discs nothing is met: the layer beneath stands in the same columns.
    expect(view.kinds).toHaveLength(1);
    expect(view.kinds[0]!.share).toBeCloseTo(Math.PI / 4, 1);
    // Over a disc √(r² − ρ²) has the mean 2r/3 and the mean square r²/2.
    expect(view.roughness).toBeCloseTo(r / Math.sqrt(18), 1);
    expect(view.relief).toBeGreaterThan(0.7 * r);
    expect(view.relief).toBeLessThanOrEqual(r + 1e-9);
  });

  it('whole molecules, the same from either side of an inversion', () => {
    const s = bonded(testCrystal('CC(=O)Nc1ccc(O)cc1', 'P -1', 4).structure);
    for (const hkl of [
      [0, 0, 1],
      [1, 0, 0],
      [1, -1, 1],
    ] as const) {
      const view = faceView(s, hkl);
      const back = faceView(s, [-hkl[0], -hkl[1], -hkl[2]]);
      expect(view.molecules.reduce((sum, m) => sum + m.share, 0)).toBeCloseTo(1, 2);
      expect(view.polarShare).toBeCloseTo(back.polarShare, 1);
      expect(view.roughness).toBeCloseTo(back.roughness, 0);
      expect(view.roughness).toBeLessThan(view.relief);
      expect(view.atoms.length).toBeGreaterThan(2);
    }
  });

  it('refuses what is no face', () => {
    expect(() => faceView(magnesia, [0, 0, 0])).toThrow(/no face/);
    expect(() => faceView(magnesia, [2, 0, 0])).toThrow(/common divisor/);
  });
});
