/**
 * Whether two crystals pack one molecule alike: a molecule of the first with its nearest neighbours is looked for in the second,
 * laid over it by the molecule in its middle (Chisholm & Motherwell 2005, J. Appl. Cryst. 38, 228).
 */
import type { Structure } from '../crystal/structure.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { matchedWays } from '../geometry/superposition.ts';
import { norm, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { applySuperposition, superpose, type Superposition } from '../math/superpose.ts';
import { MolecularCrystal, mostOccupied, type Molecule } from './molecules.ts';

export interface PackingMatch {
  /** Molecules of the cluster that have one in their place, of how many. */
  readonly matched: number;
  readonly of: number;
  /** Å, over the atoms but hydrogens of those molecules. */
  readonly rms: number;
  /** The second was taken as its mirror image. */
  readonly mirrored: boolean;
}

export interface CrystalComparison {
  /** The molecules by themselves. */
  readonly molecules: { readonly rms: number; readonly mirrored: boolean };
  readonly packing: PackingMatch;
}

/** Molecules of a cluster, and how many times as many are looked at in the other crystal. */
export const CLUSTER = 15;
const SEARCHED = 2.4;
/** Å to which neighbours are looked for, until there are enough. */
const REACHES = [4, 7, 11, 16] as const;
/** Matchings of a molecule with itself that are tried, and rounds of laying over. */
const MOST_WAYS = 48,
  ROUNDS = 3;
/** How far an atom may lie off: Å, and share of its molecule's distance from the middle of the cluster. */
const NEAR = 1.1,
  SHARE = 0.15;

/** A molecule without its hydrogens. */
interface Heavy {
  readonly elements: readonly string[];
  readonly at: readonly Vec3[];
  readonly centroid: Vec3;
}

function heavyOf({ elements, at, centroid }: Molecule): Heavy {
  const kept = elements.flatMap((e, i) => (isHydrogen(e) ? [] : [i]));
  return { elements: kept.map((i) => elements[i]!), at: kept.map((i) => at[i]!), centroid };
}

/** A molecule and its nearest neighbours, itself first. */
function cluster(crystal: MolecularCrystal, index: number, count: number): Heavy[] {
  for (const reach of REACHES) {
    const around = crystal.around(index, reach);
    if (around.length + 1 >= count || reach === REACHES.at(-1))
      return [crystal.molecules[index]!, ...around.map((n) => n.molecule)].slice(0, count).map(heavyOf);
  }
  return [];
}

const through = (m: Heavy, move: (p: Vec3) => Vec3): Heavy => ({
  ...m,
  at: m.at.map(move),
  centroid: move(m.centroid),
});
const mirror = (m: Heavy): Heavy => through(m, (p) => scale(p, -1));

interface Found {
  readonly points: Vec3[];
  readonly targets: Vec3[];
  readonly matched: number;
}

/** Pairs of atoms of molecules that stand in one another's places, the second laid over the first by a fit. */
function placed(first: readonly Heavy[], second: readonly Heavy[], fit: Superposition): Found {
  const moved = second.map((m) => through(m, (p) => applySuperposition(fit, p)));
  const middle = first[0]!.centroid;
  const used = new Set<number>();
  const out: Found = { points: [], targets: [], matched: 0 };
  let matched = 0;
  for (const m of first) {
    const far = norm(subtract(m.centroid, middle));
    const most = NEAR + SHARE * far;
    let best: { k: number; pairs: number[]; off: number } | undefined;
    moved.forEach((other, k) => {
      if (used.has(k) || other.at.length !== m.at.length || norm(subtract(other.centroid, m.centroid)) > most) return;
      const found = nearestAtoms(m, other, most);
      if (found && (!best || found.off < best.off)) best = { k, ...found };
    });
    if (!best) continue;
    used.add(best.k);
    matched++;
    best.pairs.forEach((j, i) => {
      out.points.push(second[best!.k]!.at[j]!);
      out.targets.push(m.at[i]!);
    });
  }
  return { ...out, matched };
}

/** For each atom of a molecule the nearest free one of its element in another; undefined where one is further off than allowed. */
function nearestAtoms(m: Heavy, other: Heavy, most: number): { pairs: number[]; off: number } | undefined {
  const free = new Set(other.at.keys());
  const pairs: number[] = [];
  let off = 0;
  for (const [i, p] of m.at.entries()) {
    let best = -1,
      least = most;
    for (const j of free) {
      if (other.elements[j] !== m.elements[i]) continue;
      const d = norm(subtract(other.at[j]!, p));
      if (d < least) [best, least] = [j, d];
    }
    if (best < 0) return undefined;
    free.delete(best);
    pairs.push(best);
    off += least * least;
  }
  return { pairs, off };
}

/** The best laying over of two clusters that begins from one way to match their middle molecules. */
function laidOver(
  first: readonly Heavy[],
  second: readonly Heavy[],
  way: readonly number[],
  mirrored: boolean,
): PackingMatch {
  const other = mirrored ? second.map(mirror) : second;
  let fit = superpose(
    way.map((k) => other[0]!.at[k]!),
    first[0]!.at,
  );
  let best: PackingMatch = { matched: 1, of: first.length, rms: fit.rms, mirrored };
  for (let round = 0; round < ROUNDS; round++) {
    const { points, targets, matched } = placed(first, other, fit);
    if (!matched) break;
    fit = superpose(points, targets);
    const now: PackingMatch = { matched, of: first.length, rms: fit.rms, mirrored };
    if (isBetter(now, best)) best = now;
  }
  return best;
}

const isBetter = (p: PackingMatch, q: PackingMatch): boolean =>
  p.matched > q.matched || (p.matched === q.matched && p.rms < q.rms - 1e-9);

/**
 * Compares two crystals of one compound, with the bonds they have. Of several molecules the one that fits best decides. Throws
 * RangeError in words where they share no molecule.
 */
export function compareCrystals(one: Structure, two: Structure): CrystalComparison {
  const [a, b] = [one, two].map((s) => new MolecularCrystal(mostOccupied(s))) as [MolecularCrystal, MolecularCrystal];
  let molecules: CrystalComparison['molecules'] | undefined, packing: PackingMatch | undefined;
  a.molecules.forEach((m, i) => {
    if (heavyOf(m).at.length < 3) return;
    const first = cluster(a, i, CLUSTER);
    b.molecules.forEach((n, j) => {
      const ways = matchedWays({ structure: a.s, atoms: m.atoms }, { structure: b.s, atoms: n.atoms }, MOST_WAYS);
      if (!ways.length) return;
      const second = cluster(b, j, Math.ceil(SEARCHED * CLUSTER));
      for (const way of ways)
        for (const mirrored of [false, true]) {
          const alone = laidOver(first.slice(0, 1), second.slice(0, 1), way, mirrored);
          if (!molecules || alone.rms < molecules.rms - 1e-9) molecules = { rms: alone.rms, mirrored };
          const found = laidOver(first, second, way, mirrored);
          if (!packing || isBetter(found, packing)) packing = found;
        }
    });
  });
  if (!molecules || !packing)
    throw new RangeError('The two crystals share no molecule of three or more atoms that is bonded alike.');
  return { molecules, packing };
}
