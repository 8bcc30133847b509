/** What is written and drawn over a figure, as flat shapes in page pixels. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { axisVectors } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { toViewer } from '../draw/camera.ts';
import { legibleOn } from '../draw/colours.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import { angle, distance, torsion } from '../geometry/figures.ts';
import { measure } from '../geometry/measure.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { norm, type Vec3 } from '../math/matrix3.ts';
import { inkOf, PIXELS_PER_MM, type Anchor, type Annotation, type Figure, type Ink, type Panel } from './figure.ts';
import { onPage, placesOf, type PanelScene } from './panel-scene.ts';
import { ellipsePath, parseRuns, pathThrough, widthOfRuns, type Measure, type Run, type Shape } from './shapes.ts';

type Point = readonly [number, number];

/** The pen of one figure: its panels, and what its ink comes to in pixels. */
class Pen {
  readonly shapes: Shape[] = [];

  constructor(
    private readonly figure: Figure,
    private readonly scenes: ReadonlyMap<string, PanelScene>,
    private readonly measure: Measure,
  ) {}

  panel(id: string): PanelScene | undefined {
    return this.scenes.get(id);
  }

  /** Where atoms stand on the page. */
  points(panelId: string, atoms: readonly AtomRef[]): Point[] {
    const here = this.panel(panelId);
    if (!here) return [];
    return placesOf(here.structure, atoms).map((p) => {
      const { x, y } = onPage(this.figure, here.panel, p);
      return [x, y];
    });
  }

  /** Where an anchor stands; undefined where its atoms or its panel are gone. */
  place(anchor: Anchor): Point | undefined {
    if (anchor.kind === 'page') return [anchor.at[0] * PIXELS_PER_MM, anchor.at[1] * PIXELS_PER_MM];
    const points = this.points(anchor.panel, anchor.atoms);
    if (!points.length) return undefined;
    const mean = [0, 1].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / points.length);
    return [mean[0]! + anchor.off[0] * PIXELS_PER_MM, mean[1]! + anchor.off[1] * PIXELS_PER_MM];
  }

  line(a: Annotation, d: string, closed = false): void {
    const ink = inkOf(this.figure, a);
    const width = ink.width * PIXELS_PER_MM;
    this.shapes.push({
      kind: 'path',
      d,
      stroke: ink.colour,
      width,
      of: a.id,
      ...(ink.dashed ? { dash: [3 * width, 2 * width] } : {}),
      ...(closed && ink.fill ? { fill: ink.fill, fillOpacity: 0.25 } : {}),
    });
  }

  /** A filled head of an arrow whose tip is at a point, coming from another. */
  head(a: Annotation, tip: Point, from: Point): void {
    const ink = inkOf(this.figure, a);
    const length = Math.hypot(tip[0] - from[0], tip[1] - from[1]) || 1;
    const size = headSize(ink);
    const [ux, uy] = [(tip[0] - from[0]) / length, (tip[1] - from[1]) / length];
    const [bx, by] = [tip[0] - ux * size, tip[1] - uy * size];
    const d = pathThrough(
      [tip, [bx - 0.38 * uy * size, by + 0.38 * ux * size], [bx + 0.38 * uy * size, by - 0.38 * ux * size]],
      true,
    );
    this.shapes.push({ kind: 'path', d, fill: ink.colour, width: 0, of: a.id });
  }

  /** Text about a point, or beginning there. */
  text(a: Annotation, [x, y]: Point, runs: readonly Run[], from: 'middle' | 'start' = 'middle', colour?: string): void {
    const ink = inkOf(this.figure, a);
    const size = ink.size * PIXELS_PER_MM;
    const width = widthOfRuns(runs, size, this.measure);
    this.shapes.push({
      kind: 'text',
      x: from === 'middle' ? x - width / 2 : x,
      y,
      runs,
      size,
      colour: legibleOn(colour ?? ink.colour, this.figure.ground),
      halo: this.figure.ground,
      of: a.id,
    });
  }

  inkSize(a: Annotation): number {
    return inkOf(this.figure, a).size * PIXELS_PER_MM;
  }
}

/** Pixels. */
const headSize = (ink: Ink): number => Math.max(1.8, 6 * ink.width) * PIXELS_PER_MM;

/** Corners of the convex hull of points, in order (Andrew's monotone chain). */
export function flatHull(points: readonly Point[]): Point[] {
  const sorted = [...points].sort((p, q) => p[0] - q[0] || p[1] - q[1]);
  const turnsLeft = (o: Point, p: Point, q: Point): boolean =>
    (p[0] - o[0]) * (q[1] - o[1]) - (p[1] - o[1]) * (q[0] - o[0]) > 1e-9;
  const chain = (list: readonly Point[]): Point[] => {
    const out: Point[] = [];
    for (const p of list) {
      while (out.length >= 2 && !turnsLeft(out.at(-2)!, out.at(-1)!, p)) out.pop();
      out.push(p);
    }
    return out.slice(0, -1);
  };
  return sorted.length < 3 ? sorted : [...chain(sorted), ...chain([...sorted].reverse())];
}

/** A line around points, a distance outside of them, round at their corners. */
export function outlinePath(points: readonly Point[], margin: number): string {
  const hull = flatHull(points);
  if (!hull.length) return '';
  const n = (x: number): string => x.toFixed(2);
  if (hull.length === 1) return ellipsePath(hull[0]![0], hull[0]![1], margin, margin, 0);
  // The hull goes around with its inside to the left; outwards is to the right of each side.
  const sides = hull.map((p, i) => {
    const q = hull[(i + 1) % hull.length]!;
    const length = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1;
    const out: Point = [((q[1] - p[1]) / length) * margin, (-(q[0] - p[0]) / length) * margin];
    return { from: [p[0] + out[0], p[1] + out[1]], to: [q[0] + out[0], q[1] + out[1]] } as const;
  });
  const arc = `A${n(Math.abs(margin))} ${n(Math.abs(margin))} 0 0 ${margin >= 0 ? 1 : 0}`;
  const steps = sides.map((side, i) => {
    const next = sides[(i + 1) % sides.length]!;
    return `L${n(side.to[0])} ${n(side.to[1])}${arc} ${n(next.from[0])} ${n(next.from[1])}`;
  });
  return `M${n(sides[0]!.from[0])} ${n(sides[0]!.from[1])}${steps.join('')}Z`;
}

/** The letters and colours of the axes. */
const AXES = [
  ['a', '#c8452b'],
  ['b', '#3f6b4f'],
  ['c', '#23456b'],
] as const;
/** mm: the longest arm of a compass. */
const ARM = 8;

function drawCompass(pen: Pen, a: Extract<Annotation, { kind: 'compass' }>): void {
  const here = pen.panel(a.panel);
  if (!here) return;
  const camera = { rotation: here.panel.view.rotation, target: [0, 0, 0] as Vec3, scale: 1 };
  const [x, y] = [a.at[0] * PIXELS_PER_MM, a.at[1] * PIXELS_PER_MM];
  axisVectors(here.structure.cell).forEach((axis, k) => {
    const v = toViewer(camera, axis);
    const [dx, dy] = [(v[0] / norm(v)) * ARM * PIXELS_PER_MM, (-v[1] / norm(v)) * ARM * PIXELS_PER_MM];
    const [name, colour] = AXES[k]!;
    const inked: Annotation = { ...a, ink: { ...a.ink, colour } };
    const length = Math.hypot(dx, dy);
    if (length < 2.5 * PIXELS_PER_MM) {
      // It points at the viewer, or away: a dot, or a ring.
      pen.line(inked, ellipsePath(x, y, 2, 2, 0));
      pen.text(inked, [x - 1.1 * pen.inkSize(a), y + 0.9 * pen.inkSize(a)], [{ text: name, place: 'line' }]);
      return;
    }
    const tip: Point = [x + dx, y + dy];
    pen.line(
      inked,
      pathThrough(
        [
          [x, y],
          [x + 0.8 * dx, y + 0.8 * dy],
        ],
        false,
      ),
    );
    pen.head(inked, tip, [x, y]);
    const beyond = 1 + (0.75 * pen.inkSize(a)) / length;
    pen.text(inked, [x + beyond * dx, y + beyond * dy], [{ text: name, place: 'line' }]);
  });
}

/** The distance, angle or torsion of atoms with its s.u. */
export function dimensionWords(s: Structure, atoms: readonly AtomRef[], covariance?: CovarianceData): string {
  const figure = atoms.length === 2 ? distance : atoms.length === 3 ? angle : torsion;
  const { value, su } = measure(s, atoms, figure, covariance);
  return atoms.length === 2 ? `${formatMeasured(value, su, 3)} Å` : `${formatMeasured(value, su, 1)}°`;
}

function drawDimension(pen: Pen, a: Extract<Annotation, { kind: 'dimension' }>): void {
  const here = pen.panel(a.panel);
  const points = pen.points(a.panel, a.atoms);
  if (!here || points.length !== a.atoms.length || points.length < 2) return;
  pen.line({ ...a, ink: { dashed: true, ...a.ink } }, pathThrough(points, false));
  const middle =
    points.length === 3
      ? points[1]!
      : ([0, 1].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / points.length) as unknown as Point);
  const words = dimensionWords(here.structure, a.atoms, here.covariance);
  pen.text(a, [middle[0], middle[1] - 0.9 * pen.inkSize(a)], [{ text: words, place: 'line' }]);
}

function drawBracket(pen: Pen, a: Extract<Annotation, { kind: 'bracket' }>): void {
  const [p, q] = [pen.place(a.from), pen.place(a.to)];
  if (!p || !q) return;
  const length = Math.hypot(q[0] - p[0], q[1] - p[1]) || 1;
  const arm = 1.6 * PIXELS_PER_MM;
  const [nx, ny] = [((q[1] - p[1]) / length) * arm, (-(q[0] - p[0]) / length) * arm];
  pen.line(a, pathThrough([[p[0] - nx, p[1] - ny], p, q, [q[0] - nx, q[1] - ny]], false));
  if (a.text) {
    const away = 1.2 * (pen.inkSize(a) / arm);
    pen.text(a, [(p[0] + q[0]) / 2 + away * nx, (p[1] + q[1]) / 2 + away * ny], parseRuns(a.text));
  }
}

function drawArrow(pen: Pen, a: Extract<Annotation, { kind: 'arrow' }>): void {
  const [p, q] = [pen.place(a.from), pen.place(a.to)];
  if (!p || !q) return;
  pen.line(a, pathThrough([p, q], false));
  pen.head(a, q, p);
  if (a.heads === 2) pen.head(a, p, q);
}

function drawScaleBar(pen: Pen, a: Extract<Annotation, { kind: 'scale bar' }>): void {
  const here = pen.panel(a.panel);
  if (!here) return;
  const [x, y] = [a.at[0] * PIXELS_PER_MM, a.at[1] * PIXELS_PER_MM];
  const length = (a.length / here.panel.view.scale) * PIXELS_PER_MM;
  pen.line(
    { ...a, ink: { ...a.ink, width: 0.7 } },
    pathThrough(
      [
        [x, y],
        [x + length, y],
      ],
      false,
    ),
  );
  pen.text(a, [x + length / 2, y - 0.8 * pen.inkSize(a)], [{ text: `${a.length} Å`, place: 'line' }]);
}

function draw(pen: Pen, a: Annotation): void {
  switch (a.kind) {
    case 'text': {
      const at = pen.place(a.at);
      if (at)
        a.text
          .split('\n')
          .forEach((row, i) => pen.text(a, [at[0], at[1] + 1.3 * i * pen.inkSize(a)], parseRuns(row), 'start'));
      return;
    }
    case 'ellipse': {
      const at = pen.place(a.at);
      if (at) pen.line(a, ellipsePath(at[0], at[1], a.rx * PIXELS_PER_MM, a.ry * PIXELS_PER_MM, a.angle), true);
      return;
    }
    case 'outline':
      return pen.line(a, outlinePath(pen.points(a.panel, a.atoms), a.margin * PIXELS_PER_MM), true);
    case 'arrow':
      return drawArrow(pen, a);
    case 'bracket':
      return drawBracket(pen, a);
    case 'dimension':
      return drawDimension(pen, a);
    case 'compass':
      return drawCompass(pen, a);
    case 'scale bar':
      return drawScaleBar(pen, a);
  }
}

/** Everything written over a figure, in the order of its list. */
export function annotationShapes(figure: Figure, scenes: readonly PanelScene[], measure: Measure): Shape[] {
  const pen = new Pen(figure, new Map(scenes.map((s) => [s.panel.id, s])), measure);
  for (const a of figure.annotations) draw(pen, a);
  // Letters of the panels, at their upper left corners.
  if (figure.letters && figure.panels.length > 1)
    figure.panels.forEach((p, i) => pen.shapes.push(letterOf(figure, p, i)));
  return pen.shapes;
}

const letterOf = (figure: Figure, { box }: Panel, i: number): Shape => ({
  kind: 'text',
  x: (box.x + 1.2) * PIXELS_PER_MM,
  y: (box.y + 3) * PIXELS_PER_MM,
  runs: [{ text: `(${String.fromCharCode(97 + i)})`, place: 'line' }],
  size: 1.2 * figure.ink.size * PIXELS_PER_MM,
  colour: legibleOn(figure.ink.colour, figure.ground),
  halo: figure.ground,
  bold: true,
});
