/** What each check says that it looks for, tried on either side of its limits. */
import { describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Displacement, Site, Structure } from '../crystal/structure.ts';
import type { MergeStatistics } from '../data/merge.ts';
import { sphericalPoint } from '../../../demo/src/spherical-point.ts';
import type { Vec3 } from '../math/matrix3.ts';
import type { Readings } from '../refine/single-crystal.ts';
import type { Severity } from './check.ts';
import { VetContext, type VetInput } from './context.ts';
import { CHECKS } from './registry.ts';

/** Å of a box in which nothing meets its copies. */
const BOX = 30;
type Atom = readonly [label: string, xyz: Vec3, more?: Partial<Site>];

const elementOfLabel = (label: string): string => /^[A-Z][a-z]?/.exec(label)![0];
const sitesOf = (atoms: readonly Atom[]): Site[] =>
  atoms.map(([label, xyz, more]) => ({
    id: label,
    label,
    element: elementOfLabel(label),
    position: [0.3 + xyz[0] / BOX, 0.3 + xyz[1] / BOX, 0.3 + xyz[2] / BOX],
    occupancy: 1,
    displacement: { kind: 'iso', u: elementOfLabel(label) === 'H' ? 0.036 : 0.03 },
    ...more,
  }));
const boxOf = (...atoms: Atom[]): Structure => ({
  cell: { a: BOX, b: BOX, c: BOX, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 1'),
  sites: sitesOf(atoms),
});

/** What a check finds; undefined where it finds nothing. */
function found(id: string, input: Partial<VetInput> & Pick<VetInput, 'structure'>): Severity | undefined {
  const check = CHECKS.find((c) => c.id === id)!;
  return check.run(new VetContext({ experiment: { kept: {} }, ...input }))[0]?.severity;
}

const { along, tetrahedron } = sphericalPoint;
/** A carbon at the origin with four partners at these distances. */
const methane = (length = 1.0): Atom[] => [
  ['C1', [0, 0, 0]],
  ...tetrahedron(length).map((xyz, i): Atom => [`H${i + 1}`, xyz]),
];

const STATISTICS = {
  measured: 9000,
  unique: 3000,
  rejected: 0,
  redundancy: 3,
  rInt: 0.03,
  rSigma: 0.02,
  completeness: 0.995,
  dMin: 0.8,
} as unknown as MergeStatistics;
const READINGS = {
  r1: 0.03,
  wr2: 0.08,
  s: 1.02,
  reflections: 3000,
  observed: 2500,
  parameters: 200,
  restraints: 0,
  maxShiftOverSu: 0.001,
  weights: { a: 0.04, b: 0.1 },
  correlations: [],
} as unknown as Readings;

describe('figures of data and refinement', () => {
  const structure = boxOf(...methane());
  const cases: readonly (readonly [string, Partial<MergeStatistics>, Partial<Readings>, Severity | undefined])[] = [
    ['completeness', { completeness: 0.9801 }, {}, undefined],
    ['completeness', { completeness: 0.9799 }, {}, 'explain'],
    ['completeness', { completeness: 0.8999 }, {}, 'mend'],
    ['resolution', { dMin: 0.844 }, {}, undefined],
    ['resolution', { dMin: 0.86 }, {}, 'explain'],
    ['resolution', { dMin: 1.06 }, {}, 'mend'],
    ['redundancy', { redundancy: 1.31 }, {}, undefined],
    ['redundancy', { redundancy: 1.29 }, {}, 'know'],
    ['agreement', { rInt: 0.119 }, {}, undefined],
    ['agreement', { rInt: 0.121 }, {}, 'explain'],
    ['agreement', { rInt: 0.251 }, {}, 'mend'],
    ['agreement', { rInt: NaN }, {}, undefined],
    ['noise', { rSigma: 0.099 }, {}, undefined],
    ['noise', { rSigma: 0.101 }, {}, 'explain'],
    ['noise', { rSigma: 0.251 }, {}, 'mend'],
    ['noise', {}, { observed: 1499 }, 'explain'],
    ['noise', {}, { observed: 1500 }, undefined],
    ['R values', {}, { r1: 0.069 }, undefined],
    ['R values', {}, { r1: 0.071 }, 'explain'],
    ['R values', {}, { r1: 0.121 }, 'mend'],
    ['R values', {}, { wr2: 0.199 }, undefined],
    ['R values', {}, { wr2: 0.201 }, 'explain'],
    ['goodness of fit', {}, { s: 0.81 }, undefined],
    ['goodness of fit', {}, { s: 0.79 }, 'know'],
    ['goodness of fit', {}, { s: 1.26 }, 'know'],
    ['goodness of fit', {}, { s: 2.6 }, 'explain'],
    ['goodness of fit', {}, { weights: { a: 0.21, b: 0 } }, 'explain'],
    ['goodness of fit', {}, { weights: { a: 0.1, b: 5.1 } }, 'explain'],
    ['data per parameter', {}, { parameters: 375 }, undefined],
    ['data per parameter', {}, { parameters: 376 }, 'explain'],
    ['data per parameter', {}, { parameters: 601 }, 'mend'],
    ['data per parameter', {}, { parameters: 601, restraints: 40 }, 'explain'],
  ];
  it.each(cases)('%s: %j %j → %s', (check, statistics, readings, severity) => {
    expect(
      found(check, {
        structure,
        statistics: { ...STATISTICS, ...statistics },
        readings: { ...READINGS, ...readings },
      }),
    ).toBe(severity);
  });
});

describe('lengths and angles', () => {
  it.each([
    [1.18, undefined],
    [1.63, undefined],
    [1.65, undefined],
    [1.68, 'explain'],
    [1.13, 'explain'],
    [1.04, 'mend'],
  ] as const)('a C–C bond of %f Å: %s', (length, severity) => {
    expect(found('bond lengths', { structure: boxOf(['C1', [0, 0, 0]], ['C2', [length, 0, 0]]) })).toBe(severity);
  });

  it.each([
    [89, 'explain'],
    [91, undefined],
    [127, undefined],
    [129, 'explain'],
  ] as const)('%i° at a carbon of four: %s', (angle, severity) => {
    // Two chlorines with the angle between them in the plane xy; two hydrogens above and below on the other side.
    const [first, second] = [along(angle / 2, 1.76), along(-angle / 2, 1.76)];
    const atoms: Atom[] = [
      ['C1', [0, 0, 0]],
      ['Cl1', first],
      ['Cl2', second],
      ['H1', [-0.5, 0, 0.85]],
      ['H2', [-0.5, 0, -0.85]],
    ];
    expect(found('angles', { structure: boxOf(...atoms) })).toBe(severity);
  });

  it.each([
    ['C', 0.87, 'explain'],
    ['C', 0.89, undefined],
    ['C', 1.09, undefined],
    ['C', 1.11, 'explain'],
    ['N', 0.74, 'explain'],
    ['N', 0.76, undefined],
    ['O', 0.67, 'explain'],
    ['O', 0.69, undefined],
    ['O', 1.06, 'explain'],
    ['O', 0.59, 'mend'],
  ] as const)('%s–H of %f Å: %s', (element, length, severity) => {
    expect(found('hydrogen geometry', { structure: boxOf([`${element}1`, [0, 0, 0]], ['H1', [length, 0, 0]]) })).toBe(
      severity,
    );
  });

  it('flat rings whose bonds are all long speak of the cell', () => {
    const ring = (length: number): Structure =>
      boxOf(
        ...[0, 60, 120, 180, 240, 300].flatMap((t, i): Atom[] => [
          [`C${i + 1}`, along(t, length)],
          [`H${i + 1}`, along(t, length + 0.95)],
        ]),
      );
    expect(found('carbon average', { structure: ring(1.385) })).toBeUndefined();
    expect(found('carbon average', { structure: ring(1.41) })).toBe('explain');
    expect(found('carbon average', { structure: ring(1.43) })).toBe('mend');
    expect(found('carbon average', { structure: ring(1.36) })).toBe('explain');
  });
});

describe('contacts', () => {
  /** Two methanes whose hydrogens face one another. */
  const pair = (gap: number): Structure => {
    const [first, ...rest] = tetrahedron(1.0);
    const unit = first!.map((x) => x) as unknown as Vec3;
    const far = unit.map((x) => x * (2 + gap)) as unknown as Vec3;
    const mirrored = (v: Vec3): Vec3 => [far[0] - v[0], far[1] - v[1], far[2] - v[2]];
    return boxOf(
      ['C1', [0, 0, 0]],
      ['H1', unit],
      ...rest.map((v, i): Atom => [`H${i + 2}`, v]),
      ['C2', far],
      ['H5', mirrored(unit)],
      ...rest.map((v, i): Atom => [`H${i + 6}`, mirrored(v)]),
    );
  };
  it.each([
    [1.92, undefined],
    [1.88, 'explain'],
    [1.72, 'explain'],
    [1.68, 'mend'],
  ] as const)('H⋯H of %f Å: %s', (gap, severity) => {
    expect(found('short contacts', { structure: pair(gap) })).toBe(severity);
  });

  it.each([
    [1.9, undefined],
    [1.5, undefined],
    // Its oxygens are 2.29 Å apart then.
    [1.45, 'explain'],
  ] as const)('a hydrogen bond O–H⋯O of %f Å: %s', (gap, severity) => {
    const structure = boxOf(
      ['O1', [0, 0, 0]],
      ['H1', [0.84, 0, 0]],
      ['H2', [-0.28, 0.79, 0]],
      ['O2', [0.84 + gap, 0, 0]],
      ['H3', [0.84 + gap + 0.28, 0.79, 0]],
      ['H4', [0.84 + gap + 0.28, -0.79, 0]],
    );
    expect(found('short contacts', { structure })).toBe(severity);
  });

  it.each([
    [1.9, undefined],
    [2.6, undefined],
    [3.4, 'explain'],
  ] as const)('a hydroxyl whose nearest acceptor is %f Å away: %s', (gap, severity) => {
    const structure = boxOf(
      ['C1', [-1.42, 0, 0]],
      ['O1', [0, 0, 0]],
      ['H1', [0.84, 0, 0]],
      ['O2', [0.84 + gap, 0, 0]],
      ['C2', [0.84 + gap + 1.22, 0, 0]],
    );
    expect(found('donors', { structure })).toBe(severity);
  });
});

describe('partners', () => {
  it('a lone carbon, a lone hydrogen, five bonds at carbon', () => {
    expect(found('valence', { structure: boxOf(['C1', [0, 0, 0]], ['O1', [6, 0, 0]]) })).toBe('mend');
    expect(found('valence', { structure: boxOf(...methane()) })).toBeUndefined();
    expect(found('extra hydrogens', { structure: boxOf(...methane(), ['H9', [5, 0, 0]]) })).toBe('mend');
    expect(found('extra hydrogens', { structure: boxOf(...methane()) })).toBeUndefined();
    expect(found('extra hydrogens', { structure: boxOf(...methane(), ['H9', [-0.9, 0.1, 0.1]]) })).toBe('mend');
  });

  it('a halide without its cation does not balance; with an ammonium it does', () => {
    const ammonium: Atom[] = [['N1', [0, 0, 0]], ...tetrahedron(0.9).map((xyz, i): Atom => [`H${i + 1}`, xyz])];
    expect(found('charges', { structure: boxOf(['Cl1', [4, 0, 0]], ...methane()) })).toBe('explain');
    expect(found('charges', { structure: boxOf(['Cl1', [4, 0, 0]], ...ammonium) })).toBeUndefined();
    expect(found('charges', { structure: boxOf(...ammonium) })).toBe('explain');
    expect(found('charges', { structure: boxOf(['Na1', [6, 0, 0]], ['Cl1', [4, 0, 0]], ...ammonium) })).toBeUndefined();
  });
});

describe('displacements', () => {
  const u = (...values: [number, number, number]): Displacement => ({ kind: 'aniso', u: [...values, 0, 0, 0] });
  const bond = (first: Displacement, second: Displacement): Structure =>
    boxOf(['C1', [0, 0, 0], { displacement: first }], ['C2', [1.5, 0, 0], { displacement: second }]);

  it.each([
    ['rigid bonds', u(0.03, 0.03, 0.03), u(0.037, 0.03, 0.03), undefined],
    ['rigid bonds', u(0.03, 0.03, 0.03), u(0.039, 0.03, 0.03), 'explain'],
    ['rigid bonds', u(0.03, 0.03, 0.03), u(0.061, 0.03, 0.03), 'mend'],
    // Across the bond atoms may swing as they like.
    ['rigid bonds', u(0.03, 0.03, 0.03), u(0.03, 0.09, 0.09), undefined],
    ['elongation', u(0.02, 0.03, 0.119), u(0.03, 0.03, 0.03), undefined],
    ['elongation', u(0.02, 0.03, 0.121), u(0.03, 0.03, 0.03), 'explain'],
    ['impossible displacement', u(0.02, 0.03, 0.0001), u(0.03, 0.03, 0.03), undefined],
    ['impossible displacement', u(0.02, 0.03, -0.0001), u(0.03, 0.03, 0.03), 'mend'],
    ['neighbouring displacements', u(0.03, 0.03, 0.03), u(0.074, 0.074, 0.074), undefined],
    ['neighbouring displacements', u(0.03, 0.03, 0.03), u(0.076, 0.076, 0.076), 'explain'],
  ] as const)('%s (%j, %j): %s', (check, first, second, severity) => {
    expect(found(check, { structure: bond(first, second) })).toBe(severity);
  });

  it.each([
    [0.6, 'explain'],
    [0.8, undefined],
    [1.2, undefined],
    [2.9, undefined],
    [3.1, 'explain'],
  ] as const)('U(H) of %f times its parent’s: %s', (ratio, severity) => {
    const [c1, ...rest] = methane();
    const hydrogens = rest.map(([label, xyz]): Atom => [
      label,
      xyz,
      { displacement: { kind: 'iso', u: 0.03 * ratio } },
    ]);
    expect(found('hydrogen displacement', { structure: boxOf(c1!, ...hydrogens) })).toBe(severity);
  });
});

describe('special positions', () => {
  /** An atom so far from an inversion centre, Å. */
  const near = (off: number, more: Partial<Site> = {}): Structure => ({
    ...boxOf(),
    spaceGroup: spaceGroupFromSymbol('P -1'),
    sites: [{ ...sitesOf([['Cl1', [0, 0, 0]]])[0]!, position: [0.5 + off / BOX, 0.5, 0.5], ...more }],
  });
  it.each([
    [0.3, 'mend'],
    [0.34, 'mend'],
    [0.36, undefined],
    [1, undefined],
  ] as const)('%f Å from a centre, so twice as far from its copy: %s', (off, severity) => {
    expect(found('special positions', { structure: near(off) })).toBe(severity);
  });

  it('half of an atom may be there, and one on the centre is whole', () => {
    expect(found('special positions', { structure: near(0.3, { occupancy: 0.5 }) })).toBeUndefined();
    expect(found('special positions', { structure: near(0) })).toBeUndefined();
    expect(found('special positions', { structure: near(0, { occupancy: 0.5 }) })).toBe('mend');
  });
});
