import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonds } from '@nagare/core/geometry/bonds';
import type { Remedy } from '@nagare/core/vet/check';
import { experimentOf } from '../../store/experiment.ts';
import { openState, type ProjectStore } from '../../store/project-state.ts';
import { selectedSites } from '../../store/selection.ts';
import { openCrystal } from '../../testing/crystal-project.ts';
import { until } from '../../testing/surroundings.ts';
import { carryOut } from './remedies.ts';

vi.mock('../../engine/engine.ts', () => import('../../testing/near-engine.ts'));

let store: ProjectStore;
const gone: string[] = [];
const navigate = ((to: string) => void gone.push(to)) as never;

beforeEach(() => {
  gone.length = 0;
  vi.stubGlobal('document', { querySelector: () => null });
});
afterEach(async () => {
  // A sheet is looked for a moment after the station was gone to.
  await new Promise((resolve) => setTimeout(resolve, 130));
  store.getState().dispose();
  vi.unstubAllGlobals();
});

async function open(model?: (truth: Structure) => Structure): Promise<Structure> {
  const wish = { line: 'CC(O)c1ccccc1Cl', group: 'P 1 21/c 1', seed: 14 };
  const made = await openCrystal({ ...wish, ...(model ? { model } : {}) });
  store = made.store;
  return made.truth;
}

type Unworded<T> = T extends unknown ? Omit<T, 'words'> : never;

const carry = (remedy: Unworded<Remedy>, withData = false): Promise<void> => {
  const { head, merged, project } = openState(store);
  const data = withData ? experimentOf(head!, merged!, project.experiment.wavelength!) : undefined;
  return carryOut({ words: 'do it', ...remedy } as Remedy, store, data, navigate);
};
const now = (): Structure => store.getState().head!.structure!;
const at = (s: Structure, label: string): number => s.sites.findIndex((x) => x.label === label);
const of = (s: Structure, element: string): number[] => s.sites.flatMap((x, i) => (x.element === element ? [i] : []));

describe('a way out of a finding', () => {
  it('changes an element, as one mark that can be undone', async () => {
    const before = await open();
    const [chlorine] = of(before, 'Cl');
    await carry({ act: 'element', site: chlorine!, element: 'S' });
    expect(now().sites[chlorine!]!.element).toBe('S');
    expect(store.getState().marks).toHaveLength(2);
    await store.getState().undo();
    expect(now().sites[chlorine!]!.element).toBe('Cl');
  });

  it('deletes sites, and rides no hydrogen on what is gone', async () => {
    const before = await open();
    const [chlorine] = of(before, 'Cl');
    await carry({ act: 'delete', sites: [chlorine!] });
    expect(now().sites).toHaveLength(before.sites.length - 1);
    expect(of(now(), 'Cl')).toEqual([]);
  });

  it('makes displacements anisotropic, and impossible ones sensible', async () => {
    const before = await open((truth) => ({
      ...truth,
      sites: truth.sites.map((x, i) =>
        i === at(truth, 'C1')
          ? { ...x, displacement: { kind: 'aniso' as const, u: [0.03, -0.02, 0.04, 0, 0, 0] as const } }
          : x,
      ),
    }));
    const carbon = at(before, 'C1');
    await carry({ act: 'sensible displacement', sites: [carbon] });
    const { displacement } = now().sites[carbon]!;
    expect(displacement.kind === 'aniso' ? Math.min(...displacement.u.slice(0, 3)) : displacement.u).toBeGreaterThan(0);
    expect(store.getState().head!.title).toBe('sensible displacement for C1');
  });

  it('makes displacements anisotropic', async () => {
    const before = await open((truth) => ({
      ...truth,
      sites: truth.sites.map((x) => ({ ...x, displacement: { kind: 'iso' as const, u: 0.05 } })),
    }));
    const carbons = of(before, 'C');
    await carry({ act: 'anisotropic', sites: carbons });
    const kinds = now().sites.map((x) => x.displacement.kind);
    expect(kinds).toEqual(before.sites.map((_, i) => (carbons.includes(i) ? 'aniso' : 'iso')));
  });

  it('restrains a site with its neighbours, never a site alone', async () => {
    const before = await open();
    await carry({ act: 'rigid bonds', sites: [at(before, 'C1')] });
    const [restraint] = now().controls!.restraints;
    if (restraint?.kind !== 'enhanced rigid bond') throw new Error('No rigid bond was restrained.');
    const carbon = before.sites[at(before, 'C1')]!.id;
    expect(restraint.why).toBe('rigid-bond test');
    expect(restraint.sites[0]).toBe(carbon);
    expect(restraint.sites.length).toBeGreaterThan(1);
  });

  it('leaves reflections out with the reason, keeping those left out before', async () => {
    await open();
    await carry({ act: 'exclude', reflections: [[1, 0, 0]], reason: 'behind the beam stop' });
    await carry({ act: 'exclude', reflections: [[0, 1, 1]], reason: 'under ice' });
    expect(store.getState().head!.treatment.excluded).toEqual([
      { h: 1, k: 0, l: 0, reason: 'behind the beam stop' },
      { h: 0, k: 1, l: 1, reason: 'under ice' },
    ]);
  });

  it('inverts every site through the origin', async () => {
    const before = await open();
    await carry({ act: 'invert' });
    const sum = now().sites.map((x, i) => x.position.map((v, k) => v + before.sites[i]!.position[k]!));
    for (const v of sum.flat()) expect(Math.abs(v - Math.round(v))).toBeLessThan(1e-9);
  });

  it('takes the cell that the group asks for', async () => {
    await open((t) => ({ ...t, cell: { ...t.cell, alpha: 90.1, gamma: 89.95 } }));
    await carry({ act: 'cell' });
    expect([now().cell.alpha, now().cell.gamma]).toEqual([90, 90]);
  });

  it('writes formula and Z into the record of the sample, rounded', async () => {
    await open();
    await carry({ act: 'formula', formula: { C: 8.00004, H: 9, O: 1, Cl: 1 }, z: 4 });
    const { project } = await until(store, (s) => s.project?.experiment.z === 4);
    expect(project!.experiment.formula).toEqual({ C: 8, H: 9, O: 1, Cl: 1 });
    expect(store.getState().marks).toHaveLength(1);
  });

  it('places hydrogens that are missing on the sites named', async () => {
    const truth = await open((t) => ({ ...t, sites: t.sites.filter((x) => x.element !== 'H') }));
    const oxygen = now().sites.findIndex((x) => x.element === 'O');
    await carry({ act: 'place hydrogens', sites: [oxygen] }, true);
    expect(of(now(), 'H')).toHaveLength(1);
    const [hydrogen] = of(now(), 'H');
    expect(
      bonds(now())
        .filter((b) => b.from === hydrogen)
        .map((b) => b.to),
    ).toEqual([oxygen]);
    expect(of(truth, 'H').length).toBeGreaterThan(1);
  });

  it('turns to the sheet in Refine where there are no data to plan with', async () => {
    await open();
    const [oxygen] = of(now(), 'O');
    await carry({ act: 'turn hydrogen', sites: [oxygen!] });
    expect(gone).toEqual([`/projects/${store.getState().project!.id}/refine`]);
    expect(selectedSites(now(), store.getState().selection)).toEqual([oxygen]);
    expect(store.getState().marks).toHaveLength(1);
  });

  it.each([
    ['settle', { act: 'settle' }, 'refine'],
    ['a second place', { act: 'second place', sites: [0] }, 'refine'],
    ['another station', { act: 'go', station: 'symmetry', sheet: 'Setting' }, 'symmetry'],
  ] as const)('goes to where %s is done', async (_, remedy, station) => {
    await open();
    await carry(remedy);
    expect(gone).toEqual([`/projects/${store.getState().project!.id}/${station}`]);
  });

  it('refines with extinction turned over', async () => {
    await open();
    await carry({ act: 'extinction' });
    expect(store.getState().head).toMatchObject({ kind: 'refine', treatment: { extinction: true } });
  });
});
