import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { symmetryTable } from '../crystal/atom-ref.ts';
import { applyOperator } from '../crystal/operator.ts';
import { add, dot, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { growthPlanes, shapeWithin } from '../space/crystal-shape.ts';
import { attachmentOf, attachmentShape } from './attachment.ts';

const AXES: readonly Vec3[] = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]; // prettier-ignore

/** Neighbours along the axes of a lattice with one molecule a cell. */
const chains = (energies: readonly number[]) =>
  AXES.flatMap((v, k) => [1, -1].map((sign) => ({ from: [0, 0, 0] as Vec3, to: v.map((x) => sign * x) as unknown as Vec3, energy: energies[k]! }))); // prettier-ignore

describe('attachment energies', () => {
  it('of a lattice bound along its axes are those of the bonds that a face cuts', () => {
    const s = textbook('P m m m', 5, 5, [['O', 0, 0, 0]]);
    const bonds = chains([-10, -4, -1]);
    for (const plane of growthPlanes(s)) {
      const found = attachmentOf(bonds, [{ r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [0, 0, 0] }], plane);
      // Each molecule of the layer has one bond downwards along every axis that leads out of it.
      const cut = [-10, -4, -1].reduce((sum, e, k) => (plane.hkl[k] ? sum + e : sum), 0);
      expect(found.energy).toBeCloseTo(cut, 9);
    }
  });

  it('make a cube of equal bonds, and a needle along the strong one', () => {
    const s = textbook('P m m m', 5, 5, [['O', 0, 0, 0]]);
    const shape = (energies: readonly number[]) =>
      shapeWithin(
        growthPlanes(s).map((p) => ({ ...p, distance: -attachmentOf(chains(energies), [{ r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [0, 0, 0] }], p).energy })),
      ); // prettier-ignore
    const cube = shape([-3, -3, -3]);
    expect(cube).toHaveLength(6);
    for (const f of cube) expect(f.area).toBeCloseTo(4, 6);
    const needle = shape([-9, -3, -3]);
    expect(needle).toHaveLength(6);
    expect(Math.max(...needle.flatMap((f) => f.corners.map((c) => Math.abs(c[0]))))).toBeCloseTo(3, 6);
  });

  it('are what a layer gains on a half crystal, molecule by molecule', () => {
    const s = textbook('P 21/c', 7, 9, [['O', 0.1, 0.2, 0.3]]);
    const { operators } = symmetryTable(s.spaceGroup);
    const random = seededRandom(4);
    // Bonds of the first molecule, each told from its other end too, as pairs are.
    const own: Vec3 = [0.1, 0.2, 0.3];
    const bonds = [1, 2, 3, 4].flatMap(() => {
      const o = operators[random.below(operators.length)]!;
      const cell: Vec3 = [random.below(3) - 1, random.below(3) - 1, random.below(3) - 1];
      const other = add(applyOperator(o, own), cell);
      const energy = -5 * random.next();
      // From the other one: what the inverse makes of the first.
      const back = operators.find((q) => applyOperator(q, other).every((x, k) => Math.abs(x - own[k]! - Math.round(x - own[k]!)) < 1e-9))!; // prettier-ignore
      const shift = applyOperator(back, other).map((x, k) => Math.round(own[k]! - x)) as unknown as Vec3;
      return [{ from: own, to: other, energy }, { from: own, to: add(applyOperator(back, own), shift), energy }]; // prettier-ignore
    });
    for (const plane of growthPlanes(s).filter((p) => p.hkl.every((x) => Math.abs(x) < 3))) {
      const { energy, cut } = attachmentOf(bonds, operators, plane);
      const layer = (x: Vec3): number => Math.floor(plane.layers * dot(plane.hkl, x) - cut);
      let sum = 0;
      for (const o of operators)
        for (const b of bonds) {
          const [from, to] = [applyOperator(o, b.from), applyOperator(o, b.to)];
          // Every molecule of the layers of one cell, on what lies beneath its layer.
          if (layer(to) < layer(from)) sum += b.energy / operators.length;
        }
      expect(energy).toBeCloseTo(sum, 9);
      // Nothing is gained by turning the face round.
      const opposite = { ...plane, hkl: plane.hkl.map((x) => -x) as unknown as Vec3 };
      expect(attachmentOf(bonds, operators, opposite).energy).toBeCloseTo(energy, 9);
    }
  });

  it('make a closed shape of molecular crystals, which says what it cannot know', { tags: 'long' }, () => {
    for (const seed of [3, 8]) {
      const { faces, energies } = attachmentShape(bonded(testCrystal('CC(=O)Nc1ccccc1', 'P 21/c', seed).structure));
      expect(faces.length).toBeGreaterThanOrEqual(4);
      const furthest = Math.max(...faces.flatMap((f) => f.corners.map((c) => Math.hypot(...c))));
      expect(furthest).toBeLessThan(60);
      // What symmetry makes alike gains alike.
      const of = (h: number, k: number, l: number): number => energies.find((e) => e.hkl.join() === `${h},${k},${l}`)!.energy; // prettier-ignore
      expect(of(1, 1, 0)).toBeCloseTo(of(1, -1, 0), 6);
      expect(of(1, 2, -1)).toBeCloseTo(of(-1, 2, 1), 6);
    }
    const oxide = textbook('F m -3 m', 4.2, 4.2, [['Mg', 0, 0, 0], ['O', 0.5, 0.5, 0.5]]); // prettier-ignore
    expect(() => attachmentShape(bonded(oxide))).toThrow(/no molecule|without end/);
  });
});
