/** Structures of no chemistry at all, in any setting: for tests that must hold whatever comes. */
import { cellFromMetric, metricTensor, type Cell } from '@nagare/core/crystal/cell';
import { groupOfSetting, SETTINGS } from '@nagare/core/crystal/settings';
import { siteSymmetry, snapToSymmetry, type SpaceGroup } from '@nagare/core/crystal/space-group';
import { isotropicTensor, rotateU, type AnisotropicU, type Site, type Structure } from '@nagare/core/crystal/structure';
import { multiply3, transpose3, type Mat3, type Vec3 } from '@nagare/core/math/matrix3';
import type { Random } from '@nagare/core/math/random';

const ELEMENTS = ['C', 'N', 'O', 'H', 'F', 'S', 'Cl', 'Si', 'Na', 'Fe', 'Zn', 'Br', 'Ag', 'Ba', 'W', 'U'] as const;

/** Between two numbers. */
const within = (random: Random, low: number, high: number): number => low + (high - low) * random.next();

const meanOf = (list: readonly (readonly number[])[]): number[] =>
  list[0]!.map((_, k) => list.reduce((sum, x) => sum + x[k]!, 0) / list.length);

/** A cell of 5 to 15 Å that the group allows: any metric, averaged over the group's rotations. */
export function randomCell(group: SpaceGroup, random: Random): Cell {
  const any: Cell = {
    a: within(random, 5, 15),
    b: within(random, 5, 15),
    c: within(random, 5, 15),
    alpha: within(random, 75, 105),
    beta: within(random, 75, 105),
    gamma: within(random, 75, 105),
  };
  const g = metricTensor(any);
  const turned = group.representatives.map((o) => multiply3(transpose3(o.r), multiply3(g, o.r)));
  return cellFromMetric(meanOf(turned) as unknown as Mat3);
}

/** A tensor with three positive principal values that the site's symmetry leaves as it is. */
function randomTensor(cell: Cell, rotations: readonly Mat3[], random: Random): AnisotropicU {
  const round = isotropicTensor(cell, within(random, 0.02, 0.06));
  const any = round.map((u) => u + within(random, -0.004, 0.004)) as unknown as AnisotropicU;
  return meanOf(rotations.map((r) => rotateU(cell, r, any))) as unknown as AnisotropicU;
}

/** What of a random structure there is to be. */
export interface RandomKinds {
  /** Sites on symmetry elements, charges, shared occupancies and disorder groups too. */
  readonly everything?: boolean;
}

function randomSite(i: number, cell: Cell, group: SpaceGroup, random: Random, { everything }: RandomKinds): Site {
  const metric = metricTensor(cell);
  // Twelfths and eighths are where symmetry elements are.
  const coordinate = (): number =>
    everything && random.below(3) === 0 ? random.below(25) / 24 : Number(random.next().toFixed(7));
  const position = snapToSymmetry(group, metric, [coordinate(), coordinate(), coordinate()] as Vec3);
  const { operators } = siteSymmetry(group, metric, position);
  const element = ELEMENTS[random.below(ELEMENTS.length)]!;
  const rotations = operators.map((o) => o.r);
  return {
    id: `s${i}`,
    label: `${element}${i + 1}`,
    element,
    position,
    occupancy: everything && random.below(4) === 0 ? Number(within(random, 0.1, 0.9).toFixed(6)) : 1,
    displacement:
      random.below(3) === 0
        ? { kind: 'iso', u: Number(within(random, 0.01, 0.08).toFixed(6)) }
        : { kind: 'aniso', u: randomTensor(cell, rotations, random) },
    ...(everything && random.below(4) === 0 ? { charge: random.below(5) - 2 } : {}),
    ...(everything && random.below(5) === 0
      ? { disorder: { assembly: 'AB'[random.below(2)]!, group: String(1 + random.below(2)) } }
      : {}),
  };
}

/** A structure of `count` sites in a setting drawn from all that are tabulated. */
export function randomStructure(random: Random, count: number, kinds: RandomKinds = {}): Structure {
  const spaceGroup = groupOfSetting(SETTINGS[random.below(SETTINGS.length)]!);
  const cell = randomCell(spaceGroup, random);
  return {
    cell,
    spaceGroup,
    sites: Array.from({ length: count }, (_, i) => randomSite(i, cell, spaceGroup, random, kinds)),
  };
}
