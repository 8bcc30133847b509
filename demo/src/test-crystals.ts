/** Small made-up crystals for tests, packed quickly, in any group. */
import { isHome } from '@nagare/core/crystal/atom-ref';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { Structure } from '@nagare/core/crystal/structure';
import { neighbours } from '@nagare/core/crystal/neighbours';
import { fragments } from '@nagare/core/geometry/bonds';
import { seededRandom } from '@nagare/core/math/random';
import { buildMolecule } from './molecule.ts';
import { pack } from './packing.ts';
import { crystalSites, measure, type Measurement } from './simulate.ts';

export function testCrystal(
  line: string,
  symbol: string,
  seed: number,
  change: Partial<Measurement> = {},
): { structure: Structure; raw: RawReflections; wavelength: number } {
  const random = seededRandom(seed);
  const molecules = line.split('.').map((l) => buildMolecule(l, random, 2));
  const group = spaceGroupFromSymbol(symbol);
  let structure = crystalSites(molecules, pack(molecules, group, random, 1200, 1), group, random);
  // A quick packing may leave molecules inside one another; another try then.
  for (let attempt = 0; attempt < 6 && closestContact(structure) < 1.7; attempt++)
    structure = crystalSites(molecules, pack(molecules, group, random, 2500, 1), group, random);
  const measurement = {
    dMin: 0.84,
    wavelength: 0.71075,
    coverage: 0.95,
    repeats: 1,
    meanCounts: 400,
    systematic: 0.02,
    outliers: 0,
    ...change,
  };
  return { structure, raw: measure(structure, measurement, random), wavelength: measurement.wavelength };
}

/** Shortest distance between atoms of different molecules, Å. */
export function closestContact(s: Structure): number {
  const list = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    2.4,
  );
  const unit = fragments(s);
  const home = s.sites.map((_, i) => unit.findIndex((f) => f.includes(i)));
  return list
    .filter((n) => home[n.from] !== home[n.to] || !isHome(n))
    .reduce((m, n) => Math.min(m, n.distance), Infinity);
}
