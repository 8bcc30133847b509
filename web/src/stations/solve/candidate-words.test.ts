/** What candidates are called, and what is drawn of them. */
import { describe, expect, it } from 'vitest';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { candidatePicture, contentsText, unitsOf } from './candidate-words.ts';

const structure = (id: string): Structure => shippedShelf().find((e) => e.id === id)!.structure;
const circles = (source: string): number => (decodeURIComponent(source).match(/<circle/g) ?? []).length;

describe('contents of a candidate', () => {
  const spinel = structure('spinel');

  it('are those of a formula unit, whatever group it was found in', () => {
    expect(contentsText(spinel, 8)).toBe('Al2 Mg O4');
    expect(contentsText({ ...spinel, spaceGroup: spaceGroupFromSymbol('F d d d'), sites: [] }, 8)).toBe('');
  });

  it('are those of an asymmetric unit where nobody knows the formula', () => {
    expect(contentsText(structure('benzene'))).toBe('C3 H3');
  });

  it('count as many units as were given, or as volume and group have it', () => {
    const of = { cell: spinel.cell, group: spinel.spaceGroup };
    const formula = { Mg: 1, Al: 2, O: 4 };
    expect(unitsOf({ ...of, experiment: { formula, kept: {} } })).toBe(8);
    expect(unitsOf({ ...of, experiment: { formula, z: 16, kept: {} } })).toBe(16);
    expect(unitsOf({ ...of, experiment: { kept: {} } })).toBeUndefined();
  });
});

describe('the picture of a candidate', () => {
  it('shows the cell of a salt and the unique part of molecules', () => {
    expect(circles(candidatePicture(structure('halite')))).toBe(8);
    const benzene = structure('benzene');
    expect(circles(candidatePicture(benzene))).toBe(benzene.sites.length);
  });
});
