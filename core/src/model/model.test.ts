import { experiment } from '../crystal/experiment.ts';
import { originalRef, placementOf } from '../crystal/atom-ref.ts';
import { beforeAll, describe, expect, it } from 'vitest';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { NO_CONTROLS } from '../crystal/controls.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { parseXyz } from '../crystal/operator.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { isotropicTensor, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { hydrogenLength, idealHydrogens, reshapeHydrogens, type Surroundings } from '../geometry/hydrogens.ts';
import { modelMap } from '../maps/residual.ts';
import { add, apply3, dot, inverse3, norm, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { applySuperposition, eigenSymmetric, superpose } from '../math/superpose.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { compareModels } from './compare.ts';
import { growAll, growStep, moveFragment, uniquePart } from './complete.ts';
import { addPlace, assemblies, removeGroup, setGroup, tiesFromGroups } from './disorder.ts';
import { judgeEllipsoids, mendEllipsoids, splitAlong } from './ellipsoids.ts';
import { matchMolecule } from './expected.ts';
import { planHydrogens, planShape, type HydrogenPlan } from './hydrogen-plan.ts';
import { chainOrder, neighbourOrder, renameInOrder } from './naming.ts';
import { holdHydrogens, placeHydrogens, withSites } from './place-hydrogens.ts';
import { neededRestraints, offersFor } from './propose-restraints.ts';
import { fragmentOf, PlaceScorer, proposeSecondPlaces, turnableBonds } from './second-place.ts';
import { ringOf, selectByWords } from './selection.ts';

const angle = (p: Vec3, c: Vec3, q: Vec3): number =>
  (Math.acos(dot(normalize(subtract(p, c)), normalize(subtract(q, c)))) * 180) / Math.PI;

describe('hydrogen geometry', () => {
  const c: Vec3 = [0, 0, 0];
  const sp3: Surroundings = {
    parent: c,
    neighbours: [
      [1.5, 0, 0],
      [-0.5, 1.41, 0],
    ],
    beyond: [2, 1.4, 0.3],
  };
  it('puts a methylene across the plane of its neighbours', () => {
    const h = idealHydrogens('methylene', sp3, 0.99)!;
    expect(h).toHaveLength(2);
    h.forEach((x) => expect(norm(x)).toBeCloseTo(0.99, 9));
    expect(angle(h[0]!, c, h[1]!)).toBeGreaterThan(106);
    expect(angle(h[0]!, c, h[1]!)).toBeLessThan(110);
    expect(h[0]![2]).toBeCloseTo(-h[1]![2], 9);
  });
  it('puts an aromatic hydrogen on the bisector and a methine opposite its three neighbours', () => {
    const h = idealHydrogens(
      'aromatic',
      {
        parent: c,
        neighbours: [
          [1.2, 0.7, 0],
          [1.2, -0.7, 0],
        ],
      },
      0.95,
    )![0]!;
    expect(h[0]).toBeCloseTo(-0.95, 6);
    const m = idealHydrogens(
      'methine',
      {
        parent: c,
        neighbours: [
          [1.4, 0, 0.5],
          [-0.7, 1.2, 0.5],
          [-0.7, -1.2, 0.5],
        ],
      },
      1,
    )![0]!;
    expect(m[2]).toBeCloseTo(-1, 3);
  });
  it('gives a methyl tetrahedral angles at any torsion, and keeps the torsion when it reshapes', () => {
    const around: Surroundings = { parent: c, neighbours: [[1.5, 0, 0]], beyond: [2, 1.4, 0] };
    for (const torsion of [0.2, 1.1, 2.9]) {
      const h = idealHydrogens('methyl', around, 0.98, torsion)!;
      for (let i = 0; i < 3; i++) expect(angle(h[i]!, c, h[(i + 1) % 3]!)).toBeCloseTo(109.47, 1);
      const bent = h.map((x, i) => add(x, [0.03 * i, -0.02, 0.01]));
      const back = reshapeHydrogens('methyl', around, 0.98, bent);
      back.forEach((x, i) => {
        expect(norm(x)).toBeCloseTo(0.98, 9);
        expect(norm(subtract(x, h[i]!))).toBeLessThan(0.09);
      });
      reshapeHydrogens('methyl', around, 0.98, h).forEach((x, i) =>
        expect(norm(subtract(x, h[i]!))).toBeLessThan(1e-6),
      );
    }
  });
  it('says when the neighbours leave no place, and shortens bonds with temperature', () => {
    expect(idealHydrogens('methine', sp3, 1)).toBeUndefined();
    expect(hydrogenLength('methyl', 'C', 120)).toBeGreaterThan(hydrogenLength('methyl', 'C', 295));
    expect(
      reshapeHydrogens('water', { parent: c, neighbours: [] }, 0.84, [[0.5, 0.5, 0]])[0]!.map((x) => x.toFixed(3)),
    ).toEqual(['0.594', '0.594', '0.000']);
  });
});

const crystal = testCrystal('CC(N)C(=O)Nc1ccc(O)cc1', 'P 21 21 21', 4, { dMin: 0.82, systematic: 0.01 });
const truth = crystal.structure;
const heavy: Structure = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
const m = orthogonalization(truth.cell);
const at = (label: string, s = truth): number => s.sites.findIndex((x) => x.label === label);

describe('the hydrogen plan', () => {
  let plan: HydrogenPlan, blind: HydrogenPlan, data: MergedReflections;
  beforeAll(() => {
    data = mergeForGroup(crystal.raw, truth.cell, truth.spaceGroup).reflections;
    const e = evaluateStructure(experiment(heavy, data, crystal.wavelength));
    plan = planHydrogens({
      structure: heavy,
      map: modelMap('difference', heavy, data, e.data),
      expected: truth.sites.length - heavy.sites.length,
    });
    blind = planHydrogens({ structure: heavy });
  });
  it('finds every hydrogen of the truth, with density under each', () => {
    expect(plan.proposed).toBe(truth.sites.length - heavy.sites.length);
    const positions = plan.rows.flatMap((r) => r.positions).map((p) => apply3(m, p));
    const off = truth.sites
      .filter((x) => x.element === 'H')
      .map((h) => Math.min(...positions.map((p) => norm(subtract(p, apply3(m, h.position))))));
    // Before refinement: the hydroxyl still has to find its torsion.
    expect(Math.max(...off)).toBeLessThan(0.3);
    expect(off.filter((d) => d < 0.12).length / off.length).toBeGreaterThan(0.9);
    for (const r of plan.rows) r.density.forEach((rho) => expect(rho).toBeGreaterThan(0.1));
  });
  it('names the shapes a chemist would', () => {
    const shape = (label: string): string => plan.rows.find((r) => r.label === label)!.shape;
    expect(shape('C1')).toBe('methyl');
    expect(shape('C2')).toBe('methine');
    expect(plan.rows.filter((r) => r.shape === 'aromatic')).toHaveLength(4);
    expect(plan.rows.filter((r) => r.shape === 'hydroxyl')).toHaveLength(1);
    expect(plan.rows.find((r) => r.label === 'O1')?.count ?? 0).toBe(0);
    expect(plan.rows.every((r) => r.why.length > 3)).toBe(true);
  });
  it('says less without a map, and never places on a full atom', () => {
    expect(blind.typical).toBeUndefined();
    expect(blind.rows.some((r) => r.label === 'C3' && r.count > 0)).toBe(false);
    expect(
      planHydrogens({ structure: placeHydrogens(heavy, plan.rows) }).rows.filter((r) => r.shape !== 'none'),
    ).toHaveLength(0);
  });
  it('makes unusual shapes on request, with a warning of what they contradict', () => {
    const aromatic = plan.rows.find((r) => r.shape === 'aromatic')!;
    const three = planShape({ structure: heavy }, aromatic, 'chosen', { count: 3, along: [0, 0, 1] });
    expect(three.positions).toHaveLength(3);
    expect(three.warning).toMatch(/neighbours/);
    expect(() => planShape({ structure: heavy }, aromatic, 'methine')).toThrow(/no place for the shape/);
  });
  it('changes how they are held without moving them, and drops them with their parent', () => {
    const placed = placeHydrogens(heavy, plan.rows);
    const g = placed.controls!.hydrogens.find((x) => x.shape === 'methyl')!;
    const free = holdHydrogens(placed, [g.id], { hold: 'free', uFactor: 0 });
    expect(free.sites).toEqual(placed.sites);
    expect(free.controls!.hydrogens.find((x) => x.id === g.id)).toMatchObject({ hold: 'free', uFactor: 0 });
    const less = withSites(
      placed,
      placed.sites.filter((x) => x.id !== g.parent),
    );
    expect(less.sites).toHaveLength(placed.sites.length - 4);
    expect(less.controls!.hydrogens).toHaveLength(placed.controls!.hydrogens.length - 1);
  });
});

describe('a second place', () => {
  it('superposes point sets exactly and finds eigenvalues', () => {
    const random = seededRandom(8);
    const p = Array.from({ length: 5 }, (): Vec3 => [random.normal(), random.normal(), random.normal()]);
    const axis = normalize([1, 2, -0.5] as Vec3);
    const q = p.map((x) => add(turn(x, axis, 1.3), [1, -2, 0.5]));
    const fit = superpose(p, q);
    expect(fit.rms).toBeLessThan(1e-6);
    p.forEach((x, i) => expect(norm(subtract(applySuperposition(fit, x), q[i]!))).toBeLessThan(1e-6));
    expect(eigenSymmetric([2, 1, 1, 2], 2).values.map((x) => Number(x.toFixed(9)))).toEqual([1, 3]);
  });

  it('is found where the truth has it, and written as assembly, groups, ties and restraints', () => {
    // The amine end of the molecule lies two ways, turned about its bond.
    const pivot = at('C3', heavy),
      end = at('C2', heavy);
    const moving = [at('C1', heavy), at('N1', heavy)];
    const axis = normalize(subtract(apply3(m, heavy.sites[end]!.position), apply3(m, heavy.sites[pivot]!.position)));
    const o = apply3(m, heavy.sites[end]!.position);
    const turned = (i: number): Vec3 =>
      apply3(inverse3(m), add(o, turn(subtract(apply3(m, heavy.sites[i]!.position), o), axis, 1.15)));
    const both: Structure = {
      ...heavy,
      sites: [
        ...heavy.sites.map((x, i) => (moving.includes(i) ? { ...x, occupancy: 0.6 } : x)),
        ...moving.map((i) => ({
          ...heavy.sites[i]!,
          id: `b${i}`,
          label: `${heavy.sites[i]!.label}B`,
          position: turned(i),
          occupancy: 0.4,
        })),
      ],
    };
    const c = calculatedIntensities(both, 0.85, crystal.wavelength);
    const data = mergeForGroup(
      {
        count: c.count,
        h: c.h,
        k: c.k,
        l: c.l,
        intensity: Float64Array.from(c.f2),
        sigma: Float64Array.from(c.f2, (x) => 0.02 * x + 1),
        merged: false,
      },
      truth.cell,
      truth.spaceGroup,
    ).reflections;
    const one: Structure = {
      ...heavy,
      sites: heavy.sites.map((x, i) => (moving.includes(i) ? { ...x, occupancy: 0.6 } : x)),
    };
    const map = modelMap('difference', one, data, evaluateStructure(experiment(one, data, crystal.wavelength)).data);
    const proposals = proposeSecondPlaces({ structure: one, sites: moving, map, peaks: [] });
    const wanted = moving.map((i) => apply3(m, turned(i)));
    const reached = proposals
      .slice(0, 2)
      .map((p) => Math.max(...wanted.map((w) => Math.min(...p.positions.map((x) => norm(subtract(apply3(m, x), w)))))));
    expect(Math.min(...reached)).toBeLessThan(0.35);
    const scorer = new PlaceScorer(one, fragmentOf(one, moving), map);
    expect(scorer.score(wanted)).toBeGreaterThan(scorer.score(moving.map((i) => apply3(m, heavy.sites[i]!.position))));

    const model = addPlace(heavy, {
      sites: fragmentOf(heavy, moving).sites,
      positions: moving.map(turned),
      occupancy: 0.4,
    });
    const [a] = assemblies(model);
    expect(a!.groups.map((g) => [g.group, g.occupancy])).toEqual([
      ['1', 0.6],
      ['2', 0.4],
    ]);
    expect(model.controls!.occupancies).toMatchObject([{ kind: 'assembly', assembly: 'A', groups: ['1', '2'] }]);
    expect(model.controls!.restraints.map((r) => r.kind)).toEqual(
      expect.arrayContaining(['same geometry', 'enhanced rigid bond', 'similar displacement']),
    );
    const groups = new Map(model.sites.map((x, i) => [i, x.disorder?.group]));
    for (const b of bonds(model))
      if (groups.get(b.from) && groups.get(b.to)) expect(groups.get(b.from)).toBe(groups.get(b.to));
    const third = addPlace(model, {
      sites: model.sites.flatMap((x, i) => (x.disorder?.group === '1' ? [i] : [])),
      positions: moving.map(turned),
      occupancy: 0.1,
    });
    expect(assemblies(third)[0]!.groups.reduce((t, g) => t + g.occupancy, 0)).toBeCloseTo(1, 9);
    const back = removeGroup(model, 'A', '2');
    expect(back.sites).toHaveLength(heavy.sites.length);
    expect(back.sites.every((x) => x.occupancy === 1 && !x.disorder)).toBe(true);
    expect(tiesFromGroups({ ...model, controls: NO_CONTROLS })).toMatchObject([{ assembly: 'A', groups: ['1', '2'] }]);
  });

  it('knows which bonds can turn, and disorder about a symmetry element', () => {
    const turnable = turnableBonds(
      heavy,
      heavy.sites.map((_, i) => i),
    ).map((p) =>
      p
        .map((i) => heavy.sites[i]!.label)
        .sort()
        .join(),
    );
    expect(turnable).toContain(['C2', 'C3'].sort().join());
    expect(turnable.every((x) => x !== 'C5,C6')).toBe(true);
    const about = setGroup(heavy, [0, 1], 'B', '-1');
    expect(about.sites[0]).toMatchObject({ occupancy: 0.5, disorder: { assembly: 'B', group: '-1' } });
    expect(about.controls!.occupancies).toHaveLength(0);
  });
});

describe('ellipsoids', () => {
  it('that cannot be are found, explained and given a remedy; long ones can be split', () => {
    const bad: Structure = {
      ...heavy,
      sites: heavy.sites.map((x, i) =>
        i === 3
          ? { ...x, displacement: { kind: 'aniso', u: [0.03, -0.01, 0.03, 0, 0, 0] } }
          : i === 5
            ? { ...x, displacement: { kind: 'aniso', u: [0.3, 0.02, 0.02, 0, 0, 0] } }
            : x,
      ),
    };
    const found = judgeEllipsoids(bad);
    expect(found[0]).toMatchObject({ site: 3, kind: 'impossible' });
    expect(found.some((f) => f.site === 5 && (f.kind === 'long' || f.kind === 'large'))).toBe(true);
    const mended = mendEllipsoids(bad, [3]);
    expect(judgeEllipsoids(mended).some((f) => f.kind === 'impossible')).toBe(false);
    expect(mended.controls!.restraints.length).toBeGreaterThan(0);
    const [p, q] = splitAlong(bad, 5).map((x) => apply3(m, x)) as [Vec3, Vec3];
    expect(norm(subtract(p, q))).toBeGreaterThan(0.6);
    expect(norm(subtract(scale(add(p, q), 0.5), apply3(m, bad.sites[5]!.position)))).toBeLessThan(1e-6);
  });

  it('asks what is modelled in two places for no further one', () => {
    const drawn = (more: Partial<Structure['sites'][number]>): Structure => ({
      ...heavy,
      sites: heavy.sites.map((x, i) =>
        i === 5 ? { ...x, displacement: { kind: 'aniso', u: [0.3, 0.02, 0.02, 0, 0, 0] }, ...more } : x,
      ),
    });
    const found = (s: Structure) => judgeEllipsoids(s).filter((f) => f.site === 5);
    expect(found(drawn({}))).toHaveLength(1);
    expect(found(drawn({ disorder: { assembly: 'A', group: '1' } }))).toEqual([]);
  });
});

describe('words, names and pictures of a model', () => {
  it('selects by words', () => {
    const say = (text: string): string[] | undefined =>
      selectByWords(truth, text)?.sites.map((i) => truth.sites[i]!.label);
    expect(say('all nitrogen')).toEqual(['N1', 'N2']);
    expect(say('bonded to N2')).toHaveLength(3);
    expect(say('not hydrogen')).toHaveLength(heavy.sites.length);
    expect(say('ring of C4')).toHaveLength(6);
    expect(say('carbon and ring of C4')).toHaveLength(6);
    expect(say('O1, O2')).toEqual(['O1', 'O2']);
    expect(say('displacement above 5')).toEqual([]);
    expect(say('molecule of C1')).toHaveLength(truth.sites.length);
    expect(selectByWords(truth, 'purple')).toBeUndefined();
    expect(ringOf(truth, at('C1'))).toEqual([]);
  });

  it('names along chains, by neighbours and in the order walked, hydrogens following', () => {
    const named = renameInOrder(truth, chainOrder(truth), 1, true);
    expect(new Set(named.sites.map((x) => x.label)).size).toBe(truth.sites.length);
    expect(named.sites.filter((x) => x.element === 'C').map((x) => x.label)).toEqual(
      Array.from({ length: 9 }, (_, i) => `C${i + 1}`),
    );
    for (const b of bonds(named))
      if (named.sites[b.to]!.element === 'H' && named.sites[b.from]!.element === 'C')
        expect(named.sites[b.to]!.label).toMatch(new RegExp(`^H${named.sites[b.from]!.label.slice(1)}[A-C]?$`));
    const walked = renameInOrder(truth, [at('C5'), at('C2')], 1);
    expect(walked.sites[at('C5')]!.label).not.toBe('C5');
    expect(neighbourOrder(truth, [at('C4')]).length).toBe(heavy.sites.length);
  });

  it('compares two models', () => {
    const moved: Structure = {
      ...heavy,
      sites: heavy.sites
        .slice(1)
        .map((x, i) =>
          i === 0
            ? { ...x, position: [x.position[0] + 0.01, x.position[1], x.position[2]] as const }
            : x.label === 'C5'
              ? { ...x, element: 'N' }
              : x,
        ),
    };
    const c = compareModels(heavy, moved);
    expect(c.lost).toEqual([heavy.sites[0]!.label]);
    expect(c.moved[0]!.distance).toBeCloseTo(0.01 * truth.cell.a, 3);
    expect(c.retyped).toHaveLength(1);
    expect(compareModels(heavy, heavy)).toMatchObject({ added: [], lost: [], moved: [], rms: 0 });
  });

  it('grows along hydrogen bonds and moves fragments without changing distances', () => {
    const one = uniquePart(truth);
    expect(growStep(truth, one, 'bonds')).toHaveLength(one.length);
    const wider = growAll(truth, one, 'hydrogen bonds', 400);
    expect(wider.placed.length).toBeGreaterThan(one.length);
    const o = parseXyz('x+1/2,-y+1/2,-z');
    const moved = moveFragment(truth, { site: truth.sites[0]!.id, ...placementOf(truth.spaceGroup, o) });
    const d = (s: Structure, i: number, j: number): number =>
      norm(subtract(apply3(m, s.sites[i]!.position), apply3(m, s.sites[j]!.position)));
    expect(d(moved, 0, 5)).toBeCloseTo(d(truth, 0, 5), 9);
    expect(moveFragment(truth, originalRef(truth.sites[0]!.id)).sites).toEqual(truth.sites);
  });

  it('offers restraints for what is selected, and the ones that are needed', () => {
    const offers = offersFor(heavy, [at('C4', heavy), at('C5', heavy), at('C6', heavy), at('C7', heavy)]).map(
      (o) => o.name,
    );
    expect(offers).toEqual(
      expect.arrayContaining([
        'in one plane',
        'similar displacement',
        'rigid group',
        'chiral volume (first is the centre)',
      ]),
    );
    expect(offersFor(heavy, [at('C1', heavy), at('C2', heavy)]).map((o) => o.name)).toContain('distance at a target');
    expect(
      neededRestraints({
        ...heavy,
        sites: heavy.sites.map((x) => ({
          ...x,
          displacement: { kind: 'aniso', u: isotropicTensor(heavy.cell, 0.03) },
        })),
      }),
    ).toHaveLength(0);
  });
});

describe('the expected molecule', () => {
  const graph = (s: Structure) => {
    const order = s.sites.map((_, i) => i).reverse();
    const index = new Map(order.map((site, i) => [site, i]));
    return {
      atoms: order.map((i) => ({ element: s.sites[i]!.element })),
      bonds: bonds(s)
        .filter((b) => b.from < b.to)
        .map((b): [number, number] => [index.get(b.from)!, index.get(b.to)!]),
      order,
    };
  };
  it('matches the model atom by atom, tolerant of wrong elements, missing and extra atoms', () => {
    const g = graph(heavy);
    const [exact] = matchMolecule(heavy, [], g);
    expect(exact!.matched).toBe(heavy.sites.length);
    expect(exact!.retype).toEqual([]);
    const amine = at('N1', heavy),
      methyl = at('C1', heavy);
    const wrong: Structure = {
      ...heavy,
      sites: heavy.sites.map((x, i) =>
        i === amine ? { ...x, element: 'C' } : i === methyl ? { ...x, element: 'N' } : x,
      ),
    };
    const [swapped] = matchMolecule(wrong, [], g);
    expect(swapped!.matched).toBe(heavy.sites.length);
    const lacking: Structure = { ...heavy, sites: heavy.sites.filter((_, i) => i !== at('O2', heavy)) };
    const [short] = matchMolecule(
      lacking,
      [
        {
          name: 'ρ1',
          position: heavy.sites[at('O2', heavy)]!.position,
          height: 5,
          near: [{ site: 0, label: 'C', distance: 1.37 }],
        },
      ],
      g,
    );
    expect(short!.missing).toHaveLength(1);
    expect(short!.missing[0]).toMatchObject({ element: 'O', nearPeak: 'ρ1' });
    const extra: Structure = {
      ...heavy,
      sites: [
        ...heavy.sites,
        {
          ...heavy.sites[at('O2', heavy)]!,
          id: 'x',
          label: 'X1',
          element: 'C',
          position: apply3(
            inverse3(m),
            add(
              apply3(m, heavy.sites[at('O2', heavy)]!.position),
              scale(
                normalize(
                  subtract(
                    apply3(m, heavy.sites[at('O2', heavy)]!.position),
                    apply3(m, heavy.sites[at('C4', heavy)]!.position),
                  ),
                ),
                1.43,
              ),
            ),
          ),
        },
      ],
    };
    expect(matchMolecule(extra, [], g)[0]!.extra).toEqual([extra.sites.length - 1]);
  });
});
