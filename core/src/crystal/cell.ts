/** The unit cell: metric, orthogonalisation, reciprocal quantities. Å and degrees throughout. */
import { apply3, determinant3, dot, inverse3, multiply3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';

export interface Cell {
  readonly a: number;
  readonly b: number;
  readonly c: number;
  readonly alpha: number;
  readonly beta: number;
  readonly gamma: number;
  /** Standard uncertainties of a, b, c, α, β, γ; 0 where the symmetry fixes a value or none is known. */
  readonly su?: readonly [number, number, number, number, number, number];
}

const RAD = Math.PI / 180;

export const cellParameters = (c: Cell): [number, number, number, number, number, number] => [
  c.a,
  c.b,
  c.c,
  c.alpha,
  c.beta,
  c.gamma,
];

/** Metric tensor G with G_ij = a_i·a_j, Å². */
export function metricTensor(cell: Cell): Mat3 {
  const ca = Math.cos(cell.alpha * RAD),
    cb = Math.cos(cell.beta * RAD),
    cg = Math.cos(cell.gamma * RAD);
  const ab = cell.a * cell.b * cg,
    ac = cell.a * cell.c * cb,
    bc = cell.b * cell.c * ca;
  return [cell.a ** 2, ab, ac, ab, cell.b ** 2, bc, ac, bc, cell.c ** 2];
}

/** Cell from a metric tensor; throws RangeError when it is not positive definite. */
export function cellFromMetric(g: Mat3): Cell {
  if (!(g[0] > 0 && g[4] > 0 && g[8] > 0 && determinant3(g) > 0))
    throw new RangeError('These numbers do not make a cell: the metric tensor is not positive definite.');
  const a = Math.sqrt(g[0]),
    b = Math.sqrt(g[4]),
    c = Math.sqrt(g[8]);
  const angle = (x: number): number => Math.acos(Math.max(-1, Math.min(1, x))) / RAD;
  return { a, b, c, alpha: angle(g[5] / (b * c)), beta: angle(g[2] / (a * c)), gamma: angle(g[1] / (a * b)) };
}

export const cellVolume = (cell: Cell): number => Math.sqrt(Math.max(0, determinant3(metricTensor(cell))));

/** Reciprocal metric tensor, Å⁻²; 1/d² = h G* hᵀ. */
export const reciprocalMetric = (cell: Cell): Mat3 => inverse3(metricTensor(cell));

/** Lengths a*, b*, c* in Å⁻¹. */
export function reciprocalLengths(cell: Cell): Vec3 {
  const g = reciprocalMetric(cell);
  return [Math.sqrt(g[0]), Math.sqrt(g[4]), Math.sqrt(g[8])];
}

/** Matrix taking fractional to Cartesian coordinates (a along x, c* along z), Å. */
export function orthogonalization(cell: Cell): Mat3 {
  const ca = Math.cos(cell.alpha * RAD),
    cb = Math.cos(cell.beta * RAD),
    cg = Math.cos(cell.gamma * RAD),
    sg = Math.sin(cell.gamma * RAD);
  const v = cellVolume(cell);
  return [
    cell.a,
    cell.b * cg,
    cell.c * cb,
    0,
    cell.b * sg,
    (cell.c * (ca - cb * cg)) / sg,
    0,
    0,
    v / (cell.a * cell.b * sg),
  ];
}

/** The cell after a change of basis: the columns of p are the new axes in terms of the old ones. S.u. are carried as for independent parameters. */
export function transformCell(cell: Cell, p: Mat3): Cell {
  const next = cellFromMetric(multiply3(transpose3(p), multiply3(metricTensor(cell), p)));
  if (!cell.su) return next;
  const base = cellParameters(cell),
    out = cellParameters(next);
  const variance = [0, 0, 0, 0, 0, 0];
  cell.su.forEach((su, i) => {
    if (!su) return;
    const moved = [...base] as [number, number, number, number, number, number];
    moved[i]! += su;
    const [a, b, c, alpha, beta, gamma] = moved;
    const shifted = cellParameters(
      cellFromMetric(multiply3(transpose3(p), multiply3(metricTensor({ a, b, c, alpha, beta, gamma }), p))),
    );
    shifted.forEach((value, k) => (variance[k]! += (value - out[k]!) ** 2));
  });
  const tidy = variance.map((v) => (Math.sqrt(v) < 1e-9 ? 0 : Math.sqrt(v)));
  return { ...next, su: tidy as unknown as Cell['su'] & object };
}

/** 1/d in Å⁻¹ for an index triple. */
export const inverseSpacing = (gStar: Mat3, h: number, k: number, l: number): number =>
  Math.sqrt(
    h * h * gStar[0] +
      k * k * gStar[4] +
      l * l * gStar[8] +
      2 * (h * k * gStar[1] + h * l * gStar[2] + k * l * gStar[5]),
  );

/** Distance in Å between fractional points. */
export function fractionalDistance(g: Mat3, x: Vec3, y: Vec3): number {
  const d: Vec3 = [x[0] - y[0], x[1] - y[1], x[2] - y[2]];
  return Math.sqrt(Math.max(0, dot(d, apply3(g, d))));
}

/** Largest index along each axis for a sphere of radius 1/dMin. */
export const indexLimits = (cell: Cell, dMin: number): Vec3 => [
  Math.floor(cell.a / dMin),
  Math.floor(cell.b / dMin),
  Math.floor(cell.c / dMin),
];

/** Unit Cartesian vectors of the cell axes as columns of the orthogonalisation matrix. */
export function axisVectors(cell: Cell): [Vec3, Vec3, Vec3] {
  const m = orthogonalization(cell);
  return [
    [m[0], m[3], m[6]],
    [m[1], m[4], m[7]],
    [m[2], m[5], m[8]],
  ];
}

/** True when six numbers can be a cell. */
export function isPlausibleCell(c: Cell): boolean {
  const p = cellParameters(c);
  return (
    p.every(Number.isFinite) &&
    p.slice(0, 3).every((x) => x > 0.5 && x < 2000) &&
    p.slice(3).every((x) => x > 5 && x < 175) &&
    determinant3(metricTensor(c)) > 1e-6
  );
}

/** Cartesian axes of a cell, Å. */
export function cartesianAxes(cell: Cell): readonly [Vec3, Vec3, Vec3] {
  const m = orthogonalization(cell);
  return [
    [m[0], m[3], m[6]],
    [m[1], m[4], m[7]],
    [m[2], m[5], m[8]],
  ];
}
