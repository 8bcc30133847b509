/** Exchange and correlation of a molecule on its grid (Pople, Gill & Johnson 1992). */
import type { TaskContext } from '../task-context.ts';
import { shared, sharedDoubles, sharedIntegers, summed, SUMMED_PARTS, type Crew, type Workshop } from './crew.ts';
import { functionalOf, type Functional, type MethodName, type PointEnergy } from './functionals.ts';
import type { Basis } from './gaussian.ts';
import { BATCH, batchesOf, GridFunctions } from './grid-functions.ts';
import { addProduct } from '../math/dense-product.ts';
import { transposed } from './matrices.ts';
import type { MolecularGrid } from './molecular-grid.ts';
import type { ExchangeCorrelation } from './spin-density.ts';

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

/** What every thread needs; plain data, the arrays in shared memory. */
export interface CorrelationPlan {
  readonly kind: 'correlation';
  readonly method: MethodName;
  readonly basis: Basis;
  readonly points: Float64Array;
  readonly weights: Float64Array;
  /** Of each spin. */
  readonly densities: Float64Array;
  /** By part: half the potential of each spin, and energy with number of electrons. */
  readonly potentials: Float64Array;
  readonly sums: Float64Array;
  readonly kept: KeptBatches;
}

/** The functions at the points of batches, as far as there is room: they are the same in every iteration. */
interface KeptBatches {
  /** Of every batch that has room: whether it is there. */
  readonly isThere: Int32Array;
  /** Where functions and values of each begin; one more at the end. */
  readonly functionsAt: readonly number[];
  readonly valuesAt: readonly number[];
  readonly functions: Int32Array;
  readonly values: Float64Array;
}

/** Values kept at most, 320 megabytes. */
export const MOST_KEPT = 40_000_000;

function roomForBatches(basis: Basis, grid: Pick<MolecularGrid, 'points' | 'count'>, gradient: boolean): KeptBatches {
  const f = new GridFunctions(basis, gradient);
  const functionsAt = [0],
    valuesAt = [0];
  for (const which of batchesOf(grid)) {
    const count = f.countAt(grid.points, which);
    const next = valuesAt.at(-1)! + count * which.length * (gradient ? 4 : 1);
    if (next > MOST_KEPT) break;
    functionsAt.push(functionsAt.at(-1)! + count);
    valuesAt.push(next);
  }
  return {
    isThere: sharedIntegers(functionsAt.length - 1),
    functionsAt,
    valuesAt,
    functions: sharedIntegers(functionsAt.at(-1)!),
    values: sharedDoubles(valuesAt.at(-1)!),
  };
}

/** Room for exchange and correlation of a basis on a grid. `spins`: 1 for a closed shell, 2. */
export function correlationPlan(basis: Basis, grid: MolecularGrid, method: MethodName, spins: number): CorrelationPlan {
  const square = basis.size ** 2;
  return {
    kind: 'correlation',
    method,
    basis,
    points: shared(grid.points),
    weights: shared(grid.weights),
    densities: sharedDoubles(spins * square),
    potentials: sharedDoubles(SUMMED_PARTS * spins * square),
    sums: sharedDoubles(SUMMED_PARTS * 2),
    kept: roomForBatches(basis, grid, functionalOf(method)!.gradient),
  };
}

/** The parts of energy and potential: some of the batches of points each. */
export class CorrelationWorkshop implements Workshop {
  private readonly functional: Functional;
  private readonly batches: readonly Int32Array[];
  private readonly spins: number;
  private readonly f: GridFunctions;
  /** Room to work in. */
  private readonly sub: Float64Array;
  private readonly x: Float64Array;
  private readonly z: Float64Array;
  private readonly rooms = [room(), room()];
  private readonly factors = [0, 1].map(() => [0, 1, 2, 3].map(() => new Float64Array(BATCH)));

  constructor(readonly plan: CorrelationPlan) {
    const { basis, points, weights, method, densities } = plan,
      { size } = basis;
    this.functional = functionalOf(method)!;
    this.batches = batchesOf({ count: weights.length, points });
    this.spins = densities.length / size ** 2;
    this.f = new GridFunctions(basis, this.functional.gradient);
    this.sub = new Float64Array(size * size);
    this.x = new Float64Array(size * BATCH);
    this.z = new Float64Array(size * BATCH);
  }

  async part(_step: number, index: number, context: TaskContext): Promise<void> {
    const { potentials, sums, basis } = this.plan,
      length = this.spins * basis.size ** 2;
    const out = potentials.subarray(index * length, (index + 1) * length).fill(0);
    sums.fill(0, 2 * index, 2 * index + 2);
    for (let n = index; n < this.batches.length; n += SUMMED_PARTS) {
      await context.breath();
      this.evaluate(n);
      this.batch(this.batches[n]!, out, index);
    }
  }

  /** The functions at the points of a batch: as they were kept, or anew. */
  private evaluate(n: number): void {
    const { isThere, functionsAt, valuesAt, functions, values } = this.plan.kept;
    const which = this.batches[n]!;
    const hasRoom = n < isThere.length;
    const names = functions.subarray(functionsAt[n]!, functionsAt[n + 1]!),
      room = values.subarray(valuesAt[n]!, valuesAt[n + 1]!);
    if (hasRoom && Atomics.load(isThere, n)) return this.f.restore(names, room, which.length);
    this.f.at(this.plan.points, which);
    if (!hasRoom) return;
    this.f.keep(names, room, which.length);
    Atomics.store(isThere, n, 1);
  }

  private batch(which: Int32Array, out: Float64Array, index: number): void {
    const { weights, densities, sums, basis } = this.plan,
      { size } = basis,
      { f, rooms, functional, factors } = this,
      square = size * size;
    if (!f.count) return;
    const n = which.length;
    for (let spin = 0; spin < this.spins; spin++) {
      const density = densities.subarray(spin * square, (spin + 1) * square);
      densityOn(density, size, f, n, functional.gradient, this.sub, this.x, rooms[spin]!);
    }
    const found = pointPotentials(functional, weights, which, rooms[0]!, rooms[this.spins - 1]!, factors);
    sums[2 * index]! += found.energy;
    sums[2 * index + 1]! += found.electrons;
    for (let spin = 0; spin < this.spins; spin++) {
      const v = out.subarray(spin * square, (spin + 1) * square);
      addPotential(v, size, f, n, factors[spin]!, functional.gradient, this.z);
    }
  }
}

/** Builder of energy and potential. */
export function exchangeCorrelation(workshop: CorrelationWorkshop, crew: Crew<unknown>): ExchangeCorrelation {
  const { basis, densities, potentials, sums } = workshop.plan,
    { size } = basis,
    square = size * size;
  return {
    async evaluate(spins, context) {
      spins.forEach((s, k) => densities.set(s.density, k * square));
      await crew.run(workshop, 0, SUMMED_PARTS, context);
      const halves = summed(potentials, spins.length * square);
      const [energy, electrons] = summed(sums, 2) as unknown as [number, number];
      return {
        energy,
        electrons,
        potentials: spins.map((_, k) => symmetric(halves.slice(k * square, (k + 1) * square), size)),
      };
    },
  };
}

const point: PointEnergy = { energy: 0, alpha: 0, beta: 0, aa: 0, ab: 0, bb: 0 };

/** Energy of a batch; into `weights` what multiplies a function and its slopes in the potential of each spin. */
function pointPotentials(
  functional: Functional,
  quadrature: Float64Array,
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
    const w = quadrature[which[p]!]!;
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
