import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import { recognise } from '@nagare/core/formats/recognise';
import { cartesianOf } from '@nagare/core/geometry/measure';
import { norm, subtract, type Vec3 } from '@nagare/core/math/matrix3';
import { energiesOf } from '@nagare/core/tasks/energies-task';
import { distinctPairs, energyState, energyTable, energyTubes, neighbourAtoms } from './energy-words.ts';

const found = recognise(readFileSync('demo/truth/asagi-8.cif', 'utf8'), 'asagi-8.cif').find((x) => x.structure);
const s = found!.structure!;
const energies = energiesOf(s);

describe('energies in words and in the picture', () => {
  it('each contact of two molecules once: as many again are seen from the other side, but for those about a centre', () => {
    const distinct = distinctPairs(s, energies.pairs);
    expect(distinct.length).toBeLessThan(energies.pairs.length);
    expect(2 * distinct.length).toBeGreaterThanOrEqual(energies.pairs.length);
    // What is left out has an equal that is kept.
    const kept = new Set(distinct);
    for (const p of energies.pairs.filter((x) => !kept.has(x)))
      expect(distinct.some((k) => Math.abs(k.energy - p.energy) < 1e-6)).toBe(true);
  });

  it('the neighbour that a pair names stands where its distance says', () => {
    const middle = (atoms: readonly Vec3[]): Vec3 => [0, 1, 2].map((k) => atoms.reduce((m, x) => m + x[k]! / atoms.length, 0)) as never; // prettier-ignore
    const heavy = (list: ReturnType<typeof neighbourAtoms>) => list.filter((a) => siteOf(s, a)!.element !== 'H');
    const own = middle(cartesianOf(s, heavy([...energies.molecules[0]!.atoms])));
    for (const p of energies.pairs.slice(0, 6)) {
      const other = middle(cartesianOf(s, heavy(neighbourAtoms(s, energies, p))));
      expect(norm(subtract(own, other))).toBeCloseTo(p.distance, 4);
    }
  });

  it('tubes are thick as energies are large, and none is weaker than asked', () => {
    const [all, strong] = [energyTubes(s, energies, 0, PAPER_COLOURS), energyTubes(s, energies, 10, PAPER_COLOURS)];
    expect(strong.length).toBeLessThan(all.length);
    const radii = strong.map((t) => t.radius);
    expect([...radii].sort((p, q) => q - p)).toEqual(radii);
  });

  it('the table holds every pair with its parts, the sentence the lattice', () => {
    const { columns, rows, notes } = energyTable(energies);
    expect(rows).toHaveLength(energies.pairs.length);
    expect(rows[0]).toHaveLength(columns.length);
    expect(notes[0]).toContain('estimate');
    expect(energyState(energies)).toMatch(/gains \d+\.\d kJ per mol of C14 H14 N2 O2/);
    const { lattice: _, ...none } = energies;
    expect(energyState(none)).toContain('Not everything here is a molecule');
  });
});
