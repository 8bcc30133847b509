/** Products of two shells, or one shell alone, as Hermite Gaussians: what every integral is made of. */
import type { Vec3 } from '../math/matrix3.ts';
import { cartesianCount, cartesianPowers, functionCount, functionMatrix, type Shell } from './gaussian.ts';
import { hermiteCount, hermiteIndex, productTerms } from './hermite.ts';

/** A charge distribution: for each function a sum of Hermite Gaussians over a few exponents and centres. */
export interface HermitePair {
  /** Functions of the first and the second shell; the second is 1 where there is one shell alone. */
  readonly rows: number;
  readonly columns: number;
  readonly firstRow: number;
  readonly firstColumn: number;
  /** Highest t + u + v. */
  readonly order: number;
  /** Terms per function. */
  readonly terms: number;
  /** Number of primitive products kept. */
  readonly count: number;
  readonly exponents: Float64Array;
  /** Centres, three each. */
  readonly centres: Float64Array;
  /** Primitive k, function f, term t at (k·rows·columns + f)·terms + t. */
  readonly coefficients: Float64Array;
}

/** Primitive products whose largest coefficient is below this are left out. */
const NEGLIGIBLE = 1e-13;

/** Turns the Cartesian rows and columns of a block into functions. */
function toFunctions(block: Float64Array, a: Shell, b: Shell, terms: number, out: Float64Array, to: number): void {
  const ca = cartesianCount(a.l),
    cb = cartesianCount(b.l),
    fa = functionCount(a),
    fb = functionCount(b),
    ma = functionMatrix(a.l, a.pure),
    mb = functionMatrix(b.l, b.pure);
  for (let i = 0; i < fa; i++)
    for (let x = 0; x < ca; x++) {
      const u = ma[i * ca + x]!;
      if (!u) continue;
      for (let j = 0; j < fb; j++)
        for (let y = 0; y < cb; y++) {
          const w = u * mb[j * cb + y]!;
          if (!w) continue;
          const from = (x * cb + y) * terms,
            at = to + (i * fb + j) * terms;
          for (let t = 0; t < terms; t++) out[at + t]! += w * block[from + t]!;
        }
    }
}

/** Hermite terms of the Cartesian products of two primitives; `e` are the terms of x, y and z. */
function cartesianBlock(
  la: number,
  lb: number,
  e: readonly Float64Array[],
  scale: number,
  terms: number,
): Float64Array {
  const pa = cartesianPowers(la),
    pb = cartesianPowers(lb),
    width = la + lb + 1;
  const block = new Float64Array(pa.length * pb.length * terms);
  pa.forEach(([ax, ay, az], x) =>
    pb.forEach(([bx, by, bz], y) => {
      const at = (x * pb.length + y) * terms;
      const ex = (ax * (lb + 1) + bx) * width,
        ey = (ay * (lb + 1) + by) * width,
        ez = (az * (lb + 1) + bz) * width;
      for (let t = 0; t <= ax + bx; t++)
        for (let u = 0; u <= ay + by; u++)
          for (let v = 0; v <= az + bz; v++)
            block[at + hermiteIndex(t, u, v)] = scale * e[0]![ex + t]! * e[1]![ey + u]! * e[2]![ez + v]!;
    }),
  );
  return block;
}

/** The product of two shells. */
export function pairOf(a: Shell, b: Shell): HermitePair {
  const order = a.l + b.l,
    terms = hermiteCount(order),
    rows = functionCount(a),
    columns = functionCount(b);
  const between = a.position.map((x, k) => x - b.position[k]!);
  const square = between.reduce((sum, x) => sum + x * x, 0);
  const exponents: number[] = [],
    centres: number[] = [],
    blocks: Float64Array[] = [];
  a.exponents.forEach((alpha, i) =>
    b.exponents.forEach((beta, j) => {
      const p = alpha + beta,
        scale = a.coefficients[i]! * b.coefficients[j]!;
      const overlap = Math.exp((-alpha * beta * square) / p);
      if (Math.abs(scale * overlap) < NEGLIGIBLE) return;
      const centre = a.position.map((x, k) => (alpha * x + beta * b.position[k]!) / p);
      const e = [0, 1, 2].map((k) =>
        productTerms(a.l, b.l, p, centre[k]! - a.position[k]!, centre[k]! - b.position[k]!, k ? 1 : overlap),
      );
      const out = new Float64Array(rows * columns * terms);
      toFunctions(cartesianBlock(a.l, b.l, e, scale, terms), a, b, terms, out, 0);
      exponents.push(p);
      centres.push(...centre);
      blocks.push(out);
    }),
  );
  const coefficients = new Float64Array(blocks.length * rows * columns * terms);
  blocks.forEach((block, k) => coefficients.set(block, k * block.length));
  return {
    rows,
    columns,
    firstRow: a.first,
    firstColumn: b.first,
    order,
    terms,
    count: blocks.length,
    exponents: Float64Array.from(exponents),
    centres: Float64Array.from(centres),
    coefficients,
  };
}

const UNIT: Omit<Shell, 'position'> = {
  centre: 0,
  l: 0,
  exponents: new Float64Array(1),
  coefficients: new Float64Array([1]),
  pure: false,
  first: 0,
};

/** One shell alone, as fitting functions are. */
export const singleOf = (a: Shell): HermitePair => pairOf(a, { ...UNIT, position: a.position });

/** All pairs a ≥ b of a basis that overlap at all. */
export function shellPairs(shells: readonly Shell[]): HermitePair[] {
  return shells.flatMap((a, i) => shells.slice(0, i + 1).map((b) => pairOf(a, b))).filter((pair) => pair.count > 0);
}

/** Where the nuclei and what stands for neighbours act from. */
export interface PointCharge {
  readonly charge: number;
  readonly position: Vec3;
  /** Dipole moment at the point, electron bohr. */
  readonly dipole?: Vec3;
}
