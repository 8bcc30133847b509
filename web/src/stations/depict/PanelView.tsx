/** One panel of a figure on the table: painted as it will be in the file, turned by hand. */
import { useEffect, useMemo, useRef, type ReactNode } from 'react';
import { PIXELS_PER_MM, type Figure, type PanelView as View } from '@nagare/core/depict/figure';
import { cameraOfView, fittedView, viewOfCamera, type PanelScene } from '@nagare/core/depict/panel-scene';
import { figureColours } from '@nagare/core/depict/drawing-wish';
import { selectionLayers } from '@nagare/core/draw/extra-layers';
import { enlargedScene } from '@nagare/core/draw/ray-trace';
import { itemsOf, USUAL_LIGHT, type Camera, type Layer } from '@nagare/core/draw/scene';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { ScenePainter } from '../../scene/painter.ts';
import { usePainter } from '../../scene/use-painter.ts';

/** What the stage may ask of a panel. */
export interface PanelHands {
  readonly painter: ScenePainter;
  readonly scene: PanelScene;
  /** Where it is seen from at this moment, while it is turned too. */
  view(): View;
  look(view: View): void;
}

interface PanelViewProps {
  readonly figure: Figure;
  readonly scene: PanelScene;
  /** Pixels of the screen for one of the page. */
  readonly zoom: number;
  readonly isActive: boolean;
  readonly selection: readonly AtomRef[];
  /** Lends the panel's hands to the stage; undefined when it goes. */
  onHands(id: string, hands: PanelHands | undefined): void;
  /** The view that a new panel was fitted to. */
  onFitted(id: string, view: View): void;
  onPainted(): void;
}

const cameraAt = (figure: Figure, view: View, zoom: number): Camera => {
  const camera = cameraOfView(view, figure.optics);
  return { ...camera, scale: camera.scale / zoom };
};

/** Lines and edges as wide as they are on the page. */
const enlarged = (layers: readonly Layer[], zoom: number): readonly Layer[] =>
  enlargedScene(
    {
      layers,
      camera: { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1], target: [0, 0, 0], scale: 1 },
      light: USUAL_LIGHT,
      ground: '#ffffff',
    },
    zoom,
  ).layers;

export function PanelView(props: PanelViewProps): ReactNode {
  const { figure, scene, zoom, isActive, selection, onHands, onFitted, onPainted } = props;
  const { panel, structure, layers } = scene;
  const host = useRef<HTMLDivElement>(null);
  const noLabels = useRef<HTMLCanvasElement>(null);
  const { painter, failed } = usePainter({ host, overlay: noLabels }, true);
  const shown = useMemo(() => enlarged(layers, zoom), [layers, zoom]);
  const halos = useMemo(() => {
    const atoms = itemsOf(layers, 'atoms', 'model');
    return selectionLayers(structure, atoms, selection, figureColours(figure)).filter((l) => l.kind === 'halos');
  }, [structure, layers, selection, figure]);
  useEffect(() => {
    painter?.show([...shown, ...halos]);
  }, [painter, shown, halos]);
  useEffect(() => painter?.showDepth(figure.optics, figure.ground), [painter, figure.optics, figure.ground]);
  const { view, box } = panel;
  useEffect(() => {
    if (!painter) return;
    if (view.scale > 0) painter.lookFrom(cameraAt(figure, view, zoom));
    else onFitted(panel.id, fittedView(layers, view.rotation, box));
  }, [painter, figure, view, zoom, layers, panel.id, box, onFitted]);
  useEffect(() => {
    if (!painter) return;
    painter.afterPainting(onPainted);
    const hands: PanelHands = {
      painter,
      scene,
      view: () => viewOfCamera({ ...painter.camera, scale: painter.camera.scale * zoom }),
      look: (to) => painter.lookFrom(cameraAt(figure, to, zoom)),
    };
    onHands(panel.id, hands);
    return () => {
      painter.afterPainting(undefined);
      onHands(panel.id, undefined);
    };
  }, [painter, scene, zoom, figure, panel.id, onHands, onPainted]);
  const px = (mm: number): number => mm * PIXELS_PER_MM * zoom;
  return (
    <div
      ref={host}
      className={isActive && figure.panels.length > 1 ? 'figure-panel active' : 'figure-panel'}
      style={{ left: px(box.x), top: px(box.y), width: px(box.width), height: px(box.height) }}
    >
      {failed && <p className="failed">{failed}</p>}
    </div>
  );
}
