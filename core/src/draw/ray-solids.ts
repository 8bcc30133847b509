/**
 * What rays meet: the primitives of a scene as ellipsoids, cylinders and triangles in the viewer's axes (right, up, towards the
 * viewer, Å from the camera's target).
 */
import {
  add,
  apply3,
  cross,
  dot,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  toMat3,
  toVec3,
  transpose3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { toViewer, type Size } from './camera.ts';
import { channels } from './colours.ts';
import { magnification, seenScene } from './optics.ts';
import {
  HOLLOW,
  INSIDE_PALE,
  openSigns,
  shownEnds,
  type AtomPrimitive,
  type BondPrimitive,
  type Layer,
  type PolyhedronPrimitive,
  type Scene,
  type SurfacePrimitive,
} from './scene.ts';

/** Linear light, 0–1. */
export type Light3 = readonly [number, number, number];

/** Lines are lines already. */
export const PLAIN_LINE = -2;

interface Look {
  readonly colour: Light3;
  readonly opacity: number;
  /** Parts of one thing share it: outlines are drawn where it changes, but not around `PLAIN_LINE`. */
  readonly thing: number;
  /** Drawn, and not a body: no finish changes it. */
  readonly isLine?: boolean;
}

export interface Ellipsoid extends Look {
  readonly kind: 'ellipsoid';
  readonly centre: Vec3;
  /** Takes a vector from the centre into the unit ball, and normals back. */
  readonly into: Mat3;
  readonly normals: Mat3;
  /** Half extents along the viewer's axes. */
  readonly reach: Vec3;
  /** Principal ellipses are inked. */
  readonly inked: boolean;
  /** Signs of the unit ball's coordinates in the eighth that is cut out. */
  readonly open?: Vec3;
  /** Colours by the turn (0–1, clockwise from above) at which each ends. */
  readonly sectors?: readonly { readonly until: number; readonly colour: Light3 }[];
}

export interface Cylinder extends Look {
  readonly kind: 'cylinder';
  readonly from: Vec3;
  readonly axis: Vec3;
  readonly length: number;
  readonly radius: number;
  /** Along the middle of a hollow one. */
  readonly inner?: Light3;
}

export interface Triangle extends Look {
  readonly kind: 'triangle';
  /** The face it is part of. */
  readonly index: number;
  readonly a: Vec3;
  readonly ab: Vec3;
  readonly ac: Vec3;
  /** At the three corners; equal on a flat face. */
  readonly normals: readonly [Vec3, Vec3, Vec3];
  readonly shades?: readonly [Light3, Light3, Light3];
}

export type Solid = Ellipsoid | Cylinder | Triangle;

/** Linear light of a value of 0–255 (IEC 61966-2-1). */
export const linear = (v: number): number => (v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4);
/** 0–255 of linear light. */
export const encoded = (x: number): number =>
  255 * (x <= 0.0031308 ? 12.92 * x : 1.055 * Math.min(1, Math.max(0, x)) ** (1 / 2.4) - 0.055);

const lightOf = (hex: string): Light3 => {
  const [r, g, b] = channels(hex);
  return [linear(r), linear(g), linear(b)];
};

/** Å: gaps between dashes, marks of points, and the least thickness of a line. */
const DASH_GAP = 0.1,
  CUBE: readonly (readonly [Vec3, Vec3, Vec3])[] = [
    [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    [[0, 1, 0], [0, 0, 1], [1, 0, 0]],
    [[0, 0, 1], [1, 0, 0], [0, 1, 0]],
  ]; // prettier-ignore

class Builder {
  readonly out: Solid[] = [];
  private things = 0;
  private faces = 0;

  constructor(
    private readonly scene: Scene,
    private readonly size: Size,
  ) {}

  private at = (p: Vec3): Vec3 => toViewer(this.scene.camera, subtract(p, this.scene.camera.target));
  private way = (v: Vec3): Vec3 => toViewer(this.scene.camera, v);

  /** Å of a length in pixels at a place. */
  private pixels(width: number, at: Vec3): number {
    const { camera } = this.scene;
    return (width * camera.scale) / magnification(camera, this.size, at[2]);
  }

  layer(layer: Layer): void {
    switch (layer.kind) {
      case 'atoms':
        return layer.items.forEach((a) => this.atom(a));
      case 'bonds':
        return layer.items.forEach((b) => this.bond(b));
      case 'polyhedra':
        return layer.items.forEach((p) => this.polyhedron(p));
      case 'surfaces':
        return layer.items.forEach((s) => this.surface(s));
      case 'planes':
        return layer.items.forEach((p) => this.fan(p.corners.map(this.at), p.colour, p.opacity, this.things++));
      case 'lines':
        return layer.items.forEach((l) => {
          const [from, to] = [this.at(l.from), this.at(l.to)];
          const radius = this.pixels(l.width / 2, scale(add(from, to), 0.5));
          this.stick(
            from,
            to,
            radius,
            { colour: lightOf(l.colour), opacity: l.opacity, thing: PLAIN_LINE, isLine: true },
            l.dashed ? 0.14 : 0,
          );
        });
      case 'points':
        return layer.items.forEach((p) => this.ball(this.at(p.position), p.radius, lightOf(p.colour), 1));
      case 'arrows':
        return layer.items.forEach((a) => {
          const look = { colour: lightOf(a.colour), opacity: 1, thing: this.things++ };
          this.stick(this.at(a.from), this.at(a.to), a.radius, look, 0);
        });
      default:
        // Labels and halos lie over the picture; symmetry elements are drawn as lines by those who want them.
        return undefined;
    }
  }

  private ball(centre: Vec3, r: number, colour: Light3, opacity: number): void {
    const inverse = 1 / r;
    const into: Mat3 = [inverse, 0, 0, 0, inverse, 0, 0, 0, inverse];
    const thing = this.things++;
    this.out.push({
      kind: 'ellipsoid',
      centre,
      into,
      normals: into,
      reach: [r, r, r],
      inked: false,
      colour,
      opacity,
      thing,
    });
  }

  private atom(a: AtomPrimitive): void {
    if (a.opacity <= 0) return;
    const axes = a.axes.map((v) => this.way(v)) as unknown as [Vec3, Vec3, Vec3];
    const centre = this.at(a.position);
    const colour = lightOf(a.colour);
    const thing = this.things++;
    if (a.shape === 'cube') return this.cube(centre, axes, colour, a.opacity, thing);
    const columns = toMat3([0, 1, 2].flatMap((k) => axes.map((v) => v[k]!)));
    const into = inverse3(columns);
    const reach = toVec3([0, 1, 2].map((k) => Math.hypot(axes[0][k]!, axes[1][k]!, axes[2][k]!)));
    const normals = transpose3(into);
    const isOpen = a.shape === 'open ellipsoid';
    const inked = isOpen || a.shape === 'ellipsoid';
    let until = 0;
    const sectors = a.sectors?.map((x) => ({ until: (until += x.share), colour: lightOf(x.colour) }));
    this.out.push({
      kind: 'ellipsoid',
      centre,
      into,
      normals,
      reach,
      inked,
      colour,
      opacity: a.opacity,
      thing,
      ...(sectors ? { sectors } : {}),
      ...(isOpen ? { open: openSigns(axes) } : {}),
    });
  }

  private cube(centre: Vec3, axes: readonly [Vec3, Vec3, Vec3], colour: Light3, opacity: number, thing: number): void {
    const place = ([x, y, z]: Vec3): Vec3 =>
      add(centre, add(scale(axes[0], x), add(scale(axes[1], y), scale(axes[2], z))));
    for (const [n, u, v] of CUBE)
      for (const sign of [1, -1]) {
        const corner = (p: number, q: number): Vec3 => place(add(scale(n, sign), add(scale(u, p), scale(v, q))));
        this.face([corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)], colour, opacity, thing);
      }
  }

  private bond(b: BondPrimitive): void {
    const [from, to] = [this.at(b.from), this.at(b.to)];
    const shown = shownEnds({ ...b, from, to });
    const middle = scale(add(from, to), 0.5);
    const thing = this.things++;
    shown.forEach((end, k) => {
      const inner = b.inner === undefined ? {} : { inner: lightOf(b.inner) };
      const look = { colour: lightOf(b.colours[k]!), opacity: b.opacity, thing, ...inner };
      this.stick(end, middle, b.radius, look, b.dash ?? 0);
    });
  }

  private stick(from: Vec3, to: Vec3, radius: number, look: Look & Pick<Cylinder, 'inner'>, dash: number): void {
    const along = subtract(to, from);
    const length = norm(along);
    if (!(length > 1e-6) || look.opacity <= 0) return;
    const axis = scale(along, 1 / length);
    const piece = (start: number, end: number): void =>
      void this.out.push({
        kind: 'cylinder',
        from: add(from, scale(axis, start)),
        axis,
        length: end - start,
        radius,
        ...look,
      });
    if (!dash) return piece(0, length);
    for (let x = 0; x < length; x += dash + DASH_GAP) piece(x, Math.min(length, x + dash));
  }

  /** A flat face of any number of corners. */
  private face(corners: readonly Vec3[], colour: Light3, opacity: number, thing: number): void {
    const index = this.faces++;
    for (let k = 1; k + 1 < corners.length; k++) {
      const [a, ab, ac] = [corners[0]!, subtract(corners[k]!, corners[0]!), subtract(corners[k + 1]!, corners[0]!)];
      const n = normalize(cross(ab, ac));
      this.out.push({ kind: 'triangle', index, a, ab, ac, normals: [n, n, n], colour, opacity, thing });
    }
  }

  private fan(corners: readonly Vec3[], colour: string, opacity: number, thing: number): void {
    this.face(corners, lightOf(colour), opacity, thing);
  }

  private polyhedron(p: PolyhedronPrimitive): void {
    const vertices = p.vertices.map(this.at);
    const thing = this.things++;
    const edges = new Set<string>();
    for (const face of p.faces) {
      this.fan(
        face.map((i) => vertices[i]!),
        p.colour,
        p.opacity,
        thing,
      );
      face.forEach((i, k) => {
        const j = face[(k + 1) % face.length]!;
        edges.add(i < j ? `${i} ${j}` : `${j} ${i}`);
      });
    }
    if (!p.edgeWidth) return;
    const look = { colour: lightOf(p.edgeColour), opacity: 1, thing, isLine: true };
    for (const edge of edges) {
      const [i, j] = edge.split(' ').map(Number) as [number, number];
      this.stick(vertices[i]!, vertices[j]!, this.pixels(p.edgeWidth / 2, vertices[i]!), look, 0);
    }
  }

  /** Triangles lit as the curved surface that they stand for: normals are the means of the faces at a corner. */
  private surface(s: SurfacePrimitive): void {
    const count = s.positions.length / 3;
    const places = Array.from({ length: count }, (_, i) =>
      this.at([s.positions[3 * i]!, s.positions[3 * i + 1]!, s.positions[3 * i + 2]!]),
    );
    const normals = places.map((): [number, number, number] => [0, 0, 0]);
    for (let t = 0; t < s.indices.length; t += 3) {
      const [i, j, k] = [s.indices[t]!, s.indices[t + 1]!, s.indices[t + 2]!];
      const n = cross(subtract(places[j]!, places[i]!), subtract(places[k]!, places[i]!));
      for (const c of [i, j, k]) for (let m = 0; m < 3; m++) normals[c]![m]! += n[m]!;
    }
    const colour = lightOf(s.colour);
    const inside = s.inside === undefined ? undefined : lightOf(s.inside);
    const shadeAt = (i: number): Light3 => [0, 1, 2].map((k) => linear(s.shades![3 * i + k]!)) as unknown as Light3;
    const thing = this.things++;
    for (let t = 0; t < s.indices.length; t += 3) {
      const corners = [s.indices[t]!, s.indices[t + 1]!, s.indices[t + 2]!] as const;
      const [a, b, c] = corners.map((i) => places[i]!) as [Vec3, Vec3, Vec3];
      this.out.push({
        kind: 'triangle',
        index: -1,
        a,
        ab: subtract(b, a),
        ac: subtract(c, a),
        normals: corners.map((i) => normalize(normals[i]!)) as unknown as Triangle['normals'],
        ...(s.shades ? { shades: corners.map(shadeAt) as unknown as NonNullable<Triangle['shades']> } : {}),
        colour: inside && this.isFromBehind(a, b, c) ? inside : colour,
        opacity: s.opacity,
        thing,
      });
    }
  }

  /** Whether the corners of a triangle are seen clockwise. */
  private isFromBehind(...corners: readonly [Vec3, Vec3, Vec3]): boolean {
    const [a, b, c] = corners.map((p) => scale(p, magnification(this.scene.camera, this.size, p[2]))) as [
      Vec3,
      Vec3,
      Vec3,
    ];
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) < 0;
  }
}

/** Everything of a scene that light falls on, as it is seen: faded and cut off by the camera's optics. */
export function solidsOf(scene: Scene, size: Size): Solid[] {
  const seen = seenScene(scene);
  const builder = new Builder(seen, size);
  for (const layer of seen.layers) builder.layer(layer);
  return builder.out;
}

/**
 * Where along a ray (from o, unit d) a solid is met beyond `least`, Å; Infinity where it is not. The plain way, which the tree of
 * boxes is tested against.
 */
export function meet(s: Solid, o: Vec3, d: Vec3, least: number): number {
  if (s.kind === 'ellipsoid') return meetEllipsoid(s, o, d, least);
  return s.kind === 'cylinder' ? meetCylinder(s, o, d, least) : meetTriangle(s, o, d, least);
}

/**
 * Where a ray p + t v (in the space of the unit ball, which it meets at `near` and `far`) meets a ball that lacks the eighth of
 * given signs: its outside where that is whole, or one of the three cuts.
 */
export function meetOpenBall(
  px: number,
  py: number,
  pz: number,
  vx: number,
  vy: number,
  vz: number,
  near: number,
  far: number,
  sx: number,
  sy: number,
  sz: number,
  least: number,
): number {
  const isCutOut = (t: number): boolean => (px + t * vx) * sx > 0 && (py + t * vy) * sy > 0 && (pz + t * vz) * sz > 0;
  if (near > least && !isCutOut(near)) return near;
  let best = far > least && !isCutOut(far) ? far : Infinity;
  // A cut is met where one coordinate vanishes and the others have their signs.
  const tx = -px / vx,
    ty = -py / vy,
    tz = -pz / vz;
  if (tx > least && tx > near && tx < Math.min(best, far) && (py + tx * vy) * sy >= 0 && (pz + tx * vz) * sz >= 0)
    best = tx;
  if (ty > least && ty > near && ty < Math.min(best, far) && (px + ty * vx) * sx >= 0 && (pz + ty * vz) * sz >= 0)
    best = ty;
  if (tz > least && tz > near && tz < Math.min(best, far) && (px + tz * vx) * sx >= 0 && (py + tz * vy) * sy >= 0)
    best = tz;
  return best;
}

function meetEllipsoid(s: Ellipsoid, o: Vec3, d: Vec3, least: number): number {
  const p = apply3(s.into, subtract(o, s.centre)),
    v = apply3(s.into, d);
  const a = dot(v, v),
    b = dot(p, v),
    c = dot(p, p) - 1;
  const root = b * b - a * c;
  if (root < 0) return Infinity;
  const half = Math.sqrt(root);
  const near = (-b - half) / a,
    far = (-b + half) / a;
  if (s.open)
    return meetOpenBall(p[0], p[1], p[2], v[0], v[1], v[2], near, far, s.open[0], s.open[1], s.open[2], least);
  if (near > least) return near;
  return far > least ? far : Infinity;
}

function meetCylinder(s: Cylinder, o: Vec3, d: Vec3, least: number): number {
  const w = subtract(o, s.from);
  const dv = dot(d, s.axis),
    wv = dot(w, s.axis);
  const a = 1 - dv * dv,
    b = dot(w, d) - wv * dv,
    c = dot(w, w) - wv * wv - s.radius * s.radius;
  let best = Infinity;
  if (a > 1e-12) {
    const root = b * b - a * c;
    if (root < 0) return Infinity;
    const half = Math.sqrt(root);
    for (const t of [(-b - half) / a, (-b + half) / a]) {
      const at = wv + t * dv;
      if (t > least && at >= 0 && at <= s.length && t < best) best = t;
    }
  }
  // Flat ends.
  if (Math.abs(dv) > 1e-9)
    for (const end of [0, s.length]) {
      const t = (end - wv) / dv;
      if (t <= least || t >= best) continue;
      const x = add(w, scale(d, t));
      const off = dot(x, x) - end * end;
      if (off <= s.radius * s.radius) best = t;
    }
  return best;
}

function meetTriangle(s: Triangle, o: Vec3, d: Vec3, least: number): number {
  const p = cross(d, s.ac);
  const det = dot(s.ab, p);
  if (Math.abs(det) < 1e-14) return Infinity;
  const w = subtract(o, s.a);
  const u = dot(w, p) / det;
  if (u < 0 || u > 1) return Infinity;
  const q = cross(w, s.ab);
  const v = dot(d, q) / det;
  if (v < 0 || u + v > 1) return Infinity;
  const t = dot(s.ac, q) / det;
  return t > least ? t : Infinity;
}

/** Of a whole turn, clockwise from above. */
const clockwiseTurn = (x: number, y: number): number => (Math.atan2(x, y) / (2 * Math.PI) + 1) % 1;

/** Share of an ellipsoid's half axes that its ink lines are wide. */
const INK = 0.045;

/** Outward normal and colour at a point of a solid; the normal faces against the ray. */
export function surfaceAt(s: Solid, x: Vec3, d: Vec3): { normal: Vec3; colour: Light3 } {
  let normal: Vec3,
    { colour } = s;
  if (s.kind === 'ellipsoid') {
    const unit = apply3(s.into, subtract(x, s.centre));
    if (s.open && dot(unit, unit) < INSIDE) return insideAt(s, unit, d);
    normal = normalize(apply3(s.normals, unit));
    if (s.sectors) {
      const part = clockwiseTurn(x[0] - s.centre[0], x[1] - s.centre[1]);
      colour = (s.sectors.find((k) => part < k.until) ?? s.sectors.at(-1)!).colour;
    }
    if (s.inked && unit.some((v) => Math.abs(v) < INK)) colour = scale(colour, 0.12);
  } else if (s.kind === 'cylinder') {
    const w = subtract(x, s.from);
    const along = dot(w, s.axis);
    const out = subtract(w, scale(s.axis, along));
    normal = norm(out) < 0.999 * s.radius ? scale(s.axis, along < s.length / 2 ? -1 : 1) : normalize(out);
    if (s.inner && rimOf(normal, s.axis, d) < HOLLOW) colour = s.inner;
  } else {
    const [u, v] = barycentric(s, x);
    const w = 1 - u - v;
    const [a, b, c] = s.normals;
    normal = normalize(add(scale(a, w), add(scale(b, u), scale(c, v))));
    if (s.shades) colour = add(scale(s.shades[0], w), add(scale(s.shades[1], u), scale(s.shades[2], v)));
  }
  return { normal: dot(normal, d) > 0 ? scale(normal, -1) : normal, colour };
}

/** How far from the middle of a stick, as it is seen, a place with a normal stands: 0 in the middle, 1 at its edge. */
function rimOf(normal: Vec3, axis: Vec3, d: Vec3): number {
  const across = normalize(subtract(d, scale(axis, dot(d, axis))));
  return Math.sqrt(Math.max(0, 1 - dot(normal, across) ** 2));
}

/** Squared distance from the middle of the unit ball below which a place lies on a cut. */
const INSIDE = 0.998;

/** Normal and colour on a cut of an open ellipsoid, at a point of the unit ball. */
function insideAt(s: Ellipsoid, unit: Vec3, d: Vec3): { normal: Vec3; colour: Light3 } {
  const flat = unit.map(Math.abs);
  const k = flat.indexOf(Math.min(...flat));
  const axis: Vec3 = [Number(k === 0), Number(k === 1), Number(k === 2)];
  const normal = normalize(apply3(s.normals, axis));
  const isEdge = norm(unit) > 1 - INK || flat.filter((v) => v < INK).length > 1;
  const pale = s.colour.map((v) => v + (1 - v) * INSIDE_PALE) as unknown as Light3;
  return {
    normal: dot(normal, d) > 0 ? scale(normal, -1) : normal,
    colour: isEdge ? scale(s.colour, 0.12) : pale,
  };
}

function barycentric(s: Triangle, x: Vec3): [number, number] {
  const w = subtract(x, s.a);
  const [bb, bc, cc] = [dot(s.ab, s.ab), dot(s.ab, s.ac), dot(s.ac, s.ac)];
  const [wb, wc] = [dot(w, s.ab), dot(w, s.ac)];
  const det = bb * cc - bc * bc || 1;
  return [(cc * wb - bc * wc) / det, (bb * wc - bc * wb) / det];
}

/** Box around a solid: low x y z, high x y z. */
export function boxOf(s: Solid): readonly [Vec3, Vec3] {
  if (s.kind === 'ellipsoid') return [subtract(s.centre, s.reach), add(s.centre, s.reach)];
  if (s.kind === 'cylinder') {
    const end = add(s.from, scale(s.axis, s.length));
    const wide = toVec3(s.axis.map((v) => s.radius * Math.sqrt(Math.max(0, 1 - v * v))));
    const of = (f: (a: number, b: number) => number): Vec3 => [
      f(s.from[0], end[0]),
      f(s.from[1], end[1]),
      f(s.from[2], end[2]),
    ];
    return [subtract(of(Math.min), wide), add(of(Math.max), wide)];
  }
  const points = [s.a, add(s.a, s.ab), add(s.a, s.ac)];
  const of = (f: (...list: number[]) => number): Vec3 => [
    f(...points.map((p) => p[0])),
    f(...points.map((p) => p[1])),
    f(...points.map((p) => p[2])),
  ];
  return [of(Math.min), of(Math.max)];
}
