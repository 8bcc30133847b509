/** Chemical formulae: reading, printing, mass, electrons and atom volumes. */
import { isMetal, elementOf, findElement } from './elements.ts';

/** Element → count; counts may be fractional. */
export type Formula = Readonly<Record<string, number>>;

/** Of one element: more than in any molecule. */
const MOST_ATOMS = 1e6;

/** Parts of a formula that stand beside one another, brackets kept whole: by commas, raised points, stars, and points among blanks. */
function partsOf(text: string): string[] {
  const parts = [''];
  let depth = 0;
  for (const piece of text.replace(/\s\.\s/g, '·').split(/([([{)\]},·•*])/)) {
    if ('([{'.includes(piece) && piece) depth++;
    else if (')]}'.includes(piece) && piece) depth--;
    if (depth <= 0 && /^[,·•*]$/.test(piece)) parts.push('');
    else parts[parts.length - 1] += piece;
  }
  return parts;
}

/** How many times a part is there: "2(H2 O)", "5 H2 O". */
const TIMES = /^\s*(\d+\.?\d*|\.\d+)\s*(?=[A-Z([{])/;

/**
 * Reads "C14 H16 N2 O3", "C14H16N2O3", "(C6 H5)2 O", "C4 H6 Cu O4, 2(H2 O)", charges ignored. Throws SyntaxError saying what could
 * not be read.
 */
export function parseFormula(text: string): Formula {
  const out: Record<string, number> = {};
  for (const part of partsOf(text.replace(/['"]/g, '').trim())) {
    const times = TIMES.exec(part);
    const counts = countsOf(times ? part.slice(times[0].length) : part, text);
    for (const [e, n] of Object.entries(counts)) out[e] = (out[e] ?? 0) + n * Number(times?.[1] ?? 1);
  }
  const many = Object.keys(out).find((e) => !(out[e]! <= MOST_ATOMS));
  if (many) throw new SyntaxError(`The formula "${text.slice(0, 80)}" has more ${many} than a formula can hold.`);
  return out;
}

/** Counts of one part; `text` is the whole formula, for what is said of it. */
function countsOf(part: string, text: string): Record<string, number> {
  const clean = part.trim();
  const out: Record<string, number> = {};
  const stack: { counts: Record<string, number> }[] = [{ counts: out }];
  const pattern = /\s*(?:([A-Z][a-z]?)(\d+\.?\d*|\.\d+)?|([([{])|([)\]}])(\d+\.?\d*|\.\d+)?|([,·•*]|\+?\d*[+-]))/y;
  let position = 0;
  while (position < clean.length) {
    pattern.lastIndex = position;
    const m = pattern.exec(clean);
    if (!m || m[0] === '') {
      if (!clean.slice(position).trim()) break;
      throw new SyntaxError(
        `"${clean.slice(position).trim().slice(0, 40)}" in the formula "${text.slice(0, 80)}" cannot be read. Write it like "C14 H16 N2 O3".`,
      );
    }
    position = pattern.lastIndex;
    const top = stack[stack.length - 1]!.counts;
    if (m[1]) {
      if (!findElement(m[1]))
        throw new SyntaxError(`"${m[1]}" in the formula "${text.slice(0, 80)}" is not an element.`);
      top[m[1]] = (top[m[1]] ?? 0) + (m[2] ? Number(m[2]) : 1);
    } else if (m[3]) stack.push({ counts: {} });
    else if (m[4]) {
      const group = stack.pop();
      if (!group || !stack.length)
        throw new SyntaxError(`The formula "${text.slice(0, 80)}" closes a bracket that was not opened.`);
      const below = stack[stack.length - 1]!.counts;
      for (const [e, n] of Object.entries(group.counts)) below[e] = (below[e] ?? 0) + n * (m[5] ? Number(m[5]) : 1);
    }
  }
  if (stack.length > 1) throw new SyntaxError(`The formula "${text.slice(0, 80)}" leaves a bracket open.`);
  return out;
}

/** Hill order: C, H, then alphabetical; alphabetical throughout without carbon. */
export function formulaText(f: Formula): string {
  const rank = (e: string): string => ('C' in f ? (e === 'C' ? '0' : e === 'H' ? '1' : `2${e}`) : `2${e}`);
  return Object.entries(f)
    .filter(([, n]) => n > 1e-6)
    .sort(([p], [q]) => (rank(p) < rank(q) ? -1 : 1))
    .map(([e, n]) => e + (Math.abs(n - 1) < 1e-6 ? '' : String(Number(n.toFixed(2)))))
    .join(' ');
}

/** g/mol. */
export const formulaWeight = (f: Formula): number =>
  Object.entries(f).reduce((sum, [e, n]) => sum + n * elementOf(e).weight, 0);
export const formulaElectrons = (f: Formula): number =>
  Object.entries(f).reduce((sum, [e, n]) => sum + n * elementOf(e).z, 0);

/** Average volumes of atoms in molecular crystals, Å³ (Hofmann 2002, Acta Cryst. B58, 489); elements not listed there are taken at 24 Å³. */
const ATOM_VOLUMES: Record<string, number> = {
  H: 5.08,
  D: 5.08,
  Li: 22.6,
  Be: 36,
  B: 13.24,
  C: 13.87,
  N: 11.8,
  O: 11.39,
  F: 11.17,
  Na: 26,
  Mg: 36,
  Al: 39.6,
  Si: 37.3,
  P: 29.5,
  S: 25.2,
  Cl: 25.8,
  K: 36,
  Ca: 45,
  Ti: 27.3,
  V: 24,
  Cr: 28.1,
  Mn: 31.9,
  Fe: 30.4,
  Co: 29.4,
  Ni: 26,
  Cu: 26.9,
  Zn: 39,
  Ga: 37.8,
  Ge: 41.6,
  As: 36.4,
  Se: 30.3,
  Br: 32.7,
  Mo: 38,
  Ru: 37.3,
  Rh: 31.2,
  Pd: 35,
  Ag: 35,
  Cd: 51,
  Sn: 52.8,
  I: 46.2,
  W: 38.8,
  Re: 42.7,
  Os: 41.9,
  Ir: 34.3,
  Pt: 38,
  Au: 43,
  Hg: 38,
  Pb: 52,
};
const ANIONS = ['O', 'F', 'Cl', 'Br', 'I', 'S', 'Se', 'Te', 'N'];
/** Volume of a formula unit, Å³. Without carbon the anions fill the space, and cations between them take about 10 Å³. */
export const formulaVolume = (f: Formula): number => {
  const ionic = !f['C'] && ANIONS.some((e) => f[e]);
  return Object.entries(f).reduce(
    (sum, [e, n]) =>
      sum + n * (ionic && (isMetal(e) || ['Si', 'Ge', 'B', 'P'].includes(e)) ? 10 : (ATOM_VOLUMES[e] ?? 24)),
    0,
  );
};

/** Formula units per cell that the volume suggests: the multiple of a likely step that comes nearest. */
export function proposeZ(f: Formula, volume: number, groupOrder?: number): number {
  const ratio = volume / Math.max(1, formulaVolume(f));
  if (!groupOrder) return Math.max(1, Math.round(ratio));
  // Molecules mostly sit on general positions, so whole or half multiples of the order are likely.
  const choices = [0.25, 0.5, 1, 1.5, 2, 3, 4, 6, 8]
    .map((k) => k * groupOrder)
    .filter((n) => Number.isInteger(n) && n >= 1);
  return choices.reduce(
    (best, n) => (Math.abs(Math.log(n / ratio)) < Math.abs(Math.log(best / ratio)) ? n : best),
    choices[0] ?? 1,
  );
}

export const scaleFormula = (f: Formula, k: number): Formula =>
  Object.fromEntries(Object.entries(f).map(([e, n]) => [e, n * k]));
