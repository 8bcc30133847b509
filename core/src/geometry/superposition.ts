/** Two molecules laid over one another: atoms matched by their bonds, the best rotation, and what differs. */
import { placeKey, siteIndices, siteOf, type AtomRef } from '../crystal/atom-ref.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { norm, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { applySuperposition, superpose, type Superposition } from '../math/superpose.ts';
import { bonds, bondsBySite, connectedUnit, neighbourRef } from './bonds.ts';
import { cartesianOf } from './measure.ts';
import { torsionOf } from './points.ts';

/** A molecule: a structure and one atom of it, or the atoms themselves. */
export interface Part {
  readonly structure: Structure;
  readonly atoms: readonly AtomRef[];
}

export interface MatchedPair {
  readonly first: AtomRef;
  readonly second: AtomRef;
  /** Å, after superposition. */
  readonly distance: number;
}

export interface TorsionPair {
  readonly atoms: readonly AtomRef[];
  /** Degrees. */
  readonly first: number;
  readonly second: number;
  /** The second less the first, −180 to 180. */
  readonly difference: number;
}

export interface Overlay {
  readonly pairs: readonly MatchedPair[];
  /** Å. */
  readonly rms: number;
  /** The second was taken as its mirror image. */
  readonly mirrored: boolean;
  /** Torsions that differ most, largest first. */
  readonly torsions: readonly TorsionPair[];
  /** All atoms of the second part in the Cartesian axes of the first, Å. */
  readonly positions: readonly Vec3[];
  readonly elements: readonly string[];
}

export interface OverlayOptions {
  readonly mirror: boolean;
  readonly hydrogens: boolean;
}

/** Matchings that are tried before the best so far is taken. */
const MOST_TRIED = 20_000;
const MOST_TORSIONS = 12;

interface Graph {
  readonly part: Part;
  readonly refs: readonly AtomRef[];
  readonly elements: readonly string[];
  readonly next: readonly (readonly number[])[];
  readonly at: readonly Vec3[];
}

function graphOf(part: Part, hydrogens: boolean): Graph {
  const { structure: s } = part;
  const refs = part.atoms.filter((a) => hydrogens || !isHydrogen(siteOf(s, a)!.element));
  const index = new Map(refs.map((a, i) => [placeKey(s, a), i]));
  const bySite = bondsBySite(s, bonds(s));
  const sites = siteIndices(s);
  return {
    part,
    refs,
    elements: refs.map((a) => siteOf(s, a)!.element),
    next: refs.map((a) =>
      bySite[sites.get(a.site)!]!.flatMap((b) => index.get(placeKey(s, neighbourRef(s, b, a))) ?? []),
    ),
    at: cartesianOf(s, refs),
  };
}

/** What an atom sees around it, shell after shell: atoms that may be matched have the same. */
function classesOf(graphs: readonly Graph[]): number[][] {
  let names = graphs.map((g) => g.elements.map((e, i) => `${e}${g.next[i]!.length}`));
  let count = 0;
  for (;;) {
    const known = new Map<string, number>();
    const numbered = names.map((list) =>
      list.map((n) => {
        if (!known.has(n)) known.set(n, known.size);
        return known.get(n)!;
      }),
    );
    if (known.size === count) return numbered;
    count = known.size;
    names = numbered.map((list, g) =>
      list.map(
        (n, i) =>
          `${n}:${graphs[g]!.next[i]!.map((j) => list[j]!)
            .sort((a, b) => a - b)
            .join()}`,
      ),
    );
  }
}

/** Atoms in an order in which each is bonded to one before it, rare classes first. */
function matchingOrder(g: Graph, classes: readonly number[]): number[] {
  const frequency = new Map<number, number>();
  for (const c of classes) frequency.set(c, (frequency.get(c) ?? 0) + 1);
  const rarity = (i: number): number => frequency.get(classes[i]!)!;
  const out: number[] = [];
  const seen = new Set<number>();
  const rest = g.refs.map((_, i) => i).sort((i, j) => rarity(i) - rarity(j));
  for (const start of rest) {
    if (seen.has(start)) continue;
    const edge = [start];
    while (edge.length) {
      edge.sort((i, j) => rarity(i) - rarity(j));
      const i = edge.shift()!;
      if (seen.has(i)) continue;
      seen.add(i);
      out.push(i);
      edge.push(...g.next[i]!.filter((j) => !seen.has(j)));
    }
  }
  return out;
}

/** Every way to match the atoms so that bonds go to bonds, as far as they are few enough. */
function* matchings(a: Graph, b: Graph): Generator<readonly number[]> {
  const [classesA, classesB] = classesOf([a, b]) as [number[], number[]];
  const order = matchingOrder(a, classesA);
  const image = new Array<number>(a.refs.length).fill(-1);
  const used = new Set<number>();
  const candidates = (i: number): number[] => {
    const placed = a.next[i]!.find((j) => image[j]! >= 0);
    const from = placed === undefined ? b.refs.map((_, k) => k) : b.next[image[placed]!]!;
    return from.filter(
      (k) =>
        !used.has(k) &&
        classesB[k] === classesA[i] &&
        a.next[i]!.every((j) => image[j]! < 0 || b.next[k]!.includes(image[j]!)),
    );
  };
  function* extend(depth: number): Generator<readonly number[]> {
    if (depth === order.length) {
      yield image;
      return;
    }
    const i = order[depth]!;
    for (const k of candidates(i)) {
      image[i] = k;
      used.add(k);
      yield* extend(depth + 1);
      used.delete(k);
      image[i] = -1;
    }
  }
  yield* extend(0);
}

interface Fit {
  readonly image: readonly number[];
  readonly fit: Superposition;
  readonly mirrored: boolean;
}

/** The matching with the smallest r.m.s.; undefined where bonds cannot be brought to bonds. */
function bestFit(a: Graph, b: Graph, mirror: boolean): Fit | undefined {
  let best: Fit | undefined;
  let tried = 0;
  const hands = mirror ? [false, true] : [false];
  for (const image of matchings(a, b)) {
    const targets = a.at;
    for (const mirrored of hands) {
      const points = image.map((k) => (mirrored ? scale(b.at[k]!, -1) : b.at[k]!));
      const fit = superpose(points, targets);
      if (!best || fit.rms < best.fit.rms - 1e-9) best = { image: [...image], fit, mirrored };
    }
    if (++tried >= MOST_TRIED) break;
  }
  return best;
}

function torsionPairs(a: Graph, b: Graph, { image, mirrored }: Fit): TorsionPair[] {
  const out: TorsionPair[] = [];
  a.next.forEach((list, j) => {
    for (const k of list) {
      if (k < j) continue;
      const i = list.find((x) => x !== k),
        l = a.next[k]!.find((x) => x !== j && x !== i);
      if (i === undefined || l === undefined) continue;
      const quartet = [i, j, k, l];
      const first = torsionOf(quartet.map((x) => a.at[x]!));
      const second = (mirrored ? -1 : 1) * torsionOf(quartet.map((x) => b.at[image[x]!]!));
      const difference = second - first - 360 * Math.round((second - first) / 360);
      out.push({ atoms: quartet.map((x) => a.refs[x]!), first, second, difference });
    }
  });
  return out.sort((p, q) => Math.abs(q.difference) - Math.abs(p.difference)).slice(0, MOST_TORSIONS);
}

/**
 * Ways to match the atoms of two parts (without hydrogen) so that bonds go to bonds, up to so many: for each atom of the first its
 * place among those of the second. Empty where there is none.
 */
export function matchedWays(first: Part, second: Part, most: number): readonly (readonly number[])[] {
  const [a, b] = [graphOf(first, false), graphOf(second, false)];
  const out: (readonly number[])[] = [];
  if (a.refs.length !== b.refs.length) return out;
  for (const image of matchings(a, b)) {
    out.push([...image]);
    if (out.length >= most) break;
  }
  return out;
}

/** The whole molecule of an atom; longer chains end at `most` atoms. */
export const moleculeOf = (s: Structure, a: AtomRef, most = 2000): AtomRef[] => connectedUnit(s, bonds(s), a, most);

/**
 * Lays the second part over the first. Rotation by the quaternion method (Horn 1987), atoms matched by elements and bonds;
 * of several matchings (turned rings, like substituents) the one with the smallest r.m.s.
 * Throws RangeError in words where the two are not the same molecule.
 */
export function overlay(first: Part, second: Part, options: OverlayOptions): Overlay {
  const a = graphOf(first, options.hydrogens),
    b = graphOf(second, options.hydrogens);
  if (a.refs.length < 3) throw new RangeError('Three atoms or more are needed to lay one thing over another.');
  const counts = `${a.refs.length} and ${b.refs.length}${options.hydrogens ? '' : ' without hydrogen'}`;
  if (a.refs.length !== b.refs.length) throw new RangeError(`The two have different numbers of atoms: ${counts}.`);
  const best = bestFit(a, b, options.mirror);
  if (!best) throw new RangeError('The two are bonded differently: their atoms cannot be matched bond by bond.');
  const hand = best.mirrored ? -1 : 1;
  const moved = (p: Vec3): Vec3 => applySuperposition(best.fit, scale(p, hand));
  const all = cartesianOf(second.structure, second.atoms);
  return {
    pairs: best.image.map((k, i) => ({
      first: a.refs[i]!,
      second: b.refs[k]!,
      distance: norm(subtract(moved(b.at[k]!), a.at[i]!)),
    })),
    rms: best.fit.rms,
    mirrored: best.mirrored,
    torsions: torsionPairs(a, b, best),
    positions: all.map(moved),
    elements: second.atoms.map((r) => siteOf(second.structure, r)!.element),
  };
}

/** The molecule of a structure that the first can be laid over best. Throws RangeError in words where none fits. */
export function overlayOnStructure(first: Part, other: Structure, options: OverlayOptions): Overlay & { part: Part } {
  const seen = new Set<string>();
  let best: (Overlay & { part: Part }) | undefined;
  let problem = 'The other structure holds no molecule like it.';
  for (const site of other.sites) {
    if (seen.has(site.id)) continue;
    const atoms = moleculeOf(other, { site: site.id, operator: 0, shift: [0, 0, 0] });
    for (const x of atoms) seen.add(x.site);
    try {
      const part: Part = { structure: other, atoms };
      const found = overlay(first, part, options);
      if (!best || found.rms < best.rms) best = { ...found, part };
    } catch (e) {
      if (atoms.length > 2) problem = (e as Error).message;
    }
  }
  if (!best) throw new RangeError(problem);
  return best;
}
