/** A model moved to a supergroup: equivalent sites merged to one, what does not coincide kept as disordered about the new elements. */
import { metricTensor } from '../crystal/cell.ts';
import { NO_CONTROLS, pruneControls } from '../crystal/controls.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import type { Operator } from '../crystal/operator.ts';
import { allOperators, siteSymmetry } from '../crystal/space-group.ts';
import { rotateU, type AnisotropicU, type Site, type Structure } from '../crystal/structure.ts';
import { assembleAsymmetricUnit } from '../geometry/bonds.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';
import { describeIn } from './change-setting.ts';
import type { MissedGroup } from './supergroups.ts';

export interface Raised {
  readonly structure: Structure;
  /** Labels of sites merged into another: kept ← merged. */
  readonly merged: readonly { readonly kept: string; readonly from: readonly string[]; readonly deviation: number }[];
  /** Labels kept as disordered, because nothing of their kind stands where the new symmetry asks for it. */
  readonly disordered: readonly string[];
}

const moveBy = (s: Structure, x: Site, o: Operator): { position: Vec3; displacement: Site['displacement'] } => ({
  position: toVec3(
    [0, 1, 2].map(
      (i) => o.r[3 * i]! * x.position[0] + o.r[3 * i + 1]! * x.position[1] + o.r[3 * i + 2]! * x.position[2] + o.t[i]!,
    ),
  ),
  displacement:
    x.displacement.kind === 'iso' ? x.displacement : { kind: 'aniso', u: rotateU(s.cell, o.r, x.displacement.u) },
});

function meanSite(site: Site, parts: readonly { position: Vec3; displacement: Site['displacement'] }[]): Site {
  const n = parts.length;
  const position = toVec3([0, 1, 2].map((i) => parts.reduce((sum, p) => sum + p.position[i]!, 0) / n));
  const aniso = parts.every((p) => p.displacement.kind === 'aniso');
  const displacement: Site['displacement'] = aniso
    ? {
        kind: 'aniso',
        u: [0, 1, 2, 3, 4, 5].map(
          (k) => parts.reduce((sum, p) => sum + (p.displacement as { u: AnisotropicU }).u[k]!, 0) / n,
        ) as unknown as AnisotropicU,
      }
    : site.displacement.kind === 'iso'
      ? {
          kind: 'iso',
          u: parts.reduce((sum, p) => sum + (p.displacement.kind === 'iso' ? p.displacement.u : 0.04), 0) / n,
        }
      : site.displacement;
  const { positionSu: _p, ...rest } = site;
  return { ...rest, position, displacement };
}

/**
 * Describes the structure in the supergroup's axes and halves (thirds …) its asymmetric unit. Sites that the new operations carry
 * within `limit` Å of one another become one at their mean; others keep half (a third …) of their occupancy in a disorder group
 * about the element.
 */
export function raiseSymmetry(s: Structure, to: MissedGroup, limit = 0.7): Raised {
  const moved = {
    ...describeIn(s, to.change, to.group),
    cell: { ...to.cell, ...(to.cell.su ? { su: to.cell.su } : {}) },
  };
  const operators = allOperators(to.group),
    g = metricTensor(to.cell);
  const order = operators.length;
  // Sites per cell that a site of the old group had, counted in the new cell.
  const oldMultiplicity = s.sites.map(
    (x) =>
      (siteSymmetry(s.spaceGroup, metricTensor(s.cell), x.position).multiplicity * order) /
      (to.index * (s.spaceGroup.representatives.length * s.spaceGroup.centring.length)),
  );
  const gone = new Set<number>();
  const merged: { kept: string; from: string[]; deviation: number }[] = [];
  const disordered: string[] = [];
  const sites: Site[] = [];
  const partners = (i: number): { j: number; distance: number; operator: Operator }[] => {
    const x = moved.sites[i]!;
    const reach = isHydrogen(x.element) ? limit + 0.25 : limit;
    return moved.sites
      .flatMap((y, j) => {
        if (
          j === i ||
          gone.has(j) ||
          y.element !== x.element ||
          (x.disorder?.group ?? '') !== (y.disorder?.group ?? '')
        )
          return [];
        const n = operatorsNear(operators, g, y.position, x.position);
        return n.distance < reach ? [{ j, distance: n.distance, operator: n.operator }] : [];
      })
      .sort((p, q) => p.distance - q.distance);
  };
  moved.sites.forEach((x, i) => {
    if (gone.has(i)) return;
    const own = siteSymmetry(to.group, g, x.position, isHydrogen(x.element) ? 0.35 : Math.min(0.45, limit));
    let taken = oldMultiplicity[i]!;
    const parts = [moveBy(moved, x, { r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [0, 0, 0] })];
    const from: string[] = [];
    let deviation = 0;
    for (const p of partners(i)) {
      // No more partners than the new symmetry makes places.
      if (taken + oldMultiplicity[p.j]! > order + 1e-6) continue;
      taken += oldMultiplicity[p.j]!;
      gone.add(p.j);
      from.push(moved.sites[p.j]!.label);
      deviation = Math.max(deviation, p.distance);
      parts.push(moveBy(moved, moved.sites[p.j]!, p.operator));
    }
    let site = meanSite(x, parts);
    // On an element the site and its own images average to a point of it.
    const special = own.operators.length > 1 && Math.abs(taken - order / own.operators.length) < 1e-6;
    if (special)
      site = meanSite(
        site,
        own.operators.map((o) => moveBy(moved, site, o)),
      );
    const multiplicity = special ? order / own.operators.length : order;
    if (taken < multiplicity - 1e-6) {
      disordered.push(x.label);
      site = {
        ...site,
        occupancy: (x.occupancy * taken) / multiplicity,
        disorder: { assembly: x.disorder?.assembly ?? 'Z', group: '-1' },
      };
    }
    if (from.length) merged.push({ kept: x.label, from, deviation });
    sites.push(site);
  });
  const ids = new Set(sites.map((x) => x.id));
  const { controls: _c, ...plain } = moved;
  const kept = s.controls
    ? pruneControls(
        { ...(s.controls ?? NO_CONTROLS), occupancies: disordered.length ? [] : s.controls.occupancies },
        ids,
      )
    : undefined;
  // Hydrogen groups whose members or parents now sit on an element are placed anew rather than forced.
  const special = new Set(
    sites
      .filter((x) => x.occupancy < 0.999 || siteSymmetry(to.group, g, x.position, 0.02).operators.length > 1)
      .map((x) => x.id),
  );
  const controls = kept && {
    ...kept,
    hydrogens: kept.hydrogens.filter(
      (h) =>
        !special.has(h.parent) &&
        s.controls!.hydrogens.find((o) => o.id === h.id)!.hydrogens.length === h.hydrogens.length &&
        !h.hydrogens.some((x) => special.has(x)),
    ),
  };
  const structure = assembleAsymmetricUnit({ ...plain, sites, ...(controls ? { controls } : {}) });
  return { structure, merged, disordered };
}
