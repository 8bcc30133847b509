/** Elements: symbols, IUPAC standard atomic weights (conventional values), covalent radii (Cordero et al. 2008, Dalton Trans. 2832), van der Waals radii (Alvarez 2013, Dalton Trans. 42, 8617). */
const ROWS = `H 1.008 .31 1.2|He 4.0026 .28 1.43|Li 6.94 1.28 2.12|Be 9.0122 .96 1.98|B 10.81 .84 1.91|C 12.011 .76 1.77|N 14.007 .71 1.66|O 15.999 .66 1.5|F 18.998 .57 1.46|Ne 20.180 .58 1.58
Na 22.990 1.66 2.5|Mg 24.305 1.41 2.51|Al 26.982 1.21 2.25|Si 28.085 1.11 2.19|P 30.974 1.07 1.9|S 32.06 1.05 1.89|Cl 35.45 1.02 1.82|Ar 39.95 1.06 1.83|K 39.098 2.03 2.73|Ca 40.078 1.76 2.62
Sc 44.956 1.7 2.58|Ti 47.867 1.6 2.46|V 50.942 1.53 2.42|Cr 51.996 1.39 2.45|Mn 54.938 1.39 2.45|Fe 55.845 1.32 2.44|Co 58.933 1.26 2.4|Ni 58.693 1.24 2.4|Cu 63.546 1.32 2.38|Zn 65.38 1.22 2.39
Ga 69.723 1.22 2.32|Ge 72.630 1.2 2.29|As 74.922 1.19 1.88|Se 78.971 1.2 1.82|Br 79.904 1.2 1.86|Kr 83.798 1.16 2.25|Rb 85.468 2.2 3.21|Sr 87.62 1.95 2.84|Y 88.906 1.9 2.75|Zr 91.224 1.75 2.52
Nb 92.906 1.64 2.56|Mo 95.95 1.54 2.45|Tc 97 1.47 2.44|Ru 101.07 1.46 2.46|Rh 102.91 1.42 2.44|Pd 106.42 1.39 2.15|Ag 107.87 1.45 2.53|Cd 112.41 1.44 2.49|In 114.82 1.42 2.43|Sn 118.71 1.39 2.42
Sb 121.76 1.39 2.47|Te 127.60 1.38 1.99|I 126.90 1.39 2.04|Xe 131.29 1.4 2.06|Cs 132.91 2.44 3.48|Ba 137.33 2.15 3.03|La 138.91 2.07 2.98|Ce 140.12 2.04 2.88|Pr 140.91 2.03 2.92|Nd 144.24 2.01 2.95
Pm 145 1.99 2.9|Sm 150.36 1.98 2.9|Eu 151.96 1.98 2.87|Gd 157.25 1.96 2.83|Tb 158.93 1.94 2.79|Dy 162.50 1.92 2.87|Ho 164.93 1.92 2.81|Er 167.26 1.89 2.83|Tm 168.93 1.9 2.79|Yb 173.05 1.87 2.8
Lu 174.97 1.87 2.74|Hf 178.49 1.75 2.63|Ta 180.95 1.7 2.53|W 183.84 1.62 2.57|Re 186.21 1.51 2.49|Os 190.23 1.44 2.48|Ir 192.22 1.41 2.41|Pt 195.08 1.36 2.29|Au 196.97 1.36 2.32|Hg 200.59 1.32 2.45
Tl 204.38 1.45 2.47|Pb 207.2 1.46 2.6|Bi 208.98 1.48 2.54|Po 209 1.4 2.4|At 210 1.5 2.4|Rn 222 1.5 2.4|Fr 223 2.6 3.4|Ra 226 2.21 3|Ac 227 2.15 2.8|Th 232.04 2.06 2.93
Pa 231.04 2 2.88|U 238.03 1.96 2.71|Np 237 1.9 2.82|Pu 244 1.87 2.81|Am 243 1.8 2.83|Cm 247 1.69 3.05|Bk 247 1.68 3.4|Cf 251 1.68 3.05`;

export interface Element {
  readonly z: number;
  readonly symbol: string;
  /** Atomic mass, g/mol. */
  readonly weight: number;
  /** Å. */
  readonly covalentRadius: number;
  /** Å. */
  readonly vdwRadius: number;
}

export const ELEMENTS: readonly Element[] = ROWS.replace(/\n/g, '|')
  .split('|')
  .map((row, i) => {
    const [symbol, weight, covalent, vdw] = row.split(' ') as [string, string, string, string];
    return { z: i + 1, symbol, weight: Number(weight), covalentRadius: Number(covalent), vdwRadius: Number(vdw) };
  });

const bySymbol = new Map(ELEMENTS.map((e) => [e.symbol, e]));
const DEUTERIUM: Element = { ...ELEMENTS[0]!, symbol: 'D', weight: 2.014 };

/** Element for a symbol such as "C" or "Cl" (deuterium included); undefined for anything else. */
export const findElement = (symbol: string): Element | undefined =>
  bySymbol.get(symbol) ?? (symbol === 'D' ? DEUTERIUM : undefined);

/** Element for a symbol; throws RangeError for an unknown one. */
export function elementOf(symbol: string): Element {
  const e = findElement(symbol);
  if (!e) throw new RangeError(`"${symbol}" is not an element symbol.`);
  return e;
}

/** Element named by a CIF type symbol or label: "Fe3+" → Fe, "CL1A" → Cl, "C12" → C; undefined when none fits. */
export function elementFromLabel(text: string): string | undefined {
  const letters = /^[A-Za-z]+/.exec(text.trim())?.[0] ?? '';
  const two = letters.slice(0, 1).toUpperCase() + letters.slice(1, 2).toLowerCase();
  // A lower-case or lone second letter belongs to the symbol; "CA1" is more likely a carbon named A, unless only two letters make sense.
  if (
    letters.length >= 2 &&
    findElement(two) &&
    (letters[1] === two[1] ||
      !findElement(letters[0]!.toUpperCase()) ||
      ['CL', 'BR', 'SI', 'FE', 'CU', 'ZN', 'NA', 'SE', 'LI', 'MG'].includes(letters.slice(0, 2).toUpperCase()))
  )
    return two;
  const one = letters.slice(0, 1).toUpperCase();
  return findElement(one)?.symbol;
}

const NON_METALS = new Set([
  'H',
  'D',
  'He',
  'B',
  'C',
  'N',
  'O',
  'F',
  'Ne',
  'Si',
  'P',
  'S',
  'Cl',
  'Ar',
  'Ge',
  'As',
  'Se',
  'Br',
  'Kr',
  'Te',
  'I',
  'Xe',
  'At',
  'Rn',
]);
export const isMetal = (symbol: string): boolean => !NON_METALS.has(symbol);
export const isHydrogen = (symbol: string): boolean => symbol === 'H' || symbol === 'D';

/** Å: radius of an atom for what does not bond to it. */
export const vanDerWaalsRadius = (element: string): number => elementOf(element).vdwRadius;
