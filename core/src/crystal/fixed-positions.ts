/** Positions of a group that leave an atom no freedom, and how many atoms any position holds. */
import type { Vec3 } from '../math/matrix3.ts';
import { applyOperator } from './operator.ts';
import { allOperators, groupOrder, siteFreedom, siteSymmetry, type SpaceGroup } from './space-group.ts';

/** Fixed positions have coordinates that are multiples of this part of the cell in every tabulated setting. */
const PARTS = 24;
/** Which operators keep a point does not depend on the metric. */
const ANY_METRIC = [100, 0, 0, 0, 100, 0, 0, 0, 100];

export interface FixedPosition {
  readonly x: Vec3;
  /** Atoms per cell. */
  readonly multiplicity: number;
}

export interface Places {
  /** One of each orbit that leaves no freedom. */
  readonly fixed: readonly FixedPosition[];
  /** Atoms per cell of the positions that can be taken again and again, general one included, fewest first. */
  readonly free: readonly number[];
}

const keyOf = (x: Vec3): number =>
  x.reduce((key, v) => key * PARTS + (Math.round((v - Math.floor(v + 1e-6)) * PARTS) % PARTS), 0);

const known = new WeakMap<SpaceGroup, Places>();

/** Special positions by their freedom, found on a grid of 1/24 of the cell; worked out once a group. */
export function placesOf(group: SpaceGroup): Places {
  let places = known.get(group);
  if (!places) known.set(group, (places = findPlaces(group)));
  return places;
}

function findPlaces(group: SpaceGroup): Places {
  const operators = allOperators(group);
  const seen = new Set<number>();
  const fixed: FixedPosition[] = [];
  const free = new Set([groupOrder(group)]);
  for (let n = 0; n < PARTS ** 3; n++) {
    const x: Vec3 = [Math.floor(n / PARTS ** 2) / PARTS, (Math.floor(n / PARTS) % PARTS) / PARTS, (n % PARTS) / PARTS];
    if (seen.has(keyOf(x))) continue;
    const site = siteSymmetry(group, ANY_METRIC, x);
    for (const o of operators) seen.add(keyOf(applyOperator(o, x)));
    if (siteFreedom(site)) free.add(site.multiplicity);
    else fixed.push({ x, multiplicity: site.multiplicity });
  }
  return { fixed, free: [...free].sort((p, q) => p - q) };
}
