/** Labels beside atoms, placed so that they meet neither each other nor the atoms. */

export interface LabelRequest {
  text: string;
  x: number;
  y: number;
  /** Pixels kept free around the point. */
  clear: number;
  /** Higher is placed first. */
  weight: number;
}

export interface PlacedLabel {
  text: string;
  /** Left and middle of the text, pixels. */
  x: number;
  y: number;
}

const DIRECTIONS = [
  [1, -0.6],
  [1, 0.6],
  [-1, -0.6],
  [-1, 0.6],
  [0, -1],
  [0, 1],
  [1, 0],
  [-1, 0],
] as const;

interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}
const overlaps = (a: Box, b: Box): boolean => a.x0 < b.x1 && b.x0 < a.x1 && a.y0 < b.y1 && b.y0 < a.y1;

/** Greedy placement: the first of eight directions that is free; a label with no free place, or said already, is left out. */
export function placeLabels(
  requests: readonly LabelRequest[],
  widthOf: (text: string) => number,
  height: number,
): PlacedLabel[] {
  const atoms: Box[] = requests.map((r) => ({
    x0: r.x - 0.7 * r.clear,
    y0: r.y - 0.7 * r.clear,
    x1: r.x + 0.7 * r.clear,
    y1: r.y + 0.7 * r.clear,
  }));
  const taken: Box[] = [];
  const said = new Set<string>();
  const out: PlacedLabel[] = [];
  for (const r of [...requests].sort((p, q) => q.weight - p.weight)) {
    // A selected atom is named by the model and by the selection.
    const what = `${r.text} ${Math.round(r.x)} ${Math.round(r.y)}`;
    if (said.has(what)) continue;
    said.add(what);
    const w = widthOf(r.text);
    for (const [dx, dy] of DIRECTIONS) {
      const cx = r.x + dx * (r.clear + 2 + w / 2) * (dx ? 1 : 0),
        cy = r.y + dy * (r.clear + height / 2);
      const box = { x0: cx - w / 2, y0: cy - height / 2, x1: cx + w / 2, y1: cy + height / 2 };
      if (taken.some((t) => overlaps(t, box)) || atoms.some((t) => overlaps(t, box))) continue;
      taken.push(box);
      out.push({ text: r.text, x: box.x0, y: cy });
      break;
    }
  }
  return out;
}
