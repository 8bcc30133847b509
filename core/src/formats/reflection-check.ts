/** Which rows of a reflection list cannot be data, whatever the list. */
import { beyondReach } from '../crystal/reach.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { Asides } from './asides.ts';

/** Larger indices would mean a cell of a thousand ångström or more at the usual resolutions. */
export const LARGEST_INDEX = 1000;
/** Larger intensities are slips; beyond, squares in sums would lose what counts. */
const LARGEST_INTENSITY = 1e15;

const reflections = (n: number): string => (n === 1 ? 'one reflection' : `${n} reflections`);
const were = (n: number): string => (n === 1 ? 'was' : 'were');

type Reason = 'index' | 'reach' | 'intensity' | 'sigma';

const SENTENCE: Record<Reason, (n: number, where: string) => string> = {
  index: (n, where) => `${reflections(n)} with an index beyond ±${LARGEST_INDEX} ${were(n)} set aside (${where}).`,
  reach: (n, where) =>
    `${reflections(n)} beyond what the cell and the wavelength allow (d < λ/2) ${were(n)} set aside (${where}).`,
  intensity: (n, where) =>
    `${reflections(n)} whose intensity is not a number within ±10¹⁵ ${were(n)} set aside (${where}).`,
  sigma: (n, where) => `${reflections(n)} whose s.u. is not a positive number ${were(n)} set aside (${where}).`,
};

/** Whether cell and wavelength allow a reflection. */
type Reach = (h: number, k: number, l: number) => boolean;

/** What rows are held against. */
export interface RowLimits {
  readonly asides: Asides;
  /** Absent where the cell is not known yet. */
  readonly inside?: Reach | undefined;
}

function reasonAgainst(
  [h, k, l]: readonly [number, number, number],
  intensity: number,
  sigma: number,
  inside: Reach | undefined,
): Reason | undefined {
  if (!(Math.max(Math.abs(h), Math.abs(k), Math.abs(l)) <= LARGEST_INDEX)) return 'index';
  if (inside && !inside(h, k, l)) return 'reach';
  if (!(Math.abs(intensity) <= LARGEST_INTENSITY)) return 'intensity';
  if (!(sigma > 0 && sigma <= LARGEST_INTENSITY)) return 'sigma';
  return undefined;
}

/** Returns a check of one row: whether it can be used; what cannot is told to the asides with its line. */
export const setAsideBecause =
  ({ asides, inside }: RowLimits) =>
  (h: number, k: number, l: number, intensity: number, sigma: number, line: () => number): boolean => {
    const reason = reasonAgainst([h, k, l], intensity, sigma, inside);
    if (reason) asides.count(`reflection ${reason}`, line(), SENTENCE[reason]);
    return !reason;
  };

/**
 * Reads a list without those that cell and wavelength do not allow; where these are more than a tenth, all are kept and the
 * asides say that cell or wavelength must be wrong. Read again only where there are some.
 */
export function readWithinReach(
  { asides, inside }: RowLimits,
  read: (limits: RowLimits) => RawReflections,
): RawReflections {
  const trial = new Asides();
  const all = read({ asides: trial });
  const { places, many } = inside ? beyondReach(all, inside) : { places: [], many: false };
  if (places.length && !many) return read({ asides, inside });
  asides.take(trial);
  if (many)
    asides.add(
      `${places.length} of ${all.count} reflections lie beyond what the cell and the wavelength allow (d < λ/2). So many can be no slips of single rows: all were kept. Check the cell and the wavelength.`,
    );
  return all;
}
