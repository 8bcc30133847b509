/** Which part of the crystal is drawn: a value, turned into the atoms it means. */
import {
  composePlacements,
  HOME,
  operatorOf,
  originalRef,
  placeNumber,
  positionOf,
  siteIndices,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { metricTensor, orthogonalization, reciprocalMetric } from '../crystal/cell.ts';
import { applyOperator } from '../crystal/operator.ts';
import { siteMultiplicity, type Structure } from '../crystal/structure.ts';
import { bonds, connectedUnit } from '../geometry/bonds.ts';
import { distinctNets, netsOf } from '../geometry/nets.ts';
import { apply3, norm, subtract, type Vec3, toVec3 } from '../math/matrix3.ts';

export type Extent =
  /** The sites as the model holds them. */
  | { readonly kind: 'unique' }
  /** Molecules of the unique part completed by symmetry. */
  | { readonly kind: 'molecules' }
  /** Exactly what one cell holds: every place in [0, 1) once. */
  | { readonly kind: 'cell' }
  /** The cell with what lies on its faces, edges and corners on every one of them. */
  | { readonly kind: 'closed cell' }
  /** Whole molecules whose middle lies in the cell; frameworks are cut at its faces. */
  | { readonly kind: 'packed cell' }
  /** Everything between two corners, fractional, faces included. */
  | { readonly kind: 'block'; readonly from: Vec3; readonly to: Vec3 }
  /** Everything within a radius (Å) of atoms. */
  | { readonly kind: 'sphere'; readonly around: readonly AtomRef[]; readonly radius: number }
  /** Everything between two planes of a family, at heights in units of their spacing, within a radius (Å) of the middle. */
  | {
      readonly kind: 'slab';
      readonly plane: Vec3;
      readonly from: number;
      readonly to: number;
      readonly radius: number;
    }
  /** One repeat of each molecule, chain, layer and framework, joined by its bonds. */
  | { readonly kind: 'motif' }
  /** The molecules, chains, layers or frameworks that atoms are part of: molecules whole, the others within a radius (Å). */
  | { readonly kind: 'net'; readonly of: readonly AtomRef[]; readonly radius: number }
  | { readonly kind: 'list'; readonly atoms: readonly AtomRef[] };

export type ExtentKind = Extent['kind'];

/** Fractional slack that puts a place on a face. */
const ON_FACE = 1e-4;

/** Drawn at most; beyond it a picture says nothing and the page stalls. */
export const MOST_DRAWN = 40_000;

/** Atoms of an extent, each place once. Throws RangeError where they would be too many to draw. */
export function atomsOfExtent(s: Structure, extent: Extent): AtomRef[] {
  switch (extent.kind) {
    case 'unique':
      return s.sites.map((x) => originalRef(x.id));
    case 'molecules':
      return completedMolecules(s);
    case 'cell':
      return insideBox(s, [0, 0, 0], [1, 1, 1], false);
    case 'closed cell':
      return insideBox(s, [0, 0, 0], [1, 1, 1], true);
    case 'packed cell':
      return packedCell(s);
    case 'block':
      return insideBox(s, extent.from, extent.to, true);
    case 'sphere':
      return insideSphere(s, extent.around, extent.radius);
    case 'slab':
      return insideSlab(s, extent);
    case 'motif':
      return distinct(
        s,
        distinctNets(s).flatMap((n) => n.atoms),
      );
    case 'net':
      return netsOfAtoms(s, extent.of, extent.radius);
    case 'list': {
      const index = siteIndices(s);
      return distinct(
        s,
        extent.atoms.filter((a) => index.has(a.site)),
      );
    }
  }
}

/** How many atoms one cell holds, every site counted by its multiplicity (occupancies aside). */
export const atomsPerCell = (s: Structure): number =>
  Math.round(s.sites.reduce((sum, x) => sum + siteMultiplicity(s, x), 0));

function distinct(s: Structure, atoms: readonly AtomRef[]): AtomRef[] {
  const seen = new Set<number>();
  return atoms.filter((a) => {
    const key = placeNumber(s, a);
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}

/** The most atoms a molecule is followed to before it counts as a network without end. */
const longestMolecule = (s: Structure): number => Math.max(200, 6 * s.sites.length);

function completedMolecules(s: Structure): AtomRef[] {
  const list = bonds(s);
  const seen = new Set<number>();
  const out: AtomRef[] = [];
  for (const site of s.sites) {
    const start = originalRef(site.id);
    if (seen.has(placeNumber(s, start))) continue;
    for (const a of connectedUnit(s, list, start, longestMolecule(s))) {
      const key = placeNumber(s, a);
      if (seen.has(key)) continue;
      seen.add(key);
      out.push(a);
    }
  }
  return out;
}

const fitsTheScreen = (n: number): void => {
  if (n > MOST_DRAWN)
    throw new RangeError(`More than ${MOST_DRAWN.toLocaleString('en')} atoms would be drawn. Choose a smaller part.`);
};

/** Every atom whose position passes, looked for in the cells from `low` to `high` (integers, inclusive). */
function scan(s: Structure, low: Vec3, high: Vec3, passes: (x: Vec3) => boolean): AtomRef[] {
  const { operators } = symmetryTable(s.spaceGroup);
  const cells = high.reduce((n, h, k) => n * Math.max(1, h - low[k]! + 1), 1);
  fitsTheScreen((cells * atomsPerCell(s)) / 30);
  const seen = new Set<number>();
  const out: AtomRef[] = [];
  for (const site of s.sites)
    operators.forEach((o, operator) => {
      const y = applyOperator(o, site.position);
      const base = toVec3(y.map((v) => Math.floor(v + ON_FACE)));
      for (let i = low[0]; i <= high[0]; i++)
        for (let j = low[1]; j <= high[1]; j++)
          for (let k = low[2]; k <= high[2]; k++) {
            const shift: Vec3 = [i - base[0], j - base[1], k - base[2]];
            if (!passes([y[0] + shift[0], y[1] + shift[1], y[2] + shift[2]])) continue;
            const ref: AtomRef = { site: site.id, operator, shift };
            const key = placeNumber(s, ref);
            if (seen.has(key)) continue;
            seen.add(key);
            out.push(ref);
          }
      fitsTheScreen(out.length);
    });
  return out;
}

function insideBox(s: Structure, from: Vec3, to: Vec3, closed: boolean): AtomRef[] {
  const low = toVec3(from.map((x) => Math.floor(x - ON_FACE)));
  const high = toVec3(to.map((x) => Math.ceil(x + ON_FACE)));
  const end = closed ? ON_FACE : -ON_FACE;
  return scan(s, low, high, (x) => x.every((v, k) => v > from[k]! - ON_FACE && v < to[k]! + end));
}

function insideSphere(s: Structure, around: readonly AtomRef[], radius: number): AtomRef[] {
  const index = siteIndices(s);
  const centres = around.filter((a) => index.has(a.site)).map((a) => positionOf(s, a));
  if (!centres.length || !(radius > 0)) return [];
  const m = orthogonalization(s.cell);
  const spans = reciprocalSpans(s, radius);
  const low = toVec3([0, 1, 2].map((k) => Math.floor(Math.min(...centres.map((c) => c[k]!)) - spans[k]!)));
  const high = toVec3([0, 1, 2].map((k) => Math.ceil(Math.max(...centres.map((c) => c[k]!)) + spans[k]!)));
  return scan(s, low, high, (x) => centres.some((c) => norm(apply3(m, subtract(x, c))) <= radius));
}

/** What bonds lead to from atoms: molecules to their end, chains, layers and frameworks within a radius. */
function netsOfAtoms(s: Structure, of: readonly AtomRef[], radius: number): AtomRef[] {
  const index = siteIndices(s);
  const starts = of.filter((a) => index.has(a.site));
  const nets = netsOf(s);
  const ends = (a: AtomRef): boolean => nets.list[nets.netOf(a)]!.dimension === 0;
  const whole = starts.filter(ends).flatMap((a) => connectedUnit(s, bonds(s), a, MOST_DRAWN));
  const endless = starts.filter((a) => !ends(a));
  const names = new Set(endless.map((a) => nets.nameOf(a)));
  const near = insideSphere(s, endless, radius).filter((a) => names.has(nets.nameOf(a)));
  return distinct(s, [...whole, ...near]);
}

/** How far a sphere reaches along each fractional coordinate: radius over the spacing of (100), (010), (001). */
function reciprocalSpans(s: Structure, radius: number): Vec3 {
  const g = reciprocalMetric(s.cell);
  return [radius * Math.sqrt(g[0]), radius * Math.sqrt(g[4]), radius * Math.sqrt(g[8])];
}

function insideSlab(s: Structure, slab: Extract<Extent, { kind: 'slab' }>): AtomRef[] {
  const [h, k, l] = slab.plane;
  if (!h && !k && !l) throw new RangeError('The plane (0 0 0) is none. Give three indices, not all of them zero.');
  const g = reciprocalMetric(s.cell);
  const normal = apply3(g, slab.plane);
  const square = h * normal[0] + k * normal[1] + l * normal[2];
  // The point of the slab's middle plane nearest to the origin.
  const middle = toVec3(normal.map((x) => (x / square) * ((slab.from + slab.to) / 2)));
  const metric = metricTensor(s.cell);
  const spans = reciprocalSpans(s, slab.radius + (0.5 * (slab.to - slab.from)) / Math.sqrt(square));
  const low = toVec3(middle.map((x, i) => Math.floor(x - spans[i]!)));
  const high = toVec3(middle.map((x, i) => Math.ceil(x + spans[i]!)));
  return scan(s, low, high, (x) => {
    const height = h * x[0] + k * x[1] + l * x[2];
    if (height < slab.from - ON_FACE || height > slab.to + ON_FACE) return false;
    // Within the plane: what is left of x − middle after its part along the normal.
    const d = subtract(x, middle);
    const along = (h * d[0] + k * d[1] + l * d[2]) / square;
    const flat: Vec3 = [d[0] - along * normal[0], d[1] - along * normal[1], d[2] - along * normal[2]];
    const gd = apply3(metric, flat);
    return flat[0] * gd[0] + flat[1] * gd[1] + flat[2] * gd[2] <= slab.radius ** 2;
  });
}

/** The pieces the unique part falls into: molecules whole, the sites of a network without end one by one. */
function pieces(s: Structure): AtomRef[][] {
  const list = bonds(s);
  const seen = new Set<number>();
  const out: AtomRef[][] = [];
  const limit = longestMolecule(s);
  for (const site of s.sites) {
    const start = originalRef(site.id);
    if (seen.has(placeNumber(s, start))) continue;
    const piece = connectedUnit(s, list, start, limit);
    for (const a of piece) seen.add(placeNumber(s, a));
    if (piece.length < limit && piece.length > 1) out.push(piece);
    else {
      const sites = new Set(piece.map((a) => a.site));
      out.push(...s.sites.filter((x) => sites.has(x.id)).map((x) => [originalRef(x.id)]));
    }
  }
  return out;
}

function packedCell(s: Structure): AtomRef[] {
  const { operators } = symmetryTable(s.spaceGroup);
  const seen = new Set<number>();
  const out: AtomRef[] = [];
  const put = (piece: readonly AtomRef[], by: Placement): void => {
    for (const a of piece) {
      const moved = { site: a.site, ...composePlacements(s.spaceGroup, by, a) };
      const key = placeNumber(s, moved);
      if (seen.has(key)) continue;
      seen.add(key);
      out.push(moved);
    }
  };
  for (const piece of pieces(s)) {
    const at = piece.map((a) => applyOperator(operatorOf(s.spaceGroup, a), positionOf(s, { ...HOME, site: a.site })));
    const middle = toVec3([0, 1, 2].map((k) => at.reduce((sum, x) => sum + x[k]!, 0) / at.length));
    operators.forEach((o, operator) => {
      const y = applyOperator(o, middle);
      const base = y.map((v) => -Math.floor(v + 0.001));
      // Lone sites on faces, edges and corners appear on every one of them.
      const choices = y.map((v, k) =>
        piece.length === 1 && Math.abs(v + base[k]!) < 0.001 ? [base[k]!, base[k]! + 1] : [base[k]!],
      );
      for (const i of choices[0]!)
        for (const j of choices[1]!) for (const k of choices[2]!) put(piece, { operator, shift: [i, j, k] });
    });
    fitsTheScreen(out.length);
  }
  return out;
}
