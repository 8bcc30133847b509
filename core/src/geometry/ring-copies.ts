/** Rings for figures: through picked atoms, and every copy of a kind among what is drawn. */
import { composePlacements, invertPlacement, moveRef, placeNumber, siteOf, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { findRings, type Ring } from './rings.ts';

/** The same for the same atoms in any order. */
export const keyOfAtoms = (s: Structure, atoms: readonly AtomRef[]): string =>
  atoms
    .map((a) => placeNumber(s, a))
    .sort((a, b) => a - b)
    .join();

/** Copies of a ring or cage that go through an atom. */
export function copiesThrough(s: Structure, ring: Ring, atom: AtomRef): AtomRef[][] {
  return ring.atoms
    .filter((a) => a.site === atom.site)
    .map((a) => {
      const by = composePlacements(s.spaceGroup, atom, invertPlacement(s.spaceGroup, a));
      return ring.atoms.map((x) => moveRef(s.spaceGroup, by, x));
    });
}

/** The smallest rings that all of the atoms are part of. */
export function ringsThrough(s: Structure, atoms: readonly AtomRef[]): (readonly AtomRef[])[] {
  const first = atoms[0];
  if (!first) return [];
  const places = atoms.map((a) => placeNumber(s, a));
  const found = new Map<string, AtomRef[]>();
  for (const ring of findRings(s))
    for (const copy of copiesThrough(s, ring, first)) {
      const here = new Set(copy.map((a) => placeNumber(s, a)));
      if (places.every((p) => here.has(p))) found.set(keyOfAtoms(s, copy), copy);
    }
  const least = Math.min(...[...found.values()].map((r) => r.length));
  return [...found.values()].filter((r) => r.length === least);
}

export interface RingsOfKind {
  /** Size and elements. */
  readonly name: string;
  readonly rings: readonly (readonly AtomRef[])[];
}

/** Rings by size and elements, each with every copy whose atoms are all drawn; the smaller sizes first. */
export function ringKinds(s: Structure, drawn: readonly AtomRef[]): RingsOfKind[] {
  const places = new Set(drawn.map((a) => placeNumber(s, a)));
  const kinds = new Map<string, Map<string, readonly AtomRef[]>>();
  for (const ring of findRings(s)) {
    const elements = ring.atoms.map((a) => siteOf(s, a)?.element ?? '?').sort();
    const name = `${ring.atoms.length} atoms: ${[...new Set(elements)].map((e) => `${elements.filter((x) => x === e).length} ${e}`).join(', ')}`;
    const known = kinds.get(name) ?? new Map<string, readonly AtomRef[]>();
    kinds.set(name, known);
    for (const atom of drawn)
      for (const copy of copiesThrough(s, ring, atom)) {
        const numbers = copy.map((a) => placeNumber(s, a));
        if (numbers.every((n) => places.has(n))) known.set(keyOfAtoms(s, copy), copy);
      }
  }
  return [...kinds]
    .map(([name, found]) => ({ name, rings: [...found.values()] }))
    .filter(({ rings }) => rings.length)
    .sort((p, q) => p.rings[0]!.length - q.rings[0]!.length);
}
