/** Searching a collection of reference structures: what the server's shelf API and the person's own shelf both do. */
import { formulaText, parseFormula } from '../crystal/formula.ts';
import { shortSymbol } from '../crystal/settings.ts';
import type { ShelfCard } from './entry.ts';

export interface ShelfQuery {
  /** Every one of these is in the structure. */
  readonly present?: readonly string[];
  /** None of these is. */
  readonly absent?: readonly string[];
  /** With `present`: nothing beside these and those present. */
  readonly optional?: readonly string[];
  readonly count?: number;
  readonly formula?: string;
  readonly volume?: readonly [number, number];
  readonly spaceGroup?: string;
  /** In names, aliases and sources. */
  readonly text?: string;
  readonly page?: number;
  readonly size?: number;
}

export interface ShelfPage<T extends ShelfCard = ShelfCard> {
  readonly total: number;
  readonly page: number;
  readonly size: number;
  readonly entries: readonly T[];
  /** Where nothing was found: what was changed, and what that finds. */
  readonly nearest?: readonly { readonly change: string; readonly entries: readonly T[] }[];
}

const bare = (text: string): string => text.toLowerCase().replace(/[\s_]/g, '');

/** Whether a card answers a query. */
export function answers(c: ShelfCard, q: ShelfQuery): boolean {
  const own = Object.keys(c.contents);
  if (q.present?.some((e) => !own.includes(e)) || q.absent?.some((e) => own.includes(e))) return false;
  if (q.optional?.length) {
    const allowed = new Set([...q.optional, ...(q.present ?? [])]);
    if (own.some((e) => !allowed.has(e))) return false;
  }
  if (q.count !== undefined && own.length !== q.count) return false;
  if (q.volume && (c.volume < q.volume[0] || c.volume > q.volume[1])) return false;
  if (
    q.spaceGroup &&
    bare(c.spaceGroup) !== bare(q.spaceGroup) &&
    bare(shortSymbol(c.spaceGroup)) !== bare(q.spaceGroup)
  )
    return false;
  if (q.formula) {
    const wanted = parseFormula(q.formula),
      keys = Object.keys(wanted);
    if (keys.length !== own.length || keys.some((e) => !own.includes(e))) return false;
    const ratio = c.contents[keys[0]!]! / wanted[keys[0]!]!;
    if (keys.some((e) => Math.abs(c.contents[e]! / wanted[e]! / ratio - 1) > 0.06)) return false;
  }
  if (q.text) {
    const hay = `${c.name} ${c.alias} ${c.formula} ${c.formula.replace(/\s/g, '')} ${c.source} ${c.id}`.toLowerCase();
    if (
      !q.text
        .toLowerCase()
        .split(/\s+/)
        .every((w) => hay.includes(w))
    )
      return false;
  }
  return true;
}

/** Elements that stand in for one another in minerals and glazes: like charge and size (Shannon 1976), or the same group. */
const ALIKE: readonly (readonly string[])[] = [
  ['Li', 'Na', 'K', 'Rb', 'Cs'],
  ['Mg', 'Zn', 'Co', 'Ni', 'Fe', 'Mn', 'Cu'],
  ['Ca', 'Sr', 'Ba', 'Pb'],
  ['Al', 'Ga', 'Cr', 'Fe', 'V'],
  ['Ti', 'Sn', 'Zr', 'Mn', 'Hf'],
  ['Si', 'Ge', 'Sn'],
  ['Ce', 'Th', 'U', 'Zr'],
  ['F', 'Cl', 'Br', 'I'],
  ['O', 'S', 'Se', 'Te'],
  ['Cu', 'Ag', 'Au'],
  ['Ni', 'Pd', 'Pt'],
  ['Mo', 'W', 'Cr'],
];
export const alike = (e: string): string[] =>
  [...new Set(ALIKE.filter((f) => f.includes(e)).flat())].filter((x) => x !== e);

const QUALITY = 'ABC';
const byTrust = (p: ShelfCard, q: ShelfCard): number =>
  (p.quality === 'own' ? -1 : QUALITY.indexOf(p.quality)) - (q.quality === 'own' ? -1 : QUALITY.indexOf(q.quality)) ||
  p.warnings.length - q.warnings.length ||
  p.name.localeCompare(q.name);

/** Searches a collection; the most trustworthy entries first. Throws SyntaxError for a formula that is none. */
export function searchShelf<T extends ShelfCard>(all: readonly T[], q: ShelfQuery): ShelfPage<T> {
  const found = all.filter((c) => answers(c, q)).sort(byTrust);
  const size = Math.min(200, Math.max(1, q.size ?? 20)),
    page = Math.max(1, q.page ?? 1);
  const part = found.slice((page - 1) * size, page * size);
  if (found.length) return { total: found.length, page, size, entries: part };
  return { total: 0, page, size, entries: [], nearest: nearest(all, q) };
}

/** One element exchanged for a similar one, or one left out; then the limits let go. */
function nearest<T extends ShelfCard>(all: readonly T[], q: ShelfQuery): NonNullable<ShelfPage<T>['nearest']> {
  const out: { change: string; entries: T[] }[] = [];
  const look = (change: string, next: ShelfQuery): void => {
    const entries = all
      .filter((c) => answers(c, next))
      .sort(byTrust)
      .slice(0, 5);
    if (entries.length && out.length < 6) out.push({ change, entries });
  };
  const formula = q.formula ? parseFormula(q.formula) : undefined;
  const present = q.present ?? (formula ? Object.keys(formula) : []);
  for (const e of present)
    for (const other of alike(e)) {
      if (present.includes(other)) continue;
      const swapped = formula
        ? Object.fromEntries(Object.entries(formula).map(([k, n]) => [k === e ? other : k, n]))
        : undefined;
      const { formula: _, ...rest } = q;
      look(`${other} in place of ${e}`, {
        ...rest,
        ...(q.present ? { present: q.present.map((x) => (x === e ? other : x)) } : {}),
        ...(swapped ? { formula: formulaText(swapped) } : {}),
      });
    }
  if (formula) {
    const { formula: _, ...rest } = q;
    look('the same elements in other amounts', {
      ...rest,
      present: Object.keys(formula),
      count: Object.keys(formula).length,
    });
  }
  if (q.present && q.present.length > 1)
    for (const e of q.present)
      look(`without ${e}`, {
        ...q,
        present: q.present.filter((x) => x !== e),
        ...(q.count !== undefined ? { count: q.count - 1 } : {}),
      });
  if (q.spaceGroup) {
    const { spaceGroup: _, ...rest } = q;
    look('in any space group', rest);
  }
  if (q.volume) {
    const { volume, ...rest } = q;
    look('with a cell a tenth smaller or larger', { ...rest, volume: [volume[0] * 0.9, volume[1] * 1.1] });
  }
  if (q.count !== undefined) {
    const { count: _, ...rest } = q;
    look('with any number of elements', rest);
  }
  return out;
}
