/** The tabulated settings: look-up by number, Hall symbol and Hermann–Mauguin symbol in full or short form. */
import { hallOperators } from './hall.ts';
import { SETTINGS_TABLE } from './settings-table.ts';
import { spaceGroupOfClosed, type SpaceGroup } from './space-group.ts';

export interface Setting {
  readonly index: number;
  readonly number: number;
  readonly code: string;
  readonly symbol: string;
  readonly hall: string;
}

export const SETTINGS: readonly Setting[] = SETTINGS_TABLE.trim()
  .split('\n')
  .flatMap((line) => {
    const bar = line.indexOf('|');
    return line
      .slice(bar + 1)
      .split(';')
      .map((entry) => {
        const [code, symbol, hall] = entry.split('|') as [string, string, string];
        return { number: Number(line.slice(0, bar)), code, symbol, hall };
      });
  })
  .map((s, index) => ({ ...s, index }));

const groups = new Map<number, SpaceGroup>();

/** The group of a tabulated setting (computed once). */
export function groupOfSetting(s: Setting): SpaceGroup {
  let g = groups.get(s.index);
  if (!g) {
    g = spaceGroupOfClosed(hallOperators(s.hall), s);
    groups.set(s.index, g);
  }
  return g;
}

const bare = (text: string): string => text.replace(/[\s_]/g, '').toLowerCase();

/** Short symbol for reading aloud: "P 21/c" for "P 1 21/c 1"; other symbols stand as they are. */
export function shortSymbol(symbol: string): string {
  const parts = symbol.trim().split(/\s+/);
  const isMonoclinic = parts.length === 4 && parts.slice(1).filter((p) => p === '1').length === 2;
  return isMonoclinic ? `${parts[0]} ${parts.slice(1).find((p) => p !== '1')}` : symbol;
}

/** Symbol for the eye: screw numbers lowered, as in "P 2₁/c". */
export const prettySymbol = (symbol: string): string =>
  shortSymbol(symbol)
    .replace(/([2346])([1-5])(?!\d)/g, (_, n: string, k: string) => `${n}${'₀₁₂₃₄₅'[Number(k)]}`)
    .replace(/-(\d)/g, '−$1');

/** Drops what a full symbol says beyond the short one: the axes over planes, and the primary axis in cubic groups. */
function shorten(text: string): string {
  let s = text;
  const cubic = /.-3/.test(s.slice(1));
  if (cubic) s = s.replace(/[46][1-5]?\//g, '');
  if (cubic || (s.match(/\//g)?.length ?? 0) > 1) s = s.replace(/(?<![346])21?\//g, '').replace(/(?<=-3)2\//g, '');
  else s = s.replace(/(?<=-3(?:1)?)2\//, '');
  return s;
}

const bySymbol = new Map<string, Setting>();
const byHall = new Map<string, Setting>();
const remember = (key: string, s: Setting): void => {
  if (!bySymbol.has(key)) bySymbol.set(key, s);
};
// Where a type has two origins, the one on the inversion centre is meant unless the other is named.
const inOrder = [...SETTINGS.filter((s) => !s.code.startsWith('1')), ...SETTINGS.filter((s) => s.code.startsWith('1'))];
for (const s of inOrder) {
  byHall.set(s.hall.toLowerCase().replace(/\s+/g, ' '), byHall.get(s.hall.toLowerCase()) ?? s);
  const full = bare(s.symbol),
    short = bare(shortSymbol(s.symbol));
  for (const key of [full, short]) {
    remember(key, s);
    if (s.code) remember(`${key}:${s.code.toLowerCase()}`, s);
  }
}
// Names in use before the e-glide symbol (de Wolff et al. 1992) and the overbar in cubic symbols were adopted.
for (const s of inOrder) {
  const short = bare(shortSymbol(s.symbol));
  const old = short.includes('e') ? [...'abc'].map((letter) => short.replace(/e/g, letter)) : [];
  if (/^.[a-z]-3/.test(short)) old.push(short.replace('-3', '3'));
  for (const name of old) {
    remember(name, s);
    if (s.code) remember(`${name}:${s.code.toLowerCase()}`, s);
  }
}

/** Symbols as word processors and web pages write them: lowered digits, minus signs and marks around what is lowered. */
const typed = (text: string): string =>
  text
    .trim()
    .replace(/^['"]|['"]$/g, '')
    .replace(/[₀-₉]/g, (d) => String(d.charCodeAt(0) - 0x2080))
    .replace(/[−–‐]/g, '-')
    .replace(/<\/?sub>|[~{}$]/gi, '');

/** Letters after a symbol that tell axes or origin, and the codes they stand for. */
const SUFFIXES: Readonly<Record<string, string>> = { h: 'h', r: 'r', s: '1', z: '2' };

/** A symbol with such a letter behind it, and hexagonal axes told by their own centring letter, with the code of the table. */
function coded(key: string): string | undefined {
  const suffix = SUFFIXES[key.at(-1)!];
  if (suffix) return `${key.slice(0, -1).replace(/:$/, '')}:${suffix}`;
  return /^h-?3/.test(key) ? `r${key.slice(1)}:h` : undefined;
}

/** Setting for a Hall or Hermann–Mauguin symbol, blanks free; undefined when nothing tabulated has that name. */
export function findSetting(text: string): Setting | undefined {
  const clean = typed(text);
  const hall = byHall.get(clean.toLowerCase().replace(/_/g, ' ').replace(/\s+/g, ' '));
  const key = bare(clean).replace(/\((\d)\)/g, '$1');
  return (
    bySymbol.get(key) ??
    bySymbol.get(shorten(key)) ??
    hall ??
    [...byHall].find(([k]) => bare(k) === key)?.[1] ??
    bySymbol.get(coded(key) ?? '')
  );
}

/** The reference setting of a type: the first tabulated, with the origin on an inversion centre where there is a choice. */
export function referenceSetting(number: number): Setting {
  const all = SETTINGS.filter((s) => s.number === number);
  const found = all.find((s) => s.code === '2') ?? all[0];
  if (!found) throw new RangeError(`There is no space-group type ${number}.`);
  return found;
}

/** Group for a symbol; throws RangeError with what may be written. */
export function spaceGroupFromSymbol(text: string): SpaceGroup {
  const s = findSetting(text);
  if (!s)
    throw new RangeError(
      `"${text}" is not a known space-group symbol. Write it like "P 21/c", "P 1 21/c 1" or "-P 2ybc".`,
    );
  return groupOfSetting(s);
}
