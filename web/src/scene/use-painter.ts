/** The painter of one canvas: made with it, sized with its pane, gone with it. */
import { useCallback, useEffect, useState, type RefObject } from 'react';
import { USUAL_LIGHT, type Layer, type Scene } from '@nagare/core/draw/scene';
import { paintLabels } from './label-canvas.ts';
import { ScenePainter } from './painter.ts';

interface Canvases {
  readonly host: RefObject<HTMLDivElement | null>;
  readonly canvas: RefObject<HTMLCanvasElement | null>;
  readonly overlay: RefObject<HTMLCanvasElement | null>;
}

export interface PainterState {
  readonly painter: ScenePainter | undefined;
  /** Why there is no picture. */
  readonly failed: string | undefined;
}

/** `present` says whether the canvases are on the page. */
export function usePainter({ host, canvas, overlay }: Canvases, present: boolean): PainterState {
  const [state, setState] = useState<PainterState>({ painter: undefined, failed: undefined });
  useEffect(() => {
    if (!present || !canvas.current || !host.current) return;
    let painter: ScenePainter;
    try {
      painter = new ScenePainter(canvas.current);
    } catch {
      setState({
        painter: undefined,
        failed: 'This browser offers no WebGL, so the crystal cannot be drawn. Tables and files work all the same.',
      });
      return;
    }
    const watch = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      painter.resize(width, height);
      if (!overlay.current) return;
      overlay.current.width = width * devicePixelRatio;
      overlay.current.height = height * devicePixelRatio;
    });
    watch.observe(host.current);
    setState({ painter, failed: undefined });
    return () => {
      watch.disconnect();
      painter.dispose();
      setState({ painter: undefined, failed: undefined });
    };
  }, [present, host, canvas, overlay]);
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
    painter.afterPainting(() => {
      if (overlay.current) paintLabels(overlay.current, sceneOf(painter, ground), painter.size);
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
