import { describe, expect, it } from 'vitest';
import type { RingReading, RingRelation } from '@nagare/core/geometry/ring-readings';
import { chosenRelations, membersWords, ringGroups } from './ring-groups.ts';

const ring = (members: string, puckered = false): RingReading =>
  ({ members, ...(puckered ? { puckering: { form: 'chair' } } : {}) }) as RingReading;
const relation = (first: number, second: number, angle: number): RingRelation =>
  ({ first, second, angle: { value: angle, su: 0 }, centroidDistance: { value: 10 - angle, su: 0 } }) as RingRelation;

describe('groups of rings', () => {
  it('say what they are made of, rare elements first', () => {
    expect(membersWords('C6')).toBe('six carbon');
    expect(membersWords('C4N')).toBe('one nitrogen and four carbon');
    expect(membersWords('C3NOS')).toBe('one nitrogen, one oxygen, one sulfur and three carbon');
  });

  it('keep flat and puckered ones apart', () => {
    const groups = ringGroups([ring('C6'), ring('C5N'), ring('C6', true), ring('C6')]);
    expect(groups.map((g) => [g.words, g.rings])).toEqual([
      ['six carbon, flat', [0, 3]],
      ['one nitrogen and five carbon, flat', [1]],
      ['six carbon, puckered', [2]],
    ]);
  });

  it('give relations among those chosen, in the order asked for', () => {
    const all = [relation(0, 1, 3), relation(1, 2, 9), relation(0, 2, 1)];
    const firsts = (list: readonly RingRelation[]): number[] => list.map((r) => r.angle.value);
    expect(firsts(chosenRelations(all, undefined, 'angle', false))).toEqual([1, 3, 9]);
    expect(firsts(chosenRelations(all, undefined, 'centroids', true))).toEqual([1, 3, 9]);
    expect(firsts(chosenRelations(all, new Set([0, 1]), 'rings', false))).toEqual([3]);
  });
});
