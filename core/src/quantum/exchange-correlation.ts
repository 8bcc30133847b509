/** Exchange and correlation of a molecule on its grid (Pople, Gill & Johnson 1992). */
import type { Functional, PointEnergy } from './functionals.ts';
import type { Basis } from './gaussian.ts';
import { BATCH, batchesOf, GridFunctions } from './grid-functions.ts';
import { addProduct } from '../math/dense-product.ts';
import { transposed } from './matrices.ts';
import type { MolecularGrid } from './molecular-grid.ts';
import type { ExchangeCorrelation, SpinDensity } from './spin-density.ts';

/** Density of one spin on a batch, with its gradient. */
interface BatchDensity {
  readonly rho: Float64Array;
  readonly slopes: readonly [Float64Array, Float64Array, Float64Array];
}

const room = (): BatchDensity => ({
  rho: new Float64Array(BATCH),
  slopes: [new Float64Array(BATCH), new Float64Array(BATCH), new Float64Array(BATCH)],
});

/** Evaluates the density of a matrix on the points of a batch. `x` and `sub` are room to work in. */
function densityOn(
  density: Float64Array,
  size: number,
  f: GridFunctions,
  points: number,
  gradient: boolean,
  sub: Float64Array,
  x: Float64Array,
  out: BatchDensity,
): void {
  const n = f.count;
  f.gather(density, size, sub);
  x.fill(0, 0, n * points);
  addProduct(sub, f.values, n, n, points, x);
  const lists = gradient ? [out.rho, ...out.slopes] : [out.rho];
  const sources = [f.values, ...f.slopes];
  lists.forEach((list, part) => {
    const source = sources[part]!,
      factor = part ? 2 : 1;
    list.fill(0);
    for (let i = 0; i < n; i++) {
      const at = i * points;
      for (let p = 0; p < points; p++) list[p]! += factor * source[at + p]! * x[at + p]!;
    }
  });
}

/** Builder of energy and potential on a grid. */
export function exchangeCorrelation(basis: Basis, grid: MolecularGrid, functional: Functional): ExchangeCorrelation {
  const batches = batchesOf(grid),
    { size } = basis,
    { gradient } = functional;
  const f = new GridFunctions(basis, gradient);
  const sub = new Float64Array(size * size),
    x = new Float64Array(size * BATCH),
    z = new Float64Array(size * BATCH);
  const densities = [room(), room()];
  const weights = [0, 1].map(() => [0, 1, 2, 3].map(() => new Float64Array(BATCH)));
  return {
    async evaluate(spins, context) {
      const potentials = spins.map(() => new Float64Array(size * size));
      let energy = 0,
        electrons = 0;
      for (const which of batches) {
        await context.breath();
        f.at(grid.points, which);
        if (!f.count) continue;
        const n = which.length;
        spins.forEach((s: SpinDensity, k) => densityOn(s.density, size, f, n, gradient, sub, x, densities[k]!));
        const b = spins.length > 1 ? densities[1]! : densities[0]!;
        const sums = pointPotentials(functional, grid, which, densities[0]!, b, weights);
        energy += sums.energy;
        electrons += sums.electrons;
        potentials.forEach((v, k) => addPotential(v, size, f, n, weights[k]!, gradient, z));
      }
      return { energy, potentials: potentials.map((v) => symmetric(v, size)), electrons };
    },
  };
}

const point: PointEnergy = { energy: 0, alpha: 0, beta: 0, aa: 0, ab: 0, bb: 0 };

/** Energy of a batch; into `weights` what multiplies a function and its slopes in the potential of each spin. */
function pointPotentials(
  functional: Functional,
  grid: MolecularGrid,
  which: Int32Array,
  a: BatchDensity,
  b: BatchDensity,
  weights: readonly (readonly Float64Array[])[],
): { energy: number; electrons: number } {
  let energy = 0,
    electrons = 0;
  const dot = (p: number, one: BatchDensity, other: BatchDensity): number =>
    one.slopes[0][p]! * other.slopes[0][p]! +
    one.slopes[1][p]! * other.slopes[1][p]! +
    one.slopes[2][p]! * other.slopes[2][p]!;
  for (let p = 0; p < which.length; p++) {
    const w = grid.weights[which[p]!]!;
    functional.at(a.rho[p]!, b.rho[p]!, dot(p, a, a), dot(p, a, b), dot(p, b, b), point);
    energy += w * point.energy;
    electrons += w * (a.rho[p]! + b.rho[p]!);
    weights[0]![0]![p] = 0.5 * w * point.alpha;
    weights[1]![0]![p] = 0.5 * w * point.beta;
    if (!functional.gradient) continue;
    for (let k = 0; k < 3; k++) {
      const [sa, sb] = [a.slopes[k as 0]![p]!, b.slopes[k as 0]![p]!];
      weights[0]![k + 1]![p] = w * (2 * point.aa * sa + point.ab * sb);
      weights[1]![k + 1]![p] = w * (2 * point.bb * sb + point.ab * sa);
    }
  }
  return { energy, electrons };
}

/** Adds half of the potential: the other half is its transpose. */
function addPotential(
  v: Float64Array,
  size: number,
  f: GridFunctions,
  points: number,
  weights: readonly Float64Array[],
  gradient: boolean,
  z: Float64Array,
): void {
  const n = f.count;
  for (let i = 0; i < n; i++) {
    const at = i * points;
    for (let p = 0; p < points; p++) {
      let sum = weights[0]![p]! * f.values[at + p]!;
      if (gradient)
        sum +=
          weights[1]![p]! * f.slopes[0][at + p]! +
          weights[2]![p]! * f.slopes[1][at + p]! +
          weights[3]![p]! * f.slopes[2][at + p]!;
      z[at + p] = sum;
    }
  }
  const block = addProduct(
    f.values.subarray(0, n * points),
    transposed(z.subarray(0, n * points), n, points),
    n,
    points,
    n,
    new Float64Array(n * n),
  );
  for (let i = 0; i < n; i++) {
    const row = f.functions[i]! * size;
    for (let j = 0; j < n; j++) v[row + f.functions[j]!]! += block[i * n + j]!;
  }
}

function symmetric(half: Float64Array, size: number): Float64Array {
  const back = transposed(half, size, size);
  return half.map((x, i) => x + back[i]!);
}
