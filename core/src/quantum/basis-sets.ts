/** Published basis sets, and what they are called here. */
import table from './tables/basis-sets.json' with { type: 'json' };
import type { ShellRecipe } from './gaussian.ts';

interface Published {
  readonly minimal: {
    readonly expansions: Record<string, { exponents: number[]; s: number[]; p?: number[] }>;
    readonly zetas: Record<string, number[]>;
  };
  readonly splitValence: {
    readonly shells: Record<string, { s?: number[][]; sp: number[][][] }>;
    readonly polarisation: Record<string, number>;
  };
}
const published = table as unknown as Published;

const columns = (rows: readonly (readonly number[])[], k: number): number[] => rows.map((row) => row[k]!);

/** STO-3G: each Slater function as three Gaussians, exponents scaled by ζ² (Hehre, Stewart & Pople 1969). */
function minimal(element: string): readonly ShellRecipe[] | undefined {
  const zetas = published.minimal.zetas[element];
  return zetas?.flatMap((zeta, n) => {
    const { exponents, s, p } = published.minimal.expansions[`${n + 1}`]!;
    const scaled = exponents.map((x) => x * zeta * zeta);
    return [{ l: 0, exponents: scaled, coefficients: s }, ...(p ? [{ l: 1, exponents: scaled, coefficients: p }] : [])];
  });
}

/** 6-31G (Ditchfield, Hehre & Pople 1971; Hehre, Ditchfield & Pople 1972), with d and p functions where asked (Hariharan & Pople 1973). */
function splitValence(element: string, onHeavy: boolean, onHydrogen: boolean): readonly ShellRecipe[] | undefined {
  const known = published.splitValence.shells[element];
  if (!known) return undefined;
  const light = element === 'H' || element === 'He';
  const polarised = light ? onHydrogen : onHeavy;
  const exponent = published.splitValence.polarisation[element];
  if (polarised && exponent === undefined) return undefined;
  return [
    ...(known.s ? [{ l: 0, exponents: columns(known.s, 0), coefficients: columns(known.s, 1) }] : []),
    ...known.sp.flatMap((rows) => [
      { l: 0, exponents: columns(rows, 0), coefficients: columns(rows, 1) },
      ...(rows[0]!.length > 2 ? [{ l: 1, exponents: columns(rows, 0), coefficients: columns(rows, 2) }] : []),
    ]),
    ...(polarised ? [{ l: light ? 1 : 2, exponents: [exponent!], coefficients: [1] }] : []),
  ];
}

export type BasisName = 'STO-3G' | '6-31G' | '6-31G(d)' | '6-31G(d,p)';
export const BASIS_NAMES: readonly BasisName[] = ['STO-3G', '6-31G', '6-31G(d)', '6-31G(d,p)'];

/** Shells of an element in a published set, or undefined where its table is not held. */
export function publishedShells(name: BasisName, element: string): readonly ShellRecipe[] | undefined {
  const symbol = element === 'D' ? 'H' : element;
  switch (name) {
    case 'STO-3G':
      return minimal(symbol);
    case '6-31G':
      return splitValence(symbol, false, false);
    case '6-31G(d)':
      return splitValence(symbol, true, false);
    case '6-31G(d,p)':
      return splitValence(symbol, true, true);
  }
}
