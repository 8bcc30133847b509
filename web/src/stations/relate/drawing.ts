/** Which atoms are meant when somebody grows, hides or selects from others. */
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { placeNumber, siteIndices, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { atomsOfExtent } from '@nagare/core/draw/extent';
import type { AtomPrimitive } from '@nagare/core/draw/scene';
import { bonds, bondsBySite, neighbourRef } from '@nagare/core/geometry/bonds';
import { netsOf } from '@nagare/core/geometry/nets';

/** Two lists, each place once. */
export function joined(s: Structure, first: readonly AtomRef[], more: readonly AtomRef[]): AtomRef[] {
  const seen = new Set<number>();
  return [...first, ...more].filter((a) => {
    if (!siteOf(s, a)) return false;
    const place = placeNumber(s, a);
    return !seen.has(place) && seen.add(place);
  });
}

/** Atoms one bond away. */
export const bondedTo = (s: Structure, a: AtomRef): AtomRef[] =>
  bondsBySite(s, bonds(s))[siteIndices(s).get(a.site)!]!.map((b) => neighbourRef(s, b, a));

/** The molecule of an atom, or what its chain, layer or framework holds within a radius (Å). */
export const netAround = (s: Structure, a: AtomRef, radius: number): AtomRef[] =>
  atomsOfExtent(s, { kind: 'net', of: [a], radius });

/** Every atom of a cell closed at its faces that is a copy of one of these: enough for whatever is drawn near it. */
export function sameAtoms(s: Structure, atoms: readonly AtomRef[]): AtomRef[] {
  const sites = new Set(atoms.map((a) => a.site));
  const block = atomsOfExtent(s, { kind: 'block', from: [-1, -1, -1], to: [2, 2, 2] });
  return block.filter((a) => sites.has(a.site));
}

export type SelectionStep = 'element' | 'site' | 'molecule' | 'neighbours' | 'invert';

export const SELECTION_STEPS: readonly (readonly [SelectionStep, string])[] = [
  ['element', 'Same element'],
  ['site', 'Same site'],
  ['molecule', 'Same molecule'],
  ['neighbours', 'Their neighbours too'],
  ['invert', 'Everything else'],
];

/** The selection after a step, among the atoms that are drawn. */
export function stepSelection(
  s: Structure,
  drawn: readonly AtomPrimitive[],
  chosen: readonly AtomRef[],
  step: SelectionStep,
): AtomRef[] {
  const now = chosen.filter((a) => siteOf(s, a));
  const among = (test: (a: AtomPrimitive) => boolean): AtomRef[] => drawn.filter(test).map((a) => a.ref);
  switch (step) {
    case 'element': {
      const elements = new Set(now.map((a) => siteOf(s, a)!.element));
      return among((a) => elements.has(a.element));
    }
    case 'site': {
      const sites = new Set(now.map((a) => a.site));
      return among((a) => sites.has(a.ref.site));
    }
    case 'molecule': {
      const nets = netsOf(s);
      const names = new Set(now.map((a) => nets.nameOf(a)));
      return among((a) => names.has(nets.nameOf(a.ref)));
    }
    case 'neighbours': {
      const near = new Set(now.flatMap((a) => bondedTo(s, a)).map((a) => placeNumber(s, a)));
      return joined(
        s,
        now,
        among((a) => near.has(placeNumber(s, a.ref))),
      );
    }
    case 'invert': {
      const out = new Set(now.map((a) => placeNumber(s, a)));
      return among((a) => !out.has(placeNumber(s, a.ref)));
    }
  }
}

/** The whole molecule of an atom; of what goes on without end the atom alone. */
export function moleculeAt(s: Structure, atom: AtomRef): AtomRef[] {
  const nets = netsOf(bonded(s));
  return nets.list[nets.netOf(atom)]?.dimension === 0 ? nets.unitOf(atom) : [atom];
}
