import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { recognise } from '@nagare/core/formats/recognise';
import { bonds } from '@nagare/core/geometry/bonds';
import { distanceOf } from '@nagare/core/geometry/points';
import { neighbours } from '@nagare/core/crystal/neighbours';
import { cellContents, equivalentU } from '@nagare/core/crystal/structure';
import { formulaText, scaleFormula } from '@nagare/core/crystal/formula';
import { eigenSymmetric3 } from '@nagare/core/math/matrix3';
import { displacementToCartesian } from '@nagare/core/crystal/structure';
import { seededRandom } from '@nagare/core/math/random';
import { compareToTruth } from './compare.ts';
import { moleculeGraph, buildMolecule } from './molecule.ts';
import { closestContact } from './test-crystals.ts';

const read = (folder: string, name: string) =>
  recognise(readFileSync(new URL(`../${folder}/${name}.cif`, import.meta.url), 'utf8'), name)[0]!;

describe.each(['aobae', 'tsuyukusa-7', 'benigara-2', 'mizuasagi', 'futago-1', 'enju-6'])('%s', (name) => {
  const truth = read('truth', name).structure!;
  const data = read('data', name);

  it('is chemically sound: bonds in their usual range, no clashes, hydrogen bonds where donors meet acceptors', () => {
    for (const b of bonds(truth)) {
      const hydrogen = truth.sites[b.from]!.element === 'H' || truth.sites[b.to]!.element === 'H';
      expect(b.distance).toBeGreaterThan(hydrogen ? 0.8 : 1.15);
      const iodine = truth.sites[b.from]!.element === 'I' || truth.sites[b.to]!.element === 'I';
      expect(b.distance).toBeLessThan(hydrogen ? 1.05 : iodine ? 2.15 : 1.95);
    }
    expect(closestContact(truth)).toBeGreaterThan(1.6);
    const donors = bonds(truth)
      .filter((b) => truth.sites[b.from]!.element === 'H' && ['N', 'O'].includes(truth.sites[b.to]!.element))
      .map((b) => b.from);
    const contacts = neighbours(
      truth.cell,
      truth.spaceGroup,
      truth.sites.map((x) => x.position),
      { widest: 2.5, of: (i, j) => (donors.includes(i) && ['O', 'N'].includes(truth.sites[j]!.element) ? 2.5 : 0) },
    ).filter((n) => n.distance > 1.5);
    expect(new Set(contacts.map((n) => n.from)).size).toBeGreaterThanOrEqual(Math.ceil(donors.length / 2));
  });

  it('moves as atoms move', () => {
    for (const x of truth.sites) {
      const u = equivalentU(truth.cell, x.displacement);
      expect(u).toBeGreaterThan(0.012);
      expect(u).toBeLessThan(0.13);
      if (x.displacement.kind === 'aniso') {
        const { values } = eigenSymmetric3(displacementToCartesian(truth.cell, x.displacement.u));
        expect(values[0]).toBeGreaterThan(0.008);
        expect(values[2] / values[0]).toBeLessThan(6);
      }
    }
  });

  it('comes with its formula and without its space group', () => {
    expect(data.spaceGroup).toBeUndefined();
    expect(data.structure).toBeUndefined();
    expect(formulaText(data.experiment.formula!)).toBe(
      formulaText(scaleFormula(cellContents(truth), 1 / data.experiment.z!)),
    );
    expect(data.raw!.count).toBeGreaterThan(8000);
    expect(compareToTruth(truth, truth)).toMatchObject({ found: 1, elements: 1 });
  });
});

describe('molecules', () => {
  it('get the hydrogens their valences ask for', () => {
    const count = (line: string): string => {
      const n: Record<string, number> = {};
      for (const a of moleculeGraph(line).atoms) n[a.element] = (n[a.element] ?? 0) + 1;
      return formulaText(n);
    };
    expect(count('CCO')).toBe('C2 H6 O');
    expect(count('c1ccccc1')).toBe('C6 H6');
    expect(count('c1ccccc1-c1ccccn1')).toBe('C11 H9 N');
    expect(count('CC(=O)N')).toBe('C2 H5 N O');
    expect(count('CS(=O)(=O)N')).toBe('C H5 N O2 S');
  });

  it('take a flat ring and a tetrahedral carbon', () => {
    const m = buildMolecule('Cc1ccccc1', seededRandom(2), 3);
    const at = (i: number) => [m.xyz[3 * i]!, m.xyz[3 * i + 1]!, m.xyz[3 * i + 2]!] as const;
    for (let i = 1; i < 6; i++) expect(distanceOf([at(i), at(i + 1)])).toBeCloseTo(1.39, 1);
    expect(distanceOf([at(1), at(4)])).toBeCloseTo(2.78, 1);
  });
});
