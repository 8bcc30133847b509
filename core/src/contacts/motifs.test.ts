import { describe, expect, it } from 'vitest';
import { cellFromMetric, orthogonalization } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, dot, inverse3, toMat3, type Vec3 } from '../math/matrix3.ts';
import { SHIPPED } from './definition.ts';
import { ContactSearch } from './find-contacts.ts';
import { Motifs, networkOf } from './motifs.ts';

type Atom = readonly [label: string, x: number, y: number, z: number];
const HYDROGEN_BONDS = SHIPPED[0]!;

/** A crystal of Cartesian atoms, a along x and b in the plane of x and y. */
function crystal(symbol: string, axes: readonly [Vec3, Vec3, Vec3], atoms: readonly Atom[]): Structure {
  const cell = cellFromMetric(toMat3(axes.flatMap((p) => axes.map((q) => dot(p, q)))));
  const back = inverse3(orthogonalization(cell));
  return {
    cell,
    spaceGroup: spaceGroupFromSymbol(symbol),
    sites: atoms.map(([label, x, y, z]) => ({
      id: label,
      label,
      element: /^[A-Z][a-z]?/.exec(label)![0].replace(/\d/g, ''),
      position: apply3(back, [x, y, z]),
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    })),
  };
}
const box = (a: number, b: number, c: number): [Vec3, Vec3, Vec3] => [
  [a, 0, 0],
  [0, b, 0],
  [0, 0, c],
];

function told(s: Structure) {
  const search = new ContactSearch(s);
  const contacts = search.find(HYDROGEN_BONDS);
  const motifs = new Motifs(search, contacts).all();
  return { contacts, motifs, sets: motifs.map((m) => m.graphSet), network: networkOf(s, contacts) };
}

/** An acid whose hydrogen points at what an inversion in the origin makes of its carbonyl. */
const ACID: readonly Atom[] = [
  ['C1', -1.93, 0, 0],
  ['O1', -1.31, 1.07, 0],
  ['O2', -1.28, -1.13, 0],
  ['H2', -0.31, -1.11, 0],
  ['C2', -3.43, 0, 0],
];
/** An amide whose hydrogen points down, at the carbonyl of the next one. */
const AMIDE: readonly Atom[] = [
  ['C1', 0, 0, 0],
  ['O1', 0, 1.23, 0],
  ['N1', 1.12, -0.72, 0],
  ['H1', 1.12, -1.62, 0],
  ['C2', -1.3, -0.75, 0],
  ['C3', 2.4, -0.1, 0],
];

describe('graph sets of textbook motifs', () => {
  it('the dimer of an acid about a centre: R2,2(8), finite', () => {
    const { sets, network } = told(crystal('P -1', box(12, 10, 10), ACID));
    expect(sets).toEqual(['R2,2(8)']);
    expect(network).toMatchObject({ dimension: 0, coordination: 1 });
  });

  it('the same where the hydrogen was not located: it is counted', () => {
    const { sets, contacts } = told(crystal('P -1', box(12, 10, 10), ACID.filter(([l]) => l !== 'H2'))); // prettier-ignore
    expect(contacts.every((c) => c.likely)).toBe(true);
    expect(sets).toContain('R2,2(8)');
  });

  it('the same dimer of two molecules without symmetry: two contacts that are discrete, together R2,2(8)', () => {
    const other = ACID.map(([l, x, y, z]): Atom => [`${l}b`, -x, -y, -z]);
    const { sets } = told(crystal('P 1', box(12, 10, 10), [...ACID, ...other]));
    expect(sets).toEqual(['D', 'D', 'R2,2(8)']);
  });

  it('the chain of an amide by translation: C(4) along b', () => {
    const { sets, motifs, network } = told(
      crystal(
        'P 1',
        [
          [12, 0, 0],
          [-1.12, 4.75, 0],
          [0, 0, 9],
        ],
        AMIDE,
      ),
    );
    expect(sets).toEqual(['C(4)']);
    expect(motifs[0]).toMatchObject({ direction: [0, 1, 0], period: expect.closeTo(Math.hypot(1.12, 4.75), 6) });
    expect(network).toMatchObject({ dimension: 1, shape: 'chain', directions: [[0, 1, 0]], coordination: 2 });
  });

  it('the chain of an alcohol about a screw axis: C(2), its period that of the axis', () => {
    const o = 0.6;
    const [dx, dy] = [-2 * o, 2.475];
    const d = Math.hypot(dx, dy);
    const { sets, motifs } = told(
      crystal('P 1 21 1', box(12, 4.95, 9), [
        ['O1', o, 0, 0],
        ['H1', o + (0.97 * dx) / d, (0.97 * dy) / d, 0],
        ['C1', 2.02, 0, 0],
      ]),
    );
    expect(sets).toEqual(['C(2)']);
    expect(motifs[0]).toMatchObject({ direction: [0, 1, 0], period: expect.closeTo(4.95, 6) });
  });

  it.each([
    ['P -4', 4, 'R4,4(8)'],
    ['P 3', 3, 'R3,3(6)'],
    ['P 6', 6, 'R6,6(12)'],
  ])('the ring of an alcohol about the axis of %s: %i molecules, %s', (symbol, n, set) => {
    // Oxygens 2.75 Å apart on a regular polygon about the axis; in P −4 up and down do not matter at height zero.
    const radius = 2.75 / (2 * Math.sin(Math.PI / n));
    const turn = (2 * Math.PI) / n;
    const next: Vec3 = [radius * Math.cos(turn) - radius, radius * Math.sin(turn), 0];
    const along = (t: number): Vec3 => [radius + (t / 2.75) * next[0], (t / 2.75) * next[1], 0];
    const [hx, hy] = along(0.97);
    const edge = 16;
    const axes: [Vec3, Vec3, Vec3] =
      n === 4
        ? box(edge, edge, 8)
        : [
            [edge, 0, 0],
            [-edge / 2, (edge * Math.sqrt(3)) / 2, 0],
            [0, 0, 8],
          ];
    const { sets, network } = told(
      crystal(symbol, axes, [
        ['O1', radius, 0, 0],
        ['H1', hx, hy, 0],
        ['C1', radius + 1.25, 0.4, 0.55],
      ]),
    );
    expect(sets).toEqual([set]);
    expect(network).toMatchObject({ dimension: 0, shape: 'ring', coordination: 2 });
  });

  it('a hydrogen bond inside a molecule: S(6)', () => {
    const side = 1.42;
    const at = (k: number): readonly [number, number] => [
      side * Math.cos((k * Math.PI) / 3),
      side * Math.sin((k * Math.PI) / 3),
    ];
    const [ox, oy] = at(1);
    const [vx, vy] = at(0);
    const { sets, contacts } = told(
      crystal('P 1', box(14, 14, 9), [
        ['O1', ox, oy, 0],
        ['H1', ox + (0.97 * (vx - ox)) / side, oy + (0.97 * (vy - oy)) / side, 0],
        ['C1', ...at(2), 0],
        ['C2', ...at(3), 0],
        ['C3', ...at(4), 0],
        ['O2', ...at(5), 0],
      ]),
    );
    expect(contacts[0]).toMatchObject({ inside: true, bondsBetween: 4 });
    expect(sets).toEqual(['S(6)']);
  });

  it('a water between two carbonyls that translation makes of one another: D, D and together C2,2', () => {
    const { sets, motifs } = told(
      crystal(
        'P 1',
        box(12, 7.6, 9),
        [
          ['C1', 0, 0, 0],
          ['O1', 0, 1.22, 0],
          ['O2', 0, -1.32, 0],
          ['C3', 1.38, -1.45, 0],
          ['C2', -1.45, 0.1, 0],
          ['O9', 0.9, 3.72, 0],
          ['H8', 0.571, 2.808, 0],
          ['H9', 0.58, 4.636, 0],
        ].map(([l, x, y, z]) => [String(l), x, y, z] as unknown as Atom),
      ),
    );
    expect(sets.slice(0, 2)).toEqual(['D', 'D']);
    expect(motifs.find((m) => m.kind === 'chain')?.graphSet).toMatch(/^C2,2\(\d+\)$/);
  });

  it('a hydrogen that goes to two atoms of one neighbour: R2,1(4) of a bare pair', () => {
    // N–H over the middle of a carboxylate: two acceptors, one donor.
    const { sets, contacts } = told(
      crystal('P 1', box(12, 12, 9), [
        ['C1', 0, 0, 0],
        ['O1', 1.1, 0.6, 0],
        ['O2', -1.1, 0.6, 0],
        ['C2', 0, -1.5, 0],
        ['N1', 0, 3.15, 0],
        ['H1', 0, 2.25, 0],
        ['C3', 1.25, 3.9, 0],
        ['C4', -1.25, 3.9, 0],
      ]),
    );
    expect(contacts).toHaveLength(2);
    expect(sets).toContain('R2,1(4)');
  });

  it('networks of molecules without located hydrogens: waters on the places of a diamond are a framework', () => {
    const a = (4 / Math.sqrt(3)) * 2.76;
    const { contacts, network } = told(crystal('F d -3 m:1', box(a, a, a), [['O1', 0, 0, 0]]));
    expect(contacts.every((c) => c.likely)).toBe(true);
    expect(network).toMatchObject({ dimension: 3, shape: 'framework', coordination: 4 });
  });
});
