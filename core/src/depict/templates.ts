/** Figures to begin with, each an argument that people often make. */
import { newId, type Structure } from '../crystal/structure.ts';
import type { Extent } from '../draw/extent.ts';
import { firstLook } from '../draw/first-look.ts';
import { alongRow } from '../draw/views.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, multiply3, norm, toVec3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { straightChannels, type Channel } from '../geometry/channels.ts';
import {
  panelBoxes,
  USUAL_INK,
  type Drawing,
  type Figure,
  type FigureRule,
  type Panel,
  type PanelView,
} from './figure.ts';

export const TEMPLATES = [
  { id: 'first look', name: 'As it is best seen', hint: 'The whole of it, drawn as what it is.' },
  {
    id: 'channel',
    name: 'Along the channel',
    hint: 'Polyhedra end-on along the widest way through, and from the side.',
  },
  { id: 'ellipsoids', name: 'Ellipsoids with labels', hint: 'What the unit holds, at 50 %, every atom named.' },
  { id: 'packing', name: 'Packing', hint: 'Whole molecules in the cell, along its shortest axis.' },
  { id: 'network', name: 'The network', hint: 'Molecules as sticks and the hydrogen bonds between them.' },
  { id: 'polyhedra', name: 'Polyhedra', hint: 'What surrounds the cations, the cell closed at its faces.' },
] as const;
export type TemplateId = (typeof TEMPLATES)[number]['id'];

/** A view that is still to be fitted to what is drawn: its scale is 0. */
export const unfitted = (rotation: Mat3): PanelView => ({ rotation, target: [0, 0, 0], scale: 0 });

export const newRule = (rule: Omit<FigureRule, 'id' | 'on'>): FigureRule => ({ id: newId(), on: true, ...rule });

const everything = (look: FigureRule['style']['look']): FigureRule =>
  newRule({ which: { kind: 'all' }, style: { ...(look ? { look } : {}) } });

/** Pale faces with fine edges around the cations that are worth it. */
const polyhedraOf = (elements: readonly string[]): FigureRule[] =>
  elements.length
    ? [
        newRule({
          which: { kind: 'element', elements },
          style: {},
          polyhedra: { opacity: 0.8, edgeWidth: 0.8, showCentre: false },
        }),
      ]
    : [];

export const EMPTY_DRAWING: Omit<Drawing, 'id' | 'extent' | 'rules'> = {
  labels: [],
  moved: {},
  hiding: [],
  added: [],
  showCell: true,
  sectors: true,
  colourBy: 'element',
  contacts: [],
  planes: [],
  symmetry: false,
};

const drawing = (extent: Extent, rules: readonly FigureRule[], more: Partial<Drawing> = {}): Drawing => ({
  ...EMPTY_DRAWING,
  id: newId(),
  extent,
  rules,
  ...more,
});

/** The index of the shortest axis. */
function shortestAxis(s: Structure): Vec3 {
  const { a, b, c } = s.cell;
  if (c <= a && c <= b) return [0, 0, 1];
  return b <= a ? [0, 1, 0] : [1, 0, 0];
}

/** A quarter turn about the upright direction of the page, and a little down: what was end-on is seen from its side. */
const FROM_THE_SIDE: Mat3 = multiply3(
  [1, 0, 0, 0, 0.966, -0.259, 0, 0.259, 0.966],
  [0.174, 0, 0.985, 0, 1, 0, -0.985, 0, 0.174],
);

/** Cells along the axes so that some of a channel's neighbours are seen, along it two repeats. */
function blockAround({ row }: { readonly row: Vec3 }, s: Structure): Extent {
  const m = orthogonalization(s.cell);
  const to = [0, 1, 2].map((k) => {
    const length = norm(apply3(m, toVec3([0, 1, 2].map((i) => (i === k ? 1 : 0)))));
    return row[k] ? 1 : Math.max(1, Math.min(2, Math.round(22 / length)));
  }) as unknown as Vec3;
  return { kind: 'block', from: [0, 0, 0], to };
}

interface Plan {
  readonly name: string;
  readonly drawings: readonly Drawing[];
  /** Of the panels, all of the first drawing. */
  readonly rotations: readonly Mat3[];
  readonly width: number;
  readonly height: number;
  readonly compass?: boolean;
  readonly legend?: boolean;
}

function plan(s: Structure, template: TemplateId): Plan {
  const first = firstLook(s);
  const molecular = !first.salt && first.dimension === 0;
  switch (template) {
    case 'ellipsoids':
      return {
        name: 'Ellipsoids',
        drawings: [
          drawing({ kind: molecular ? 'molecules' : 'unique' }, [everything('ellipsoids')], {
            labels: [{ id: newId(), on: true, which: { kind: 'all' }, say: 'label' }],
            showCell: false,
          }),
        ],
        rotations: [first.rotation],
        width: 120,
        height: 90,
      };
    case 'channel': {
      const channel: Pick<Channel, 'row'> = straightChannels(s)[0] ?? { row: shortestAxis(s) };
      const along = alongRow(s.cell, channel.row);
      return {
        name: 'Along the channel',
        drawings: [drawing(blockAround(channel, s), [everything('balls'), ...polyhedraOf(first.polyhedra)])],
        rotations: [along, multiply3(FROM_THE_SIDE, along)],
        width: 175,
        height: 85,
        compass: true,
        legend: true,
      };
    }
    case 'packing':
      return {
        name: 'Packing',
        drawings: [drawing({ kind: 'packed cell' }, [everything(molecular ? 'sticks' : 'balls')])],
        rotations: [alongRow(s.cell, shortestAxis(s))],
        width: 120,
        height: 100,
        compass: true,
      };
    case 'network':
      return {
        name: 'The network',
        drawings: [drawing({ kind: 'packed cell' }, [everything('sticks')], { contacts: ['hydrogen bonds'] })],
        rotations: [alongRow(s.cell, shortestAxis(s))],
        width: 120,
        height: 100,
        compass: true,
      };
    case 'polyhedra':
      return {
        name: 'Polyhedra',
        drawings: [drawing({ kind: 'closed cell' }, [everything('balls'), ...polyhedraOf(first.polyhedra)])],
        rotations: [first.rotation],
        width: 120,
        height: 90,
        legend: true,
      };
    case 'first look':
      return {
        name: 'The structure',
        drawings: [drawing({ kind: first.extent }, [everything(first.look), ...polyhedraOf(first.polyhedra)])],
        rotations: [first.rotation],
        width: 120,
        height: 90,
      };
  }
}

/** mm from the edges at which compasses and legends stand first. */
const CORNER = 13;

/** A figure of a structure by a template; its views are fitted when it is first drawn. */
export function figureFrom(plain: Structure, template: TemplateId): Figure {
  const { name, drawings, rotations, width, height, compass, legend } = plan(bonded(plain), template);
  const boxes = panelBoxes(rotations.length, width, height);
  const panels = rotations.map((rotation, i): Panel => ({
    id: newId(),
    drawing: drawings[0]!.id,
    view: unfitted(rotation),
    box: boxes[i]!,
  }));
  return {
    id: newId(),
    name,
    width,
    height,
    dpi: 300,
    ground: '#ffffff',
    clear: false,
    optics: { fieldOfView: 0, cue: 0 },
    drawings,
    panels,
    letters: true,
    annotations: compass
      ? panels.map((p) => ({
          id: newId(),
          kind: 'compass',
          panel: p.id,
          at: [p.box.x + CORNER, p.box.y + p.box.height - CORNER],
        }))
      : [],
    ink: USUAL_INK,
    palette: 'screen',
    ...(legend ? { legend: [2, 6] as const } : {}),
  };
}
