/** Reference structures: what a collection tells about each, and how its lines are read. */
import { cellVolume, type Cell } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { formulaText, type Formula } from '../crystal/formula.ts';
import { crystalSystem, laueClass, type CrystalSystem } from '../crystal/point-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { cellContents, siteMultiplicity, type Structure } from '../crystal/structure.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { ENTRIES_TABLE } from './entries-table.ts';

/** What stands on a card of the shelf. */
export interface ShelfCard {
  readonly id: string;
  readonly name: string;
  readonly alias: string;
  readonly formula: string;
  /** Element → count in the smallest whole formula, or as it comes with mixed sites. */
  readonly contents: Formula;
  readonly spaceGroup: string;
  readonly system: CrystalSystem;
  readonly cell: Cell;
  readonly volume: number;
  /** K; GPa above the atmosphere. */
  readonly temperature?: number;
  readonly pressure: number;
  readonly source: string;
  readonly quality: 'A' | 'B' | 'C' | 'own';
  readonly note: string;
  /** What to know before it is used. */
  readonly warnings: readonly string[];
}

export interface ShelfEntry extends ShelfCard {
  readonly structure: Structure;
}

export const QUALITY_WORDS: Readonly<Record<ShelfCard['quality'], string>> = {
  A: 'cell to four digits, positions refined',
  B: 'cell good, positions ideal, mixed or rounded',
  C: 'old, or under unusual conditions',
  own: 'your own file',
};

const fraction = (text: string): number => {
  const [p, q] = text.split('/');
  return q ? Number(p) / Number(q) : Number(p);
};

/** Fills in what symmetry says of a cell: "a", "a c" or all. */
function readCell(text: string, symbol: string): Cell {
  const n = text.trim().split(/\s+/).map(Number);
  if (n.length === 6) return { a: n[0]!, b: n[1]!, c: n[2]!, alpha: n[3]!, beta: n[4]!, gamma: n[5]! };
  const system = crystalSystem(laueClass(spaceGroupFromSymbol(symbol)));
  const hexagonal = system === 'hexagonal' || system === 'trigonal';
  const [a, b, c] =
    n.length === 1 ? [n[0]!, n[0]!, n[0]!] : n.length === 2 ? [n[0]!, n[0]!, n[1]!] : [n[0]!, n[1]!, n[2]!];
  return { a, b, c, alpha: 90, beta: 90, gamma: hexagonal ? 120 : 90 };
}

const greatestDivisor = (a: number, b: number): number => (b ? greatestDivisor(b, a % b) : a);

/** Formula of the smallest unit: whole counts where there are any; else the cell's contents over the common divisor of the multiplicities of its positions. */
export function smallestFormula(s: Structure): Formula {
  const contents = cellContents(s),
    counts = Object.values(contents);
  const over = (z: number, digits: number): Formula =>
    Object.fromEntries(Object.entries(contents).map(([e, n]) => [e, Math.round((digits * n) / z) / digits]));
  if (counts.every((n) => Math.abs(n - Math.round(n)) < 0.01))
    return over(counts.map(Math.round).reduce(greatestDivisor), 1);
  return over(s.sites.map((x) => siteMultiplicity(s, x)).reduce(greatestDivisor), 100);
}

/** Warnings of a structure under the conditions given. */
export function shelfWarnings(s: Structure, temperature: number | undefined, pressure: number): string[] {
  const out: string[] = [];
  if (pressure > 0.1) out.push(`under ${pressure} GPa: the cell is smaller than at the atmosphere`);
  if (temperature !== undefined && temperature > 400)
    out.push(`at ${temperature} K: the cell is larger than at room temperature`);
  if (temperature !== undefined && temperature < 260)
    out.push(`at ${temperature} K: the cell is smaller than at room temperature, or the phase does not last to it`);
  const partial = s.sites.filter((x) => x.occupancy < 0.995);
  const sums = new Map<string, number>();
  for (const x of s.sites)
    sums.set(
      x.position.map((v) => v.toFixed(4)).join(),
      (sums.get(x.position.map((v) => v.toFixed(4)).join()) ?? 0) + x.occupancy,
    );
  if (partial.length)
    out.push(
      [...sums.values()].every((v) => v > 0.995 && v < 1.005)
        ? `mixed sites (${[...new Set(partial.map((x) => x.element))].join(', ')})`
        : `partly empty sites (${partial.map((x) => x.label).join(', ')})`,
    );
  const least = (i: number, j: number): number =>
    0.7 * (elementOf(s.sites[i]!.element).covalentRadius + elementOf(s.sites[j]!.element).covalentRadius);
  const short = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    { widest: 1.4 * Math.max(0, ...s.sites.map((x) => elementOf(x.element).covalentRadius)), of: least },
  ).find((b) => b.distance > 0.05 && s.sites[b.from]!.occupancy + s.sites[b.to]!.occupancy > 1.5);
  if (short)
    out.push(
      `implausibly close: ${s.sites[short.from]!.label} and ${s.sites[short.to]!.label}, ${short.distance.toFixed(2)} Å apart`,
    );
  return out;
}

/** A card made from a structure. */
export function cardOf(
  id: string,
  name: string,
  structure: Structure,
  about: { alias?: string; temperature?: number; pressure?: number; source: string; quality: ShelfCard['quality'] },
): ShelfEntry {
  const contents = smallestFormula(structure);
  const pressure = about.pressure ?? 0;
  return {
    id,
    name,
    alias: about.alias ?? '',
    formula: formulaText(contents),
    contents,
    spaceGroup: structure.spaceGroup.symbol,
    system: crystalSystem(laueClass(structure.spaceGroup)),
    cell: structure.cell,
    volume: cellVolume(structure.cell),
    ...(about.temperature !== undefined ? { temperature: about.temperature } : {}),
    pressure,
    source: about.source,
    quality: about.quality,
    note: QUALITY_WORDS[about.quality],
    warnings: shelfWarnings(structure, about.temperature, pressure),
    structure,
  };
}

/** Reads one line of the table. Throws RangeError for a line that is not an entry. */
export function readEntry(line: string): ShelfEntry {
  const [id, name, alias, symbol, cellText, sitesText, kelvin, gpa, source, quality] = line.split('|');
  if (quality === undefined) throw new RangeError(`Not an entry of the shelf: ${line}`);
  const spaceGroup = spaceGroupFromSymbol(symbol!);
  const cell = readCell(cellText!, symbol!);
  const seen: Record<string, number> = {};
  const sites = sitesText!.split(';').map((text) => {
    const [element, x, y, z, occupancy] = text.trim().split(/\s+/);
    const n = (seen[element!] = (seen[element!] ?? 0) + 1);
    const heavy = elementOf(element!).z;
    return {
      id: `${id}-${element}${n}`,
      label: `${element}${n}`,
      element: element!,
      position: [fraction(x!), fraction(y!), fraction(z!)] as const,
      occupancy: occupancy ? Number(occupancy) : 1,
      displacement: { kind: 'iso' as const, u: element === 'H' ? 0.02 : heavy < 10 ? 0.008 : 0.006 },
    };
  });
  const temperature = kelvin ? Number(kelvin) : undefined;
  const from =
    source === 'textbook'
      ? 'structure type and cell of the textbooks'
      : source === 'standard'
        ? 'cell of a common standard'
        : source!;
  return cardOf(
    id!,
    name!,
    { cell, spaceGroup, sites },
    {
      alias: alias!,
      ...(temperature !== undefined ? { temperature } : {}),
      pressure: Number(gpa),
      source: from,
      quality: quality.trim() as 'A' | 'B' | 'C',
    },
  );
}

let collection: readonly ShelfEntry[] | undefined;
/** The collection that ships with Nagare, read once. */
export const shippedShelf = (): readonly ShelfEntry[] =>
  (collection ??= ENTRIES_TABLE.trim().split('\n').map(readEntry));
