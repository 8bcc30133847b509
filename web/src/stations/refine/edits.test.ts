import { describe, expect, it } from 'vitest';
import { NO_CONTROLS } from '@nagare/core/crystal/controls';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Site, Structure } from '@nagare/core/crystal/structure';
import {
  changeElement,
  deleteSites,
  freeLabel,
  mergePeaks,
  mergeSites,
  moveSiteTo,
  promotePeaks,
  renameSite,
  setDisplacementKind,
  setOccupancy,
  type Change,
} from './edits.ts';

const site = (id: string, label: string, element: string, position: [number, number, number]): Site => ({
  id,
  label,
  element,
  position,
  occupancy: 1,
  displacement: { kind: 'iso', u: 0.03 },
});
const s: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: [
    site('a', 'C1', 'C', [0.1, 0.2, 0.3]),
    site('b', 'C2', 'C', [0.28, 0.2, 0.3]),
    site('h', 'H2', 'H', [0.33, 0.3, 0.3]),
  ],
  controls: {
    ...NO_CONTROLS,
    hydrogens: [{ id: 'g', parent: 'b', hydrogens: ['h'], shape: 'methine', hold: 'riding', uFactor: 1.2, length: 1 }],
  },
};
const done = (c: Change): Structure => {
  if (typeof c === 'string') throw new Error(c);
  return c.structure;
};
const peak = (name: string, position: [number, number, number]) => ({ name, position, height: 2, near: [] });

describe('edits of a model', () => {
  it('change elements with labels that stay unique', () => {
    const next = done(changeElement(s, [0, 1], 'N'));
    expect(next.sites.map((x) => x.label)).toEqual(['N1', 'N2', 'H2']);
    expect(changeElement(s, [0], 'Xx')).toMatch(/not an element symbol/);
    expect(freeLabel(s, 'C')).toBe('C3');
  });
  it('give and take a formal charge with the symbol', () => {
    const charged = done(changeElement(s, [0], 'Fe3+'));
    expect(charged.sites[0]).toMatchObject({ element: 'Fe', charge: 3, label: 'Fe1' });
    const reduced = changeElement(charged, [0], 'Fe2+');
    expect(reduced).toMatchObject({ title: 'Fe1 made Fe2+' });
    expect(done(reduced).sites[0]).toMatchObject({ label: 'Fe1', charge: 2 });
    expect(done(changeElement(charged, [0], 'Fe')).sites[0]).not.toHaveProperty('charge');
    expect(changeElement(s, [0], 'Xx2+')).toMatch(/"Xx2\+" is not an element symbol/);
  });

  it('delete atoms with the hydrogens and controls that hang on them', () => {
    const next = done(deleteSites(s, [1]));
    expect(next.sites.map((x) => x.label)).toEqual(['C1']);
    expect(next.controls!.hydrogens).toEqual([]);
  });
  it('refuse labels that are taken or malformed, in a sentence', () => {
    expect(renameSite(s, 0, 'C2')).toMatch(/already taken/);
    expect(renameSite(s, 0, '7C')).toMatch(/cannot be a label/);
    expect(done(renameSite(s, 0, 'C10')).sites[0]!.label).toBe('C10');
  });
  it('make atoms of maxima, snapped to symmetry, and one atom of two maxima', () => {
    expect(done(promotePeaks(s, [peak('ρ1', [0.004, 0.003, 0.001])], 'O')).sites[3]!.position).toEqual([0, 0, 0]);
    const merged = done(mergePeaks(s, [peak('ρ1', [0.95, 0.5, 0.5]), peak('ρ2', [0.05, 0.5, 0.6])], 'C', (x) => x));
    expect(merged.sites[3]!.position.map((v) => Number(v.toFixed(6)))).toEqual([1, 0.5, 0.55]);
    expect(mergePeaks(s, [peak('ρ1', [0, 0, 0])], 'C', (x) => x)).toMatch(/two maxima/);
  });
  it('merge sites at their mean place, set occupancies and kinds of displacement, and move', () => {
    const merged = done(mergeSites(s, [0, 1]));
    expect(merged.sites).toHaveLength(1);
    expect(merged.sites[0]!.position[0]).toBeCloseTo(0.19, 9);
    expect(done(setOccupancy(s, [0, 2], 0.4)).sites.map((x) => x.occupancy)).toEqual([0.4, 1, 0.4]);
    expect(setOccupancy(s, [0], 1.4)).toMatch(/above 0 and not above 1/);
    const aniso = done(setDisplacementKind(s, [0], 'aniso'));
    expect(aniso.sites[0]!.displacement).toMatchObject({ kind: 'aniso' });
    expect(done(setDisplacementKind(aniso, [0], 'iso')).sites[0]!.displacement).toMatchObject({ kind: 'iso' });
    expect(done(moveSiteTo(s, 0, [0.5, 0.25, 0.1])).sites[0]!.position).toEqual([0.5, 0.25, 0.1]);
    expect(moveSiteTo(s, 0, [NaN, 0, 0])).toMatch(/plain numbers/);
  });
});

const plain: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 21/c'),
  sites: ['C1', 'C2', 'N1'].map((label, i) => ({
    id: label,
    label,
    element: label[0]!,
    position: [0.1 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
};

describe('changes of a plain model', () => {
  it('carry their words and keep labels unique', () => {
    expect(changeElement(plain, [1], 'N')).toMatchObject({
      title: 'C2 made N',
      structure: { sites: [{ label: 'C1' }, { label: 'N2', element: 'N' }, { label: 'N1' }] },
    });
    expect(deleteSites(plain, [0, 2])).toMatchObject({
      title: 'C1, N1 deleted',
      structure: { sites: [{ label: 'C2' }] },
    });
    expect(freeLabel(plain, 'C')).toBe('C3');
    expect(promotePeaks(plain, [{ name: 'ρ1', position: [0.5, 0.5, 0.5], height: 2, near: [] }], 'O')).toMatchObject({
      title: 'ρ1 made O',
      structure: { sites: { length: 4 } },
    });
  });

  it('are refused with the reason', () => {
    expect(changeElement(plain, [0], 'Qq')).toMatch(/not an element/);
    expect(renameSite(plain, 0, 'C2')).toMatch(/already taken/);
    expect(renameSite(plain, 0, '9x')).toMatch(/cannot be a label/);
    expect(plain.sites[0]!.label).toBe('C1');
  });
});
