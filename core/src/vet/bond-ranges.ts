/** Usual bond lengths between non-metals, by elements only: the spread over single, aromatic and multiple bonds (after Allen et al. 1987, J. Chem. Soc. Perkin Trans. 2, S1), Å. */
const RANGES: Record<string, readonly [number, number]> = {
  'C C': [1.17, 1.64],
  'C N': [1.12, 1.56],
  'C O': [1.11, 1.5],
  'C F': [1.28, 1.42],
  'C S': [1.56, 1.88],
  'C Cl': [1.66, 1.84],
  'C Br': [1.83, 2.0],
  'C I': [2.03, 2.2],
  'C P': [1.68, 1.92],
  'C B': [1.45, 1.72],
  'C Si': [1.78, 1.95],
  'N N': [1.08, 1.5],
  'N O': [1.17, 1.46],
  'N S': [1.48, 1.78],
  'N P': [1.53, 1.82],
  'N B': [1.35, 1.68],
  'O S': [1.4, 1.68],
  'O P': [1.42, 1.68],
  'O B': [1.28, 1.56],
  'O Si': [1.55, 1.72],
  'O Cl': [1.32, 1.5],
  'B F': [1.3, 1.46],
  'F P': [1.5, 1.65],
  'S S': [1.95, 2.12],
  'F S': [1.52, 1.62],
  'F Sb': [1.8, 1.92],
};

/** Range of a bond between two elements; undefined where none is tabulated. */
export function expectedBond(p: string, q: string): { low: number; high: number } | undefined {
  const r = RANGES[`${p} ${q}`] ?? RANGES[`${q} ${p}`];
  return r && { low: r[0], high: r[1] };
}
