import { describe, expect, it } from 'vitest';
import { crystalClass, crystalSystem, rotationsOf } from '../crystal/point-group.ts';
import { groupOfSetting, referenceSetting } from '../crystal/settings.ts';
import { GROUP_LIST, groupsLike } from './group-list.ts';

describe('types to choose from', () => {
  it('say of each type what its operations say', () => {
    for (const g of GROUP_LIST) {
      const group = groupOfSetting(referenceSetting(g.number));
      const cls = crystalClass(rotationsOf(group));
      const dets = group.representatives.map(({ r }) =>
        Math.sign(
          r[0] * (r[4] * r[8] - r[5] * r[7]) - r[1] * (r[3] * r[8] - r[5] * r[6]) + r[2] * (r[3] * r[7] - r[4] * r[6]),
        ),
      );
      expect([g.number, g.words.includes('centrosymmetric')]).toEqual([g.number, group.centric]);
      expect([g.number, g.words.includes('handed')]).toEqual([g.number, dets.every((d) => d > 0)]);
      expect([g.number, crystalSystem(cls)]).toEqual([g.number, g.system]);
      expect(group.representatives.length).toBe(
        groupOfSetting(referenceSetting(GROUP_LIST.find((x) => x.pointGroup === g.pointGroup)!.number)).representatives
          .length,
      );
    }
  });

  it('are found by what is asked of them', () => {
    expect(groupsLike({ system: 'cubic', centring: 'F', pointGroup: 'm-3m' }).map((g) => g.number)).toEqual([
      225, 226, 227, 228,
    ]);
    expect(groupsLike({ text: '62' }).map((g) => g.symbol)).toContain('P n m a');
    expect(groupsLike({ text: 'handed polar', system: 'monoclinic' }).map((g) => g.number)).toEqual([3, 4, 5]);
    expect(groupsLike({ text: 'fd-3m' }).map((g) => g.number)).toEqual([227]);
    expect(groupsLike({ text: 'origins', system: 'orthorhombic' }).map((g) => g.number)).toEqual([48, 50, 59, 68, 70]);
    expect(groupsLike({})).toHaveLength(230);
    expect(groupsLike({ text: 'nothing-like-this' })).toEqual([]);
  });
});
