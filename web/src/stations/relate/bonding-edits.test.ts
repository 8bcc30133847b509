import { describe, expect, it } from 'vitest';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { pairProposals } from '@nagare/core/geometry/bonding-proposal';
import { bonds, bondsBySite, neighbourRef } from '@nagare/core/geometry/bonds';
import { withBonding } from '@nagare/core/crystal/bonding';
import {
  addBond,
  asBonding,
  bondName,
  cutWhenOn,
  hideBond,
  histogram,
  pairRows,
  singleBond,
  withCut,
} from './bonding-edits.ts';

const S = shippedShelf().find((e) => e.id === 'rutile')!.structure;
const proposals = pairProposals(S);
const start = asBonding(proposals);

describe('the table of pairs', () => {
  it('has what is proposed until somebody says otherwise', () => {
    const rows = pairRows(proposals, undefined);
    expect(rows.every((r) => !r.changed)).toBe(true);
    expect(rows[0]).toMatchObject({ elements: ['Ti', 'O'], count: 12 });
    expect(rows[0]!.range![1]).toBeLessThan(2.1);
    expect(rows.find((r) => r.elements.join() === 'Ti,Ti')).toMatchObject({ cut: 0, count: 0, range: undefined });
  });

  it('follows a cut that is moved, and counts anew', () => {
    const rows = pairRows(proposals, withCut(start, ['O', 'Ti'], 1.97));
    expect(rows[0]).toMatchObject({ cut: 1.97, changed: true, count: 8 });
    expect(pairRows(proposals, withCut(start, ['Ti', 'O'], -3))[0]).toMatchObject({ cut: 0, count: 0 });
  });

  it('switches a pair on after its nearest distances', () => {
    const metal = proposals.find((p) => p.elements.join() === 'Ti,Ti')!;
    const cut = cutWhenOn(metal);
    expect(cut).toBeGreaterThan(metal.lengths[0]!.distance);
    expect(
      pairRows(proposals, withCut(start, metal.elements, cut)).find((r) => r.elements === metal.elements)!.count,
    ).toBe(2);
  });

  it('draws distances as bars between its ends', () => {
    expect(
      histogram(
        [
          { distance: 1, count: 4 },
          { distance: 2.9, count: 1 },
        ],
        0,
        3,
        3,
      ),
    ).toEqual([0, 1, 0.5]);
  });
});

describe('single bonds', () => {
  const near = bondsBySite(S, bonds(withBonding(S, start)))[0]![0]!;
  const [ti, o] = [originalRef(S.sites[0]!.id), neighbourRef(S, near)];
  const bond = singleBond(S, ti, o);
  const count = (b: typeof start): number => bonds(withBonding(S, b)).length;

  it('are hidden and brought back from either end', () => {
    const hidden = hideBond(S, start, bond);
    expect(count(hidden)).toBeLessThan(count(start));
    expect(addBond(S, hidden, singleBond(S, o, ti))).toEqual(start);
    expect(hideBond(S, hidden, singleBond(S, o, ti)).hidden).toHaveLength(1);
  });

  it('are added and taken away again', () => {
    const none = withCut(start, ['Ti', 'O'], 0);
    const added = addBond(S, none, bond);
    expect(count(added)).toBeGreaterThan(0);
    expect(hideBond(S, added, singleBond(S, o, ti))).toEqual(none);
  });

  it('bear the names of their ends', () => {
    expect(bondName(S, bond)).toMatch(/^Ti.*–O/);
    expect(bondName(S, { from: 'gone', to: o })).toMatch(/^\?–O/);
  });
});
