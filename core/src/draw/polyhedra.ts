/** Polyhedra around chosen centres, from the atoms that are bonded to them. */
import { placeNumber, positionOf, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { hullFaces } from '../geometry/polyhedron.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { shadeColour } from './colours.ts';
import type { PolyhedronPrimitive } from './scene.ts';
import { matcherOf, type Which } from './style.ts';

export interface PolyhedronRule {
  readonly centre:
    | { readonly kind: 'element'; readonly element: string }
    | { readonly kind: 'site'; readonly site: string }
    | { readonly kind: 'chosen'; readonly which: Which; readonly others?: boolean };
  /** 0–1; 1 is solid. */
  readonly opacity: number;
  readonly edges: boolean;
  /** The atom in the middle and its bonds are drawn too. */
  readonly showCentre: boolean;
  /** Instead of the centre's. */
  readonly colour?: string;
  /** Instead of a darker shade of the faces'. */
  readonly edgeColour?: string;
  /** Pixels; 1 where absent. */
  readonly edgeWidth?: number;
}

/** Whether a rule speaks of a centre. */
function isCentre(s: Structure, { centre }: PolyhedronRule): (ref: AtomRef, site: Site) => boolean {
  if (centre.kind === 'site') return (ref) => centre.site === ref.site;
  if (centre.kind === 'element') return (_, site) => centre.element === site.element;
  return matcherOf(s, centre);
}

/** The rule that holds for an atom: the last that speaks of it. */
export function polyhedronRule(
  s: Structure,
  rules: readonly PolyhedronRule[],
): (centre: AtomRef) => PolyhedronRule | undefined {
  const index = siteIndices(s);
  const ways = rules.map((rule) => ({ rule, holds: isCentre(s, rule) }));
  return (ref) => ways.findLast(({ holds }) => holds(ref, s.sites[index.get(ref.site)!]!))?.rule;
}

/** Corners: what is bonded to an atom, as atoms of the crystal; where charges are known, of the opposite one. */
function cornersOf(s: Structure): (centre: AtomRef) => AtomRef[] {
  const charges = siteCharges(s);
  const bySite = bondsBySite(s, bonds(s)).map((list) =>
    list.filter((b) => (charges[b.from] ?? 0) * (charges[b.to] ?? 0) <= 0),
  );
  const index = siteIndices(s);
  return (centre) => bySite[index.get(centre.site)!]!.map((b) => neighbourRef(s, b, centre));
}

/** Atoms that polyhedra around the drawn ones need at their corners, beyond those drawn; each once. */
export function missingCorners(s: Structure, drawn: readonly AtomRef[], rules: readonly PolyhedronRule[]): AtomRef[] {
  if (!rules.length) return [];
  const ruleOf = polyhedronRule(s, rules);
  const corners = cornersOf(s);
  const have = new Set(drawn.map((a) => placeNumber(s, a)));
  const out: AtomRef[] = [];
  for (const a of drawn) {
    if (!ruleOf(a)) continue;
    for (const c of corners(a)) {
      const place = placeNumber(s, c);
      if (have.has(place)) continue;
      have.add(place);
      out.push(c);
    }
  }
  return out;
}

/** Å: corners this near to a face lie in it. */
const IN_FACE = 0.005;

/** Polyhedra of the drawn centres, coloured as their centres are. */
export function polyhedra(
  s: Structure,
  centres: readonly { readonly ref: AtomRef; readonly colour: string }[],
  rules: readonly PolyhedronRule[],
): PolyhedronPrimitive[] {
  const ruleOf = polyhedronRule(s, rules);
  const corners = cornersOf(s);
  const m = orthogonalization(s.cell);
  const at = (a: AtomRef): Vec3 => apply3(m, positionOf(s, a));
  return centres.flatMap(({ ref, colour }): PolyhedronPrimitive[] => {
    const rule = ruleOf(ref);
    if (!rule) return [];
    const vertices = corners(ref).map(at);
    const faces = vertices.length < 3 ? [] : facesOf(vertices);
    if (!faces.length) return [];
    return [
      {
        ref,
        vertices,
        faces,
        colour: rule.colour ?? colour,
        opacity: rule.opacity,
        edgeColour: rule.edgeColour ?? shadeColour(rule.colour ?? colour, 0.55),
        edgeWidth: rule.edges ? (rule.edgeWidth ?? 1) : 0,
      },
    ];
  });
}

/** Faces of the hull; corners in one plane make a single sheet, seen from both sides. */
function facesOf(vertices: readonly Vec3[]): number[][] {
  const faces = hullFaces(vertices, IN_FACE);
  if (faces.length) return withoutParts(faces.map((f) => f.corners));
  const flat = flatCorners(vertices);
  return flat.length < 3 ? [] : [flat, [...flat].reverse()];
}

/** Nearly flat faces are found whole and in part; the whole is kept. */
const withoutParts = (faces: number[][]): number[][] =>
  faces.filter((f) => !faces.some((g) => g.length > f.length && f.every((i) => g.includes(i))));

/** The corners of points in one plane, in their order around the middle. */
function flatCorners(vertices: readonly Vec3[]): number[] {
  // A point above the plane turns the sheet into a pyramid, whose base is looked for.
  const lifted = [...vertices, apex(vertices)];
  const base = hullFaces(lifted, IN_FACE).find((f) => !f.corners.includes(vertices.length));
  return base?.corners ?? [];
}

function apex(v: readonly Vec3[]): Vec3 {
  const [p, q, r] = [v[0]!, v[1]!, v[2]!];
  const u: Vec3 = [q[0] - p[0], q[1] - p[1], q[2] - p[2]],
    w: Vec3 = [r[0] - p[0], r[1] - p[1], r[2] - p[2]];
  const n: Vec3 = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
  const middle = [0, 1, 2].map((k) => v.reduce((sum, x) => sum + x[k]!, 0) / v.length);
  return [middle[0]! + n[0], middle[1]! + n[1], middle[2]! + n[2]];
}
