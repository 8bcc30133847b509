/** Electrons counted on sites: right on sound models, with s.u. that are the scatter, and enough to name an element that is wrong. */
import { beforeAll, describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { elementOf } from '../crystal/elements.ts';
import { experiment } from '../crystal/experiment.ts';
import type { Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { mistakenFor } from '../vet/context.ts';
import { vet } from '../vet/registry.ts';
import type { VetInput } from '../vet/context.ts';
import { evaluateStructure } from './single-crystal-problem.ts';
import { refineStructure } from './single-crystal.ts';
import { siteElectrons, type SiteElectrons } from './site-electrons.ts';

const MEASURED = { dMin: 0.8, repeats: 1.6, coverage: 0.97, meanCounts: 500 };
type Crystal = ReturnType<typeof testCrystal>;

/** The model refined against its data, with what the vet is told. */
async function refined({ raw, wavelength }: Crystal, s: Structure): Promise<VetInput> {
  const { reflections, statistics } = mergeForGroup(raw, s.cell, s.spaceGroup);
  const { structure, readings } = await refineStructure(
    experiment(s, reflections, wavelength, { weights: { a: 0.03, b: 0 } }),
    { cycles: 15, optimizeWeights: true },
    quietContext(),
  );
  return { structure, readings, reflections, statistics, raw, wavelength, experiment: { wavelength, kept: {} } };
}

function counted({ structure, reflections, readings, wavelength }: VetInput): SiteElectrons[] {
  const e = experiment(structure, reflections!, wavelength!, { weights: readings!.weights });
  const heavy = structure.sites.flatMap((x, i) => (x.element === 'H' ? [] : [i]));
  return siteElectrons(e, evaluateStructure(e).data, readings!.parameters, heavy, mistakenFor);
}

const as = (s: Structure, site: number, element: string): Structure => ({
  ...s,
  sites: s.sites.map((x, i) => (i === site ? { ...x, element } : x)),
});

describe('the electrons of a sound model', () => {
  const off: number[] = [];
  const electrons: number[] = [];
  beforeAll(async () => {
    for (const [line, symbol, seed] of [
      ['OC(=O)c1ccc(Cl)cc1', 'P 1 21/c 1', 301],
      ['CC(C)(C)OC(=O)NCC(=O)O', 'P -1', 302],
      ['Brc1cccc(C#N)c1', 'P 21 21 21', 303],
      ['CC(O)C(=O)Nc1ccccc1', 'C 1 2/c 1', 304],
    ] as const) {
      const crystal = testCrystal(line, symbol, seed, MEASURED);
      for (const c of counted(await refined(crystal, crystal.structure))) {
        const { z } = elementOf(crystal.structure.sites[c.site]!.element);
        expect(c.better).toBeUndefined();
        off.push((c.electrons - z) / c.su);
        electrons.push(Math.abs(c.electrons - z));
      }
    }
  }, 120_000);

  it('are those of its elements to a tenth of one', () => {
    expect(off.length).toBeGreaterThan(40);
    expect(Math.max(...electrons)).toBeLessThan(0.1);
  });

  it('scatter as their s.u. say', () => {
    const spread = Math.sqrt(off.reduce((sum, x) => sum + x * x, 0) / off.length);
    // Other sites that moved along take a part of the scatter.
    expect(spread).toBeGreaterThan(0.6);
    expect(spread).toBeLessThan(1.6);
    expect(off.filter((x) => Math.abs(x) > 4)).toEqual([]);
  });
});

describe('sites whose data do not tell', () => {
  it('are left out: one of no occupancy, and all where hardly a reflection is', async () => {
    const crystal = testCrystal('NC(=O)c1ccncc1', 'P 1 21/c 1', 305, MEASURED);
    const s = crystal.structure;
    const { reflections } = mergeForGroup(crystal.raw, s.cell, s.spaceGroup);
    const nothing = { ...s, sites: s.sites.map((x, i) => (i ? x : { ...x, occupancy: 0 })) };
    const counts = (structure: Structure, few?: number): number[] => {
      const cut = <T extends Int16Array | Float64Array | Uint16Array>(x: T): T => x.slice(0, few) as T;
      const { h, k, l, fsq, sigma, multiplicity } = reflections;
      const list = {
        count: few ?? reflections.count,
        h: cut(h),
        k: cut(k),
        l: cut(l),
        fsq: cut(fsq),
        sigma: cut(sigma),
      };
      const e = experiment(structure, { ...list, multiplicity: cut(multiplicity) }, crystal.wavelength);
      return siteElectrons(e, evaluateStructure(e).data, 1, [0, 1]).map((c) => c.site);
    };
    expect(counts(s)).toEqual([0, 1]);
    expect(counts(nothing)).toEqual([1]);
    expect(counts(s, 2)).toEqual([]);
  });
});

describe('a site that is another element', () => {
  const cases = [
    ['NC(=O)c1ccncc1', 'P 21 21 21', 311],
    ['OC(=O)c1ccc(Cl)cc1', 'P -1', 312],
    ['COc1ccc(C=O)cc1O', 'P 1 21/c 1', 313],
    ['CC(C)(C)OC(=O)NCC(=O)O', 'P b c a', 314],
    ['Brc1cccc(C#N)c1', 'P 1 21 1', 315],
    ['CC(O)C(=O)Nc1ccccc1', 'P n a 21', 316],
  ] as const;

  it.each(cases)('is found, and said what it is: %s in %s', { tags: 'long' }, async (line, symbol, seed) => {
    const crystal = testCrystal(line, symbol, seed, MEASURED);
    const random = seededRandom(seed);
    const light = crystal.structure.sites.flatMap((x, i) => ('CNO'.includes(x.element) ? [i] : []));
    const site = light[random.below(light.length)]!;
    const right = crystal.structure.sites[site]!.element;
    const others = mistakenFor(right).filter((e) => Math.abs(elementOf(e).z - elementOf(right).z) === 1 && e !== 'B');
    const wrong = others[random.below(others.length)]!;
    const findings = vet(await refined(crystal, as(crystal.structure, site, wrong))).findings;
    const mistaken = findings.filter((f) => f.check === 'element mistaken');
    expect(mistaken.map((f) => f.sites)).toEqual([[site]]);
    expect(mistaken[0]!.severity).toBe('mend');
    expect(mistaken[0]!.detail).toMatch(
      new RegExp(
        `^\\d\\.\\d\\d\\(\\d+\\) electrons counted on it, not ${elementOf(wrong).z} \\(.* counted as ${right}\\)`,
      ),
    );
    expect(mistaken[0]!.remedies[0]).toMatchObject({ act: 'element', site, element: right });
  });
});
