/** The legend of a figure: made of what is drawn, never written by hand. */
import { siteIndices } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { shadeColour } from '../draw/colours.ts';
import { norm } from '../math/matrix3.ts';
import { itemsOf, type Sector } from '../draw/scene.ts';
import { matcherOf } from '../draw/style.ts';
import { drawingOf, PIXELS_PER_MM, type Figure, type FigureRule } from './figure.ts';
import { onPage, type PanelScene } from './panel-scene.ts';
import { ellipsePath, parseRuns, pathThrough, widthOfRuns, type Measure, type Run, type Shape } from './shapes.ts';

export interface LegendEntry {
  readonly kind: 'atom' | 'polyhedron';
  readonly colour: string;
  readonly sectors?: readonly Sector[];
  /** Of a polyhedron. */
  readonly edgeColour?: string;
  readonly opacity: number;
  /** With _ and ^ as in `parseRuns`. */
  readonly text: string;
}

/** What the last rule that speaks of an atom and has a name calls it. */
function namesOf(s: Structure, rules: readonly FigureRule[]): (site: string) => string | undefined {
  const named = rules.flatMap((r) => (r.on && r.name ? [{ name: r.name, holds: matcherOf(s, r) }] : [])).reverse();
  const index = siteIndices(s);
  return (id) => {
    const site = s.sites[index.get(id)!]!;
    return named.find(({ holds }) => holds({ site: id, operator: 0, shift: [0, 0, 0] }, site))?.name;
  };
}

/** Elements that hold a place, with their shares where they are several: "W_{0.83}Nb_{0.17}". */
function placeWords(s: Structure, siteId: string): string {
  const site = s.sites[siteIndices(s).get(siteId)!]!;
  const here = s.sites.filter(
    (x) => x.occupancy < 1 && x.position.every((v, k) => Math.abs(v - site.position[k]!) < 1e-3),
  );
  if (site.occupancy >= 1 || !here.length) return site.element;
  return here.map((x) => `${x.element}_{${String(Number(x.occupancy.toFixed(2)))}}`).join('');
}

const sectorKey = (sectors?: readonly Sector[]): string =>
  sectors?.map((x) => `${x.colour} ${x.share.toFixed(3)}`).join() ?? '';

/** Entries of what panels draw: polyhedra first, then atoms in the order in which they are met. */
export function legendEntries(figure: Figure, scenes: readonly PanelScene[]): LegendEntry[] {
  const polyhedra = new Map<string, LegendEntry>(),
    atoms = new Map<string, LegendEntry>();
  for (const { panel, structure: s, layers } of scenes) {
    const nameOf = namesOf(s, drawingOf(figure, panel).rules);
    for (const p of itemsOf(layers, 'polyhedra', 'model')) {
      if (!p.ref) continue;
      const element = s.sites[siteIndices(s).get(p.ref.site)!]!.element;
      const text = nameOf(p.ref.site) ?? `${element} polyhedra, ${p.vertices.length} corners`;
      const key = `${text} ${p.colour}`;
      if (!polyhedra.has(key))
        polyhedra.set(key, {
          kind: 'polyhedron',
          colour: p.colour,
          edgeColour: p.edgeColour,
          opacity: p.opacity,
          text,
        });
    }
    for (const a of itemsOf(layers, 'atoms', 'model')) {
      if (a.opacity <= 0) continue;
      const text = nameOf(a.ref.site) ?? (a.sectors ? placeWords(s, a.ref.site) : a.element);
      const key = `${text} ${a.colour} ${sectorKey(a.sectors)}`;
      if (!atoms.has(key))
        atoms.set(key, {
          kind: 'atom',
          colour: a.colour,
          opacity: a.opacity,
          text,
          ...(a.sectors ? { sectors: a.sectors } : {}),
        });
    }
  }
  return [...polyhedra.values(), ...atoms.values()];
}

function swatch(e: LegendEntry, x: number, y: number, r: number): Shape[] {
  const edge = { stroke: e.edgeColour ?? shadeColour(e.colour, 0.55), width: 0.8 };
  if (e.kind === 'polyhedron') {
    const d = pathThrough(
      [
        [x, y - r],
        [x + r, y],
        [x, y + r],
        [x - r, y],
      ],
      true,
    );
    return [{ kind: 'path', d, fill: e.colour, fillOpacity: Math.max(0.3, e.opacity), ...edge }];
  }
  const ring: Shape = { kind: 'path', d: ellipsePath(x, y, r, r, 0), ...edge };
  if (!e.sectors) return [{ ...ring, fill: e.colour }];
  let from = 0;
  const parts = e.sectors
    .filter((s) => s.share > 1e-3)
    .map((s): Shape => {
      const at = (t: number): string =>
        `${(x + r * Math.sin(2 * Math.PI * t)).toFixed(2)} ${(y - r * Math.cos(2 * Math.PI * t)).toFixed(2)}`;
      const start = from;
      from += s.share;
      const arcs = [start + s.share / 2, from].map((t) => `A${r} ${r} 0 0 1 ${at(t)}`).join('');
      return { kind: 'path', d: `M${x} ${y}L${at(start)}${arcs}Z`, fill: s.colour, width: 0 };
    });
  return [...parts, ring];
}

interface Lines {
  readonly entries: readonly LegendEntry[];
  readonly runs: readonly (readonly Run[])[];
  /** Pixels: of the letters, between lines, of the plate. */
  readonly size: number;
  readonly row: number;
  readonly pad: number;
  readonly width: number;
  readonly height: number;
}

function linesOf(figure: Figure, scenes: readonly PanelScene[], measure: Measure): Lines {
  const entries = legendEntries(figure, scenes);
  const size = figure.ink.size * PIXELS_PER_MM,
    row = 1.65 * size,
    pad = 0.6 * size;
  const runs = entries.map((e) => parseRuns(e.text));
  const width = 2.1 * size + Math.max(0, ...runs.map((r) => widthOfRuns(r, size, measure))) + pad;
  return { entries, runs, size, row, pad, width, height: row * entries.length + pad };
}

/** mm between the places that are tried, from the sides of the page, and from its top, where panels have their letters. */
const BETWEEN = 2,
  MARGIN = 2,
  HEAD = 6;

const placesUpTo = (first: number, last: number): number[] => [
  ...Array.from({ length: Math.max(0, Math.ceil((last - first) / BETWEEN)) }, (_, i) => first + BETWEEN * i),
  Math.max(first, last),
];

/** Where on the page a legend covers fewest of the drawn atoms: mm from the upper left; of equal places the one nearest to a corner. */
export function freeLegendPlace(
  figure: Figure,
  scenes: readonly PanelScene[],
  measure: Measure,
): readonly [number, number] {
  const lines = linesOf(figure, scenes, measure);
  const [width, height] = [lines.width / PIXELS_PER_MM, lines.height / PIXELS_PER_MM];
  const drawn = scenes.flatMap(({ panel, layers }) =>
    itemsOf(layers, 'atoms').map((a) => {
      const at = onPage(figure, panel, a.position);
      const radius = Math.max(...a.axes.map(norm)) / panel.view.scale;
      return { x: at.x / PIXELS_PER_MM, y: at.y / PIXELS_PER_MM, radius };
    }),
  );
  const covered = (x: number, y: number): number =>
    drawn.filter(
      (p) => p.x + p.radius > x && p.x - p.radius < x + width && p.y + p.radius > y && p.y - p.radius < y + height,
    ).length;
  const columns = placesUpTo(MARGIN, figure.width - width - MARGIN),
    rows = placesUpTo(HEAD, figure.height - height - MARGIN);
  const toEdge = (x: number, all: readonly number[]): number => Math.min(x - all[0]!, all.at(-1)! - x);
  const tried = columns.flatMap((x) =>
    rows.map((y) => ({ at: [x, y] as const, covered: covered(x, y), off: toEdge(x, columns) + toEdge(y, rows) })),
  );
  return tried.reduce((p, q) => (q.covered < p.covered || (q.covered === p.covered && q.off < p.off) ? q : p)).at;
}

/** The legend where the figure wants it; nothing where it wants none. */
export function legendShapes(figure: Figure, scenes: readonly PanelScene[], measure: Measure): Shape[] {
  if (!figure.legend) return [];
  const { entries, runs, size, row, pad, width, height } = linesOf(figure, scenes, measure);
  const [x, y] = figure.legend.map((v) => v * PIXELS_PER_MM) as [number, number];
  const plate: Shape = {
    kind: 'path',
    d: pathThrough(
      [
        [x, y],
        [x + width, y],
        [x + width, y + height],
        [x, y + height],
      ],
      true,
    ),
    fill: figure.ground,
    fillOpacity: 0.85,
    width: 0,
    of: 'legend',
  };
  return [
    plate,
    ...entries.flatMap((e, i): Shape[] => {
      const middle = y + pad / 2 + row * (i + 0.5);
      const text: Shape = {
        kind: 'text',
        x: x + 2.1 * size,
        y: middle,
        runs: runs[i]!,
        size,
        colour: figure.ink.colour,
        of: 'legend',
      };
      return [...swatch(e, x + 1.1 * size, middle, 0.52 * size), text];
    }),
  ];
}
