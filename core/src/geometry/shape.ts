/**
 * Continuous shape measures (Pinsky & Avnir 1998, Inorg. Chem. 37, 5575): how far a centre with its neighbours is from an
 * ideal polyhedron, 0 for the ideal and at most 100, over all rotations, sizes and assignments of vertices. The centre
 * counts as a point of both.
 */
import { cheapestAssignment } from '../math/assignment.ts';
import {
  apply3,
  cross,
  dot,
  norm,
  normalize,
  scale,
  subtract,
  type Mat3,
  type Vec3,
  toMat3,
  multiply3,
  transpose3,
} from '../math/matrix3.ts';
import { largestOverlap, middle, superpose } from '../math/superpose.ts';

const RADIANS = Math.PI / 180;

/** A point on the unit sphere, polar angle from z and azimuth in degrees. */
const at = (polar: number, azimuth: number): Vec3 => [
  Math.sin(polar * RADIANS) * Math.cos(azimuth * RADIANS),
  Math.sin(polar * RADIANS) * Math.sin(azimuth * RADIANS),
  Math.cos(polar * RADIANS),
];
/** `n` points around z at one polar angle. */
const belt = (n: number, polar: number, first = 0): Vec3[] =>
  Array.from({ length: n }, (_, k) => at(polar, first + (360 * k) / n));
const UP = at(0, 0),
  DOWN = at(180, 0);
const signs = [1, -1] as const;

/** Polar angle of the corners of a prism or antiprism of n-gons all of whose edges are equal. */
const prism = (n: number): number => (Math.atan2(1 / Math.sin(Math.PI / n), 1) * 180) / Math.PI;
function antiprism(n: number): number {
  // Edge 2 r sin(π/n) within a face; between faces h² + (2 r sin(π/2n))² must be the same.
  const edge = 2 * Math.sin(Math.PI / n),
    across = 2 * Math.sin(Math.PI / (2 * n));
  return (Math.atan2(1, Math.sqrt(edge * edge - across * across) / 2) * 180) / Math.PI;
}
const golden = (1 + Math.sqrt(5)) / 2;
const cube: Vec3[] = signs.flatMap((x) => signs.flatMap((y) => signs.map((z): Vec3 => [x, y, z])));
const icosahedron: Vec3[] = signs.flatMap((p) =>
  signs.flatMap((q): Vec3[] => [
    [0, p, q * golden],
    [p, q * golden, 0],
    [q * golden, 0, p],
  ]),
);
const cuboctahedron: Vec3[] = signs.flatMap((p) =>
  signs.flatMap((q): Vec3[] => [
    [0, p, q],
    [p, q, 0],
    [q, 0, p],
  ]),
);
/** The dodecahedron of eight vertices (Hoard & Silverton 1963): two interlocking trapezoids. */
const dodecahedron: Vec3[] = [
  ...[0, 180].flatMap((a) => [at(36.85, a), at(110.54, a)]),
  ...[90, 270].flatMap((a) => [at(180 - 36.85, a), at(180 - 110.54, a)]),
];

/** Ideal polyhedra by their number of vertices, every vertex as far from the centre as the others. */
export const IDEAL_SHAPES: Readonly<Record<number, Readonly<Record<string, readonly Vec3[]>>>> = {
  2: { linear: [UP, DOWN], bent: belt(2, 60) },
  3: {
    'trigonal plane': belt(3, 90),
    'trigonal pyramid': belt(3, 180 - 109.4712206),
    'T-shape': [at(90, 0), at(90, 90), at(90, 180)],
  },
  4: {
    tetrahedron: [UP, ...belt(3, 109.4712206)],
    square: belt(4, 90),
    'see-saw': [UP, DOWN, at(90, 0), at(90, 90)],
  },
  5: {
    'trigonal bipyramid': [UP, DOWN, ...belt(3, 90)],
    'square pyramid': [UP, ...belt(4, 90)],
    pentagon: belt(5, 90),
  },
  6: {
    octahedron: [UP, DOWN, ...belt(4, 90)],
    'trigonal prism': [...belt(3, prism(3)), ...belt(3, 180 - prism(3))],
    'pentagonal pyramid': [UP, ...belt(5, 90)],
    hexagon: belt(6, 90),
  },
  7: {
    'pentagonal bipyramid': [UP, DOWN, ...belt(5, 90)],
    'capped octahedron': [UP, ...belt(3, 74.6), ...belt(3, 130.3, 60)],
    'capped trigonal prism': [UP, ...[45, 135, 225, 315].map((a) => at(79.4, a)), at(144.2, 0), at(144.2, 180)],
    'hexagonal pyramid': [UP, ...belt(6, 90)],
  },
  8: {
    cube,
    'square antiprism': [...belt(4, antiprism(4)), ...belt(4, 180 - antiprism(4), 45)],
    dodecahedron,
    'bicapped trigonal prism': [...belt(3, prism(3)), ...belt(3, 180 - prism(3)), at(90, 60), at(90, 180)],
    'hexagonal bipyramid': [UP, DOWN, ...belt(6, 90)],
  },
  9: {
    'tricapped trigonal prism': [...belt(3, prism(3)), ...belt(3, 180 - prism(3)), ...belt(3, 90, 60)],
    'capped square antiprism': [UP, ...belt(4, antiprism(4)), ...belt(4, 180 - antiprism(4), 45)],
    'capped cube': [UP, ...cube],
  },
  10: {
    'bicapped square antiprism': [UP, DOWN, ...belt(4, antiprism(4)), ...belt(4, 180 - antiprism(4), 45)],
    'pentagonal prism': [...belt(5, prism(5)), ...belt(5, 180 - prism(5))],
    'pentagonal antiprism': [...belt(5, antiprism(5)), ...belt(5, 180 - antiprism(5), 36)],
  },
  11: {
    'capped pentagonal antiprism': [UP, ...belt(5, antiprism(5)), ...belt(5, 180 - antiprism(5), 36)],
    'capped pentagonal prism': [UP, ...belt(5, prism(5)), ...belt(5, 180 - prism(5))],
  },
  12: {
    icosahedron,
    cuboctahedron,
    anticuboctahedron: [...belt(6, 90), ...belt(3, 35.26438968, 30), ...belt(3, 180 - 35.26438968, 30)],
    'hexagonal prism': [...belt(6, prism(6)), ...belt(6, 180 - prism(6))],
  },
};

/** Axes made of two directions, as rows. */
function frame(p: Vec3, q: Vec3): Mat3 | undefined {
  const z = cross(p, q);
  if (norm(z) < 1e-3 * norm(p) * norm(q)) return undefined;
  const x = normalize(p),
    third = normalize(z),
    y = cross(third, x);
  return toMat3([...x, ...y, ...third]);
}

/** Rotations that lay one pair of ideal vertices along each pair of the given ones: where the search begins. */
function startingRotations(given: readonly Vec3[], ideal: readonly Vec3[]): Mat3[] {
  const second = ideal.slice(1).find((v) => frame(ideal[0]!, v));
  const out: Mat3[] = [];
  if (second) {
    const from = frame(ideal[0]!, second)!;
    for (const p of given)
      for (const q of given) {
        const to = p === q ? undefined : frame(p, q);
        if (to) out.push(multiply3(transpose3(to), from));
      }
  }
  // Everything on one line: any rotation that brings the lines together will do.
  if (!out.length) out.push(...given.map((p) => lineOnto(ideal[0]!, p)));
  return out;
}

function lineOnto(from: Vec3, to: Vec3): Mat3 {
  const aside = (v: Vec3): Vec3 => (Math.abs(v[0]) < 0.9 * norm(v) ? [1, 0, 0] : [0, 1, 0]);
  return multiply3(transpose3(frame(to, aside(to))!), frame(from, aside(from))!);
}

/** Measure of points (centre first) against an ideal (centre first) under one assignment: 100 (1 − (Σ q·Rp)²/Σq²Σp²). */
function measureOf(given: readonly Vec3[], ideal: readonly Vec3[]): { value: number; rotation: Mat3 } {
  const { rotation } = superpose(ideal, given);
  let along = 0,
    qq = 0,
    pp = 0;
  given.forEach((q, i) => {
    const p = ideal[i]!;
    along += dot(q, apply3(rotation, p));
    qq += dot(q, q);
    pp += dot(p, p);
  });
  return { value: 100 * (1 - (along * along) / (qq * pp)), rotation };
}

/** Continuous shape measure of neighbours about a centre (Cartesian) against an ideal polyhedron of as many vertices. */
export function shapeMeasure(centre: Vec3, neighbours: readonly Vec3[], ideal: readonly Vec3[]): number {
  const n = neighbours.length;
  if (n !== ideal.length) throw new RangeError('A shape is compared with one of as many vertices.');
  const unit = ideal.map(normalize);
  const centred = (points: readonly Vec3[]): Vec3[] => {
    const c = middle(points);
    return points.map((p) => subtract(p, c));
  };
  const given = centred([centre, ...neighbours]),
    model = centred([[0, 0, 0], ...unit]);
  const size = Math.sqrt(given.reduce((s, p) => s + dot(p, p), 0) / model.reduce((s, p) => s + dot(p, p), 0));
  const scaled = model.map((p) => scale(p, size));
  if (n <= ALL_TRIED) return everyAssignment(given, scaled);
  let best = Infinity;
  for (const start of startingRotations(
    neighbours.map((p) => subtract(p, centre)),
    unit,
  ))
    best = Math.min(best, climb(given, scaled, start));
  return Math.max(0, best);
}

/** Up to so many vertices every assignment is tried. */
const ALL_TRIED = 5;

const orders = new Map<number, readonly (readonly number[])[]>();
/** All orders of 0 … n − 1. */
function permutations(n: number): readonly (readonly number[])[] {
  let known = orders.get(n);
  if (!known) {
    known = n
      ? permutations(n - 1).flatMap((p) =>
          Array.from({ length: n }, (_, k) => [...p.slice(0, k), n - 1, ...p.slice(k)]),
        )
      : [[]];
    orders.set(n, known);
  }
  return known;
}

/** p qᵀ of every point of one set with every point of the other, nine numbers each. */
function productsOf(some: readonly Vec3[], others: readonly Vec3[]): Float64Array {
  const out = new Float64Array(9 * some.length * others.length);
  let at = 0;
  for (const p of some) for (const q of others) for (const x of p) for (const y of q) out[at++] = x * y;
  return out;
}

/** The smallest measure over all assignments of vertices, each with its best rotation. Both sets are centred, the centre first. */
function everyAssignment(given: readonly Vec3[], model: readonly Vec3[]): number {
  const n = given.length - 1;
  const square = (points: readonly Vec3[]): number => points.reduce((sum, p) => sum + dot(p, p), 0);
  const qq = square(given),
    pp = square(model);
  const products = productsOf(model, given);
  const sums = new Float64Array(9);
  let along = 0;
  for (const order of permutations(n)) {
    for (let k = 0; k < 9; k++) sums[k] = products[k]!;
    for (let i = 0; i < n; i++) {
      const from = 9 * ((order[i]! + 1) * given.length + i + 1);
      for (let k = 0; k < 9; k++) sums[k]! += products[from + k]!;
    }
    // What cannot beat the best by more than rounding is given up.
    along = Math.max(along, largestOverlap(sums, (qq + pp) / 2, along * (1 + 1e-13)));
  }
  return Math.max(0, 100 * (1 - (along * along) / (qq * pp)));
}

/** Assigns and turns in alternation until neither helps. */
function climb(given: readonly Vec3[], model: readonly Vec3[], start: Mat3): number {
  const n = given.length - 1;
  let rotation = start,
    best = Infinity;
  for (let round = 0; round < 20; round++) {
    const turned = model.map((p) => apply3(rotation, p));
    const cost = new Float64Array(n * n);
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) cost[i * n + j] = -dot(given[i + 1]!, turned[j + 1]!);
    const columns = cheapestAssignment(cost, n);
    const ordered = [model[0]!, ...Array.from(columns, (j) => model[j + 1]!)];
    const now = measureOf(given, ordered);
    if (now.value > best - 1e-10) break;
    best = now.value;
    rotation = now.rotation;
  }
  return best;
}

export interface ShapeReading {
  readonly name: string;
  readonly measure: number;
}

/** Every ideal polyhedron of as many vertices, nearest first; empty below two and beyond twelve. */
export function readShape(centre: Vec3, neighbours: readonly Vec3[]): ShapeReading[] {
  return Object.entries(IDEAL_SHAPES[neighbours.length] ?? {})
    .map(([name, ideal]) => ({ name, measure: shapeMeasure(centre, neighbours, ideal) }))
    .sort((p, q) => p.measure - q.measure);
}
