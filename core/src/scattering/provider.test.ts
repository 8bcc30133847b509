import { describe, expect, it } from 'vitest';
import type { Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Structure } from '../crystal/structure.ts';
import { type Vec3, toVec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { elementsOf, siteArrays } from '../refine/single-crystal-problem.ts';
import { formFactor, gaussianFactor } from './form-factor.ts';
import {
  scatteringTable,
  structureFactors,
  type ScatteringProvider,
  type ScatteringTable,
} from './structure-factors.ts';

const random = seededRandom(12);
const indices = { count: 40, h: new Int16Array(40), k: new Int16Array(40), l: new Int16Array(40) };
for (let i = 0; i < 40; i++)
  [indices.h, indices.k, indices.l].forEach((list) => (list[i] = Math.round(10 * random.next()) - 5));

const cells: Record<string, Cell> = {
  'P 1': { a: 7, b: 8, c: 9, alpha: 82, beta: 95, gamma: 104 },
  'P -1': { a: 7, b: 8, c: 9, alpha: 82, beta: 95, gamma: 104 },
  'P 1 21/c 1': { a: 7, b: 8, c: 9, alpha: 90, beta: 101, gamma: 90 },
  'P n a 21': { a: 7, b: 8, c: 9, alpha: 90, beta: 90, gamma: 90 },
  'I41/a:1': { a: 9, b: 9, c: 12, alpha: 90, beta: 90, gamma: 90 },
  'R -3': { a: 9, b: 9, c: 12, alpha: 90, beta: 90, gamma: 120 },
};

const model = (symbol: string): Structure => ({
  cell: cells[symbol]!,
  spaceGroup: spaceGroupFromSymbol(symbol),
  sites: ['O', 'C', 'S'].map((element, i) => ({
    id: `${i}`,
    label: `${element}${i}`,
    element,
    position: [random.next(), random.next(), random.next()] as const,
    occupancy: 1,
    displacement:
      i === 1
        ? { kind: 'iso' as const, u: 0.03 }
        : { kind: 'aniso' as const, u: [0.03, 0.04, 0.05, 0.004, -0.006, 0.008] as const },
  })),
});

/** Spherical atoms that stand `offset` (fractional) away from their sites, as a provider says it. */
function displaced(t: ScatteringTable, s: Structure, covered: readonly number[], offset: Vec3): ScatteringProvider {
  const factors = s.sites.map((x) => gaussianFactor(x.element));
  return {
    covers: Uint8Array.from(s.sites, (_, j) => (covered.includes(j) ? 1 : 0)),
    factor(j, o, i, out) {
      const r = t.rotations.subarray(9 * o, 9 * o + 9);
      const hkl = [t.h[i]!, t.k[i]!, t.l[i]!];
      const turned = [0, 1, 2].map((c) => hkl[0]! * r[c]! + hkl[1]! * r[3 + c]! + hkl[2]! * r[6 + c]!);
      const phase = 2 * Math.PI * turned.reduce((sum, x, c) => sum + x * offset[c]!, 0);
      const f = formFactor(factors[j]!, Math.sqrt(t.s2[i]!));
      out[0] = f * Math.cos(phase);
      out[1] = f * Math.sin(phase);
    },
  };
}

describe.each(Object.keys(cells))('a scattering provider in %s', (symbol) => {
  const s = model(symbol);
  const elements = elementsOf(s);
  const table = (wavelength: number): ScatteringTable =>
    scatteringTable(s.cell, s.spaceGroup, indices, elements, wavelength);

  it('that says what the table says gives the same structure factors, dispersion included', () => {
    const t = table(1.54187);
    const plain = structureFactors(t, siteArrays(s, elements));
    const told = structureFactors(t, siteArrays(s, elements), displaced(t, s, [0, 1, 2], [0, 0, 0]));
    for (let i = 0; i < indices.count; i++) {
      expect(told.a[i]).toBeCloseTo(plain.a[i]!, 9);
      expect(told.b[i]).toBeCloseTo(plain.b[i]!, 9);
    }
  });

  it('whose complex factors move an atom gives what the moved atom gives, every operator turning it', () => {
    const t = table(0);
    const offset: Vec3 = [0.021, -0.013, 0.034];
    const moved: Structure = {
      ...s,
      sites: s.sites.map((x, j) =>
        j === 2 ? x : { ...x, position: toVec3(x.position.map((v, c) => v + offset[c]!)) },
      ),
    };
    const truth = structureFactors(t, siteArrays(moved, elements));
    const told = structureFactors(t, siteArrays(s, elements), displaced(t, s, [0, 1], offset));
    const unmoved = structureFactors(t, siteArrays(s, elements));
    let change = 0;
    for (let i = 0; i < indices.count; i++) {
      expect(told.a[i]).toBeCloseTo(truth.a[i]!, 9);
      expect(told.b[i]).toBeCloseTo(truth.b[i]!, 9);
      change = Math.max(change, Math.abs(unmoved.a[i]! - truth.a[i]!));
    }
    // The offset is one that matters.
    expect(change).toBeGreaterThan(1);
  });
});
