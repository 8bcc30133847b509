/** What was typed of a site, read and compared with what stood there. */
import type { SiteValues } from '@nagare/core/build/edit-sites';
import { readNumber } from '@nagare/core/build/site-table';
import type { Vec3 } from '@nagare/core/math/matrix3';

export interface TypedSite {
  readonly label: string;
  readonly element: string;
  readonly place: string;
  readonly occupancy: string;
  readonly u: string;
  readonly charge: string;
}

/** Three fractions with blanks or commas between them; undefined where they are not three. */
export function placeOf(text: string): Vec3 | undefined {
  const words = text.split(/[\s;]+|,\s+/).filter(Boolean);
  const [x, y, z] = words.map((w) => readNumber(w)?.value);
  return words.length === 3 && x !== undefined && y !== undefined && z !== undefined ? [x, y, z] : undefined;
}

/** The values that were changed; nothing where none was, and what is wrong with the first that cannot be read. */
export function typedValues(typed: TypedSite, before: TypedSite): { values?: SiteValues; problem?: string } {
  const changed = (name: keyof TypedSite): boolean => typed[name].trim() !== before[name].trim();
  const number = (name: 'occupancy' | 'u'): number | undefined => readNumber(typed[name].trim())?.value;
  if (changed('place') && !placeOf(typed.place)) return { problem: 'A place is three fractions, as 1/3 2/3 0.25.' };
  if (changed('occupancy') && number('occupancy') === undefined) return { problem: 'The occupancy is no number.' };
  if (changed('u') && number('u') === undefined) return { problem: 'U is no number.' };
  const charge = typed.charge.trim() ? Number(typed.charge.replace('−', '-')) : null;
  if (changed('charge') && Number.isNaN(charge)) return { problem: 'The charge is a number, as 2 or −1.' };
  const values: SiteValues = {
    ...(changed('label') ? { label: typed.label.trim() } : {}),
    ...(changed('element') ? { element: typed.element.trim() } : {}),
    ...(changed('place') ? { position: placeOf(typed.place) } : {}),
    ...(changed('occupancy') ? { occupancy: number('occupancy') } : {}),
    ...(changed('u') ? { u: number('u') } : {}),
    ...(changed('charge') ? { charge } : {}),
  };
  return Object.keys(values).length ? { values } : {};
}
