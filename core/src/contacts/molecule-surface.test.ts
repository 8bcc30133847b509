import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { textbook } from '../../../demo/src/textbook.ts';
import { elementOf } from '../crystal/elements.ts';
import { recognise } from '../formats/recognise.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { fingerprintOf, SurfaceSearch } from './molecule-surface.ts';

const asagi = () => {
  const found = recognise(readFileSync('demo/truth/asagi-8.cif', 'utf8'), 'asagi-8.cif').find((x) => x.structure);
  if (!found?.structure) throw new Error('no structure');
  return bonded(found.structure);
};

describe('the surface of a molecule', () => {
  it('of one atom among its like, by distance: the cube of a primitive cubic crystal', () => {
    const search = new SurfaceSearch(textbook('P m -3 m', 4, 4, [['Ar', 0, 0, 0]]));
    const s = search.of(0, 'distance');
    // Its edges are rounded off by the grid.
    expect(s.volume / 64).toBeGreaterThan(0.92);
    expect(s.volume / 64).toBeLessThan(1.005);
    const apart = Array.from(s.inside, (d, i) => Math.abs(d - s.outside[i]!)).sort((p, q) => p - q);
    expect(apart[Math.floor(0.7 * apart.length)]).toBeLessThan(0.02);
    expect(Math.min(...s.inside)).toBeCloseTo(2, 1);
  });

  it('by density: between neighbours half-way, and with gaps where three meet', () => {
    const search = new SurfaceSearch(textbook('F m -3 m', 5.4, 5.4, [['Ar', 0, 0, 0]]));
    const s = search.of(0, 'density');
    expect(Math.min(...s.inside)).toBeCloseTo((5.4 * Math.SQRT1_2) / 2, 1);
    const cell = 5.4 ** 3 / 4;
    expect(s.volume).toBeLessThan(cell);
    expect(s.volume).toBeGreaterThan(0.8 * cell);
  });

  it('distances at its vertices are those to the nearest atoms of plain lists', () => {
    const structure = asagi();
    const search = new SurfaceSearch(structure);
    const s = search.of(0, 'density');
    const own = search.crystal.molecules[0]!.at;
    const others = search.crystal.around(0, 9).flatMap((n) => cartesianOf(search.crystal.s, n.molecule.atoms));
    for (let i = 0; i < s.inside.length; i += 97) {
      const x: Vec3 = [s.positions[3 * i]!, s.positions[3 * i + 1]!, s.positions[3 * i + 2]!];
      expect(s.inside[i]).toBeCloseTo(Math.min(...own.map((y) => norm(subtract(x, y)))), 4);
      expect(s.outside[i]).toBeCloseTo(Math.min(...others.map((y) => norm(subtract(x, y)))), 4);
      const [p, q] = [s.elements[s.innerKind[i]!]!, s.elements[s.outerKind[i]!]!].map((e) => elementOf(e).vdwRadius);
      expect(s.closeness[i]).toBeCloseTo((s.inside[i]! - p!) / p! + (s.outside[i]! - q!) / q!, 4);
    }
  });

  it('a fingerprint holds the whole surface, by bins and by pairs', () => {
    const f = fingerprintOf(new SurfaceSearch(asagi()).of(0, 'density'));
    expect(f.shares.reduce((p, q) => p + q, 0)).toBeCloseTo(1, 4);
    expect(f.pairs.reduce((p, q) => p + q.share, 0)).toBeCloseTo(1, 4);
    // What is inside of one molecule is outside of its like: the pairs come out the same both ways.
    const share = (p: string, q: string): number => f.pairs.find((x) => x.inner === p && x.outer === q)?.share ?? 0;
    expect(share('O', 'H') / share('H', 'O')).toBeGreaterThan(0.6);
    expect(share('O', 'H') / share('H', 'O')).toBeLessThan(1.6);
  });

  it('is of no framework', () => {
    expect(() => new SurfaceSearch(textbook('F m -3 m', 3.6, 3.6, [['Cu', 0, 0, 0]]))).toThrow(/no molecule/);
  });
});
