/** Integrals over one electron; matrices are size × size, row-major. */
import type { Vec3 } from '../math/matrix3.ts';
import { cartesianCount, cartesianPowers, functionCount, functionMatrix, type Basis, type Shell } from './gaussian.ts';
import { coulombTerms, hermiteCount, hermiteIndex, hermiteTriple, productTerms } from './hermite.ts';
import type { HermitePair, PointCharge } from './shell-pairs.ts';

/** Calls `put` with every function of a pair and mirrors what it gives. */
function fill(
  pairs: readonly HermitePair[],
  size: number,
  value: (pair: HermitePair, f: number) => number,
): Float64Array {
  const out = new Float64Array(size * size);
  for (const pair of pairs)
    for (let i = 0; i < pair.rows; i++)
      for (let j = 0; j < pair.columns; j++) {
        const x = value(pair, i * pair.columns + j);
        out[(pair.firstRow + i) * size + pair.firstColumn + j] = x;
        out[(pair.firstColumn + j) * size + pair.firstRow + i] = x;
      }
  return out;
}

/** ⟨a|b⟩. */
export const overlapMatrix = (pairs: readonly HermitePair[], size: number): Float64Array =>
  fill(pairs, size, (pair, f) => {
    let sum = 0;
    for (let k = 0; k < pair.count; k++)
      sum +=
        pair.coefficients[(k * pair.rows * pair.columns + f) * pair.terms]! * (Math.PI / pair.exponents[k]!) ** 1.5;
    return sum;
  });

/** ⟨a|x|b⟩ along one axis (0, 1, 2). */
export const momentMatrix = (pairs: readonly HermitePair[], size: number, axis: 0 | 1 | 2): Float64Array => {
  const first = 1 + axis;
  return fill(pairs, size, (pair, f) => {
    let sum = 0;
    for (let k = 0; k < pair.count; k++) {
      const at = (k * pair.rows * pair.columns + f) * pair.terms;
      const slope = pair.order ? pair.coefficients[at + first]! : 0;
      sum += (pair.coefficients[at]! * pair.centres[3 * k + axis]! + slope) * (Math.PI / pair.exponents[k]!) ** 1.5;
    }
    return sum;
  });
};

/** Potential energy of an electron before the charges (and dipoles), −Σ q/|r − C|. */
export function attractionMatrix(
  pairs: readonly HermitePair[],
  size: number,
  charges: readonly PointCharge[],
): Float64Array {
  const out = new Float64Array(size * size);
  for (const pair of pairs) {
    const values = pairPotential(pair, charges);
    for (let i = 0; i < pair.rows; i++)
      for (let j = 0; j < pair.columns; j++) {
        const x = -values[i * pair.columns + j]!;
        out[(pair.firstRow + i) * size + pair.firstColumn + j] = x;
        out[(pair.firstColumn + j) * size + pair.firstRow + i] = x;
      }
  }
  return out;
}

/** ∫ of each function of a pair times the potential of the charges. */
function pairPotential(pair: HermitePair, charges: readonly PointCharge[]): Float64Array {
  const functions = pair.rows * pair.columns,
    { order, terms } = pair;
  const out = new Float64Array(functions),
    r = new Float64Array(hermiteCount(order + 1)),
    sum = new Float64Array(terms);
  for (let k = 0; k < pair.count; k++) {
    const p = pair.exponents[k]!;
    sum.fill(0);
    for (const { charge, position, dipole } of charges) {
      const [x, y, z] = [0, 1, 2].map((c) => pair.centres[3 * k + c]! - position[c]!) as [number, number, number];
      coulombTerms(p, x, y, z, dipole ? order + 1 : order, r);
      for (let t = 0; t < terms; t++) sum[t]! += charge * r[t]!;
      // A dipole at C is a charge moved along it: −d·∇ by P − C.
      if (dipole) addDipole(sum, r, terms, dipole);
    }
    const scale = (2 * Math.PI) / p;
    for (let f = 0; f < functions; f++) {
      const at = (k * functions + f) * terms;
      let value = 0;
      for (let t = 0; t < terms; t++) value += pair.coefficients[at + t]! * sum[t]!;
      out[f]! += scale * value;
    }
  }
  return out;
}

function addDipole(sum: Float64Array, r: Float64Array, terms: number, dipole: Vec3): void {
  for (let i = 0; i < terms; i++) {
    const [t, u, v] = hermiteTriple(i);
    sum[i]! -=
      dipole[0] * r[hermiteIndex(t + 1, u, v)]! +
      dipole[1] * r[hermiteIndex(t, u + 1, v)]! +
      dipole[2] * r[hermiteIndex(t, u, v + 1)]!;
  }
}

/** −½⟨a|∇²|b⟩ (Helgaker et al., 9.3.36). */
export function kineticMatrix(basis: Basis): Float64Array {
  const { shells, size } = basis;
  const out = new Float64Array(size * size);
  shells.forEach((a, n) => {
    for (const b of shells.slice(0, n + 1)) {
      const block = kineticBlock(a, b),
        columns = functionCount(b);
      for (let i = 0; i < functionCount(a); i++)
        for (let j = 0; j < columns; j++) {
          out[(a.first + i) * size + b.first + j] = block[i * columns + j]!;
          out[(b.first + j) * size + a.first + i] = block[i * columns + j]!;
        }
    }
  });
  return out;
}

function kineticBlock(a: Shell, b: Shell): Float64Array {
  const powersA = cartesianPowers(a.l),
    powersB = cartesianPowers(b.l);
  const cartesian = new Float64Array(powersA.length * powersB.length);
  a.exponents.forEach((alpha, i) =>
    b.exponents.forEach((beta, j) => {
      const c = a.coefficients[i]! * b.coefficients[j]!;
      const axes = [0, 1, 2].map((k) => oneDimension(a, b, alpha, beta, k));
      powersA.forEach((p, x) =>
        powersB.forEach((q, y) => {
          const [sx, sy, sz] = axes.map((axis, k) => axis.overlap(p[k]!, q[k]!));
          const [tx, ty, tz] = axes.map((axis, k) => axis.kinetic(p[k]!, q[k]!));
          cartesian[x * powersB.length + y]! += c * (tx! * sy! * sz! + sx! * ty! * sz! + sx! * sy! * tz!);
        }),
      );
    }),
  );
  return functionsOf(cartesian, a, b);
}

/** Overlap and kinetic integrals of x^i and x^j along one axis. */
function oneDimension(
  a: Shell,
  b: Shell,
  alpha: number,
  beta: number,
  axis: number,
): { overlap(i: number, j: number): number; kinetic(i: number, j: number): number } {
  const p = alpha + beta,
    [xa, xb] = [a.position[axis]!, b.position[axis]!],
    centre = (alpha * xa + beta * xb) / p,
    lb = b.l + 2,
    width = a.l + lb + 1;
  const e = productTerms(a.l, lb, p, centre - xa, centre - xb, Math.exp((-alpha * beta * (xa - xb) ** 2) / p));
  const root = Math.sqrt(Math.PI / p);
  const overlap = (i: number, j: number): number => (j < 0 ? 0 : root * e[(i * (lb + 1) + j) * width]!);
  return {
    overlap,
    kinetic: (i, j) =>
      -2 * beta * beta * overlap(i, j + 2) + beta * (2 * j + 1) * overlap(i, j) - 0.5 * j * (j - 1) * overlap(i, j - 2),
  };
}

/** A Cartesian block as one of functions. */
function functionsOf(block: Float64Array, a: Shell, b: Shell): Float64Array {
  const ca = cartesianCount(a.l),
    cb = cartesianCount(b.l),
    ma = functionMatrix(a.l, a.pure),
    mb = functionMatrix(b.l, b.pure),
    columns = functionCount(b);
  const out = new Float64Array(functionCount(a) * columns);
  for (let i = 0; i < functionCount(a); i++)
    for (let j = 0; j < columns; j++) {
      let sum = 0;
      for (let x = 0; x < ca; x++)
        for (let y = 0; y < cb; y++) sum += ma[i * ca + x]! * mb[j * cb + y]! * block[x * cb + y]!;
      out[i * columns + j] = sum;
    }
  return out;
}
