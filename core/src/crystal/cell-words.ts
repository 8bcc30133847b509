/** Constants of a cell as people read them. */
import { cellParameters, type Cell } from './cell.ts';
import { formatMeasured } from './uncertainty.ts';

/** The six constants in one line with their units, s.u. where they are known; lengths to `digits` decimals without. */
export function constantsWords(cell: Cell, digits = 3): string {
  const words = cellParameters(cell).map((x, i) => {
    const su = cell.su?.[i];
    if (su) return formatMeasured(x, su);
    return i < 3 ? x.toFixed(digits) : String(Number(x.toFixed(2)));
  });
  return `${words.slice(0, 3).join(', ')} Å; ${words
    .slice(3)
    .map((x) => `${x}°`)
    .join(', ')}`;
}
