/** Labels beside atoms, placed so that they meet neither each other nor the atoms. */

export interface LabelRequest {
  text: string;
  x: number;
  y: number;
  /** Pixels kept free around the point. */
  clear: number;
  /** Higher is placed first. */
  weight: number;
  /** It stands beside its point or not at all. */
  near?: boolean;
  /** It is written on a face of a body: its middle is at its point, over whatever is beneath but other such names. */
  onFace?: boolean;
  /** Where the middle of the text was put by hand. */
  fixed?: readonly [number, number];
}

export interface PlacedLabel {
  text: string;
  /** Left and middle of the text, pixels. */
  x: number;
  y: number;
  /** Which request it answers. */
  of: number;
  /** It stands away from its point: a line leads there. */
  led: boolean;
}

export interface LabelRoom {
  /** Points that are kept free beside those that are named. */
  readonly obstacles?: readonly { readonly x: number; readonly y: number; readonly clear: number }[];
  /** A label with no free place beside its point looks for one further away. */
  readonly leaders?: boolean;
  /** Labels stand whole within it; those put by hand stand where they were put. */
  readonly within?: Box;
}

/** How far away a label that finds no place beside its point may stand, in heights of the text. */
const FURTHER = [0, 1.5, 3] as const;

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

export interface Box {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}
const overlaps = (a: Box, b: Box): boolean => a.x0 < b.x1 && b.x0 < a.x1 && a.y0 < b.y1 && b.y0 < a.y1;

const holds = (room: Box, b: Box): boolean => b.x0 >= room.x0 && b.x1 <= room.x1 && b.y0 >= room.y0 && b.y1 <= room.y1;

/** Boxes sorted into squares of the picture, so that a label asks only those near to it. */
class Ground {
  private static readonly SQUARE = 40;
  private readonly squares = new Map<number, Box[]>();

  private *under(b: Box): Generator<number> {
    const at = (x: number): number => Math.floor(x / Ground.SQUARE);
    for (let i = at(b.x0); i <= at(b.x1); i++) for (let j = at(b.y0); j <= at(b.y1); j++) yield 100_000 * i + j;
  }

  take(b: Box): void {
    for (const key of this.under(b)) {
      const list = this.squares.get(key);
      if (list) list.push(b);
      else this.squares.set(key, [b]);
    }
  }

  isFree(b: Box): boolean {
    for (const key of this.under(b)) if (this.squares.get(key)?.some((t) => overlaps(t, b))) return false;
    return true;
  }
}

/** Greedy placement: the first of eight directions that is free; a label with no free place, or said already, is left out. */
export function placeLabels(
  requests: readonly LabelRequest[],
  widthOf: (text: string) => number,
  height: number,
  { obstacles = [], leaders = false, within }: LabelRoom = {},
): PlacedLabel[] {
  const ground = new Ground();
  for (const r of [...requests, ...obstacles]) {
    const half = 0.7 * r.clear;
    ground.take({ x0: r.x - half, y0: r.y - half, x1: r.x + half, y1: r.y + half });
  }
  const said = new Set<string>();
  const out: PlacedLabel[] = [];
  const order = requests.map((r, of) => ({ r, of })).sort((p, q) => q.r.weight - p.r.weight);
  const put = ({ r, of }: (typeof order)[number], box: Box, led: boolean): void => {
    ground.take(box);
    out.push({ text: r.text, x: box.x0, y: (box.y0 + box.y1) / 2, of, led });
  };
  const boxAt = (cx: number, cy: number, w: number): Box => ({
    x0: cx - w / 2,
    y0: cy - height / 2,
    x1: cx + w / 2,
    y1: cy + height / 2,
  });
  for (const one of order) if (one.r.fixed) put(one, boxAt(one.r.fixed[0], one.r.fixed[1], widthOf(one.r.text)), true);
  const onFaces = new Ground();
  for (const one of order) {
    if (!one.r.onFace || one.r.fixed) continue;
    const box = boxAt(one.r.x, one.r.y, widthOf(one.r.text));
    if (!onFaces.isFree(box) || (within && !holds(within, box))) continue;
    onFaces.take(box);
    put(one, box, false);
  }
  for (const one of order) {
    const { r } = one;
    // A selected atom is named by the model and by the selection.
    const what = `${r.text} ${Math.round(r.x)} ${Math.round(r.y)}`;
    if (r.fixed || r.onFace || said.has(what)) continue;
    said.add(what);
    const w = widthOf(r.text);
    const boxes = (leaders && !r.near ? FURTHER : FURTHER.slice(0, 1)).flatMap((further) =>
      DIRECTIONS.map(([dx, dy]) => {
        const clear = r.clear + further * height;
        const box = boxAt(r.x + dx * (clear + 2 + w / 2) * (dx ? 1 : 0), r.y + dy * (clear + height / 2), w);
        return { box, led: further > 0 };
      }),
    );
    const free = boxes.find(({ box }) => (!within || holds(within, box)) && ground.isFree(box));
    if (free) put(one, free.box, free.led);
  }
  return out;
}
