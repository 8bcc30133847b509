/** Structure factors in settings drawn from all that are tabulated, atoms on symmetry elements among them. */
import { describe, expect, it } from 'vitest';
import { directSum } from '../../../demo/src/direct-sum.ts';
import { randomStructure } from '../../../demo/src/random-structure.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { allOperators, reflectionSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { elementsOf, siteArrays } from '../refine/single-crystal-problem.ts';
import { scatteringTable, structureFactors } from './structure-factors.ts';

type Index = readonly [number, number, number];
const WAVELENGTH = 0.71075;
const SEEDS = Array.from({ length: 40 }, (_, i) => 2000 + i);

const index = (random: Random): Index => [random.below(9) - 4, random.below(9) - 4, random.below(9) - 4];

function factorsOf(s: Structure, list: readonly Index[]): [number, number][] {
  const elements = elementsOf(s);
  const [h, k, l] = [0, 1, 2].map((axis) => list.map((hkl) => hkl[axis]!));
  const hkl = { count: list.length, h: h!, k: k!, l: l! };
  const { a, b } = structureFactors(
    scatteringTable(s.cell, s.spaceGroup, hkl, elements, WAVELENGTH),
    siteArrays(s, elements),
  );
  return list.map((_, i) => [a[i]!, b[i]!]);
}

describe('structure factors in any setting', () => {
  it.each(SEEDS)('are the sum over the cell, atom by atom (seed %i)', (seed) => {
    const random = seededRandom(seed);
    const s = randomStructure(random, 5, { everything: true });
    const list = Array.from({ length: 8 }, () => index(random));
    factorsOf(s, list).forEach(([a, b], i) => {
      const [x, y] = directSum(s, ...list[i]!, WAVELENGTH);
      expect(a).toBeCloseTo(x, 6);
      expect(b).toBeCloseTo(y, 6);
    });
  });

  it('of equivalents differ by the phase of the operation, and those that are absent are zero', () => {
    for (const seed of SEEDS) {
      const random = seededRandom(seed + 100);
      const s = randomStructure(random, 4, { everything: true });
      const hkl = index(random);
      const operators = allOperators(s.spaceGroup);
      const { r, t } = operators[random.below(operators.length)]!;
      const turned = [0, 1, 2].map((j) => hkl[0] * r[j]! + hkl[1] * r[3 + j]! + hkl[2] * r[6 + j]!);
      const [[a, b], [c, d]] = factorsOf(s, [hkl, turned as unknown as Index]) as [[number, number], [number, number]];
      // F(h) = F(hR) exp(2πi h·t).
      const phase = 2 * Math.PI * hkl.reduce((sum, x, k) => sum + x * t[k]!, 0);
      expect(a).toBeCloseTo(c * Math.cos(phase) - d * Math.sin(phase), 6);
      expect(b).toBeCloseTo(c * Math.sin(phase) + d * Math.cos(phase), 6);
      if (reflectionSymmetry(s.spaceGroup, ...hkl).absent) expect(Math.hypot(a, b)).toBeLessThan(1e-6);
    }
  });

  it('move with the origin: a shift of the whole model changes phases alone', () => {
    for (const seed of SEEDS.slice(0, 15)) {
      const random = seededRandom(seed + 200);
      const s = { ...randomStructure(random, 5), spaceGroup: spaceGroupFromSymbol('P 1') };
      const shift = [random.next(), random.next(), random.next()];
      const moved = {
        ...s,
        sites: s.sites.map((x) => ({
          ...x,
          position: [x.position[0] + shift[0]!, x.position[1] + shift[1]!, x.position[2] + shift[2]!] as const,
        })),
      };
      const list = Array.from({ length: 5 }, () => index(random));
      const after = factorsOf(moved, list);
      factorsOf(s, list).forEach(([a, b], i) => {
        const phase = 2 * Math.PI * list[i]!.reduce((sum, x, k) => sum + x * shift[k]!, 0);
        expect(after[i]![0]).toBeCloseTo(a * Math.cos(phase) - b * Math.sin(phase), 6);
        expect(after[i]![1]).toBeCloseTo(a * Math.sin(phase) + b * Math.cos(phase), 6);
      });
    }
  });
});
