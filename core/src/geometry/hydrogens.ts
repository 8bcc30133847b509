/** Where hydrogens sit about a parent atom: directions from its neighbours, in Cartesian Å. Idealised geometry by hybridisation. */
import { add, cross, dot, norm, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import type { HydrogenShape } from '../crystal/controls.ts';

const RAD = Math.PI / 180;
const TETRAHEDRAL = Math.acos(-1 / 3);

/** Shapes whose torsion about the bond is not given by their neighbours. */
export const TURNING: ReadonlySet<HydrogenShape> = new Set([
  'methyl',
  'hydroxyl',
  'ammonium',
  'thiol',
  'pyramidal NH2',
]);
/** Shapes whose directions are kept as they are and only brought to their length. */
export const KEPT: ReadonlySet<HydrogenShape> = new Set(['water', 'chosen', 'bridging']);

export const usualCount: Record<HydrogenShape, number> = {
  aromatic: 1,
  vinyl: 1,
  'terminal vinyl': 2,
  alkyne: 1,
  methine: 1,
  methylene: 2,
  methyl: 3,
  hydroxyl: 1,
  'planar NH': 1,
  'planar NH2': 2,
  'pyramidal NH': 1,
  'pyramidal NH2': 2,
  'ammonium NH': 1,
  'ammonium NH2': 2,
  ammonium: 3,
  water: 2,
  thiol: 1,
  borane: 1,
  bridging: 1,
  chosen: 1,
};

/** X–H distance as X-rays see it, Å, at a temperature in K: shorter when warmer, since libration draws the centroid in. */
export function hydrogenLength(shape: HydrogenShape, element: string, temperature = 150): number {
  const low: Partial<Record<HydrogenShape, number>> = {
    aromatic: 0.95,
    vinyl: 0.95,
    'terminal vinyl': 0.95,
    alkyne: 0.95,
    methine: 1.0,
    methylene: 0.99,
    methyl: 0.98,
    hydroxyl: 0.84,
    water: 0.84,
    'planar NH': 0.88,
    'planar NH2': 0.88,
    'pyramidal NH': 0.91,
    'pyramidal NH2': 0.91,
    'ammonium NH': 1.0,
    'ammonium NH2': 0.92,
    ammonium: 0.91,
    thiol: 1.2,
    borane: 1.12,
    bridging: 1.15,
  };
  const byElement: Record<string, number> = { C: 0.98, N: 0.9, O: 0.84, S: 1.2, B: 1.12, Si: 1.4, P: 1.3 };
  const base = low[shape] ?? byElement[element] ?? 0.95;
  return base - (temperature >= 253 ? 0.02 : temperature >= 203 ? 0.01 : 0);
}

/** U(H)/U_eq(parent): 1.5 where the group turns or swings freely, 1.2 otherwise. */
export const displacementFactor = (shape: HydrogenShape): number =>
  ['methyl', 'hydroxyl', 'water', 'ammonium', 'thiol'].includes(shape) ? 1.5 : 1.2;

function perpendicular(v: Vec3): Vec3 {
  const other: Vec3 = Math.abs(v[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  return normalize(cross(v, other));
}

/** Directions on a cone about −`back` (the unit vector to the one neighbour), at an angle from `back`, the first in the half plane of `reference` turned by `torsion` radians. */
function coneDirections(back: Vec3, angle: number, count: number, reference: Vec3, torsion: number): Vec3[] {
  const across = subtract(reference, scale(back, dot(reference, back)));
  const side = norm(across) > 1e-3 ? normalize(across) : perpendicular(back);
  return Array.from({ length: count }, (_, i) => {
    const s = turn(side, back, torsion + (2 * Math.PI * i) / Math.max(1, count));
    return add(scale(back, Math.cos(angle)), scale(s, Math.sin(angle)));
  });
}

/** What stands around a parent: positions of its bonded neighbours, and for the first of them a further neighbour that defines torsions. */
export interface Surroundings {
  readonly parent: Vec3;
  readonly neighbours: readonly Vec3[];
  /** An atom bonded to the first neighbour. */
  readonly beyond?: Vec3;
}

/** Cone angle between the bond and the hydrogens, radians. */
export const coneAngle = (shape: HydrogenShape): number =>
  shape === 'hydroxyl' || shape === 'thiol' ? (shape === 'thiol' ? 96 : 109.5) * RAD : TETRAHEDRAL;

/**
 * Hydrogen positions of a shape. `torsion` (radians, from the plane of `beyond`) is used by shapes that turn.
 * Undefined where the neighbours do not allow the shape (a methine with two neighbours, say).
 */
export function idealHydrogens(
  shape: HydrogenShape,
  around: Surroundings,
  length: number,
  torsion = Math.PI,
): Vec3[] | undefined {
  const p = around.parent;
  const units = around.neighbours.map((n) => normalize(subtract(n, p)));
  const at = (d: Vec3): Vec3 => add(p, scale(d, length));
  const [first, second] = units;
  const beyond =
    around.beyond && around.neighbours[0] ? subtract(around.beyond, around.neighbours[0]) : ([0.3, 0.5, 0.8] as Vec3);
  const opposite = (): Vec3 | undefined => {
    const sum = units.reduce((s, u) => add(s, u), [0, 0, 0] as Vec3);
    return norm(sum) > 0.05 ? scale(normalize(sum), -1) : undefined;
  };
  switch (shape) {
    case 'aromatic':
    case 'vinyl':
    case 'planar NH':
      if (units.length === 1 && first) return coneDirections(first, 120 * RAD, 1, beyond, torsion).map(at);
      {
        const d = opposite();
        return d && units.length === 2 ? [at(d)] : undefined;
      }
    case 'methine':
    case 'ammonium NH': {
      const d = opposite();
      return d && units.length === 3 ? [at(d)] : undefined;
    }
    case 'borane': {
      const d = opposite();
      return d ? [at(d)] : undefined;
    }
    case 'pyramidal NH': {
      if (units.length !== 2 || !first || !second) return undefined;
      const out = opposite() ?? perpendicular(first),
        up = normalize(cross(first, second));
      // Half of a tetrahedron's two free corners; the torsion's sign says which.
      const sign = torsion >= 0 ? 1 : -1;
      return [at(add(scale(out, Math.cos(54.75 * RAD)), scale(up, sign * Math.sin(54.75 * RAD))))];
    }
    case 'methylene':
    case 'ammonium NH2': {
      if (units.length !== 2 || !first || !second) return undefined;
      const out = opposite(),
        up = cross(first, second);
      if (!out || norm(up) < 0.05) return undefined;
      // H–X–H closes a little as X's own angle opens (Bürgi & Dunitz 1994 give about 107.5° at 111°).
      const own = Math.acos(Math.max(-1, Math.min(1, dot(first, second))));
      const half = ((109.5 - 0.28 * (own / RAD - 109.5)) / 2) * RAD;
      const n = normalize(up);
      return [1, -1].map((s) => at(add(scale(out, Math.cos(half)), scale(n, s * Math.sin(half)))));
    }
    case 'terminal vinyl':
    case 'planar NH2': {
      if (units.length !== 1 || !first) return undefined;
      return coneDirections(
        first,
        120 * RAD,
        2,
        beyond,
        shape === 'planar NH2' || shape === 'terminal vinyl' ? 0 : torsion,
      ).map(at);
    }
    case 'alkyne':
      return units.length === 1 && first ? [at(scale(first, -1))] : undefined;
    case 'methyl':
      return units.length === 1 && first ? coneDirections(first, TETRAHEDRAL, 3, beyond, torsion).map(at) : undefined;
    case 'ammonium':
      return units.length === 1 && first ? coneDirections(first, TETRAHEDRAL, 3, beyond, torsion).map(at) : undefined;
    case 'pyramidal NH2': {
      if (units.length !== 1 || !first) return undefined;
      const [a, b] = coneDirections(first, 110 * RAD, 3, beyond, torsion);
      return [at(a!), at(b!)];
    }
    case 'hydroxyl':
    case 'thiol':
      return units.length === 1 && first
        ? coneDirections(first, coneAngle(shape), 1, beyond, torsion).map(at)
        : undefined;
    default:
      return undefined;
  }
}

/**
 * Brings hydrogens back to the ideal shape nearest to where they are: directions fixed by the neighbours are renewed,
 * turning groups keep their torsion, and shapes without a rule keep their directions.
 */
export function reshapeHydrogens(
  shape: HydrogenShape,
  around: Surroundings,
  length: number,
  now: readonly Vec3[],
): Vec3[] {
  const p = around.parent;
  const kept = (): Vec3[] => now.map((h) => add(p, scale(normalize(subtract(h, p)), length)));
  if (KEPT.has(shape)) return kept();
  if (shape === 'pyramidal NH') {
    const options = [1, -1].map((t) => idealHydrogens(shape, around, length, t));
    const best = options
      .filter((o): o is Vec3[] => !!o)
      .sort((a, b) => norm(subtract(a[0]!, now[0]!)) - norm(subtract(b[0]!, now[0]!)))[0];
    return best ?? kept();
  }
  const turns =
    TURNING.has(shape) ||
    (shape === 'planar NH' && around.neighbours.length === 1) ||
    (shape === 'vinyl' && around.neighbours.length === 1);
  const first = around.neighbours[0];
  if (turns && first) {
    const zero = idealHydrogens(shape, around, length, 0);
    if (!zero || zero.length < now.length) return kept();
    const axis = normalize(subtract(first, p));
    // The turn that brings the ideal set nearest, as the direction of Σ over atoms in the plane across the axis.
    let best = Infinity,
      result: Vec3[] | undefined;
    const offset = zero.length;
    // The hydrogens may be listed either way round the axis.
    for (const way of [1, -1])
      for (let shift = 0; shift < offset; shift++) {
        const of = (i: number): Vec3 => zero[(shift + way * i + 2 * offset) % offset]!;
        let c = 0,
          s = 0;
        now.forEach((h, i) => {
          const a = across(of(i), p, axis),
            b = across(h, p, axis);
          c += dot(a, b);
          s += dot(cross(a, b), axis);
        });
        const t = Math.atan2(s, c);
        const moved = now.map((_, i) => add(p, turn(subtract(of(i), p), axis, t)));
        const cost = moved.reduce((sum, m, i) => sum + norm(subtract(m, now[i]!)) ** 2, 0);
        if (cost < best - 1e-9) {
          best = cost;
          result = moved;
        }
      }
    return result ?? kept();
  }
  const ideal = idealHydrogens(shape, around, length);
  if (!ideal || ideal.length < now.length) return kept();
  return matchNearest(ideal, now);
}

const across = (h: Vec3, p: Vec3, axis: Vec3): Vec3 => {
  const v = subtract(h, p);
  return subtract(v, scale(axis, dot(v, axis)));
};

/** Ideal points in the order of the present ones, each used once. */
function matchNearest(ideal: readonly Vec3[], now: readonly Vec3[]): Vec3[] {
  const free = [...ideal];
  return now.map((h) => {
    let best = 0;
    free.forEach((x, i) => {
      if (norm(subtract(x, h)) < norm(subtract(free[best]!, h))) best = i;
    });
    return free.splice(best, 1)[0]!;
  });
}
