/** Contracted Gaussian shells. Everything in this folder is in atomic units: bohr, hartree, electrons. */
import type { Vec3 } from '../math/matrix3.ts';

/** Contracted Gaussian functions of one angular momentum about one centre. */
export interface Shell {
  /** Index of the centre in the molecule. */
  readonly centre: number;
  readonly position: Vec3;
  readonly l: number;
  readonly exponents: Float64Array;
  /** Coefficients of xˡ exp(−αr²), normalisation included. */
  readonly coefficients: Float64Array;
  /** Whether it holds the 2l + 1 real solid harmonics rather than all (l+1)(l+2)/2 Cartesian products. */
  readonly pure: boolean;
  /** Index of its first function in the basis. */
  readonly first: number;
}

/** Powers (i, j, k) of the Cartesian products of order l: x first. */
export function cartesianPowers(l: number): readonly (readonly [number, number, number])[] {
  const out: [number, number, number][] = [];
  for (let i = l; i >= 0; i--) for (let j = l - i; j >= 0; j--) out.push([i, j, l - i - j]);
  return out;
}

export const cartesianCount = (l: number): number => ((l + 1) * (l + 2)) / 2;
export const functionCount = (s: Pick<Shell, 'l' | 'pure'>): number => (s.pure ? 2 * s.l + 1 : cartesianCount(s.l));

/** (2n − 1)!! with (−1)!! = 1. */
export const oddFactorial = (n: number): number => (n <= 0 ? 1 : (2 * n - 1) * oddFactorial(n - 1));

/** Norm of xˡ exp(−αr²). */
export const primitiveNorm = (l: number, alpha: number): number =>
  ((2 * alpha) / Math.PI) ** 0.75 * (4 * alpha) ** (l / 2) * oddFactorial(l) ** -0.5;

/** ∫ of the product of two Cartesian products of order l over a Gaussian, in units of that of xˡ xˡ. */
function productRatio(p: readonly number[], q: readonly number[], l: number): number {
  let out = 1 / oddFactorial(l);
  for (let k = 0; k < 3; k++) {
    const sum = p[k]! + q[k]!;
    if (sum % 2) return 0;
    out *= oddFactorial(sum / 2);
  }
  return out;
}

/** A polynomial in x, y, z: coefficient by "i j k". */
type Polynomial = ReadonlyMap<string, number>;

function combined(...terms: readonly (readonly [Polynomial, number, readonly [number, number, number]])[]): Polynomial {
  const out = new Map<string, number>();
  for (const [p, factor, shift] of terms)
    for (const [key, c] of p) {
      const powers = key.split(' ').map((x, k) => Number(x) + shift[k]!);
      const to = powers.join(' ');
      out.set(to, (out.get(to) ?? 0) + factor * c);
    }
  return out;
}

/**
 * Real solid harmonics of order l, m = −l … l, as polynomials, not normalised (Helgaker, Jørgensen & Olsen, Molecular
 * Electronic-Structure Theory, 6.4.2).
 */
function solidHarmonics(l: number): readonly Polynomial[] {
  const at = new Map<string, Polynomial>([['0 0', new Map([['0 0 0', 1]])]]);
  const of = (n: number, m: number): Polynomial => at.get(`${n} ${m}`) ?? new Map<string, number>();
  for (let n = 0; n < l; n++) {
    const top = of(n, n),
      low = n ? of(n, -n) : new Map<string, number>();
    at.set(`${n + 1} ${n + 1}`, combined([top, 1, [1, 0, 0]], [low, -1, [0, 1, 0]]));
    at.set(`${n + 1} ${-n - 1}`, combined([top, 1, [0, 1, 0]], [low, 1, [1, 0, 0]]));
    for (let m = -n; m <= n; m++) {
      const before = of(n - 1, m);
      const weight = -(n * n - m * m) / (2 * n + 1);
      at.set(
        `${n + 1} ${m}`,
        combined(
          [of(n, m), 1, [0, 0, 1]],
          [before, weight, [2, 0, 0]],
          [before, weight, [0, 2, 0]],
          [before, weight, [0, 0, 2]],
        ),
      );
    }
  }
  // The weight above is that of monic recursion: (2n+1) z S_n − … divided by (2n+1).
  return Array.from({ length: 2 * l + 1 }, (_, i) => of(l, i - l));
}

const matrices = new Map<string, Float64Array>();

/**
 * Functions of a shell in terms of its Cartesian products: functionCount × cartesianCount, row-major. With coefficients that
 * normalise xˡ every function comes out normalised.
 */
export function functionMatrix(l: number, pure: boolean): Float64Array {
  const key = `${l} ${pure}`;
  const known = matrices.get(key);
  if (known) return known;
  const powers = cartesianPowers(l),
    n = powers.length;
  let out: Float64Array;
  if (!pure) {
    out = new Float64Array(n * n);
    powers.forEach((p, i) => (out[i * n + i] = productRatio(p, p, l) ** -0.5));
  } else {
    const rows = solidHarmonics(l).map((harmonic) => {
      const row = powers.map((p) => harmonic.get(p.join(' ')) ?? 0);
      let norm = 0;
      row.forEach((c, i) => row.forEach((d, j) => (norm += c * d * productRatio(powers[i]!, powers[j]!, l))));
      return row.map((c) => c / Math.sqrt(norm));
    });
    out = Float64Array.from(rows.flat());
  }
  matrices.set(key, out);
  return out;
}

/** A shell as tables give it: coefficients belong to normalised primitives. */
export interface ShellRecipe {
  readonly l: number;
  readonly exponents: readonly number[];
  readonly coefficients: readonly number[];
  /** All Cartesian products of l > 1 rather than the solid harmonics: so it was published. */
  readonly cartesian?: boolean;
}

/** Coefficients with the norms of the primitives in them, the contraction normalised. */
export function normalised(recipe: ShellRecipe): Float64Array {
  const { l, exponents, coefficients } = recipe;
  const c = Float64Array.from(coefficients, (x, i) => x * primitiveNorm(l, exponents[i]!));
  let square = 0;
  // ∫ x²ˡ exp(−pr²) = (2l−1)!! (2p)⁻ˡ (π/p)^(3/2).
  c.forEach((a, i) =>
    c.forEach((b, j) => {
      const p = exponents[i]! + exponents[j]!;
      square += a * b * oddFactorial(l) * (2 * p) ** -l * (Math.PI / p) ** 1.5;
    }),
  );
  return c.map((x) => x / Math.sqrt(square));
}

/** Nuclei, or what stands for them. */
export interface Centre {
  readonly element: string;
  /** Charge of the nucleus; 0 for a centre that lends its functions alone. */
  readonly charge: number;
  readonly position: Vec3;
}

export interface Basis {
  readonly shells: readonly Shell[];
  /** Number of functions. */
  readonly size: number;
}

/** Shells of every centre, numbered through. `recipes` gives those of an element. */
export function basisOf(centres: readonly Centre[], recipes: (element: string) => readonly ShellRecipe[]): Basis {
  let first = 0;
  const shells = centres.flatMap(({ element, position }, centre) =>
    recipes(element).map((recipe): Shell => {
      const shell: Shell = {
        centre,
        position,
        l: recipe.l,
        exponents: Float64Array.from(recipe.exponents),
        coefficients: normalised(recipe),
        pure: recipe.l > 1 && !recipe.cartesian,
        first,
      };
      first += functionCount(shell);
      return shell;
    }),
  );
  return { shells, size: first };
}
