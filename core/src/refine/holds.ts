/** Model constraints that are not linear: hydrogen groups brought back to shape and rigid groups turned exactly after each step. */
import { orthogonalization } from '../crystal/cell.ts';
import { NO_CONTROLS, type HydrogenGroup } from '../crystal/controls.ts';
import {
  equivalentU,
  isotropicTensor,
  type AnisotropicU,
  type Displacement,
  type Site,
  type Structure,
} from '../crystal/structure.ts';
import { reshapeHydrogens } from '../geometry/hydrogens.ts';
import { parentReference, surroundingsAt, type ParentReference } from '../geometry/parents.ts';
import { add, apply3, inverse3, norm, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import {
  heldDisplacements,
  heldOccupancies,
  occupancyGroups,
  sharedDisplacements,
  sharedPositions,
  type RigidColumns,
} from './compile-constraints.ts';
import { siteOffset } from './parameters.ts';

interface HydrogenHold {
  readonly group: HydrogenGroup;
  readonly hydrogens: readonly number[];
  readonly reference: ParentReference;
}

/** The groups of a structure that ride or rotate, with their surroundings found once. */
export function hydrogenHolds(s: Structure): HydrogenHold[] {
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  return (s.controls ?? NO_CONTROLS).hydrogens.flatMap((group): HydrogenHold[] => {
    const parent = index.get(group.parent);
    const hydrogens = group.hydrogens.flatMap((h) => index.get(h) ?? []);
    if (parent === undefined || !hydrogens.length || (group.hold !== 'riding' && group.hold !== 'rotating')) return [];
    return [{ group, hydrogens, reference: parentReference(s, parent, s.sites[hydrogens[0]!]!.disorder) }];
  });
}

/** Brings held hydrogens into shape at physical parameters, in place. */
export function reshapeHeld(s: Structure, holds: readonly HydrogenHold[], physical: Float64Array): void {
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  const position = (i: number): Vec3 => [
    physical[siteOffset(i)]!,
    physical[siteOffset(i) + 1]!,
    physical[siteOffset(i) + 2]!,
  ];
  for (const { group, hydrogens, reference } of holds) {
    const moved = reshapeHydrogens(
      group.shape,
      surroundingsAt(s, reference, position),
      group.length,
      hydrogens.map((h) => apply3(m, position(h))),
    );
    moved.forEach((x, i) => apply3(inverse, x).forEach((v, k) => (physical[siteOffset(hydrogens[i]!) + k] = v)));
  }
}

/** Turns rigid groups by whole rotations instead of their tangent: `before` holds the parameters the shift was worked out at. */
export function turnRigid(
  s: Structure,
  groups: readonly RigidColumns[],
  before: Float64Array,
  shift: Float64Array,
  physical: Float64Array,
): void {
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  for (const { sites, column } of groups) {
    const xyz = sites.map((i) =>
      apply3(m, [before[siteOffset(i)]!, before[siteOffset(i) + 1]!, before[siteOffset(i) + 2]!]),
    );
    const centre = scale(
      xyz.reduce((p, q) => add(p, q), [0, 0, 0] as Vec3),
      1 / sites.length,
    );
    const t: Vec3 = [shift[column]!, shift[column + 1]!, shift[column + 2]!],
      omega: Vec3 = [shift[column + 3]!, shift[column + 4]!, shift[column + 5]!];
    const angle = norm(omega);
    sites.forEach((i, k) => {
      const r = subtract(xyz[k]!, centre);
      const turned = angle > 1e-12 ? turn(r, scale(omega, 1 / angle), angle) : r;
      apply3(inverse, add(add(centre, t), turned)).forEach((v, c) => (physical[siteOffset(i) + c] = v));
    });
  }
}

/** A structure whose values obey its controls: hydrogens in shape with tied U, shared values equal, group occupancies summing to one. */
export function obeyControls(s: Structure): Structure {
  if (!s.controls) return s;
  const shared = shareDisplacements(sharePositions(s));
  return shapeHydrogens(tieOccupancies(shared));
}

const withSite = (s: Structure, changed: ReadonlyMap<number, Site>): Structure =>
  changed.size ? { ...s, sites: s.sites.map((x, i) => changed.get(i) ?? x) } : s;

/** Sites that share a place take that of the one that leads them. */
function sharePositions(s: Structure): Structure {
  const changed = new Map<number, Site>();
  for (const { leader, members } of sharedPositions(s))
    for (const i of members) if (i !== leader) changed.set(i, { ...s.sites[i]!, position: s.sites[leader]!.position });
  return withSite(s, changed);
}

/** The sharers take the leader's kind; where they differ in value they meet in the middle, unless the leader is held. */
function shareDisplacements(s: Structure): Structure {
  const changed = new Map<number, Site>();
  const held = heldDisplacements(s);
  for (const { leader, members } of sharedDisplacements(s)) {
    const own = s.sites[leader]!.displacement;
    const all = members.map((i) => asKind(s, s.sites[i]!.displacement, own.kind));
    const displacement = held.has(leader) ? own : meanDisplacement(all);
    for (const i of members) changed.set(i, { ...s.sites[i]!, displacement });
  }
  return withSite(s, changed);
}

function asKind(s: Structure, d: Displacement, kind: Displacement['kind']): Displacement {
  if (d.kind === kind) return d;
  const u = equivalentU(s.cell, d);
  return kind === 'iso' ? { kind, u } : { kind, u: isotropicTensor(s.cell, u) };
}

/** Of displacements of one kind. */
function meanDisplacement(all: readonly Displacement[]): Displacement {
  const rows = all.map((d) => (d.kind === 'iso' ? [d.u] : [...d.u]));
  const mean = rows[0]!.map((_, k) => rows.reduce((sum, r) => sum + r[k]!, 0) / rows.length);
  return all[0]!.kind === 'iso' ? { kind: 'iso', u: mean[0]! } : { kind: 'aniso', u: mean as unknown as AnisotropicU };
}

/** Groups take the mean of their sites (or the value of a held one); the groups of an assembly sum to one. */
function tieOccupancies(s: Structure): Structure {
  const changed = new Map<number, Site>();
  const held = heldOccupancies(s);
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  for (const tie of (s.controls ?? NO_CONTROLS).occupancies) {
    const shared = tie.kind === 'shared' ? tie.sites.flatMap((id) => index.get(id) ?? []) : [];
    const groups = occupancyGroups(s, tie, shared).filter((g) => g.length);
    const fixed = groups.map((g) => g.find((i) => held.has(i)));
    const means = groups.map((g, k) =>
      fixed[k] === undefined
        ? g.reduce((sum, i) => sum + s.sites[i]!.occupancy, 0) / g.length
        : s.sites[fixed[k]]!.occupancy,
    );
    const values = tie.kind === 'assembly' && groups.length > 1 ? sumToOne(means, fixed) : means;
    groups.forEach((g, k) => {
      for (const i of g)
        if (Math.abs(s.sites[i]!.occupancy - values[k]!) > 1e-9)
          changed.set(i, { ...s.sites[i]!, occupancy: values[k]! });
    });
  }
  return withSite(s, changed);
}

/** Scales what is not held so that all together are one. */
function sumToOne(values: readonly number[], held: readonly (number | undefined)[]): number[] {
  const total = (isHeld: boolean): number =>
    values.reduce((sum, v, k) => sum + ((held[k] !== undefined) === isHeld ? v : 0), 0);
  const free = total(false),
    left = Math.max(0, 1 - total(true));
  return values.map((v, k) => (held[k] !== undefined || free <= 0 ? v : (v * left) / free));
}

/** Held hydrogens in their ideal shape, with U as a multiple of the parent's. */
function shapeHydrogens(s: Structure): Structure {
  const physical = new Float64Array(siteOffset(s.sites.length));
  s.sites.forEach((x, i) => physical.set(x.position, siteOffset(i)));
  reshapeHeld(s, hydrogenHolds(s), physical);
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  const changed = new Map<number, Site>();
  for (const g of (s.controls ?? NO_CONTROLS).hydrogens) {
    const parent = index.get(g.parent);
    if (parent === undefined) continue;
    const u = g.uFactor * Math.max(0.005, equivalentU(s.cell, s.sites[parent]!.displacement));
    for (const id of g.hydrogens) {
      const h = index.get(id);
      if (h === undefined) continue;
      const at = siteOffset(h);
      changed.set(h, {
        ...s.sites[h]!,
        position: [physical[at]!, physical[at + 1]!, physical[at + 2]!],
        ...(g.uFactor > 0 ? { displacement: { kind: 'iso' as const, u } } : {}),
      });
    }
  }
  return withSite(s, changed);
}

/** Occupancy of sites, and of all that share it: the number reads back as it was typed, the other groups of an assembly make up the rest. */
export function assignOccupancy(s: Structure, sites: readonly number[], occupancy: number): Structure {
  const meant = new Set(sites);
  const index = new Map(s.sites.map((x, i) => [x.id, i]));
  const others = new Map<number, number>();
  for (const tie of (s.controls ?? NO_CONTROLS).occupancies) {
    const shared = tie.kind === 'shared' ? tie.sites.flatMap((id) => index.get(id) ?? []) : [];
    const groups = occupancyGroups(s, tie, shared).filter((g) => g.length);
    const named = groups.filter((g) => g.some((i) => meant.has(i)));
    if (!named.length) continue;
    for (const i of named.flat()) meant.add(i);
    const rest = groups.filter((g) => !named.includes(g));
    const left = Math.max(0, 1 - named.length * occupancy);
    const now = rest.map((g) => s.sites[g[0]!]!.occupancy);
    const total = now.reduce((p, q) => p + q, 0);
    if (tie.kind === 'assembly')
      rest.forEach((g, k) => {
        for (const i of g) others.set(i, total > 0 ? (now[k]! * left) / total : left / rest.length);
      });
  }
  return {
    ...s,
    sites: s.sites.map((x, i) => {
      const value = meant.has(i) ? occupancy : others.get(i);
      return value === undefined ? x : { ...x, occupancy: value, occupancySu: 0 };
    }),
  };
}

/** Position of a site and of all that share it. */
export function assignPosition(s: Structure, site: number, position: Vec3): Structure {
  const group = sharedPositions(s).find((g) => g.members.includes(site))?.members ?? [site];
  return { ...s, sites: s.sites.map((x, i) => (group.includes(i) ? { ...x, position } : x)) };
}
