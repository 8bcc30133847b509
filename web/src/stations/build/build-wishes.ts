/** What the sheets of Build ask for, and what can be taken where. */
import { cellParameters, type Cell } from '@nagare/core/crystal/cell';
import type { BuildWish } from '@nagare/core/tasks/build-task';

/** Where a built structure can go: on the course, or into a project of its own. */
export interface Ways {
  readonly mark: boolean;
  /** Why it is no mark here. */
  readonly why?: string;
}

/** A structure in other axes has no data here: measured intensities stay with the marks before it. */
export function waysOf(wish: BuildWish, hasData: boolean): Ways {
  const keepsCell = wish.kind === 'substitute' && !wish.rescale;
  return !hasData || keepsCell
    ? { mark: true }
    : {
        mark: false,
        why: 'The intensities and the controls of this project do not go with another cell. They stay here with its marks; the new structure becomes a project of its own.',
      };
}

const length = (x: number): string => x.toFixed(3);
const angle = (x: number): string => `${Number(x.toFixed(2))}°`;

/** The six constants of a cell in one line. */
export function constantsWords(cell: Cell): string {
  const [a, b, c, alpha, beta, gamma] = cellParameters(cell);
  return `${length(a)}, ${length(b)}, ${length(c)} Å; ${angle(alpha)}, ${angle(beta)}, ${angle(gamma)}`;
}

/** Numbers written with blanks or commas between them; undefined where one is none. */
export function numbersOf(text: string): number[] | undefined {
  const numbers = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number);
  return numbers.length && numbers.every(Number.isFinite) ? numbers : undefined;
}
