/** Paints the layers of a core scene with three.js, and nothing else. Draws only when something changed. */
import {
  AmbientLight,
  BoxGeometry,
  BufferAttribute,
  BufferGeometry,
  Color,
  ConeGeometry,
  CylinderGeometry,
  DirectionalLight,
  DoubleSide,
  Group,
  InstancedBufferAttribute,
  InstancedMesh,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  Fog,
  OrthographicCamera,
  PerspectiveCamera,
  Quaternion,
  Raycaster,
  Scene as ThreeScene,
  SphereGeometry,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Material,
} from 'three';
import { project, type ScreenPoint, type Size } from '@nagare/core/draw/camera';
import { depthRange, eyeDistance } from '@nagare/core/draw/optics';
import {
  itemsOf,
  USUAL_LIGHT,
  type AtomPrimitive,
  type BondPrimitive,
  type Camera,
  type Optics,
  type ElementPrimitive,
  type Layer,
  type LayerName,
  type LinePrimitive,
  type PolyhedronPrimitive,
  type SurfacePrimitive,
} from '@nagare/core/draw/scene';
import { type Vec3, toVec3 } from '@nagare/core/math/matrix3';

/** Instances of one mesh and the primitives they stand for. */
interface Picking {
  readonly mesh: InstancedMesh;
  readonly items: readonly AtomPrimitive[];
}

interface PaintedLayer {
  readonly layer: Layer;
  readonly group: Group;
  readonly picking: readonly Picking[];
}

const UP = new Vector3(0, 1, 0);
/** Finer meshes up to this many atoms. */
const FINE = 400;

const byOpacity = <T extends { readonly opacity: number }>(items: readonly T[]): Map<number, T[]> => {
  const out = new Map<number, T[]>();
  for (const item of items) {
    const list = out.get(item.opacity);
    if (list) list.push(item);
    else out.set(item.opacity, [item]);
  }
  return out;
};

/** Principal ellipses: dark (light on dark colours) where a coordinate of the unit sphere vanishes, on real ellipsoids only. */
function withEllipses(material: MeshStandardMaterial): MeshStandardMaterial {
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace(
        '#include <common>',
        '#include <common>\nattribute float ringed;\nvarying vec3 unitPoint;\nvarying float hasRings;',
      )
      .replace('#include <begin_vertex>', '#include <begin_vertex>\nunitPoint = position;\nhasRings = ringed;');
    shader.fragmentShader = shader.fragmentShader
      .replace('#include <common>', '#include <common>\nvarying vec3 unitPoint;\nvarying float hasRings;')
      .replace(
        '#include <color_fragment>',
        '#include <color_fragment>\nvec3 ring = abs(unitPoint);\nfloat nearest = min(ring.x, min(ring.y, ring.z));\nfloat bright = dot(diffuseColor.rgb, vec3(0.3, 0.6, 0.1));\nvec3 ringColour = bright < 0.07 ? vec3(0.7, 0.68, 0.62) : vec3(0.004, 0.005, 0.006);\ndiffuseColor.rgb = mix(diffuseColor.rgb, ringColour, hasRings * (1.0 - smoothstep(0.035, 0.06, nearest)));',
      );
  };
  return material;
}

/** Materials are made once and kept: with the last of a kind its compiled program would go, and compiling again stops the page. */
class Materials {
  private readonly known = new Map<string, Material>();

  get<T extends Material>(key: string, make: () => T): T {
    let material = this.known.get(key) as T | undefined;
    if (!material) this.known.set(key, (material = make()));
    return material;
  }

  atoms(opacity: number): MeshStandardMaterial {
    return this.get(`atoms ${opacity}`, () =>
      withEllipses(new MeshStandardMaterial({ roughness: 0.55, metalness: 0.02, transparent: opacity < 1, opacity })),
    );
  }

  solid(opacity: number): MeshStandardMaterial {
    return this.get(
      `solid ${opacity}`,
      () => new MeshStandardMaterial({ roughness: 0.7, transparent: opacity < 1, opacity }),
    );
  }

  line(colour: string, opacity: number): LineBasicMaterial {
    return this.get(
      `line ${colour} ${opacity}`,
      () => new LineBasicMaterial({ color: colour, transparent: opacity < 1, opacity }),
    );
  }

  flat(colour: string, opacity: number): MeshBasicMaterial {
    return this.get(
      `flat ${colour} ${opacity}`,
      () =>
        new MeshBasicMaterial({
          color: colour,
          transparent: opacity < 1,
          opacity,
          side: DoubleSide,
          depthWrite: opacity >= 1,
        }),
    );
  }

  film(colour: string, opacity: number): MeshStandardMaterial {
    return this.get(
      `film ${colour} ${opacity}`,
      () =>
        new MeshStandardMaterial({
          color: colour,
          transparent: opacity < 1,
          opacity,
          side: DoubleSide,
          depthWrite: opacity >= 1,
          roughness: 0.6,
        }),
    );
  }

  mesh(colour: string, opacity: number): MeshBasicMaterial {
    return this.get(
      `mesh ${colour} ${opacity}`,
      () => new MeshBasicMaterial({ color: colour, wireframe: true, transparent: true, opacity }),
    );
  }

  dispose(): void {
    for (const m of this.known.values()) m.dispose();
  }
}

/** Position and half axes as a matrix; a left-handed set would turn the sphere inside out. */
function placeAtom(m: Matrix4, a: AtomPrimitive, factor: number): Matrix4 {
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
class LayerBuilder {
  private readonly m = new Matrix4();
  private readonly q = new Quaternion();
  private readonly colour = new Color();

  constructor(private readonly materials: Materials) {}

  build(layer: Layer, layers: readonly Layer[]): PaintedLayer {
    const group = new Group();
    let picking: Picking[] = [];
    switch (layer.kind) {
      case 'atoms':
        picking = this.atoms(group, layer.items);
        break;
      case 'halos':
        this.halos(group, layer.items);
        break;
      case 'bonds':
        this.bonds(group, layer.items, itemsOf(layers, 'atoms', layer.name).length);
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
    return { layer, group, picking };
  }

  private atoms(group: Group, items: readonly AtomPrimitive[]): Picking[] {
    const out: Picking[] = [];
    const fine = items.length < FINE;
    for (const [opacity, list] of byOpacity(items)) {
      const round = list.filter((a) => a.shape !== 'cube');
      const cubes = list.filter((a) => a.shape === 'cube');
      if (round.length) {
        const sphere = new SphereGeometry(1, fine ? 32 : 14, fine ? 20 : 9);
        const ringed = Float32Array.from(round, (a) => (a.shape === 'ellipsoid' ? 1 : 0));
        sphere.setAttribute('ringed', new InstancedBufferAttribute(ringed, 1));
        out.push(this.instances(group, sphere, this.materials.atoms(opacity), round, 1));
      }
      if (cubes.length)
        out.push(this.instances(group, new BoxGeometry(2, 2, 2), this.materials.solid(opacity), cubes, 0.8));
    }
    return out;
  }

  private instances(
    group: Group,
    shape: BufferGeometry,
    material: Material,
    items: readonly AtomPrimitive[],
    factor: number,
  ): Picking {
    const mesh = new InstancedMesh(shape, material, items.length);
    items.forEach((a, i) => {
      mesh.setMatrixAt(i, placeAtom(this.m, a, factor));
      mesh.setColorAt(i, this.colour.set(a.colour));
    });
    group.add(mesh);
    return { mesh, items };
  }

  private halos(group: Group, items: readonly AtomPrimitive[]): void {
    for (const a of items) {
      const mesh = new Mesh(new SphereGeometry(1, 24, 16), this.materials.flat(a.colour, a.opacity));
      mesh.applyMatrix4(placeAtom(this.m, a, 1));
      group.add(mesh);
    }
  }

  private bonds(group: Group, items: readonly BondPrimitive[], atoms: number): void {
    for (const [opacity, list] of byOpacity(items)) {
      const stick = new CylinderGeometry(1, 1, 1, atoms < 2 * FINE ? 12 : 6, 1, true);
      const pieces = list.flatMap((b) => stickPieces(b));
      const mesh = new InstancedMesh(stick, this.materials.solid(opacity), pieces.length);
      pieces.forEach((p, i) => {
        mesh.setMatrixAt(i, this.alongStick(p.from, p.to, p.radius));
        mesh.setColorAt(i, this.colour.set(p.colour));
      });
      group.add(mesh);
    }
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
    for (const face of p.faces) {
      const shape = fan(face.map((i) => p.vertices[i]!));
      shape.computeVertexNormals();
      group.add(new Mesh(shape, this.materials.film(p.colour, p.opacity)));
    }
    const edges = p.faces.flatMap((f) =>
      f.flatMap((i, k) => [...p.vertices[i]!, ...p.vertices[f[(k + 1) % f.length]!]!]),
    );
    group.add(new LineSegments(positions(Float32Array.from(edges)), this.materials.line(p.edgeColour, 1)));
  }

  private lines(group: Group, items: readonly LinePrimitive[]): void {
    const kinds = new Map<string, LinePrimitive[]>();
    for (const l of items) {
      const key = `${l.colour} ${l.opacity}`;
      kinds.set(key, [...(kinds.get(key) ?? []), l]);
    }
    for (const list of kinds.values()) {
      const ends = list.flatMap((l) => (l.dashed ? dashes(l.from, l.to) : [...l.from, ...l.to]));
      const { colour, opacity } = list[0]!;
      group.add(new LineSegments(positions(Float32Array.from(ends)), this.materials.line(colour, opacity)));
    }
  }

  private surface(group: Group, s: SurfacePrimitive): void {
    const shape = positions(s.positions);
    shape.setIndex(new BufferAttribute(s.indices, 1));
    shape.computeVertexNormals();
    group.add(new Mesh(shape, this.materials.film(s.colour, s.opacity)));
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

const positions = (values: Float32Array): BufferGeometry =>
  new BufferGeometry().setAttribute('position', new BufferAttribute(values, 3));

/** A convex polygon as triangles from its first corner. */
const fan = (corners: readonly Vec3[]): BufferGeometry =>
  positions(
    Float32Array.from(corners.slice(1, -1).flatMap((_, i) => [...corners[0]!, ...corners[i + 1]!, ...corners[i + 2]!])),
  );

const between = (a: Vec3, b: Vec3, t: number): Vec3 => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];

/** Ends of dashes of about 0.14 Å with gaps of 0.1 Å. */
function dashes(from: Vec3, to: Vec3): number[] {
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
  const out: number[] = [];
  for (let x = 0; x < length; x += 0.24)
    out.push(...between(from, to, x / length), ...between(from, to, Math.min(1, (x + 0.14) / length)));
  return out;
}

interface Stick {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly radius: number;
  readonly colour: string;
}

/** The two halves of a bond, each in its colour; dashed ones in pieces. */
function stickPieces(b: BondPrimitive): Stick[] {
  const middle = between(b.from, b.to, 0.5);
  const halves: [Vec3, Vec3, string][] = [
    [b.from, middle, b.colours[0]],
    [middle, b.to, b.colours[1]],
  ];
  return halves.flatMap(([from, to, colour]) => {
    if (!b.dashed) return [{ from, to, radius: b.radius, colour }];
    const ends = dashes(from, to);
    return Array.from({ length: ends.length / 6 }, (_, i) => ({
      from: toVec3(ends.slice(6 * i, 6 * i + 3)),
      to: toVec3(ends.slice(6 * i + 3, 6 * i + 6)),
      radius: b.radius,
      colour,
    }));
  });
}

export class ScenePainter {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new ThreeScene();
  private readonly parallel = new OrthographicCamera(-1, 1, 1, -1, -500, 500);
  private readonly perspective = new PerspectiveCamera();
  /** The light goes with the viewer. */
  private readonly lamp = new Group();
  private ground = '#ffffff';
  private readonly materials = new Materials();
  private readonly builder = new LayerBuilder(this.materials);
  private painted: PaintedLayer[] = [];
  private pending = false;
  private pixels: Size = { width: 1, height: 1 };
  private seenFrom: Camera = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [0, 0, 0], scale: 0.02 };
  private painting: (() => void) | undefined;

  constructor(canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    const key = new DirectionalLight('#ffffff', 2.1);
    key.position.set(...USUAL_LIGHT.direction);
    this.lamp.add(key, key.target);
    this.scene.add(new AmbientLight('#ffffff', 1.5), this.lamp);
  }

  get size(): Size {
    return this.pixels;
  }

  get camera(): Camera {
    return this.seenFrom;
  }

  /** Draws from another point of view at the next frame. */
  lookFrom(camera: Camera): void {
    // Depth is shown as it was chosen, wherever one looks from.
    const { optics } = this.seenFrom;
    const { optics: _, ...place } = camera;
    this.seenFrom = { ...place, ...(optics ? { optics } : {}) };
    this.invalidate();
  }

  /** How depth is shown; far things fade into the ground. */
  showDepth(optics: Optics, ground: string): void {
    this.seenFrom = { ...this.seenFrom, optics };
    this.ground = ground;
    this.invalidate();
  }

  /** Calls `then` after every painting; undefined stops that. */
  afterPainting(then: (() => void) | undefined): void {
    this.painting = then;
  }

  get layers(): readonly Layer[] {
    return this.painted.map((p) => p.layer);
  }

  resize(width: number, height: number): void {
    this.pixels = { width: Math.max(1, width), height: Math.max(1, height) };
    this.renderer.setSize(this.pixels.width, this.pixels.height, false);
    this.invalidate();
  }

  /** Replaces what is drawn; layers that are the same objects as before are left as they are. */
  show(layers: readonly Layer[]): void {
    const before = new Map(this.painted.map((p) => [p.layer, p]));
    this.painted = layers.map((layer) => {
      const known = before.get(layer);
      if (known) {
        before.delete(layer);
        return known;
      }
      const made = this.builder.build(layer, layers);
      this.scene.add(made.group);
      return made;
    });
    for (const gone of before.values()) this.remove(gone);
    this.invalidate();
  }

  private remove({ group }: PaintedLayer): void {
    this.scene.remove(group);
    group.traverse((child) => (child as Mesh).geometry?.dispose());
  }

  invalidate(): void {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.paint();
    });
  }

  private paint(): void {
    const { rotation: r, target } = this.seenFrom;
    const eye = this.eyeNow();
    const turned = new Quaternion().setFromRotationMatrix(
      new Matrix4().makeBasis(
        new Vector3(r[0], r[1], r[2]),
        new Vector3(r[3], r[4], r[5]),
        new Vector3(r[6], r[7], r[8]),
      ),
    );
    const far = eyeDistance(this.seenFrom, this.pixels);
    const back = far === Infinity ? 0 : far;
    eye.position.set(target[0] + r[6] * back, target[1] + r[7] * back, target[2] + r[8] * back);
    eye.quaternion.copy(turned);
    this.lamp.position.set(...target);
    this.lamp.quaternion.copy(turned);
    this.scene.fog = this.fogAt(back);
    eye.updateProjectionMatrix();
    eye.updateMatrixWorld(true);
    this.renderer.render(this.scene, eye);
    this.painting?.();
  }

  /** The camera of the projection that is chosen, its frustum set. */
  private eyeNow(): OrthographicCamera | PerspectiveCamera {
    const { width, height } = this.pixels;
    const { scale, optics } = this.seenFrom;
    const front = optics?.front ?? 500,
      back = optics?.back ?? 500;
    const far = eyeDistance(this.seenFrom, this.pixels);
    if (far === Infinity)
      return Object.assign(this.parallel, {
        left: (-width / 2) * scale,
        right: (width / 2) * scale,
        top: (height / 2) * scale,
        bottom: (-height / 2) * scale,
        near: -front,
        far: back,
      });
    return Object.assign(this.perspective, {
      fov: optics!.fieldOfView,
      aspect: width / height,
      near: Math.max(0.02 * far, far - front),
      far: far + back,
    });
  }

  /** Fog from the nearest atom on, so dense that the furthest fades by the share chosen. */
  private fogAt(eyeBehind: number): Fog | null {
    const cue = this.seenFrom.optics?.cue ?? 0;
    if (!cue) return null;
    const { near, far } = depthRange(this.layers, this.seenFrom);
    const span = Math.max(1, near - far);
    return new Fog(this.ground, eyeBehind - near, eyeBehind - near + span / cue);
  }

  /** Screen position of a Cartesian point. */
  project(p: Vec3): ScreenPoint {
    return project(this.seenFrom, this.pixels, p);
  }

  /** The atom of a layer under a point of the canvas. */
  pick(x: number, y: number, name: LayerName = 'model'): AtomPrimitive | undefined {
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2((2 * x) / this.pixels.width - 1, 1 - (2 * y) / this.pixels.height), this.eyeNow());
    // A parallel ray starts at the near plane, which lies behind the scene unless that is cut off.
    if (eyeDistance(this.seenFrom, this.pixels) === Infinity && this.seenFrom.optics?.front === undefined)
      ray.ray.origin.addScaledVector(ray.ray.direction, -600);
    let best: { atom: AtomPrimitive; distance: number } | undefined;
    for (const { layer, picking } of this.painted) {
      if (layer.name !== name) continue;
      for (const { mesh, items } of picking) {
        mesh.computeBoundingSphere();
        const hit = ray.intersectObject(mesh, false)[0];
        if (hit?.instanceId !== undefined && hit.distance < (best?.distance ?? Infinity))
          best = { atom: items[hit.instanceId]!, distance: hit.distance };
      }
    }
    return best?.atom;
  }

  /** The name of the symmetry element under a point of the canvas: centres first, then axes, then planes. */
  pickElement(x: number, y: number): string | undefined {
    let best: { name: string; cost: number } | undefined;
    for (const e of itemsOf(this.layers, 'symmetry elements')) {
      const cost = distanceOnScreen(
        e.points.map((p) => this.project(p)),
        x,
        y,
      );
      if (cost < (best?.cost ?? Infinity)) best = { name: e.name, cost };
    }
    return best?.name;
  }

  /** What is on the canvas as a PNG on the ground given, with the labels over it. Throws Error where the browser makes none. */
  async picture(ground: string, labels: HTMLCanvasElement | null): Promise<Blob> {
    this.paint();
    const source = this.renderer.domElement;
    const out = new OffscreenCanvas(source.width, source.height);
    const pen = out.getContext('2d');
    if (!pen) throw new Error('This browser cannot make a picture of the scene.');
    pen.fillStyle = ground;
    pen.fillRect(0, 0, out.width, out.height);
    pen.drawImage(source, 0, 0);
    if (labels) pen.drawImage(labels, 0, 0, out.width, out.height);
    return out.convertToBlob({ type: 'image/png' });
  }

  dispose(): void {
    for (const p of this.painted) this.remove(p);
    this.painted = [];
    this.materials.dispose();
    this.renderer.dispose();
  }
}

/** How well a point of the screen hits a projected element: below 10 for a centre, 20–28 for an axis, about 100 inside a plane. */
function distanceOnScreen(q: readonly ScreenPoint[], x: number, y: number): number {
  if (q.length === 1) {
    const d = Math.hypot(q[0]!.x - x, q[0]!.y - y);
    return d < 10 ? d : Infinity;
  }
  if (q.length === 2) {
    const [a, b] = q as [ScreenPoint, ScreenPoint];
    const square = (b.x - a.x) ** 2 + (b.y - a.y) ** 2;
    const k = square ? Math.max(0, Math.min(1, ((x - a.x) * (b.x - a.x) + (y - a.y) * (b.y - a.y)) / square)) : 0;
    const d = Math.hypot(a.x + k * (b.x - a.x) - x, a.y + k * (b.y - a.y) - y);
    return d < 8 ? 20 + d : Infinity;
  }
  let inside = false;
  for (let i = 0, j = q.length - 1; i < q.length; j = i++) {
    const p = q[i]!,
      r = q[j]!;
    if (p.y > y !== r.y > y && x < ((r.x - p.x) * (y - p.y)) / (r.y - p.y) + p.x) inside = !inside;
  }
  return inside ? 100 - Math.max(...q.map((p) => p.depth)) * 0.01 : Infinity;
}
