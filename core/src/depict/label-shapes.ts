/** Labels of a panel as shapes: placed without collisions, those dragged where they were put, a line leading to what is far away. */
import { isAtomOf, refKey } from '../crystal/atom-ref.ts';
import { dimensionWords } from './annotations.ts';
import { legibleOn } from '../draw/colours.ts';
import { isNameable } from '../draw/label-requests.ts';
import { placeLabels, type LabelRequest } from '../draw/labels.ts';
import { itemsOf, type LabelPrimitive } from '../draw/scene.ts';
import { drawingOf, PIXELS_PER_MM, type Figure } from './figure.ts';
import { cameraOfView, onPage, type PanelScene } from './panel-scene.ts';
import { pathThrough, widthOfRuns, type Measure, type Run, type Shape } from './shapes.ts';

/** By which a label is known when it was dragged. */
export const labelKey = (l: LabelPrimitive): string =>
  l.measured ? l.measured.map(refKey).join(' – ') : `${l.ref ? refKey(l.ref) : '-'} ${l.text}`;

/** What was measured last for a label: the page asks at every turn. */
const measures = new WeakMap<LabelPrimitive, { readonly by: PanelScene['covariance']; readonly text: string }>();

/** The text of a label, its s.u. where the panel knows them. */
function textOf(l: LabelPrimitive, { structure, covariance }: PanelScene): string {
  if (!l.measured?.every((a) => isAtomOf(structure, a))) return l.text;
  const known = measures.get(l);
  if (known && known.by === covariance) return known.text;
  // Lengths in a picture go without their unit.
  const text = dimensionWords(structure, l.measured, covariance).replace(' Å', '');
  measures.set(l, { by: covariance, text });
  return text;
}

/** How much taller than its letters the room of a label is. */
const ROOM = 1.1;
/** Letters, numbers and signs of an element with its charge: digits and signs after letters stand above the line. */
const CHARGED = /^([A-Z][a-z]?)([0-9]*[+−-])$/;

/** Small numerals above the line, as letters of their own. */
const NUMERALS: Readonly<Record<string, string>> = { ⁱ: 'i', ᵛ: 'v', ˣ: 'x' };
const CODED = /^(.*?)([ⁱᵛˣ]+)$/;

const runsOf = (text: string): readonly Run[] => {
  const coded = CODED.exec(text);
  if (coded)
    return [
      { text: coded[1]!, place: 'line' },
      { text: [...coded[2]!].map((c) => NUMERALS[c]).join(''), place: 'above' },
    ];
  const charged = CHARGED.exec(text);
  return charged
    ? [
        { text: charged[1]!, place: 'line' },
        { text: charged[2]!, place: 'above' },
      ]
    : [{ text, place: 'line' }];
};

/** Shapes of every label of a panel. */
export function labelShapes(figure: Figure, scene: PanelScene, measure: Measure): Shape[] {
  const { panel, layers } = scene;
  const size = figure.ink.size * PIXELS_PER_MM;
  const { moved } = drawingOf(figure, panel);
  const camera = cameraOfView(panel.view, figure.optics);
  const { scale } = camera;
  const box = panel.box;
  const [left, top] = [box.x * PIXELS_PER_MM, box.y * PIXELS_PER_MM];
  const within = {
    x0: left,
    y0: top,
    x1: left + box.width * PIXELS_PER_MM,
    y1: top + box.height * PIXELS_PER_MM,
  };
  const isInside = ({ x, y }: { readonly x: number; readonly y: number }): boolean =>
    x >= within.x0 && y >= within.y0 && x <= within.x1 && y <= within.y1;
  const labels = itemsOf(layers, 'labels').flatMap((label) => {
    if (!isNameable(camera, label)) return [];
    const at = onPage(figure, panel, label.at);
    return isInside(at) ? [{ label: { ...label, text: textOf(label, scene) }, at, key: labelKey(label) }] : [];
  });
  const requests = labels.map(({ label, at, key }): LabelRequest => {
    const by = moved[key];
    return {
      text: label.text,
      x: at.x,
      y: at.y,
      clear: Math.max(2, label.clear / scale),
      weight: label.weight + at.depth,
      // Letters of the cell belong to its corners.
      near: !label.ref && !label.measured,
      ...(label.normal ? { onFace: true } : {}),
      ...(by ? { fixed: [at.x + by[0] * PIXELS_PER_MM, at.y + by[1] * PIXELS_PER_MM] as const } : {}),
    };
  });
  const obstacles = itemsOf(layers, 'atoms').map((a) => {
    const at = onPage(figure, panel, a.position);
    return { x: at.x, y: at.y, clear: Math.hypot(...a.axes[0]) / scale };
  });
  const widthOf = (text: string): number => widthOfRuns(runsOf(text), size, measure);
  return placeLabels(requests, widthOf, ROOM * size, { obstacles, leaders: true, within }).flatMap(
    (placed): Shape[] => {
      const { label, at, key } = labels[placed.of]!;
      const colour = legibleOn(label.colour, figure.ground);
      const of = `label ${panel.id} ${key}`;
      const text: Shape = {
        kind: 'text',
        x: placed.x,
        y: placed.y,
        runs: runsOf(label.text),
        size,
        colour,
        halo: figure.ground,
        of,
      };
      if (!placed.led) return [text];
      const width = widthOf(label.text);
      const near: readonly [number, number] = [
        Math.max(placed.x, Math.min(at.x, placed.x + width)),
        Math.max(placed.y - size / 2, Math.min(at.y, placed.y + size / 2)),
      ];
      return [{ kind: 'path', d: pathThrough([[at.x, at.y], near], false), stroke: colour, width: 0.7 }, text];
    },
  );
}
