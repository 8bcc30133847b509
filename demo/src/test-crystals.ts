/** Small made-up crystals for tests, packed quickly, in any group. */
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { Structure } from '@nagare/core/crystal/structure';
import { seededRandom } from '@nagare/core/math/random';
import { buildMolecule } from './molecule.ts';
import { pack } from './packing.ts';
import { crystalSites, measure, type Measurement } from './simulate.ts';

export function testCrystal(line: string, symbol: string, seed: number, change: Partial<Measurement> = {}): { structure: Structure; raw: RawReflections; wavelength: number } {
  const random = seededRandom(seed);
  const molecules = line.split('.').map((l) => buildMolecule(l, random, 2));
  const group = spaceGroupFromSymbol(symbol);
  const structure = crystalSites(molecules, pack(molecules, group, random, 1200, 1), group, random);
  const measurement = { dMin: 0.84, wavelength: 0.71075, coverage: 0.95, repeats: 1, meanCounts: 400, systematic: 0.02, outliers: 0, ...change };
  return { structure, raw: measure(structure, measurement, random), wavelength: measurement.wavelength };
}
