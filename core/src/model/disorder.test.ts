import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { NO_CONTROLS } from '../crystal/controls.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { recognise } from '../formats/recognise.ts';
import { bonds } from '../geometry/bonds.ts';
import { add, apply3, inverse3, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { structureCif } from '../publish/structure-cif.ts';
import { openQuestions } from '../settle/questions.ts';
import { ghosts, missingAtoms } from '../settle/first-model.ts';
import type { Stage } from '../settle/stage.ts';
import { addPlace, assemblies, holdDisorder, nextAssembly, removeGroup, setGroup, tiesFromGroups } from './disorder.ts';
import { placeHydrogens } from './place-hydrogens.ts';
import { planHydrogens } from './hydrogen-plan.ts';
import { farSide, fragmentOf, turnableBonds, twist } from './second-place.ts';

const truth = testCrystal('CC(C)c1ccc(Cl)cc1', 'P 1 21/c 1', 9).structure;
const heavy: Structure = { ...truth, sites: truth.sites.filter((x) => x.element !== 'H') };
const m = orthogonalization(truth.cell),
  inverse = inverse3(m);
const at = (label: string, s = heavy): number => s.sites.findIndex((x) => x.label === label);
const cart = (s: Structure, i: number): Vec3 => apply3(m, s.sites[i]!.position);
const shifted = (sites: readonly number[], d: Vec3): Vec3[] =>
  sites.map((i) => apply3(inverse, add(cart(heavy, i), d)));

describe('a second place', () => {
  const chosen = [at('C1'), at('C3')];
  const model = addPlace(heavy, { sites: chosen, positions: shifted(chosen, [0.3, 0.9, 0.2]), occupancy: 0.25 });

  it('stands behind the first, labelled after it, and leaves the rest alone', () => {
    const labels = model.sites.map((x) => x.label);
    expect(labels).toEqual(expect.arrayContaining(['C1', 'C3', 'C1B', 'C3B']));
    expect(labels.indexOf('C1B')).toBe(labels.indexOf('C3') + 1);
    for (const x of heavy.sites) if (!['C1', 'C3'].includes(x.label)) expect(model.sites).toContain(x);
    expect(model.sites.find((x) => x.label === 'C1')).toMatchObject({
      occupancy: 0.75,
      disorder: { assembly: 'A', group: '1' },
    });
    expect(model.sites.find((x) => x.label === 'C1B')).toMatchObject({
      occupancy: 0.25,
      disorder: { assembly: 'A', group: '2' },
      displacement: { kind: 'iso' },
    });
  });

  it('keeps both places at the same bonds to what holds them, through one restraint', () => {
    const same = model.controls!.restraints.find((r) => r.kind === 'same geometry')!;
    const holder = heavy.sites[at('C2')]!.id;
    if (same.kind !== 'same geometry') throw new Error('unreachable');
    expect(same.first).toContain(holder);
    expect(same.second[same.first.indexOf(holder)]).toBe(holder);
    expect(same.first).toHaveLength(same.second.length);
  });

  it('shares one displacement where the places nearly coincide', () => {
    const close = addPlace(heavy, { sites: chosen, positions: shifted(chosen, [0.2, 0.1, 0.1]), occupancy: 0.5 });
    expect(close.controls!.constraints.filter((c) => c.kind === 'shared displacement')).toHaveLength(2);
    expect(model.controls!.constraints).toEqual([]);
  });

  it('takes hydrogens along, in groups of their own', () => {
    const placed = placeHydrogens(heavy, planHydrogens({ structure: heavy }).rows);
    const fragment = fragmentOf(placed, [at('C1', placed), at('C3', placed)]);
    expect(fragment.sites).toHaveLength(8);
    const two = addPlace(placed, {
      sites: fragment.sites,
      positions: fragment.sites.map((i) => apply3(inverse, add(cart(placed, i), [0.4, 0.8, 0]))),
      occupancy: 0.3,
    });
    const copies = two.sites.filter((x) => x.disorder?.group === '2');
    expect(copies.filter((x) => x.element === 'H')).toHaveLength(6);
    const groups = two.controls!.hydrogens.filter((g) => copies.some((x) => x.id === g.parent));
    expect(groups).toHaveLength(2);
    for (const g of groups) expect(g.hydrogens.every((h) => copies.some((x) => x.id === h))).toBe(true);
    const back = removeGroup(two, 'A', '2');
    expect(back.sites.map((x) => x.label)).toEqual(placed.sites.map((x) => x.label));
  });

  it('comes back from a CIF of any origin as tied groups, held by restraints', () => {
    const { controls: _c, ...bare } = model;
    const read = recognise(
      structureCif({ name: 'two', structure: bare, experiment: { kept: {} }, date: '2026-11-23' }),
      'two.cif',
    )[0]!.structure!;
    expect(read.controls).toBeUndefined();
    expect(assemblies(read).map((a) => a.groups.map((g) => [g.group, g.occupancy]))).toEqual([
      [
        ['1', 0.75],
        ['2', 0.25],
      ],
    ]);
    const ties = tiesFromGroups(read);
    expect(ties).toMatchObject([{ kind: 'assembly', assembly: 'A', groups: ['1', '2'] }]);
    const held = holdDisorder({ ...read, controls: { ...NO_CONTROLS, occupancies: ties } });
    expect(held.controls!.restraints.map((r) => r.kind)).toEqual([
      'enhanced rigid bond',
      'similar displacement',
      'similar displacement',
    ]);
    // Held once is held: nothing is added on top.
    expect(holdDisorder(held).controls!.restraints).toHaveLength(3);
    expect(holdDisorder(heavy)).toBe(heavy);
    expect(
      tiesFromGroups({
        ...read,
        sites: read.sites.map((x) => (x.disorder?.group === '2' ? { ...x, occupancy: 0.6 } : x)),
      }),
    ).toEqual([]);
  });

  it('gives each assembly its letter, and groups can be changed by hand', () => {
    expect(nextAssembly(heavy)).toBe('A');
    expect(nextAssembly(model)).toBe('B');
    const moved = setGroup(model, [at('Cl1', model)], 'A', '2');
    expect(moved.sites[at('Cl1', moved)]).toMatchObject({ occupancy: 0.25, disorder: { assembly: 'A', group: '2' } });
    const out = setGroup(moved, [at('Cl1', moved)], '', '');
    expect(out.sites[at('Cl1', out)]!.disorder).toBeUndefined();
  });
});

describe('bonds that turn', () => {
  it('split a fragment into a far side that moves and a near side that stays', () => {
    const all = heavy.sites.map((_, i) => i),
      fragment = fragmentOf(heavy, all);
    const far = farSide(heavy, fragment, at('C4'), at('C2'))!;
    expect(far.map((i) => heavy.sites[i]!.label).sort()).toEqual(['C1', 'C2', 'C3']);
    expect(farSide(heavy, fragment, at('C4'), at('C5'))).toBeUndefined();
    expect(
      turnableBonds(heavy, all).map((b) =>
        b
          .map((i) => heavy.sites[i]!.label)
          .sort()
          .join(),
      ),
    ).toEqual(['C2,C4']);
    const x = fragment.positions;
    const turned = twist(x, { axis: [at('C4'), at('C2')], moving: far }, 0.8);
    for (const i of all)
      for (const j of all) {
        const sameSide = far.includes(i) === far.includes(j);
        if (sameSide) expect(norm(subtract(turned[i]!, turned[j]!))).toBeCloseTo(norm(subtract(x[i]!, x[j]!)), 9);
      }
    expect(norm(subtract(turned[at('C1')]!, x[at('C1')]!))).toBeGreaterThan(0.5);
    expect(norm(subtract(turned[at('C2')]!, x[at('C2')]!))).toBeLessThan(1e-9);
    expect(fragmentOf(heavy, [at('Cl1')]).anchors.map((a) => heavy.sites[a.site]!.label)).toHaveLength(1);
  });
});

describe('what a run notices', () => {
  const stage = (s: Structure, peaks: Stage['map']['peaks'] = [], sigma = 0.05): Stage => ({
    title: '',
    cycles: 1,
    structure: s,
    readings: {} as never,
    map: { grid: { nx: 1, ny: 1, nz: 1 }, values: new Float32Array(1), sigma, peaks, holes: [] },
    treatment: {},
    state: 'settled',
    message: '',
  });
  const peak = (height: number, site: number, distance: number, position: Vec3 = [0.4, 0.4, 0.4]) => ({
    name: 'ρ1',
    height,
    position: position as [number, number, number],
    near: [{ site, label: heavy.sites[site]!.label, distance }],
  });
  const u = (x: Site, value: number): Site => ({ ...x, displacement: { kind: 'iso', u: value } });

  it('atoms that fade, by their displacement against everybody’s', () => {
    const iso = { ...heavy, sites: heavy.sites.map((x, i) => u(x, i === 4 ? 0.5 : 0.04)) };
    expect(ghosts(iso)).toEqual([4]);
    expect(ghosts({ ...iso, sites: iso.sites.map((x) => u(x, 0.25)) })).toEqual([]);
  });

  it('atoms that are missing, where a maximum stands at a bond’s distance and the formula has room', () => {
    const contents = { C: 10, Cl: 1 };
    expect(missingAtoms(stage(heavy, [peak(4, 2, 1.5)]), contents)!.sites).toHaveLength(heavy.sites.length + 1);
    expect(missingAtoms(stage(heavy, [peak(4, 2, 0.6)]), contents)).toBeUndefined();
    expect(missingAtoms(stage(heavy, [peak(0.8, 2, 1.5)]), contents)).toBeUndefined();
    expect(missingAtoms(stage(heavy, [peak(4, 2, 1.5)]), { C: 9, Cl: 1 })).toBeUndefined();
    expect(missingAtoms(stage(heavy, [peak(4, 2, 1.5)]), undefined)).toBeUndefined();
  });

  it('says what is left for a person: maxima, ellipsoids, faint groups, strays; and nothing where nothing is', () => {
    const quiet = { ...heavy, sites: heavy.sites.map((x) => u(x, 0.04)) };
    expect(openQuestions(stage(quiet))).toEqual([]);
    expect(openQuestions(stage(quiet, [peak(1.4, 2, 1.3)])).join()).toMatch(/unexplained, ρ1 with 1.40/);
    expect(openQuestions(stage(quiet, [peak(0.5, 2, 1.3)]))).toEqual([]);
    const faint = {
      ...quiet,
      sites: quiet.sites.map((x, i) =>
        i < 2 ? { ...x, occupancy: 0.03, disorder: { assembly: 'A', group: '2' } } : x,
      ),
    };
    expect(openQuestions(stage(faint)).join()).toMatch(/Group 2 of assembly A is down to 3\.0 %/);
    const stray = {
      ...quiet,
      sites: [...quiet.sites, { ...quiet.sites[0]!, id: 'z', label: 'C99', position: [0.02, 0.02, 0.52] as const }],
    };
    const alone = !bonds(stray).some((b) => stray.sites[b.from]!.label === 'C99');
    expect(openQuestions(stage(stray)).some((q) => q.includes('bonded to nothing'))).toBe(alone);
    const bad = {
      ...quiet,
      sites: quiet.sites.map((x, i) =>
        i === 3 ? { ...x, displacement: { kind: 'aniso' as const, u: [0.03, -0.02, 0.03, 0, 0, 0] as const } } : x,
      ),
    };
    expect(openQuestions(stage(bad)).join()).toMatch(/cannot be/);
  });
});
