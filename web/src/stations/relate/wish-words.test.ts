import { describe, expect, it } from 'vitest';
import { levelAt, type JudgedContact, type Wish, type Wishes } from '@nagare/core/contacts/wishes';
import type { Structure } from '@nagare/core/crystal/structure';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import { byWords, grantCounts, servedWords, spotName, surpriseWords, wishLayers, wishTable } from './wish-words.ts';

const s: Structure = {
  cell: { a: 10, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: [
    {
      id: 'a',
      label: 'O1',
      element: 'O',
      position: [0.1, 0.1, 0.1],
      occupancy: 1,
      displacement: { kind: 'iso', u: 0 },
    },
  ],
};
const wish = (change: Partial<Wish>): Wish => ({
  probe: 'donor',
  at: [1, 2, 3],
  position: [0.1, 0.2, 0.3],
  score: 50,
  of: 'O1',
  group: 'carbonyl',
  grant: 'not granted',
  ...change,
});
const spots = [
  wish({ grant: 'granted', by: { site: 'a', operator: 1, shift: [0, 0, 0] }, distance: 0.4, strength: 31.2 }),
  wish({ at: [3, 2, 1], position: [0.3, 0.2, 0.1], grant: 'half granted', score: 20 }),
  wish({ at: [5, 5, 5], position: [0.5, 0.5, 0.5], probe: 'acceptor', score: 200 }),
];
const wishes: Wishes = {
  molecule: { formula: 'C2 H4 O', atoms: [] },
  spots,
  contacts: [],
  served: 0.417,
  remarks: ['odd'],
};

describe('wishes in words', () => {
  it('one figure, counts by probe, and a level by the best of a probe', () => {
    expect(servedWords(wishes)).toBe('The crystal serves C2 H4 O with 42 % of its wishes.');
    const { served: _, ...none } = wishes;
    expect(servedWords(none)).toContain('wishes for none');
    expect(grantCounts(wishes, 'donor')).toEqual([1, 1, 0]);
    expect(grantCounts(wishes, 'acceptor')).toEqual([0, 0, 1]);
    expect(levelAt(wishes, 'acceptor', 0.3)).toBeCloseTo(60, 10);
    expect(levelAt(wishes, 'iodine', 0.3)).toBe(1.5);
  });

  it('who grants with its symmetry, and what is surprising', () => {
    expect(byWords(s, spots[0]!)).toBe('O1 2_555');
    expect(byWords(s, spots[2]!)).toBe('');
    const contact = { expected: false } as JudgedContact;
    expect(surpriseWords([contact, { ...contact, expected: true }])).toBe('2 contacts, of which 1 is surprising.');
    expect(surpriseWords([])).toContain('no contact');
  });

  it('a table with a row a spot, the figure in its notes', () => {
    const { columns, rows, notes } = wishTable(s, wishes);
    for (const r of rows) expect(r).toHaveLength(columns.length);
    expect(rows[0]!.slice(7)).toEqual(['granted', 'O1 2_555', '0.40', '31']);
    expect(notes).toEqual([servedWords(wishes), 'odd']);
  });
});

describe('wishes in the picture', () => {
  it('granted ones are full balls, half granted ones cubes, the others open; around the picked one is a larger ball', () => {
    const layers = wishLayers(spots, [], spotName(spots[2]!), PAPER_COLOURS);
    const solid = layers.find((l) => l.kind === 'atoms')!;
    expect(solid.items.map((a) => ('shape' in a ? a.shape : ''))).toEqual(['sphere', 'cube']);
    const points = layers.find((l) => l.kind === 'points')!;
    const radii = points.items.map((p) => ('radius' in p ? p.radius : 0));
    expect(points.items).toHaveLength(3);
    expect(radii[0]).toBeLessThan(0.05);
    expect(radii[2]).toBeGreaterThan(0.3);
    const unpicked = wishLayers(spots, [], undefined, PAPER_COLOURS).find((l) => l.kind === 'points')!;
    expect(unpicked.items.map((p) => ('radius' in p ? p.radius : 0))[2]).toBe(radii[2]! / 2);
  });
});
