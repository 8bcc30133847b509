import { beforeAll, describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { originalRef } from '../crystal/atom-ref.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, connectedUnit } from '../geometry/bonds.ts';
import { findRings } from '../geometry/rings.ts';
import { norm, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { BOHR } from '../math/units.ts';
import type { Centre } from '../quantum/gaussian.ts';
import { freeAtoms, ShareTransform, stockholderShares } from '../quantum/stockholder.ts';
import { wavefunctionOf, type WavefunctionOptions } from '../quantum/wavefunction.ts';
import { quietContext } from '../task-context.ts';
import { clustersOf, WHOLE } from './cluster.ts';
import { lowestMultiplicity } from './crystal-factors.ts';
import { moleculeGraph, partsOfMolecule, surrounded, type MoleculeGraph } from './fragments.ts';
import { wavefunctionOptions } from './levels.ts';

const LONG = 'CC(=O)Nc1ccc(CCCCC(=O)NCc2ccc(OCC(O)C)cc2)cc1';

let s: Structure, g: MoleculeGraph;
beforeAll(() => {
  s = testCrystal(LONG, 'P 21 21 21', 5).structure;
  g = moleculeGraph(s, connectedUnit(s, bonds(s), originalRef(s.sites[0]!.id)));
});

describe('the parts of a large molecule', () => {
  it('hold every atom once, with its hydrogens, and are of a size', () => {
    const parts = partsOfMolecule(g);
    expect(g.atoms.length).toBeGreaterThan(WHOLE);
    expect(parts.flat().sort((a, b) => a - b)).toEqual(g.atoms.map((_, i) => i));
    const home = (i: number): number => parts.findIndex((p) => p.includes(i));
    g.elements.forEach((e, i) => {
      if (isHydrogen(e)) expect(home(i)).toBe(home(g.partners[i]![0]!));
    });
    expect(parts.length).toBeGreaterThan(2);
    for (const p of parts) expect(p.length).toBeLessThanOrEqual(20);
  });

  it('are never cut through a ring, or between a carbonyl and its nitrogen', () => {
    const index = new Map(g.atoms.map((a, i) => [a.site, i]));
    const rings = findRings(s, bonds(s), 6).map((r) => r.atoms.map((a) => index.get(a.site)!));
    expect(rings.length).toBe(2);
    for (const r of rings) r.forEach((i, n) => expect(g.isCut(i, r[(n + 1) % r.length]!)).toBe(false));
    const cut = g.partners.flatMap((list, i) => list.filter((j) => i < j && g.isCut(i, j)).map((j) => [i, j] as const));
    expect(cut.length).toBeGreaterThan(4);
    const hasOxygenEnd = (i: number): boolean =>
      g.partners[i]!.some((j) => g.elements[j] === 'O' && g.partners[j]!.length === 1);
    for (const [i, j] of cut)
      expect([g.elements[i], g.elements[j]].includes('N') && (hasOxygenEnd(i) || hasOxygenEnd(j))).toBe(false);
  });

  it('are surrounded by what is near in the molecule, hydrogens in the place of the rest', () => {
    for (const part of partsOfMolecule(g)) {
      const { atoms, caps } = surrounded(g, part, 3);
      expect(atoms.slice(0, part.length)).toEqual(part);
      expect(new Set(atoms).size).toBe(atoms.length);
      for (const { on, instead, at } of caps) {
        expect([atoms.includes(on), atoms.includes(instead)]).toEqual([true, false]);
        expect(norm(subtract(at, g.at[on]!))).toBeCloseTo({ C: 1.089, N: 1.015, O: 0.98 }[g.elements[on]!]!, 6);
      }
      // As many hydrogens as bonds that were cut.
      const open = atoms.flatMap((i) => g.partners[i]!.filter((j) => !atoms.includes(j)));
      expect(caps.length).toBe(open.length);
    }
  });

  it('have electrons in pairs and no charge', () => {
    const clusters = clustersOf(s, 'none');
    expect(clusters.map((c) => c.part?.number)).toEqual(clusters.map((_, i) => i + 1));
    for (const c of clusters) {
      expect([c.charge, lowestMultiplicity(c, c.charge)]).toEqual([0, 1]);
      expect(c.centres.length).toBe(c.atoms.length + c.replaced.length);
    }
    expect(clustersOf(s, 'none', true).map((c) => [c.own, c.part])).toEqual([[g.atoms.length, undefined]]);
  });
});

describe('neighbours at hydrogen bonds', () => {
  it('are there with what is about the bond, not whole', () => {
    const { structure } = testCrystal('CC(=O)Nc1ccc(CCCCO)cc1', 'P 21 21 21', 3);
    const [alone] = clustersOf(structure, 'none');
    const [bound] = clustersOf(structure, 'hydrogen-bonded');
    expect(bound!.own).toBe(alone!.own);
    const beside = bound!.atoms.length - bound!.own;
    expect(beside).toBeGreaterThan(3);
    expect(bound!.replaced.length).toBeGreaterThan(0);
    // Each end of a cut is nearer to its atom than the atom it stands for.
    for (const c of bound!.centres.slice(bound!.atoms.length)) {
      expect(c.element).toBe('H');
      const lengths = bound!.centres
        .slice(0, bound!.atoms.length)
        .map((x) => BOHR * Math.hypot(...x.position.map((v, k) => v - c.position[k]!)));
      expect(Math.min(...lengths)).toBeGreaterThan(0.95);
    }
  });
});

describe('form factors from a part', () => {
  it('are those of the whole molecule to some thousandths of an electron', { tags: 'long' }, async () => {
    const { structure } = testCrystal('CC(=O)NCCCCCCO', 'P 21 21 21', 5);
    const graph = moleculeGraph(
      structure,
      structure.sites.map((x) => originalRef(x.id)),
    );
    const amide = graph.elements.indexOf('N');
    const { atoms, caps } = surrounded(graph, [amide, ...graph.partners[amide]!], 3);
    expect(caps.length).toBe(1);
    const centreOf = (element: string, at: Vec3): Centre => ({
      element,
      charge: elementOf(element).z,
      position: scale(at, 1 / BOHR),
    });
    const whole = atoms.concat(graph.atoms.map((_, i) => i).filter((i) => !atoms.includes(i)));
    const part = [
      ...atoms.map((i) => centreOf(graph.elements[i]!, graph.at[i]!)),
      ...caps.map((c) => centreOf('H', c.at)),
    ];
    const own = [0, 1, 2, 3];
    const options: WavefunctionOptions = {
      ...wavefunctionOptions('STO-3G', 'lda'),
      grid: { radial: 30, sphere: 50 },
    };
    const sharesIn = async (centres: readonly Centre[]) => {
      const w = await wavefunctionOf({ centres, charge: 0, multiplicity: 1 }, options, quietContext());
      const free = freeAtoms(w.atoms);
      const all = centres.map((c) => free.get(c.element)!);
      return stockholderShares(w, all, quietContext(), own, { radial: 40, sphere: 110, order: 6 });
    };
    const [fromPart, fromWhole] = [
      await sharesIn(part),
      await sharesIn(whole.map((i) => centreOf(graph.elements[i]!, graph.at[i]!))),
    ];
    const [x, y] = [new Float64Array(2), new Float64Array(2)];
    for (const i of own)
      for (const q of [
        [0, 0, 0],
        [1, 0.3, -0.4],
        [-0.5, 2, 1.2],
        [0.2, -0.7, 4],
      ] as const) {
        // prettier-ignore
        new ShareTransform(fromPart[i]!).factor(q, x);
        new ShareTransform(fromWhole[i]!).factor(q, y);
        expect(Math.hypot(x[0]! - y[0]!, x[1]! - y[1]!)).toBeLessThan(0.01);
      }
  });
});
