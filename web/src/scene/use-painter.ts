/** The painter of one canvas: made with it, sized with its pane, gone with it. */
import { useCallback, useEffect, useState, type RefObject } from 'react';
import { USUAL_LIGHT, type Layer, type Scene } from '@nagare/core/draw/scene';
import { paintLabels } from './label-canvas.ts';
import { ScenePainter } from './painter.ts';

interface Canvases {
  readonly host: RefObject<HTMLDivElement | null>;
  readonly overlay: RefObject<HTMLCanvasElement | null>;
}

export interface PainterState {
  readonly painter: ScenePainter | undefined;
  /** Why there is no picture. */
  readonly failed: string | undefined;
}

const NO_WEBGL: PainterState = {
  painter: undefined,
  failed: 'This browser offers no WebGL, so the crystal cannot be drawn. Tables and files work all the same.',
};
const NONE: PainterState = { painter: undefined, failed: undefined };

/** `present` says whether the host is on the page. The painter brings its canvas: one can be given away only once. */
export function usePainter({ host, overlay }: Canvases, present: boolean): PainterState {
  const [state, setState] = useState(NONE);
  useEffect(() => {
    const place = host.current;
    if (!present || !place) return;
    let painter: ScenePainter;
    try {
      painter = new ScenePainter(() => setState(NO_WEBGL));
    } catch {
      setState(NO_WEBGL);
      return;
    }
    painter.canvas.dataset['testid'] = 'scene-canvas';
    place.prepend(painter.canvas);
    const watch = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      painter.resize(width, height);
      if (!overlay.current) return;
      overlay.current.width = width * devicePixelRatio;
      overlay.current.height = height * devicePixelRatio;
    });
    watch.observe(place);
    setState({ painter, failed: undefined });
    return () => {
      watch.disconnect();
      painter.dispose();
      setState(NONE);
    };
  }, [present, host, overlay]);
  return state;
}

/** Keeps what is drawn in step with the layers; the labels go over every painting. */
export function usePainted(
  painter: ScenePainter | undefined,
  overlay: RefObject<HTMLCanvasElement | null>,
  layers: readonly Layer[],
  ground: string,
): () => Scene | undefined {
  useEffect(() => {
    if (!painter) return;
    painter.show(layers);
    painter.afterPainting((camera) => {
      if (overlay.current) paintLabels(overlay.current, { ...sceneOf(painter, ground), camera }, painter.size);
    });
    return () => {
      painter.afterPainting(undefined);
    };
  }, [painter, overlay, layers, ground]);
  return useCallback(() => painter && sceneOf(painter, ground), [painter, ground]);
}

const sceneOf = (painter: ScenePainter, ground: string): Scene => ({
  layers: painter.layers,
  camera: painter.camera,
  light: USUAL_LIGHT,
  ground,
});
