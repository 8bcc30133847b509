import { describe, expect, it } from 'vitest';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import * as textbook from '../../../demo/src/textbook.ts';
import { pairKey, withBonding, type Bonding } from '../crystal/bonding.ts';
import type { Structure } from '../crystal/structure.ts';
import { siteMultiplicity } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from './bonds.ts';
import { pairProposals, proposedBonding } from './bonding-proposal.ts';

/** Pairs that are drawn, each with how many neighbours of the second kind the first has. */
function drawn(s: Structure): Record<string, number> {
  const out: Record<string, number> = {};
  const list = bonds(withBonding(s, proposedBonding(s)));
  for (const p of pairProposals(s)) {
    if (!p.proposed) continue;
    const [a, b] = p.elements;
    const centre = s.sites.findIndex((x) => x.element === a);
    out[`${a}–${b}`] = list.filter((n) => n.from === centre && s.sites[n.to]!.element === b).length;
  }
  return out;
}

describe('the bonds that are proposed', () => {
  it.each<[string, Structure, Record<string, number>]>([
    ['rutile', textbook.rutile('Ti', 4.594, 2.959, 0.3053), { 'Ti–O': 6 }],
    ['halite', textbook.halite('Mg', 4.211), { 'Mg–O': 6 }],
    ['fluorite', textbook.fluorite('Ca', 'F', 5.463), { 'Ca–F': 8 }],
    ['corundum', textbook.corundum('Al', 4.759, 12.991, 0.3523, 0.3064), { 'Al–O': 6 }],
    ['sphalerite', textbook.sphalerite('Zn', 'S', 5.409), { 'Zn–S': 4 }],
    ['caesium chloride', textbook.caesiumChloride(), { 'Cs–Cl': 8 }],
    ['perovskite', textbook.perovskite('Ba', 'Ti', 4), { 'Ti–O': 6 }],
    ['calcite', textbook.calcite(), { 'C–O': 3, 'Ca–O': 6 }],
    ['quartz', textbook.quartz(), { 'Si–O': 4 }],
    ['pyrite', textbook.pyrite(), { 'Fe–S': 6, 'S–S': 1 }],
    ['spinel', textbook.spinel(), { 'Mg–O': 4, 'Al–O': 6 }],
    ['brucite', textbook.brucite(), { 'Mg–O': 6, 'O–H': 1 }],
    ['graphite', textbook.graphite(), { 'C–C': 3 }],
    ['copper', textbook.copper(), { 'Cu–Cu': 12 }],
  ])('hold %s together and no more', (_, s, expected) => {
    expect(drawn(s)).toEqual(expected);
  });

  it('are those of the radii in a molecule, hydrogen bonds left out', () => {
    const { structure: s } = testCrystal('CC(=O)Nc1ccc(O)cc1', 'P 21/c', 3);
    const key = (list: readonly { from: number; to: number }[]): string[] =>
      list.map((b) => `${b.from}-${b.to}`).sort();
    expect(key(bonds(withBonding(s, proposedBonding(s))))).toEqual(key(bonds(s)));
    const pairs = new Map(pairProposals(s).map((p) => [pairKey(...p.elements), p]));
    expect(pairs.get('H H')!.proposed).toBe(0);
  });

  it('say why a pair is left out', () => {
    const reason = (s: Structure, pair: string): string =>
      pairProposals(s).find((p) => pairKey(...p.elements) === pair)!.reason;
    expect(reason(textbook.perovskite('Ba', 'Ti', 4), 'Ba O')).toContain('Ba has 12 O');
    expect(reason(textbook.quartz(), 'Si Si')).toContain('cations');
  });

  it('count what a cell holds', () => {
    const s = textbook.rutile('Ti', 4.594, 2.959, 0.3053);
    const pair = pairProposals(s).find((p) => pairKey(...p.elements) === 'O Ti')!;
    const near = pair.lengths.filter((l) => l.distance < pair.proposed);
    // Two titanium atoms with six oxygen each.
    expect(near.reduce((n, l) => n + l.count, 0)).toBeCloseTo(12, 9);
  });
});

describe('single bonds', () => {
  const s = textbook.rutile('Ti', 4.594, 2.959, 0.3053);
  const [ti, o] = s.sites;
  const nearest = bondsBySite(s)[0]!.reduce((p, q) => (q.distance < p.distance ? q : p));
  const single = { from: ti!.id, to: neighbourRef(s, nearest) };
  const base: Bonding = { pairs: [], hidden: [], added: [] };
  const degrees = (b: Bonding): number[] => bondsBySite(withBonding(s, b)).map((l) => l.length);

  it('are hidden with all of their copies, from both ends', () => {
    const before = degrees({ ...base, pairs: [{ elements: ['Ti', 'Ti'], cut: 0 }] });
    const after = degrees({ ...base, pairs: [{ elements: ['Ti', 'Ti'], cut: 0 }], hidden: [single] });
    expect(before).toEqual([6, 3]);
    const lost = before.map((n, i) => n - after[i]!);
    expect(lost[0]).toBeGreaterThan(0);
    // What the titaniums of a cell lose, its oxygens lose too.
    expect(lost[0]! * siteMultiplicity(s, ti!)).toBe(lost[1]! * siteMultiplicity(s, o!));
  });

  it('are added with all of their copies', () => {
    const none = [
      { elements: ['Ti', 'Ti'] as const, cut: 0 },
      { elements: ['Ti', 'O'] as const, cut: 0 },
    ];
    expect(degrees({ ...base, pairs: none })).toEqual([0, 0]);
    const [t, x] = degrees({ ...base, pairs: none, added: [single] });
    expect(t! * siteMultiplicity(s, ti!)).toBe(x! * siteMultiplicity(s, o!));
    expect(t).toBeGreaterThan(0);
    // Adding what is there changes nothing.
    const own = { ...base, pairs: none.slice(0, 1) };
    expect(degrees({ ...own, added: [single] })).toEqual(degrees(own));
  });

  it('that name sites long gone are passed over', () => {
    const gone = { from: 'nobody', to: single.to };
    expect(degrees({ ...base, hidden: [gone], added: [gone] })).toEqual(degrees(base));
  });
});
