/** What the sheets of Build ask for, and what can be taken where. */
import type { PoreMark } from '@nagare/core/draw/extra-layers';
import type { Pores } from '@nagare/core/space/pores';
import { determinant2, type Mat2 } from '@nagare/core/math/matrix2';
import type { Vec3 } from '@nagare/core/math/matrix3';
import type { BuildWish } from '@nagare/core/tasks/build-task';
import { decimal } from '@nagare/core/math/decimal';
import type { PoresFound } from './use-pores.ts';

/** Where a built structure can go: on the course, or into a project of its own. */
export interface Ways {
  readonly mark: boolean;
  /** Why it is no mark here. */
  readonly why?: string;
}

/** Sites alone are changed. */
const KEEPS_CELL: ReadonlySet<BuildWish['kind']> = new Set([
  'change',
  'add',
  'remove',
  'move',
  'split',
  'merge',
  'balance',
  'hydrogens',
]);

/** A structure in other axes has no data here: measured intensities stay with the marks before it. */
export function waysOf(wish: BuildWish, hasData: boolean): Ways {
  const keepsCell = KEEPS_CELL.has(wish.kind) || (wish.kind === 'substitute' && !wish.rescale);
  return !hasData || keepsCell
    ? { mark: true }
    : {
        mark: false,
        why: 'The intensities and the controls of this project do not go with another cell. They stay here with its marks; the new structure becomes a project of its own.',
      };
}

/** Numbers written with blanks or commas between them; undefined where one is none. */
export function numbersOf(text: string): number[] | undefined {
  const numbers = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  return numbers.length && numbers.every(Number.isFinite) ? numbers : undefined;
}

const latticeWords = (v: Vec3): string => `[${v.map((x) => (x < 0 ? `−${-x}` : x)).join(' ')}]`;
const WAYS = { 1: 'along', 2: 'in the plane of', 3: 'in all directions' } as const;

/** Empty space in words: what fits, what passes, and where it can go. */
export function poreWords(pores: Pores | null): string {
  if (!pores) return 'No sphere of 0.5 Å fits between the atoms.';
  const { largest, windows } = pores;
  const fits = `A sphere of ${largest.diameter.toFixed(2)} Å fits`;
  if (!windows.length) return `${fits}; nothing passes through.`;
  const ways = windows.map((w) => {
    const where = w.dimension === 3 ? WAYS[3] : `${WAYS[w.dimension]} ${w.directions.map(latticeWords).join(' and ')}`;
    return `one of ${w.diameter.toFixed(2)} Å passes ${where}`;
  });
  return `${fits}; ${ways.join(', ')}.`;
}

/** The spheres that show it: the largest, and the narrowest place of the widest way. */
export function poreMarks(pores: PoresFound): PoreMark[] {
  if (!pores) return [];
  const { largest, windows } = pores;
  return [
    { at: largest.at, diameter: largest.diameter, kind: 'largest' },
    ...windows.slice(0, 1).map((w): PoreMark => ({ at: w.at, diameter: w.diameter, kind: 'window' })),
  ];
}

/** e Å⁻¹: what is less is no dipole. */
const NO_DIPOLE = 1e-4;

export function dipoleWords(dipole: number | undefined): string {
  if (dipole === undefined) return 'its dipole is not known, since charges are not';
  return Math.abs(dipole) < NO_DIPOLE
    ? 'no dipole along the normal'
    : `a dipole of ${decimal(dipole, 3)} e Å⁻¹ along the normal, whose energy grows with every layer`;
}

/** Two pairs of whole numbers, "2,0; 0,1"; nothing for the axes that were found. */
export function parseInPlane(text: string): { columns?: Mat2; problem?: string } {
  if (!text.trim()) return {};
  const rows = text.split(';').map((row) =>
    row
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number),
  );
  const [a, b] = rows;
  if (rows.length !== 2 || a?.length !== 2 || b?.length !== 2 || !rows.flat().every(Number.isInteger))
    return { problem: 'Write both new axes in terms of a and b, as "2,0; 0,1".' };
  const columns: Mat2 = [a[0]!, b[0]!, a[1]!, b[1]!];
  return determinant2(columns) > 0
    ? { columns }
    : { problem: 'These two lie on one line or are left-handed. Exchange them or turn one round.' };
}

/** Layers from below, "1 2 1" or "121": 1 the first, 2 the upper one; undefined where it says something else. */
export function orderOf(text: string): (0 | 1)[] | undefined {
  const digits = text.replace(/[\s,]+/g, '');
  if (!/^[12]{1,40}$/.test(digits)) return undefined;
  return [...digits].map((d) => (d === '1' ? 0 : 1));
}
