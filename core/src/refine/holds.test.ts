import { experiment } from '../crystal/experiment.ts';
import { isHome } from '../crystal/atom-ref.ts';
import { describe, expect, it } from 'vitest';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { NO_CONTROLS, type Controls, type Hold } from '../crystal/controls.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { equivalentU, type Site, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { parentReference, parentSurroundings, surroundingsAt } from '../geometry/parents.ts';
import { add, apply3, inverse3, norm, subtract, turn, type Vec3, toVec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { hydrogenHolds, obeyControls, turnRigid } from './holds.ts';
import { modelRestraints } from './model-restraints.ts';
import { compileConstraints } from './compile-constraints.ts';
import { expandShift } from './constraint-map.ts';
import { equivalentCoefficients, physicalValues, siteOffset } from './parameters.ts';
import { refineStructure } from './single-crystal.ts';

const crystal = testCrystal('CCOc1ccccc1', 'P 1 21/c 1', 33, { dMin: 0.85, systematic: 0 });
const truth = crystal.structure;
const m = orthogonalization(truth.cell),
  inverse = inverse3(m);
const at = (s: Structure, label: string): Vec3 => apply3(m, s.sites.find((x) => x.label === label)!.position);
const id = (label: string): string => truth.sites.find((x) => x.label === label)!.id;
const hydrogensOf = (label: string): string[] =>
  bonds(truth)
    .filter((b) => truth.sites[b.from]!.label === label && truth.sites[b.to]!.element === 'H')
    .map((b) => truth.sites[b.to]!.id);
const held = (change: Partial<Controls>, s: Structure = truth): Structure => ({
  ...s,
  controls: { ...NO_CONTROLS, ...change },
});
const options = { cycles: 15, optimizeWeights: false };

function perfect(s: Structure, dMin = 0.95): MergedReflections {
  const c = calculatedIntensities(s, dMin, crystal.wavelength);
  const mean = c.f2.reduce((p, q) => p + q, 0) / c.count;
  return mergeForGroup(
    {
      count: c.count,
      h: c.h,
      k: c.k,
      l: c.l,
      intensity: Float64Array.from(c.f2),
      sigma: Float64Array.from(c.f2, (x) => 0.01 * x + 0.002 * mean),
      merged: false,
    },
    s.cell,
    s.spaceGroup,
  ).reflections;
}

describe('surroundings of a parent', () => {
  it('are its bonded non-hydrogen atoms, nearest first, and renew with the positions', () => {
    const c2 = truth.sites.findIndex((x) => x.label === 'C2');
    const near = parentSurroundings(truth, c2);
    expect(near.map((n) => truth.sites[n.to]!.label).sort()).toEqual(['C1', 'O1']);
    for (let i = 1; i < near.length; i++) expect(near[i]!.distance).toBeGreaterThanOrEqual(near[i - 1]!.distance);
    const c1 = truth.sites.findIndex((x) => x.label === 'C1');
    const reference = parentReference(truth, c1);
    expect(truth.sites[reference.neighbours[0]!.to]!.label).toBe('C2');
    expect(truth.sites[reference.beyond!.to]!.label).toBe('O1');
    const moved = surroundingsAt(truth, reference, (i) => truth.sites[i]!.position.map((v) => v + 0.1) as never);
    const still = surroundingsAt(truth, reference, (i) => truth.sites[i]!.position);
    expect(
      norm(subtract(subtract(moved.neighbours[0]!, moved.parent), subtract(still.neighbours[0]!, still.parent))),
    ).toBeLessThan(1e-9);
  });

  it('leave out other disorder groups, and metals where anything else is bonded', () => {
    const s: Structure = {
      ...truth,
      sites: truth.sites.map((x) => (x.label === 'O1' ? { ...x, disorder: { assembly: 'A', group: '2' } } : x)),
    };
    const c2 = s.sites.findIndex((x) => x.label === 'C2');
    expect(parentSurroundings(s, c2, { assembly: 'A', group: '1' }).map((n) => s.sites[n.to]!.label)).toEqual(['C1']);
    const p1 = spaceGroupFromSymbol('P 1');
    const site = (i: string, element: string, x: number): Site => ({
      id: i,
      label: element,
      element,
      position: [x / 20, 0.5, 0.5],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    });
    const complex: Structure = {
      cell: { a: 20, b: 20, c: 20, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: p1,
      sites: [site('n', 'N', 10), site('c', 'C', 11.47), site('u', 'Cu', 8)],
    };
    expect(parentSurroundings(complex, 0).map((n) => n.to)).toEqual([1]);
    expect(
      parentSurroundings({ ...complex, sites: [complex.sites[0]!, complex.sites[2]!] }, 0).map((n) => n.to),
    ).toEqual([1]);
  });
});

describe('a model that obeys its controls', () => {
  const rough = held(
    {
      hydrogens: [
        {
          id: 'g',
          parent: id('C2'),
          hydrogens: hydrogensOf('C2'),
          shape: 'methylene',
          hold: 'riding',
          uFactor: 1.2,
          length: 0.99,
        },
      ],
      constraints: [{ id: 'u', kind: 'shared displacement', sites: [id('C3'), id('C4')] }],
      occupancies: [{ id: 'o', kind: 'assembly', assembly: 'A', groups: ['1', '2'] }],
    },
    {
      ...truth,
      sites: truth.sites.map((x) =>
        x.label === 'C7'
          ? { ...x, occupancy: 0.9, disorder: { assembly: 'A', group: '1' } }
          : x.label === 'C8'
            ? { ...x, occupancy: 0.3, disorder: { assembly: 'A', group: '2' } }
            : x,
      ),
    },
  );
  const once = obeyControls(rough);

  it('is brought to shape once, and stays', () => {
    expect(obeyControls(once)).toEqual(once);
    for (const h of hydrogensOf('C2')) {
      const x = once.sites.find((y) => y.id === h)!;
      expect(norm(subtract(apply3(m, x.position), at(once, 'C2')))).toBeCloseTo(0.99, 9);
      expect(x.displacement.u).toBeCloseTo(
        1.2 * equivalentU(truth.cell, once.sites.find((y) => y.label === 'C2')!.displacement),
        9,
      );
    }
    const shared = ['C3', 'C4'].map((l) => once.sites.find((x) => x.label === l)!.displacement.u as readonly number[]);
    expect(shared[0]).toEqual(shared[1]);
    const before = ['C3', 'C4'].map((l) => truth.sites.find((x) => x.label === l)!.displacement.u as readonly number[]);
    shared[0]!.forEach((u, k) => expect(u).toBeCloseTo((before[0]![k]! + before[1]![k]!) / 2, 12));
    expect(once.sites.find((x) => x.label === 'C7')!.occupancy).toBeCloseTo(0.75, 12);
    expect(once.sites.find((x) => x.label === 'C8')!.occupancy).toBeCloseTo(0.25, 12);
  });

  it('leaves a model without controls untouched, and hydrogens that are free where they are', () => {
    expect(obeyControls(truth)).toBe(truth);
    const free = held({
      hydrogens: [
        {
          id: 'g',
          parent: id('C2'),
          hydrogens: hydrogensOf('C2'),
          shape: 'methylene',
          hold: 'free',
          uFactor: 0,
          length: 0.99,
        },
      ],
    });
    expect(obeyControls(free).sites).toEqual(free.sites);
    expect(hydrogenHolds(free)).toEqual([]);
  });

  it('writes U_eq as the linear form that ties U(H)', () => {
    const c = equivalentCoefficients(truth.cell);
    for (const x of truth.sites.slice(0, 6))
      if (x.displacement.kind === 'aniso')
        expect(x.displacement.u.reduce((t, u, k) => t + u * c[k]!, 0)).toBeCloseTo(
          equivalentU(truth.cell, x.displacement),
          12,
        );
  });
});

describe.each(['riding', 'rotating', 'restrained', 'free'] as Hold[])('hydrogens held %s', (hold) => {
  it('refine in their own way', async () => {
    const shape = hold === 'rotating' ? ('methyl' as const) : ('methylene' as const),
      parent = hold === 'rotating' ? 'C1' : 'C2';
    const h = hydrogensOf(parent);
    const length = norm(subtract(apply3(m, truth.sites.find((x) => x.id === h[0])!.position), at(truth, parent)));
    // Turned away by 20° about the bond where it may turn, pushed by 0.05 Å where it is free.
    const axis = subtract(at(truth, 'C2'), at(truth, 'C1')),
      unit = toVec3(axis.map((v) => v / norm(axis)));
    const start: Structure = {
      ...truth,
      sites: truth.sites.map((x) => {
        if (!h.includes(x.id)) return x;
        const p = apply3(m, x.position);
        const q =
          hold === 'rotating'
            ? add(at(truth, 'C1'), turn(subtract(p, at(truth, 'C1')), unit, 0.35))
            : hold === 'riding'
              ? p
              : add(p, [0.03, -0.03, 0.02]);
        return { ...x, position: apply3(inverse, q) };
      }),
    };
    const s = held(
      { hydrogens: [{ id: 'g', parent: id(parent), hydrogens: h, shape, hold, uFactor: 1.2, length }] },
      start,
    );
    const bare = compileConstraints(truth, { extinction: false }).independent;
    const own = compileConstraints(s, { extinction: false }).independent;
    // U(H) follows in all; positions in riding (none), rotating (one angle for the group), free (three each).
    expect(bare - own).toBe(h.length + (hold === 'riding' ? 3 * h.length : hold === 'rotating' ? 3 * h.length - 1 : 0));
    const r = await refineStructure(
      experiment(s, perfect(truth), crystal.wavelength, { weights: { a: 0.05, b: 0 } }),
      options,
      quietContext(),
    );
    for (const x of h) {
      const p = apply3(m, r.structure.sites.find((y) => y.id === x)!.position),
        t = apply3(m, truth.sites.find((y) => y.id === x)!.position);
      expect(norm(subtract(p, t))).toBeLessThan(hold === 'free' || hold === 'restrained' ? 0.03 : 0.12);
      if (hold === 'riding' || hold === 'rotating') {
        expect(norm(subtract(p, at(r.structure, parent)))).toBeCloseTo(length, 6);
        expect(r.structure.sites.find((y) => y.id === x)!.positionSu).toEqual([0, 0, 0]);
      } else expect(r.structure.sites.find((y) => y.id === x)!.positionSu!.every((v) => v > 0)).toBe(true);
    }
    expect(r.readings.restraints).toBe(hold === 'restrained' ? h.length + (h.length * (h.length - 1)) / 2 : 0);
    expect(r.state).toBe('settled');
  });
});

describe('rigid groups', () => {
  it('keep their shape exactly through large turns', () => {
    const sites = ['C3', 'C4', 'C5', 'C6', 'C7', 'C8'].map((l) => truth.sites.findIndex((x) => x.label === l));
    const before = physicalValues(truth, 1, 0),
      after = before.slice();
    const shift = Float64Array.from([0.2, -0.1, 0.3, 0.5, -0.4, 0.9]);
    turnRigid(truth, [{ sites, column: 0 }], before, shift, after);
    const point = (p: Float64Array, i: number): Vec3 =>
      apply3(m, [p[siteOffset(i)]!, p[siteOffset(i) + 1]!, p[siteOffset(i) + 2]!]);
    for (const i of sites)
      for (const j of sites)
        expect(norm(subtract(point(after, i), point(after, j)))).toBeCloseTo(
          norm(subtract(point(before, i), point(before, j))),
          9,
        );
    const c0 = middle(sites.map((i) => point(before, i))),
      c1 = middle(sites.map((i) => point(after, i)));
    expect(norm(subtract(subtract(c1, c0), [0.2, -0.1, 0.3]))).toBeLessThan(1e-9);
    // To first order the turn is what the constraint map says.
    const map = compileConstraints(
      held({ constraints: [{ id: 'r', kind: 'rigid group', sites: sites.map((i) => truth.sites[i]!.id) }] }),
      { extinction: false },
    );
    const small = new Float64Array(map.independent);
    small.set([1e-5, 2e-5, -1e-5, 3e-5, -2e-5, 1e-5], map.rigid[0]!.column);
    const linear = expandShift(map, small),
      exact = before.slice();
    turnRigid(truth, map.rigid, before, small, exact);
    for (const i of sites)
      for (let k = 0; k < 3; k++)
        expect(exact[siteOffset(i) + k]! - before[siteOffset(i) + k]!).toBeCloseTo(linear[siteOffset(i) + k]!, 9);
  });

  it('find their way back from a turn of 12° and a shift of 0.2 Å', async () => {
    const labels = ['C3', 'C4', 'C5', 'C6', 'C7', 'C8'];
    const c = middle(labels.map((l) => at(truth, l)));
    const start: Structure = {
      ...truth,
      sites: truth.sites.map((x) =>
        labels.includes(x.label)
          ? {
              ...x,
              position: apply3(
                inverse,
                add(add(c, turn(subtract(apply3(m, x.position), c), [0.6, 0, 0.8], 0.2)), [0.1, -0.1, 0.12]),
              ),
            }
          : x,
      ),
    };
    const r = await refineStructure(
      experiment(
        held({ constraints: [{ id: 'r', kind: 'rigid group', sites: labels.map(id) }] }, start),
        perfect(truth),
        crystal.wavelength,
        { weights: { a: 0.05, b: 0 } },
      ),
      { ...options, cycles: 30 },
      quietContext(),
    );
    for (const l of labels) expect(norm(subtract(at(r.structure, l), at(truth, l)))).toBeLessThan(0.01);
  });
});

describe('occupancies of three groups', () => {
  it('sum to one with two refined numbers and come out at the truth', async () => {
    const c1 = truth.sites.find((x) => x.label === 'C1')!;
    const moved = (d: Vec3, i: string, group: string, occupancy: number): Site => ({
      ...c1,
      id: i,
      label: `C1${i}`,
      occupancy,
      disorder: { assembly: 'A', group },
      position: apply3(inverse, add(apply3(m, c1.position), d)),
    });
    const three = (o: readonly [number, number, number]): Structure => ({
      ...truth,
      sites: [
        ...truth.sites
          .filter((x) => x.element !== 'H')
          .map((x) => (x.id === c1.id ? { ...x, occupancy: o[0], disorder: { assembly: 'A', group: '1' } } : x)),
        moved([0.9, 0.4, 0], 'B', '2', o[1]),
        moved([-0.5, 0.8, 0.5], 'C', '3', o[2]),
      ],
    });
    const actual = three([0.5, 0.3, 0.2]);
    const s = held(
      { occupancies: [{ id: 't', kind: 'assembly', assembly: 'A', groups: ['1', '2', '3'] }] },
      three([0.34, 0.33, 0.33]),
    );
    expect(compileConstraints(s, { extinction: false }).independent).toBe(
      compileConstraints({ ...s, controls: NO_CONTROLS }, { extinction: false }).independent + 2,
    );
    const r = await refineStructure(
      experiment(s, perfect(actual), crystal.wavelength, { weights: { a: 0.05, b: 0 } }),
      { ...options, cycles: 25 },
      quietContext(),
    );
    const o = ['1', '2', '3'].map((g) => r.structure.sites.find((x) => x.disorder?.group === g)!);
    expect(o.reduce((t, x) => t + x.occupancy, 0)).toBeCloseTo(1, 9);
    [0.5, 0.3, 0.2].forEach((v, k) => expect(o[k]!.occupancy).toBeCloseTo(v, 2));
    o.forEach((x) => expect(x.occupancySu).toBeGreaterThan(0));
    // Var(o3) = Var(o1) + Var(o2) + 2 Cov: never more than the sum of the others' s.u.
    expect(o[2]!.occupancySu!).toBeLessThan(o[0]!.occupancySu! + o[1]!.occupancySu! + 1e-12);
  });

  it('a held assembly refines nothing, and a symmetry group bonds to no copy of itself', () => {
    const s = held(
      { occupancies: [{ id: 't', kind: 'assembly', assembly: 'A', groups: ['1', '2'], held: true }] },
      truth,
    );
    expect(compileConstraints(s, { extinction: false }).independent).toBe(
      compileConstraints(truth, { extinction: false }).independent,
    );
    const cell = { a: 6, b: 7, c: 8, alpha: 90, beta: 90, gamma: 90 };
    const site = (i: string, element: string, position: Vec3, group?: string): Site => ({
      id: i,
      label: i,
      element,
      position,
      occupancy: 0.5,
      displacement: { kind: 'iso', u: 0.03 },
      ...(group ? { disorder: { assembly: 'A', group } } : {}),
    });
    const about: Structure = {
      cell,
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites: [site('C1', 'C', [0.08, 0.02, 0.01], '-1'), site('C2', 'C', [0.2, 0.17, 0.05], '-1')],
    };
    expect(bonds(about).every(isHome)).toBe(true);
    expect(bonds(about)).toHaveLength(2);
    expect(bonds({ ...about, sites: about.sites.map(({ disorder: _d, ...x }) => x) }).length).toBeGreaterThan(2);
  });
});

describe('what a distance speaks of', () => {
  it('is the site as it stands within reach, the nearest copy beyond', () => {
    const cell = { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 };
    const site = (i: string, position: Vec3): Site => ({
      id: i,
      label: i,
      element: 'C',
      position,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.03 },
    });
    const s: Structure = {
      cell,
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites: [site('C1', [0.02, 0.02, 0.02]), site('C2', [0.17, 0.02, 0.02]), site('C3', [0.9, 0.02, 0.02])],
      controls: NO_CONTROLS,
    };
    const value = (p: string, q: string): number => {
      const rows = modelRestraints({
        ...s,
        controls: {
          ...NO_CONTROLS,
          restraints: [{ id: 'r', kind: 'distance', pairs: [[p, q]], target: 1.5, su: 0.02 }],
        },
      });
      return rows[0]!.evaluate(physicalValues(s, 1, 0)).value;
    };
    expect(value('C1', 'C2')).toBeCloseTo(1.5, 9);
    // C3 stands 8.8 Å away; its inverse copy at 0.10, −0.02, −0.02 is the neighbour meant.
    expect(value('C1', 'C3')).toBeCloseTo(Math.hypot(0.8, 0.4, 0.4), 9);
  });
});
