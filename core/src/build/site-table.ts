/** Tables of sites as people paste them: from a paper, a sheet or by hand, the columns in any usual order. */
import { elementFromLabel, findElement } from '../crystal/elements.ts';
import { newId, type Site } from '../crystal/structure.ts';
import { toVec3 } from '../math/matrix3.ts';

export interface ReadSite {
  readonly site: Site;
  /** Line of the text, from 1. */
  readonly line: number;
}

export interface SiteTable {
  readonly sites: readonly ReadSite[];
  /** Lines that hold no site, with the reason. */
  readonly problems: readonly { readonly line: number; readonly text: string; readonly reason: string }[];
  /** What each column was taken for, in words. */
  readonly understood: string;
}

type Column = 'label' | 'element' | 'charge' | 'wyckoff' | 'x' | 'y' | 'z' | 'occupancy' | 'U' | 'B' | 'ignored';

const HEADINGS: Readonly<Record<string, Column>> = {
  label: 'label', site: 'label', atom: 'label', name: 'label',
  element: 'element', type: 'element', symbol: 'element', species: 'element',
  charge: 'charge', ion: 'element', oxidation: 'charge',
  wyckoff: 'wyckoff', wyck: 'wyckoff', position: 'wyckoff', mult: 'wyckoff', multiplicity: 'wyckoff',
  x: 'x', y: 'y', z: 'z', 'x/a': 'x', 'y/b': 'y', 'z/c': 'z',
  occupancy: 'occupancy', occ: 'occupancy', sof: 'occupancy', 'occ.': 'occupancy',
  u: 'U', uiso: 'U', ueq: 'U', 'u(eq)': 'U', 'u(iso)': 'U', b: 'B', biso: 'B', beq: 'B',
}; // prettier-ignore

const USUAL_U = 0.01;

interface Reading {
  readonly value: number;
  readonly su: number;
}

/** "0.1234(5)", "1/3", "-.25", "2/3"; a comma as decimal sign too. Undefined for anything else. */
export function readNumber(text: string): Reading | undefined {
  const clean = text.replace(/[−–]/g, '-');
  const fraction = /^([+-]?\d+)\/(\d+)$/.exec(clean);
  if (fraction && Number(fraction[2])) return { value: Number(fraction[1]) / Number(fraction[2]), su: 0 };
  const m = /^([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))(?:\((\d+)\))?$/.exec(clean);
  if (!m) return undefined;
  const digits = m[1]!.replace(',', '.');
  const decimals = digits.split('.')[1]?.length ?? 0;
  return { value: Number(digits), su: m[2] ? Number(m[2]) * 10 ** -decimals : 0 };
}

/** Thirds, sixths and their like written with four or more digits are what they stand for. */
function exact(x: number, text: string): number {
  const decimals = text.split(/[.,]/)[1]?.replace(/\(.*/, '').length ?? 0;
  if (decimals < 3) return x;
  for (const n of [3, 6, 12]) {
    const near = Math.round(x * n) / n;
    if (Math.abs(near - x) < 0.6 * 10 ** -decimals) return near;
  }
  return x;
}

const isLetter = (w: string): boolean => /^\d{1,3}[a-zA-Z]$/.test(w);
const splitLine = (line: string): string[] =>
  (/[;\t|]/.test(line) ? line.split(/[;\t|]+/) : /,\s/.test(line) ? line.split(/,?\s+/) : line.trim().split(/\s+/))
    .map((w) => w.trim().replace(/,$/, ''))
    .filter(Boolean);

const headingOf = (word: string): Column | undefined =>
  HEADINGS[word.toLowerCase().replace(/[[\]()Å²^2*]/g, (c) => ('()'.includes(c) ? c : ''))];

/** Columns named in a line: at least x, y and z. */
function columnsNamed(words: readonly string[]): Column[] | undefined {
  const found = words.map(headingOf);
  return ['x', 'y', 'z'].every((c) => found.includes(c as Column)) ? found.map((c) => c ?? 'ignored') : undefined;
}

/** What the words of a line are, where nothing names them: names first, three coordinates, then occupancy and U. */
function columnsGuessed(words: readonly string[]): Column[] | undefined {
  const isNumber = words.map((w) => readNumber(w) !== undefined);
  const start = words.findIndex(
    (_, i) => isNumber[i] && isNumber[i + 1] && isNumber[i + 2] && isCoordinates(words.slice(i, i + 3)),
  );
  if (start < 0) return undefined;
  const out: Column[] = words.map(() => 'ignored');
  words.slice(0, start).forEach((w, i) => {
    if (isLetter(w)) out[i] = 'wyckoff';
    else if (!out.includes('label') && !isNumber[i]) out[i] = 'label';
    else if (findElement(w.replace(/\d?[+-]\d?$/, ''))) out[i] = 'element';
  });
  (['x', 'y', 'z'] as const).forEach((c, k) => (out[start + k] = c));
  const rest = words
    .map((_, i) => i)
    .slice(start + 3)
    .filter((i) => isNumber[i]);
  for (const i of rest) {
    const { value } = readNumber(words[i]!)!;
    if (!out.includes('occupancy') && (rest.length > 1 || value > 0.15) && value > 0 && value <= 1)
      out[i] = 'occupancy';
    else if (!out.includes('U') && value >= 0) out[i] = value > 0.2 ? 'B' : 'U';
  }
  // A letter may stand behind the coordinates.
  words.forEach((w, i) => {
    if (i > start + 2 && isLetter(w)) out[i] = 'wyckoff';
  });
  return out;
}

/** A multiplicity before x, y, z is a whole number beyond one. */
const isCoordinates = (words: readonly string[]): boolean => words.every((w) => Math.abs(readNumber(w)!.value) < 2);

function elementOfWords(
  label: string | undefined,
  element: string | undefined,
): { element: string; charge?: number } | undefined {
  const word = element ?? label ?? '';
  const ion = /^([A-Za-z]{1,2})(\d*)([+-])(\d*)$/.exec(word);
  const symbol = findElement(ion?.[1] ?? word)?.symbol ?? elementFromLabel(word);
  if (!symbol) return undefined;
  const size = Number(ion?.[2] || ion?.[4] || 1);
  return ion ? { element: symbol, charge: ion[3] === '+' ? size : -size } : { element: symbol };
}

/** Reads a table of sites; lines that hold none are told with the reason, and nothing else is lost. */
export function readSiteTable(text: string): SiteTable {
  const sites: ReadSite[] = [];
  const problems: SiteTable['problems'][number][] = [];
  let named: Column[] | undefined;
  let understood: Column[] | undefined;
  text.split(/\r?\n/).forEach((raw, i) => {
    const line = i + 1;
    const bare = raw.replace(/(^|\s)[#!].*$/, '').trim();
    if (!bare) return;
    const words = splitLine(bare);
    const heading = columnsNamed(words);
    if (heading) {
      named = heading;
      return;
    }
    const columns = named && words.length >= 3 ? named : columnsGuessed(words);
    const made = columns ? siteOf(words, columns, line) : 'there are no three coordinates in it';
    if (typeof made === 'string') problems.push({ line, text: raw.trim(), reason: made });
    else {
      understood ??= columns;
      sites.push(made);
    }
  });
  return {
    sites: labelled(sites),
    problems,
    understood: understood ? understood.filter((c) => c !== 'ignored').join(', ') : '',
  };
}

/** Labels, each once: sites without one, or with one that is taken, get the next number of their element. */
function labelled(sites: readonly ReadSite[]): ReadSite[] {
  const taken = new Set<string>();
  return sites.map((r) => {
    let { label } = r.site;
    for (let n = 1; taken.has(label) || label === r.site.element; n++) label = `${r.site.element}${n}`;
    taken.add(label);
    return { ...r, site: { ...r.site, label } };
  });
}

function siteOf(words: readonly string[], columns: readonly Column[], line: number): ReadSite | string {
  const word = (c: Column): string | undefined => {
    const at = columns.indexOf(c);
    return at < 0 ? undefined : words[at];
  };
  const ion = elementOfWords(word('label'), word('element'));
  if (!ion) return `"${word('element') ?? word('label') ?? words[0]}" names no element`;
  const read = (['x', 'y', 'z'] as const).map((c) => readNumber(word(c) ?? ''));
  const missing = read.findIndex((n) => !n);
  if (missing >= 0) return `"${word('xyz'[missing] as Column) ?? ''}" is no coordinate`;
  const occupancy = readNumber(word('occupancy') ?? '1')?.value ?? 1;
  if (!(occupancy > 0 && occupancy <= 1)) return `an occupancy of ${occupancy} is not between 0 and 1`;
  const u = readNumber(word('U') ?? '')?.value ?? (readNumber(word('B') ?? '')?.value ?? NaN) / (8 * Math.PI ** 2);
  const charge = readNumber((word('charge') ?? '').replace(/^(\d+)([+-])$/, '$2$1'))?.value ?? ion.charge;
  const su = toVec3(read.map((n) => n!.su));
  const site: Site = {
    id: newId(),
    label: word('label') ?? ion.element,
    element: ion.element,
    position: toVec3(read.map((n, k) => exact(n!.value, word('xyz'[k] as Column)!))),
    occupancy,
    displacement: Number.isFinite(u) && u > 0 ? { kind: 'iso', u } : { kind: 'iso', u: USUAL_U, assumed: true },
    ...(su.some((x) => x > 0) ? { positionSu: su } : {}),
    ...(charge !== undefined && Number.isInteger(charge) && charge ? { charge } : {}),
  };
  return { site, line };
}
