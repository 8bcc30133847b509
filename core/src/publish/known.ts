/** Everything known of a structure in groups that read well: what Nagare works out, and what its file said beside that. */
import { itemsOf } from '../formats/cif-items.ts';
import { parseCif } from '../formats/cif-parser.ts';
import { dictionaryItem, type DictionaryItem, type Subject } from '../formats/dictionary.ts';
import { prettySymbol } from '../crystal/settings.ts';
import { parseMeasured } from '../crystal/uncertainty.ts';
import { bondTable, kindSummaries } from '../geometry/length-table.ts';
import { structureCif, type CifInput } from './structure-cif.ts';
import type { PlainTable } from './tables.ts';

export const KNOWN_GROUPS = [
  'Identity',
  'Crystal',
  'Conditions',
  'Measurement',
  'Refinement',
  'Geometry',
  'Source',
  'Remarks',
  'Other items of the file',
] as const;
export type KnownGroup = (typeof KNOWN_GROUPS)[number];

export interface KnownRow {
  /** The data name of the item, in lower case; `geometry …` for what has none. */
  readonly key: string;
  readonly group: KnownGroup;
  readonly name: string;
  readonly value: string;
  readonly unit?: string;
  readonly meaning?: string;
  /** What the file said, where it is something else. */
  readonly recorded?: string;
}

const SUBJECT_GROUPS: Readonly<Record<Subject, KnownGroup>> = {
  Compound: 'Identity',
  Crystal: 'Crystal',
  Measurement: 'Measurement',
  Absorption: 'Measurement',
  Refinement: 'Refinement',
  Programs: 'Source',
  Publication: 'Source',
};

/** Groups by the beginning of the data name, where the dictionary has none; the first that fits. */
const BEGINNINGS: readonly (readonly [RegExp, KnownGroup])[] = [
  [/special_details|_details$|comment|remark|publ_section/, 'Remarks'],
  [/ambient|temperature|pressure|environment/, 'Conditions'],
  [/^_(cell|space_group|symmetry|exptl_crystal)/, 'Crystal'],
  [/^_(diffrn|reflns|exptl_absorpt|pd_)/, 'Measurement'],
  [/^_(refine|restr|twin)/, 'Refinement'],
  [/^_(geom|atom_sites)/, 'Geometry'],
  [/^_(audit|publ|journal|computing|citation|database)/, 'Source'],
  [/^_(chemical|exptl)/, 'Identity'],
];

function groupOf(tag: string, item: DictionaryItem | undefined): KnownGroup {
  const [details, conditions, ...rest] = BEGINNINGS;
  // What the item is about goes before the subject that it is asked under.
  for (const [pattern, group] of [details!, conditions!]) if (pattern.test(tag)) return group;
  if (item && item.group !== 'computed') return SUBJECT_GROUPS[item.group];
  return rest.find(([pattern]) => pattern.test(tag))?.[1] ?? 'Other items of the file';
}

/** A data name in words, where no dictionary names it. */
const plainName = (tag: string): string => {
  const words = tag.replace(/^_/, '').replace(/[_.]/g, ' ');
  return words.charAt(0).toUpperCase() + words.slice(1);
};

/** Whether two texts say the same: as numbers where both are. */
function isSame(p: string, q: string): boolean {
  if (p.trim() === q.trim()) return true;
  const [a, b] = [parseMeasured(p), parseMeasured(q)];
  if (!a || !b) return p.replace(/\s+/g, ' ').trim().toLowerCase() === q.replace(/\s+/g, ' ').trim().toLowerCase();
  const digits = (text: string): number => text.replace(/\(.*/, '').split('.')[1]?.length ?? 0;
  // To the digits of the one that has fewer.
  return Math.abs(a.value - b.value) <= 0.51 * 10 ** -Math.min(digits(p), digits(q));
}

function rowOf(tag: string, value: string, recorded?: string): KnownRow {
  const item = dictionaryItem(tag);
  return {
    key: tag,
    group: groupOf(tag, item),
    name: item?.title ?? plainName(tag),
    // As the tables print it, where people read.
    value: /name_h-m/.test(tag) ? prettySymbol(value) : value,
    ...(item?.unit ? { unit: item.unit } : {}),
    ...(item ? { meaning: item.definition } : {}),
    ...(recorded === undefined || isSame(value, recorded) ? {} : { recorded }),
  };
}

/** Bonds by kind, and how many of each. */
function geometryRows(input: CifInput): KnownRow[] {
  if (!input.structure.sites.length) return [];
  const kinds = kindSummaries(bondTable(input.structure, input.covariance));
  return kinds.map((k) => ({
    key: `geometry ${k.kind}`,
    group: 'Geometry' as const,
    name: `${k.kind}, ${k.count === 1 ? 'one bond' : `${k.count} bonds`}`,
    value:
      k.count === 1 ? k.mean.toFixed(3) : `${k.least.toFixed(3)} to ${k.most.toFixed(3)}, mean ${k.mean.toFixed(3)}`,
    unit: 'Å',
    meaning: 'Lengths of the bonds between these elements, each that symmetry makes of another told once.',
  }));
}

/**
 * Rows in the order of their groups: every item that a CIF of the structure would hold, with what its file said (`items`, by data name
 * in lower case) where that is more or something else.
 */
export function knownOf(input: CifInput, items: Readonly<Record<string, string>> = {}): KnownRow[] {
  const own = itemsOf(parseCif(structureCif(input))[0]!);
  // Who wrote it and when is said by the file, where there is one.
  const rows = Object.entries(own).map(([tag, value]) =>
    tag.startsWith('_audit_') ? rowOf(tag, items[tag] ?? value) : rowOf(tag, value, items[tag]),
  );
  for (const [tag, value] of Object.entries(items)) if (!(tag in own)) rows.push(rowOf(tag, value));
  rows.push(...geometryRows(input));
  const place = (g: KnownGroup): number => KNOWN_GROUPS.indexOf(g);
  return rows.map((row, i) => ({ row, i })).sort((p, q) => place(p.row.group) - place(q.row.group) || p.i - q.i).map((x) => x.row); // prettier-ignore
}

/** A row of several structures side by side. */
export interface ComparedRow extends Omit<KnownRow, 'value' | 'recorded'> {
  /** Of each structure; undefined where it is not known of it. */
  readonly values: readonly (string | undefined)[];
  readonly recorded: readonly (string | undefined)[];
  readonly differs: boolean;
}

/** Rows of several structures by what they tell, in the order of the first that has them. */
export function comparedRows(columns: readonly (readonly KnownRow[])[]): ComparedRow[] {
  const keys: KnownRow[] = [];
  const seen = new Set<string>();
  for (const group of KNOWN_GROUPS)
    for (const column of columns)
      for (const row of column)
        if (row.group === group && !seen.has(row.key)) {
          seen.add(row.key);
          keys.push(row);
        }
  return keys.map(({ key, group, name, unit, meaning }): ComparedRow => {
    const found = columns.map((column) => column.find((r) => r.key === key));
    const values = found.map((r) => r?.value);
    const differs = values.some((v) => v === undefined || !isSame(v, values[0] ?? ''));
    return {
      key,
      group,
      name,
      ...(unit ? { unit } : {}),
      ...(meaning ? { meaning } : {}),
      values,
      recorded: found.map((r) => r?.recorded),
      differs: columns.length > 1 && differs,
    };
  });
}

/** Which rows a person shows, and in what order: keys that are hidden, and keys in the order they were put into. */
export interface RowChoice {
  readonly hidden: readonly string[];
  readonly order: readonly string[];
}

/** Rows as they were chosen: within each group those that were put in order, then the others as they come. */
export function chosenRows<R extends { key: string; group: KnownGroup }>(
  rows: readonly R[],
  { hidden, order }: RowChoice,
): R[] {
  const gone = new Set(hidden);
  const place = new Map(order.map((key, i) => [key, i]));
  const rank = (r: R): number => place.get(r.key) ?? order.length;
  return KNOWN_GROUPS.flatMap((group) =>
    rows.filter((r) => r.group === group && !gone.has(r.key)).sort((p, q) => rank(p) - rank(q)),
  );
}

/** Rows that hold every word of a search, in their name, data name, value or meaning. */
export function searchedRows(rows: readonly ComparedRow[], words: string): ComparedRow[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return [...rows];
  return rows.filter((r) => {
    const text = [r.name, r.key, r.group, r.meaning ?? '', ...r.values, ...r.recorded].join(' ').toLowerCase();
    return wanted.every((w) => text.includes(w));
  });
}

/** As a table of names and values, units with the names. */
export const knownTable = (rows: readonly ComparedRow[], names: readonly string[]): PlainTable => ({
  title: 'Everything known about it',
  columns: ['group', 'what', 'data name', ...names],
  rows: rows.map((r) => [
    r.group,
    r.unit ? `${r.name}, ${r.unit}` : r.name,
    r.key.startsWith('_') ? r.key : '',
    ...r.values.map((v) => v ?? ''),
  ]),
  notes: [],
});
