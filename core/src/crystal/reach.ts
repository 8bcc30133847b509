/** Reflections that the cell and the wavelength cannot give: nothing diffracts below half the wavelength (Bragg's law). */
import { inverseSpacing, reciprocalMetric, type Cell } from './cell.ts';
import { lineOf, selectObservations, type RawReflections } from './reflections.ts';

/** Shares of the limit that the s.u. of cells and wavelengths may make up. */
const SLACK = 1.01;
/** With a larger share beyond, the cell or the wavelength is wrong rather than the reflections. */
const MOST_BEYOND = 0.1;
/** Å: no structure is measured with shorter X-rays. */
const SHORTEST_WAVELENGTH = 0.1;
/** Of those set aside, how many are named. */
const NAMED = 8;

/** Whether a reflection lies inside of the limiting sphere, 1/d ≤ 2/λ; without a wavelength (Å), that of the shortest. */
export function limitingSphere(
  cell: Cell,
  wavelength = SHORTEST_WAVELENGTH,
): (h: number, k: number, l: number) => boolean {
  const g = reciprocalMetric(cell);
  const most = (2 / wavelength) * SLACK;
  return (h, k, l) => inverseSpacing(g, h, k, l) <= most;
}

export interface BeyondReach {
  readonly hkl: readonly [number, number, number];
  /** Line of the file where it is known, else the place in the list; both counted from 1. */
  readonly line?: number;
  readonly place: number;
}

/** What lies beyond: how many, and the first of them. */
export interface Beyond {
  readonly count: number;
  readonly named: readonly BeyondReach[];
  /** They were so many that they were kept. */
  readonly kept?: true;
}

/** Places of the observations that lie beyond, and whether they are so many that cell or wavelength must be wrong. */
export function beyondReach(
  raw: RawReflections,
  inside: (h: number, k: number, l: number) => boolean,
): { readonly places: readonly number[]; readonly many: boolean } {
  const places: number[] = [];
  for (let i = 0; i < raw.count; i++) if (!inside(raw.h[i]!, raw.k[i]!, raw.l[i]!)) places.push(i);
  return { places, many: places.length > MOST_BEYOND * raw.count };
}

/**
 * The observations that can be, and which were set aside. Where more than a tenth lies beyond, all are kept: then the cell or
 * the wavelength is wrong.
 */
export function withinReach(
  raw: RawReflections,
  cell: Cell,
  wavelength?: number,
): { raw: RawReflections; beyond?: Beyond } {
  const { places, many } = beyondReach(raw, limitingSphere(cell, wavelength));
  if (!places.length) return { raw };
  const named = places.slice(0, NAMED).map((i): BeyondReach => {
    const line = lineOf(raw, i);
    return { hkl: [raw.h[i]!, raw.k[i]!, raw.l[i]!], place: i + 1, ...(line === undefined ? {} : { line }) };
  });
  if (many) return { raw, beyond: { count: places.length, named, kept: true } };
  const left = new Set(places);
  return { raw: selectObservations(raw, (i) => !left.has(i)), beyond: { count: places.length, named } };
}

/** What lies beyond, and what was done with it, as a sentence. */
export function beyondText({ count, named, kept }: Beyond): string {
  const where = (b: BeyondReach): string => (b.line === undefined ? `row ${b.place}` : `line ${b.line}`);
  const list = named.map((b) => `${b.hkl.join(' ')} (${where(b)})`).join(', ');
  const more = count > named.length ? ` and ${count - named.length} more` : '';
  const one = count === 1;
  const done = kept
    ? `. So many can be no slips of single rows: the cell or the wavelength is wrong, and all ${count} were kept`
    : ` and ${one ? 'was' : 'were'} set aside`;
  return `${one ? 'One reflection lies' : `${count} reflections lie`} beyond what the cell and the wavelength allow (d < λ/2)${done}: ${list}${more}.`;
}
