/**
 * Parts of molecules that are small enough for a wavefunction: cut where single bonds are no part of a ring, what was cut away
 * replaced by hydrogens (the fragments of Breidung, Thiel & Dahl 1988; of Zhang & Zhang 2003 the caps).
 */
import { siteOf, type AtomRef } from '../crystal/atom-ref.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import { bondsWithin } from '../geometry/bonds.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { add, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';

/** Atoms of one molecule and the bonds between them, by index. */
export interface MoleculeGraph {
  readonly atoms: readonly AtomRef[];
  readonly elements: readonly string[];
  /** Cartesian, Å. */
  readonly at: readonly Vec3[];
  readonly partners: readonly (readonly number[])[];
  /** Whether a bond may be cut. */
  isCut(i: number, j: number): boolean;
}

/** A hydrogen in the place of an atom that was cut away. */
export interface Cap {
  /** Index of the atom it is bonded to, and of the one it stands for. */
  readonly on: number;
  readonly instead: number;
  /** Cartesian, Å. */
  readonly at: Vec3;
}

/** Single bonds that may be cut: Å from which a bond of these elements is one. */
const SINGLE: Readonly<Record<string, number>> = { CC: 1.44, CN: 1.42, CO: 1.4, CS: 1.78, CSi: 1.82 };
/** Å from an atom to the hydrogen that takes a place beside it. */
const CAP_LENGTHS: Readonly<Record<string, number>> = { C: 1.089, N: 1.015, O: 0.98, S: 1.34, Si: 1.48 };

const pairName = (p: string, q: string): string => [p, q].sort().join('');

/** Bonds that no ring holds, as `i j` with i < j (Tarjan 1974). */
function bridges(partners: readonly (readonly number[])[]): Set<string> {
  const order = partners.map(() => -1),
    low = partners.map(() => 0);
  const out = new Set<string>();
  let next = 0;
  const visit = (i: number, from: number): void => {
    order[i] = low[i] = next++;
    for (const j of partners[i]!) {
      if (j === from) continue;
      if (order[j]! >= 0) low[i] = Math.min(low[i]!, order[j]!);
      else {
        visit(j, i);
        low[i] = Math.min(low[i]!, low[j]!);
        if (low[j]! > order[i]!) out.add(i < j ? `${i} ${j}` : `${j} ${i}`);
      }
    }
  };
  partners.forEach((_, i) => {
    if (order[i]! < 0) visit(i, -1);
  });
  return out;
}

/** The graph of a molecule whose atoms are given. */
export function moleculeGraph(s: Structure, atoms: readonly AtomRef[]): MoleculeGraph {
  const partners = atoms.map((): number[] => []);
  for (const [i, j] of bondsWithin(s, atoms)) {
    partners[i]!.push(j);
    partners[j]!.push(i);
  }
  const elements = atoms.map((a) => siteOf(s, a)!.element),
    at = cartesianOf(s, atoms);
  const acyclic = bridges(partners);
  // A methyl group or a halogen is not worth a cut.
  const isEnd = (i: number, without: number): boolean =>
    partners[i]!.every((j) => j === without || isHydrogen(elements[j]!));
  return {
    atoms,
    elements,
    at,
    partners,
    isCut(i, j) {
      const least = SINGLE[pairName(elements[i]!, elements[j]!)];
      return (
        least !== undefined &&
        acyclic.has(i < j ? `${i} ${j}` : `${j} ${i}`) &&
        norm(subtract(at[i]!, at[j]!)) >= least &&
        !isEnd(i, j) &&
        !isEnd(j, i)
      );
    },
  };
}

/** Atoms a part may have, where it can be cut. */
const PART = 20;

/** The parts of a molecule, by index; every atom is in one. */
export function partsOfMolecule(g: MoleculeGraph): number[][] {
  const home = g.atoms.map(() => -1);
  const parts: number[][] = [];
  // What no cut takes apart.
  g.atoms.forEach((_, start) => {
    if (home[start]! >= 0) return;
    const block = [start];
    home[start] = parts.length;
    for (const i of block)
      for (const j of g.partners[i]!) {
        if (home[j]! >= 0 || g.isCut(i, j)) continue;
        home[j] = parts.length;
        block.push(j);
      }
    parts.push(block);
  });
  // The smallest joins its smallest neighbour while both are small enough.
  for (;;) {
    const pair = smallestPair(g, home, parts);
    if (!pair) return parts.filter((p) => p.length).map((p) => [...p].sort((a, b) => a - b));
    const [into, from] = pair;
    for (const i of parts[from]!) home[i] = into;
    parts[into]!.push(...parts[from]!);
    parts[from] = [];
  }
}

function smallestPair(
  g: MoleculeGraph,
  home: readonly number[],
  parts: readonly number[][],
): [number, number] | undefined {
  let best: [number, number] | undefined,
    least = PART + 1;
  g.partners.forEach((list, i) => {
    for (const j of list) {
      const [p, q] = [home[i]!, home[j]!];
      if (p >= q) continue;
      const size = parts[p]!.length + parts[q]!.length;
      if (size < least) [best, least] = [[p, q], size];
    }
  });
  return best;
}

/**
 * Atoms within `depth` bonds of some, completed to where a bond may be cut, with hydrogens in the place of what is cut away. The
 * atoms asked for come first.
 */
export function surrounded(
  g: MoleculeGraph,
  seeds: readonly number[],
  depth: number,
): { readonly atoms: readonly number[]; readonly caps: readonly Cap[] } {
  const taken = new Set(seeds);
  let rim: readonly number[] = seeds;
  for (let n = 0; n < depth; n++) {
    rim = rim.flatMap((i) => g.partners[i]!.filter((j) => !taken.has(j)));
    for (const j of rim) taken.add(j);
  }
  // A set grows while it is gone through.
  for (const i of taken)
    for (const j of g.partners[i]!) {
      const isJoined = g.partners[j]!.filter((k) => taken.has(k)).length > 1;
      if (!g.isCut(i, j) || isJoined) taken.add(j);
    }
  const caps = [...taken].flatMap((on) =>
    g.partners[on]!.filter((j) => !taken.has(j)).map((instead): Cap => {
      const along = normalize(subtract(g.at[instead]!, g.at[on]!));
      return { on, instead, at: add(g.at[on]!, scale(along, CAP_LENGTHS[g.elements[on]!] ?? 1.09)) };
    }),
  );
  return { atoms: [...taken], caps };
}
