/** Lists of overlapped reflections of a twin: on each line the indices in the first component and in the second. */
import type { Overlaps } from '../crystal/treatment.ts';
import { FileProblem } from './cif-parser.ts';

/** Reads lines of six whole numbers, h k l h′ k′ l′; blank lines and lines that begin with # are passed over. Throws FileProblem with the line. */
export function parseOverlapList(text: string): Overlaps {
  const rows: number[][] = [];
  text.split(/\r?\n/).forEach((line, i) => {
    const t = line.trim();
    if (!t || t.startsWith('#')) return;
    const v = t.split(/[\s,;]+/).map(Number);
    if (v.length < 6 || v.slice(0, 6).some((x) => !Number.isInteger(x)))
      throw new FileProblem(
        `"${t.slice(0, 60)}" does not hold six whole numbers. Each line gives h k l of the first component and h k l of the second.`,
        i + 1,
      );
    rows.push(v.slice(0, 6));
  });
  if (!rows.length) throw new FileProblem('the list of overlaps is empty.');
  const column = (c: number): Int16Array => Int16Array.from(rows, (r) => r[c]!);
  return { h: column(0), k: column(1), l: column(2), h2: column(3), k2: column(4), l2: column(5) };
}
