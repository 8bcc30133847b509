import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { placeHydrogens } from './place-hydrogens.ts';
import { planHydrogens, planShape, rowFor } from './hydrogen-plan.ts';
import { hasAnion, hydrogenOptions, ringSizes } from './hydrogen-options.ts';
import { parentSurroundings } from '../geometry/parents.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';

/** A molecule alone in a large cubic cell: element and Cartesian place, Å. */
function alone(atoms: readonly (readonly [string, number, number, number])[]): Structure {
  const a = 30,
    count: Record<string, number> = {};
  return {
    cell: { a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: atoms.map(([element, x, y, z], i): Site => ({
      id: `s${i}`,
      label: `${element}${(count[element] = (count[element] ?? 0) + 1)}`,
      element,
      position: [0.5 + x / a, 0.5 + y / a, 0.5 + z / a],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    })),
  };
}
const polar = (d: number, degrees: number): [number, number] => [
  d * Math.cos((degrees * Math.PI) / 180),
  d * Math.sin((degrees * Math.PI) / 180),
];
const first = (s: Structure, site = 0) => hydrogenOptions(s, site, undefined, hasAnion(s)).options[0];

/** The atom in question stands first; what its neighbours say without any density. */
describe.each([
  [
    'methyl on a single bond',
    alone([
      ['C', 0, 0, 0],
      ['C', 1.51, 0, 0],
      ['O', 2, 1.1, 0],
    ]),
    'methyl',
    3,
  ],
  [
    'terminal vinyl on a double bond',
    alone([
      ['C', 0, 0, 0],
      ['C', 1.32, 0, 0],
      ['C', 2, 1.25, 0],
    ]),
    'terminal vinyl',
    2,
  ],
  [
    'alkyne',
    alone([
      ['C', 0, 0, 0],
      ['C', 1.18, 0, 0],
      ['C', 2.62, 0, 0],
    ]),
    'alkyne',
    1,
  ],
  [
    'methylene',
    alone([
      ['C', 0, 0, 0],
      ['C', ...polar(1.53, 0), 0],
      ['C', ...polar(1.53, 112), 0],
    ]),
    'methylene',
    2,
  ],
  [
    'aldehyde',
    alone([
      ['C', 0, 0, 0],
      ['O', ...polar(1.21, 0), 0],
      ['C', ...polar(1.46, 124), 0],
    ]),
    'vinyl',
    1,
  ],
  [
    'primary amide',
    alone([
      ['N', 0, 0, 0],
      ['C', 1.33, 0, 0],
      ['O', 1.95, 1.06, 0],
      ['C', 2.1, -1.3, 0],
    ]),
    'planar NH2',
    2,
  ],
  [
    'nitrile nitrogen',
    alone([
      ['N', 0, 0, 0],
      ['C', 1.14, 0, 0],
      ['C', 2.58, 0, 0],
    ]),
    'none',
    0,
  ],
  [
    'alcohol',
    alone([
      ['O', 0, 0, 0],
      ['C', 1.43, 0, 0],
      ['C', 1.95, 1.42, 0],
    ]),
    'hydroxyl',
    1,
  ],
  [
    'ketone oxygen',
    alone([
      ['O', 0, 0, 0],
      ['C', 1.21, 0, 0],
      ['C', 2, 1.3, 0],
      ['C', 2, -1.3, 0],
    ]),
    'none',
    0,
  ],
  [
    'acid OH beside its carbonyl',
    alone([
      ['O', 0, 0, 0],
      ['C', 1.31, 0, 0],
      ['O', 1.92, 1.05, 0],
      ['C', 2.1, -1.25, 0],
    ]),
    'hydroxyl',
    1,
  ],
  [
    'carboxylate oxygen',
    alone([
      ['O', 0, 0, 0],
      ['C', 1.255, 0, 0],
      ['O', 1.9, 1.07, 0],
      ['C', 2.1, -1.25, 0],
    ]),
    'none',
    0,
  ],
  ['water alone', alone([['O', 0, 0, 0]]), 'water', 2],
  [
    'water on a metal',
    alone([
      ['O', 0, 0, 0],
      ['Cu', 2.0, 0, 0],
    ]),
    'water',
    2,
  ],
  [
    'thiol',
    alone([
      ['S', 0, 0, 0],
      ['C', 1.82, 0, 0],
      ['C', 2.4, 1.4, 0],
    ]),
    'thiol',
    1,
  ],
  [
    'ammine on a metal',
    alone([
      ['N', 0, 0, 0],
      ['Co', 1.96, 0, 0],
    ]),
    'ammonium',
    3,
  ],
  [
    'nitro oxygen',
    alone([
      ['O', 0, 0, 0],
      ['N', 1.22, 0, 0],
      ['O', 1.85, 1.05, 0],
      ['C', 1.9, -1.3, 0],
    ]),
    'none',
    0,
  ],
  [
    'sulfonamide nitrogen',
    alone([
      ['N', 0, 0, 0],
      ['S', 1.61, 0, 0],
      ['O', 2.1, 1.35, 0],
      ['O', 2.1, -1.35, 0],
      ['C', 2.3, 0, 1.6],
    ]),
    'pyramidal NH2',
    2,
  ],
] as const)('%s', (_name, s, shape, count) => {
  it(`asks for ${shape}`, () => {
    const best = first(s);
    expect(best?.shape ?? 'none').toBe(shape);
    expect(best?.count ?? 0).toBe(count);
    if (best) expect(best.why.length).toBeGreaterThan(3);
  });
});

describe('what the surroundings decide', () => {
  it('an amine is ammonium beside an anion', () => {
    const long = (extra: readonly (readonly [string, number, number, number])[]) =>
      alone([['N', 0, 0, 0], ['C', 1.49, 0, 0], ['C', 2.0, 1.42, 0], ...extra]);
    const zwitterion = long([
      ['O', 3.231, 1.637, 0],
      ['O', 1.196, 2.378, 0],
    ]);
    // The carbon at (2.0, 1.42) with two alike oxygens is a carboxylate.
    expect(first(long([['I', -4, 0, 0]]))!.shape).toBe('ammonium');
    expect(hasAnion(zwitterion)).toBe(true);
    expect(first(zwitterion)!.shape).toBe('ammonium');
    const acid = long([
      ['O', 3.181, 1.628, 0],
      ['O', 1.158, 2.4235, 0],
    ]);
    expect(hasAnion(acid)).toBe(false);
    const amine = alone([
      ['N', 0, 0, 0],
      ['C', 1.46, 0, 0],
      ['C', 2.0, 1.42, 0],
    ]);
    expect(first(amine)!.shape).toBe('pyramidal NH2');
    const salt = alone([
      ['N', 0, 0, 0],
      ['C', 1.475, 0, 0],
      ['C', 2.0, 1.42, 0],
      ['Cl', -3.1, 0, 0],
    ]);
    expect(hasAnion(salt)).toBe(true);
    expect(hasAnion(amine)).toBe(false);
    expect(first(salt)!.shape).toBe('ammonium');
  });

  it('a ring nitrogen opened beyond 120° carries a proton', () => {
    const ring = (angle: number): Structure => {
      const half = ((angle / 2) * Math.PI) / 180,
        d = 1.345;
      const [cx, cy] = [d * Math.cos(half), d * Math.sin(half)];
      return alone([
        ['N', 0, 0, 0],
        ['C', cx, cy, 0],
        ['C', cx, -cy, 0],
        ['C', cx + 1.36, cy + 0.05, 0],
        ['C', cx + 1.36, -cy - 0.05, 0],
        ['C', cx + 2.05, 0, 0],
      ]);
    };
    const site = (s: Structure) => {
      const near = parentSurroundings(s, 0);
      return ringSizes(s, 0, undefined, near[0]!, near[1]!);
    };
    expect(site(ring(117))).toBe(6);
    expect(first(ring(117))!.shape).toBe('none');
    expect(first(ring(123.5))!.shape).toBe('planar NH');
  });

  it('a flat three-bonded carbon carries none, a pyramidal one does', () => {
    const carbon = (z: number): Structure =>
      alone([
        ['C', 0, 0, 0],
        ...[0, 120, 240].map((t) => ['C', ...polar(Math.sqrt(1.52 ** 2 - z * z), t), z] as const),
      ]);
    expect(first(carbon(0.02))!.shape).toBe('none');
    expect(first(carbon(0.5))!.shape).toBe('methine');
  });

  it('a quaternary carbon, an ether and an aryl halide are not asked', () => {
    expect(
      hydrogenOptions(
        alone([
          ['O', 0, 0, 0],
          ['C', ...polar(1.42, 0), 0],
          ['C', ...polar(1.42, 113), 0],
        ]),
        0,
        undefined,
        false,
      ).options,
    ).toEqual([]);
    expect(
      hydrogenOptions(
        alone([
          ['Cl', 0, 0, 0],
          ['C', 1.74, 0, 0],
        ]),
        0,
        undefined,
        false,
      ).options,
    ).toEqual([]);
  });
});

describe('placing', () => {
  const ethanol = alone([
    ['C', 0, 0, 0],
    ['C', 1.51, 0, 0],
    ['O', 2.0, 1.33, 0],
  ]);
  it('gives hydrogens their parent’s number, letters where there are several, and the distances of their kind', () => {
    const plan = planHydrogens({ structure: ethanol, temperature: 120 });
    const s = placeHydrogens(ethanol, plan.rows);
    expect(s.sites.map((x) => x.label)).toEqual(['C1', 'H1A', 'H1B', 'H1C', 'C2', 'H2A', 'H2B', 'O1', 'H1O']);
    const at = (label: string): Vec3 => s.sites.find((x) => x.label === label)!.position.map((v) => v * 30) as never;
    expect(norm(subtract(at('H1A'), at('C1')))).toBeCloseTo(0.98, 6);
    expect(norm(subtract(at('H2A'), at('C2')))).toBeCloseTo(0.99, 6);
    expect(norm(subtract(at('H1O'), at('O1')))).toBeCloseTo(0.84, 6);
    // No two hydrogens of different atoms stand in one another.
    const h = s.sites.filter((x) => x.element === 'H').map((x) => at(x.label));
    for (let i = 0; i < h.length; i++)
      for (let k = 0; k < i; k++) expect(norm(subtract(h[i]!, h[k]!))).toBeGreaterThan(1.4);
    expect(s.controls!.hydrogens.map((g) => [g.shape, g.hold, g.uFactor])).toEqual([
      ['methyl', 'rotating', 1.5],
      ['methylene', 'riding', 1.2],
      ['hydroxyl', 'rotating', 1.5],
    ]);
  });

  it('shortens X–H when warm, and never repeats a label', () => {
    const warm = placeHydrogens(ethanol, planHydrogens({ structure: ethanol, temperature: 295 }).rows);
    expect(warm.controls!.hydrogens.find((g) => g.shape === 'methyl')!.length).toBeCloseTo(0.96, 9);
    const twice = placeHydrogens(
      {
        ...ethanol,
        sites: [
          ...ethanol.sites,
          { ...ethanol.sites[0]!, id: 'x', label: 'H1A', element: 'Na', position: [0.1, 0.1, 0.1] },
        ],
      },
      planHydrogens({ structure: ethanol }).rows,
    );
    expect(new Set(twice.sites.map((x) => x.label)).size).toBe(twice.sites.length);
  });

  it('hydrogens of a disordered neighbour’s groups come once a group, with its occupancy', () => {
    const turned: Structure = {
      ...ethanol,
      sites: [
        ...ethanol.sites.slice(0, 2),
        { ...ethanol.sites[2]!, occupancy: 0.7, disorder: { assembly: 'A', group: '1' } },
        {
          ...ethanol.sites[2]!,
          id: 'o2',
          label: 'O1B',
          occupancy: 0.3,
          disorder: { assembly: 'A', group: '2' },
          position: [0.5 + 2.0 / 30, 0.5 - 0.66 / 30, 0.5 + 1.15 / 30],
        },
      ],
    };
    const plan = planHydrogens({ structure: turned });
    const onC2 = plan.rows.filter((r) => r.label === 'C2');
    expect(onC2.map((r) => r.disorder)).toEqual([
      { assembly: 'A', group: '1' },
      { assembly: 'A', group: '2' },
    ]);
    expect(onC2.every((r) => r.count === 2)).toBe(true);
    const s = placeHydrogens(turned, plan.rows);
    const h = s.sites.filter((x) => x.label.startsWith('H2'));
    expect(h.map((x) => x.occupancy).sort()).toEqual([0.3, 0.3, 0.7, 0.7]);
    expect(planHydrogens({ structure: s }).rows.filter((r) => r.label === 'C2')).toEqual([]);
    expect(plan.proposed).toBeCloseTo(3 + 2 * (0.7 + 0.3) + 1, 6);
  });

  it('any atom can be asked for, with a warning that says what it contradicts', () => {
    const ether = alone([
      ['O', 0, 0, 0],
      ['C', ...polar(1.42, 0), 0],
      ['C', ...polar(1.42, 113), 0],
    ]);
    const row = rowFor(ether, 0);
    expect(row.shape).toBe('none');
    const one = planShape({ structure: ether }, row, 'chosen', { count: 1, along: [0, 0, 1] });
    expect(one.positions).toHaveLength(1);
    expect(one.positions[0]![2]).toBeCloseTo(0.5 + one.length / 30, 6);
    expect(one.warning).toMatch(/no hydrogen/);
    const four = planShape({ structure: ether }, row, 'chosen', { count: 3, along: [0, 0, 1] });
    expect(four.warning).toMatch(/more than O usually bears/);
  });
});
