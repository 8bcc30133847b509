/** From the typed layers of a scene to three.js objects. */
import {
  BoxGeometry,
  BufferAttribute,
  BufferGeometry,
  Color,
  ConeGeometry,
  CylinderGeometry,
  Group,
  IcosahedronGeometry,
  InstancedBufferAttribute,
  InstancedMesh,
  LineSegments,
  Matrix4,
  Mesh,
  Quaternion,
  SphereGeometry,
  Vector3,
  type Material,
  type Object3D,
} from 'three';
import { LineSegments2 } from 'three/addons/lines/LineSegments2.js';
import { LineSegmentsGeometry } from 'three/addons/lines/LineSegmentsGeometry.js';
import { mixColours } from '@nagare/core/draw/colours';
import {
  INSIDE_PALE,
  shownEnds,
  type ElementPrimitive,
  type LinePrimitive,
  type PolyhedronPrimitive,
  type SurfacePrimitive,
} from '@nagare/core/draw/scene';
import { type Vec3, toVec3 } from '@nagare/core/math/matrix3';
import type { Materials } from './materials.ts';
import type { PaintedAtom, PaintedBond, PaintLayer } from './packed-layers.ts';

/** A mesh with a plainer shape for while the crystal turns. */
export interface Refinable {
  readonly mesh: InstancedMesh;
  readonly fine: BufferGeometry;
  readonly plain: BufferGeometry;
}

export interface PaintedLayer {
  readonly layer: PaintLayer;
  readonly group: Group;
  readonly refinable: readonly Refinable[];
}

const UP = new Vector3(0, 1, 0);
/** Finer meshes up to this many atoms, and plainer ones while they turn beyond that many. */
const FINE = 400,
  CROWD = 2500;

const byOpacity = <T extends { readonly opacity: number }>(items: readonly T[]): Map<number, T[]> => {
  const out = new Map<number, T[]>();
  for (const item of items) {
    const list = out.get(item.opacity);
    if (list) list.push(item);
    else out.set(item.opacity, [item]);
  }
  return out;
};

/** Position and half axes as a matrix; a left-handed set would turn the sphere inside out. */
function placeAtom(m: Matrix4, a: PaintedAtom, factor: number): Matrix4 {
  const [x, y, z] = a.axes;
  const p = a.position;
  const det =
    x[0] * (y[1] * z[2] - y[2] * z[1]) - x[1] * (y[0] * z[2] - y[2] * z[0]) + x[2] * (y[0] * z[1] - y[1] * z[0]);
  const f = factor,
    g = det < 0 ? -f : f;
  return m.set(
    f * x[0], f * y[0], g * z[0], p[0],
    f * x[1], f * y[1], g * z[1], p[1],
    f * x[2], f * y[2], g * z[2], p[2],
    0, 0, 0, 1,
  ); // prettier-ignore
}

/** Turns typed layers into three.js objects. */
export class LayerBuilder {
  private readonly m = new Matrix4();
  private readonly q = new Quaternion();
  private readonly colour = new Color();

  constructor(private readonly materials: Materials) {}

  build(layer: PaintLayer, layers: readonly PaintLayer[]): PaintedLayer {
    const group = new Group();
    let refinable: Refinable[] = [];
    switch (layer.kind) {
      case 'atoms':
        refinable = this.atoms(group, layer.items);
        break;
      case 'halos':
        this.halos(group, layer.items);
        break;
      case 'bonds':
        refinable = this.bonds(group, layer.items, atomsOf(layers, layer.name));
        break;
      case 'polyhedra':
        for (const p of layer.items) this.polyhedron(group, p);
        break;
      case 'planes':
        for (const p of layer.items) group.add(new Mesh(fan(p.corners), this.materials.flat(p.colour, p.opacity)));
        break;
      case 'lines':
        this.lines(group, layer.items);
        break;
      case 'surfaces':
        for (const s of layer.items) this.surface(group, s);
        break;
      case 'points':
        for (const p of layer.items) {
          const mesh = new Mesh(new SphereGeometry(p.radius, 10, 8), this.materials.mesh(p.colour, 1));
          mesh.position.set(...p.position);
          group.add(mesh);
        }
        break;
      case 'symmetry elements':
        for (const e of layer.items) this.element(group, e);
        break;
      case 'arrows':
        for (const a of layer.items) this.arrow(group, a.from, a.to, a.colour, a.radius);
        break;
      case 'labels':
        break;
    }
    return { layer, group, refinable };
  }

  private atoms(group: Group, items: readonly PaintedAtom[]): Refinable[] {
    const out: Refinable[] = [];
    for (const [opacity, list] of byOpacity(items)) {
      const round = list.filter((a) => a.shape !== 'cube');
      const cubes = list.filter((a) => a.shape === 'cube');
      if (round.length) {
        const ringed = new InstancedBufferAttribute(
          Float32Array.from(round, (a) => (a.shape === 'ellipsoid' ? 1 : a.shape === 'open ellipsoid' ? 2 : 0)),
          1,
        );
        const [fine, plain] = ballShapes(items.length).map((shape) => {
          shape.setAttribute('ringed', ringed);
          for (const [name, values] of this.sectors(round)) shape.setAttribute(name, values);
          return shape;
        });
        const mesh = this.instances(fine!, this.materials.atoms(opacity), round, 1);
        group.add(mesh);
        if (plain) out.push({ mesh, fine: fine!, plain });
      }
      const open = round.filter((a) => a.shape === 'open ellipsoid');
      if (open.length) group.add(this.instances(quarters(), this.materials.cuts(opacity), open.map(insideOf), 1));
      if (cubes.length) group.add(this.instances(new BoxGeometry(2, 2, 2), this.materials.solid(opacity), cubes, 0.8));
    }
    return out;
  }

  /** Where the sectors of each ball end, and the colours after the first; the whole ball is the first where there are none. */
  private sectors(items: readonly PaintedAtom[]): (readonly [string, InstancedBufferAttribute])[] {
    const ends = new Float32Array(3 * items.length).fill(2);
    const colours = [1, 2, 3].map(() => new Float32Array(3 * items.length));
    items.forEach(({ sectors }, i) => {
      let sum = 0;
      sectors?.slice(0, 4).forEach(({ share, colour }, k) => {
        sum += share;
        if (k < sectors.length - 1 && k < 3) ends[3 * i + k] = sum;
        if (k > 0) this.colour.set(colour).toArray(colours[k - 1]!, 3 * i);
      });
    });
    return [
      ['sectorEnds', new InstancedBufferAttribute(ends, 3)],
      ...colours.map((c, k) => [`sector${k + 1}`, new InstancedBufferAttribute(c, 3)] as const),
    ];
  }

  private instances(
    shape: BufferGeometry,
    material: Material,
    items: readonly PaintedAtom[],
    factor: number,
  ): InstancedMesh {
    const mesh = new InstancedMesh(shape, material, items.length);
    items.forEach((a, i) => {
      mesh.setMatrixAt(i, placeAtom(this.m, a, factor));
      mesh.setColorAt(i, this.colour.set(a.colour));
    });
    return mesh;
  }

  private halos(group: Group, items: readonly PaintedAtom[]): void {
    for (const a of items) {
      const mesh = new Mesh(new SphereGeometry(1, 24, 16), this.materials.flat(a.colour, a.opacity));
      mesh.applyMatrix4(placeAtom(this.m, a, 1));
      group.add(mesh);
    }
  }

  private bonds(group: Group, items: readonly PaintedBond[], atoms: number): Refinable[] {
    const out: Refinable[] = [];
    for (const [look, list] of bondsByLook(items)) {
      const { opacity, inner } = look;
      // A rim is narrow: it needs a rounder stick.
      const fine = stick(inner !== undefined ? 24 : atoms < 2 * FINE ? 12 : 6);
      const pieces = list.flatMap((b) => stickPieces(b));
      const material = inner === undefined ? this.materials.solid(opacity) : this.materials.hollow(opacity, inner);
      const mesh = new InstancedMesh(fine, material, pieces.length);
      pieces.forEach((p, i) => {
        mesh.setMatrixAt(i, this.alongStick(p.from, p.to, p.radius));
        mesh.setColorAt(i, this.colour.set(p.colour));
      });
      group.add(mesh);
      if (atoms > CROWD) out.push({ mesh, fine, plain: stick(3) });
    }
    return out;
  }

  private alongStick(from: Vec3, to: Vec3, radius: number): Matrix4 {
    const a = new Vector3(...from),
      b = new Vector3(...to);
    const d = b.clone().sub(a),
      length = d.length();
    this.q.setFromUnitVectors(UP, d.normalize());
    return this.m.compose(a.add(b).multiplyScalar(0.5), this.q, new Vector3(radius, length, radius));
  }

  private polyhedron(group: Group, p: PolyhedronPrimitive): void {
    const shape = triangles(p.faces.map((face) => face.map((i) => p.vertices[i]!)));
    shape.computeVertexNormals();
    group.add(new Mesh(shape, this.materials.film(p.colour, p.opacity)));
    if (!p.edgeWidth) return;
    const edges = p.faces.flatMap((f) =>
      f.flatMap((i, k) => {
        const j = f[(k + 1) % f.length]!;
        // Each edge bounds two faces.
        return i < j ? [...p.vertices[i]!, ...p.vertices[j]!] : [];
      }),
    );
    group.add(this.segments(edges, p.edgeColour, 1, p.edgeWidth));
  }

  /** Lines so many pixels wide; one pixel is what the card does by itself. */
  private segments(ends: number[], colour: string, opacity: number, width: number): Object3D {
    if (Math.abs(width - 1) < 0.05)
      return new LineSegments(positions(Float32Array.from(ends)), this.materials.line(colour, opacity));
    return new LineSegments2(
      new LineSegmentsGeometry().setPositions(ends),
      this.materials.wide(colour, opacity, width),
    );
  }

  private lines(group: Group, items: readonly LinePrimitive[]): void {
    const kinds = new Map<string, LinePrimitive[]>();
    for (const l of items) {
      const key = `${l.colour} ${l.opacity} ${l.width}`;
      kinds.set(key, [...(kinds.get(key) ?? []), l]);
    }
    for (const list of kinds.values()) {
      const ends = list.flatMap((l) => (l.dashed ? dashes(l.from, l.to) : [...l.from, ...l.to]));
      const { colour, opacity, width } = list[0]!;
      group.add(this.segments(ends, colour, opacity, width));
    }
  }

  private surface(group: Group, s: SurfacePrimitive): void {
    const shape = positions(s.positions);
    shape.setIndex(new BufferAttribute(s.indices, 1));
    shape.computeVertexNormals();
    if (s.shades) shape.setAttribute('color', new BufferAttribute(linearShades(s.shades), 3));
    group.add(new Mesh(shape, this.materials.film(s.shades ? '#ffffff' : s.colour, s.opacity, !!s.shades, s.inside)));
    if (s.mesh > 0) group.add(new Mesh(shape, this.materials.mesh(s.colour, s.mesh)));
  }

  private element(group: Group, e: ElementPrimitive): void {
    if (e.points.length === 1) {
      const mark = new Mesh(new SphereGeometry(e.picked ? 0.2 : 0.14, 4, 2), this.materials.flat(e.colour, 1));
      mark.position.set(...e.points[0]!);
      group.add(mark);
    } else if (e.points.length === 2) {
      const rod = new Mesh(new CylinderGeometry(1, 1, 1, 8), this.materials.flat(e.colour, 0.85));
      rod.applyMatrix4(this.alongStick(e.points[0]!, e.points[1]!, e.picked ? 0.07 : 0.045));
      group.add(rod);
    } else {
      if (e.hatching)
        group.add(new LineSegments(positions(e.hatching), this.materials.line(e.colour, e.picked ? 0.95 : 0.5)));
      group.add(new Mesh(fan(e.points), this.materials.flat(e.colour, e.picked ? 0.16 : 0.06)));
    }
  }

  private arrow(group: Group, from: Vec3, to: Vec3, colour: string, radius: number): void {
    const a = new Vector3(...from),
      b = new Vector3(...to);
    const d = b.clone().sub(a).normalize();
    const neck = b.clone().addScaledVector(d, -4 * radius);
    const shaft = new Mesh(new CylinderGeometry(1, 1, 1, 10), this.materials.flat(colour, 1));
    shaft.applyMatrix4(this.alongStick(from, [neck.x, neck.y, neck.z], radius));
    const head = new Mesh(new ConeGeometry(2 * radius, 4 * radius, 14), this.materials.flat(colour, 1));
    head.position.copy(neck.addScaledVector(d, 2 * radius));
    head.quaternion.setFromUnitVectors(UP, d);
    group.add(shaft, head);
  }
}

/** Shades of 0–255 as the linear light that vertex colours are read in (IEC 61966-2-1). */
const linearShades = (shades: Uint8Array): Float32Array =>
  Float32Array.from(shades, (v) => (v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4));

/** How many atoms the layers of a name hold. */
const atomsOf = (layers: readonly PaintLayer[], name: PaintLayer['name']): number =>
  layers.reduce((n, l) => n + (l.kind === 'atoms' && l.name === name ? l.items.length : 0), 0);

/** Bonds that are painted alike: of one opacity, and of one colour along their middles where they are hollow. */
function bondsByLook(items: readonly PaintedBond[]): Map<Pick<PaintedBond, 'opacity' | 'inner'>, PaintedBond[]> {
  const keys = new Map<string, PaintedBond>();
  const out = new Map<PaintedBond, PaintedBond[]>();
  for (const b of items) {
    const key = `${b.opacity} ${b.inner ?? ''}`;
    const first = keys.get(key) ?? b;
    keys.set(key, first);
    const list = out.get(first);
    if (list) list.push(b);
    else out.set(first, [b]);
  }
  return out;
}

/** The corner that is cut out of a unit ball: three quarter discs between the positive axes. */
function quarters(): BufferGeometry {
  const steps = 16;
  const at = (k: number, a: number, b: number): Vec3 => {
    const p: [number, number, number] = [0, 0, 0];
    p[(k + 1) % 3] = a;
    p[(k + 2) % 3] = b;
    return p;
  };
  const rim = (k: number, i: number): Vec3 => {
    const turn = ((i / steps) * Math.PI) / 2;
    return at(k, Math.cos(turn), Math.sin(turn));
  };
  return triangles(
    [0, 1, 2].flatMap((k) => Array.from({ length: steps }, (_, i) => [at(k, 0, 0), rim(k, i), rim(k, i + 1)])),
  );
}

/** An atom as it is inside: paler, and held by one. */
const insideOf = ({ sectors: _, ...a }: PaintedAtom): PaintedAtom => ({
  ...a,
  colour: mixColours(a.colour, '#ffffff', INSIDE_PALE),
});

const stick = (sides: number): BufferGeometry => new CylinderGeometry(1, 1, 1, sides, 1, true);

/** A ball of radius 1, as fine as so many of them allow; in a crowd also the one shown while it turns. */
function ballShapes(atoms: number): readonly BufferGeometry[] {
  if (atoms < FINE) return [new SphereGeometry(1, 32, 20)];
  if (atoms <= CROWD) return [new SphereGeometry(1, 14, 9)];
  return [roundBall(1), roundBall(0)];
}

/** An icosahedron whose faces were divided so often, lit as the sphere around it. */
function roundBall(divided: number): BufferGeometry {
  const shape = new IcosahedronGeometry(1, divided);
  shape.setAttribute('normal', shape.getAttribute('position').clone());
  return shape;
}

const positions = (values: Float32Array): BufferGeometry =>
  new BufferGeometry().setAttribute('position', new BufferAttribute(values, 3));

/** Convex polygons as triangles from their first corners. */
const triangles = (faces: readonly (readonly Vec3[])[]): BufferGeometry =>
  positions(
    Float32Array.from(
      faces.flatMap((corners) =>
        corners.slice(1, -1).flatMap((_, i) => [...corners[0]!, ...corners[i + 1]!, ...corners[i + 2]!]),
      ),
    ),
  );

const fan = (corners: readonly Vec3[]): BufferGeometry => triangles([corners]);

const between = (a: Vec3, b: Vec3, t: number): Vec3 => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];

/** Ends of dashes of about 0.14 Å with gaps of 0.1 Å. */
function dashes(from: Vec3, to: Vec3, dash = 0.14): number[] {
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
  const out: number[] = [];
  for (let x = 0; x < length; x += dash + 0.1)
    out.push(...between(from, to, x / length), ...between(from, to, Math.min(1, (x + dash) / length)));
  return out;
}

interface Stick {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly radius: number;
  readonly colour: string;
}

/** The two halves of a bond, each in its colour; dashed ones in pieces. */
function stickPieces(b: PaintedBond): Stick[] {
  const middle = between(b.from, b.to, 0.5);
  const [from, to] = shownEnds(b);
  const halves: [Vec3, Vec3, string][] = [
    [from, middle, b.colours[0]],
    [middle, to, b.colours[1]],
  ];
  return halves.flatMap(([start, end, colour]) => {
    if (!b.dash) return [{ from: start, to: end, radius: b.radius, colour }];
    const ends = dashes(start, end, b.dash);
    return Array.from({ length: ends.length / 6 }, (_, i) => ({
      from: toVec3(ends.slice(6 * i, 6 * i + 3)),
      to: toVec3(ends.slice(6 * i + 3, 6 * i + 6)),
      radius: b.radius,
      colour,
    }));
  });
}
