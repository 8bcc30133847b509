import { beforeAll, describe, expect, it } from 'vitest';
import { measure } from '../../../demo/src/simulate.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { analyseIntake, mergeForGroup } from '../solve/prepare.ts';
import { transformReflections, RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { primitiveBasis } from '../crystal/lattice.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { transformCell, type Cell } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { inverse3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { shippedShelf } from '../shelf/entry.ts';
import { parseXyz } from '../crystal/operator.ts';
import { countPossible, flatRotations, mergeReflections } from './merge.ts';
import { analyseLattice, detectCentring } from './lattice-analysis.ts';
import { intensityReading, normalizedIntensities } from './intensity-statistics.ts';
import { elementName } from './space-group-ranking.ts';

const cell: Cell = { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 };
const list = (rows: number[][]): RawReflections => {
  const b = new RawBuilder();
  for (const [h, k, l, i, s] of rows) b.push(h!, k!, l!, i!, s!);
  return b.build(false);
};

describe('merging', () => {
  it('puts equivalents together with inverse-variance weights', () => {
    const g = rotationsOf(spaceGroupFromSymbol('P 2/m'));
    const { reflections: r, statistics: s } = mergeReflections(
      list([
        [1, 2, 3, 100, 2],
        [-1, 2, -3, 104, 2],
        [1, -2, 3, 106, 4],
        [0, 1, 0, 50, 1],
      ]),
      cell,
      g,
    );
    expect(r.count).toBe(2);
    const i = r.multiplicity.indexOf(3);
    const mean = (100 / 4 + 104 / 4 + 106 / 16) / (1 / 4 + 1 / 4 + 1 / 16);
    expect(r.fsq[i]).toBeCloseTo(mean, 10);
    expect(s.rInt).toBeCloseTo((Math.abs(100 - mean) + Math.abs(104 - mean) + Math.abs(106 - mean)) / 310, 10);
    expect(s.rMeas / s.rInt).toBeCloseTo(Math.sqrt(3 / 2), 10);
  });

  it('rejects an outlier among several and says which', () => {
    const g = rotationsOf(spaceGroupFromSymbol('P -1'));
    const { reflections, statistics, outliers } = mergeReflections(
      list([
        [1, 0, 0, 100, 2],
        [-1, 0, 0, 101, 2],
        [1, 0, 0, 99, 2],
        [-1, 0, 0, 400, 3],
      ]),
      cell,
      g,
    );
    expect(statistics.rejected).toBe(1);
    expect(reflections.fsq[0]).toBeCloseTo(100, 6);
    expect(outliers[0]).toMatchObject({ h: -1, intensity: 400 });
  });

  it('counts what is possible', () => {
    const flat = flatRotations(rotationsOf(spaceGroupFromSymbol('P 2/m')));
    const [n] = countPossible(cell, flat, [0, 1 / 2]);
    const seen = new Set<string>();
    for (let h = -4; h <= 4; h++)
      for (let k = -4; k <= 4; k++)
        for (let l = -5; l <= 5; l++) {
          const beta = (100 * Math.PI) / 180,
            s2 = Math.sin(beta) ** 2;
          const d2 = ((h * h) / 64 + (l * l) / 100 - (2 * h * l * Math.cos(beta)) / 80) / s2 + (k * k) / 81;
          if (d2 > 0.25 || (!h && !k && !l)) continue;
          seen.add(
            [
              [h, k, l],
              [-h, k, -l],
              [h, -k, l],
              [-h, -k, -l],
            ]
              .map(String)
              .sort()[0]!,
          );
        }
    expect(n).toBe(seen.size);
  });
});

describe('a crystal in P 21/c', () => {
  let crystal: ReturnType<typeof testCrystal>;
  beforeAll(() => {
    crystal = testCrystal('COc1ccc(cc1)C(=O)Nc1ccc(O)cc1', 'P 1 21/c 1', 7, { repeats: 1.4, outliers: 0.001 });
  });

  it('is found with its absences, its statistics and its completeness', () => {
    const a = analyseIntake(crystal.raw, crystal.structure.cell);
    expect(a.lattice.laueClass).toBe('2/m');
    const [best] = a.ranking.groups;
    expect(best).toMatchObject({ number: 14, symbol: 'P 1 21/c 1', violations: 0 });
    const glide = a.ranking.elements.find((e) => e.element === 'c glide ⊥ b')!;
    expect(glide.condition).toBe('h0l: l = 2n');
    expect(glide.meanIOverSigma).toBeLessThan(1);
    expect(a.ranking.elements.find((e) => e.element === 'a glide ⊥ b')!.meanIOverSigma).toBeGreaterThan(3);
    const m = mergeForGroup(a.raw, a.cell, spaceGroupFromSymbol('P21/c'));
    expect(m.statistics.completeness).toBeGreaterThan(0.98);
    expect(m.statistics.rInt).toBeLessThan(0.08);
    expect(m.statistics.ccHalf).toBeGreaterThan(0.98);
    expect(m.statistics.shells.reduce((s, x) => s + x.unique, 0)).toBe(m.statistics.unique);
    const laue = mergeReflections(a.raw, a.cell, laueRotations(rotationsOf(spaceGroupFromSymbol('P21/c')))).reflections;
    const reading = intensityReading(
      laue,
      normalizedIntensities(laue, a.cell, spaceGroupFromSymbol('P21/c')),
      spaceGroupFromSymbol('P21/c'),
    );
    expect(Math.abs(reading.meanE2Minus1 - 0.968)).toBeLessThan(0.12);
  });

  it('is recognised from a merged list too, where nothing is left to compare', () => {
    const g = spaceGroupFromSymbol('P21/c');
    const m = mergeReflections(crystal.raw, crystal.structure.cell, rotationsOf(g)).reflections;
    const merged: RawReflections = {
      count: m.count,
      h: m.h,
      k: m.k,
      l: m.l,
      intensity: m.fsq,
      sigma: m.sigma,
      merged: true,
    };
    const a = analyseIntake(merged, crystal.structure.cell);
    expect(a.lattice.laueClass).toBe('2/m');
    expect(a.ranking.groups[0]!.number).toBe(14);
    expect(Number.isNaN(mergeForGroup(merged, crystal.structure.cell, g).statistics.rInt)).toBe(true);
  });

  it('is brought to its conventional cell from a skew one', () => {
    const p = [1, 1, 0, 0, 1, 0, 0, 0, 1] as const;
    const skew = transformReflections(crystal.raw, p).raw;
    const a = analyseIntake(skew, transformCell(crystal.structure.cell, p));
    expect(a.lattice.changed).toBe(true);
    expect(a.lattice.laueClass).toBe('2/m');
    expect(a.ranking.groups[0]!.number).toBe(14);
    expect(a.dropped).toBe(0);
  });
});

describe('the centring of a lattice', () => {
  const tin = shippedShelf().find((e) => e.id === 'cassiterite')!.structure;
  const ofTin = (s: Structure): RawReflections =>
    measure(
      s,
      { dMin: 0.7, wavelength: 0.71075, coverage: 0.97, repeats: 2, meanCounts: 500, systematic: 0.02, outliers: 0 },
      seededRandom(21),
    );

  it('is not taken for that of the heavy atoms where light ones break it, however weakly', () => {
    const raw = ofTin(tin);
    const { evidence, symbol } = detectCentring(raw);
    // Each observation by itself is nearly nothing; their averages are not.
    expect(evidence.find((e) => e.symbol === 'I')!.meanIOverSigma).toBeLessThan(1.2);
    expect(symbol).toBe('P');
  });

  it('is that of the heavy atoms where nothing else is there', () => {
    const alone = { ...tin, sites: tin.sites.filter((x) => x.element === 'Sn') };
    expect(detectCentring(ofTin(alone)).symbol).toBe('I');
  });
});

describe('the metric of a lattice', () => {
  const measuredOf = (s: Structure): RawReflections =>
    measure(
      s,
      { dMin: 0.8, wavelength: 0.71075, coverage: 0.97, repeats: 2, meanCounts: 500, systematic: 0.02, outliers: 0 },
      seededRandom(33),
    );
  const fromShelf = (id: string): Structure => shippedShelf().find((e) => e.id === id)!.structure;

  it('is asked beside intensities that hardly tell: c longer than a by 1 % is not cubic', () => {
    const titanate = fromShelf('barium-titanate');
    const { laueClass, agreements } = analyseLattice(measuredOf(titanate), titanate.cell);
    expect(laueClass).toBe('4/mmm');
    expect(agreements.every((x) => x.r < 0.05)).toBe(true);
  });

  it('may be off by what an unconstrained cell is off', () => {
    const spinel = fromShelf('spinel');
    const { a } = spinel.cell;
    const cell = { ...spinel.cell, a: 1.001 * a, b: 0.9985 * a, alpha: 90.15, beta: 89.9 };
    expect(analyseLattice(measuredOf(spinel), cell).laueClass).toBe('m-3m');
  });
});

it('a centred lattice given by its primitive cell is recognised', () => {
  const { structure, raw } = testCrystal('CC(O)c1ccccc1Cl', 'C 1 2/c 1', 3);
  expect(detectCentring(raw).symbol).toBe('C');
  const p = primitiveBasis(structure.spaceGroup.centring);
  const moved = transformReflections(raw, p).raw;
  const a = analyseIntake(moved, transformCell(structure.cell, p));
  expect(a.lattice.changed).toBe(true);
  expect(a.ranking.groups[0]!.number).toBe(15);
  expect(transformReflections(moved, inverse3(p)).raw.count).toBe(raw.count);
});

describe('names of elements', () => {
  it.each([
    ['-x,y+1/2,-z', '2₁ along b'],
    ['x,-y,z+1/2', 'c glide ⊥ b'],
    ['x+1/2,-y,z+1/2', 'n glide ⊥ b'],
    ['-y,x,z+1/4', '4₁ along c'],
    ['-y,x,z+3/4', '4₃ along c'],
    ['y,-x,z+1/4', '4₃ along c'],
    ['-y,x-y,z+1/3', '3₁ along c'],
    ['x-y,x,z+1/6', '6₁ along c'],
    ['x+1/4,-y,z+1/4', 'd glide ⊥ b'],
    ['-x,-y,-z', undefined],
    ['-x,y,-z', undefined],
  ])('%s is %s', (xyz, name) => {
    expect(elementName(parseXyz(xyz))).toBe(name);
  });
});
