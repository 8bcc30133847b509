/** Paints the crystal beside the page, so that a slow graphics card holds up the picture only. */
import { CanvasPainter } from './canvas-painter.ts';
import type { PaintNews, PaintOrder } from './paint-messages.ts';
import { unpackLayer, type PaintLayer } from './packed-layers.ts';

const page = self as unknown as {
  postMessage(news: PaintNews): void;
  onmessage: ((e: MessageEvent<PaintOrder>) => void) | null;
};

let painter: CanvasPainter | undefined;
const layers = new Map<number, PaintLayer>();

function begin(canvas: OffscreenCanvas, pixelRatio: number): void {
  try {
    painter = new CanvasPainter(canvas, pixelRatio, (camera) => page.postMessage({ kind: 'painted', camera }));
  } catch {
    page.postMessage({ kind: 'failed' });
  }
}

function show(order: readonly number[], made: Extract<PaintOrder, { kind: 'show' }>['made']): void {
  for (const [number, layer] of made) layers.set(number, unpackLayer(layer));
  for (const number of [...layers.keys()]) if (!order.includes(number)) layers.delete(number);
  painter?.show(order.map((number) => layers.get(number)!));
}

page.onmessage = ({ data }) => {
  switch (data.kind) {
    case 'begin':
      begin(data.canvas, data.pixelRatio);
      break;
    case 'show':
      show(data.order, data.made);
      break;
    case 'look':
      painter?.look(data.look, data.moved);
      break;
    case 'size':
      painter?.resize(data.size);
      break;
    case 'picture': {
      const { request } = data;
      const answer = (blob: Blob | undefined): void => page.postMessage({ kind: 'picture', request, blob });
      (painter?.picture(data.ground, data.labels) ?? Promise.reject(new Error())).then(answer, () => answer(undefined));
      break;
    }
  }
};
