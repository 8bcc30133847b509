import { beforeAll, describe, expect, it } from 'vitest';
import { quietContext } from '../task-context.ts';
import { boys, HIGHEST_BOYS } from './boys.ts';
import { basisOf, type Basis, type Centre, type Shell, type ShellRecipe } from './gaussian.ts';
import { BATCH, GridFunctions } from './grid-functions.ts';
import { molecularGrid, type MolecularGrid } from './molecular-grid.ts';
import { attractionMatrix, kineticMatrix, momentMatrix, overlapMatrix } from './one-electron.ts';
import { RepulsionBlock } from './repulsion.ts';
import { pairOf, shellPairs, singleOf } from './shell-pairs.ts';

describe('the Boys function', () => {
  /** Simpson's rule on t²ᵐ exp(−Tt²). */
  function quadrature(m: number, t: number): number {
    const n = 4000;
    let sum = 0;
    for (let i = 0; i <= n; i++) {
      const x = i / n;
      sum += (i === 0 || i === n ? 1 : i % 2 ? 4 : 2) * x ** (2 * m) * Math.exp(-t * x * x);
    }
    return sum / (3 * n);
  }

  it('is its integral, near the table’s steps and beyond its end', () => {
    const out = new Float64Array(HIGHEST_BOYS + 1);
    for (const t of [0, 1e-6, 0.049, 0.0501, 3.33, 17.7, 31.96, 32.1, 60]) {
      boys(t, HIGHEST_BOYS, out);
      for (const m of [0, 1, 5, HIGHEST_BOYS])
        expect(Math.abs(out[m]! - quadrature(m, t)), `m ${m}, T ${t}`).toBeLessThan(1e-11);
    }
  });
});

const centres: readonly Centre[] = [
  { element: 'C', charge: 6, position: [0.1, -0.2, 0.3] },
  { element: 'O', charge: 8, position: [1.1, 1.2, -0.7] },
];
const recipesOf = (cartesian: boolean): readonly ShellRecipe[] =>
  [0, 1, 2, 3].map((l) => ({
    l,
    cartesian,
    exponents: [0.9 + 0.2 * l, 0.35],
    coefficients: [0.6, 0.5],
  }));

describe.each([
  ['Cartesian', false],
  ['pure', true],
] as const)('%s functions up to f', (_name, pure) => {
  const basis = basisOf(centres, () => recipesOf(!pure));
  const pairs = shellPairs(basis.shells),
    { size } = basis;
  let grid: MolecularGrid;
  beforeAll(async () => {
    grid = await molecularGrid(centres, { radial: 60, sphere: 302 }, quietContext());
  });

  /** ∫ over the grid of what `value` makes of two functions at a point. */
  function quadrature(
    value: (f: GridFunctions, a: number, b: number) => number,
    operator: (x: readonly number[]) => number = () => 1,
  ): Float64Array {
    const out = new Float64Array(size * size),
      f = new GridFunctions(basis, true);
    for (let from = 0; from < grid.count; from += BATCH) {
      const which = Int32Array.from({ length: Math.min(BATCH, grid.count - from) }, (_, i) => from + i);
      f.at(grid.points, which);
      for (let p = 0; p < which.length; p++) {
        const at = 3 * which[p]!,
          w = grid.weights[which[p]!]! * operator(Array.from(grid.points.subarray(at, at + 3)));
        for (let i = 0; i < f.count; i++)
          for (let j = 0; j < f.count; j++)
            out[f.functions[i]! * size + f.functions[j]!]! += w * value(f, i * which.length + p, j * which.length + p);
      }
    }
    return out;
  }
  const overlap = (f: GridFunctions, a: number, b: number): number => f.values[a]! * f.values[b]!;
  const near = (a: Float64Array, b: Float64Array, within: number): void =>
    expect(Math.max(...a.map((x, i) => Math.abs(x - b[i]!)))).toBeLessThan(within);

  it('are normalised, and overlap as quadrature says', () => {
    const s = overlapMatrix(pairs, size);
    for (let i = 0; i < size; i++) expect(s[i * size + i]).toBeCloseTo(1, 10);
    near(s, quadrature(overlap), 3e-5);
  });

  it('have the kinetic energy, moments and attraction that quadrature gives', { tags: 'long' }, () => {
    const kinetic = quadrature(({ slopes: [x, y, z] }, a, b) => 0.5 * (x[a]! * x[b]! + y[a]! * y[b]! + z[a]! * z[b]!));
    near(kineticMatrix(basis), kinetic, 1e-4);
    near(
      momentMatrix(pairs, size, 1),
      quadrature(overlap, (x) => x[1]!),
      1e-5,
    );
    const potential = (x: readonly number[]): number =>
      centres.reduce((sum, c) => sum - c.charge / Math.hypot(...x.map((v, k) => v - c.position[k]!)), 0);
    const attraction = quadrature(overlap, potential);
    near(attractionMatrix(pairs, size, centres), attraction, 2e-4);
  });
});

const shell = (l: number, alpha: number, position: readonly [number, number, number]): Shell =>
  basisOf([{ element: 'H', charge: 1, position }], () => [{ l, exponents: [alpha], coefficients: [1] }]).shells[0]!;

describe('the repulsion of two distributions', () => {
  const block = new RepulsionBlock();
  const between = (a: Shell, b: Shell, c: Shell, d: Shell): Float64Array =>
    Float64Array.from(block.between(pairOf(a, b), pairOf(c, d)));

  it('of two s distributions is erf(√α R)/R for their charges', () => {
    const [a, b] = [shell(0, 0.8, [0, 0, 0]), shell(0, 1.3, [0, 0, 2])];
    // s² has the exponent 2α; reduced exponent pq/(p + q). F₀ = √(π/T)/2 erf(√T).
    const p = 1.6,
      q = 2.6,
      t = ((p * q) / (p + q)) * 4;
    const f = new Float64Array(1);
    boys(t, 0, f);
    expect(between(a, a, b, b)[0]).toBeCloseTo(2 * Math.sqrt((p * q) / (p + q) / Math.PI) * f[0]!, 12);
  });

  it('is the same whichever is the bra, for every angular momentum', () => {
    const shells = [0, 1, 2, 3].map((l) => shell(l, 0.5 + 0.3 * l, [0.3 * l, -0.2 * l, 0.1 + 0.2 * l]));
    const [s, p, d, f] = shells as [Shell, Shell, Shell, Shell];
    const one = between(p, f, d, s),
      other = between(d, s, p, f);
    const [rows, columns] = [3 * 7, 5];
    for (let i = 0; i < rows; i++)
      for (let j = 0; j < columns; j++) expect(one[i * columns + j]).toBeCloseTo(other[j * rows + i]!, 11);
  });

  it('changes with a centre as the functions of higher angular momentum say', () => {
    // d/dA of exp(−α(x−A)²) is 2α x exp(−α…): an unnormalised p function.
    const alpha = 0.7,
      step = 1e-4,
      others = [shell(2, 0.6, [1, 0.2, -0.4]), shell(1, 0.9, [-0.5, 0.8, 0.3]), shell(0, 1.1, [0, 1, 1])] as const;
    const at = (x: number): Float64Array => between(shell(0, alpha, [x, 0.1, 0.2]), ...others);
    const raised = between(shell(1, alpha, [0, 0.1, 0.2]), ...others);
    const [up, down] = [at(step), at(-step)];
    const ratio = shell(0, alpha, [0, 0, 0]).coefficients[0]! / shell(1, alpha, [0, 0, 0]).coefficients[0]!;
    const each = 5 * 3;
    // Order 1 in the order of pure p kept Cartesian: x first.
    for (let i = 0; i < each; i++)
      expect((up[i]! - down[i]!) / (2 * step)).toBeCloseTo(2 * alpha * ratio * raised[i]!, 6);
  });

  it('with a point-like charge is its attraction', () => {
    const basis: Basis = basisOf(centres, () => recipesOf(false));
    const point: readonly [number, number, number] = [0.4, -0.9, 1.2];
    const tight = shell(0, 1e7, point);
    // A normalised s function holds (8π/α)^¾·… of charge: scaled to one.
    const charge = (Math.PI / 1e7) ** 1.5 * tight.coefficients[0]!;
    const pairs = shellPairs(basis.shells);
    const attraction = attractionMatrix(pairs, basis.size, [{ charge: 1, position: point }]);
    const pair = pairs.find((x) => x.order === 5)!;
    const values = block.between(pair, singleOf(tight));
    for (let i = 0; i < pair.rows; i++)
      for (let j = 0; j < pair.columns; j++)
        expect(values[i * pair.columns + j]! / charge).toBeCloseTo(
          -attraction[(pair.firstRow + i) * basis.size + pair.firstColumn + j]!,
          5,
        );
  });

  it('of a dipole is that of two charges side by side', () => {
    const basis = basisOf(centres, () => recipesOf(false));
    const pairs = shellPairs(basis.shells);
    const h = 1e-3;
    const dipole = attractionMatrix(pairs, basis.size, [
      { charge: 0, position: [2, 1, 0.5], dipole: [0.3, -0.2, 0.4] },
    ]);
    const charges = [1, -1].map((sign) => ({
      charge: (sign * 1) / (2 * h),
      position: [2 + sign * h * 0.3, 1 - sign * h * 0.2, 0.5 + sign * h * 0.4] as const,
    }));
    const pairwise = attractionMatrix(pairs, basis.size, charges);
    dipole.forEach((x, i) => expect(x).toBeCloseTo(pairwise[i]!, 5));
  });
});
