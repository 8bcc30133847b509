/** Form factors of single sites as plain text: a head of comment lines, then one row a reflection. See docs/formats.md. */
import { isKept, tripleKey, type AsphericalAtoms, type FormFactors } from '../crystal/form-factors.ts';
import { FileProblem } from './cif-parser.ts';
import { decimal, rowWords } from './text.ts';

const FIRST = '# nagare form factors 1';

/** Writes them; `labels` are those of the sites, in the order of the factors. */
export function formFactorText(
  a: Pick<AsphericalAtoms, 'factors' | 'basis' | 'method' | 'neighbours' | 'division'>,
  labels: readonly string[],
): string {
  const { factors: f } = a;
  const count = f.h.length;
  const lines = [
    FIRST,
    `# method: ${a.method}`,
    `# basis: ${a.basis}`,
    `# surroundings: ${a.neighbours}`,
    ...(a.division ? [`# atoms: ${a.division}`] : []),
    '# f of each site in electrons without dispersion, about the site, for exp 2πi(hx + ky + lz); −h −k −l has the conjugate',
    `# h k l ${labels.map((l) => `re(${l}) im(${l})`).join(' ')}`,
    `# sites: ${labels.join(' ')}`,
  ];
  for (let i = 0; i < count; i++) {
    const row: (string | number)[] = [f.h[i]!, f.k[i]!, f.l[i]!];
    for (let s = 0; s < labels.length; s++)
      row.push(f.real[s * count + i]!.toFixed(5), f.imaginary[s * count + i]!.toFixed(5));
    lines.push(row.join(' '));
  }
  return `${lines.join('\n')}\n`;
}

/** Whether a text says that it holds form factors. */
export const isFormFactorText = (text: string): boolean => text.startsWith(FIRST);

/**
 * Reads them for a model whose sites have these ids by label. Throws FileProblem with the line where a row is wrong or a site
 * is not of the model.
 */
export function readFormFactors(
  text: string,
  idOf: (label: string) => string | undefined,
): Pick<AsphericalAtoms, 'factors' | 'basis' | 'method' | 'neighbours' | 'division'> {
  if (!isFormFactorText(text)) throw new FileProblem(`This is no file of form factors: it begins with "${FIRST}".`, 1);
  const lines = text.split(/\r\n?|\n/);
  const said = (name: string): string =>
    lines
      .find((l) => l.startsWith(`# ${name}:`))
      ?.slice(name.length + 3)
      .trim() ?? '';
  const labels = said('sites').split(/\s+/).filter(Boolean);
  const sites = labels.map((label) => {
    const id = idOf(label);
    if (id === undefined)
      throw new FileProblem(
        `Form factors are given for ${label}, which the model does not hold.`,
        1 + lines.findIndex((l) => l.startsWith('# sites:')),
      );
    return id;
  });
  const rows = new Map<number, readonly number[]>();
  lines.forEach((line, n) => {
    const words = rowWords(line);
    if (!words.length || line.startsWith('#')) return;
    const values = words.map((w) => decimal(w));
    const [h, k, l] = values as [number, number, number];
    if (values.length !== 3 + 2 * sites.length || values.some((v) => v === undefined || !Number.isFinite(v)))
      throw new FileProblem(`A row needs h, k, l and two numbers for each of ${sites.length} sites.`, n + 1);
    if (![h, k, l].every((x) => Number.isInteger(x) && Math.abs(x) < 1000) || !isKept(h, k, l))
      throw new FileProblem(
        `${h} ${k} ${l} are no indices as they are kept here: whole, the first that is not zero positive.`,
        n + 1,
      );
    rows.set(tripleKey(h, k, l), values as number[]);
  });
  return {
    method: said('method'),
    basis: said('basis'),
    neighbours: said('surroundings'),
    ...(said('atoms') ? { division: said('atoms') } : {}),
    factors: columnsOf([...rows.values()], sites),
  };
}

function columnsOf(rows: readonly (readonly number[])[], sites: readonly string[]): FormFactors {
  const column = (c: number): Int16Array => Int16Array.from(rows, (r) => r[c]!);
  const part = (offset: number): Float64Array =>
    Float64Array.from({ length: rows.length * sites.length }, (_, at) => {
      const [s, i] = [Math.floor(at / rows.length), at % rows.length];
      return rows[i]![3 + 2 * s + offset]!;
    });
  return { sites, h: column(0), k: column(1), l: column(2), real: part(0), imaginary: part(1) };
}
