import { describe, expect, it } from 'vitest';
import { cartesian } from '../crystal/structure.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { FileProblem } from './cif-parser.ts';
import { recognise } from './recognise.ts';
import { parseXyz, writeXyz } from './xyz.ts';

const WATER = `3
a water
O 0.000 0.000 0.117
H 0.000 0.757 -0.467
H 0.000 -0.757 -0.467
`;
const LAYER = `4
Lattice="3.2 0 0 -1.6 2.77128 0 0 0 15" Properties=species:S:1:pos:R:3:charge:I:1:occupancy:R:1 name="a layer" pbc="T T T"
Mg 0.0 0.0 7.5 2 1
O 0.0 1.8475 8.5 -2 0.5
O 1.6 0.9238 6.5 -2 1
H 0.0 1.8475 9.5 1 1
`;

const lengths = (points: readonly Vec3[]): number[] =>
  points.flatMap((p, i) => points.slice(0, i).map((q) => norm(subtract(p, q))));
/** Volume of the parallelepiped of the first four points: its sign is the hand. */
const hand = (p: readonly Vec3[]): number => {
  const [a, b, c] = [1, 2, 3].map((i) => subtract(p[i]!, p[0]!));
  return (
    a![0] * (b![1] * c![2] - b![2] * c![1]) -
    a![1] * (b![0] * c![2] - b![2] * c![0]) +
    a![2] * (b![0] * c![1] - b![1] * c![0])
  );
};

describe('XYZ', () => {
  it('keeps a molecule as it is, in a box that leaves room around it', () => {
    const [found] = recognise(WATER, 'water.xyz');
    const { structure } = found!;
    expect(found!.name).toBe('a water');
    expect(found!.sentence).toContain('without a lattice');
    const at = structure!.sites.map((x) => cartesian(structure!.cell, x.position));
    lengths(at).forEach((l, i) => expect(l).toBeCloseTo([0.95611, 0.95611, 1.514][i]!, 3));
    for (const x of structure!.sites) for (const v of x.position) expect(v).toBeGreaterThan(0.2);
  });

  it('reads lattice, named columns, charges and occupancies', () => {
    const [frame] = parseXyz(LAYER, 'file');
    const { structure: s, name, periodic } = frame!;
    expect([name, periodic]).toEqual(['a layer', true]);
    expect(s.cell.a).toBeCloseTo(3.2, 6);
    expect(s.cell.gamma).toBeCloseTo(120, 3);
    expect(s.sites.map((x) => x.charge)).toEqual([2, -2, -2, 1]);
    expect(s.sites[1]!.occupancy).toBe(0.5);
    expect(s.sites[0]!.position[2]).toBeCloseTo(0.5, 9);
    const at = s.sites.map((x) => cartesian(s.cell, x.position));
    expect(norm(subtract(at[0]!, at[3]!))).toBeCloseTo(Math.hypot(1.8475, 2), 4);
  });

  it('keeps the hand of a lattice whose vectors are left-handed', () => {
    const turned = LAYER.replace('3.2 0 0 -1.6 2.77128 0 0 0 15', '-1.6 2.77128 0 3.2 0 0 0 0 15');
    const handOf = (text: string): number => {
      const { structure: s } = parseXyz(text, 'x')[0]!;
      return hand(s.sites.map((x) => cartesian(s.cell, x.position)));
    };
    // The file's own coordinates tell which hand is right.
    const own = hand([
      [0, 0, 7.5],
      [0, 1.8475, 8.5],
      [1.6, 0.9238, 6.5],
      [0, 1.8475, 9.5],
    ]);
    expect(handOf(LAYER)).toBeCloseTo(own, 3);
    expect(handOf(turned)).toBeCloseTo(own, 3);
  });

  it('reads one frame after another, and gives back what it wrote', () => {
    expect(recognise(WATER + LAYER, 'two.xyz').map((f) => f.structure!.sites.length)).toEqual([3, 4]);
    const { structure: s } = parseXyz(LAYER, 'x')[0]!;
    const atoms = s.sites.map((x) => ({ element: x.element, at: cartesian(s.cell, x.position) }));
    const { structure: again, name } = { ...parseXyz(writeXyz(atoms, 'again', s.cell), 'x')[0]! };
    expect(name).toBe('again');
    again.sites.forEach((x, i) => x.position.forEach((v, k) => expect(v).toBeCloseTo(s.sites[i]!.position[k]!, 5)));
  });

  it.each<[string, string, string, number]>([
    ['too few atoms', WATER.replace('3\n', '4\n'), 'only 3 follow', 6],
    ['an element that is none', WATER.replace('O 0', 'Qq 0'), '"Qq" is no element', 3],
    ['a coordinate that is no number', WATER.replace('0.117', 'here'), 'three coordinates', 3],
    ['a flat lattice', LAYER.replace('0 0 15', '0 1 0'), 'in one plane', 2],
    ['a lattice of five numbers', LAYER.replace('0 0 0 15', ''), 'not nine numbers', 2],
    ['no column of species', LAYER.replace('species:S', 'kind:S'), 'no species column', 2],
  ])('says what is wrong: %s', (_, text, said, line) => {
    try {
      parseXyz(text, 'x');
      expect.unreachable();
    } catch (e) {
      expect(e).toBeInstanceOf(FileProblem);
      expect((e as Error).message).toContain(said);
      expect((e as FileProblem).line).toBe(line);
    }
  });
});
