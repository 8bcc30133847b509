/** Groups with fewer operations on the same lattice (translationengleiche subgroups), each with the twin law it implies, and the model written out in one. */
import { nameGroup } from '../crystal/identify.ts';
import { rotationKey, rotationType, type Operator } from '../crystal/operator.ts';
import { crystalClass, laueRotations, properSubgroups, rotationsOf } from '../crystal/point-group.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import { allOperators, groupOrder, spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import { metricTensor } from '../crystal/cell.ts';
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import type { TwinComponent } from '../crystal/treatment.ts';
import { moveSite } from '../geometry/bonds.ts';
import { multiply3, transpose3, type Mat3, toVec3 } from '../math/matrix3.ts';
import { elementOfOperator } from './elements.ts';

export interface Subgroup {
  readonly group: SpaceGroup;
  readonly index: number;
  /** Operations given up, one of each coset, in words. */
  readonly lost: readonly { readonly operator: Operator; readonly words: string }[];
  /** Twin components the lost rotations imply; empty where they only give up the inversion or a translation class the intensities cannot tell. */
  readonly twins: readonly TwinComponent[];
}

/** Maximal subgroups of index 2 or 3 with the same lattice. */
export function subgroups(group: SpaceGroup): Subgroup[] {
  const rotations = rotationsOf(group);
  const index = (m: readonly Mat3[]): number => rotations.length / m.length;
  const all = properSubgroups(rotations).filter((m) => index(m) === 2 || index(m) === 3);
  return all
    .map((members) => subgroupOf(group, members))
    .sort(
      (p, q) =>
        p.index - q.index ||
        Number(q.group.centric) - Number(p.group.centric) ||
        p.group.symbol.localeCompare(q.group.symbol),
    );
}

/** The subgroup of the operations whose rotations are given (a group themselves), on the same lattice. */
export function subgroupOf(group: SpaceGroup, members: readonly Mat3[]): Subgroup {
  const keys = new Set(members.map(rotationKey));
  const kept = group.representatives.filter((o) => keys.has(rotationKey(o.r)));
  const made = nameGroup(
    spaceGroupFromOperators([...kept, ...group.centring.map((t): Operator => ({ r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t }))]),
  );
  const lost = cosetsLost(group, members);
  // Rotations of the Laue group are invisible in the intensities unless Friedel pairs differ.
  const laue = new Set(laueRotations(members).map(rotationKey));
  const twins = lost
    .filter((l) => !laue.has(rotationKey(l.operator.r)) || !made.centric)
    .map((l): TwinComponent => {
      const seen = laue.has(rotationKey(l.operator.r));
      const law = (seen ? [-1, 0, 0, 0, -1, 0, 0, 0, -1] : transpose3(l.operator.r)) as Mat3;
      return {
        law,
        fraction: 1 / (lost.length + 1),
        name: seen ? 'inversion' : l.words.replace(/ at .*| through .*/, ''),
      };
    });
  return { group: made, index: group.representatives.length / members.length, lost, twins };
}

/** One operation of each coset that a subgroup gives up, the simplest. */
function cosetsLost(group: SpaceGroup, members: readonly Mat3[]): { operator: Operator; words: string }[] {
  const covered = new Set(members.map(rotationKey));
  const simple = [...group.representatives].sort(
    (p, q) => Math.abs(rotationType(p.r)) - Math.abs(rotationType(q.r)) || rotationType(q.r) - rotationType(p.r),
  );
  return simple.flatMap((o) => {
    if (covered.has(rotationKey(o.r))) return [];
    for (const m of members) covered.add(rotationKey(multiply3(o.r, m)));
    return [{ operator: o, words: elementOfOperator(o, group.centring)?.words ?? '' }];
  });
}

/** The same crystal with every lost operation written out as sites of its own. Labels get a letter more for each copy. */
export function lowerSymmetry(s: Structure, to: Subgroup): Structure {
  const metric = metricTensor(s.cell),
    kept = allOperators(to.group);
  const sites: Site[] = s.sites.map((x) => x);
  const taken = new Set(sites.map((x) => x.label));
  for (const x of s.sites) {
    const family = [x.position];
    to.lost.forEach(({ operator }, n) => {
      const moved = moveSite(s, x, operator);
      // What the kept operations make of a copy already there is no site of its own.
      if (family.some((p) => operatorsNear(kept, metric, p, moved.position).distance < 0.01)) return;
      const position = toVec3(moved.position.map((v, k) => v - Math.round(v - x.position[k]!)));
      family.push(position);
      let label = `${x.label}${String.fromCharCode(65 + (n % 26))}`;
      while (taken.has(label)) label += 'A';
      taken.add(label);
      sites.push({ ...moved, position, id: newId(), label });
    });
  }
  const { controls: _c, ...plain } = s;
  return { ...plain, spaceGroup: to.group, sites };
}

/** Words for what is given up: "loses the c glide plane ⊥ b …". */
export const subgroupWords = (g: Subgroup): string =>
  `${g.group.symbol} (class ${crystalClass(rotationsOf(g.group))}, ${groupOrder(g.group)} of ${groupOrder(g.group) * g.index} operations) gives up the ${g.lost.map((l) => l.words.replace(/ at .*| through .*/, '')).join(' and the ')}`;
