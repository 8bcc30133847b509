/** Flat shapes on a canvas, as the vector file has them. */
import { OFF_LINE, runSize, widthOfRuns, type Measure, type Shape, type TextShape } from '@nagare/core/depict/shapes';

const FONT = '"IBM Plex Sans"';
const fontOf = (size: number, bold: boolean | undefined): string => `${bold ? 600 : 400} ${size}px ${FONT}`;

let ruler: CanvasRenderingContext2D | undefined;

/** Letters measured in the font that ships. */
export const measureText: Measure = (text, size) => {
  ruler ??= document.createElement('canvas').getContext('2d') ?? undefined;
  if (!ruler) return 0.56 * size * text.length;
  ruler.font = fontOf(100, false);
  return (size * ruler.measureText(text).width) / 100;
};

/** Widths of the letters that figures use, in units of the size: for workers, which have no fonts. */
export function letterWidths(): Record<string, number> {
  const letters = [
    ...Array.from({ length: 95 }, (_, i) => String.fromCharCode(32 + i)),
    ...'αβγδεζηθικλμνξοπρστυφχψωΓΔΘΛΞΠΣΦΨΩÅ°±−–⋯′·×²³⁺⁻',
  ];
  return Object.fromEntries(letters.map((c) => [c, measureText(c, 1)]));
}

function paintText(pen: CanvasRenderingContext2D, t: TextShape): void {
  let x = t.x;
  pen.textBaseline = 'alphabetic';
  pen.lineJoin = 'round';
  // The halo goes under all of the letters, or it would cut into those before.
  const places = t.runs.map((r) => {
    const size = runSize(r, t.size);
    const off = r.place === 'above' ? -OFF_LINE * t.size : r.place === 'below' ? OFF_LINE * t.size : 0;
    const place = { text: r.text, x, y: t.y + 0.35 * t.size + off, font: fontOf(size, t.bold) };
    x += widthOfRuns([r], t.size, measureText);
    return place;
  });
  if (t.halo) {
    pen.strokeStyle = t.halo;
    pen.lineWidth = 0.25 * t.size;
    for (const p of places) {
      pen.font = p.font;
      pen.strokeText(p.text, p.x, p.y);
    }
  }
  pen.fillStyle = t.colour;
  for (const p of places) {
    pen.font = p.font;
    pen.fillText(p.text, p.x, p.y);
  }
}

/** Paints shapes (page pixels) on a canvas whose pixels are `ratio` of theirs. */
export function paintShapes(pen: CanvasRenderingContext2D, shapes: readonly Shape[], ratio: number): void {
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  for (const s of shapes) {
    if (s.kind === 'text') {
      paintText(pen, s);
      continue;
    }
    const path = new Path2D(s.d);
    pen.setLineDash(s.dash ? [...s.dash] : []);
    pen.lineJoin = 'round';
    if (s.fill) {
      pen.globalAlpha = s.fillOpacity ?? 1;
      pen.fillStyle = s.fill;
      pen.fill(path);
      pen.globalAlpha = 1;
    }
    if (s.stroke && s.width) {
      pen.strokeStyle = s.stroke;
      pen.lineWidth = s.width;
      pen.stroke(path);
    }
  }
  pen.setLineDash([]);
}

/** Pixels of the page within which a line is hit. */
const NEAR = 5;

/** What the uppermost shape under a point of the page belongs to; shapes of nothing are passed by. */
export function shapeUnder(shapes: readonly Shape[], x: number, y: number): string | undefined {
  ruler ??= document.createElement('canvas').getContext('2d') ?? undefined;
  for (let i = shapes.length - 1; i >= 0; i--) {
    const s = shapes[i]!;
    if (s.of === undefined) continue;
    if (s.kind === 'text') {
      const width = widthOfRuns(s.runs, s.size, measureText);
      if (x >= s.x - 2 && x <= s.x + width + 2 && Math.abs(y - s.y) <= 0.75 * s.size) return s.of;
      continue;
    }
    if (!ruler) continue;
    const path = new Path2D(s.d);
    ruler.lineWidth = Math.max(s.width, 2 * NEAR);
    if (ruler.isPointInStroke(path, x, y) || (s.fill && ruler.isPointInPath(path, x, y))) return s.of;
  }
  return undefined;
}
