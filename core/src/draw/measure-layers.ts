/** What is measured, drawn over the crystal: dashed lines with their values, planes as discs. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { siteIndices } from '../crystal/atom-ref.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { planeOf } from '../geometry/points.ts';
import { footOf, standing } from '../geometry/element-place.ts';
import { atomsOfThing, type Thing } from '../geometry/things.ts';
import { add, cross, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';
import type { SceneColours } from './colours.ts';
import type { LabelPrimitive, Layer, LinePrimitive, PlanePrimitive } from './scene.ts';

export interface DrawnMeasure {
  readonly things: readonly Thing[];
  /** What is written beside it. */
  readonly text: string;
}

const CORNERS = 36;
/** Å beyond the outermost atom of a disc. */
const RIM = 0.35;
/** Å that a line's ends stand out beyond its atoms. */
const OUT = 1.2;

/** The best plane of atoms as a disc about their middle. */
export function disc(points: readonly Vec3[], colour: string, opacity: number): PlanePrimitive {
  const centre = middle(points);
  const radius = Math.max(...points.map((p) => norm(subtract(p, centre)))) + RIM;
  return discAt(centre, planeOf(points).normal, radius, colour, opacity);
}

function discAt(centre: Vec3, normal: Vec3, radius: number, colour: string, opacity: number): PlanePrimitive {
  const helper: Vec3 = Math.abs(normal[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0];
  const u = normalize(cross(normal, helper)),
    v = cross(normal, u);
  const corners = Array.from({ length: CORNERS }, (_, k) => {
    const t = (2 * Math.PI * k) / CORNERS;
    return add(centre, add(scale(u, radius * Math.cos(t)), scale(v, radius * Math.sin(t))));
  });
  return { corners, colour, opacity };
}

/** Layers of measures; those whose atoms are gone are left out. */
export function measureLayers(
  s: Structure,
  measures: readonly DrawnMeasure[],
  discs: readonly (readonly AtomRef[])[],
  colours: SceneColours,
): Layer[] {
  const known = siteIndices(s);
  const stands = (atoms: readonly AtomRef[]): boolean => atoms.every((a) => known.has(a.site));
  const lines: LinePrimitive[] = [],
    labels: LabelPrimitive[] = [],
    planes: PlanePrimitive[] = [];
  const line = (from: Vec3, to: Vec3, dashed: boolean): void => {
    lines.push({ from, to, colour: colours.gold, width: 1.6, opacity: 0.95, dashed });
  };
  for (const { things, text } of measures) {
    if (!things.every((t) => stands(atomsOfThing(t)))) continue;
    const points = things.map((t) => cartesianOf(s, atomsOfThing(t)));
    const place = points.find((p) => p.length);
    things.forEach((t, i) => {
      if (t.kind === 'plane') planes.push(disc(points[i]!, colours.gold, 0.22));
      if (t.kind === 'line') line(...ends(points[i]!), false);
      if (t.kind !== 'element') return;
      const foot = footOf(s.cell, t, place ? middle(place) : standing(s.cell, t).at);
      const { axis, normal } = standing(s.cell, t);
      if (axis) line(subtract(foot, scale(axis, 2 * OUT)), add(foot, scale(axis, 2 * OUT)), false);
      if (normal) planes.push(discAt(foot, normal, 1.5 * OUT, colours.gold, 0.22));
      points[i] = [foot];
    });
    const middles = points.filter((p) => p.length).map(middle);
    for (let i = 1; i < middles.length; i++) line(middles[i - 1]!, middles[i]!, true);
    if (middles.length) labels.push({ text, at: labelPlace(middles), colour: colours.gold, clear: 0.1, weight: 900 });
  }
  for (const atoms of discs)
    if (atoms.length > 2 && stands(atoms)) planes.push(disc(cartesianOf(s, atoms), colours.water, 0.2));
  const layers: Layer[] = [];
  if (lines.length) layers.push({ kind: 'lines', name: 'measures', items: lines });
  if (planes.length) layers.push({ kind: 'planes', name: 'measures', items: planes });
  if (labels.length) layers.push({ kind: 'labels', name: 'measures', items: labels });
  return layers;
}

/** Beside the middle of a distance, at the apex of an angle, on the axis of a torsion. */
const labelPlace = (at: readonly Vec3[]): Vec3 =>
  at.length === 3 ? at[1]! : at.length === 4 ? middle([at[1]!, at[2]!]) : middle(at);

function ends(points: readonly Vec3[]): [Vec3, Vec3] {
  const first = points[0]!,
    last = points.at(-1)!;
  const along = scale(normalize(subtract(last, first)), OUT);
  return [subtract(first, along), add(last, along)];
}
