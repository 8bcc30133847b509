/** What the panels of a figure draw. */
import { SHIPPED, type Definition } from '../contacts/definition.ts';
import { ContactSearch } from '../contacts/find-contacts.ts';
import { withBonding } from '../crystal/bonding.ts';
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { buildLayers } from '../draw/build-scene.ts';
import { contactLayers } from '../draw/contact-layers.ts';
import { elementLayers } from '../draw/extra-layers.ts';
import { itemsOf, type AtomPrimitive, type Layer, type PlanePrimitive } from '../draw/scene.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import {
  add,
  apply3,
  cross,
  dot,
  inverse3,
  normalize,
  scale,
  subtract,
  toVec3,
  transpose3,
  type Vec3,
} from '../math/matrix3.ts';
import { symmetryElements } from '../symmetry/elements.ts';
import { drawnContacts } from './contact-lines.ts';
import { drawingWish, figureColours } from './drawing-wish.ts';
import { drawingOf, type Drawing, type Figure, type FigurePlane } from './figure.ts';
import { surfaceLayers, type FigureFields } from './figure-surfaces.ts';
import { fittedView, type PanelScene } from './panel-scene.ts';

/** What of a figure decides what its drawings look like. */
export type FigureStyle = Pick<Figure, 'palette' | 'ground'>;

const EDGES: readonly (readonly [number, number])[] = [
  [0, 1], [2, 3], [4, 5], [6, 7], [0, 2], [1, 3], [4, 6], [5, 7], [0, 4], [1, 5], [2, 6], [3, 7],
]; // prettier-ignore

/** A lattice plane cut by the box around what is drawn; nothing where it passes by. */
function cutPlane(s: Structure, plane: FigurePlane, atoms: readonly AtomPrimitive[]): PlanePrimitive[] {
  const toReciprocal = transpose3(inverse3(orthogonalization(s.cell)));
  // h·x = height for every x of the plane, x Cartesian.
  const h = apply3(toReciprocal, plane.indices);
  const low = [0, 1, 2].map((k) => Math.min(...atoms.map((a) => a.position[k]!)) - 0.8),
    high = [0, 1, 2].map((k) => Math.max(...atoms.map((a) => a.position[k]!)) + 0.8);
  const corner = (i: number): Vec3 => toVec3([0, 1, 2].map((k) => (i & (1 << k) ? high[k]! : low[k]!)));
  const points = EDGES.flatMap(([i, j]): Vec3[] => {
    const [p, q] = [corner(i), corner(j)];
    const [u, v] = [dot(h, p) - plane.height, dot(h, q) - plane.height];
    return u * v < 0 ? [add(p, scale(subtract(q, p), u / (u - v)))] : [];
  });
  if (points.length < 3) return [];
  const middle = scale(
    points.reduce((sum, p) => add(sum, p), [0, 0, 0] as Vec3),
    1 / points.length,
  );
  const u = normalize(subtract(points[0]!, middle)),
    v = normalize(cross(h, u));
  const angle = (p: Vec3): number => Math.atan2(dot(subtract(p, middle), v), dot(subtract(p, middle), u));
  return [{ corners: points.sort((p, q) => angle(p) - angle(q)), colour: plane.colour, opacity: 0.35 }];
}

/** Lines of contacts whose both ends are drawn. */
function linesOfContacts(
  s: Structure,
  definitions: readonly Definition[],
  atoms: readonly AtomPrimitive[],
  style: FigureStyle,
): Layer[] {
  const search = new ContactSearch(s);
  const contacts = definitions.flatMap((d) => search.find(d));
  const lines = drawnContacts({ contacts }, definitions, figureColours(style)).map((c) => ({ ...c, closedOnly: true }));
  return contactLayers(s, lines, atoms).layers;
}

/** Layers of a drawing of a structure, its contacts by definitions, its density by maps (left out where its map is not given). Throws RangeError where there is too much to draw. */
export function drawnLayers(
  plain: Structure,
  drawing: Drawing,
  style: FigureStyle,
  definitions: readonly Definition[] = SHIPPED,
  maps: FigureFields = {},
): Layer[] {
  const wish = drawingWish(plain, style, drawing);
  const layers = buildLayers(plain, wish);
  const atoms = itemsOf(layers, 'atoms', 'model');
  const shown = definitions.filter((d) => drawing.contacts.includes(d.id));
  const s = bonded(withBonding(plain, drawing.bonding));
  if (shown.length) layers.push(...linesOfContacts(s, shown, atoms, style));
  const planes = atoms.length ? drawing.planes.flatMap((p) => cutPlane(s, p, atoms)) : [];
  if (planes.length) layers.push({ kind: 'planes', name: 'faces', items: planes });
  if (drawing.surfaces?.length) layers.push(...surfaceLayers(s, drawing.surfaces, atoms, maps, figureColours(style)));
  if (drawing.symmetry)
    layers.push(...elementLayers(s, symmetryElements(s.spaceGroup), { labels: false }, figureColours(style)));
  return layers;
}

/** A figure whose new panels are fitted to what they draw, and its panels with their layers. */
export function fittedFigure(
  figure: Figure,
  scenes: readonly PanelScene[],
): { readonly figure: Figure; readonly scenes: readonly PanelScene[] } {
  if (scenes.every(({ panel }) => panel.view.scale > 0)) return { figure, scenes };
  const fitted = scenes.map((s) =>
    s.panel.view.scale > 0
      ? s
      : { ...s, panel: { ...s.panel, view: fittedView(s.layers, s.panel.view.rotation, s.panel.box) } },
  );
  const byId = new Map(fitted.map(({ panel }) => [panel.id, panel]));
  return { figure: { ...figure, panels: figure.panels.map((p) => byId.get(p.id) ?? p) }, scenes: fitted };
}

/**
 * Every panel of a figure, fitted where it is new; `structures` by drawing, or one for all; `maps` by drawing. Throws RangeError where there is too
 * much to draw, or no structure for a drawing.
 */
export function drawFigure(
  figure: Figure,
  structures: Structure | Readonly<Record<string, Structure>>,
  definitions: readonly Definition[] = SHIPPED,
  maps: Readonly<Record<string, FigureFields>> = {},
): { readonly figure: Figure; readonly scenes: readonly PanelScene[] } {
  const drawn = new Map(
    figure.drawings.map((d) => {
      const structure = 'cell' in structures ? (structures as Structure) : structures[d.id];
      if (!structure) throw new RangeError(`There is no structure for a drawing of the figure “${figure.name}”.`);
      return [d.id, { structure, layers: drawnLayers(structure, d, figure, definitions, maps[d.id]) }];
    }),
  );
  const scenes = figure.panels.map((panel): PanelScene => ({ panel, ...drawn.get(drawingOf(figure, panel).id)! }));
  return fittedFigure(figure, scenes);
}
