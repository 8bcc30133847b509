import { describe, expect, it } from 'vitest';
import { fluorite, halite, rutile, textbook } from '../../../demo/src/textbook.ts';
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { cartesian, type Structure } from '../crystal/structure.ts';
import { apply3, cross, dot, inverse3, normalize, transpose3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { layerSlab } from './layers.ts';
import { planeBasis, Surface } from './surface.ts';
import { coincident, wholeCell } from './whole-cell.ts';

const random = seededRandom(77);
const quartz = shippedShelf().find((e) => e.id === 'quartz')!.structure;
const monoclinic: Structure = {
  ...textbook('P 1 2/c 1', 4.69, 4.69, [
    ['Zn', 0.5, 0.684, 0.25],
    ['W', 0, 0.182, 0.25],
    ['O', 0.216, 0.895, 0.435],
    ['O', 0.256, 0.377, 0.401],
  ]),
  cell: { a: 4.69, b: 5.72, c: 4.92, alpha: 90, beta: 90.6, gamma: 90 },
};
const graphite = textbook('P 63/m m c', 2.464, 6.711, [
  ['C', 0, 0, 0.25],
  ['C', 1 / 3, 2 / 3, 0.25],
]);
const caesium = textbook('P m -3 m', 4.123, 4.123, [
  ['Cs', 0, 0, 0],
  ['Cl', 0.5, 0.5, 0.5],
]);
const CRYSTALS: readonly [string, Structure][] = [
  ['halite', halite('Mg', 4.212)],
  ['fluorite', fluorite('Ca', 'F', 5.463)],
  ['rutile', rutile('Ti', 4.594, 2.959, 0.305)],
  ['quartz', quartz],
  ['a tungstate', monoclinic],
];
const somePlane = (): Vec3 => {
  const h = [0, 1, 2].map(() => Math.floor(7 * random.next()) - 3) as unknown as Vec3;
  return h.some((x) => x) ? h : [1, 0, 0];
};
const CHOICE = { vacuum: 12, along: 'normal', bothSides: true } as const;

describe.each(CRYSTALS)('any plane of %s', (_, s) => {
  const m = orthogonalization(s.cell);
  const atoms = wholeCell(s).sites.length / s.spaceGroup.centring.length;
  const volume = cellVolume(s.cell) / s.spaceGroup.centring.length;

  it('has the shortest cell in it, right-handed, as large as the lattice asks', () => {
    for (let k = 0; k < 25; k++) {
      const hkl = somePlane();
      const { p, spacing, area } = planeBasis(s, hkl);
      const column = (j: number): Vec3 => [p[j]!, p[3 + j]!, p[6 + j]!];
      const [u, v, w] = [0, 1, 2].map(column) as [Vec3, Vec3, Vec3];
      expect(dot(hkl, u)).toBeCloseTo(0, 9);
      expect(dot(hkl, v)).toBeCloseTo(0, 9);
      expect(dot(hkl, w)).toBeGreaterThan(0);
      expect(area * spacing).toBeCloseTo(volume, 6);
      const [a, b, c] = [u, v, w].map((x) => apply3(m, x)) as [Vec3, Vec3, Vec3];
      expect(dot(cross(a, b), c)).toBeGreaterThan(0);
      // No sum or difference is shorter: the pair is reduced; and its angle is not acute.
      expect(2 * Math.abs(dot(a, b))).toBeLessThanOrEqual(Math.min(dot(a, a), dot(b, b)) + 1e-6);
      expect(dot(a, b)).toBeLessThanOrEqual(1e-6);
      const normal = normalize(apply3(transpose3(inverse3(m)), hkl));
      expect(dot(normalize(cross(a, b)), normal)).toBeCloseTo(1, 9);
    }
  });

  it('gives slabs that hold whole periods, at the crystal’s distances, with the vacuum asked for', () => {
    for (let k = 0; k < 8; k++) {
      const surface = new Surface(s, somePlane());
      const layers = 1 + Math.floor(3 * random.next());
      const termination = Math.floor(surface.terminations.length * random.next());
      const along = random.next() < 0.5 ? 'normal' : 'oblique';
      const { structure, thickness } = surface.slab(layers, termination, { ...CHOICE, along });
      expect(structure.sites).toHaveLength(layers * atoms);
      expect(coincident(structure)).toEqual([]);
      const at = structure.sites.map((x) => cartesian(structure.cell, x.position));
      const height = surface.vectors[2][2] * layers;
      expect(thickness).toBeLessThan(height);
      // c* stands along the normal; the cell is as high as slab and vacuum.
      expect(cellVolume(structure.cell) / surface.basis.area).toBeCloseTo(thickness + 12, 6);
      const z = at.map((x) => x[2]);
      expect(Math.max(...z) - Math.min(...z)).toBeCloseTo(thickness, 6);
      if (along === 'normal')
        expect([structure.cell.alpha, structure.cell.beta]).toEqual([expect.closeTo(90, 6), expect.closeTo(90, 6)]);
      // Every distance in the slab is one of the crystal.
      const inCrystal = new Set(near(s).map((d) => Math.round(1e4 * d)));
      for (const d of near(structure)) {
        const key = Math.round(1e4 * d);
        expect([key - 1, key, key + 1].some((x) => inCrystal.has(x))).toBe(true);
      }
    }
  });

  it('can be cut between all of its atomic planes, as a plain count of heights says', () => {
    for (let k = 0; k < 8; k++) {
      const hkl = somePlane();
      const { terminations, basis } = new Surface(s, hkl);
      const normal = normalize(apply3(transpose3(inverse3(m)), hkl));
      const heights = wholeCell(s)
        .sites.map((x) => dot(cartesian(s.cell, x.position), normal))
        .map((h) => h - basis.spacing * Math.floor(h / basis.spacing))
        .sort((p, q) => p - q);
      const steps = heights.map((h, i) => (i ? h - heights[i - 1]! : h + basis.spacing - heights.at(-1)!));
      const gaps = steps.filter((g) => g > 0.15);
      expect(terminations).toHaveLength(Math.max(1, gaps.length));
      terminations
        .map((t) => t.gap)
        .sort((p, q) => p - q)
        .forEach((g, i) => expect(g).toBeCloseTo([...gaps].sort((p, q) => p - q)[i]!, 6));
    }
  });

  it('has the dipole that a direct sum over the slab gives', () => {
    for (let k = 0; k < 6; k++) {
      const surface = new Surface(s, somePlane());
      for (const t of surface.terminations) {
        const { structure } = surface.slab(2, t.index, CHOICE);
        const charges = siteCharges(structure);
        const moment = structure.sites.reduce(
          (sum, x, i) => sum + charges[i]! * cartesian(structure.cell, x.position)[2],
          0,
        );
        expect(t.dipole).toBeCloseTo(moment / 2 / surface.basis.area, 6);
        expect(t.polar).toBe(Math.abs(moment) > 2e-4 * surface.basis.area);
        // What symmetry makes alike on both sides has no dipole.
        if (t.symmetric) expect(t.polar).toBe(false);
      }
    }
  });
});

/** Distances up to 3 Å, Å. */
function near(s: Structure): number[] {
  const whole = wholeCell(s);
  const positions = whole.sites.map((x) => x.position);
  return neighbours(whole.cell, whole.spaceGroup, positions, 3).map((n) => n.distance);
}

describe('planes that are known', () => {
  it('a face of halite is flat, neutral and cuts one bond an atom', () => {
    const [only, ...others] = new Surface(halite('Mg', 4.212), [1, 0, 0]).terminations;
    expect(others).toEqual([]);
    expect(only).toMatchObject({ polar: false, symmetric: true, uppermost: { Mg: 1, O: 1 } });
    expect(only!.brokenBonds).toBeCloseTo(4 / 4.212 ** 2, 9);
  });

  it.each<[string, Structure, Vec3]>([
    ['(111) of halite', halite('Mg', 4.212), [1, 1, 1]],
    ['(100) of caesium chloride', caesium, [1, 0, 0]],
  ])('%s ends in one kind of ion and is polar', (_, s, hkl) => {
    const { terminations } = new Surface(s, hkl);
    expect(terminations).toHaveLength(2);
    expect(terminations.every((t) => t.polar && !t.symmetric && Object.keys(t.uppermost).length === 1)).toBe(true);
    expect(terminations[0]!.dipole).toBeCloseTo(-terminations[1]!.dipole!, 9);
  });

  it('(111) of fluorite can be cut between two planes of the anion, which is neutral', () => {
    const { terminations } = new Surface(fluorite('Ca', 'F', 5.463), [1, 1, 1]);
    expect(terminations).toHaveLength(3);
    const neutral = terminations.filter((t) => !t.polar);
    expect(neutral).toHaveLength(1);
    expect(neutral[0]).toMatchObject({ symmetric: true, uppermost: { F: 1 } });
    expect(Math.min(...terminations.map((t) => t.brokenBonds))).toBeCloseTo(neutral[0]!.brokenBonds, 9);
  });

  it('what is no plane, no termination or no vacuum is refused in words', () => {
    const surface = new Surface(caesium, [1, 0, 0]);
    expect(() => new Surface(caesium, [0, 0, 0])).toThrow(/no plane/);
    expect(() => surface.slab(2, 5, CHOICE)).toThrow(/no termination 5/);
    expect(() => surface.slab(0, 0, CHOICE)).toThrow(/one layer or more/);
    expect(() => surface.slab(1, 0, { ...CHOICE, vacuum: -1 })).toThrow(/zero or more/);
  });
});

describe('layers as bonds make them', () => {
  it('come out one by one, as they were stacked', () => {
    for (const count of [1, 2, 3]) {
      const { structure, steps, thickness } = layerSlab(graphite, count, CHOICE);
      expect(structure.sites).toHaveLength(2 * count);
      expect(steps).toHaveLength(count - 1);
      for (const d of steps) expect(d).toBeCloseTo(6.711 / 2, 6);
      expect(thickness).toBeCloseTo((count - 1) * (6.711 / 2), 6);
      expect(structure.cell.a).toBeCloseTo(2.464, 6);
      expect(structure.cell.gamma).toBeCloseTo(120, 6);
      expect(structure.cell.c).toBeCloseTo(thickness + 12, 6);
      const distances = near(structure).filter((d) => d < 1.6);
      expect(distances).toHaveLength(3 * 2 * count);
      for (const d of distances) expect(d).toBeCloseTo(2.464 / Math.sqrt(3), 6);
    }
  });

  it('are not there in a framework, and that is said', () => {
    expect(() => layerSlab(quartz, 1, CHOICE)).toThrow(/a framework of this crystal, no layers/);
  });
});
