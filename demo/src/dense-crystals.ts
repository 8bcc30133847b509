/** Made-up dense crystals of cations and anions for tests: atoms on general and special positions, none too near another. */
import { cellVolume, metricTensor, type Cell } from '@nagare/core/crystal/cell';
import { operatorsNear } from '@nagare/core/crystal/neighbours';
import { crystalClass, crystalSystem, rotationsOf } from '@nagare/core/crystal/point-group';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import {
  allOperators,
  groupOrder,
  siteSymmetry,
  snapToSymmetry,
  type SpaceGroup,
} from '@nagare/core/crystal/space-group';
import { newId, type Site, type Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { seededRandom, type Random } from '@nagare/core/math/random';
import { measure, type Measurement } from './simulate.ts';

/** Sizes in Å that keep atoms of these elements apart; rough, since nothing here needs to be a real compound. */
const CATIONS: Readonly<Record<string, number>> = {
  Li: 0.7,
  Na: 1,
  K: 1.4,
  Mg: 0.7,
  Ca: 1,
  Sr: 1.2,
  Ba: 1.4,
  Al: 0.55,
  Si: 0.35,
  P: 0.3,
  Ti: 0.6,
  Mn: 0.7,
  Fe: 0.65,
  Cu: 0.7,
  Zn: 0.7,
  Y: 0.95,
  Zr: 0.75,
  Nb: 0.65,
  Ag: 1.1,
  In: 0.8,
  La: 1.1,
  W: 0.6,
  Pb: 1.2,
  Bi: 1,
};
const ANIONS: Readonly<Record<string, number>> = { O: 1.36, F: 1.3, S: 1.8, Cl: 1.8 };

/** Places tried for a site; the snuggest of those that fit is taken. */
const PLACES = 150;
/** Å³ of an atom above which a cell counts as empty still, for small and for large anions. */
const ROOM = { small: 17, large: 30 };

type Ions = Readonly<Record<string, number>>;

const chosen = (from: Ions, random: Random, count: number): string[] => {
  const left = Object.keys(from);
  return Array.from({ length: count }, () => left.splice(random.below(left.length), 1)[0]!);
};

function randomCell(group: SpaceGroup, volume: number, random: Random): Cell {
  const system = crystalSystem(crystalClass(rotationsOf(group)));
  const [x, y, z] = [0, 1, 2].map(() => Math.exp(0.35 * random.normal())) as [number, number, number];
  const right = { alpha: 90, beta: 90, gamma: 90 };
  const shapes: Readonly<Record<string, () => Cell>> = {
    triclinic: () => ({
      a: x,
      b: y,
      c: z,
      alpha: 80 + 20 * random.next(),
      beta: 92 + 20 * random.next(),
      gamma: 80 + 20 * random.next(),
    }),
    monoclinic: () => ({ a: x, b: y, c: z, ...right, beta: 92 + 25 * random.next() }),
    orthorhombic: () => ({ a: x, b: y, c: z, ...right }),
    tetragonal: () => ({ a: x, b: x, c: z, ...right }),
    cubic: () => ({ a: x, b: x, c: x, ...right }),
  };
  const cell = (shapes[system] ?? (() => ({ a: x, b: x, c: 1.5 * z, ...right, gamma: 120 })))();
  const f = Math.cbrt(volume / cellVolume(cell));
  return { ...cell, a: cell.a * f, b: cell.b * f, c: cell.c * f };
}

/** How near two atoms may come, Å. */
function leastDistance(p: string, q: string): number {
  const [a, b] = [ANIONS[p], ANIONS[q]];
  if (a && b) return 0.86 * (a + b);
  if (!a && !b) return 2.7;
  return 0.92 * ((a ?? CATIONS[p]!) + (b ?? CATIONS[q]!));
}

/** Smallest of distance over least distance from a place to every atom, copies of its own included; below 1 is too near. */
function clearance(s: Structure, element: string, x: Vec3): number {
  const g = metricTensor(s.cell);
  const operators = allOperators(s.spaceGroup);
  let least = Infinity;
  for (const other of s.sites)
    least = Math.min(
      least,
      operatorsNear(operators, g, other.position, x).distance / leastDistance(element, other.element),
    );
  const own = operators
    .map((o) => operatorsNear([o], g, x, x).distance)
    .filter((d) => d > 0.01)
    .reduce((m, d) => Math.min(m, d), Math.min(s.cell.a, s.cell.b, s.cell.c));
  return Math.min(least, own / leastDistance(element, element));
}

/** One more atom where it fits snugly, often on a special position; undefined where no place was found. */
function withOneMore(s: Structure, element: string, random: Random): Structure | undefined {
  const g = metricTensor(s.cell);
  let best: { x: Vec3; at: number } | undefined;
  for (let n = 0; n < PLACES; n++) {
    const anywhere: Vec3 = [random.next(), random.next(), random.next()];
    const x = snapToSymmetry(s.spaceGroup, g, anywhere, 1.4 * random.next());
    const at = clearance(s, element, x);
    if (at >= 1 && (!best || at < best.at)) best = { x, at };
  }
  if (!best) return undefined;
  const site: Site = {
    id: newId(),
    label: `${element}${s.sites.length + 1}`,
    element,
    position: best.x,
    occupancy: 1,
    displacement: { kind: 'iso', u: (element in ANIONS ? 0.009 : 0.006) * (0.7 + 0.6 * random.next()) },
  };
  return { ...s, sites: [...s.sites, site] };
}

const atomsIn = (s: Structure): number => {
  const g = metricTensor(s.cell);
  return s.sites.reduce((sum, x) => sum + siteSymmetry(s.spaceGroup, g, x.position).multiplicity, 0);
};

/** A dense crystal in a group; the same for the same seed. Throws RangeError where none was found. */
export function denseCrystal(symbol: string, seed: number): Structure {
  const random = seededRandom(seed);
  const spaceGroup = spaceGroupFromSymbol(symbol);
  for (let attempt = 0; attempt < 60; attempt++) {
    const cations = chosen(CATIONS, random, 1 + random.below(3)),
      [anion] = chosen(ANIONS, random, 1) as [string];
    const room = ANIONS[anion]! > 1.5 ? ROOM.large : ROOM.small;
    // Small cells in high symmetry, or there would be no end of atoms.
    const volume = 90 + 60 * Math.sqrt(groupOrder(spaceGroup)) * (0.5 + 2 * random.next());
    let s: Structure = { cell: randomCell(spaceGroup, volume, random), spaceGroup, sites: [] };
    for (let n = 0; n < 40; n++) {
      const element = n < cations.length ? cations[n]! : anion;
      const more = withOneMore(s, element, random);
      if (!more) break;
      s = more;
    }
    if (s.sites.some((x) => x.element === anion) && cellVolume(s.cell) / atomsIn(s) < room) return s;
  }
  throw new RangeError(`No dense crystal was found in ${symbol} with seed ${seed}.`);
}

/** A dense crystal with its measured intensities. */
export function measuredDense(
  symbol: string,
  seed: number,
  change: Partial<Measurement> = {},
): { structure: Structure; raw: RawReflections; wavelength: number } {
  const structure = denseCrystal(symbol, seed);
  const measurement: Measurement = {
    dMin: 0.7,
    wavelength: 0.71075,
    coverage: 0.97,
    repeats: 2,
    meanCounts: 500,
    systematic: 0.02,
    outliers: 0,
    ...change,
  };
  return {
    structure,
    raw: measure(structure, measurement, seededRandom(seed + 1)),
    wavelength: measurement.wavelength,
  };
}
