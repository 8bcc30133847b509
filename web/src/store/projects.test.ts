import 'fake-indexeddb/auto';
import { beforeEach, describe, expect, it } from 'vitest';
import { recognise, type Recognised } from '@nagare/core/formats/recognise';
import { newPatternModel, newPhase, type FitModel, type PhaseModel } from '@nagare/core/powder/model';
import { USUAL_INSTRUMENT } from '@nagare/core/crystal/pattern';
import { stubLocalStorage } from '../testing/surroundings.ts';
import { addMark } from './course.ts';
import { db } from './db.ts';
import { projectSchema } from './part-schemas.ts';
import { fitState, freshFit, takePowder, withoutPhase, withPhases } from './powder.ts';
import { createEmptyProject, createProject, deleteProject, updateProject } from './projects.ts';

beforeEach(async () => {
  stubLocalStorage();
  await Promise.all(db.tables.map((t) => t.clear()));
});

const CIF = `data_made
_chemical_name_common 'Made-up salt'
_cell_length_a 5.64
_cell_length_b 5.64
_cell_length_c 5.64
_cell_angle_alpha 90
_cell_angle_beta 90
_cell_angle_gamma 90
_space_group_name_H-M_alt 'F m -3 m'
loop_
_atom_site_label
_atom_site_type_symbol
_atom_site_fract_x
_atom_site_fract_y
_atom_site_fract_z
_atom_site_U_iso_or_equiv
Na1 Na 0 0 0 0.015
Cl1 Cl 0.5 0.5 0.5 0.014
`;
const structure = (): Recognised => recognise(CIF, 'salt.cif')[0]!;
const pattern = (name: string, lift = 0): Recognised => {
  const lines = Array.from({ length: 600 }, (_, i) => {
    const x = 10 + 0.1 * i;
    return `${x.toFixed(2)} ${(100 + lift + 900 * Math.exp(-(((x - 31.7) / 0.15) ** 2))).toFixed(0)}`;
  });
  return recognise(lines.join('\n'), `${name}.xy`)[0]!;
};
const dropped = (found: Recognised, fileName: string) => ({ fileName, found });

describe('what was not taken as it was written', () => {
  const odd = (): Recognised => recognise(CIF.replace('0.5 0.5 0.5 0.014', '0.5 0.5 0.5 abc'), 'odd.cif')[0]!;

  it('stays with the project, with its line', async () => {
    const id = await createProject(odd(), 'odd.cif');
    const { source } = (await db.projects.get(id))!;
    expect(source!.asides).toHaveLength(1);
    expect(source!.asides![0]!.line).toBe(CIF.split('\n').findIndex((l) => l.startsWith('Cl1')) + 1);
    expect(projectSchema.safeParse(await db.projects.get(id)).success).toBe(true);
    const clean = await createProject(structure(), 'salt.cif');
    expect((await db.projects.get(clean))!.source).not.toHaveProperty('asides');
  });
});

describe('taking in with a full storage', () => {
  it('says so, and leaves nothing of what was begun', async () => {
    const full = (): never => {
      throw new DOMException('no room', 'QuotaExceededError');
    };
    db.powder.hook('creating').subscribe(full);
    await expect(takePowder([dropped(pattern('p'), 'p.xy')])).rejects.toThrow(/storage is full/);
    db.powder.hook('creating').unsubscribe(full);
    for (const table of db.tables) expect([table.name, await table.count()]).toEqual([table.name, 0]);
    expect(await db.patterns.count()).toBe(0);
    const id = await takePowder([dropped(pattern('p'), 'p.xy')]);
    expect(await db.patterns.where('projectId').equals(id).count()).toBe(1);
  });
});

describe('a project of a crystal', () => {
  it('is named by its compound and begins with what the file held', async () => {
    const id = await createProject(structure(), 'salt.cif');
    const project = (await db.projects.get(id))!;
    expect(project).toMatchObject({ name: 'Made-up salt', source: { fileName: 'salt.cif' }, cell: { a: 5.64 } });
    const marks = await db.marks.where('projectId').equals(id).toArray();
    expect(marks.map((m) => [m.type, m.kind, m.title])).toEqual([['structure', 'import', 'Read from salt.cif']]);
    expect(project.head).toBe(marks[0]!.id);
    expect(await db.models.get(marks[0]!.model)).toMatchObject({ kind: 'structure', structure: { sites: [{}, {}] } });
  });

  it('changes in the fields named and in no others', async () => {
    const id = await createEmptyProject();
    const before = (await db.projects.get(id))!;
    await updateProject(id, { name: 'Frit again' });
    await updateProject(id, { experiment: { kept: {}, wavelength: 1.2 } });
    expect(await db.projects.get(id)).toMatchObject({ name: 'Frit again', experiment: { wavelength: 1.2 } });
    expect((await db.projects.get(id))!.created).toBe(before.created);
  });

  it('deleted leaves nothing behind, and nothing of another project goes with it', async () => {
    const gone = await createProject(structure(), 'salt.cif');
    await db.data.add({ projectId: gone, raw: { count: 0 } as never });
    await db.merges.add({ key: 'k', projectId: gone, merge: {} as never });
    await db.solves.add({ projectId: gone, candidates: [], nextSeed: 1 });
    const powder = await takePowder([dropped(pattern('frit'), 'frit.xy')]);
    const kept = await createProject(structure(), 'other.cif');
    await deleteProject(gone);
    await deleteProject(powder);
    const left = await Promise.all(
      db.tables
        .filter((t) => !['instruments', 'shelf'].includes(t.name))
        .map(async (t) => [
          t.name,
          (await t.toArray()).map((r: { projectId?: string; id: string }) => r.projectId ?? r.id),
        ]),
    );
    expect(left.filter(([, ids]) => ids!.length)).toEqual(
      expect.arrayContaining([
        ['projects', [kept]],
        ['marks', [kept]],
        ['models', [kept]],
      ]),
    );
    expect(left.flatMap(([, ids]) => ids).filter((id) => id === gone || id === powder)).toEqual([]);
  });
});

describe('a powder project', () => {
  it('holds the patterns in the order they were dropped, and an instrument', async () => {
    const id = await takePowder(['one', 'two', 'three'].map((n) => dropped(pattern(n), `${n}.xy`)));
    const patterns = await db.patterns.where('projectId').equals(id).sortBy('order');
    expect(patterns.map((p) => [p.order, p.fileName])).toEqual([
      [0, 'one.xy'],
      [1, 'two.xy'],
      [2, 'three.xy'],
    ]);
    expect((await db.projects.get(id))!.name).toMatch(/ and 2 more$/);
    expect(await db.powder.get(id)).toMatchObject({ projectId: id, instrument: { name: USUAL_INSTRUMENT.name } });
  });

  it('takes later patterns after the earlier ones and keeps its instrument', async () => {
    const id = await takePowder([dropped(pattern('one'), 'one.xy')]);
    await db.powder.update(id, { instrumentKnown: true });
    expect(await takePowder([dropped(pattern('late', 40), 'late.xy')], id)).toBe(id);
    const patterns = await db.patterns.where('projectId').equals(id).sortBy('order');
    expect(patterns.map((p) => p.fileName)).toEqual(['one.xy', 'late.xy']);
    expect(await db.powder.get(id)).toMatchObject({ instrumentKnown: true });
    expect(await db.projects.count()).toBe(1);
  });

  it('takes a structure dropped with the pattern as a phase of its first mark', async () => {
    const id = await takePowder([dropped(pattern('one'), 'one.xy'), dropped(structure(), 'salt.cif')]);
    const project = (await db.projects.get(id))!;
    const mark = (await db.marks.get(project.head!))!;
    expect(mark).toMatchObject({ type: 'fit', title: 'Made-up salt read from salt.cif', phases: ['Made-up salt'] });
    const again = await takePowder([dropped(structure(), 'more.cif')], id);
    const head = (await db.marks.get((await db.projects.get(again))!.head!))!;
    expect(head).toMatchObject({ parent: mark.id, phases: ['Made-up salt', 'Made-up salt'] });
  });

  it('has no fit without a pattern', async () => {
    const id = await createEmptyProject();
    expect(await fitState(id, undefined)).toBeUndefined();
  });

  it('begins its fit with the first pattern', async () => {
    const id = await takePowder(['one', 'two'].map((n) => dropped(pattern(n), `${n}.xy`)));
    const [first] = await db.patterns.where('projectId').equals(id).sortBy('order');
    expect(await fitState(id, undefined)).toEqual(freshFit(first!, (await db.powder.get(id))!));
  });
});

describe('phases of a fit', () => {
  const phase = (id: string, extraction?: 'Le Bail'): PhaseModel => ({
    ...newPhase(id, id, structure().structure!),
    ...(extraction ? { extraction } : {}),
  });
  const { powder } = pattern('one');
  const bare: FitModel = { phases: [], patterns: [newPatternModel(powder!.pattern, USUAL_INSTRUMENT, 0, 4)] };

  it('come with a scale in every pattern: nothing, or one where intensities are taken out', () => {
    const two = { ...bare, patterns: [bare.patterns[0]!, bare.patterns[0]!] };
    const made = withPhases(two, [phase('a'), phase('b', 'Le Bail')]);
    expect(made.patterns.map((p) => p.scales)).toEqual([
      [0, 1],
      [0, 1],
    ]);
  });

  it('go with their own scale', () => {
    const three = withPhases(bare, [phase('a'), phase('b'), phase('c')]);
    const scaled = { ...three, patterns: three.patterns.map((p) => ({ ...p, scales: [3, 5, 7] })) };
    const left = withoutPhase(scaled, 'b');
    expect(left.phases.map((p) => p.id)).toEqual(['a', 'c']);
    expect(left.patterns[0]!.scales).toEqual([3, 7]);
  });
});

describe('a mark put on the course', () => {
  it('comes after its parent even where the clock stood still, and keeps its axes', async () => {
    const id = await createProject(structure(), 'salt.cif');
    await db.data.add({ projectId: id, raw: { count: 0 } as never });
    const head = (await db.projects.get(id))!.head!;
    const content = { kind: 'structure' as const, structure: structure().structure! };
    const basis = [0, 1, 0, 0, 0, 1, 1, 0, 0] as const;
    await db.marks.update(head, { created: Date.now() + 1000 });
    const turned = await addMark(db, { projectId: id, parent: head, kind: 'edit', title: 'turned', basis, content });
    const next = await addMark(db, { projectId: id, parent: turned.mark.id, kind: 'edit', title: 'next', content });
    expect(turned.mark.created).toBeGreaterThan((await db.marks.get(head))!.created);
    expect(next.mark).toMatchObject({ type: 'crystal', basis, parent: turned.mark.id });
    expect((await db.projects.get(id))!.head).toBe(next.mark.id);
  });
});
