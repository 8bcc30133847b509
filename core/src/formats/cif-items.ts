/** The items of a CIF that are told one by one, apart from its tables. */
import { INAPPLICABLE, UNKNOWN, type CifBlock, type CifLoop } from './cif-parser.ts';

const isSaid = (value: string): boolean =>
  value !== UNKNOWN && value !== INAPPLICABLE && value.trim() !== '' && value !== '?' && value !== '.';

/** Loops that are the structure itself, its data or its geometry, which have tables of their own. */
const TABLES = /^_(atom_|geom_|refln_|diffrn_refln_|space_group_symop|symmetry_equiv|restr_|iucr_|pd_)/;
/** Rows of a loop that are still told in one line; letters of a text that is no data set. */
const MOST_ROWS = 12,
  LONGEST = 6000;

/** Columns of small loops as items: each name with its values one after another. */
function columnsOf(loop: CifLoop): [string, string][] {
  const first = loop.tags[0];
  if (!first || TABLES.test(first)) return [];
  const rows = loop.values.length / loop.tags.length;
  if (rows > MOST_ROWS) return [];
  return loop.tags.map((tag, k) => {
    const values = Array.from({ length: rows }, (_, i) => loop.values[i * loop.tags.length + k]!);
    return [tag, values.filter(isSaid).join('; ')];
  });
}

/** A data name that an object cannot have as its own. */
const FORBIDDEN = '__proto__';

/** Items of a block of a CIF that are told one by one, by data name in lower case. */
export function itemsOf(block: CifBlock): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [tag, { value }] of block.items)
    if (isSaid(value) && value.length <= LONGEST && tag !== FORBIDDEN) out[tag] = value;
  for (const loop of block.loops)
    for (const [tag, value] of columnsOf(loop))
      if (value && value.length <= LONGEST && tag !== FORBIDDEN) out[tag] ??= value;
  return out;
}
