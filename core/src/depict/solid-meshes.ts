/** What a scene shows as closed triangle meshes, one a colour, for files of solids. Cartesian Å. */
import {
  itemsOf,
  type AtomPrimitive,
  type BondPrimitive,
  type Layer,
  type PolyhedronPrimitive,
} from '../draw/scene.ts';
import { add, cross, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';

export interface ColouredMesh {
  readonly colour: string;
  readonly opacity: number;
  /** x y z of each vertex, and of its outward normal. */
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly indices: Uint32Array;
}

class MeshBuilder {
  readonly positions: number[] = [];
  readonly normals: number[] = [];
  readonly indices: number[] = [];

  vertex(p: Vec3, n: Vec3): number {
    this.positions.push(...p);
    this.normals.push(...n);
    return this.positions.length / 3 - 1;
  }

  triangle(a: number, b: number, c: number): void {
    this.indices.push(a, b, c);
  }
}

/** Unit ball of points and triangles: an icosahedron, its faces divided so often. */
function unitBall(divided: number): {
  readonly points: readonly Vec3[];
  readonly faces: readonly (readonly [number, number, number])[];
} {
  const t = (1 + Math.sqrt(5)) / 2;
  const points: Vec3[] =
    ([
      [-1, t, 0], [1, t, 0], [-1, -t, 0], [1, -t, 0], [0, -1, t], [0, 1, t],
      [0, -1, -t], [0, 1, -t], [t, 0, -1], [t, 0, 1], [-t, 0, -1], [-t, 0, 1],
    ] as Vec3[]) // prettier-ignore
      .map(normalize);
  let faces: (readonly [number, number, number])[] = [
    [0, 11, 5], [0, 5, 1], [0, 1, 7], [0, 7, 10], [0, 10, 11], [1, 5, 9], [5, 11, 4], [11, 10, 2], [10, 7, 6], [7, 1, 8],
    [3, 9, 4], [3, 4, 2], [3, 2, 6], [3, 6, 8], [3, 8, 9], [4, 9, 5], [2, 4, 11], [6, 2, 10], [8, 6, 7], [9, 8, 1],
  ]; // prettier-ignore
  for (let k = 0; k < divided; k++) {
    const between = new Map<string, number>();
    const half = (i: number, j: number): number => {
      const key = i < j ? `${i} ${j}` : `${j} ${i}`;
      const known = between.get(key);
      if (known !== undefined) return known;
      points.push(normalize(add(points[i]!, points[j]!)));
      between.set(key, points.length - 1);
      return points.length - 1;
    };
    faces = faces.flatMap(([a, b, c]) => {
      const [p, q, r] = [half(a, b), half(b, c), half(c, a)];
      return [
        [a, p, r],
        [b, q, p],
        [c, r, q],
        [p, q, r],
      ] as (readonly [number, number, number])[];
    });
  }
  return { points, faces };
}

/** How round balls and sticks are: few triangles where there are many of them. */
const MANY = 300,
  SIDES = 12;

function addBall(mesh: MeshBuilder, a: AtomPrimitive, ball: ReturnType<typeof unitBall>): void {
  const [x, y, z] = a.axes;
  const mapped = (p: Vec3): Vec3 => add(scale(x, p[0]), add(scale(y, p[1]), scale(z, p[2])));
  // The normal of an ellipsoid is its point divided by the squares of the half axes.
  const squares = a.axes.map((v) => norm(v) ** 2);
  const normal = (p: Vec3): Vec3 =>
    normalize(add(scale(x, p[0] / squares[0]!), add(scale(y, p[1] / squares[1]!), scale(z, p[2] / squares[2]!))));
  const first = mesh.positions.length / 3;
  for (const p of ball.points) mesh.vertex(add(a.position, mapped(p)), normal(p));
  const isLeftHanded = cross(x, y)[0] * z[0] + cross(x, y)[1] * z[1] + cross(x, y)[2] * z[2] < 0;
  for (const [i, j, k] of ball.faces)
    if (isLeftHanded) mesh.triangle(first + i, first + k, first + j);
    else mesh.triangle(first + i, first + j, first + k);
}

function addStick(mesh: MeshBuilder, from: Vec3, to: Vec3, radius: number): void {
  const along = normalize(subtract(to, from));
  const u = normalize(cross(along, Math.abs(along[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0])),
    v = cross(along, u);
  const ring = Array.from({ length: SIDES }, (_, i) => {
    const t = (2 * Math.PI * i) / SIDES;
    return add(scale(u, Math.cos(t)), scale(v, Math.sin(t)));
  });
  const back = scale(along, -1);
  const side = [from, to].map((end) => ring.map((n) => mesh.vertex(add(end, scale(n, radius)), n)));
  const caps = [from, to].map((end, k) => {
    const n = k ? along : back;
    return { middle: mesh.vertex(end, n), rim: ring.map((r) => mesh.vertex(add(end, scale(r, radius)), n)) };
  });
  for (let i = 0; i < SIDES; i++) {
    const j = (i + 1) % SIDES;
    mesh.triangle(side[0]![i]!, side[0]![j]!, side[1]![j]!);
    mesh.triangle(side[0]![i]!, side[1]![j]!, side[1]![i]!);
    mesh.triangle(caps[0]!.middle, caps[0]!.rim[j]!, caps[0]!.rim[i]!);
    mesh.triangle(caps[1]!.middle, caps[1]!.rim[i]!, caps[1]!.rim[j]!);
  }
}

function addPolyhedron(mesh: MeshBuilder, p: PolyhedronPrimitive): void {
  for (const face of p.faces) {
    const corners = face.map((i) => p.vertices[i]!);
    const n = normalize(cross(subtract(corners[1]!, corners[0]!), subtract(corners[2]!, corners[0]!)));
    const at = corners.map((c) => mesh.vertex(c, n));
    for (let k = 1; k + 1 < at.length; k++) mesh.triangle(at[0]!, at[k]!, at[k + 1]!);
  }
}

function addBond(of: (colour: string, opacity: number) => MeshBuilder, b: BondPrimitive): void {
  const middle = scale(add(b.from, b.to), 0.5);
  addStick(of(b.colours[0], b.opacity), b.from, middle, b.radius);
  addStick(of(b.colours[1], b.opacity), middle, b.to, b.radius);
}

/** Meshes of the atoms, bonds, polyhedra and surfaces of layers. */
export function solidMeshes(layers: readonly Layer[]): ColouredMesh[] {
  const meshes = new Map<string, { readonly colour: string; readonly opacity: number; readonly mesh: MeshBuilder }>();
  const of = (colour: string, opacity: number): MeshBuilder => {
    const key = `${colour} ${opacity}`;
    let known = meshes.get(key);
    if (!known) meshes.set(key, (known = { colour, opacity, mesh: new MeshBuilder() }));
    return known.mesh;
  };
  const atoms = itemsOf(layers, 'atoms').filter((a) => a.opacity > 0);
  const ball = unitBall(atoms.length > MANY ? 2 : 3);
  for (const a of atoms) addBall(of(a.colour, a.opacity), a, ball);
  for (const b of itemsOf(layers, 'bonds')) addBond(of, b);
  for (const p of itemsOf(layers, 'polyhedra')) addPolyhedron(of(p.colour, p.opacity), p);
  for (const s of itemsOf(layers, 'surfaces')) {
    const mesh = of(s.colour, s.opacity);
    const first = mesh.positions.length / 3;
    const corner = (i: number): Vec3 => [s.positions[3 * i]!, s.positions[3 * i + 1]!, s.positions[3 * i + 2]!];
    const normals = Array.from({ length: s.positions.length / 3 }, (): Vec3 => [0, 0, 0]);
    for (let t = 0; t < s.indices.length; t += 3) {
      const [i, j, k] = [s.indices[t]!, s.indices[t + 1]!, s.indices[t + 2]!];
      const n = cross(subtract(corner(j), corner(i)), subtract(corner(k), corner(i)));
      for (const c of [i, j, k]) normals[c] = add(normals[c]!, n);
    }
    normals.forEach((n, i) => mesh.vertex(corner(i), normalize(n)));
    for (let t = 0; t < s.indices.length; t += 3)
      mesh.triangle(first + s.indices[t]!, first + s.indices[t + 1]!, first + s.indices[t + 2]!);
  }
  return [...meshes.values()].map(({ colour, opacity, mesh }) => ({
    colour,
    opacity,
    positions: Float32Array.from(mesh.positions),
    normals: Float32Array.from(mesh.normals),
    indices: Uint32Array.from(mesh.indices),
  }));
}
