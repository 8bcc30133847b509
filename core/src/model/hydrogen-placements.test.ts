import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { cross, dot, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { openTo, Planner } from './hydrogen-placements.ts';

const EDGE = 20;
/** Atoms in a wide empty box, Å from its middle. */
function box(...atoms: readonly (readonly [string, Vec3])[]): Structure {
  const cell = { a: EDGE, b: EDGE, c: EDGE, alpha: 90, beta: 90, gamma: 90 };
  const sites = atoms.map(([element, [x, y, z]], i) => ({
    id: `${i}`,
    label: `${element}${i + 1}`,
    element,
    position: [0.5 + x / EDGE, 0.5 + y / EDGE, 0.5 + z / EDGE] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.02 },
  }));
  return { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites };
}
const MIDDLE: Vec3 = [EDGE / 2, EDGE / 2, EDGE / 2];
const place = (x: number, y: number, z: number): Vec3 => [MIDDLE[0] + x, MIDDLE[1] + y, MIDDLE[2] + z];
const judge = (structure: Structure, h: Vec3) => new Planner({ structure }).judge(0, undefined, h, []);
const angle = (a: Vec3, b: Vec3): number => (Math.acos(dot(normalize(a), normalize(b))) * 180) / Math.PI;

describe('a hydrogen of a donor', () => {
  const pair = box(['O', [0, 0, 0]], ['O', [2.75, 0, 0]]);

  it('on the line to an acceptor has it as its partner, with distances and angle', () => {
    const { partners, bond, crowd } = judge(pair, place(0.84, 0, 0));
    expect(partners).toHaveLength(1);
    expect(partners[0]).toMatchObject({
      label: 'O2',
      distance: expect.closeTo(2.75, 6),
      reach: expect.closeTo(1.91, 6),
    });
    expect(partners[0]!.angle).toBeCloseTo(180, 3);
    expect(bond).toBe(1);
    expect(crowd).toBe(0);
  });

  it('is the worse the more its bond is bent, and has none when turned away', () => {
    const bent = (degrees: number) => {
      const t = (degrees * Math.PI) / 180;
      return judge(pair, place(0.84 * Math.cos(t), 0.84 * Math.sin(t), 0));
    };
    const bonds = [0, 10, 20, 30, 40].map((d) => bent(d).bond);
    for (let i = 1; i < bonds.length; i++) expect(bonds[i]).toBeLessThanOrEqual(bonds[i - 1]!);
    expect(bonds[4]).toBeLessThan(bonds[0]!);
    expect(bent(120)).toMatchObject({ partners: [], bond: 0, crowd: 0 });
  });

  it('is crowded by what stands too near, by each kind of atom at its own distance', () => {
    const beside = (element: string, reach: number) =>
      judge(box(['O', [0, 0, 0]], [element, [0.84 + reach, 0, 0]]), place(0.84, 0, 0)).crowd;
    expect(beside('H', 2.1)).toBe(0);
    expect(beside('H', 1.6)).toBeGreaterThan(0);
    expect(beside('C', 2.3)).toBe(0);
    expect(beside('C', 1.9)).toBeGreaterThan(0);
    expect(beside('Zn', 2.4)).toBe(0);
    expect(beside('Zn', 1.9)).toBeGreaterThan(beside('C', 1.9));
  });

  it('does not meet what belongs to another group of its assembly', () => {
    const [first, second] = pair.sites;
    const apart = {
      ...pair,
      sites: [
        { ...first!, disorder: { assembly: 'A', group: '1' } },
        { ...second!, disorder: { assembly: 'A', group: '2' } },
      ],
    };
    const planner = new Planner({ structure: apart });
    expect(planner.judge(0, { assembly: 'A', group: '1' }, place(0.84, 0, 0), []).partners).toEqual([]);
    expect(planner.judge(0, { assembly: 'A', group: '2' }, place(0.84, 0, 0), []).partners).toHaveLength(1);
  });
});

describe('a water between two acceptors', () => {
  const reach = 2.8;
  const half = (52.5 * Math.PI) / 180;
  const structure = box(
    ['O', [0, 0, 0]],
    ['O', [reach * Math.cos(half), reach * Math.sin(half), 0]],
    ['O', [reach * Math.cos(half), -reach * Math.sin(half), 0]],
  );
  const { candidates } = new Planner({ structure }).placements(0, undefined, 'water', 0.84);

  it('points one hydrogen at each', () => {
    const [best] = candidates;
    expect(best!.partners.map((p) => p.label).sort()).toEqual(['O2', 'O3']);
    for (const p of best!.partners) expect(p.angle).toBeGreaterThan(165);
  });

  it('keeps its lengths and an angle that a water has, the best placement first', () => {
    for (const c of candidates) {
      expect(c.positions).toHaveLength(2);
      const [p, q] = c.positions.map((x) => subtract(x, MIDDLE)) as [Vec3, Vec3];
      expect(norm(p)).toBeCloseTo(0.84, 6);
      expect(norm(q)).toBeCloseTo(0.84, 6);
      expect(angle(p, q)).toBeCloseTo(105, 0);
    }
    const scores = candidates.map((c) => c.score);
    expect([...scores].sort((a, b) => b - a)).toEqual(scores);
  });
});

it('two directions are opened to an angle in their own plane, their middle kept', () => {
  const [a, b] = [normalize([1, 0.2, 0.1]), normalize([0.3, 1, -0.4])];
  const [p, q] = openTo(a, b, 105);
  expect(angle(p, q)).toBeCloseTo(105, 9);
  const middle = (u: Vec3, v: Vec3): Vec3 => normalize([u[0] + v[0], u[1] + v[1], u[2] + v[2]]);
  expect(angle(middle(p, q), middle(a, b))).toBeCloseTo(0, 4);
  expect(dot(cross(a, b), p)).toBeCloseTo(0, 9);
});
