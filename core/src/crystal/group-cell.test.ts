import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { orthogonalization, cellParameters, cellVolume, metricTensor, type Cell } from './cell.ts';
import { cellInGroup } from './group-cell.ts';
import { apply3, multiply3, norm, toVec3, transpose3 } from '../math/matrix3.ts';
import { rotationsOf } from './point-group.ts';
import { SETTINGS, groupOfSetting, spaceGroupFromSymbol } from './settings.ts';

const SKEW: Cell = {
  a: 10.02,
  b: 9.99,
  c: 10.01,
  alpha: 90.06,
  beta: 89.93,
  gamma: 90.05,
  su: [0.002, 0.004, 0.003, 0.01, 0.02, 0.03],
};

describe('a measured cell in a group', () => {
  it('keeps the metric under every rotation of any of the 530 settings', () => {
    for (const setting of SETTINGS) {
      const group = groupOfSetting(setting);
      const cell = cellInGroup({ ...SKEW, gamma: /^[PR] -?[36]/.test(group.symbol) ? 119.9 : SKEW.gamma }, group);
      const g = metricTensor(cell);
      for (const r of rotationsOf(group))
        multiply3(transpose3(r), multiply3(g, r)).forEach((x, i) => expect(x).toBeCloseTo(g[i]!, 8));
    }
  });

  it('has one number where lengths are equal, whole angles where they are fixed, and s.u. of what is left', () => {
    const cell = cellInGroup(SKEW, spaceGroupFromSymbol('I 41/a'));
    expect(cell.a).toBe(cell.b);
    expect(cell.a).toBeCloseTo(10.005, 3);
    expect(cellParameters(cell).slice(2)).toEqual([10.01, 90, 90, 90]);
    expect(cell.su).toEqual([0.003, 0.003, 0.003, 0, 0, 0]);
    const monoclinic = cellInGroup(SKEW, spaceGroupFromSymbol('P 1 21/c 1'));
    expect(monoclinic.beta).toBeCloseTo(SKEW.beta, 9);
    expect(monoclinic.su).toEqual([0.002, 0.004, 0.003, 0, 0.02, 0]);
    expect(cellVolume(monoclinic) / cellVolume(SKEW)).toBeCloseTo(1, 5);
  });

  it('that is right is the same object, s.u. and all', () => {
    const right: Cell = { a: 10, b: 10, c: 12, alpha: 90, beta: 90, gamma: 120 };
    expect(cellInGroup(right, spaceGroupFromSymbol('R -3'))).toBe(right);
    expect(cellInGroup(SKEW, spaceGroupFromSymbol('P -1'))).toBe(SKEW);
  });

  it('makes a bond and its image equally long', () => {
    const { structure } = testCrystal('CC(O)c1ccccc1Cl', 'R -3', 12);
    const off = { ...structure.cell, a: 1.002 * structure.cell.a, alpha: 90.1, gamma: 119.9 };
    const { r } = structure.spaceGroup.representatives.find((o) => o.r[0] !== 1 && o.r[0] !== -1)!;
    const [p, q] = structure.sites;
    const d = toVec3([0, 1, 2].map((k) => q!.position[k]! - p!.position[k]!));
    const lengths = (cell: Cell): number[] => [d, apply3(r, d)].map((v) => norm(apply3(orthogonalization(cell), v)));
    const [own, image] = lengths(off);
    expect(Math.abs(own! - image!)).toBeGreaterThan(0.0005);
    const [now, there] = lengths(cellInGroup(off, structure.spaceGroup));
    expect(now).toBeCloseTo(there!, 9);
  });
});
