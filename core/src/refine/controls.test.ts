import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { NO_CONTROLS, type Controls, type Restraint } from '../crystal/controls.ts';
import { equivalentU, newId, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { apply3, dot, normalize, subtract, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { seededRandom } from '../math/random.ts';
import { placeHydrogens } from '../model/place-hydrogens.ts';
import { planHydrogens } from '../model/hydrogen-plan.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { obeyControls } from './holds.ts';
import { modelRestraints, restraintStandings } from './model-restraints.ts';
import { compileConstraints } from './compile-constraints.ts';
import { expandShift } from './constraint-map.ts';
import { OCCUPANCY, physicalValues, siteOffset, twinOffset, DISPLACEMENT } from './parameters.ts';
import { refineStructure } from './single-crystal.ts';
import { SingleCrystalProblem, evaluateStructure } from './single-crystal-problem.ts';
import { treatedReflections, twinIndices } from './treatment.ts';
import type { MergedReflections } from '../crystal/reflections.ts';

const crystal = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 21, {
  dMin: 0.8,
  repeats: 1.5,
  systematic: 0,
  meanCounts: 900,
});
const truth = crystal.structure;
const heavyOnly: Structure = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
const ids = (s: Structure, ...labels: string[]): string[] => labels.map((l) => s.sites.find((x) => x.label === l)!.id);
const withControls = (s: Structure, change: Partial<Controls>): Structure => ({
  ...s,
  controls: { ...NO_CONTROLS, ...change },
});

function perfect(s: Structure, dMin: number): MergedReflections {
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

/** Slope of the cost along every independent parameter against the right-hand side of the normal equations. */
async function checkDerivatives(problem: SingleCrystalProblem, every = 1): Promise<void> {
  const n = problem.map.independent;
  const { normal } = await problem.assemble(quietContext());
  const here = problem.physical;
  normal.complete();
  const gradient = normal.vector.slice();
  const largest = Math.max(...Array.from(gradient, Math.abs));
  for (let q = 0; q < n; q += every) {
    const unit = new Float64Array(n);
    unit[q] = 1;
    const direction = expandShift(problem.map, unit);
    const size = Math.max(...direction.map((d, p) => Math.abs(d) / Math.max(0.05, Math.abs(here[p]!))));
    const h = 2e-5 / Math.max(1e-6, size);
    const cost = (f: number): number => problem.try(here.map((x, p) => x + f * h * direction[p]!));
    const slope = (8 * (cost(1) - cost(-1)) - (cost(2) - cost(-2))) / (12 * h);
    expect(
      Math.abs(-slope / 2 - gradient[q]!) / Math.max(Math.abs(gradient[q]!), 1e-3 * largest),
      problem.nameOf(q),
    ).toBeLessThan(2e-5);
  }
}

describe('restraints', () => {
  const random = seededRandom(5);
  const s: Structure = {
    ...truth,
    sites: truth.sites.map((x) =>
      x.element === 'H' ? x : { ...x, position: x.position.map((v) => v + 0.004 * random.normal()) as never },
    ),
  };
  const [c2, c3, c4, c5, c6, c7] = ids(s, 'C2', 'C3', 'C4', 'C5', 'C6', 'C7') as [
    string,
    string,
    string,
    string,
    string,
    string,
  ];
  const ring = ids(s, 'C3', 'C4', 'C5', 'C6', 'C7', 'C8');
  const all: Restraint[] = [
    { id: 'd', kind: 'distance', pairs: [[c2, c3]], target: 1.48, su: 0.02 },
    { id: 'a', kind: 'distance 1,3', pairs: [[c3, c5]], target: 2.38, su: 0.04 },
    {
      id: 'e',
      kind: 'equal distance',
      pairs: [
        [c3, c4],
        [c4, c5],
        [c5, c6],
      ],
      su: 0.01,
    },
    { id: 'k', kind: 'keep apart', pairs: [[c2, c6]], target: 4.8, su: 0.05 },
    { id: 'v', kind: 'chiral volume', sites: ids(s, 'C2', 'C1', 'O1', 'C3') as never, target: 2.4, su: 0.1 },
    { id: 'g', kind: 'same geometry', first: [c3, c4, c5], second: [c7, c6, c5], su: 0.02 },
    { id: 'r', kind: 'rigid bond', sites: [c3, c4, c5], su: 0.005 },
    { id: 'R', kind: 'enhanced rigid bond', sites: [c3, c4, c5], su: 0.004 },
    { id: 's', kind: 'similar displacement', sites: [c3, c4], su: 0.02 },
    { id: 'i', kind: 'near isotropic', sites: [c4], su: 0.05 },
    { id: 'o', kind: 'occupancy', sites: [c4], target: 0.9, su: 0.02 },
    { id: 'u', kind: 'displacement', sites: [c5], target: 0.03, su: 0.01 },
  ];
  const numeric = (row: { evaluate(p: Float64Array): { value: number } }, p: Float64Array, index: number): number => {
    const h = 1e-6 * Math.max(0.1, Math.abs(p[index]!));
    const at = (f: number): number => {
      const q = p.slice();
      q[index]! += f * h;
      return row.evaluate(q).value;
    };
    return (8 * (at(1) - at(-1)) - (at(2) - at(-2))) / (12 * h);
  };

  it.each(all)('$kind has derivatives that agree with finite differences', (restraint) => {
    const rows = modelRestraints(withControls(s, { restraints: [restraint] }));
    const p = physicalValues(s, 1, 0);
    expect(rows.length).toBeGreaterThan(0);
    for (const row of rows) {
      const { gradient } = row.evaluate(p);
      const total = new Map<number, number>();
      for (const [i, d] of gradient) total.set(i, (total.get(i) ?? 0) + d);
      const scale = Math.max(1e-3, ...[...total.values()].map(Math.abs));
      for (const [i, d] of total)
        expect(Math.abs(numeric(row, p, i) - d) / scale, `${row.text} by ${i}`).toBeLessThan(1e-6);
      // What the gradient leaves out must not matter.
      for (let i = 0; i < p.length; i += 7)
        if (!total.has(i)) expect(Math.abs(numeric(row, p, i))).toBeLessThan(1e-7 * scale);
    }
  });

  it('planarity has derivatives right to first order in the deviations', () => {
    const flat = { ...truth, sites: truth.sites };
    const rows = modelRestraints(
      withControls(flat, { restraints: [{ id: 'p', kind: 'planar', sites: ring, su: 0.02 }] }),
    );
    const p = physicalValues(flat, 1, 0);
    for (const row of rows) {
      const { gradient, value } = row.evaluate(p);
      expect(Math.abs(value)).toBeLessThan(0.05);
      const scale = Math.max(...gradient.map(([, d]) => Math.abs(d)));
      for (const [i, d] of gradient) expect(Math.abs(numeric(row, p, i) - d) / scale).toBeLessThan(0.05);
    }
  });

  it('pulls a model to its targets and says where it stands', async () => {
    const target = 1.6;
    const held = withControls(heavyOnly, {
      restraints: [
        { id: 'd', kind: 'distance', pairs: [[ids(truth, 'C2')[0]!, ids(truth, 'C3')[0]!]], target, su: 0.0005 },
      ],
    });
    const r = await refineStructure(
      experiment(held, perfect(truth, 0.9), crystal.wavelength, { weights: { a: 0.1, b: 0 } }),
      { cycles: 12, optimizeWeights: false },
      quietContext(),
    );
    const standing = restraintStandings(r.structure, physicalValues(r.structure, 1, 0))[0]!;
    expect(standing.worst.value).toBeGreaterThan(1.57);
    expect(standing.worst.misfit).toBeCloseTo((standing.worst.value - target) / 0.0005, 6);
    expect(r.readings.restraints).toBe(1);
    const off = {
      ...held,
      controls: { ...held.controls!, restraints: held.controls!.restraints.map((x) => ({ ...x, off: true })) },
    };
    expect(modelRestraints(off)).toHaveLength(0);
    expect(modelRestraints(off, true)).toHaveLength(1);
  });
});

describe('constraints', () => {
  it('share, tie, fix and move as groups, with derivatives that agree with finite differences', async () => {
    const [c3, c4, c5, c6, c7, c8] = ids(truth, 'C3', 'C4', 'C5', 'C6', 'C7', 'C8') as [
      string,
      string,
      string,
      string,
      string,
      string,
    ];
    const split: Structure = {
      ...heavyOnly,
      sites: [
        ...heavyOnly.sites.map((x) =>
          x.label === 'Cl1' ? { ...x, occupancy: 0.6, disorder: { assembly: 'A', group: '1' } } : x,
        ),
        {
          ...heavyOnly.sites.find((x) => x.label === 'Cl1')!,
          id: 'second',
          label: 'Cl1B',
          occupancy: 0.4,
          position: heavyOnly.sites.find((x) => x.label === 'Cl1')!.position.map((v) => v + 0.03) as never,
          disorder: { assembly: 'A', group: '2' },
        },
      ],
    };
    const s = obeyControls(
      withControls(split, {
        occupancies: [{ id: 't', kind: 'assembly', assembly: 'A', groups: ['1', '2'] }],
        constraints: [
          { id: 'u', kind: 'shared displacement', sites: [ids(truth, 'Cl1')[0]!, 'second'] },
          { id: 'r', kind: 'rigid group', sites: [c3, c4, c5, c6, c7, c8] },
          { id: 'f', kind: 'fixed', sites: ids(truth, 'O1'), what: ['position'] },
        ],
      }),
    );
    const data = perfect(truth, 1.05);
    const problem = new SingleCrystalProblem(
      experiment(s, data, crystal.wavelength, {
        weights: { a: 0.05, b: 0 },
        extinction: 0.02,
        treatment: { extinction: true },
      }),
      { cycles: 1, optimizeWeights: false },
    );
    await checkDerivatives(problem, 2);
    const r = await refineStructure(
      experiment(s, data, crystal.wavelength, { weights: { a: 0.1, b: 0 } }),
      { cycles: 6, optimizeWeights: false },
      quietContext(),
    );
    const by = (label: string) => r.structure.sites.find((x) => x.label === label)!;
    expect(by('Cl1').occupancy + by('Cl1B').occupancy).toBeCloseTo(1, 9);
    expect(by('Cl1').displacement.u).toEqual(by('Cl1B').displacement.u);
    expect(by('O1').position).toEqual(truth.sites.find((x) => x.label === 'O1')!.position);
    const m = orthogonalization(truth.cell);
    const shape = (x: Structure): number[] =>
      [c3, c4, c5, c6].flatMap((a) =>
        [c5, c7, c8].map((b) =>
          Math.hypot(
            ...subtract(
              apply3(m, x.sites.find((y) => y.id === a)!.position),
              apply3(m, x.sites.find((y) => y.id === b)!.position),
            ),
          ),
        ),
      );
    shape(r.structure).forEach((d, i) => expect(d).toBeCloseTo(shape(s)[i]!, 9));
    // Scale, one occupancy, ten tensors, free positions of two Cl, C1 and C2, and six numbers of the rigid ring.
    expect(r.readings.parameters).toBe(1 + 1 + 10 * 6 + 4 * 3 + 6);
  });

  it('hydrogens ride in shape, turn about their bond, and take their U from the parent', async () => {
    const data = perfect(truth, 0.85);
    const { map } = await residual(heavyOnly, data);
    const placed = placeHydrogens(heavyOnly, planHydrogens({ structure: heavyOnly, map, expected: 9 }).rows);
    expect(placed.sites.filter((x) => x.element === 'H')).toHaveLength(9);
    const problem = new SingleCrystalProblem(
      experiment(placed, data, crystal.wavelength, { weights: { a: 0.05, b: 0 } }),
      { cycles: 1, optimizeWeights: false },
    );
    await checkDerivatives(problem, 3);
    const r = await refineStructure(
      experiment(placed, data, crystal.wavelength, { weights: { a: 0.05, b: 0 } }),
      { cycles: 20, optimizeWeights: false },
      quietContext(),
    );
    const m = orthogonalization(truth.cell);
    const at = (id: string): Vec3 => apply3(m, r.structure.sites.find((x) => x.id === id)!.position);
    for (const g of r.structure.controls!.hydrogens) {
      for (const h of g.hydrogens) {
        expect(Math.hypot(...subtract(at(h), at(g.parent)))).toBeCloseTo(g.length, 6);
        const u = r.structure.sites.find((x) => x.id === h)!.displacement.u as number;
        expect(u).toBeCloseTo(
          g.uFactor * equivalentU(truth.cell, r.structure.sites.find((x) => x.id === g.parent)!.displacement),
          6,
        );
      }
      if (g.shape === 'aromatic') {
        const near = bonds(r.structure)
          .filter((b) => r.structure.sites[b.from]!.id === g.parent && r.structure.sites[b.to]!.element !== 'H')
          .map((b) => normalize(subtract(apply3(m, b.position), at(g.parent))));
        const h = normalize(subtract(at(g.hydrogens[0]!), at(g.parent)));
        expect(dot(h, near[0]!)).toBeCloseTo(dot(h, near[1]!), 6);
      }
    }
    // Every hydrogen ends near a true one.
    const placedH = r.structure.sites.filter((x) => x.element === 'H').map((x) => apply3(m, x.position));
    for (const t of truth.sites.filter((x) => x.element === 'H'))
      expect(Math.min(...placedH.map((p) => Math.hypot(...subtract(p, apply3(m, t.position)))))).toBeLessThan(0.12);
    expect(r.readings.r1).toBeLessThan(0.02);
  });

  it('counts what site symmetry, ties and twins leave free', () => {
    const map = compileConstraints(
      withControls(heavyOnly, {
        constraints: [{ id: 'p', kind: 'fixed', sites: [heavyOnly.sites[0]!.id], what: ['position', 'displacement'] }],
      }),
      { extinction: false, twins: 1 },
    );
    expect(map.independent).toBe(1 + 9 * (heavyOnly.sites.length - 1) + 1);
    expect(map.physical).toBe(twinOffset(heavyOnly.sites.length) + 1);
    const none = siteOffset(0);
    for (let k = 0; k < 10; k++) expect(map.start[none + k + 1]! - map.start[none + k]!).toBe(0);
    expect(OCCUPANCY).toBe(3);
    expect(DISPLACEMENT).toBe(4);
  });
});

async function residual(s: Structure, data: MergedReflections) {
  const { modelMap } = await import('../maps/residual.ts');
  return { map: modelMap('difference', s, data, evaluateStructure(experiment(s, data, crystal.wavelength)).data) };
}

describe('twins and limits', () => {
  it('refine a twin fraction back to the truth', async () => {
    const twinned = testCrystal('CC(=O)Nc1ccccc1', 'P 41', 3, { dMin: 0.9, repeats: 1, systematic: 0 });
    const law: Mat3 = [0, 1, 0, 1, 0, 0, 0, 0, -1];
    const c = calculatedIntensities(twinned.structure, 0.95, twinned.wavelength);
    const at = new Map(Array.from(c.h, (h, i) => [`${h} ${c.k[i]} ${c.l[i]}`, c.f2[i]!]));
    const intensity = Float64Array.from(
      c.f2,
      (f, i) => 0.7 * f + 0.3 * (at.get(twinIndices(law, c.h[i]!, c.k[i]!, c.l[i]!)!.join(' ')) ?? f),
    );
    const mean = intensity.reduce((p, q) => p + q, 0) / c.count;
    const data = mergeForGroup(
      {
        count: c.count,
        h: c.h,
        k: c.k,
        l: c.l,
        intensity,
        sigma: intensity.map((x) => 0.01 * x + 0.002 * mean),
        merged: false,
      },
      twinned.structure.cell,
      twinned.structure.spaceGroup,
    ).reflections;
    const r = await refineStructure(
      experiment(twinned.structure, data, twinned.wavelength, {
        weights: { a: 0, b: 0 },
        treatment: { twins: [{ law, fraction: 0.1, name: 'test' }] },
      }),
      { cycles: 10, optimizeWeights: false },
      quietContext(),
    );
    expect(r.readings.twins![0]!.fraction).toBeCloseTo(0.3, 3);
    expect(r.readings.twins![0]!.su).toBeLessThan(0.01);
    expect(r.readings.r1).toBeLessThan(0.001);
  });

  it('take overlaps from a list instead of a law', async () => {
    const s = truth,
      c = calculatedIntensities(s, 1.05, crystal.wavelength);
    const at = new Map(Array.from(c.h, (h, i) => [`${h} ${c.k[i]} ${c.l[i]}`, c.f2[i]!]));
    // Only reflections with even l overlap, with the ones of −h and −l: a list no whole law could say.
    const rows = Array.from(c.h, (h, i) => [h, c.k[i]!, c.l[i]!]).filter(
      ([h, k, l]) => l! % 2 === 0 && h !== 0 && at.has(`${-h!} ${k} ${l}`),
    );
    const { parseOverlapList } = await import('../formats/overlap-list.ts');
    const overlaps = parseOverlapList(
      `# h k l of both\n${rows.map(([h, k, l]) => `${h} ${k} ${l}  ${-h!} ${k} ${l}`).join('\n')}\n`,
    );
    const listed = new Set(rows.map((r) => r.join(' ')));
    const intensity = Float64Array.from(c.f2, (f, i) => {
      const key = `${c.h[i]} ${c.k[i]} ${c.l[i]}`;
      return 0.75 * f + (listed.has(key) ? 0.25 * at.get(`${-c.h[i]!} ${c.k[i]} ${c.l[i]}`)! : 0);
    });
    const mean = intensity.reduce((p, q) => p + q, 0) / c.count;
    const data = mergeForGroup(
      {
        count: c.count,
        h: c.h,
        k: c.k,
        l: c.l,
        intensity,
        sigma: intensity.map((x) => 0.01 * x + 0.002 * mean),
        merged: false,
      },
      s.cell,
      s.spaceGroup,
    ).reflections;
    const r = await refineStructure(
      experiment(s, data, crystal.wavelength, {
        weights: { a: 0, b: 0 },
        treatment: { twins: [{ law: [1, 0, 0, 0, 1, 0, 0, 0, 1], overlaps, fraction: 0.1, name: 'listed' }] },
      }),
      { cycles: 10, optimizeWeights: false },
      quietContext(),
    );
    expect(r.readings.twins![0]!.fraction).toBeCloseTo(0.25, 3);
    expect(r.readings.r1).toBeLessThan(0.002);
    expect(() => parseOverlapList('1 2 3 4 5 6\n1 2 three 4 5 6')).toThrow(/six whole numbers/);
    expect(() => parseOverlapList('# nothing')).toThrow(/empty/);
  });

  it('leave out what a treatment says and nothing else', () => {
    const data = perfect(truth, 1.1);
    const some = { h: data.h[10]!, k: data.k[10]!, l: data.l[10]!, reason: 'beam stop' };
    const t = treatedReflections(data, truth.cell, { excluded: [some], dMin: 1.3 });
    expect(t.reflections.count).toBe(t.kept.length);
    expect(t.kept.length).toBeLessThan(data.count);
    expect(t.kept).not.toContain(10);
    expect(treatedReflections(data, truth.cell, {}).reflections).toBe(data);
    expect(twinIndices([1, 0, 0, 0, 1, 0, 0.5, 0, 1], 1, 0, 0)).toBeUndefined();
  });

  it('obeys shared numbers from the start', () => {
    const tied = obeyControls(
      withControls(heavyOnly, { occupancies: [{ id: newId(), kind: 'shared', sites: ids(truth, 'C1', 'O1') }] }),
    );
    expect(tied.sites.find((x) => x.label === 'C1')!.occupancy).toBe(
      tied.sites.find((x) => x.label === 'O1')!.occupancy,
    );
  });
});
