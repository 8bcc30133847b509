/**
 * Atoms averaged over all directions and both spins, by Hartree–Fock in a basis of Gaussians (Roothaan & Bagus 1963): where a
 * molecule starts from, what its density is divided by, and what own basis sets are contracted with.
 */
import { boys } from './boys.ts';
import { Diis } from './diis.ts';
import { normalised, type ShellRecipe } from './gaussian.ts';
import { product } from '../math/dense-product.ts';
import { commutator, contracted, eigen, orthogonaliser, transposed, within } from './matrices.ts';
import { radialGrid, type RadialGrid } from './radial-grid.ts';

/** Subshells (l) in the order in which they are filled. */
const FILLING = [0, 0, 1, 0, 1, 0, 2, 1] as const;
/** Electrons beyond which no configuration is given. */
export const HEAVIEST_ATOM = 36;

/** Electrons of every subshell of s, p and d (lowest first), by the order of filling with its two exceptions up to Kr. */
export function configuration(electrons: number): readonly (readonly number[])[] {
  if (electrons > HEAVIEST_ATOM) throw new RangeError(`There is no configuration here for ${electrons} electrons.`);
  const out: number[][] = [[], [], []];
  let left = electrons;
  for (const l of FILLING) {
    const n = Math.min(left, 2 * (2 * l + 1));
    if (n > 0) out[l]!.push(n);
    left -= n;
  }
  // Half-filled and filled d shells take an electron from 4s.
  if (electrons === 24 || electrons === 29) {
    out[0]![3]! -= 1;
    out[2]![0]! += 1;
  }
  return out;
}

const factorial = (n: number): number => (n < 2 ? 1 : n * factorial(n - 1));

/** Square of the 3j symbol (a b c; 0 0 0) for an even sum (Edmonds 1957, 3.7.17). */
function threeJSquare(a: number, b: number, c: number): number {
  const g = (a + b + c) / 2;
  const delta = (factorial(2 * g - 2 * a) * factorial(2 * g - 2 * b) * factorial(2 * g - 2 * c)) / factorial(2 * g + 1);
  return delta * (factorial(g) / (factorial(g - a) * factorial(g - b) * factorial(g - c))) ** 2;
}

/** ∫_r^∞ s^(2m+1) exp(−αs²) ds. */
function outerIntegral(m: number, alpha: number, r: number): number {
  let sum = 0;
  for (let i = 0; i <= m; i++) sum += ((factorial(m) / factorial(i)) * r ** (2 * i)) / alpha ** (m - i + 1);
  return 0.5 * Math.exp(-alpha * r * r) * sum;
}

const boysRow = new Float64Array(12);

/** Potential of order k at r of the charge s^power exp(−αs²) (its s² included); k + power is even. */
function chargePotential(k: number, power: number, alpha: number, r: number): number {
  const n = (k + power) / 2;
  boys(alpha * r * r, n, boysRow);
  // r^(−k−1) ∫₀^r s^(k+power) … + r^k ∫_r^∞ s^(power−k−1) …
  return r ** power * boysRow[n]! + r ** k * outerIntegral((power - k - 2) / 2, alpha, r);
}

/** Radial functions of one l: R(r) of the form r^l Σ c exp(−αr²), ∫ R² r² dr = 1. */
interface RadialBlock {
  readonly l: number;
  readonly functions: readonly { readonly exponents: readonly number[]; readonly coefficients: Float64Array }[];
  /** r R(r) of function f at point g: f·points + g. */
  readonly values: Float64Array;
  readonly overlap: Float64Array;
  readonly core: Float64Array;
}

/** Coefficients of r^l Y from those of xˡ. */
const radialFactor = (l: number): number => Math.sqrt((4 * Math.PI) / (2 * l + 1));

function blockOf(l: number, recipes: readonly ShellRecipe[], z: number, grid: RadialGrid): RadialBlock {
  const functions = recipes.map((recipe) => ({
    exponents: recipe.exponents,
    coefficients: normalised(recipe).map((c) => c * radialFactor(l)),
  }));
  const n = functions.length,
    points = grid.r.length;
  const values = new Float64Array(n * points);
  functions.forEach(({ exponents, coefficients }, f) =>
    grid.r.forEach((r, g) => {
      let sum = 0;
      exponents.forEach((alpha, i) => (sum += coefficients[i]! * Math.exp(-alpha * r * r)));
      values[f * points + g] = sum * r ** (l + 1);
    }),
  );
  const overlap = new Float64Array(n * n),
    core = new Float64Array(n * n);
  functions.forEach((a, p) =>
    functions.forEach((b, q) =>
      a.exponents.forEach((alpha, i) =>
        b.exponents.forEach((beta, j) => {
          const c = a.coefficients[i]! * b.coefficients[j]!,
            sum = alpha + beta;
          const s = c * halfGamma(l, sum);
          overlap[p * n + q]! += s;
          core[p * n + q]! += ((2 * l + 3) * alpha * beta * s) / sum - (c * z * 0.5 * factorial(l)) / sum ** (l + 1);
        }),
      ),
    ),
  );
  return { l, functions, values, overlap, core };
}

/** ∫ r^(2l+2) exp(−pr²) dr. */
function halfGamma(l: number, p: number): number {
  let out = Math.sqrt(Math.PI / p) / 2;
  for (let i = 0; i <= l; i++) out *= (i + 0.5) / p;
  return out;
}

/** Products of the functions of two blocks on the grid, and the potentials of order k that they make. */
function pairsOnGrid(a: RadialBlock, b: RadialBlock, grid: RadialGrid): Float64Array {
  const points = grid.r.length,
    out = new Float64Array(a.functions.length * b.functions.length * points);
  let to = 0;
  for (let p = 0; p < a.functions.length; p++)
    for (let q = 0; q < b.functions.length; q++)
      for (let g = 0; g < points; g++) out[to++] = a.values[p * points + g]! * b.values[q * points + g]!;
  return out;
}

function potentialsOnGrid(a: RadialBlock, b: RadialBlock, k: number, grid: RadialGrid): Float64Array {
  const points = grid.r.length,
    out = new Float64Array(a.functions.length * b.functions.length * points);
  a.functions.forEach((p, m) =>
    b.functions.forEach((q, n) => {
      const to = (m * b.functions.length + n) * points;
      if (a === b && n < m) {
        out.copyWithin(to, (n * b.functions.length + m) * points, (n * b.functions.length + m + 1) * points);
        return;
      }
      p.exponents.forEach((alpha, i) =>
        q.exponents.forEach((beta, j) => {
          const c = p.coefficients[i]! * q.coefficients[j]!;
          for (let g = 0; g < points; g++)
            out[to + g]! += c * chargePotential(k, a.l + b.l + 2, alpha + beta, grid.r[g]!);
        }),
      );
    }),
  );
  return out;
}

/** left · weights · rightᵀ over the grid. */
function gridProduct(left: Float64Array, right: Float64Array, grid: RadialGrid): Float64Array {
  const points = grid.r.length,
    m = left.length / points,
    n = right.length / points;
  return product(
    left.map((x, i) => x * grid.weights[i % points]!),
    transposed(right, n, points),
    m,
    points,
    n,
  );
}

export interface SphericalAtom {
  /** Hartree. */
  readonly energy: number;
  /** Of s, p, d …: recipes in the order given, and the density matrix of all their electrons between them. */
  readonly blocks: readonly {
    readonly l: number;
    readonly recipes: readonly ShellRecipe[];
    readonly density: Float64Array;
    /** Orbitals in columns, with their energies; functions × width. */
    readonly orbitals: Float64Array;
    readonly width: number;
    readonly energies: Float64Array;
    /** Electrons of the lowest orbitals. */
    readonly electrons: readonly number[];
  }[];
}

const POINTS = 240,
  CYCLES = 200,
  SETTLED = 1e-9;

/** Electrons of the highest subshell of one l where they do not fill it, and what that does to their repulsion. */
interface OpenSubshell {
  readonly electrons: number;
  /** Part of the averaged repulsion that electrons of the subshell do to themselves and that there is not. */
  readonly excess: number;
}

/**
 * The average over all states of a configuration has n(n − 1)/2 pairs in a subshell of n electrons, where smeared electrons
 * would have n²/2 (1 − 1/N) of them, N being its capacity (Slater 1960).
 */
function openSubshell(l: number, electrons: readonly number[]): OpenSubshell | undefined {
  const n = electrons.at(-1),
    capacity = 2 * (2 * l + 1);
  if (n === undefined || n === capacity) return undefined;
  return { electrons: n, excess: 1 - ((n - 1) * capacity) / (n * (capacity - 1)) };
}

/** tensor (n² × m²) · density (m²). */
function applied(tensor: Float64Array, density: Float64Array, out: Float64Array): void {
  const width = density.length;
  for (let pq = 0; pq < out.length; pq++)
    for (let rs = 0; rs < width; rs++) out[pq]! += tensor[pq * width + rs]! * density[rs]!;
}

/** One l of the atom while its field becomes consistent. */
interface BlockState {
  readonly block: RadialBlock;
  readonly electrons: readonly number[];
  readonly open: OpenSubshell | undefined;
  readonly basis: { readonly x: Float64Array; readonly kept: number };
  density: Float64Array;
  /** Orbitals in columns (functions × kept), by rising energy. */
  orbitals: Float64Array;
  energies: Float64Array;
}

/** Density of the electrons that do not fill their subshell. */
const openDensity = (b: BlockState): Float64Array => {
  const counts = b.electrons.map((n, k) => (b.open && k === b.electrons.length - 1 ? n : 0));
  return occupy(b.orbitals, b.block.functions.length, b.basis.kept, counts);
};

/** Fock matrices of the filled subshells and of the one that is open, and the energy. */
function blockFocks(
  states: readonly BlockState[],
  repulsion: readonly (readonly Float64Array[])[],
): { energy: number; filled: Float64Array[]; open: Float64Array[] } {
  let energy = 0;
  const filled: Float64Array[] = [],
    open: Float64Array[] = [];
  states.forEach((a, i) => {
    const f = Float64Array.from(a.block.core);
    states.forEach((b, j) => applied(repulsion[i]![j]!, b.density, f));
    energy += 0.5 * (contracted(a.density, a.block.core) + contracted(a.density, f));
    const own = new Float64Array(f.length);
    if (a.open) {
      const density = openDensity(a);
      applied(repulsion[i]![i]!, density, own);
      energy -= 0.5 * a.open.excess * contracted(density, own);
    }
    filled.push(f);
    open.push(f.map((x, k) => x - (a.open?.excess ?? 0) * own[k]!));
  });
  return { energy, filled, open };
}

/**
 * One matrix whose eigenvectors make the energy stationary though filled and open orbitals see different fields: between the
 * two stands (n_f F_f − n_o F_o)/(n_f − n_o) (Roothaan 1960). Over the orbitals of before; also the gradient between what
 * differs in its filling.
 */
function coupled(b: BlockState, filled: Float64Array, open: Float64Array): { fock: Float64Array; gradient: number } {
  const n = b.block.functions.length,
    { kept } = b.basis,
    full = 2 * (2 * b.block.l + 1);
  const f = within(filled, b.orbitals, n, kept),
    o = within(open, b.orbitals, n, kept);
  const count = (k: number): number => b.electrons[k] ?? 0;
  const isOpen = (k: number): boolean => !!b.open && k === b.electrons.length - 1;
  let gradient = 0;
  const fock = f.map((x, at) => {
    const [i, j] = [Math.floor(at / kept), at % kept];
    const [ni, nj] = [count(i), count(j)];
    let value = x;
    if (isOpen(i) !== isOpen(j)) {
      const partner = isOpen(i) ? nj : ni;
      const own = b.open!.electrons;
      value = partner === full ? (full * x - own * o[at]!) / (full - own) : o[at]!;
    } else if (isOpen(i)) value = o[at]!;
    if (ni !== nj) gradient = Math.max(gradient, Math.abs(value));
    return value;
  });
  return { fock, gradient };
}

/** Back from a matrix over orbitals C to one over functions: S C F Cᵀ S. */
function overFunctions(b: BlockState, fock: Float64Array): Float64Array {
  const n = b.block.functions.length,
    { kept } = b.basis;
  const sc = product(b.block.overlap, b.orbitals, n, n, kept);
  return product(product(sc, fock, n, kept, kept), transposed(sc, n, kept), n, kept, n);
}

/** New orbitals and densities of a block from a Fock matrix over its functions. */
function turn(b: BlockState, fock: Float64Array): void {
  const n = b.block.functions.length,
    { x, kept } = b.basis;
  const { values, vectors } = eigen(within(fock, x, n, kept), kept);
  b.orbitals = product(x, vectors, n, kept, kept);
  b.energies = values;
  b.density = occupy(b.orbitals, n, kept, b.electrons);
}

/**
 * The atom of so many electrons about a charge z in the shells given, averaged over the states of its configuration. Throws
 * RangeError where the shells cannot hold the electrons.
 */
export function sphericalAtom(z: number, electrons: number, shells: readonly ShellRecipe[]): SphericalAtom {
  const grid = radialGrid(POINTS);
  const filled = configuration(electrons);
  const recipes = [0, 1, 2].map((l) => shells.filter((s) => s.l === l));
  filled.forEach((n, l) => {
    if (n.length > recipes[l]!.length)
      throw new RangeError(`The basis has ${recipes[l]!.length} functions of l = ${l}; ${n.length} are needed.`);
  });
  const states = recipes.flatMap((list, l): BlockState[] => {
    if (!list.length) return [];
    const block = blockOf(l, list, z, grid);
    const basis = orthogonaliser(block.overlap, list.length, 1e-10);
    const state: BlockState = {
      block,
      electrons: filled[l]!,
      open: openSubshell(l, filled[l]!),
      basis,
      density: new Float64Array(0),
      orbitals: new Float64Array(0),
      energies: new Float64Array(0),
    };
    turn(state, block.core);
    return [state];
  });
  const repulsion = states.map((a) => states.map((b) => repulsionBetween(a.block, b.block, grid)));
  const diis = new Diis();
  for (let cycle = 1; ; cycle++) {
    const { energy, filled: f, open } = blockFocks(states, repulsion);
    const steps = states.map((b, i) => coupled(b, f[i]!, open[i]!));
    const gradient = Math.max(...steps.map((s) => s.gradient));
    if (gradient < SETTLED || cycle >= CYCLES) return atomOf(states, recipes, energy);
    const matrices = states.map((b, i) => overFunctions(b, steps[i]!.fock));
    const errors = states.map((b, i) =>
      commutator(matrices[i]!, b.density, b.block.overlap, b.block.functions.length, b.basis),
    );
    diis.next(matrices, errors).forEach((m, i) => turn(states[i]!, m));
  }
}

const atomOf = (
  states: readonly BlockState[],
  recipes: readonly (readonly ShellRecipe[])[],
  energy: number,
): SphericalAtom => ({
  energy,
  blocks: states.map((b) => ({
    l: b.block.l,
    recipes: recipes[b.block.l]!,
    density: b.density,
    orbitals: b.orbitals,
    width: b.basis.kept,
    energies: b.energies,
    electrons: b.electrons,
  })),
});

/** Density matrix of orbitals (columns) with so many electrons each. */
function occupy(orbitals: Float64Array, n: number, width: number, electrons: readonly number[]): Float64Array {
  const out = new Float64Array(n * n);
  electrons.forEach((count, k) => {
    for (let p = 0; p < n; p++)
      for (let q = 0; q < n; q++) out[p * n + q]! += count * orbitals[p * width + k]! * orbitals[q * width + k]!;
  });
  return out;
}

/** Coulomb less exchange between two blocks: pq of the first, rs of the second at pq·(rs) + rs. */
function repulsionBetween(a: RadialBlock, b: RadialBlock, grid: RadialGrid): Float64Array {
  const out = gridProduct(pairsOnGrid(a, a, grid), potentialsOnGrid(b, b, 0, grid), grid);
  const [n, m] = [a.functions.length, b.functions.length];
  const mixed = pairsOnGrid(a, b, grid);
  for (let k = Math.abs(a.l - b.l); k <= a.l + b.l; k += 2) {
    const factor = 0.5 * threeJSquare(a.l, k, b.l);
    const exchange = gridProduct(mixed, potentialsOnGrid(a, b, k, grid), grid);
    for (let p = 0; p < n; p++)
      for (let q = 0; q < n; q++)
        for (let r = 0; r < m; r++)
          for (let s = 0; s < m; s++)
            out[(p * n + q) * m * m + r * m + s]! -= factor * exchange[(p * m + r) * n * m + q * m + s]!;
  }
  return out;
}

/** Density at r of an averaged atom, electrons/bohr³. */
export function atomDensity(atom: SphericalAtom, r: number): number {
  let sum = 0;
  for (const { l, recipes, density } of atom.blocks) {
    const n = recipes.length;
    const values = recipes.map((recipe) => {
      const c = normalised(recipe);
      return (
        recipe.exponents.reduce((v, alpha, i) => v + c[i]! * Math.exp(-alpha * r * r), 0) * radialFactor(l) * r ** l
      );
    });
    for (let p = 0; p < n; p++) for (let q = 0; q < n; q++) sum += density[p * n + q]! * values[p]! * values[q]!;
  }
  return sum / (4 * Math.PI);
}
