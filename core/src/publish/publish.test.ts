import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { refineStructure, type RefineResult } from '../refine/single-crystal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { parseCif, itemText, loopWith, UNKNOWN, INAPPLICABLE } from '../formats/cif-parser.ts';
import { readReflections, readStructure } from '../formats/cif-data.ts';
import { parseMeasured } from '../crystal/uncertainty.ts';
import { angleOf, distanceOf, measure, planeOf, torsionOf } from '../geometry/measure.ts';
import { bonds } from '../geometry/bonds.ts';
import type { MergeResult } from '../data/merge.ts';
import { structureCif, symmetryCode } from './structure-cif.ts';

/** Names and types of the core dictionary that the writer may use: n a number, with or without s.u.; c text. */
const DICTIONARY = JSON.parse(readFileSync(new URL('./core-names.json', import.meta.url), 'utf8')) as Record<string, 'n' | 'c'>;

describe('the CIF of a refined structure', () => {
  const crystal = testCrystal('CC(O)c1ccccc1Cl', 'P 1 21/c 1', 9, { repeats: 1.3 });
  let merged: MergeResult, refined: RefineResult, text: string;
  beforeAll(async () => {
    merged = mergeForGroup(crystal.raw, crystal.structure.cell, crystal.structure.spaceGroup);
    refined = await refineStructure({ ...crystal.structure, cell: { ...crystal.structure.cell, su: [0.0004, 0.0005, 0.0006, 0, 0.004, 0] } }, merged.reflections, crystal.wavelength, { cycles: 12, weights: { a: 0.05, b: 0 }, optimizeWeights: true, extinction: false }, quietContext());
    text = structureCif({ name: 'test crystal', structure: refined.structure, experiment: { formula: { C: 8, H: 9, Cl: 1, O: 1 }, z: 4, kept: {} }, wavelength: crystal.wavelength, reflections: merged.reflections, statistics: merged.statistics, readings: refined.readings, ...(refined.covariance ? { covariance: refined.covariance } : {}), residual: { peak: 0.2, hole: -0.2, sigma: 0.04 }, date: '2026-11-23' });
  });

  it('uses only names of the core dictionary, with values of their type', () => {
    const [block] = parseCif(text);
    const check = (tag: string, value: string): void => {
      expect(DICTIONARY, tag).toHaveProperty([tag]);
      if (DICTIONARY[tag] === 'n' && value !== UNKNOWN && value !== INAPPLICABLE) expect(parseMeasured(value), `${tag} ${value}`).toBeDefined();
    };
    for (const [tag, { value }] of block!.items) check(tag, value);
    for (const loop of block!.loops) loop.values.forEach((v, i) => check(loop.tags[i % loop.tags.length]!, v));
  });

  it('reads back as the same model with the same R1', () => {
    const [block] = parseCif(text);
    const s = readStructure(block!)!;
    expect(s.spaceGroup.hall).toBe(refined.structure.spaceGroup.hall);
    s.sites.forEach((x, i) => {
      const y = refined.structure.sites[i]!;
      expect([x.label, x.element]).toEqual([y.label, y.element]);
      x.position.forEach((v, k) => expect(Math.abs(v - y.position[k]!)).toBeLessThanOrEqual(0.51 * Math.max(y.positionSu![k]!, 1e-6)));
    });
    const back = readReflections(block!)!;
    expect(back.raw.merged).toBe(true);
    const again = mergeForGroup(back.raw, s.cell, s.spaceGroup).reflections;
    expect(again.count).toBe(refined.readings.reflections);
    const { figures } = evaluateStructure(s, again, crystal.wavelength, refined.readings.weights);
    expect(Math.abs(figures.r1 - refined.readings.r1)).toBeLessThan(1e-4);
    expect(Number(itemText(block!, '_refine_ls_r_factor_gt'))).toBeCloseTo(refined.readings.r1, 4);
  });

  it('lists every bond with an s.u. that the scatter of the truth confirms', () => {
    const [block] = parseCif(text);
    const loop = loopWith(block!, '_geom_bond_distance')!;
    const rows = loop.values.length / loop.tags.length;
    expect(rows).toBe(bonds(refined.structure).length / 2);
    let chi = 0, n = 0;
    for (const b of bonds(refined.structure).filter((x) => x.from < x.to)) {
      const m = measure(refined.structure, [{ site: b.from }, { site: b.to, operator: b.operator }], distanceOf, refined.covariance);
      const t = measure(crystal.structure, [{ site: b.from }, { site: b.to, operator: b.operator }], distanceOf);
      chi += ((m.value - t.value) / m.su) ** 2;
      n++;
    }
    expect(chi / n).toBeGreaterThan(0.3);
    expect(chi / n).toBeLessThan(2.5);
  });
});

it('a structure without a measurement is written without inventing one', () => {
  const { structure } = testCrystal('CO', 'P -1', 2);
  const [block] = parseCif(structureCif({ name: 'bare', structure, experiment: { kept: {} }, date: '2026-11-23' }));
  for (const tag of ['_diffrn_radiation_wavelength', '_exptl_absorpt_coefficient_mu', '_diffrn_radiation_type']) expect(block!.items.get(tag)!.value, tag).toBe(UNKNOWN);
  expect(block!.items.has('_refine_ls_r_factor_gt')).toBe(false);
  expect(readStructure(block!)!.sites).toHaveLength(structure.sites.length);
  // Without a formula the contents make one.
  expect(itemText(block!, '_chemical_formula_sum')).toBe('C H4 O');
});

describe('geometry', () => {
  it('of points', () => {
    expect(angleOf([[1, 0, 0], [0, 0, 0], [0, 1, 0]])).toBeCloseTo(90, 10);
    // Looking from the second to the third point, the fourth is reached clockwise: positive.
    expect(torsionOf([[1, 0, 0], [0, 0, 0], [0, 0, 1], [0, 1, 1]])).toBeCloseTo(90, 10);
    expect(torsionOf([[1, 0, 0], [0, 0, 0], [0, 0, 1], [0, -1, 1]])).toBeCloseTo(-90, 10);
    const plane = planeOf([[0, 0, 1], [1, 0, 1], [0, 1, 1], [1, 1, 1.2]]);
    expect(plane.rms).toBeCloseTo(0.05, 2);
  });

  it('s.u. of a distance between independent sites is the textbook sum', () => {
    const s = { cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 }, spaceGroup: testCrystal('CO', 'P 1', 1).structure.spaceGroup, sites: [[0, 0, 0], [0.15, 0, 0]].map((p, i) => ({ id: `${i}`, label: `C${i}`, element: 'C', position: p as never, positionSu: [0.0003, 0.0004, 0.0005] as const, occupancy: 1, displacement: { kind: 'iso' as const, u: 0.03 } })) };
    const m = measure(s, [{ site: 0 }, { site: 1 }], distanceOf);
    expect(m.value).toBeCloseTo(1.5, 10);
    expect(m.su).toBeCloseTo(0.003 * Math.SQRT2, 6);
    expect(measure({ ...s, cell: { ...s.cell, su: [0.01, 0, 0, 0, 0, 0] } }, [{ site: 0 }, { site: 1 }], distanceOf).su).toBeCloseTo(Math.hypot(0.003 * Math.SQRT2, 0.0015), 6);
  });

  it('symmetry codes count translations from 5', () => {
    const { structure } = testCrystal('CO', 'P 1 21/c 1', 1);
    expect(symmetryCode(structure, { r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [0, 0, 0] })).toBe('.');
    expect(symmetryCode(structure, { r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [1, 0, -1] })).toBe('1_654');
    expect(symmetryCode(structure, { r: [-1, 0, 0, 0, 1, 0, 0, 0, -1], t: [1, 0.5, 0.5] })).toBe('2_655');
  });
});
