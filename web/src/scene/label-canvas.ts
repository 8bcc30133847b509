/** Labels of a scene over its WebGL canvas, placed as in the vector file. */
import type { Size } from '@nagare/core/draw/camera';
import { placeLabels } from '@nagare/core/draw/labels';
import type { Scene } from '@nagare/core/draw/scene';
import { labelRequests } from '@nagare/core/draw/label-requests';

const HEIGHT = 13;

/** `ratio`: pixels of the canvas for one of the size. */
export function paintLabels(canvas: HTMLCanvasElement, scene: Scene, size: Size, ratio = devicePixelRatio): void {
  const pen = canvas.getContext('2d');
  if (!pen) return;
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, size.width, size.height);
  pen.font = '500 12px "IBM Plex Sans"';
  pen.textBaseline = 'middle';
  pen.lineWidth = 3;
  pen.lineJoin = 'round';
  const requests = labelRequests(scene, size);
  const colourOf = new Map(requests.map((r) => [r.text, r.colour]));
  for (const l of placeLabels(requests, (t) => pen.measureText(t).width, HEIGHT)) {
    pen.strokeStyle = scene.ground;
    pen.strokeText(l.text, l.x, l.y);
    pen.fillStyle = colourOf.get(l.text)!;
    pen.fillText(l.text, l.x, l.y);
  }
}
