/** Model constraints that are not linear: hydrogen groups brought back to shape and rigid groups turned exactly after each step. */
import { orthogonalization } from '../crystal/cell.ts';
import { NO_CONTROLS } from '../crystal/controls.ts';
import { equivalentU, isotropicTensor, type Displacement, type Site, type Structure } from '../crystal/structure.ts';
import { reshapeHydrogens } from '../geometry/hydrogens.ts';
import { parentReference, surroundingsAt, type ParentReference } from '../geometry/parents.ts';
import { add, apply3, inverse3, norm, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { siteOffset, type RigidColumns } from './parameters.ts';
import type { HydrogenGroup } from '../crystal/controls.ts';

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
  const controls = s.controls;
  if (!controls) return s;
  const sites: Site[] = [...s.sites];
  const index = new Map(sites.map((x, i) => [x.id, i]));
  const known = (ids: readonly string[]): number[] => ids.flatMap((id) => index.get(id) ?? []);
  for (const c of controls.constraints) {
    const list = known(c.sites);
    if (list.length < 2) continue;
    const leader = sites[list[0]!]!;
    if (c.kind === 'shared position')
      for (const i of list.slice(1)) sites[i] = { ...sites[i]!, position: leader.position };
    if (c.kind === 'shared displacement') {
      // The sharers take the leader's kind; where they differ in value they meet in the middle.
      const asLeader = (d: Displacement): Displacement =>
        d.kind === leader.displacement.kind
          ? d
          : leader.displacement.kind === 'iso'
            ? { kind: 'iso', u: equivalentU(s.cell, d) }
            : { kind: 'aniso', u: isotropicTensor(s.cell, equivalentU(s.cell, d)) };
      const all = list.map((i) => asLeader(sites[i]!.displacement));
      const shared: Displacement =
        leader.displacement.kind === 'iso'
          ? { kind: 'iso', u: all.reduce((p, d) => p + (d as { u: number }).u, 0) / all.length }
          : {
              kind: 'aniso',
              u: [0, 1, 2, 3, 4, 5].map(
                (k) => all.reduce((p, d) => p + (d.u as readonly number[])[k]!, 0) / all.length,
              ) as never,
            };
      for (const i of list) sites[i] = { ...sites[i]!, displacement: shared };
    }
  }
  for (const tie of controls.occupancies) {
    const groups =
      tie.kind === 'shared'
        ? [known(tie.sites)]
        : tie.groups.map((g) =>
            sites.flatMap((x, i) => (x.disorder?.assembly === tie.assembly && x.disorder.group === g ? [i] : [])),
          );
    const values = groups.map((g) => (g.length ? g.reduce((p, i) => p + sites[i]!.occupancy, 0) / g.length : 0));
    const total = values.reduce((p, q) => p + q, 0);
    const factor = tie.kind === 'assembly' && groups.filter((g) => g.length).length > 1 && total > 0 ? 1 / total : 1;
    groups.forEach((g, k) => {
      for (const i of g)
        if (Math.abs(sites[i]!.occupancy - values[k]! * factor) > 1e-9)
          sites[i] = { ...sites[i]!, occupancy: values[k]! * factor };
    });
  }
  const tied: Structure = { ...s, sites };
  const physical = new Float64Array(2 + 10 * sites.length);
  sites.forEach((x, i) => physical.set(x.position, siteOffset(i)));
  reshapeHeld(tied, hydrogenHolds(tied), physical);
  for (const g of controls.hydrogens) {
    const parent = index.get(g.parent);
    if (parent === undefined) continue;
    for (const h of known(g.hydrogens)) {
      const at = siteOffset(h),
        x = sites[h]!;
      sites[h] = {
        ...x,
        position: [physical[at]!, physical[at + 1]!, physical[at + 2]!],
        ...(g.uFactor > 0
          ? {
              displacement: {
                kind: 'iso' as const,
                u: g.uFactor * Math.max(0.005, equivalentU(s.cell, sites[parent]!.displacement)),
              },
            }
          : {}),
      };
    }
  }
  return { ...s, sites };
}
