import { drawnContacts } from '@nagare/core/depict/contact-lines';
import { describe, expect, it } from 'vitest';
import { SHIPPED } from '@nagare/core/contacts/definition';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import { contactLayers } from '@nagare/core/draw/contact-layers';
import { buildLayers } from '@nagare/core/draw/build-scene';
import { itemsOf } from '@nagare/core/draw/scene';
import { contactsOf } from '@nagare/core/tasks/contacts-task';
import { contactLoops } from '@nagare/core/publish/contact-loops';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { changeWords, contactName, contactTable, graphSetWords, motifWords, networkWords } from './contact-words.ts';
import { moleculeAt } from './drawing.ts';

/** An acid whose hydrogen points at what a centre makes of its carbonyl. */
const acid: Structure = {
  cell: { a: 12, b: 10, c: 10, alpha: 90, beta: 90, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: (
    [
      ['C1', -1.93, 0],
      ['O1', -1.31, 1.07],
      ['O2', -1.28, -1.13],
      ['H2', -0.31, -1.11],
      ['C2', -3.43, 0],
    ] as const
  ).map(([label, x, y]) => ({
    id: label,
    label,
    element: label[0]!,
    position: [x / 12, y / 10, 0],
    occupancy: 1,
    displacement: { kind: 'iso', u: 0.02 },
  })),
};
const definitions = [SHIPPED[0]!];
const found = contactsOf({ structure: acid, definitions });

describe('what the sheet of contacts says', () => {
  it('names contacts, motifs and the network', () => {
    expect(found.contacts.map((c) => contactName(acid, c))).toEqual(['O2–H2⋯O1']);
    expect(motifWords(acid, found, found.motifs[0]!)).toBe('R²₂(8): O2–H2⋯O1');
    expect(networkWords(found)).toBe('Finite groups; a molecule is joined to up to 1 other.');
    expect(graphSetWords('C2,2(10)')).toBe('C²₂(10)');
    expect(graphSetWords('S(6)')).toBe('S(6)');
  });

  it('says what a change let in and put out', () => {
    expect(changeWords(acid, [], found.contacts)).toBe('In came O2–H2⋯O1.');
    expect(changeWords(acid, found.contacts, [])).toBe('Out went O2–H2⋯O1.');
    expect(changeWords(acid, found.contacts, found.contacts)).toBe('');
  });

  it('tables a line a contact with its symmetry code', () => {
    const { columns, rows } = contactTable(acid, found.contacts);
    expect(rows).toHaveLength(1);
    expect(rows[0]).toHaveLength(columns.length);
    expect(rows[0]!.slice(1, 5)).toEqual(['O2', 'H2', 'O1', '2_555']);
  });

  it('goes into loops of a CIF that can be read', () => {
    const text = contactLoops(acid, found.contacts);
    expect(text).toContain('_geom_hbond_distance_HA');
    expect(text).toMatch(/O2 H2 O1 \. \. 2_555 /);
    // Without its hydrogen it is a plain contact.
    const { hydrogen: _, ...bare } = found.contacts[0]!;
    expect(contactLoops(acid, [bare])).toMatch(/_geom_contact_distance\nO2 O1 \. 2_555 /);
  });
});

describe('contacts in the picture', () => {
  const drawn = drawnContacts(found, definitions, PAPER_COLOURS);
  const layersOf = (added: Parameters<typeof moleculeAt>[1][]) => {
    const model = buildLayers(acid, {
      extent: { kind: 'unique' },
      rules: [{ which: { kind: 'all' }, style: { look: 'balls' } }],
      showCell: false,
      labels: 'none',
      colours: PAPER_COLOURS,
      polyhedra: [],
      added,
    });
    return contactLayers(acid, drawn, itemsOf(model, 'atoms', 'model'));
  };

  it('end open where they lead to a molecule that is not drawn, from either of its ends', () => {
    const { open, layers } = layersOf([]);
    expect(open).toHaveLength(2);
    expect(itemsOf(layers, 'bonds', 'contacts')).toHaveLength(2);
    expect(itemsOf(layers, 'points', 'contacts')).toHaveLength(2);
  });

  it('are whole when that molecule is brought, each drawn once', () => {
    const before = layersOf([]);
    const brought = moleculeAt(acid, before.open[0]!.leadsTo);
    expect(brought).toHaveLength(5);
    const { open, layers } = layersOf(brought);
    expect(open).toEqual([]);
    expect(itemsOf(layers, 'bonds', 'contacts')).toHaveLength(2);
  });
});
