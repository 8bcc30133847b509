/** Paints a core scene with three.js: instanced ellipsoids and bonds, lines, contour surfaces. Draws only when something changed. */
import {
  AmbientLight,
  BufferAttribute,
  BufferGeometry,
  Color,
  CylinderGeometry,
  DirectionalLight,
  DoubleSide,
  DynamicDrawUsage,
  Group,
  InstancedBufferAttribute,
  InstancedMesh,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  OrthographicCamera,
  Quaternion,
  Raycaster,
  Scene as ThreeScene,
  SphereGeometry,
  Vector2,
  Vector3,
  WebGLRenderer,
} from 'three';
import type { Scene } from '@nagare/core/draw/scene';
import type { Surface } from '@nagare/core/maps/isosurface';
import type { Vec3 } from '@nagare/core/math/matrix3';
import type { SymmetryElement } from '@nagare/core/symmetry/elements';
import { hatch } from './hatch.ts';
import { bondLimit } from '@nagare/core/geometry/bonds';

export interface SurfacePair {
  excess: Surface;
  deficit: Surface;
}

/** A point with a name that is drawn as a small cross-like mark and labelled: a residual maximum. */
export interface Marker {
  name: string;
  position: Vec3;
}

/** A symmetry element cut to one cell, Cartesian. */
export interface ElementPicture {
  element: SymmetryElement;
  points: readonly Vec3[];
  glide: Vec3;
  picked: boolean;
}

export interface ScreenPoint {
  x: number;
  y: number;
  depth: number;
}

const token = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

export class ScenePainter {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new ThreeScene();
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -500, 500);
  /** Turned by the person; everything lives in it. */
  private readonly turned = new Group();
  private readonly content = new Group();
  private readonly surfaces = new Group();
  private readonly ghost = new Group();
  private readonly elements = new Group();
  private shownElements: readonly ElementPicture[] = [];
  private ghostAtoms: InstancedMesh | undefined;
  private atoms: InstancedMesh | undefined;
  private shown: Scene | undefined;
  readonly rotation = new Quaternion();
  readonly pan = new Vector2();
  zoom = 1;
  private size = { width: 1, height: 1 };
  private pending = false;
  onPaint: (() => void) | undefined;

  constructor(canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    this.scene.add(new AmbientLight('#ffffff', 1.5));
    const key = new DirectionalLight('#ffffff', 2.1);
    key.position.set(-3, 5, 8);
    this.scene.add(key, this.turned);
    this.turned.add(this.content, this.surfaces, this.ghost, this.elements);
  }

  resize(width: number, height: number): void {
    this.size = { width: Math.max(1, width), height: Math.max(1, height) };
    this.renderer.setSize(this.size.width, this.size.height, false);
    this.invalidate();
  }

  /** Replaces what is drawn. */
  show(scene: Scene, selected: ReadonlySet<number>, markers: readonly Marker[], chosen: ReadonlySet<string>): void {
    this.shown = scene;
    this.clear(this.content);
    const fine = scene.atoms.length < 400;
    const sphere = new SphereGeometry(1, fine ? 32 : 14, fine ? 20 : 9);
    const material = new MeshStandardMaterial({ roughness: 0.55, metalness: 0.02 });
    // Principal ellipses: dark where a coordinate of the unit sphere vanishes, only on real ellipsoids (flag in the alpha of an attribute).
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
          '#include <color_fragment>\nvec3 ring = abs(unitPoint);\nfloat nearest = min(ring.x, min(ring.y, ring.z));\nfloat bright = dot(diffuseColor.rgb, vec3(0.3, 0.6, 0.1));\nvec3 ringColour = bright < 0.3 ? vec3(0.85, 0.84, 0.8) : vec3(0.05, 0.06, 0.08);\ndiffuseColor.rgb = mix(diffuseColor.rgb, ringColour, hasRings * (1.0 - smoothstep(0.035, 0.06, nearest)));',
        );
    };
    const n = scene.atoms.length;
    const atoms = new InstancedMesh(sphere, material, n);
    atoms.instanceMatrix.setUsage(DynamicDrawUsage);
    const ringed = new Float32Array(n);
    const m = new Matrix4(),
      color = new Color();
    const water = new Color(token('--water') || '#2B7F8C');
    scene.atoms.forEach((a, i) => {
      const [x, y, z] = a.axes;
      const p = a.position;
      // A left-handed set of axes would turn the sphere inside out.
      const det =
        x[0] * (y[1] * z[2] - y[2] * z[1]) - x[1] * (y[0] * z[2] - y[2] * z[0]) + x[2] * (y[0] * z[1] - y[1] * z[0]);
      const f = det < 0 ? -1 : 1;
      m.set(x[0], y[0], f * z[0], p[0], x[1], y[1], f * z[1], p[1], x[2], y[2], f * z[2], p[2], 0, 0, 0, 1);
      atoms.setMatrixAt(i, m);
      color.set(a.impossible ? token('--vermilion') : a.colour);
      if (!a.original) color.lerp(new Color('#ffffff'), 0.28);
      if (a.lesser) color.lerp(new Color(token('--scene') || '#fbfaf6'), 0.42);
      atoms.setColorAt(i, color);
      ringed[i] = a.ellipsoid ? 1 : 0;
    });
    sphere.setAttribute('ringed', new InstancedBufferAttribute(ringed, 1));
    this.atoms = atoms;
    this.content.add(atoms);
    if (selected.size) {
      const halo = new InstancedMesh(
        new SphereGeometry(1, 24, 16),
        new MeshBasicMaterial({ color: water, transparent: true, opacity: 0.32, depthWrite: false }),
        selected.size,
      );
      let at = 0;
      for (const i of selected) {
        const a = scene.atoms[i];
        if (!a) continue;
        const r = Math.max(...a.axes.map((v) => Math.hypot(...v))) + 0.16;
        halo.setMatrixAt(at++, m.makeScale(r, r, r).setPosition(a.position[0], a.position[1], a.position[2]));
      }
      halo.count = at;
      this.content.add(halo);
    }
    this.addBonds(scene);
    this.addLines(scene);
    if (markers.length) {
      const points = new InstancedMesh(
        new SphereGeometry(0.11, 10, 8),
        new MeshBasicMaterial({ wireframe: true }),
        markers.length,
      );
      markers.forEach((p, i) => {
        const r = chosen.has(p.name) ? 2 : 1;
        points.setMatrixAt(i, m.makeScale(r, r, r).setPosition(p.position[0], p.position[1], p.position[2]));
        points.setColorAt(i, color.set(chosen.has(p.name) ? token('--gold') : token('--water')));
      });
      this.content.add(points);
    }
    this.content.position.set(-scene.centre[0], -scene.centre[1], -scene.centre[2]);
    this.surfaces.position.copy(this.content.position);
    this.ghost.position.copy(this.content.position);
    this.elements.position.copy(this.content.position);
    this.invalidate();
  }

  private addBonds(scene: Scene): void {
    const stick = new CylinderGeometry(1, 1, 1, scene.bonds.length < 800 ? 12 : 6, 1, true);
    const mesh = new InstancedMesh(stick, new MeshStandardMaterial({ roughness: 0.7 }), scene.bonds.length * 2);
    const m = new Matrix4(),
      q = new Quaternion(),
      up = new Vector3(0, 1, 0),
      color = new Color();
    scene.bonds.forEach((b, i) => {
      const p = new Vector3(...scene.atoms[b.from]!.position),
        r = new Vector3(...scene.atoms[b.to]!.position);
      const middle = p.clone().add(r).multiplyScalar(0.5);
      [
        [p, middle, b.from],
        [middle, r, b.to],
      ].forEach(([u, v, atom], half) => {
        const from = u as Vector3,
          to = v as Vector3;
        const d = to.clone().sub(from),
          length = d.length();
        q.setFromUnitVectors(up, d.normalize());
        m.compose(from.clone().add(to).multiplyScalar(0.5), q, new Vector3(b.radius, length, b.radius));
        mesh.setMatrixAt(2 * i + half, m);
        color.set(scene.atoms[atom as number]!.colour).lerp(new Color('#ffffff'), 0.25);
        mesh.setColorAt(2 * i + half, color);
      });
    });
    this.content.add(mesh);
  }

  private addLines(scene: Scene): void {
    for (const [kind, colour] of [
      ['a', token('--vermilion')],
      ['b', token('--pine')],
      ['c', token('--indigo')],
      ['edge', token('--soft')],
    ] as const) {
      const lines = scene.lines.filter((l) => l.kind === kind);
      if (!lines.length) continue;
      const g = new BufferGeometry();
      g.setAttribute('position', new BufferAttribute(Float32Array.from(lines.flatMap((l) => [...l.from, ...l.to])), 3));
      this.content.add(
        new LineSegments(
          g,
          new LineBasicMaterial({ color: colour || '#888', transparent: true, opacity: kind === 'edge' ? 0.45 : 1 }),
        ),
      );
    }
  }

  /** Residual density: excess in water, deficit in vermilion. */
  showSurfaces(pair: SurfacePair | undefined): void {
    this.clear(this.surfaces);
    if (pair)
      for (const [surface, colour] of [
        [pair.excess, token('--water')],
        [pair.deficit, token('--vermilion')],
      ] as const) {
        if (!surface.indices.length) continue;
        const g = new BufferGeometry();
        g.setAttribute('position', new BufferAttribute(surface.positions, 3));
        g.setIndex(new BufferAttribute(surface.indices, 1));
        g.computeVertexNormals();
        this.surfaces.add(
          new Mesh(
            g,
            new MeshStandardMaterial({
              color: colour,
              transparent: true,
              opacity: 0.38,
              side: DoubleSide,
              depthWrite: false,
              roughness: 0.6,
            }),
          ),
          new Mesh(g, new MeshBasicMaterial({ color: colour, wireframe: true, transparent: true, opacity: 0.22 })),
        );
      }
    this.invalidate();
  }

  /** Draws atoms that are not the model's: translucent balls and thin sticks in one colour. */
  showGhost(
    ghost:
      | { positions: readonly Vec3[]; elements: readonly string[]; groups?: readonly string[]; colour: string }
      | undefined,
  ): void {
    this.clear(this.ghost);
    this.ghostAtoms = undefined;
    if (ghost?.positions.length) {
      const m = new Matrix4(),
        q = new Quaternion(),
        up = new Vector3(0, 1, 0);
      const skin = new MeshStandardMaterial({ color: ghost.colour, transparent: true, opacity: 0.72, roughness: 0.5 });
      const balls = new InstancedMesh(new SphereGeometry(1, 20, 14), skin, ghost.positions.length);
      ghost.positions.forEach((p, i) => {
        const r = ghost.elements[i] === 'H' ? 0.13 : 0.21;
        balls.setMatrixAt(i, m.makeScale(r, r, r).setPosition(p[0], p[1], p[2]));
      });
      this.ghostAtoms = balls;
      this.ghost.add(balls);
      const pairs: [Vector3, Vector3][] = [];
      for (let i = 0; i < ghost.positions.length; i++)
        for (let j = 0; j < i; j++) {
          if (ghost.groups?.[i] && ghost.groups[j] && ghost.groups[i] !== ghost.groups[j]) continue;
          const limit = bondLimit(ghost.elements[i]!, ghost.elements[j]!);
          const a = new Vector3(...ghost.positions[i]!),
            b = new Vector3(...ghost.positions[j]!);
          const d = a.distanceTo(b);
          if (d < limit && d > 0.5) pairs.push([a, b]);
        }
      const sticks = new InstancedMesh(new CylinderGeometry(1, 1, 1, 8, 1, true), skin, pairs.length);
      pairs.forEach(([a, b], i) => {
        const d = b.clone().sub(a),
          length = d.length();
        m.compose(
          a.clone().add(b).multiplyScalar(0.5),
          q.setFromUnitVectors(up, d.normalize()),
          new Vector3(0.05, length, 0.05),
        );
        sticks.setMatrixAt(i, m);
      });
      this.ghost.add(sticks);
    }
    this.ghost.position.copy(this.content.position);
    this.invalidate();
  }

  /** Symmetry elements: planes hatched (full lines mirror, broken ones glide, an arrow along the glide), axes as rods, centres as small diamonds. */
  showElements(list: readonly ElementPicture[]): void {
    this.clear(this.elements);
    this.shownElements = list;
    const plane = token('--indigo'),
      axis = token('--gold'),
      centre = token('--vermilion'),
      chosen = token('--water');
    for (const e of list) {
      const colour = e.picked
        ? chosen
        : e.element.plane
          ? plane
          : e.element.kind === 'inversion centre'
            ? centre
            : axis;
      if (e.element.plane) {
        const lines = hatch(e.points, e.element.kind === 'glide plane' ? 'broken' : 'full', e.glide);
        const g = new BufferGeometry();
        g.setAttribute('position', new BufferAttribute(lines, 3));
        this.elements.add(
          new LineSegments(
            g,
            new LineBasicMaterial({ color: colour, transparent: true, opacity: e.picked ? 0.95 : 0.5 }),
          ),
        );
        const corners = e.points
          .slice(1, -1)
          .flatMap((_, i) => [e.points[0]!, e.points[i + 1]!, e.points[i + 2]!])
          .flat();
        const face = new BufferGeometry();
        face.setAttribute('position', new BufferAttribute(Float32Array.from(corners), 3));
        this.elements.add(
          new Mesh(
            face,
            new MeshBasicMaterial({
              color: colour,
              transparent: true,
              opacity: e.picked ? 0.16 : 0.06,
              side: DoubleSide,
              depthWrite: false,
            }),
          ),
        );
      } else if (e.points.length === 2) {
        const a = new Vector3(...e.points[0]!),
          b = new Vector3(...e.points[1]!);
        const d = b.clone().sub(a),
          length = d.length();
        const rod = new Mesh(
          new CylinderGeometry(e.picked ? 0.07 : 0.045, e.picked ? 0.07 : 0.045, length, 8),
          new MeshBasicMaterial({ color: colour, transparent: true, opacity: 0.85 }),
        );
        rod.position.copy(a.add(b).multiplyScalar(0.5));
        rod.quaternion.setFromUnitVectors(new Vector3(0, 1, 0), d.normalize());
        this.elements.add(rod);
      } else {
        const mark = new Mesh(
          new SphereGeometry(e.picked ? 0.2 : 0.14, 4, 2),
          new MeshBasicMaterial({ color: colour }),
        );
        mark.position.set(...(e.points[0] as [number, number, number]));
        this.elements.add(mark);
      }
    }
    this.elements.position.copy(this.content.position);
    this.invalidate();
  }

  /** The element under a point of the canvas: centres first, then axes, then planes. */
  pickElement(x: number, y: number): SymmetryElement | undefined {
    let best: { element: SymmetryElement; cost: number } | undefined;
    for (const e of this.shownElements) {
      const q = e.points.map((p) => this.project(p));
      let cost = Infinity;
      if (q.length === 1) {
        const d = Math.hypot(q[0]!.x - x, q[0]!.y - y);
        if (d < 10) cost = d;
      } else if (q.length === 2) {
        const [a, b] = q as [ScreenPoint, ScreenPoint];
        const l2 = (b.x - a.x) ** 2 + (b.y - a.y) ** 2;
        const k = l2 ? Math.max(0, Math.min(1, ((x - a.x) * (b.x - a.x) + (y - a.y) * (b.y - a.y)) / l2)) : 0;
        const d = Math.hypot(a.x + k * (b.x - a.x) - x, a.y + k * (b.y - a.y) - y);
        if (d < 8) cost = 20 + d;
      } else {
        let inside = false;
        for (let i = 0, j = q.length - 1; i < q.length; j = i++)
          if (q[i]!.y > y !== q[j]!.y > y && x < ((q[j]!.x - q[i]!.x) * (y - q[i]!.y)) / (q[j]!.y - q[i]!.y) + q[i]!.x)
            inside = !inside;
        if (inside) cost = 100 - Math.max(...q.map((p) => p.depth)) * 0.01;
      }
      if (cost < (best?.cost ?? Infinity)) best = { element: e.element, cost };
    }
    return best?.element;
  }

  /** Whether a ghost atom lies under a point of the canvas. */
  pickGhost(x: number, y: number): boolean {
    return !!this.ghostAtoms && this.hit(this.ghostAtoms, x, y) >= 0;
  }

  /** Cartesian vector of a move across the screen (pixels). */
  screenShift(dx: number, dy: number): Vec3 {
    const k = this.unitsPerPixel;
    const v = new Vector3(dx * k, -dy * k, 0).applyQuaternion(this.rotation.clone().invert());
    return [v.x, v.y, v.z];
  }

  /** Cartesian directions of the screen: to the right, up, towards the viewer. */
  screenAxes(): [Vec3, Vec3, Vec3] {
    const back = this.rotation.clone().invert();
    return (
      [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ] as const
    ).map((a) => {
      const v = new Vector3(...a).applyQuaternion(back);
      return [v.x, v.y, v.z] as Vec3;
    }) as [Vec3, Vec3, Vec3];
  }

  private clear(group: Group): void {
    for (const child of [...group.children]) {
      group.remove(child);
      const mesh = child as Mesh;
      mesh.geometry?.dispose();
      // Materials stay: with the last of a kind its compiled program would go, and compiling again stops the page.
    }
  }

  /** Turns by screen angles (radians) about the vertical and horizontal axes, and about the line of sight. */
  orbit(dx: number, dy: number, roll = 0): void {
    const q = new Quaternion()
      .setFromAxisAngle(new Vector3(0, 1, 0), dx)
      .multiply(new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), dy))
      .multiply(new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), roll));
    this.rotation.premultiply(q).normalize();
    this.invalidate();
  }

  /** Looks along a direction (Cartesian), another pointing up. */
  lookAlong(direction: Vec3, up: Vec3): void {
    const z = new Vector3(...direction).normalize();
    const y = new Vector3(...up).addScaledVector(z, -new Vector3(...up).dot(z)).normalize();
    const x = y.clone().cross(z);
    this.rotation.setFromRotationMatrix(new Matrix4().makeBasis(x, y, z).transpose());
    this.invalidate();
  }

  /** Fills the pane with what is drawn, as seen from where the viewer stands; the cell counts when its contents are shown. */
  fit(): void {
    const scene = this.shown;
    if (!scene) return;
    const whole = scene.atoms.some((a) => !a.original) || this.shownElements.length > 0;
    const points = [
      ...scene.atoms.map((a) => a.position),
      ...(whole || !scene.atoms.length ? scene.lines.flatMap((l) => [l.from, l.to]) : []),
    ];
    const v = new Vector3();
    let left = Infinity,
      right = -Infinity,
      top = -Infinity,
      bottom = Infinity;
    for (const p of points) {
      v.set(p[0] - scene.centre[0], p[1] - scene.centre[1], p[2] - scene.centre[2]).applyQuaternion(this.rotation);
      left = Math.min(left, v.x);
      right = Math.max(right, v.x);
      top = Math.max(top, v.y);
      bottom = Math.min(bottom, v.y);
    }
    // Room for the radii, the labels, and the tools along the lower edge.
    const { width, height } = this.size;
    const usable = { w: Math.max(80, width - 60), h: Math.max(80, height - 110) };
    const k = Math.max((right - left + 1.4) / usable.w, (top - bottom + 1.4) / usable.h);
    this.zoom = (2 * scene.radius) / Math.min(width, height) / k;
    this.pan.set(-(left + right) / 2 / k, (top + bottom) / 2 / k - 22);
    this.invalidate();
  }

  invalidate(): void {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.paint();
    });
  }

  private get unitsPerPixel(): number {
    const radius = this.shown?.radius ?? 5;
    return (2 * radius) / Math.min(this.size.width, this.size.height) / this.zoom;
  }

  private paint(): void {
    const { width, height } = this.size;
    const k = this.unitsPerPixel;
    Object.assign(this.camera, {
      left: (-width / 2) * k,
      right: (width / 2) * k,
      top: (height / 2) * k,
      bottom: (-height / 2) * k,
    });
    this.camera.position.set(-this.pan.x * k, this.pan.y * k, 0);
    this.camera.updateProjectionMatrix();
    this.turned.quaternion.copy(this.rotation);
    this.turned.updateMatrixWorld(true);
    this.renderer.render(this.scene, this.camera);
    this.onPaint?.();
  }

  get pixelsPerAngstrom(): number {
    return 1 / this.unitsPerPixel;
  }

  /** Screen position of a Cartesian point. */
  project(p: Vec3): ScreenPoint {
    const centre = this.shown?.centre ?? [0, 0, 0];
    const v = new Vector3(p[0] - centre[0], p[1] - centre[1], p[2] - centre[2]).applyQuaternion(this.rotation);
    const k = this.unitsPerPixel;
    return {
      x: this.size.width / 2 + v.x / k + this.pan.x,
      y: this.size.height / 2 - v.y / k + this.pan.y,
      depth: v.z,
    };
  }

  /** Index of the atom under a point of the canvas, or −1. */
  pick(x: number, y: number): number {
    return this.atoms ? this.hit(this.atoms, x, y) : -1;
  }

  private hit(mesh: InstancedMesh, x: number, y: number): number {
    const ray = new Raycaster();
    ray.setFromCamera(new Vector2((2 * x) / this.size.width - 1, 1 - (2 * y) / this.size.height), this.camera);
    // An orthographic ray starts at the near plane, which lies behind the scene here.
    ray.ray.origin.addScaledVector(ray.ray.direction, -600);
    mesh.computeBoundingSphere();
    return ray.intersectObject(mesh, false)[0]?.instanceId ?? -1;
  }

  dispose(): void {
    this.clear(this.content);
    this.clear(this.surfaces);
    this.clear(this.ghost);
    this.clear(this.elements);
    this.renderer.dispose();
  }
}
