import { describe, expect, it } from 'vitest';
import { cellFromMetric, orthogonalization } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { add, apply3, cross, dot, inverse3, norm, normalize, scale, subtract, toMat3, turn, type Vec3 } from '../math/matrix3.ts'; // prettier-ignore
import { seededRandom, type Random } from '../math/random.ts';
import { directionDensity, type Directions } from './preferences.ts';
import { findProbe, PROBES, type Probe } from './probes.ts';
import { WishSearch } from './wishes.ts';

type Atom = readonly [label: string, at: Vec3];
const elementIn = (label: string): string => /^(Cl|Br|[A-Z])/.exec(label)![0];
const RAD = Math.PI / 180;

/** A wide cell without symmetry. */
function alone(atoms: readonly Atom[], symbol = 'P 1', edge = 30): Structure {
  const cell = cellFromMetric(toMat3([edge ** 2, 0, 0, 0, edge ** 2, 0, 0, 0, edge ** 2]));
  const back = inverse3(orthogonalization(cell));
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: atoms.map(([label, at]) => ({
      id: label,
      label,
      element: elementIn(label),
      position: apply3(back, at),
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}

const ring = (radius: number, label: string, skip: readonly number[] = []): Atom[] =>
  [0, 1, 2, 3, 4, 5].flatMap((k): Atom[] =>
    skip.includes(k) ? [] : [[`${label}${k}`, [radius * Math.cos(60 * k * RAD), radius * Math.sin(60 * k * RAD), 0]]],
  );
const phenyl = (halogen: string, length: number): Atom[] => [
  ...ring(1.39, 'C'),
  ...ring(2.47, 'H', [0]),
  [`${halogen}9`, [1.39 + length, 0, 0]],
];
/** Hydrogens of a methyl group at a place, its bond along `out`. */
function methyl(at: Vec3, from: Vec3, names: string): Atom[] {
  const out = normalize(subtract(at, from));
  const aside = normalize(cross(out, Math.abs(out[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]));
  return [0, 1, 2].map((k): Atom => {
    const way = turn(add(scale(out, 0.334), scale(aside, 0.943)), out, 120 * k * RAD);
    return [`H${names}${k}`, add(at, scale(way, 1.08))];
  });
}

/** A partner atom at `at`, turned to the atom at `to`: what gives has its hydrogen on the way. */
function partner(kind: 'gives' | 'takes' | 'Br' | 'carbon', at: Vec3, to: Vec3): Atom[] {
  const way = normalize(subtract(to, at));
  const behind = (length: number): Vec3 => subtract(at, scale(way, length));
  if (kind === 'gives') return [['O90', at], ['H90', add(at, scale(way, 0.97))], ['C90', subtract(at, scale(turn(way, normalize(cross(way, [0.3, 0.5, 0.81])), 71 * RAD), 1.42))]]; // prettier-ignore
  if (kind === 'takes') return [['O90', at], ['C90', behind(1.22)], ['C91', add(behind(1.98), [0.5, 1.2, 0.1])]]; // prettier-ignore
  if (kind === 'Br')
    return [
      ['Br90', at],
      ['C90', behind(1.9)],
    ];
  return [['C90', at], ['H90', add(at, scale(way, 1.08))], ['C91', behind(1.45)]]; // prettier-ignore
}

const polar = (origin: Vec3, axis: Vec3, normal: Vec3, degrees: number, length: number): Vec3 =>
  add(origin, scale(turn(normalize(axis), normalize(normal), degrees * RAD), length));

const FORMALDEHYDE: Atom[] = [['C1', [0, 0, 0]], ['O1', [0, 0, 1.21]], ['H1', [0.94, 0, -0.55]], ['H2', [-0.94, 0, -0.55]]]; // prettier-ignore
const FORMAMIDE: Atom[] = [['C1', [0, 0, 0]], ['O1', [0, 0, 1.23]], ['N1', [1.15, 0, -0.68]], ['H1', [1.15, 0, -1.69]], ['H2', [2.03, 0, -0.18]], ['H3', [-0.95, 0, -0.53]]]; // prettier-ignore
const PYRIDINE: Atom[] = [['N0', [1.39, 0, 0]], ...ring(1.39, 'C', [0]), ...ring(2.47, 'H', [0])]; // prettier-ignore
const ACETONITRILE: Atom[] = [['C1', [0, 0, -1.46]], ['C2', [0, 0, 0]], ['N1', [0, 0, 1.15]], ...methyl([0, 0, -1.46], [0, 0, 0], '1')]; // prettier-ignore
const WATER: Atom[] = [
  ['O1', [0, 0, 0]],
  ['H1', [0.757, 0, 0.586]],
  ['H2', [-0.757, 0, 0.586]],
];
const METHANOL: Atom[] = [['O1', [0, 0, 0]], ['H1', [0.9, 0, 0.36]], ['C1', [-0.47, 0, 1.34]], ...methyl([-0.47, 0, 1.34], [0, 0, 0], '2')]; // prettier-ignore
const ACETATE: Atom[] = [['C1', [0, 0, 0]], ['O1', [1.1, 0, 0.62]], ['O2', [-1.1, 0, 0.62]], ['C2', [0, 0, -1.52]], ...methyl([0, 0, -1.52], [0, 0, 0], '3')]; // prettier-ignore
const t = 1.03 / Math.sqrt(3);
const METHYLAMMONIUM: Atom[] = [['N1', [0, 0, 0]], ['H1', [t, t, -t]], ['H2', [-t, t, t]], ['H3', [t, -t, t]], ['C1', [-0.86, -0.86, -0.86]], ...methyl([-0.86, -0.86, -0.86], [0, 0, 0], '4')]; // prettier-ignore

/** Molecule, probe, the partner's kind, where the literature has it, and the atom it comes to. */
const IDEAL: readonly (readonly [string, Atom[], Probe, 'gives' | 'takes' | 'Br' | 'carbon', Vec3, Vec3])[] = [
  ['carbonyl, along a lone pair', FORMALDEHYDE, 'donor', 'gives', polar([0, 0, 1.21], [0, 0, -1], [0, 1, 0], 120, 2.88), [0, 0, 1.21]],
  ['amide N–H, straight', FORMAMIDE, 'acceptor', 'takes', [1.15, 0, -0.68 - 2.9], [1.15, 0, -0.68]],
  ['ring nitrogen, in its plane', PYRIDINE, 'donor', 'gives', [1.39 + 2.85, 0, 0], [1.39, 0, 0]],
  ['nitrile, straight', ACETONITRILE, 'donor', 'gives', [0, 0, 1.15 + 2.95], [0, 0, 1.15]],
  ['water O–H, straight', WATER, 'acceptor', 'takes', scale(normalize([0.757, 0, 0.586]), 2.8), [0, 0, 0]],
  ['methanol O–H, straight', METHANOL, 'acceptor', 'takes', scale(normalize([0.9, 0, 0.36]), 2.75), [0, 0, 0]],
  ['acetate, beside the other oxygen', ACETATE, 'donor', 'gives', polar([1.1, 0, 0.62], [-1.1, 0, -0.62], [0, 1, 0], -120, 2.75), [1.1, 0, 0.62]],
  ['ammonium N–H, straight', METHYLAMMONIUM, 'charged acceptor', 'takes', scale(normalize([1, 1, -1]), 2.8), [0, 0, 0]],
  ['bromobenzene along its bond', phenyl('Br', 1.9), 'acceptor', 'takes', [1.39 + 1.9 + 3.05, 0, 0], [3.29, 0, 0]],
  ['iodobenzene along its bond', phenyl('I', 2.1), 'acceptor', 'takes', [1.39 + 2.1 + 2.95, 0, 0], [3.49, 0, 0]],
  ['pyridine for a bromine', PYRIDINE, 'bromine', 'Br', [1.39 + 3, 0, 0], [1.39, 0, 0]],
  ['benzene over its face', [...ring(1.39, 'C'), ...ring(2.47, 'H')], 'aromatic', 'carbon', [0, 0, 3.7], [0, 0, 0]],
]; // prettier-ignore

const near = (list: readonly { at: Vec3 }[], x: Vec3): number => Math.min(...list.map((w) => norm(subtract(w.at, x))));

describe('wishes of small molecules', () => {
  it.each(IDEAL)('%s: a hot spot within 0.4 Å of the ideal partner', (_, molecule, probe, kind, at, to) => {
    const search = new WishSearch(alone(molecule), { probes: [probe] });
    const bare = search.all();
    expect(near(bare.spots, at)).toBeLessThan(0.4);
    // Nothing is there to grant it.
    expect(bare.spots.every((w) => w.grant === 'not granted')).toBe(true);
    expect(bare.served).toBe(0);
    const met = new WishSearch(alone([...molecule, ...partner(kind, at, to)]), { probes: [probe], molecule: { site: molecule[0]![0], operator: 0, shift: [0, 0, 0] } }); // prettier-ignore
    const spot = met.all().spots.find((w) => norm(subtract(w.at, at)) < 0.4)!;
    if (probe === 'charged acceptor') expect(spot.grant).toBe('half granted');
    else if (probe !== 'aromatic') expect(spot.grant).toBe('granted');
    expect(spot.by!.site).toMatch(/90$/);
    expect(spot.distance!).toBeLessThan(0.4);
    expect(met.all().served).toBeGreaterThan(0);
  });

  it('a giver whose hydrogen points elsewhere grants by half', () => {
    const at = polar([0, 0, 1.21], [0, 0, -1], [0, 1, 0], 120, 2.88);
    const away = partner('gives', at, add(at, [0, 3, 0]));
    const search = new WishSearch(alone([...FORMALDEHYDE, ...away]), { probes: ['donor'], molecule: { site: 'C1', operator: 0, shift: [0, 0, 0] } }); // prettier-ignore
    const spot = search.all().spots.find((w) => norm(subtract(w.at, at)) < 0.4)!;
    expect(spot.grant).toBe('half granted');
  });

  it('a contact at its ideal place is expected, one from behind is not', () => {
    const at = polar([0, 0, 1.21], [0, 0, -1], [0, 1, 0], 120, 2.88);
    const home = { site: 'C1', operator: 0, shift: [0, 0, 0] } as const;
    const good = new WishSearch(alone([...FORMALDEHYDE, ...partner('gives', at, [0, 0, 1.21])]), { probes: ['donor'], molecule: home }).all(); // prettier-ignore
    expect(good.contacts[0]).toMatchObject({ probe: 'donor', expected: true });
    const above: Vec3 = [0, 2.8, 1.1];
    const odd = new WishSearch(alone([...FORMALDEHYDE, ...partner('gives', above, [0, 0, 1.21])]), { probes: ['donor'], molecule: home }).all(); // prettier-ignore
    expect(odd.contacts).toHaveLength(1);
    expect(odd.contacts[0]!.expected).toBe(false);
  });

  it('only the wishes of a part, where one is chosen', () => {
    const part = [{ site: 'O1', operator: 0, shift: [0, 0, 0] as Vec3 }];
    const all = new WishSearch(alone(FORMAMIDE), { probes: ['donor', 'acceptor'] }).all();
    const some = new WishSearch(alone(FORMAMIDE), { probes: ['donor', 'acceptor'], part }).all();
    expect(all.spots.some((w) => w.group === 'N–H')).toBe(true);
    expect(some.spots.every((w) => w.group === 'carbonyl')).toBe(true);
  });

  it('a molecule about a symmetry element is looked at whole', () => {
    const half: Atom[] = [['C1', [0.77, 0, 0]], ['O1', [1.35, 1.07, 0]], ['H1', [1.3, -0.95, 0]]]; // prettier-ignore
    const { spots, molecule } = new WishSearch(alone(half, 'P -1'), { probes: ['donor'] }).all();
    expect(molecule.formula).toBe('C2 H2 O2');
    const strong = spots.filter((w) => w.group === 'carbonyl');
    expect(strong).toHaveLength(4);
    for (const w of strong) expect(near(strong, scale(w.at, -1))).toBeLessThan(0.06);
  });

  it('without hydrogens those of roles that must carry one are told', () => {
    const bare = METHANOL.filter(([l]) => !l.startsWith('H'));
    const { spots, remarks } = new WishSearch(alone(bare), { probes: ['acceptor'] }).all();
    expect(spots.length).toBeGreaterThan(0);
    expect(spots[0]!.group).toBe('O–H');
    // It turns about its bond, and still gives one hydrogen and takes two.
    expect(spots.filter((w) => w.group === 'O–H')).toHaveLength(1);
    const taking = new WishSearch(alone(bare), { probes: ['donor'] }).all().spots;
    expect(taking.filter((w) => w.group === 'hydroxyl O')).toHaveLength(2);
    expect(remarks.join(' ')).toContain('no hydrogens');
  });
});

const direction = (random: Random): Vec3 => normalize([random.normal(), random.normal(), random.normal()]);

describe('the field', () => {
  it('on a grid is what it is point by point, and 1 far away', () => {
    const search = new WishSearch(alone(FORMAMIDE), { probes: ['donor', 'acceptor', 'aliphatic', 'iodine'] });
    for (const grid of search.grids(0.7)) {
      const field = search.field(grid.probe);
      const [nx, ny] = grid.size;
      for (let k = 0; k < grid.values.length; k += 37) {
        const x = add(grid.origin, scale([k % nx, Math.floor(k / nx) % ny, Math.floor(k / nx / ny)], grid.step));
        expect(grid.values[k]).toBeCloseTo(field.at(x), 3);
      }
      expect(field.at([40, 40, 40])).toBe(1);
      expect(field.at([0, 0, 0.5])).toBe(0);
    }
  });

  it('is a plain sum over groups written out', () => {
    // Formaldehyde has two lone pairs and nothing that a donor could come to elsewhere but carbon, which it does not mind.
    const field = new WishSearch(alone(FORMALDEHYDE), { probes: ['donor'] }).field('donor');
    const random = seededRandom(5);
    for (let n = 0; n < 50; n++) {
      const x = add([0, 0, 1.21], scale(direction(random), 2.7 + 0.4 * random.next()));
      if (x[2] < 1.4) continue;
      const r = norm(subtract(x, [0, 0, 1.21]));
      const k = 1 / (19 * RAD) ** 2;
      const expected = [1, -1].reduce((sum, sign) => {
        const axis: Vec3 = [sign * Math.sin(122 * RAD), 0, -Math.cos(122 * RAD)];
        const cosine = dot(axis, scale(subtract(x, [0, 0, 1.21]), 1 / r));
        const lobe = (k / (2 * Math.PI * (1 - Math.exp(-2 * k)))) * Math.exp(k * (cosine - 1));
        const radial = Math.exp(-((r - 2.85) ** 2) / (2 * 0.16 ** 2)) / (0.16 * Math.sqrt(2 * Math.PI) * r * r);
        return sum + (0.45 * lobe * radial) / 0.004;
      }, 1);
      expect(field.at(x)).toBeCloseTo(expected, 6);
    }
  });

  it.each<Directions>([
    { kind: 'all' },
    { kind: 'lobe', axis: [0, 0, 1], spread: 19 },
    { kind: 'lobe', axis: [0, 0, 1], spread: 9 },
    { kind: 'ring', axis: [0, 0, 1], angle: 122, spread: 19 },
    { kind: 'ring', axis: [0, 0, 1], angle: 95, spread: 24 },
  ])('directions of %o make one together', (d) => {
    let sum = 0;
    const steps = 4000;
    for (let i = 0; i < steps; i++) sum += (directionDensity(d, -1 + (2 * (i + 0.5)) / steps) * 4 * Math.PI) / steps;
    expect(sum).toBeCloseTo(1, 3);
  });
});

describe('probes', () => {
  it('are found by their names however they are joined', () => {
    for (const p of PROBES) expect(findProbe(p.replace(' ', '-').toUpperCase())).toBe(p);
    expect(findProbe('charged_donor')).toBe('charged donor');
    expect(findProbe('sodium')).toBeUndefined();
  });

  it('of a structure without molecules are refused in words', () => {
    expect(() => new WishSearch(alone([['C1', [0, 0, 0]]], 'F m -3 m', 2.2), { probes: ['donor'] })).toThrow(
      /no molecule/,
    );
  });
});
