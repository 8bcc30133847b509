import { describe, expect, it } from 'vitest';
import { fluorite, halite, textbook } from '../../../demo/src/textbook.ts';
import { seededRandom } from '../math/random.ts';
import { add, scale, type Vec3 } from '../math/matrix3.ts';
import { COULOMB, ewald } from '../math/ewald.ts';
import { latticeEnergy } from './lattice-energy.ts';
import { supercell } from './supercell.ts';

describe('electrostatic energies', () => {
  it.each([
    ['halite', halite('Na', 5.64, 'Cl'), 1.747565, 4, 1, 5.64 / 2],
    [
      'caesium chloride',
      textbook('P m -3 m', 4.12, 4.12, [
        ['Cs', 0, 0, 0],
        ['Cl', 0.5, 0.5, 0.5],
      ]),
      1.762675,
      1,
      1,
      (4.12 * Math.sqrt(3)) / 2,
    ],
    [
      'sphalerite',
      textbook('F -4 3 m', 5.41, 5.41, [
        ['Zn', 0, 0, 0],
        ['S', 0.25, 0.25, 0.25],
      ]),
      1.638055,
      4,
      4,
      (5.41 * Math.sqrt(3)) / 4,
    ],
    ['fluorite', fluorite('Ca', 'F', 5.46), 2.51939, 4, 2, (5.46 * Math.sqrt(3)) / 4],
  ] as const)('give the constant of %s', (_, s, constant, units, product, nearest) => {
    expect((-latticeEnergy(s)! * nearest) / (COULOMB * units * product)).toBeCloseTo(constant, 5);
  });

  it('grow with the cell and do not depend on how it is chosen', () => {
    const s = halite('Mg', 4.212);
    const large = supercell(s, [1, 1, 0, 0, 1, 1, 1, 0, 1]);
    expect(latticeEnergy(large.structure)! / latticeEnergy(s)!).toBeCloseTo(large.determinant, 8);
  });

  it('have the potentials as slopes: a charge moved changes the energy as finite differences say', () => {
    const random = seededRandom(4);
    const axes: [Vec3, Vec3, Vec3] = [
      [6, 0, 0],
      [-1.4, 5.5, 0],
      [0.8, 1.1, 7],
    ];
    const positions = Array.from({ length: 6 }, () =>
      axes.reduce((sum, v) => add(sum, scale(v, random.next())), [0, 0, 0] as Vec3),
    );
    const charges = [2, -1, -1, 1, -2, 1];
    const { energy, potentials } = ewald(axes, positions, charges);
    const half = charges.reduce((sum, q, i) => sum + 0.5 * q * potentials[i]!, 0);
    expect(half).toBeCloseTo(energy, 9);
    // A pair of charges dq and −dq put on two places changes the energy by dq (V₁ − V₂) to first order.
    const dq = 1e-5;
    const with_ = (sign: number): number =>
      ewald(
        axes,
        positions,
        charges.map((q, i) => q + sign * (i === 0 ? dq : i === 3 ? -dq : 0)),
      ).energy;
    expect((with_(1) - with_(-1)) / (2 * dq)).toBeCloseTo(potentials[0]! - potentials[3]!, 4);
  });

  it('have no end where charges do not balance', () => {
    expect(() =>
      ewald(
        [
          [3, 0, 0],
          [0, 3, 0],
          [0, 0, 3],
        ],
        [[0, 0, 0]],
        [1],
      ),
    ).toThrow(/add up to 1.00/);
    expect(latticeEnergy(textbook('P m -3 m', 3, 3, [['Cu', 0, 0, 0]]))).toBeUndefined();
  });
});
