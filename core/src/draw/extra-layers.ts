/** Layers beside the model: what is selected, proposed, measured, left over in the density, and the symmetry elements. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { placeNumber } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bondLimit } from '../geometry/bonds.ts';
import type { Surface } from '../maps/isosurface.ts';
import { apply3, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { elementShapes, type SymmetryElement } from '../symmetry/elements.ts';
import { ball } from './balls.ts';
import { atomLabel } from './build-scene.ts';
import type { SceneColours } from './colours.ts';
import { hatch } from './hatch.ts';
import type { AtomPrimitive, BondPrimitive, ElementPrimitive, LabelPrimitive, Layer, PointPrimitive } from './scene.ts';

/** Halos around selected atoms, and their labels wherever they are. */
export function selectionLayers(
  s: Structure,
  atoms: readonly AtomPrimitive[],
  selected: readonly AtomRef[],
  colours: SceneColours,
): Layer[] {
  if (!selected.length) return [];
  const places = new Set(selected.map((a) => placeNumber(s, a)));
  const chosen = atoms.filter((a) => places.has(placeNumber(s, a.ref)));
  const halo = (a: AtomPrimitive): AtomPrimitive => {
    const r = Math.max(...a.axes.map((v) => Math.hypot(...v))) + 0.16;
    return {
      ...a,
      colour: colours.water,
      opacity: 0.32,
      shape: 'sphere',
      axes: [
        [r, 0, 0],
        [0, r, 0],
        [0, 0, r],
      ],
    };
  };
  return [
    { kind: 'halos', name: 'selection', items: chosen.map(halo) },
    { kind: 'labels', name: 'selection', items: chosen.map((a) => atomLabel(a, colours.ink, 1000)) },
  ];
}

/** Atoms that are not the model's. */
export interface GhostAtoms {
  /** Cartesian, Å. */
  readonly positions: readonly Vec3[];
  readonly elements: readonly string[];
  /** Disorder groups; atoms of different groups do not bond. */
  readonly groups?: readonly string[];
  readonly colour: string;
}

/** Proposed atoms, or those of another mark: translucent balls and thin sticks in one colour. */
export function ghostLayers(ghost: GhostAtoms): Layer[] {
  const opacity = 0.72;
  const atoms = ghost.positions.map((position, i): AtomPrimitive => {
    const element = ghost.elements[i]!;
    return { ...ball(position, isHydrogen(element) ? 0.13 : 0.21, ghost.colour, opacity), element };
  });
  const bonds: BondPrimitive[] = [];
  for (let i = 0; i < atoms.length; i++)
    for (let j = 0; j < i; j++) {
      if (ghost.groups?.[i] && ghost.groups[j] && ghost.groups[i] !== ghost.groups[j]) continue;
      const d = norm(subtract(atoms[i]!.position, atoms[j]!.position));
      if (d <= 0.5 || d >= bondLimit(ghost.elements[i]!, ghost.elements[j]!)) continue;
      bonds.push({
        from: atoms[i]!.position,
        to: atoms[j]!.position,
        colours: [ghost.colour, ghost.colour],
        radius: 0.05,
        opacity,
        atoms: [i, j],
      });
    }
  return [
    { kind: 'atoms', name: 'ghost', items: atoms },
    { kind: 'bonds', name: 'ghost', items: bonds },
  ];
}

/** A sphere that fits into empty space, or just passes through it. */
export interface PoreMark {
  /** Fractional. */
  readonly at: Vec3;
  /** Å */
  readonly diameter: number;
  readonly kind: 'largest' | 'window';
}

/** Spheres in empty space, translucent, with their diameters. */
export function poreLayers(s: Structure, marks: readonly PoreMark[], colours: SceneColours): Layer[] {
  const m = orthogonalization(s.cell);
  const spheres = marks.map((mark): AtomPrimitive => {
    const [colour, opacity] = mark.kind === 'largest' ? [colours.water, 0.32] : [colours.gold, 0.6];
    return ball(apply3(m, mark.at), mark.diameter / 2, colour, opacity);
  });
  const labels = marks.map((mark, i): LabelPrimitive => ({
    text: `${mark.diameter.toFixed(2)} Å`,
    at: spheres[i]!.position,
    colour: colours.ink,
    clear: 0,
    weight: 400,
  }));
  return marks.length
    ? [
        { kind: 'atoms', name: 'pores', items: spheres },
        { kind: 'labels', name: 'pores', items: labels },
      ]
    : [];
}

/** Residual maxima as small marks with their names. */
export function maximaLayers(
  s: Structure,
  maxima: readonly { readonly name: string; readonly position: Vec3 }[],
  chosen: ReadonlySet<string>,
  colours: SceneColours,
): Layer[] {
  const m = orthogonalization(s.cell);
  const points = maxima.map((p): PointPrimitive => ({
    name: p.name,
    position: apply3(m, p.position),
    colour: chosen.has(p.name) ? colours.gold : colours.water,
    radius: chosen.has(p.name) ? 0.22 : 0.11,
  }));
  const labels = points.map((p): LabelPrimitive => ({
    text: p.name,
    at: p.position,
    colour: colours.water,
    clear: p.radius,
    weight: 500,
  }));
  return points.length
    ? [
        { kind: 'points', name: 'maxima', items: points },
        { kind: 'labels', name: 'maxima', items: labels },
      ]
    : [];
}

/** Density above and below a level: excess in water, deficit in vermilion. */
export function densityLayer(pair: { excess: Surface; deficit: Surface }, colours: SceneColours): Layer {
  const items = [
    { ...pair.excess, colour: colours.water, opacity: 0.38, mesh: 0.22 },
    { ...pair.deficit, colour: colours.vermilion, opacity: 0.38, mesh: 0.22 },
  ];
  return { kind: 'surfaces', name: 'density', items: items.filter((x) => x.indices.length) };
}

/** Symmetry elements cut to one cell: planes hatched (full lines mirror, broken ones glide, an arrow along it), axes as rods, centres as marks. */
export function elementLayers(
  s: Structure,
  elements: readonly SymmetryElement[],
  options: { readonly picked?: string; readonly labels: boolean },
  colours: SceneColours,
): Layer[] {
  const m = orthogonalization(s.cell);
  const items: ElementPrimitive[] = [];
  const labels: LabelPrimitive[] = [];
  for (const e of elements) {
    const picked = e.words === options.picked;
    const own = e.plane ? colours.indigo : e.kind === 'inversion centre' ? colours.vermilion : colours.gold;
    const glide = apply3(m, e.glide);
    elementShapes(e).forEach((shape, i) => {
      const points = shape.points.map((x) => apply3(m, x));
      items.push({
        name: e.words,
        points,
        colour: picked ? colours.water : own,
        picked,
        ...(e.plane ? { hatching: hatch(points, e.kind === 'glide plane' ? 'broken' : 'full', glide) } : {}),
      });
      if (options.labels && i < 2)
        labels.push({
          text: e.symbol,
          at: points.length > 2 ? points[0]! : points.at(-1)!,
          colour: colours.ink,
          clear: 0.1,
          weight: picked ? 3000 : 300,
        });
    });
  }
  return [
    { kind: 'symmetry elements', name: 'symmetry', items },
    { kind: 'labels', name: 'symmetry', items: labels },
  ];
}
