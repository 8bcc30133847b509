/** The torsions a structure has. */
import { isHome, originalRef, samePlace, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';

/** Chains of four bonded atoms about bonds that are not ends, each once. */
export function torsionAtoms(s: Structure): [AtomRef, AtomRef, AtomRef, AtomRef][] {
  const list = bonds(s);
  const by = bondsBySite(s, list);
  const out: [AtomRef, AtomRef, AtomRef, AtomRef][] = [];
  for (const b of list) {
    // Middle bonds inside the unit; those across symmetry follow from the others.
    if (!isHome(b) || b.from > b.to) continue;
    const second = originalRef(s.sites[b.from]!.id);
    const third = originalRef(s.sites[b.to]!.id);
    for (const a of by[b.from]!) {
      const first = neighbourRef(s, a);
      if (samePlace(s, first, third)) continue;
      for (const c of by[b.to]!) {
        const fourth = neighbourRef(s, c);
        if (samePlace(s, fourth, second) || samePlace(s, first, fourth)) continue;
        out.push([first, second, third, fourth]);
      }
    }
  }
  return out;
}
