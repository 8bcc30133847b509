import { experiment } from '../crystal/experiment.ts';
import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import {
  constraintWords,
  NO_CONTROLS,
  pruneControls,
  restraintSites,
  restraintWords,
  type Controls,
  type Restraint,
} from '../crystal/controls.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { recognise } from '../formats/recognise.ts';
import { refineStructure } from '../refine/single-crystal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { siteFlags } from './controls-cif.ts';
import { structureCif } from './structure-cif.ts';

const crystal = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 21, { dMin: 0.85 });
const label =
  (s: Structure) =>
  (id: string): string =>
    s.sites.find((x) => x.id === id)?.label ?? '?';
const id = (l: string): string => crystal.structure.sites.find((x) => x.label === l)!.id;
const restraints: Restraint[] = [
  {
    id: '1',
    kind: 'distance',
    pairs: [
      [id('C1'), id('C2')],
      [id('C2'), id('C3')],
    ],
    target: 1.51,
    su: 0.02,
  },
  { id: '2', kind: 'distance 1,3', pairs: [[id('C1'), id('C3')]], target: 2.5, su: 0.04, why: 'a test' },
  {
    id: '3',
    kind: 'equal distance',
    pairs: [
      [id('C3'), id('C4')],
      [id('C4'), id('C5')],
    ],
    su: 0.01,
    off: true,
  },
  { id: '4', kind: 'same geometry', first: [id('C3'), id('C4')], second: [id('C6'), id('C7')], su: 0.02 },
  { id: '5', kind: 'chiral volume', sites: [id('C2'), id('C1'), id('O1'), id('C3')], target: 2.4, su: 0.1 },
  { id: '6', kind: 'planar', sites: [id('C3'), id('C4'), id('C5'), id('C6')], su: 0.02 },
  { id: '7', kind: 'enhanced rigid bond', sites: [id('C3'), id('C4')], su: 0.004 },
  { id: '8', kind: 'occupancy', sites: [id('O1')], target: 0.95, su: 0.02 },
  { id: '9', kind: 'keep apart', pairs: [[id('C1'), id('C6')]], target: 3.2, su: 0.02 },
];
const h = crystal.structure.sites.filter((x) => x.element === 'H').map((x) => x.id);
const controls: Controls = {
  restraints,
  constraints: [
    { id: 'a', kind: 'shared displacement', sites: [id('C3'), id('C4')] },
    { id: 'b', kind: 'fixed', sites: [id('O1')], what: ['position', 'occupancy'], why: 'to see' },
  ],
  occupancies: [{ id: 'c', kind: 'shared', sites: [id('Cl1')] }],
  hydrogens: [
    {
      id: 'd',
      parent: id('C1'),
      hydrogens: h.slice(0, 3),
      shape: 'methyl',
      hold: 'rotating',
      uFactor: 1.5,
      length: 0.98,
    },
  ],
};
const structure: Structure = { ...crystal.structure, controls };
const merged = mergeForGroup(crystal.raw, structure.cell, structure.spaceGroup).reflections;
const treatment: Treatment = {
  dMin: 0.9,
  excluded: [{ h: merged.h[5]!, k: merged.k[5]!, l: merged.l[5]!, reason: 'beam stop' }],
  twins: [{ law: [1, 0, 0, 0, -1, 0, 0, 0, -1], fraction: 0.12, su: 0.003, name: 'two-fold about a' }],
  extinction: true,
};

describe('what holds a model', () => {
  const text = structureCif({
    name: 'held',
    structure,
    experiment: { formula: { C: 8, H: 9, Cl: 1, O: 1 }, z: 4, kept: {} },
    wavelength: crystal.wavelength,
    reflections: merged,
    treatment,
    date: '2026-11-23',
    readings: {
      r1: 0.05,
      r1All: 0.06,
      wr2: 0.1,
      s: 1,
      parameters: 100,
      restraints: 20,
      reflections: 1000,
      observed: 800,
      maxShiftOverSu: 0,
      meanShiftOverSu: 0,
      weights: { a: 0.05, b: 0 },
      scale: 1,
      extinction: { value: 0.01, su: 0.001 },
    },
  });
  const back = recognise(text, 'held.cif')[0]!;

  it('comes back from the CIF as it was, in words', () => {
    const now = back.structure!;
    const words = (s: Structure): string[] =>
      s
        .controls!.restraints.flatMap((r) =>
          'pairs' in r && r.kind === 'distance'
            ? r.pairs.map((p) => restraintWords({ ...r, pairs: [p] }, label(s)))
            : [restraintWords(r, label(s))],
        )
        .sort();
    expect(words(now)).toEqual(words(structure));
    expect(now.controls!.restraints.filter((r) => r.off)).toHaveLength(1);
    expect(now.controls!.constraints.map((c) => constraintWords(c, label(now)))).toEqual(
      controls.constraints.map((c) => constraintWords(c, label(structure))),
    );
    expect(now.controls!.hydrogens).toMatchObject([{ shape: 'methyl', hold: 'rotating', uFactor: 1.5, length: 0.98 }]);
    expect(now.controls!.occupancies).toMatchObject([{ kind: 'shared' }]);
    expect(back.treatment).toMatchObject({
      dMin: 0.9,
      extinction: true,
      twins: [{ fraction: 0.12, name: 'two-fold about a' }],
      excluded: treatment.excluded,
    });
  });

  it('flags how each site was refined', () => {
    expect(siteFlags(structure, h[0]!)).toMatchObject({ calculated: true, attached: 'C1', position: 'R' });
    expect(siteFlags(structure, id('C3'))).toMatchObject({ calculated: false, displacement: 'TU' });
    expect(text).toMatch(/H1\S* H .* calc C1 R/);
  });

  it('refines alike from the file and from memory', async () => {
    const options = { cycles: 8, weights: { a: 0.05, b: 0 }, optimizeWeights: false, extinction: false };
    const twin = { ...treatment, extinction: false };
    const one = await refineStructure(
      experiment(structure, merged, crystal.wavelength, { weights: { a: 0.05, b: 0 }, treatment: twin }),
      { ...options },
      quietContext(),
    );
    const two = await refineStructure(
      experiment(back.structure!, merged, crystal.wavelength, {
        weights: { a: 0.05, b: 0 },
        treatment: { ...back.treatment!, extinction: false },
      }),
      { ...options },
      quietContext(),
    );
    expect(two.readings.parameters).toBe(one.readings.parameters);
    expect(two.readings.restraints).toBe(one.readings.restraints);
    expect(two.readings.r1).toBeCloseTo(one.readings.r1, 4);
    expect(two.readings.reflections).toBe(one.readings.reflections);
    expect(one.readings.reflections).toBeLessThan(merged.count);
  });

  it('keeps reflections that were left out in the record', () => {
    expect(back.raw!.count).toBeGreaterThanOrEqual(merged.count - 2);
    expect(text).toMatch(/ x\n/);
  });

  it('tells which atom a restraint names in vain', () => {
    const broken = text.replace(/'rigid bond'|C3 C4 C5 C6/, 'C3 C4 C5 C99');
    expect(() => recognise(broken, 'held.cif')).toThrow(/C99/);
  });

  it('drops what speaks of lost sites and keeps the rest', () => {
    const ids = new Set(structure.sites.map((x) => x.id).filter((x) => x !== id('C3')));
    const p = pruneControls(controls, ids);
    for (const r of p.restraints) expect(restraintSites(r)).not.toContain(id('C3'));
    expect(p.restraints.map((r) => r.id)).toEqual(['1', '8', '9']);
    expect(p.hydrogens).toHaveLength(1);
    expect(pruneControls(controls, new Set())).toEqual(NO_CONTROLS);
  });

  it('a solvent mask takes part in every calculation and comes back from the CIF', () => {
    const n = merged.count;
    const mask = {
      h: merged.h,
      k: merged.k,
      l: merged.l,
      a: Float64Array.from({ length: n }, (_, i) => (i % 7) - 3),
      b: new Float64Array(n),
      volume: 120,
      electrons: 30,
      voids: [{ centre: [0, 0.5, 0.5] as const, volume: 120, electrons: 30 }],
    };
    const with_ = evaluateStructure(experiment(structure, merged, crystal.wavelength, { treatment: { mask } })).data,
      without = evaluateStructure(experiment(structure, merged, crystal.wavelength)).data;
    for (let i = 0; i < 50; i++) expect(with_.a[i]! - without.a[i]!).toBeCloseTo((with_.used[i]! % 7) - 3, 9);
    const again = recognise(
      structureCif({
        name: 'masked',
        structure,
        experiment: { kept: {} },
        wavelength: crystal.wavelength,
        treatment: { mask },
        date: '2026-11-23',
      }),
      'm.cif',
    )[0]!.treatment!.mask!;
    expect(again.h.length).toBe(n);
    expect(again.a[12]).toBeCloseTo(mask.a[12]!, 3);
    expect(again).toMatchObject({ volume: 120, electrons: 30 });
  });
});
