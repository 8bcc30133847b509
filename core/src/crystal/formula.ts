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
/** Volume of an atom in a molecular crystal, Å³; 24 where nobody has an average. */
export const atomVolume = (element: string): number => ATOM_VOLUMES[element] ?? 24;

const ANIONS = ['O', 'F', 'Cl', 'Br', 'I', 'S', 'Se', 'Te', 'N'];
/** What cations take beside the anions that fill the space, Å³, by their size; others take less. */
const CATION_VOLUMES: Readonly<Record<string, number>> = {
  Li: 5,
  Mg: 8,
  Na: 16,
  Ca: 16,
  Sr: 20,
  K: 36,
  Rb: 42,
  Cs: 46,
  Ba: 32,
  Y: 14,
  Zr: 11,
  Sn: 12,
  In: 14,
  Ag: 18,
  Cd: 18,
  Hg: 20,
  La: 18,
  Ce: 17,
  Nd: 16,
  Gd: 15,
  Yb: 14,
  Tl: 35,
  Pb: 27,
  Bi: 22,
  Th: 17,
  U: 17,
};
const SMALL_CATION = 9;
/** Carbon amid the oxygens of a carbonate, Å³. */
const CARBONATE = 6;
/** Of its volume in a molecule, what an atom takes in an element or an alloy. */
const IN_METAL = 0.5;

/** What carbon makes frameworks with rather than molecules. */
const FRAMEWORK = ['Si', 'Ge', 'B'];

/** Whether a formula is that of molecules or of their salts: carbon and hydrogen, or carbon among non-metals. */
export function isMolecular(f: Formula): boolean {
  const others = Object.keys(f).filter((e) => e !== 'C');
  return !!f['C'] && others.length > 0 && (!!f['H'] || !others.some((e) => isMetal(e) || FRAMEWORK.includes(e)));
}

/** Volume of a formula unit, Å³: averages of molecular crystals; anions and what is between them; dense elements and alloys. */
export function formulaVolume(f: Formula): number {
  const sum = (of: (e: string) => number): number => Object.entries(f).reduce((v, [e, n]) => v + n * of(e), 0);
  if (isMolecular(f)) return sum(atomVolume);
  if (!ANIONS.some((e) => f[e])) return IN_METAL * sum(atomVolume);
  const isCation = (e: string): boolean => isMetal(e) || ['Si', 'Ge', 'B', 'P', 'As'].includes(e);
  return sum((e) => {
    if (e === 'C' && f['O']! >= 2 * f['C']!) return CARBONATE;
    return isCation(e) ? (CATION_VOLUMES[e] ?? SMALL_CATION) : atomVolume(e);
  });
}

export const scaleFormula = (f: Formula, k: number): Formula =>
  Object.fromEntries(Object.entries(f).map(([e, n]) => [e, n * k]));
