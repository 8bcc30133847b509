import { describe, expect, it } from 'vitest';
import { cellFromMetric, orthogonalization } from '../crystal/cell.ts';
import { applyOperator } from '../crystal/operator.ts';
import { allOperators } from '../crystal/neighbours.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, add, dot, inverse3, norm, subtract, toMat3, turn, normalize, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { equalisedCharges } from './charges.ts';
import { EnergySearch, pairEnergy, type ChargedMolecule } from './energies.ts';
import { COULOMB_MOLAR } from './potential.ts';

type Atom = readonly [label: string, x: number, y: number, z: number];
const elementIn = (label: string): string => /^[A-Z][a-z]?/.exec(label)![0];

function crystal(symbol: string, edges: Vec3, atoms: readonly Atom[], oblique = 0): Structure {
  const axes: Vec3[] = [
    [edges[0], 0, 0],
    [0, edges[1], 0],
    [oblique, 0, edges[2]],
  ];
  const cell = cellFromMetric(toMat3(axes.flatMap((p) => axes.map((q) => dot(p, q)))));
  const back = inverse3(orthogonalization(cell));
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: atoms.map(([label, x, y, z]) => ({
      id: label,
      label,
      element: elementIn(label),
      position: apply3(back, [x, y, z]),
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}

const FORMALDEHYDE: readonly Atom[] = [
  ['C1', 0, 0, 0],
  ['O1', 0, 0, 1.21],
  ['H1', 0.95, 0, -0.54],
  ['H2', -0.95, 0, -0.54],
];
/** Formic acid, its ends turned towards an inversion in the origin. */
const FORMIC: readonly Atom[] = [
  ['C1', 1.92, 0.02, 0],
  ['O1', 1.32, 1.08, 0],
  ['O2', 1.29, -1.14, 0],
  ['H2', 0.3, -1.09, 0],
  ['H1', 3.01, -0.05, 0],
];

const moved = (atoms: readonly Atom[], random: () => number): Atom[] => {
  const axis = normalize([random() - 0.5, random() - 0.5, random() - 0.5]);
  const by = 2 * Math.PI * random();
  return atoms.map(([l, x, y, z]): Atom => [
    l,
    ...(add(turn([x, y, z], axis, by), [3, 3, 3]) as [number, number, number]),
  ]);
};

/** kJ/mol of two lists of atoms by the published formulae, written out. */
function plainly(p: ChargedMolecule, q: ChargedMolecule, at: readonly Vec3[]): number {
  const tables: Record<string, [number, number]> = {
    H: [3.195, 0.0152],
    'H+': [3.195, 0.0001],
    C: [3.8983, 0.0951],
    O: [3.4046, 0.0957],
  };
  let sum = 0;
  p.kinds.forEach((k, i) =>
    q.kinds.forEach((l, j) => {
      const r = norm(subtract(p.molecule.at[i]!, at[j]!));
      const r0 = (tables[k]![0] + tables[l]![0]) / 2,
        d0 = 4.184 * Math.sqrt(tables[k]![1] * tables[l]![1]);
      sum += d0 * (Math.exp(12 * (1 - r / r0)) - 2 * (r0 / r) ** 6);
      sum += (1389.3546 * p.charges[i]! * q.charges[j]!) / r;
    }),
  );
  const bonds = (from: ChargedMolecule, a: readonly Vec3[], to: ChargedMolecule, b: readonly Vec3[]): number => {
    let e = 0;
    from.kinds.forEach((k, h) => {
      if (k !== 'H+') return;
      const d = from.molecule.elements.findIndex((x, i) => x === 'O' && norm(subtract(a[i]!, a[h]!)) < 1.1);
      to.molecule.elements.forEach((x, j) => {
        if (x !== 'O') return;
        const r = norm(subtract(a[d]!, b[j]!));
        const [u, v] = [subtract(a[d]!, a[h]!), subtract(b[j]!, a[h]!)];
        const cosine = dot(u, v) / norm(u) / norm(v);
        if (cosine < 0) e += 4 * 4.184 * (5 * (2.75 / r) ** 12 - 6 * (2.75 / r) ** 10) * cosine ** 4;
      });
    });
    return e;
  };
  return sum + bonds(p, p.molecule.at, q, at) + bonds(q, at, p, p.molecule.at);
}

describe('charges', () => {
  it('are those of the paper where it tells them: water, methane, benzene, hydrogen chloride', () => {
    const water = equalisedCharges(['O', 'H', 'H'], [[0, 0, 0], [0.958, 0, 0], [-0.24, 0.927, 0]]); // prettier-ignore
    expect(water[1]).toBeCloseTo(0.353, 1);
    expect(water[1]).toBeCloseTo(water[2]!, 3);
    const t = 1.09 / Math.sqrt(3);
    const methane = equalisedCharges(['C', 'H', 'H', 'H', 'H'], [[0, 0, 0], [t, t, t], [-t, -t, t], [-t, t, -t], [t, -t, -t]]); // prettier-ignore
    expect(methane[1]).toBeGreaterThan(0.1);
    expect(methane[1]).toBeLessThan(0.16);
    expect(equalisedCharges(['H', 'Cl'], [[0, 0, 0], [1.27, 0, 0]])[0]).toBeCloseTo(0.28, 1); // prettier-ignore
  });

  it('add up to what is asked', () => {
    const at: Vec3[] = FORMIC.map(([, x, y, z]) => [x, y, z]);
    const charges = equalisedCharges(FORMIC.map(([l]) => elementIn(l)), at, -1); // prettier-ignore
    expect(charges.reduce((p, q) => p + q, 0)).toBeCloseTo(-1, 10);
  });
});

describe('energies of pairs', () => {
  it.each(['P 1', 'P -1', 'P 1 21/c 1', 'P 21 21 21', 'C 1 2/c 1', 'P b c a'])(
    'in %s every neighbour is there and has the energy of a plain sum',
    (symbol) => {
      const random = seededRandom(symbol.length * 31 + 7);
      for (let n = 0; n < 3; n++) {
        const s = crystal(
          symbol,
          [13, 14, 15],
          moved(FORMIC, () => random.next()),
          symbol.includes('1 2') ? -3 : 0,
        );
        const search = new EnergySearch(s);
        const { pairs, molecules } = search.all();
        expect(molecules).toHaveLength(1);
        const own = search.charged[0]!;
        // Every copy of the molecule over all operators and 7 × 7 × 7 cells.
        const m = orthogonalization(s.cell);
        const back = inverse3(m);
        const expected: number[] = [];
        for (const o of allOperators(s.spaceGroup))
          for (let k = 0; k < 343; k++) {
            const shift: Vec3 = [(k % 7) - 3, (Math.floor(k / 7) % 7) - 3, Math.floor(k / 49) - 3];
            const at = own.molecule.at.map((x) => apply3(m, add(applyOperator(o, apply3(back, x)), shift)));
            const nearest = Math.min(...own.molecule.at.flatMap((x) => at.map((y) => norm(subtract(x, y)))));
            if (nearest < 0.01 || nearest > 6) continue;
            expected.push(plainly(own, own, at));
          }
        expected.sort((p, q) => p - q);
        expect(pairs).toHaveLength(expected.length);
        pairs.forEach((p, i) => expect(p.energy).toBeCloseTo(expected[i]!, 4));
        for (const p of pairs) expect(p.dispersion + p.repulsion + p.electrostatic).toBeCloseTo(p.energy, 10);
      }
    },
  );

  it('far apart only their dipoles are left', () => {
    const s = crystal('P 1', [40, 40, 40], FORMALDEHYDE);
    const { charged } = new EnergySearch(s);
    const own = charged[0]!;
    const dipole = own.molecule.at.reduce<Vec3>(
      (sum, x, i) => add(sum, [x[0] * own.charges[i]!, x[1] * own.charges[i]!, x[2] * own.charges[i]!]),
      [0, 0, 0],
    );
    expect(norm(dipole)).toBeGreaterThan(0.3);
    for (const way of [
      [1, 0, 0],
      [0, 0, 1],
      [0.6, 0, 0.8],
      [0.48, 0.6, 0.64],
    ] as Vec3[]) {
      // prettier-ignore
      const r = 60;
      const at = own.molecule.at.map((x): Vec3 => add(x, [r * way[0], r * way[1], r * way[2]]));
      const expected = (COULOMB_MOLAR * (dot(dipole, dipole) - 3 * dot(dipole, way) ** 2)) / r ** 3;
      expect(pairEnergy(own, own, at).electrostatic / expected).toBeCloseTo(1, 1);
    }
  });

  it('the dimer of formic acid gains what it is known to gain, 60 kJ/mol or so', () => {
    const { pairs } = new EnergySearch(crystal('P -1', [14, 14, 14], FORMIC)).all();
    expect(pairs[0]!.energy).toBeLessThan(-45);
    expect(pairs[0]!.energy).toBeGreaterThan(-85);
    expect(pairs[0]!.hydrogenBond).toBeLessThan(-20);
  });
});

describe('the lattice', () => {
  it('is half of what a molecule has with all of its neighbours', () => {
    const shifted = FORMIC.map(([l, x, y, z]): Atom => [l, x + 0.9, y + 3, z + 2.5]);
    const s = crystal('P -1', [9, 9, 9], shifted);
    const search = new EnergySearch(s);
    const own = search.charged[0]!;
    const m = orthogonalization(s.cell);
    const back = inverse3(m);
    let dispersion = 0,
      repulsion = 0,
      coulomb = 0;
    const reach = 7;
    for (const o of allOperators(s.spaceGroup))
      for (let a = -reach; a <= reach; a++)
        for (let b = -reach; b <= reach; b++)
          for (let c = -reach; c <= reach; c++) {
            const at = own.molecule.at.map((x) => apply3(m, add(applyOperator(o, apply3(back, x)), [a, b, c])));
            if (norm(subtract(at[0]!, own.molecule.at[0]!)) < 0.01) continue;
            const parts = pairEnergy(own, own, at);
            dispersion += parts.dispersion / 2;
            repulsion += parts.repulsion / 2;
            coulomb += parts.electrostatic / 2;
          }
    const { lattice } = search.all();
    expect(lattice!.formula).toBe('C H2 O2');
    expect(lattice!.repulsion / repulsion).toBeCloseTo(1, 4);
    expect(lattice!.dispersion / dispersion).toBeCloseTo(1, 2);
    // Molecules about a centre have no dipole of the cell: the plain sum over a block converges.
    expect(lattice!.electrostatic).toBeCloseTo(coulomb, 0);
  });

  it('counts a molecule on a symmetry element once, and units of a salt together', () => {
    const half = crystal('P -1', [7, 7, 7], [
      ['C1', 0.76, 0, 0],
      ['Cl1', 1.6, 1.5, 0],
      ['H1', 1.1, -0.5, 0.9],
      ['H2', 1.1, -0.5, -0.9],
    ]); // prettier-ignore
    const { molecules, lattice } = new EnergySearch(half).all();
    expect(molecules.map((m) => m.formula)).toEqual(['C2 H4 Cl2']);
    expect(lattice!.formula).toBe('C2 H4 Cl2');
    const salt = crystal('P 1', [7, 7, 7], [
      ['N1', 0, 0, 0],
      ['H1', 0.6, 0.6, 0.6],
      ['H2', -0.6, -0.6, 0.6],
      ['H3', -0.6, 0.6, -0.6],
      ['H4', 0.6, -0.6, -0.6],
      ['Cl1', 3.5, 3.5, 3.5],
    ]); // prettier-ignore
    const told = new EnergySearch(salt).all();
    expect(told.molecules.map((m) => m.charge).sort()).toEqual([-1, 1]);
    expect(told.lattice!.electrostatic).toBeLessThan(-300);
    expect(told.remarks).toEqual([]);
  });
});

describe('what the field cannot tell', () => {
  it('is said: no molecule, no hydrogens, charges that do not balance', () => {
    expect(() => new EnergySearch(crystal('P 1', [2.5, 2.5, 2.5], [['Cu1', 0, 0, 0]]))).toThrow(/no molecule/);
    const bare = crystal('P 1', [8, 8, 8], FORMALDEHYDE.slice(0, 2));
    expect(new EnergySearch(bare).remarks.join(' ')).toContain('no hydrogens');
    const odd = crystal('P 1', [8, 8, 8], [['Cl1', 0, 0, 0]]);
    expect(new EnergySearch(odd).remarks.join(' ')).toContain('do not balance');
  });
});
