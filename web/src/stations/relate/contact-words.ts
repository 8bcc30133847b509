/** What the sheet of contacts says, and what it draws. */
import type { Contact } from '@nagare/core/contacts/find-contacts';
import { refKey, siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { FoundContacts } from '@nagare/core/tasks/contacts-task';
import type { Motif } from '@nagare/core/contacts/motifs';
import type { PlainTable } from '@nagare/core/publish/tables';

const label = (s: Structure, a: AtomRef): string => siteOf(s, a)?.label ?? '?';

/** One key for a contact, whatever else is told of it. */
export const contactKey = (c: Contact): string =>
  [c.definition, c.giver, c.hydrogen, c.taker].map((x) => (typeof x === 'object' ? refKey(x) : (x ?? ''))).join(' ');

/** "O6–H18⋯O4", rings by their first atom. */
export function contactName(s: Structure, c: Contact): string {
  const giver = c.giverRing ? `ring of ${label(s, c.giver)}` : label(s, c.giver);
  const taker = c.takerRing ? `ring of ${label(s, c.taker)}` : label(s, c.taker);
  return `${giver}${c.hydrogen ? `–${label(s, c.hydrogen)}` : ''}⋯${taker}`;
}

/** What a change let in and what it put out, in words; nothing where nothing changed. */
export function changeWords(s: Structure, before: readonly Contact[], now: readonly Contact[]): string {
  const [old, fresh] = [new Set(before.map(contactKey)), new Set(now.map(contactKey))];
  const came = now.filter((c) => !old.has(contactKey(c))).map((c) => contactName(s, c));
  const went = before.filter((c) => !fresh.has(contactKey(c))).map((c) => contactName(s, c));
  const some = (list: readonly string[]): string =>
    list.length > 4 ? `${list.slice(0, 4).join(', ')} and ${list.length - 4} more` : list.join(', ');
  const parts = [came.length ? `In came ${some(came)}` : '', went.length ? `out went ${some(went)}` : ''];
  const text = parts.filter(Boolean).join('; ');
  return text ? `${text[0]!.toUpperCase()}${text.slice(1)}.` : '';
}

const signs = (v: readonly number[]): string => `[${v.map((x) => (x < 0 ? `−${-x}` : x)).join(' ')}]`;
const SUPER = '⁰¹²³⁴⁵⁶⁷⁸⁹',
  SUB = '₀₁₂₃₄₅₆₇₈₉';
const inDigits = (text: string, digits: string): string => [...text].map((c) => digits[Number(c)] ?? c).join('');

/** "R2,2(8)" as R²₂(8): acceptors above, donors below. */
export const graphSetWords = (set: string): string =>
  set.replace(
    /^([RC])(\d+),(\d+)/,
    (_, letter: string, a: string, d: string) => `${letter}${inDigits(a, SUPER)}${inDigits(d, SUB)}`,
  );

export function motifWords(s: Structure, found: FoundContacts, m: Motif): string {
  const who = m.contacts.map((i) => contactName(s, found.contacts[i]!)).join(' with ');
  const along = m.direction ? ` along ${signs(m.direction)}, repeat ${m.period!.toFixed(2)} Å` : '';
  return `${graphSetWords(m.graphSet)}: ${who}${along}`;
}

export function networkWords({ network }: FoundContacts): string {
  const { dimension, shape, directions, coordination } = network;
  if (!coordination) return 'Nothing leads from one molecule to another.';
  const where = dimension ? ` along ${directions.map(signs).join(', ')}` : '';
  const what = shape === 'finite' ? 'Finite groups' : `A ${shape}${where}`;
  return `${what}; a molecule is joined to up to ${coordination} ${coordination === 1 ? 'other' : 'others'}.`;
}

export const lengthOf = (m: { value: number; su: number } | undefined, digits: number): string =>
  m ? formatMeasured(m.value, m.su, digits) : '';

/** The table for copies and files. */
export function contactTable(s: Structure, list: readonly Contact[]): PlainTable {
  const plain = (x: number | undefined, digits: number): string => (x === undefined ? '' : x.toFixed(digits));
  return {
    title: 'Contacts',
    columns: [
      'definition',
      'giver',
      'hydrogen',
      'taker',
      'symmetry',
      'D–H, Å',
      'H⋯A, Å',
      'D⋯A, Å',
      'angle, °',
      'inside',
      'at taker, °',
      'out of plane, °',
      'valence',
    ],
    rows: list.map((c) => [
      c.definition,
      label(s, c.giver),
      c.hydrogen ? label(s, c.hydrogen) : '',
      label(s, c.taker),
      symmetryCode(c.taker),
      lengthOf(c.dh, 3),
      lengthOf(c.ha, 3),
      lengthOf(c.da, 4),
      lengthOf(c.angle, 1),
      c.inside ? 'inside' : 'between',
      plain(c.atTaker, 1),
      plain(c.outOfPlane, 1),
      plain(c.valence, 3),
    ]),
    notes: [],
  };
}
