/** Which rows of a table of lengths or angles are meant. */
import { siteIndices, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { LengthRow } from '@nagare/core/geometry/length-table';
import { selectByWords } from '@nagare/core/model/selection';

/** Rows that words or atoms speak of: words by kind ("Ti–O"), by label, or as atoms are selected by words. */
export function filteredRows(
  s: Structure,
  rows: readonly LengthRow[],
  words: string,
  selected: readonly AtomRef[],
): readonly LengthRow[] {
  const text = words.trim().toLowerCase().replace(/[-−]/g, '–');
  const sites = new Set(selected.map((a) => a.site));
  const among = selected.length ? rows.filter((r) => r.atoms.some((a) => sites.has(a.site))) : rows;
  if (!text) return among;
  const direct = among.filter((r) => r.kind.toLowerCase() === text || r.name.toLowerCase().includes(text));
  if (direct.length) return direct;
  const said = selectByWords(s, words);
  if (!said) return [];
  const index = siteIndices(s);
  const meant = new Set(said.sites);
  return among.filter((r) => r.atoms.some((a) => meant.has(index.get(a.site)!)));
}
