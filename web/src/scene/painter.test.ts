import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { AtomPrimitive, Layer } from '@nagare/core/draw/scene';
import { ScenePainter } from './painter.ts';
import type { PaintNews, PaintOrder } from './paint-messages.ts';

/** A worker that writes down what it is told. */
class FakeWorker {
  static last: FakeWorker;
  readonly orders: PaintOrder[] = [];
  private heard: ((e: { data: PaintNews }) => void) | undefined;
  ended = false;
  constructor() {
    FakeWorker.last = this;
  }
  addEventListener(_: string, heard: (e: { data: PaintNews }) => void): void {
    this.heard = heard;
  }
  postMessage(order: PaintOrder): void {
    this.orders.push(order);
  }
  terminate(): void {
    this.ended = true;
  }
  say(data: PaintNews): void {
    this.heard?.({ data });
  }
  of<K extends PaintOrder['kind']>(kind: K): Extract<PaintOrder, { kind: K }>[] {
    return this.orders.filter((o) => o.kind === kind) as never;
  }
}

let frames: (() => void)[] = [];
const nextFrame = (): void => {
  const now = frames;
  frames = [];
  now.forEach((f) => f());
};

beforeEach(() => {
  frames = [];
  vi.stubGlobal('Worker', FakeWorker);
  vi.stubGlobal('devicePixelRatio', 1.5);
  vi.stubGlobal('document', {
    createElement: () => ({ transferControlToOffscreen: () => ({}), remove: () => undefined, dataset: {} }),
  });
  vi.stubGlobal('requestAnimationFrame', (f: () => void) => frames.push(f));
  vi.stubGlobal('cancelAnimationFrame', () => (frames = []));
});
afterEach(() => vi.unstubAllGlobals());

const atom = (x: number, more: Partial<AtomPrimitive> = {}): AtomPrimitive => ({
  ref: { site: `s${x}`, operator: 0, shift: [0, 0, 0] },
  position: [x, 0, 0],
  element: 'C',
  label: `C${x}`,
  colour: '#204060',
  axes: [
    [0.4, 0, 0],
    [0, 0.4, 0],
    [0, 0, 0.4],
  ],
  shape: 'sphere',
  opacity: 1,
  ...more,
});
const layer = (...items: AtomPrimitive[]): Layer => ({ kind: 'atoms', name: 'model', items });

describe('the painter of the page', () => {
  it('hands a layer over once, however often it is shown, and names it afterwards', () => {
    const painter = new ScenePainter(() => undefined);
    const [a, b, c] = [layer(atom(1)), layer(atom(2)), layer(atom(3))];
    painter.show([a, b]);
    painter.show([b, c]);
    painter.show([a, b]);
    const shows = FakeWorker.last.of('show');
    expect(shows.map((o) => o.made.length)).toEqual([2, 1, 1]);
    const [first, second, third] = shows.map((o) => o.order);
    expect(second![0]).toBe(first![1]);
    // What was gone and comes back is a new one to the worker, which has forgotten it.
    expect(third![0]).not.toBe(first![0]);
    expect(third![1]).toBe(first![1]);
    expect(painter.layers).toEqual([a, b]);
  });

  it('says once a frame from where one looks', () => {
    const painter = new ScenePainter(() => undefined);
    for (let k = 1; k <= 5; k++) painter.lookFrom({ ...painter.camera, scale: k });
    expect(FakeWorker.last.of('look')).toEqual([]);
    nextFrame();
    const [only, ...others] = FakeWorker.last.of('look');
    expect(others).toEqual([]);
    expect(only).toMatchObject({ moved: true, look: { camera: { scale: 5 } } });
    painter.showDepth({ fieldOfView: 0, cue: 0.5 }, '#fdfcf8');
    nextFrame();
    expect(FakeWorker.last.of('look')[1]).toMatchObject({ moved: false, look: { ground: '#fdfcf8' } });
    // Depth is shown as it was chosen, wherever one looks from.
    painter.lookFrom({ rotation: painter.camera.rotation, target: [1, 1, 1], scale: 0.1 });
    expect(painter.camera.optics).toEqual({ fieldOfView: 0, cue: 0.5 });
  });

  it('tells how deep the picture is only where far things fade', () => {
    const painter = new ScenePainter(() => undefined);
    painter.show([layer(atom(0, { position: [0, 0, 3] }), atom(1, { position: [0, 0, -5] }))]);
    nextFrame();
    expect(FakeWorker.last.of('look')[0]!.look.depth).toEqual({ near: 0, far: 0 });
    painter.showDepth({ fieldOfView: 0, cue: 0.4 }, '#ffffff');
    nextFrame();
    expect(FakeWorker.last.of('look')[1]!.look.depth).toEqual({ near: 3, far: -5 });
  });

  it('finds the atom under the pointer without asking the worker, and none that is not seen', () => {
    const painter = new ScenePainter(() => undefined);
    painter.resize(400, 300);
    painter.lookFrom({ ...painter.camera, scale: 0.05 });
    painter.show([layer(atom(0), atom(4, { opacity: 0 }))]);
    const at = painter.project([0, 0, 0]);
    expect([at.x, at.y]).toEqual([200, 150]);
    expect(painter.pick(200, 150)?.label).toBe('C0');
    const unseen = painter.project([4, 0, 0]);
    expect(painter.pick(unseen.x, unseen.y)).toBeUndefined();
  });

  it('passes on what the worker tells: a painting, a picture, and that there is no WebGL', async () => {
    const failed = vi.fn();
    const painter = new ScenePainter(failed);
    const seen = vi.fn();
    painter.afterPainting(seen);
    FakeWorker.last.say({ kind: 'painted', camera: painter.camera });
    expect(seen).toHaveBeenCalledWith(painter.camera);
    painter.afterPainting(undefined);
    FakeWorker.last.say({ kind: 'painted', camera: painter.camera });
    expect(seen).toHaveBeenCalledTimes(1);
    FakeWorker.last.say({ kind: 'failed' });
    expect(failed).toHaveBeenCalledTimes(1);
    const picture = painter.picture('#ffffff', null);
    await Promise.resolve();
    const { request } = FakeWorker.last.of('picture')[0]!;
    FakeWorker.last.say({ kind: 'picture', request, blob: new Blob(['x']) });
    expect((await picture).size).toBe(1);
  });

  it('waits until something has been painted, which nothing is not', () => {
    const painter = new ScenePainter(() => undefined);
    expect(painter.canvas.dataset['waiting']).toBeDefined();
    FakeWorker.last.say({ kind: 'painted', camera: painter.camera });
    expect(painter.canvas.dataset['waiting']).toBeDefined();
    painter.show([layer(atom(0))]);
    FakeWorker.last.say({ kind: 'painted', camera: painter.camera });
    expect(painter.canvas.dataset['waiting']).toBeUndefined();
  });

  it('gives up pictures that are waited for when it goes', async () => {
    const painter = new ScenePainter(() => undefined);
    const picture = painter.picture('#ffffff', null);
    await Promise.resolve();
    painter.dispose();
    await expect(picture).rejects.toThrow(/cannot make a picture/);
    expect(FakeWorker.last.ended).toBe(true);
  });
});
