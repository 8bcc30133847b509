import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { corundum, fluorite, halite, rutile, textbook } from '../../../demo/src/textbook.ts';
import { balancedCharges, bondValence, coordinationOfRatio, ionicRadius } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { cheapestAssignment } from '../math/assignment.ts';
import { add, normalize, scale, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { largestOverlap, superpose } from '../math/superpose.ts';
import { beforeGap, Surroundings } from './coordination.ts';
import {
  angleVariance,
  effectiveCoordination,
  hullVolume,
  lengthDistortion,
  quadraticElongation,
} from './polyhedron.ts';
import { IDEAL_SHAPES, readShape, shapeMeasure } from './shape.ts';

describe('continuous shape measures', () => {
  const shape = (n: number, name: string): readonly Vec3[] => IDEAL_SHAPES[n]![name]!;
  const measure = (n: number, of: string, against: string): number =>
    shapeMeasure([0, 0, 0], shape(n, of).map(normalize), shape(n, against));

  it('of few vertices are those of the rotation that fits best', () => {
    const random = seededRandom(12);
    const points = (n: number): Vec3[] =>
      Array.from({ length: n }, () => [random.normal(), random.normal(), random.normal()] as const);
    for (const n of [3, 4, 5, 9])
      for (let trial = 0; trial < 20; trial++) {
        const p = points(n),
          q = points(n);
        const centred = (list: readonly Vec3[]): Vec3[] => {
          const c = scale(
            list.reduce((sum, x) => add(sum, x)),
            1 / n,
          );
          return list.map((x) => add(x, scale(c, -1)));
        };
        const [a, b] = [centred(p), centred(q)];
        const sums = new Float64Array(9);
        a.forEach((x, i) => x.forEach((v, r) => b[i]!.forEach((w, k) => (sums[3 * r + k]! += v * w))));
        const square = (list: readonly Vec3[]): number => list.flat().reduce((sum, x) => sum + x * x, 0);
        const { rms } = superpose(a, b);
        // rms² n = Σp² + Σq² − 2 Σ q·Rp.
        const expected = (square(a) + square(b) - rms * rms * n) / 2;
        expect(largestOverlap(sums, (square(a) + square(b)) / 2)).toBeCloseTo(expected, 7);
      }
  });

  it('have the published constants', () => {
    expect(measure(6, 'octahedron', 'trigonal prism')).toBeCloseTo(16.737, 3);
    expect(measure(6, 'trigonal prism', 'octahedron')).toBeCloseTo(16.737, 3);
    expect(measure(4, 'tetrahedron', 'square')).toBeCloseTo(33.333, 3);
    expect(measure(4, 'square', 'tetrahedron')).toBeCloseTo(33.333, 3);
    expect(measure(8, 'cube', 'square antiprism')).toBeCloseTo(10.99, 1);
  });

  it('are zero for each ideal, turned, shifted, scaled and in any order', () => {
    const random = seededRandom(2);
    for (const [n, shapes] of Object.entries(IDEAL_SHAPES))
      for (const [name, ideal] of Object.entries(shapes)) {
        expect(ideal.length).toBe(Number(n));
        const axis = normalize([random.next(), random.next(), random.next()]),
          by = 6 * random.next();
        const centre: Vec3 = [1, -2, 3];
        const moved = ideal
          .map((p) => add(scale(turn(normalize(p), axis, by), 2.1), centre))
          .sort(() => random.next() - 0.5);
        const [best] = readShape(centre, moved);
        expect(best!.measure, name).toBeLessThan(1e-6);
        expect(best!.name).toBe(name);
      }
  });

  it('refuse a shape of another number of vertices', () => {
    expect(() => measure(4, 'square', 'square')).not.toThrow();
    expect(() => shapeMeasure([0, 0, 0], shape(4, 'square'), shape(6, 'octahedron'))).toThrow(/as many/);
    expect(readShape([0, 0, 0], [[1, 0, 0]])).toEqual([]);
  });

  it('assign vertices as trying every order does', () => {
    const random = seededRandom(7);
    const orders = (list: readonly number[]): number[][] =>
      list.length < 2 ? [[...list]] : list.flatMap((x) => orders(list.filter((y) => y !== x)).map((o) => [x, ...o]));
    for (let round = 0; round < 20; round++) {
      const cost = Float64Array.from({ length: 25 }, () => random.next());
      const total = (o: ArrayLike<number>): number => Array.from(o).reduce((sum, c, r) => sum + cost[5 * r + c]!, 0);
      expect(total(cheapestAssignment(cost, 5))).toBeCloseTo(Math.min(...orders([0, 1, 2, 3, 4]).map(total)), 12);
    }
  });
});

describe('numbers of a polyhedron', () => {
  const octahedron: Vec3[] = [1, -1].flatMap((s): Vec3[] => [
    [2 * s, 0, 0],
    [0, 2 * s, 0],
    [0, 0, 2 * s],
  ]);
  it('of ideal ones are those of geometry', () => {
    expect(hullVolume(octahedron)).toBeCloseTo((4 / 3) * 8, 9);
    const cube = [1, -1].flatMap((x) => [1, -1].flatMap((y) => [1, -1].map((z): Vec3 => [x, y, z])));
    expect(hullVolume(cube)).toBeCloseTo(8, 9);
    expect(hullVolume(octahedron.slice(0, 2).concat([[0, 0, 0]]))).toBe(0);
    expect(quadraticElongation([0, 0, 0], octahedron, 'octahedron')).toBeCloseTo(1, 9);
    expect(angleVariance([0, 0, 0], octahedron, 'octahedron')).toBeCloseTo(0, 9);
    expect(quadraticElongation([0, 0, 0], octahedron, 'square')).toBeUndefined();
    expect(lengthDistortion([2, 2, 2])).toBe(0);
    expect(effectiveCoordination([2, 2, 2, 2, 2, 2])).toBeCloseTo(6, 9);
  });
  it('grow with distortion', () => {
    const stretched = octahedron.map((p): Vec3 => [p[0], p[1], 1.2 * p[2]]);
    expect(quadraticElongation([0, 0, 0], stretched, 'octahedron')).toBeCloseTo(
      (4 * 4 + 2 * 4 * 1.44) / 6 / (4 * 1.2 ** (2 / 3)),
      9,
    );
    expect(lengthDistortion([2, 2, 2, 2, 2.4, 2.4])).toBeCloseTo((4 * (2 / 15) + 2 * (4 / 15)) / 6 / (32 / 15), 9);
    expect(effectiveCoordination([2, 2, 2, 2, 2.4, 2.4])).toBeLessThan(5);
    expect(beforeGap([1.95, 1.95, 1.95, 1.95, 2.4, 2.4, 3.5], 4)).toBe(6);
  });
});

describe('the rule of radii', () => {
  it.each([
    ['rutile', rutile('Ti', 4.594, 2.959, 0.305), [6, 3], [6, 3]],
    ['fluorite', fluorite('Ca', 'F', 5.463), [8, 4], [8, 4]],
    [
      'sphalerite',
      textbook('F -4 3 m', 5.409, 5.409, [
        ['Zn', 0, 0, 0],
        ['S', 0.25, 0.25, 0.25],
      ]),
      [4, 4],
      [4, 4],
    ],
    [
      'caesium chloride',
      textbook('P m -3 m', 4.123, 4.123, [
        ['Cs', 0, 0, 0],
        ['Cl', 0.5, 0.5, 0.5],
      ]),
      [8, 8],
      [8, 8],
    ],
  ] as const)('predicts what %s has', (_, s, coordination, predicted) => {
    const around = new Surroundings(s);
    expect(s.sites.map((__, i) => around.read(i).neighbours.length)).toEqual(coordination);
    expect(s.sites.map((__, i) => around.read(i).radiusRatio!.predicted)).toEqual(predicted);
    // Charges balance: cations times their coordination is anions times theirs.
    const q = around.charges;
    expect(q[0]! / coordination[0]).toBeCloseTo(-q[1]! / coordination[1], 9);
  });

  it('leaves the larger ion what the smaller one’s number makes of it, where that is not what is found', () => {
    // Halite’s own radii allow six; those of caesium fluoride, whose cation is the larger, allow the anion eight.
    const cases = [
      [halite('Na', 5.64, 'Cl'), 6, 6],
      [halite('Cs', 6.01, 'F'), 8, 8],
      // Beryllium oxide as sphalerite: three are allowed, four are found, and the anion follows.
      [
        textbook('F -4 3 m', 3.8, 3.8, [
          ['Be', 0, 0, 0],
          ['O', 0.25, 0.25, 0.25],
        ]),
        3,
        3,
      ],
    ] as const;
    for (const [s, cation, anion] of cases) {
      const around = new Surroundings(s);
      expect([0, 1].map((i) => around.read(i).radiusRatio!.predicted)).toEqual([cation, anion]);
    }
  });

  it('has the limits of touching spheres, and radii of ions by coordination', () => {
    expect([0.1, 0.2, 0.3, 0.5, 0.8, 1.1].map(coordinationOfRatio)).toEqual([2, 3, 4, 6, 8, 12]);
    expect(ionicRadius('Ti', 4, 6)).toBe(0.605);
    expect(ionicRadius('O', -2, 5)).toBeCloseTo(1.39, 9);
    expect(ionicRadius('S', -2, 4)).toBe(1.84);
    expect(ionicRadius('Xe', 4, 6)).toBeUndefined();
  });
});

describe('bond valences', () => {
  it.each([
    ['MgO', halite('Mg', 4.212)],
    ['MnO', halite('Mn', 4.446)],
    ['TiO2', rutile('Ti', 4.594, 2.959, 0.305)],
    ['SnO2', rutile('Sn', 4.737, 3.186, 0.307)],
    ['Al2O3', corundum('Al', 4.759, 12.991, 0.3522, 0.3062)],
    ['Fe2O3', corundum('Fe', 5.038, 13.772, 0.3553, 0.306)],
    ['Cr2O3', corundum('Cr', 4.958, 13.594, 0.3476, 0.3058)],
    ['UO2', fluorite('U', 'O', 5.47)],
    ['ThO2', fluorite('Th', 'O', 5.597)],
    ['Li2O', fluorite('O', 'Li', 4.619)],
    [
      'ZnO',
      textbook('P 63 m c', 3.25, 5.207, [
        ['Zn', 1 / 3, 2 / 3, 0],
        ['O', 1 / 3, 2 / 3, 0.382],
      ]),
    ],
    [
      'SrTiO3',
      textbook('P m -3 m', 3.905, 3.905, [
        ['Sr', 0.5, 0.5, 0.5],
        ['Ti', 0, 0, 0],
        ['O', 0.5, 0, 0],
      ]),
    ],
  ] as const)('sum to the charge in %s', (_, s) => {
    const around = new Surroundings(s);
    for (const i of around.centres()) {
      const c = around.read(i);
      expect(Math.abs(c.valenceSum! - c.charge!)).toBeLessThan(0.15);
    }
    expect(around.globalInstability()!).toBeLessThan(0.15);
  });

  it('count ions that replace one another by their shares, and every ion as often as the cell has it', () => {
    const pure = halite('Mg', 4.212);
    const [mg, o] = pure.sites;
    const mixed: Structure = {
      ...pure,
      sites: [
        { ...mg!, occupancy: 0.75 },
        { ...mg!, id: 'fe', label: 'Fe1', element: 'Fe', charge: 2, occupancy: 0.25 },
        o!,
      ],
    };
    const around = new Surroundings(mixed);
    expect(mixed.sites.map((_, i) => around.read(i).neighbours.length)).toEqual([6, 6, 6]);
    const [m, f, sum] = [0, 1, 2].map((i) => around.read(i).valenceSum!) as [number, number, number];
    expect(sum).toBeCloseTo(0.75 * m + 0.25 * f, 9);
    expect(around.read(2).neighbours.every((n) => n.atom.site === mg!.id)).toBe(true);
    const off = (v: number): number => (v - 2) ** 2;
    expect(around.globalInstability()).toBeCloseTo(Math.sqrt((0.75 * off(m) + 0.25 * off(f) + off(sum)) / 2), 9);
    // Twice as many oxygens as metals: each metal once, each oxygen twice.
    const two = new Surroundings(rutile('Ti', 4.594, 2.959, 0.305));
    const [t, ox] = [0, 1].map((i) => two.valenceSum(i)!) as [number, number];
    expect(two.globalInstability()).toBeCloseTo(Math.sqrt(((t - 4) ** 2 + 2 * (ox - 2) ** 2) / 3), 9);
  });

  it('are known for published pairs only', () => {
    expect(bondValence('Ti', 4, 'O', 1.815)).toBe(1);
    expect(bondValence('Ti', 4, 'N', 2)).toBeUndefined();
  });
});

describe('charges', () => {
  it('balance a composition, likelier states first', () => {
    expect(balancedCharges({ Ti: 2, O: 4 })).toEqual({ Ti: 4, O: -2 });
    expect(balancedCharges({ Fe: 1, O: 1 })).toEqual({ Fe: 2, O: -2 });
    expect(balancedCharges({ K: 2, S: 1, O: 4 })).toEqual({ K: 1, S: 6, O: -2 });
    expect(balancedCharges({ Zn: 1, S: 1 })).toEqual({ Zn: 2, S: -2 });
    expect(balancedCharges({ Na: 1, Cl: 1 })).toEqual({ Na: 1, Cl: -1 });
    expect(balancedCharges({ Ca: 5, P: 3, O: 12, F: 1 })).toEqual({ Ca: 2, P: 5, O: -2, F: -1 });
    expect(balancedCharges({ C: 6, H: 6 })).toBeUndefined();
    expect(balancedCharges({ Fe: 1 })).toBeUndefined();
  });

  it('of the file come before those', () => {
    const s = rutile('Ti', 4.594, 2.959, 0.305);
    const charged: Structure = { ...s, sites: s.sites.map((x) => (x.element === 'Ti' ? { ...x, charge: 3 } : x)) };
    expect(new Surroundings(charged).charges).toEqual([3, -2]);
  });

  it('are not guessed for molecules, whose metals are centres all the same', () => {
    const { structure } = testCrystal('CCO', 'P -1', 3, { dMin: 2, repeats: 1 });
    const around = new Surroundings(structure);
    expect(around.centres()).toEqual([]);
    expect(around.globalInstability()).toBeUndefined();
  });
});
