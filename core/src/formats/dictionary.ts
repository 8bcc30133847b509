/** Rules of the core CIF dictionary (IUCr core dictionary 2.4 and 3; symmetry, restraints and twinning dictionaries) as data in a form of our own, with definitions in our own words. */
import { INAPPLICABLE, parseCif, UNKNOWN, type CifBlock, type FileProblem } from './cif-parser.ts';
import { parseFormula } from '../crystal/formula.ts';
import { parseMeasured } from '../crystal/uncertainty.ts';
import type { SampleRecord } from './cif-data.ts';
import { DICTIONARY_ITEMS } from './dictionary-items.ts';

export type ItemType = 'text' | 'number' | 'integer' | 'date' | 'formula' | 'label';

export interface DictionaryItem {
  readonly tag: string;
  readonly title: string;
  /** Subject the form groups by; 'computed' items are written by Nagare and not asked for. */
  readonly group: Subject | 'computed';
  readonly type: ItemType;
  readonly from?: number;
  readonly to?: number;
  readonly values?: readonly string[];
  readonly unit?: string;
  readonly definition: string;
  /** A journal expects it. */
  readonly asked?: boolean;
  /** Stays the same from sample to sample of a laboratory. */
  readonly laboratory?: boolean;
  /** Must stand in every CIF of a refined structure. */
  readonly mandatory?: boolean;
  /** A column of a loop. */
  readonly column?: boolean;
}

export const SUBJECTS = [
  'Compound',
  'Crystal',
  'Measurement',
  'Absorption',
  'Refinement',
  'Programs',
  'Publication',
] as const;
export type Subject = (typeof SUBJECTS)[number];

const byTag = new Map(DICTIONARY_ITEMS.map((d) => [d.tag.toLowerCase(), d]));
export const dictionaryItem = (tag: string): DictionaryItem | undefined =>
  byTag.get(tag.toLowerCase().replace(/\./g, '_'));

/** What is wrong with a value, in words; undefined when it is right, unknown ("?", "."), or of an item outside the rules. */
export function checkItem(tag: string, value: string): string | undefined {
  const d = dictionaryItem(tag);
  const text = value.trim();
  if (!d || !text || text === '?' || text === '.' || text === UNKNOWN || text === INAPPLICABLE) return undefined;
  if (d.type === 'number' || d.type === 'integer') {
    const m = parseMeasured(text);
    if (!m) return `"${text.slice(0, 40)}" is not a number.`;
    if (d.type === 'integer' && !Number.isInteger(m.value)) return `${text} is not a whole number.`;
    if (d.from !== undefined && m.value < d.from)
      return `${text} is below ${d.from}${d.unit ? ` ${d.unit}` : ''}, the least it can be.`;
    if (d.to !== undefined && m.value > d.to)
      return `${text} is above ${d.to}${d.unit ? ` ${d.unit}` : ''}, the most it can be.`;
  }
  if (d.type === 'date' && !/^\d{4}-\d{2}-\d{2}/.test(text)) return `"${text}" is not a date like 2026-11-23.`;
  if (d.type === 'formula') {
    try {
      parseFormula(text);
    } catch (e) {
      return (e as Error).message;
    }
  }
  if (d.type === 'label' && /\s/.test(text)) return `"${text}" holds a blank, which a label cannot.`;
  if (d.values && !d.values.some((v) => v.toLowerCase() === text.toLowerCase()))
    return `"${text}" is none of ${d.values.slice(0, 8).join(', ')}${d.values.length > 8 ? ' …' : ''}.`;
  return undefined;
}

export interface FileProblemAt {
  readonly line: number;
  readonly tag: string;
  readonly says: string;
}

/** Where an item of the experiment is kept: a field of its own, or among the items kept word for word. */
export function experimentValue(e: SampleRecord, tag: string): string | undefined {
  switch (tag) {
    case '_chemical_formula_sum':
      return e.formula ? 'known' : undefined;
    case '_exptl_crystal_colour':
      return e.colour;
    case '_exptl_crystal_description':
      return e.habit;
    case '_diffrn_ambient_temperature':
      return e.temperature === undefined ? undefined : String(e.temperature);
    case '_exptl_crystal_size_max':
      return e.size?.[0] ? String(e.size[0]) : undefined;
    case '_exptl_crystal_size_mid':
      return e.size?.[1] ? String(e.size[1]) : undefined;
    case '_exptl_crystal_size_min':
      return e.size?.[2] ? String(e.size[2]) : undefined;
    default:
      return e.kept[tag] ?? e.kept[tag.toLowerCase()];
  }
}

/** The experiment with one item set; fields that have a place of their own go there. */
export function withItem(e: SampleRecord, tag: string, value: string): SampleRecord {
  const text = value.trim();
  const number = Number(text.replace(',', '.'));
  switch (tag) {
    case '_exptl_crystal_colour':
      return { ...e, colour: text };
    case '_exptl_crystal_description':
      return { ...e, habit: text };
    case '_diffrn_ambient_temperature': {
      const { temperature: _t, ...rest } = e;
      return text && Number.isFinite(number) ? { ...e, temperature: number } : rest;
    }
    case '_exptl_crystal_size_max':
    case '_exptl_crystal_size_mid':
    case '_exptl_crystal_size_min': {
      const at = ['max', 'mid', 'min'].indexOf(tag.slice(-3));
      const size = [...(e.size ?? [0, 0, 0])] as [number, number, number];
      size[at] = Number.isFinite(number) ? number : 0;
      return { ...e, size };
    }
    default: {
      const { [tag]: _a, [tag.toLowerCase()]: _b, ...kept } = e.kept;
      return { ...e, kept: text ? { ...kept, [tag]: text } : kept };
    }
  }
}

/** Items a journal asks for that nobody has filled in. */
export const missingItems = (e: SampleRecord): DictionaryItem[] =>
  DICTIONARY_ITEMS.filter((d) => d.asked && !experimentValue(e, d.tag));

/** Items the form offers, by subject. */
export const formItems = (subject: Subject): DictionaryItem[] => DICTIONARY_ITEMS.filter((d) => d.group === subject);

/** Checks a whole CIF against the rules: syntax, types, ranges, enumerations, and what a refined structure must hold. Problems come in the order of their lines. */
export function cifProblems(text: string): FileProblemAt[] {
  let blocks: CifBlock[];
  try {
    blocks = parseCif(text);
  } catch (e) {
    const problem = e as FileProblem;
    return [{ line: problem.line ?? 1, tag: '', says: problem.message.replace(/^Line \d+: /, '') }];
  }
  const out: FileProblemAt[] = [];
  for (const block of blocks) {
    for (const [tag, { value, line }] of block.items) {
      const says = checkItem(tag, value);
      if (says) out.push({ line, tag, says });
    }
    for (const loop of block.loops) {
      const wide = loop.tags.length;
      loop.tags.forEach((tag, column) => {
        if (!dictionaryItem(tag)) return;
        let told = 0;
        for (let i = column; i < loop.values.length && told < 3; i += wide) {
          const says = checkItem(tag, loop.values[i]!);
          // One row is nearly always one line.
          if (says) {
            out.push({ line: loop.line + Math.floor(i / wide), tag, says: `row ${Math.floor(i / wide) + 1}: ${says}` });
            told++;
          }
        }
      });
    }
    const present = new Set([...block.items.keys(), ...block.loops.flatMap((l) => l.tags)]);
    if (!present.has('_atom_site_label')) continue;
    for (const d of DICTIONARY_ITEMS)
      if (d.mandatory && !present.has(d.tag.toLowerCase()))
        out.push({ line: block.line, tag: d.tag, says: `${d.title} is missing.` });
    const labels = new Set<string>();
    const sites = block.loops.find((l) => l.tags.includes('_atom_site_label'));
    sites?.values.forEach((v, i) => {
      if (sites.tags[i % sites.tags.length] !== '_atom_site_label') return;
      if (labels.has(v))
        out.push({
          line: sites.line + Math.floor(i / sites.tags.length),
          tag: '_atom_site_label',
          says: `the label ${v} is given twice.`,
        });
      labels.add(v);
    });
    // Every label that a table speaks of must be a site.
    for (const loop of block.loops)
      loop.tags.forEach((tag, column) => {
        if (!/^_(geom_.*atom_site_label|atom_site_aniso_label|restr_.*atom_site_label)/.test(tag)) return;
        for (let i = column; i < loop.values.length; i += loop.tags.length) {
          const v = loop.values[i]!;
          if (v !== UNKNOWN && v !== INAPPLICABLE && !labels.has(v)) {
            out.push({ line: loop.line + Math.floor(i / loop.tags.length), tag, says: `${v} is not among the sites.` });
            break;
          }
        }
      });
  }
  return out.sort((p, q) => p.line - q.line);
}
