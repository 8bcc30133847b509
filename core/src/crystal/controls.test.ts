import { describe, expect, it } from 'vitest';
import {
  constraintWords,
  isSymmetryGroup,
  NO_CONTROLS,
  pruneControls,
  restraintSites,
  restraintWords,
  type Restraint,
} from './controls.ts';
import { restraintSchema } from '../tasks/schemas.ts';

const label = (id: string): string => id.toUpperCase();
const base = { id: 'r', su: 0.02 };
const all: [Restraint, string][] = [
  [{ ...base, kind: 'distance', pairs: [['c1', 'c2']], target: 1.54 }, 'C1–C2 at 1.540 Å'],
  [{ ...base, kind: 'distance 1,3', pairs: [['c1', 'c3']], target: 2.5 }, 'C1–C3 (1,3) at 2.500 Å'],
  [
    {
      ...base,
      kind: 'equal distance',
      pairs: [
        ['c1', 'c2'],
        ['c2', 'c3'],
      ],
    },
    'C1–C2, C2–C3 equally long',
  ],
  [{ ...base, kind: 'planar', sites: ['c1', 'c2', 'c3', 'c4'] }, 'C1, C2, C3, C4 in one plane'],
  [{ ...base, kind: 'chiral volume', sites: ['c1', 'c2', 'c3', 'c4'], target: 2.5 }, 'hand of C1: volume 2.50 Å³'],
  [{ ...base, kind: 'same geometry', first: ['c1', 'c2'], second: ['c3', 'c4'] }, 'C3, C4: same geometry as C1, C2'],
  [{ ...base, kind: 'rigid bond', sites: ['c1', 'c2'] }, 'rigid bonds within C1, C2'],
  [{ ...base, kind: 'enhanced rigid bond', sites: ['c1', 'c2'] }, 'enhanced rigid bonds within C1, C2'],
  [{ ...base, kind: 'similar displacement', sites: ['c1', 'c2'] }, 'similar displacement of C1, C2'],
  [{ ...base, kind: 'near isotropic', sites: ['c1'] }, 'C1 nearly isotropic'],
  [{ ...base, kind: 'keep apart', pairs: [['c1', 'c4']], target: 3.2 }, 'C1–C4 at least 3.20 Å apart'],
  [{ ...base, kind: 'occupancy', sites: ['c1'], target: 0.9 }, 'occupancy of C1 at 0.9'],
  [{ ...base, kind: 'displacement', sites: ['c1'], target: 0.05 }, 'displacement of C1 at 0.05 Å²'],
];

describe.each(all)('a restraint of kind $kind', (restraint, words) => {
  it('is said in words, knows its sites, and passes the door', () => {
    expect(restraintWords(restraint, label)).toBe(words);
    const sites = restraintSites(restraint);
    expect(sites.length).toBeGreaterThan(0);
    expect(new Set(sites).size).toBe(sites.length);
    expect(restraintSchema.parse(restraint)).toEqual(restraint);
    expect(restraintSchema.safeParse({ ...restraint, su: 0 }).success).toBe(false);
    expect(restraintSchema.safeParse({ ...restraint, kind: 'glue' }).success).toBe(false);
  });
  it('goes when too few of its sites are left, and stays when all are', () => {
    const controls = { ...NO_CONTROLS, restraints: [restraint] };
    expect(pruneControls(controls, new Set(restraintSites(restraint))).restraints).toEqual([restraint]);
    expect(pruneControls(controls, new Set()).restraints).toEqual([]);
  });
});

describe('words', () => {
  it('shorten long lists', () => {
    const many = Array.from({ length: 9 }, (_, i) => `c${i + 1}`);
    expect(restraintWords({ ...base, kind: 'planar', sites: many }, label)).toBe(
      'C1, C2, C3, C4, C5 and 4 more in one plane',
    );
    expect(constraintWords({ id: 'k', kind: 'shared displacement', sites: many }, label)).toBe(
      'one displacement shared by C1, C2, C3, C4, C5 and 4 more',
    );
  });
  it('of constraints', () => {
    expect(constraintWords({ id: 'k', kind: 'fixed', sites: ['o1'], what: ['position', 'occupancy'] }, label)).toBe(
      'position and occupancy of O1 held as it is',
    );
    expect(constraintWords({ id: 'k', kind: 'rigid group', sites: ['c1', 'c2', 'c3'] }, label)).toBe(
      'C1, C2, C3 moved as one rigid group',
    );
    expect(constraintWords({ id: 'k', kind: 'shared position', sites: ['c1', 'n1'] }, label)).toBe(
      'one position shared by C1, N1',
    );
  });
  it('tell groups about a symmetry element', () => {
    expect([isSymmetryGroup('-1'), isSymmetryGroup('1'), isSymmetryGroup(undefined), isSymmetryGroup('')]).toEqual([
      true,
      false,
      false,
      false,
    ]);
  });
});

describe('pruning', () => {
  it('keeps the part of a restraint whose sites are left, pair by pair', () => {
    const p = pruneControls(
      {
        ...NO_CONTROLS,
        restraints: [
          {
            ...base,
            kind: 'distance',
            pairs: [
              ['a', 'b'],
              ['b', 'c'],
            ],
            target: 1.5,
          },
          { ...base, id: 's', kind: 'same geometry', first: ['a', 'b', 'c'], second: ['d', 'e', 'f'] },
        ],
      },
      new Set(['a', 'b', 'd', 'e', 'f']),
    );
    expect(p.restraints).toMatchObject([{ pairs: [['a', 'b']] }, { first: ['a', 'b'], second: ['d', 'e'] }]);
  });
  it('drops hydrogen groups with their parent, and shrinks them with their hydrogens', () => {
    const g = {
      id: 'g',
      parent: 'c',
      hydrogens: ['h1', 'h2'],
      shape: 'methylene' as const,
      hold: 'riding' as const,
      uFactor: 1.2,
      length: 0.99,
    };
    expect(pruneControls({ ...NO_CONTROLS, hydrogens: [g] }, new Set(['c', 'h2'])).hydrogens).toMatchObject([
      { hydrogens: ['h2'] },
    ]);
    expect(pruneControls({ ...NO_CONTROLS, hydrogens: [g] }, new Set(['h1', 'h2'])).hydrogens).toEqual([]);
  });
  it('keeps assemblies, which are known by their groups', () => {
    const occupancies = [
      { id: 'o', kind: 'assembly' as const, assembly: 'A', groups: ['1', '2'] },
      { id: 'p', kind: 'shared' as const, sites: ['x', 'y'] },
    ];
    expect(pruneControls({ ...NO_CONTROLS, occupancies }, new Set(['y'])).occupancies).toMatchObject([
      { assembly: 'A' },
      { sites: ['y'] },
    ]);
  });
});
