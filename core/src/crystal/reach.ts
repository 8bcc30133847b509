/** Reflections that the cell and the wavelength cannot give: nothing diffracts below half the wavelength (Bragg's law). */
import { inverseSpacing, reciprocalMetric, type Cell } from './cell.ts';
import { selectObservations, type RawReflections } from './reflections.ts';

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

/** What lies beyond: how many, and the first of them with their places in the list, counted from 1. */
export interface Beyond {
  readonly count: number;
  readonly named: readonly { readonly hkl: readonly [number, number, number]; readonly place: number }[];
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
  const inside = limitingSphere(cell, wavelength);
  const places: number[] = [];
  for (let i = 0; i < raw.count; i++) if (!inside(raw.h[i]!, raw.k[i]!, raw.l[i]!)) places.push(i);
  if (!places.length || places.length > MOST_BEYOND * raw.count) return { raw };
  const left = new Set(places);
  return {
    raw: selectObservations(raw, (i) => !left.has(i)),
    beyond: {
      count: places.length,
      named: places.slice(0, NAMED).map((i) => ({ hkl: [raw.h[i]!, raw.k[i]!, raw.l[i]!], place: i + 1 })),
    },
  };
}

/** What was set aside as a sentence. */
export function beyondText({ count, named }: Beyond): string {
  const list = named.map(({ hkl, place }) => `${hkl.join(' ')} (row ${place})`).join(', ');
  const more = count > named.length ? ` and ${count - named.length} more` : '';
  return `${count === 1 ? 'One reflection lies' : `${count} reflections lie`} beyond what the cell and the wavelength allow and ${count === 1 ? 'was' : 'were'} set aside: ${list}${more}.`;
}
