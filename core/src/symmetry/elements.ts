/** Where the symmetry elements of a group stand in its cell: type, direction, place and gliding part of every operation (International Tables A, 1.2). */
import { intrinsicTranslation, rotationAxis, rotationType, type Operator } from '../crystal/operator.ts';
import { allOperators, type SpaceGroup } from '../crystal/space-group.ts';
import { apply3, transpose3, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';

export const ELEMENT_KINDS = [
  'mirror plane',
  'glide plane',
  'rotation axis',
  'screw axis',
  'rotoinversion axis',
  'inversion centre',
] as const;
export type ElementKind = (typeof ELEMENT_KINDS)[number];

export interface SymmetryElement {
  readonly kind: ElementKind;
  /** 2, 3, 4, 6 for axes (of the rotation part); 1 for centres, 2 for planes. */
  readonly order: number;
  /** 1 … n−1 for screws: the turn advances by k/n of the shortest repeat. */
  readonly screw: number;
  /** Direction of an axis or normal of a plane as [uvw]; zero for a centre. */
  readonly direction: Vec3;
  /** Miller indices of a plane. */
  readonly plane?: Vec3;
  /** A point of the element in the cell; for rotoinversion axes the fixed point. */
  readonly at: Vec3;
  /** Translation along the element; zero for plain ones. */
  readonly glide: Vec3;
  readonly operator: Operator;
  /** "2₁", "c", "m", "−4", "−1". */
  readonly symbol: string;
  /** "2₁ screw axis along b at x = 0, z = ¼". */
  readonly words: string;
}

const SUBSCRIPTS = '₀₁₂₃₄₅₆';
const FRACTIONS: Record<string, string> = {
  '0.5': '½',
  '0.25': '¼',
  '0.75': '¾',
  '0.3333': '⅓',
  '0.6667': '⅔',
  '0.125': '⅛',
  '0.375': '⅜',
  '0.625': '⅝',
  '0.875': '⅞',
  '0.1667': '⅙',
  '0.8333': '⅚',
};
/** "½", "0.137" or "0". */
export const fractionWords = (x: number): string => {
  const y = Math.abs(x) < 5e-5 ? 0 : Number(x.toFixed(4));
  return (y < 0 ? '−' : '') + (FRACTIONS[String(Math.abs(y))] ?? String(Math.abs(y)));
};
const AXIS: Record<string, string> = { '1,0,0': 'a', '0,1,0': 'b', '0,0,1': 'c' };
export const directionWords = (v: Vec3): string =>
  AXIS[v.join(',')] ?? `[${v.map((x) => (x < 0 ? `−${-x}` : x)).join(' ')}]`;

/** Normal of the plane that a reflection keeps, as the smallest integers (hkl): the axis of the transposed operation. */
function planeIndices(r: Mat3): Vec3 {
  return rotationAxis(transpose3(r));
}

/** A fixed point of an operation of finite order: the mean of the orbit of the origin. */
function fixedPoint(r: Mat3, t: Vec3): Vec3 {
  const order = 12;
  let x: Vec3 = [0, 0, 0];
  const sum = [0, 0, 0];
  for (let k = 0; k < order; k++) {
    x.forEach((v, i) => (sum[i]! += v / order));
    const y = apply3(r, x);
    x = [y[0] + t[0], y[1] + t[1], y[2] + t[2]];
  }
  return toVec3(
    sum.map((v) => {
      const n = Math.round(v * 144) / 144;
      return Math.abs(n - v) < 1e-5 ? n + 0 : v;
    }),
  );
}

/** +1 where the rotation turns counter-clockwise about its axis. */
function sense(r: Mat3, axis: Vec3): number {
  for (const v of [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
    [1, 1, 0],
  ] as Vec3[]) {
    const w = apply3(r, v);
    const d =
      axis[0] * (v[1] * w[2] - v[2] * w[1]) +
      axis[1] * (v[2] * w[0] - v[0] * w[2]) +
      axis[2] * (v[0] * w[1] - v[1] * w[0]);
    if (Math.abs(d) > 1e-9) return Math.sign(d);
  }
  return 1;
}

/** Describes one operation with its translation as it stands (not reduced to the cell); undefined for pure translations. */
export function elementOfOperator(o: Operator, centring: readonly Vec3[] = [[0, 0, 0]]): SymmetryElement | undefined {
  const type = rotationType(o.r);
  if (type === 1) return undefined;
  if (type === -1) {
    const at = toVec3(o.t.map((x) => x / 2));
    return {
      kind: 'inversion centre',
      order: 1,
      screw: 0,
      direction: [0, 0, 0],
      at,
      glide: [0, 0, 0],
      operator: o,
      symbol: '−1',
      words: `inversion centre at ${at.map(fractionWords).join(', ')}`,
    };
  }
  const axis = rotationAxis(o.r);
  const w = type < -2 ? ([0, 0, 0] as Vec3) : toVec3(intrinsicTranslation(o).map((x) => (Math.abs(x) < 1e-9 ? 0 : x)));
  // Every crystallographic order divides twelve.
  const at = fixedPoint(o.r, [o.t[0] - w[0], o.t[1] - w[1], o.t[2] - w[2]]);
  const glides = w.some((x) => Math.abs(x) > 1e-6);
  if (type === -2) {
    const plane = planeIndices(o.r);
    const level = plane[0] * at[0] + plane[1] * at[1] + plane[2] * at[2];
    const single = [0, 1, 2].filter((i) => plane[i]).length === 1;
    const where = single
      ? `${'xyz'[[0, 1, 2].find((i) => plane[i])!]} = ${fractionWords(level / plane[[0, 1, 2].find((i) => plane[i])!]!)}`
      : `${plane
          .map((n, i) => (n ? `${n < 0 ? '−' : '+'}${Math.abs(n) === 1 ? '' : Math.abs(n)}${'xyz'[i]}` : ''))
          .join('')
          .replace(/^\+/, '')} = ${fractionWords(level)}`;
    const letter = glides ? glideLetter(w, centring) : 'm';
    return {
      kind: glides ? 'glide plane' : 'mirror plane',
      order: 2,
      screw: 0,
      direction: axis,
      plane,
      at,
      glide: w,
      operator: o,
      symbol: letter,
      words: `${glides ? `${letter} glide plane` : 'mirror plane'} ⊥ ${directionWords(axis)} at ${where}${glides ? `, gliding by (${w.map(fractionWords).join(', ')})` : ''}`,
    };
  }
  const order = Math.abs(type);
  const free = [0, 1, 2].filter((i) => axis[i]);
  const where =
    free.length === 1
      ? `at ${[0, 1, 2]
          .filter((i) => !axis[i])
          .map((i) => `${'xyz'[i]} = ${fractionWords(at[i]!)}`)
          .join(', ')}`
      : `through ${at.map(fractionWords).join(', ')}`;
  if (type < 0) {
    const symbol = `−${order}`;
    return {
      kind: 'rotoinversion axis',
      order,
      screw: 0,
      direction: axis,
      at,
      glide: [0, 0, 0],
      operator: o,
      symbol,
      words: `${symbol} rotoinversion axis along ${directionWords(axis)} ${where}, its point at ${at.map(fractionWords).join(', ')}`,
    };
  }
  // The screw number counts in steps of the shortest lattice translation along the axis.
  const repeat = shortestAlong(axis, centring);
  const i = free[0]!;
  let k = Math.round((w[i]! / (axis[i]! * repeat)) * order);
  if (sense(o.r, axis) < 0) k = -k;
  k = ((k % order) + order) % order;
  const symbol = `${order}${k ? SUBSCRIPTS[k] : ''}`;
  return {
    kind: k ? 'screw axis' : 'rotation axis',
    order,
    screw: k,
    direction: axis,
    at,
    glide: w,
    operator: o,
    symbol,
    words: `${symbol} ${k ? 'screw' : 'rotation'} axis along ${directionWords(axis)} ${where}`,
  };
}

/** Part of [uvw] that already is a lattice translation. */
function shortestAlong(axis: Vec3, centring: readonly Vec3[]): number {
  for (const k of [1 / 3, 1 / 2, 2 / 3])
    if (centring.some((c) => c.every((x, i) => Math.abs(axis[i]! * k - x - Math.round(axis[i]! * k - x)) < 1e-6)))
      return k;
  return 1;
}

function glideLetter(w: Vec3, centring: readonly Vec3[]): string {
  const half = w.map((x) => Math.abs(Math.abs(x) - 0.5) < 1e-6),
    zero = w.map((x) => Math.abs(x) < 1e-6);
  const axis = (v: readonly number[]): number => {
    const n = v.map((x) => Math.abs(Math.abs(x) - 0.5) < 1e-6),
      z = v.map((x) => Math.abs(x) < 1e-6);
    return n.filter(Boolean).length === 1 && z.filter(Boolean).length === 2 ? n.indexOf(true) : -1;
  };
  const own = axis(w);
  // With a suitable centring the same plane glides along two axes at once (de Wolff et al. 1992).
  const other = centring
    .map((c) =>
      axis(
        w.map((x, i) => {
          const y = x + c[i]!;
          return y - Math.round(y) === -0.5 ? 0.5 : y - Math.round(y);
        }),
      ),
    )
    .find((x) => x >= 0 && x !== own);
  if (own >= 0 && other !== undefined) return 'e';
  if (own >= 0) return 'abc'[own]!;
  if (w.some((x) => Math.abs(Math.abs(x % 0.5) - 0.25) < 1e-6)) return 'd';
  return half.some(Boolean) || !zero.every(Boolean) ? 'n' : 'm';
}

const wrapped = (x: number): number => {
  const y = x - Math.floor(x + 1e-6);
  return Math.abs(y) < 1e-6 ? 0 : y;
};

/** Every element that passes through one cell, each once: those that lattice translations make of one another are the same. */
export function symmetryElements(group: SpaceGroup): SymmetryElement[] {
  const out = new Map<string, SymmetryElement>();
  const steps: Vec3[] = [];
  for (let i = -1; i <= 1; i++) for (let j = -1; j <= 1; j++) for (let k = -1; k <= 1; k++) steps.push([i, j, k]);
  const rank: Record<ElementKind, number> = {
    'inversion centre': 0,
    'rotation axis': 1,
    'screw axis': 2,
    'rotoinversion axis': 3,
    'mirror plane': 1,
    'glide plane': 2,
  };
  for (const o of allOperators(group))
    for (const n of steps) {
      const e = elementOfOperator({ r: o.r, t: [o.t[0] + n[0], o.t[1] + n[1], o.t[2] + n[2]] }, group.centring);
      if (!e) continue;
      // Senses and powers of one axis are one element.
      const key = elementPlaceKey(e);
      const known = out.get(key);
      const size = e.glide.reduce((q, x) => q + Math.abs(x), 0);
      const knownSize = known ? known.glide.reduce((q, x) => q + Math.abs(x), 0) : Infinity;
      if (
        !known ||
        e.order > known.order ||
        (e.order === known.order &&
          (rank[e.kind] < rank[known.kind] || (rank[e.kind] === rank[known.kind] && size < knownSize - 1e-9)))
      )
        out.set(key, e);
    }
  const weight = (e: SymmetryElement): number => (e.plane ? 0 : e.kind === 'inversion centre' ? 200 : 100) - e.order;
  const lines = new Set(
    [...out.values()]
      .filter((e) => e.kind === 'rotoinversion axis')
      .map(
        (e) =>
          `${e.direction.join()}|${axisHome(e)
            .map((x) => Math.round(wrapped(x) * 1440) % 1440)
            .join()}`,
      ),
  );
  // A rotoinversion axis holds the plain axis on its line.
  const shown = [...out.values()].filter(
    (e) =>
      !(
        e.kind === 'rotation axis' &&
        lines.has(
          `${e.direction.join()}|${axisHome(e)
            .map((x) => Math.round(wrapped(x) * 1440) % 1440)
            .join()}`,
        ) &&
        e.order < 4
      ),
  );
  return shown
    .map((e) => atHome(e, group.centring))
    .sort((p, q) => weight(p) - weight(q) || p.words.localeCompare(q.words));
}

/** The element as it passes the cell at its home: moved by lattice translations only, gliding part as short and positive as it can be. */
function atHome(e: SymmetryElement, centring: readonly Vec3[]): SymmetryElement {
  const { r } = e.operator;
  let { glide } = e;
  if (glide.some((x) => Math.abs(x) > 1e-6)) {
    const merit = (v: readonly number[]): number => v.reduce((q, x) => q + Math.abs(x) - (x > 0 ? 1e-3 : 0), 0);
    for (let i = -1; i <= 1; i++)
      for (let j = -1; j <= 1; j++)
        for (let k = -1; k <= 1; k++) {
          const w: Vec3 = [e.glide[0] + i, e.glide[1] + j, e.glide[2] + k];
          // Only translations along the element leave it where it is.
          if (apply3(r, [i, j, k]).every((x, q) => x === [i, j, k][q]) && merit(w) < merit(glide) - 1e-9) glide = w;
        }
  }
  const at = homePoint(e);
  // An operation about `at` with this gliding part: x′ = at + R(x − at) + w.
  const turned = apply3(r, at);
  const t: Vec3 = [at[0] - turned[0] + glide[0], at[1] - turned[1] + glide[1], at[2] - turned[2] + glide[2]];
  return { ...elementOfOperator({ r, t }, centring)!, at };
}

/** A point of the element inside the cell. */
function homePoint(e: SymmetryElement): Vec3 {
  if (e.plane) {
    // Planes are told by their level, which lattice translations change in whole steps.
    const level = e.plane[0] * e.at[0] + e.plane[1] * e.at[1] + e.plane[2] * e.at[2],
      q = e.plane[0] ** 2 + e.plane[1] ** 2 + e.plane[2] ** 2;
    return toVec3(e.plane.map((h) => (h * wrapped(level)) / q));
  }
  return toVec3((e.kind === 'inversion centre' || e.kind === 'rotoinversion axis' ? e.at : axisHome(e)).map(wrapped));
}

/** The point of an axis where the first coordinate it runs along is zero. */
function axisHome(e: SymmetryElement): Vec3 {
  const i = [2, 1, 0].find((j) => e.direction[j])!;
  const k = e.at[i]! / e.direction[i]!;
  return toVec3([0, 1, 2].map((j) => e.at[j]! - k * e.direction[j]!));
}

function elementPlaceKey(e: SymmetryElement): string {
  const grid = (v: readonly number[]): string => v.map((x) => Math.round(wrapped(x) * 1440) % 1440).join();
  if (e.kind === 'inversion centre') return `i|${grid(e.at)}`;
  if (e.plane)
    return `p|${e.plane.join()}|${Math.round(wrapped(e.plane[0] * e.at[0] + e.plane[1] * e.at[1] + e.plane[2] * e.at[2]) * 1440) % 1440}`;
  if (e.kind === 'rotoinversion axis') return `r|${e.direction.join()}|${grid(axisHome(e))}|${grid(e.at)}`;
  return `a|${e.direction.join()}|${grid(axisHome(e))}`;
}

/** Element as the scene needs it: pieces of it inside the cell 0…1, in fractional coordinates. */
export interface ElementShape {
  readonly element: SymmetryElement;
  /** Corners of a polygon (planes), two ends (axes) or one point (centres). */
  readonly points: readonly Vec3[];
}

/** Cuts an element and its lattice copies by the cell's walls (touching ones included). */
export function elementShapes(e: SymmetryElement): ElementShape[] {
  const shapes = new Map<string, ElementShape>();
  const keep = (points: Vec3[]): void => {
    shapes.set(
      points
        .map((p) => p.map((x) => Math.round(x * 1000)).join())
        .sort()
        .join('|'),
      { element: e, points },
    );
  };
  for (let i = -1; i <= 1; i++)
    for (let j = -1; j <= 1; j++)
      for (let k = -1; k <= 1; k++) {
        const at: Vec3 = [e.at[0] + i, e.at[1] + j, e.at[2] + k];
        if (e.kind === 'inversion centre') {
          if (at.every((x) => x > -1e-6 && x < 1 + 1e-6)) keep([at]);
        } else if (e.plane) {
          const polygon = cutPlane(e.plane, e.plane[0] * at[0] + e.plane[1] * at[1] + e.plane[2] * at[2]);
          if (polygon.length > 2) keep(polygon);
        } else {
          const ends = cutLine(at, e.direction);
          if (ends) keep(ends);
        }
      }
  return [...shapes.values()];
}

function cutLine(at: Vec3, direction: Vec3): [Vec3, Vec3] | undefined {
  let low = -Infinity,
    high = Infinity;
  for (let i = 0; i < 3; i++) {
    if (!direction[i]) {
      if (at[i]! < -1e-6 || at[i]! > 1 + 1e-6) return undefined;
      continue;
    }
    const [p, q] = [-at[i]! / direction[i]!, (1 - at[i]!) / direction[i]!].sort((u, v) => u - v) as [number, number];
    low = Math.max(low, p);
    high = Math.min(high, q);
  }
  if (high - low < 1e-6) return undefined;
  const point = (k: number): Vec3 => toVec3([0, 1, 2].map((i) => at[i]! + k * direction[i]!));
  return [point(low), point(high)];
}

const CORNERS: Vec3[] = [0, 1, 2, 3, 4, 5, 6, 7].map((n) => [n & 1, (n >> 1) & 1, (n >> 2) & 1]);

function cutPlane(h: Vec3, level: number): Vec3[] {
  const side = (v: Vec3): number => h[0] * v[0] + h[1] * v[1] + h[2] * v[2] - level;
  const points: Vec3[] = [];
  const offer = (v: Vec3): void => {
    if (!points.some((p) => p.every((x, i) => Math.abs(x - v[i]!) < 1e-6))) points.push(v);
  };
  for (let n = 0; n < 8; n++)
    for (const bit of [1, 2, 4]) {
      if (n & bit) continue;
      const p = CORNERS[n]!,
        q = CORNERS[n | bit]!,
        a = side(p),
        b = side(q);
      if (Math.abs(a) < 1e-9) offer(p);
      if (Math.abs(b) < 1e-9) offer(q);
      if (a * b < -1e-12) {
        const k = a / (a - b);
        offer(toVec3([0, 1, 2].map((i) => p[i]! + k * (q[i]! - p[i]!))));
      }
    }
  if (points.length < 3) return points;
  // Corners in turn around their middle, seen along the normal.
  const c = [0, 1, 2].map((i) => points.reduce((s, p) => s + p[i]!, 0) / points.length);
  const u = [0, 1, 2].map((i) => points[0]![i]! - c[i]!);
  const v = [h[1] * u[2]! - h[2] * u[1]!, h[2] * u[0]! - h[0] * u[2]!, h[0] * u[1]! - h[1] * u[0]!];
  const angle = (p: Vec3): number => {
    const d = [0, 1, 2].map((i) => p[i]! - c[i]!);
    return Math.atan2(d[0]! * v[0]! + d[1]! * v[1]! + d[2]! * v[2]!, d[0]! * u[0]! + d[1]! * u[1]! + d[2]! * u[2]!);
  };
  return points.sort((p, q) => angle(p) - angle(q));
}
