import { describe, expect, it } from 'vitest';
import { NO_CONTROLS } from '../crystal/controls.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { rebaseStructure, rebaseTreatment } from './rebase.ts';

const base: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
  sites: ['C1', 'C2', 'N1', 'O1'].map((label, i) => ({
    id: `s${i}`,
    label,
    element: label[0]!,
    position: [0.1 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
};
const change = (s: Structure, id: string, fields: Partial<Structure['sites'][number]>): Structure => ({
  ...s,
  sites: s.sites.map((x) => (x.id === id ? { ...x, ...fields } : x)),
});
const without = (s: Structure, id: string): Structure => ({ ...s, sites: s.sites.filter((x) => x.id !== id) });

describe('an edit carried over another', () => {
  it('keeps both, field by field', () => {
    const first = change(base, 's0', { occupancy: 0.5 });
    const second = change(base, 's0', { element: 'N', label: 'N2' });
    const both = rebaseStructure(base, second, first);
    expect(both.sites[0]).toMatchObject({ occupancy: 0.5, element: 'N', label: 'N2' });
    expect(rebaseStructure(base, first, second).sites[0]).toMatchObject({ occupancy: 0.5, element: 'N' });
  });

  it('deletes once, and changes nothing that is gone', () => {
    const gone = without(base, 's1');
    expect(rebaseStructure(base, gone, gone)).toBe(gone);
    const other = rebaseStructure(base, change(base, 's1', { occupancy: 0.4 }), gone);
    expect(other).toBe(gone);
    expect(rebaseStructure(base, without(base, 's2'), gone).sites.map((x) => x.id)).toEqual(['s0', 's3']);
  });

  it('adds what both added, under labels of their own', () => {
    const atom = (id: string) => ({ ...base.sites[0]!, id, label: 'C3', position: [0.5, 0.5, 0.5] as const });
    const first = { ...base, sites: [...base.sites, atom('new1')] };
    const second = { ...base, sites: [...base.sites, atom('new2')] };
    const both = rebaseStructure(base, second, first);
    expect(both.sites.map((x) => x.label)).toEqual(['C1', 'C2', 'N1', 'O1', 'C3', 'C4']);
  });

  it('follows a new order and adds rules', () => {
    const turned = { ...base, sites: [...base.sites].reverse() };
    expect(rebaseStructure(base, turned, without(base, 's1')).sites.map((x) => x.id)).toEqual(['s3', 's2', 's0']);
    const rule = { id: 'r1', kind: 'planar' as const, sites: ['s0', 's1', 's2', 's3'], su: 0.02 };
    const restrained = { ...base, controls: { ...NO_CONTROLS, restraints: [rule] } };
    const held = { ...base, controls: { ...NO_CONTROLS, restraints: [{ ...rule, id: 'r2' }] } };
    expect(rebaseStructure(base, held, restrained).controls!.restraints.map((r) => r.id)).toEqual(['r1', 'r2']);
    expect(rebaseStructure(restrained, base, held).controls!.restraints.map((r) => r.id)).toEqual(['r2']);
  });

  it('in other axes replaces the model', () => {
    const moved = { ...base, cell: { ...base.cell, a: 9 } };
    expect(rebaseStructure(base, moved, without(base, 's1'))).toBe(moved);
    expect(rebaseStructure(base, moved, base)).toBe(moved);
  });
});

describe('a treatment carried over another', () => {
  const leave = (h: number): NonNullable<Treatment['excluded']>[number] => ({ h, k: 0, l: 0, reason: 'beam stop' });
  it('adds exclusions up and keeps limits', () => {
    const start: Treatment = { excluded: [leave(1)] };
    const first: Treatment = { excluded: [leave(1), leave(2)] };
    const second: Treatment = { excluded: [leave(1), leave(3)], dMin: 0.8 };
    expect(rebaseTreatment(start, second, first)).toEqual({ excluded: [leave(1), leave(2), leave(3)], dMin: 0.8 });
    expect(rebaseTreatment(first, start, { ...first, extinction: true })).toEqual({
      excluded: [leave(1)],
      extinction: true,
    });
    expect(rebaseTreatment({ dMin: 1 }, {}, { dMin: 1, extinction: true })).toEqual({ extinction: true });
  });
});
