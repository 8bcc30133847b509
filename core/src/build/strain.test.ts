import { describe, expect, it } from 'vitest';
import { halite, quartz, rutile } from '../../../demo/src/textbook.ts';
import { cellParameters, cellVolume } from '../crystal/cell.ts';
import { neighbours } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { strained } from './strain.ts';
import { wholeCell } from './whole-cell.ts';

const contacts = (s: Structure, reach: number): string[] =>
  neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    reach,
  )
    .map((n) => n.distance.toFixed(5))
    .sort();

describe('strain', () => {
  it('of one axis of a cubic crystal leaves a tetragonal group and all of its atoms', () => {
    const { structure, before, after, words } = strained(halite('Mg', 4.2), {
      by: 'tensor',
      components: [0, 0, 0.02, 0, 0, 0],
    });
    expect(cellParameters(structure.cell)).toEqual([4.2, 4.2, expect.closeTo(4.284, 9), 90, 90, 90]);
    expect([before, after]).toEqual([8, 8]);
    expect(structure.spaceGroup.representatives).toHaveLength(16);
    expect(structure.spaceGroup.number).toBeGreaterThan(74);
    expect(structure.spaceGroup.number).toBeLessThan(143);
    expect(words).toMatch(/\+2\.00 %/);
  });

  it('that the metric does not feel keeps the group', () => {
    const s = rutile('Ti', 4.594, 2.959, 0.305);
    const { structure, words } = strained(s, { by: 'constants', constants: [4.6, 4.6, 3, 90, 90, 90] });
    expect(structure.spaceGroup).toBe(s.spaceGroup);
    expect(structure.sites).toHaveLength(2);
    expect(words).toMatch(/symmetry stays/);
  });

  it.each([
    [0.01, -0.02, 0.03, 0.004, -0.006, 0.008],
    [0, 0, 0, 0.02, 0, 0],
  ])('of any kind keeps every atom where a deformation of P 1 brings it (%j)', (...components) => {
    for (const s of [quartz(), halite('Mg', 4.2), rutile('Ti', 4.594, 2.959, 0.305)]) {
      const done = strained(s, { by: 'tensor', components });
      const plain = strained(wholeCell(s), { by: 'tensor', components });
      expect(done.after).toBe(done.before);
      expect(contacts(wholeCell(done.structure), 3.2)).toEqual(contacts(plain.structure, 3.2));
      // (1 + ε) has the determinant of the volumes.
      const [xx, yy, zz, yz, xz, xy] = components.map((x, i) => x + (i < 3 ? 1 : 0)) as [
        number,
        number,
        number,
        number,
        number,
        number,
      ];
      const det = xx * (yy * zz - yz * yz) - xy * (xy * zz - yz * xz) + xz * (xy * yz - yy * xz);
      expect(cellVolume(done.structure.cell) / cellVolume(s.cell)).toBeCloseTo(det, 9);
    }
  });

  it('says what it cannot do', () => {
    expect(() => strained(quartz(), { by: 'constants', constants: [4, 4, 5, 90, 90] })).toThrow(/six constants/);
    expect(() => strained(quartz(), { by: 'constants', constants: [4, 4, 5, 10, 10, 170] })).toThrow(/no cell/);
  });
});
