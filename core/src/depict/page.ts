/** The whole page of a figure: what lies over its panels, and all of it as a vector file. */
import { paintSvgParts } from '../draw/svg.ts';
import { annotationShapes } from './annotations.ts';
import { PIXELS_PER_MM, type Figure } from './figure.ts';
import { labelShapes } from './label-shapes.ts';
import { legendShapes } from './legend.ts';
import { sceneOfPanel, sizeOfPanel, type PanelScene } from './panel-scene.ts';
import { roughWidth, shapesSvg, type Measure, type Shape } from './shapes.ts';

/** Everything that lies over the panels, in page pixels, by the name of its layer. */
export interface Overlay {
  readonly labels: readonly Shape[];
  readonly annotations: readonly Shape[];
  readonly legend: readonly Shape[];
}

export function overlayOf(figure: Figure, scenes: readonly PanelScene[], measure: Measure = roughWidth): Overlay {
  return {
    labels: scenes.flatMap((s) => labelShapes(figure, s, measure)),
    annotations: annotationShapes(figure, scenes, measure),
    legend: legendShapes(figure, scenes, measure),
  };
}

export const overlayShapes = ({ labels, annotations, legend }: Overlay): readonly Shape[] => [
  ...labels,
  ...annotations,
  ...legend,
];

const escaped = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');

/** A figure as SVG: panels, labels, annotations and legend in groups that bear their names, text as text. */
export function figureSvg(figure: Figure, scenes: readonly PanelScene[], measure: Measure = roughWidth): string {
  const width = figure.width * PIXELS_PER_MM,
    height = figure.height * PIXELS_PER_MM;
  const n = (x: number): string => x.toFixed(2);
  const panels = scenes.map((s, i) => {
    const size = sizeOfPanel(s.panel);
    const letter = String.fromCharCode(97 + i);
    const { definitions, body } = paintSvgParts(sceneOfPanel(figure, s), size, `${letter}-`);
    const [x, y] = [s.panel.box.x * PIXELS_PER_MM, s.panel.box.y * PIXELS_PER_MM];
    const clip = `<clipPath id="${letter}-box"><rect width="${n(size.width)}" height="${n(size.height)}"/></clipPath>`;
    return {
      definitions: definitions + (scenes.length > 1 ? clip : ''),
      body: `<g id="panel-${letter}" transform="translate(${n(x)} ${n(y)})"${scenes.length > 1 ? ` clip-path="url(#${letter}-box)"` : ''}>${body}</g>`,
    };
  });
  const over = overlayOf(figure, scenes, measure);
  const layer = (id: string, shapes: readonly Shape[]): string =>
    shapes.length ? `<g id="${id}">${shapesSvg(shapes)}</g>` : '';
  const ground = figure.clear ? '' : `<rect id="ground" width="100%" height="100%" fill="${figure.ground}"/>`;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${n(width)} ${n(height)}" width="${figure.width}mm" height="${figure.height}mm" role="img" font-family="'IBM Plex Sans', sans-serif"><title>${escaped(figure.name)}</title><defs>${panels.map((p) => p.definitions).join('')}</defs>${ground}${panels.map((p) => p.body).join('')}${layer('labels', over.labels)}${layer('annotations', over.annotations)}${layer('legend', over.legend)}</svg>`;
}
