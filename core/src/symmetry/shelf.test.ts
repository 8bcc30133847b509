/** Every structure of the shelf has the symmetry it is given with, and comes back when it is written out with less. */
import { describe, expect, it } from 'vitest';
import { wholeCell } from '../build/whole-cell.ts';
import { axisVectors, metricTensor } from '../crystal/cell.ts';
import { properSubgroups, rotationsOf } from '../crystal/point-group.ts';
import { siteSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, toVec3, type Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { missedWithOpinion } from './report.ts';
import { lowerSymmetry, subgroupOf } from './subgroups.ts';

const TOLERANCE = 0.25;

/** Distortions by nature: their parent is near, and theirs is not the parent's symmetry. */
const DISTORTED: Readonly<Record<string, number>> = { 'barium-titanate': 221, 'zirconia-tetragonal': 225 };

/** Every place moved by `length` Å in a direction of its own, as far as its symmetry lets it. */
function moved(s: Structure, length: number, random: Random): Structure {
  const [a, b, c] = axisVectors(s.cell);
  const into = inverse3([a[0], b[0], c[0], a[1], b[1], c[1], a[2], b[2], c[2]]);
  const g = metricTensor(s.cell);
  // Atoms that share a place go together.
  const steps = new Map<string, Vec3>();
  const stepOf = (x: Vec3): Vec3 => {
    const key = x.map((v) => v.toFixed(4)).join();
    const known = steps.get(key);
    if (known) return known;
    const v = [random.normal(), random.normal(), random.normal()];
    const n = Math.hypot(...v);
    const step = apply3(into, toVec3(v.map((w) => (w * length) / n)));
    steps.set(key, step);
    return step;
  };
  return {
    ...s,
    sites: s.sites.map((x) => {
      const step = stepOf(x.position);
      const turns = siteSymmetry(s.spaceGroup, g, x.position).operators.map((o) => apply3(o.r, step));
      return {
        ...x,
        position: toVec3(x.position.map((v, i) => v + turns.reduce((sum, t) => sum + t[i]!, 0) / turns.length)),
      };
    }),
  };
}

const likely = (s: Structure): number[] =>
  missedWithOpinion(s, TOLERANCE)
    .filter((m) => m.likely)
    .map((m) => m.group.number);

describe('structures of the shelf', () => {
  const shelf = shippedShelf();

  it('have no further symmetry, but for those that are distortions: nearly, and by how much', { tags: 'long' }, () => {
    for (const e of shelf) {
      const missed = missedWithOpinion(e.structure, TOLERANCE);
      const parent = DISTORTED[e.id];
      const numbers = missed.map((m) => m.group.number);
      expect(
        missed.some((m) => m.likely),
        e.name,
      ).toBe(false);
      if (parent === undefined) expect(numbers, e.name).toEqual([]);
      else {
        expect(numbers[0], e.name).toBe(parent);
        expect(missed[0]!.maxDeviation).toBeGreaterThan(0.1);
        expect(missed[0]!.metricMisfit).toBeGreaterThan(0.006);
      }
    }
  });

  // One in fourteen, others than those this was made with; the whole list takes minutes.
  it.each(shelf.filter((_, i) => i % 14 === 3).map((e) => [e.id, e.structure] as const))(
    'come back from P 1 with every atom a twentieth of an Å away: %s',
    (id, s) => {
      expect(likely(moved(wholeCell(s), 0.05, seededRandom(7100 + id.length)))).toEqual([s.spaceGroup.number]);
    },
    30_000,
  );

  it('come back from subgroups on the same lattice', { tags: 'long' }, () => {
    const random = seededRandom(5108);
    for (let n = 0; n < 12; n++) {
      const { name, structure: s } = shelf[Math.floor(random.next() * shelf.length)]!;
      const lower = properSubgroups(rotationsOf(s.spaceGroup));
      const to = subgroupOf(s.spaceGroup, lower[Math.floor(random.next() * lower.length)]!);
      const found = likely(moved(lowerSymmetry(s, to), 0.05, random));
      expect(found, `${name} in ${to.group.symbol}`).toEqual([s.spaceGroup.number]);
    }
  });

  it('halite written out in P 1 is F m -3 m and nothing else', () => {
    const halite = shelf.find((e) => e.id === 'halite')!.structure;
    expect(missedWithOpinion(wholeCell(halite), TOLERANCE).map((m) => m.group.symbol)).toEqual(['F m -3 m']);
  });
});
