/** The painter as the page knows it: it keeps what is shown and from where, and has a worker paint that. */
import { project, type ScreenPoint, type Size } from '@nagare/core/draw/camera';
import { depthRange } from '@nagare/core/draw/optics';
import { atomUnder, elementUnder } from '@nagare/core/draw/pick';
import {
  itemsOf,
  type AtomPrimitive,
  type Camera,
  type Layer,
  type LayerName,
  type Optics,
} from '@nagare/core/draw/scene';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { packLayer, transferred } from './packed-layers.ts';
import type { PaintNews, PaintOrder } from './paint-messages.ts';

type Taker = (blob: Blob | undefined) => void;

export class ScenePainter {
  readonly canvas = document.createElement('canvas');
  private readonly worker: Worker;
  private pixels: Size = { width: 1, height: 1 };
  private seenFrom: Camera = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [0, 0, 0], scale: 0.02 };
  private ground = '#ffffff';
  private shown: readonly Layer[] = [];
  private readonly numbers = new WeakMap<Layer, number>();
  private made = 0;
  private frame = 0;
  private moved = false;
  private painting: ((camera: Camera) => void) | undefined;
  private readonly pictures = new Map<number, Taker>();
  private requests = 0;

  /** `pixelRatio`: pixels of the picture for one of the page. `failed` is called where the worker finds no WebGL. Throws where the browser cannot paint in a worker. */
  constructor(failed: () => void, pixelRatio = Math.min(2, devicePixelRatio)) {
    const canvas = this.canvas.transferControlToOffscreen();
    this.worker = new Worker(new URL('./paint-worker.ts', import.meta.url), { type: 'module' });
    this.worker.addEventListener('message', ({ data }: MessageEvent<PaintNews>) => {
      if (data.kind === 'painted') this.afterOne(data.camera);
      else if (data.kind === 'failed') failed();
      else this.pictures.get(data.request)?.(data.blob);
    });
    this.tell({ kind: 'begin', canvas, pixelRatio }, [canvas]);
    this.canvas.dataset['waiting'] = 'yes';
  }

  private afterOne(camera: Camera): void {
    // The first painting may have been of nothing.
    if (this.shown.length) delete this.canvas.dataset['waiting'];
    this.painting?.(camera);
  }

  private tell(order: PaintOrder, transfer: Transferable[] = []): void {
    this.worker.postMessage(order, transfer);
  }

  get size(): Size {
    return this.pixels;
  }

  get camera(): Camera {
    return this.seenFrom;
  }

  get layers(): readonly Layer[] {
    return this.shown;
  }

  /** Draws from another point of view at the next frame. */
  lookFrom(camera: Camera): void {
    // Depth is shown as it was chosen, wherever one looks from.
    const { optics } = this.seenFrom;
    const { optics: _, ...place } = camera;
    this.seenFrom = { ...place, ...(optics ? { optics } : {}) };
    this.moved = true;
    this.invalidate();
  }

  /** How depth is shown; far things fade into the ground. */
  showDepth(optics: Optics, ground: string): void {
    this.seenFrom = { ...this.seenFrom, optics };
    this.ground = ground;
    this.invalidate();
  }

  /** Calls `then` after every painting with where it was seen from; undefined stops that. */
  afterPainting(then: ((camera: Camera) => void) | undefined): void {
    this.painting = then;
  }

  resize(width: number, height: number): void {
    this.pixels = { width: Math.max(1, width), height: Math.max(1, height) };
    this.tell({ kind: 'size', size: this.pixels });
    this.invalidate();
  }

  /** Replaces what is drawn; layers that are the same objects as before are not sent again. */
  show(layers: readonly Layer[]): void {
    const before = new Set(this.shown);
    this.shown = layers;
    const fresh = layers.filter((l) => !before.has(l));
    for (const l of fresh) this.numbers.set(l, this.made++);
    const sent = fresh.map((l) => [this.numbers.get(l)!, packLayer(l)] as const);
    this.tell(
      { kind: 'show', order: layers.map((l) => this.numbers.get(l)!), made: sent },
      sent.flatMap(([, l]) => transferred(l)),
    );
    this.invalidate();
  }

  /** Says at the next frame where one looks from, however often it changes until then. */
  private invalidate(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => this.sayLook());
  }

  private sayLook(): void {
    cancelAnimationFrame(this.frame);
    this.frame = 0;
    const { camera, ground, moved } = this;
    this.moved = false;
    const depth = camera.optics?.cue ? depthRange(this.shown, camera) : { near: 0, far: 0 };
    this.tell({ kind: 'look', look: { camera, ground, depth }, moved });
  }

  /** Screen position of a Cartesian point. */
  project(p: Vec3): ScreenPoint {
    return project(this.seenFrom, this.pixels, p);
  }

  /** The atom of a layer under a point of the canvas. */
  pick(x: number, y: number, name: LayerName = 'model'): AtomPrimitive | undefined {
    const visible = itemsOf(this.shown, 'atoms', name).filter((a) => a.opacity > 0);
    return atomUnder(visible, this.seenFrom, this.pixels, x, y);
  }

  /** The name of the symmetry element under a point of the canvas: centres first, then axes, then planes. */
  pickElement(x: number, y: number): string | undefined {
    return elementUnder(itemsOf(this.shown, 'symmetry elements'), (p) => this.project(p), x, y)?.name;
  }

  /** When the picture as it is asked for now has been painted. */
  painted(): Promise<void> {
    return new Promise((done) => {
      this.afterPainting((camera) => {
        // A painting that was under way before is not it.
        if (camera.scale !== this.seenFrom.scale || camera.rotation.some((x, i) => x !== this.seenFrom.rotation[i]))
          return;
        this.afterPainting(undefined);
        done();
      });
      this.invalidate();
    });
  }

  /** The picture as it is asked for now as a PNG on the ground given (clear without one), with the labels over it. Throws Error where the browser makes none. */
  async picture(ground: string | undefined, labels: HTMLCanvasElement | null): Promise<Blob> {
    const over = labels?.width ? await createImageBitmap(labels) : undefined;
    const request = this.requests++;
    // The frame that says where one looks from may still be to come.
    if (this.frame) this.sayLook();
    const blob = await new Promise<Blob | undefined>((take) => {
      this.pictures.set(request, take);
      this.tell(
        { kind: 'picture', request, ...(ground === undefined ? {} : { ground }), ...(over ? { labels: over } : {}) },
        over ? [over] : [],
      );
    });
    this.pictures.delete(request);
    if (!blob) throw new Error('This browser cannot make a picture of the scene.');
    return blob;
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    this.worker.terminate();
    for (const take of this.pictures.values()) take(undefined);
    this.canvas.remove();
  }
}
