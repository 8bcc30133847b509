import { describe, expect, it } from 'vitest';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { atomName, atomNames, primeWords, selectionMeasure } from './selection-measure.ts';

/** Sites of a cell of 10 Å, given in Å. */
const S: Structure = {
  cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: [
    ['C1', 1, 1, 1],
    ['C2', 2.5, 1, 1],
    ['C3', 2.5, 2.5, 1],
    ['C4', 2.5, 2.5, 2.5],
    ['C5', 1, 2.5, 1.06],
  ].map(([label, ...xyz]) => ({
    id: String(label),
    label: String(label),
    element: 'C',
    position: xyz.map((v) => Number(v) / 10) as unknown as readonly [number, number, number],
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.03 },
  })),
};
const of = (...labels: string[]): string => selectionMeasure(S, labels.map(originalRef));

describe('what a selection measures', () => {
  it('is a distance, an angle, a torsion by the number of atoms', () => {
    expect(of('C1')).toBe('one site');
    expect(of('C1', 'C2')).toBe('distance 1.500 Å');
    expect(of('C1', 'C2', 'C3')).toBe('angle 90.0°');
    expect(of('C1', 'C2', 'C3', 'C4')).toMatch(/^torsion -?90\.0°$/);
  });

  it('is a plane with its deviations for more', () => {
    const [, rms, largest] = /^plane, r\.m\.s\. deviation (\S+) Å, largest (\S+) Å$/.exec(
      of('C1', 'C2', 'C3', 'C5', 'C4'),
    )!;
    expect(Number(largest)).toBeGreaterThan(Number(rms));
    expect(Number(rms)).toBeGreaterThan(0.1);
  });

  it('of a copy says by what it was made', () => {
    const copy = { site: 'C1', operator: 1, shift: [1, 0, 0] as const };
    expect(selectionMeasure(S, [copy])).toBe('copy by -x+1,-y,-z');
    expect(atomName(S, copy)).toBe('C1′');
    expect(atomName(S, originalRef('C1'))).toBe('C1');
    expect(atomName(S, originalRef('gone'))).toBe('?');
  });

  it('tells copies by different operations apart, and says what they are', () => {
    const copy = (site: string, operator: number, x = 0) => ({ site, operator, shift: [x, 0, 0] as const });
    const atoms = [copy('C1', 1, 1), originalRef('C1'), copy('C2', 1, 1), copy('C1', 1)];
    expect(atomNames(S, atoms)).toEqual(['C1′', 'C1', 'C2′', 'C1′′']);
    expect(primeWords(S, atoms)).toBe('′ by -x+1,-y,-z; ′′ by -x,-y,-z');
    expect(primeWords(S, [originalRef('C1')])).toBe('');
    const many = [1, 2, 3, 4].map((x) => copy('C1', 1, x));
    expect(atomNames(S, many)).toEqual(['C1′', 'C1′′', 'C1′′′', 'C1′4']);
  });

  it('reaches across symmetry', () => {
    const copy = { site: 'C1', operator: 1, shift: [0, 0, 0] as const };
    // C1 at (1, 1, 1) Å and its image at (−1, −1, −1).
    expect(selectionMeasure(S, [originalRef('C1'), copy])).toBe(`distance ${(2 * Math.sqrt(3)).toFixed(3)} Å`);
  });

  it('of very many atoms is nothing', () => {
    expect(
      selectionMeasure(
        S,
        Array.from({ length: 61 }, () => originalRef('C1')),
      ),
    ).toBe('');
  });
});
