/** Paints the layers of a core scene with three.js, and nothing else. Draws only when something changed. */
import {
  AmbientLight,
  DirectionalLight,
  Fog,
  Group,
  Matrix4,
  OrthographicCamera,
  PerspectiveCamera,
  Quaternion,
  Scene as ThreeScene,
  Vector3,
  WebGLRenderer,
  type Mesh,
} from 'three';
import type { Size } from '@nagare/core/draw/camera';
import { eyeDistance } from '@nagare/core/draw/optics';
import { USUAL_LIGHT, type Camera } from '@nagare/core/draw/scene';
import { LayerBuilder, type PaintedLayer } from './layer-builder.ts';
import { Materials } from './materials.ts';
import type { PaintLayer } from './packed-layers.ts';
import type { Look } from './paint-messages.ts';

/** ms without a change of view after which a crowd of atoms is painted finely again. */
const AT_REST = 180;

export class CanvasPainter {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new ThreeScene();
  private readonly parallel = new OrthographicCamera(-1, 1, 1, -1, -500, 500);
  private readonly perspective = new PerspectiveCamera();
  /** The light goes with the viewer. */
  private readonly lamp = new Group();
  private readonly materials = new Materials();
  private readonly builder = new LayerBuilder(this.materials);
  private painted: PaintedLayer[] = [];
  private pending = false;
  private size: Size = { width: 1, height: 1 };
  private seen: Look = {
    camera: { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [0, 0, 0], scale: 0.02 },
    ground: '#ffffff',
    depth: { near: 0, far: 0 },
  };
  private lastMoved = -Infinity;
  private resting: ReturnType<typeof setTimeout> | undefined;

  /** `then` is called after every painting with where it was seen from. Throws where there is no WebGL. */
  constructor(
    private readonly canvas: OffscreenCanvas,
    pixelRatio: number,
    private readonly then: (camera: Camera) => void,
  ) {
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.renderer.debug.checkShaderErrors = false;
    this.renderer.setPixelRatio(pixelRatio);
    const key = new DirectionalLight('#ffffff', 2.1);
    key.position.set(...USUAL_LIGHT.direction);
    this.lamp.add(key, key.target);
    this.scene.add(new AmbientLight('#ffffff', 1.5), this.lamp);
  }

  look(look: Look, moved: boolean): void {
    this.seen = look;
    if (moved) this.lastMoved = performance.now();
    this.invalidate();
  }

  resize(size: Size): void {
    this.size = size;
    this.renderer.setSize(size.width, size.height, false);
    this.invalidate();
  }

  /** Replaces what is drawn; layers that are the same objects as before are left as they are. */
  show(layers: readonly PaintLayer[]): void {
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

  private remove({ group, refinable }: PaintedLayer): void {
    this.scene.remove(group);
    group.traverse((child) => (child as Mesh).geometry?.dispose());
    for (const { fine, plain } of refinable) {
      fine.dispose();
      plain.dispose();
    }
  }

  private invalidate(): void {
    if (this.pending) return;
    this.pending = true;
    requestAnimationFrame(() => {
      this.pending = false;
      this.paint();
      this.then(this.seen.camera);
    });
  }

  /** Plainer shapes of a crowd while the view changes; they are painted finely once it rests. */
  private chooseShapes(): void {
    const refinable = this.painted.flatMap((p) => p.refinable);
    const moving = performance.now() - this.lastMoved < AT_REST;
    for (const { mesh, fine, plain } of refinable) mesh.geometry = moving ? plain : fine;
    clearTimeout(this.resting);
    if (moving && refinable.length) this.resting = setTimeout(() => this.invalidate(), AT_REST);
  }

  private paint(): void {
    const { camera } = this.seen;
    const { rotation: r, target } = camera;
    const eye = this.eyeNow();
    const turned = new Quaternion().setFromRotationMatrix(
      new Matrix4().makeBasis(
        new Vector3(r[0], r[1], r[2]),
        new Vector3(r[3], r[4], r[5]),
        new Vector3(r[6], r[7], r[8]),
      ),
    );
    const far = eyeDistance(this.seen.camera, this.size);
    const back = far === Infinity ? 0 : far;
    eye.position.set(target[0] + r[6] * back, target[1] + r[7] * back, target[2] + r[8] * back);
    eye.quaternion.copy(turned);
    this.lamp.position.set(...target);
    this.lamp.quaternion.copy(turned);
    this.scene.fog = this.fogAt(back);
    eye.updateProjectionMatrix();
    eye.updateMatrixWorld(true);
    this.chooseShapes();
    this.renderer.render(this.scene, eye);
  }

  /** The camera of the projection that is chosen, its frustum set. */
  private eyeNow(): OrthographicCamera | PerspectiveCamera {
    const { width, height } = this.size;
    const { scale, optics } = this.seen.camera;
    const front = optics?.front ?? 500,
      back = optics?.back ?? 500;
    const far = eyeDistance(this.seen.camera, this.size);
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
    const { camera, ground, depth } = this.seen;
    const cue = camera.optics?.cue ?? 0;
    if (!cue) return null;
    const span = Math.max(1, depth.near - depth.far);
    return new Fog(ground, eyeBehind - depth.near, eyeBehind - depth.near + span / cue);
  }

  /** What is on the canvas as a PNG on the ground given (clear without one), with the labels over it. Throws Error where the browser makes none. */
  async picture(ground: string | undefined, labels: ImageBitmap | undefined): Promise<Blob> {
    this.lastMoved = -Infinity;
    this.paint();
    const { width, height } = this.canvas;
    const out = new OffscreenCanvas(width, height);
    const pen = out.getContext('2d');
    if (!pen) throw new Error('There is no two-dimensional canvas.');
    if (ground !== undefined) {
      pen.fillStyle = ground;
      pen.fillRect(0, 0, width, height);
    }
    pen.drawImage(this.canvas, 0, 0);
    if (labels) pen.drawImage(labels, 0, 0, width, height);
    return out.convertToBlob({ type: 'image/png' });
  }
}
