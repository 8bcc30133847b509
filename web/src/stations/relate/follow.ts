/** Following contacts from molecule to molecule: a step, until it repeats, the shell of one; and what binds. */
import { MolecularCrystal } from '@nagare/core/contacts/molecules';
import { contactRadii } from '@nagare/core/contacts/roles';
import type { Contact } from '@nagare/core/contacts/find-contacts';
import { moveRef, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { isHydrogen } from '@nagare/core/crystal/elements';
import type { Structure } from '@nagare/core/crystal/structure';
import { contactLayers, type DrawnContact, type OpenEnd } from '@nagare/core/draw/contact-layers';
import type { StyleRule } from '@nagare/core/draw/style';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { cartesianOf } from '@nagare/core/geometry/measure';
import { netsOf } from '@nagare/core/geometry/nets';
import { norm, subtract } from '@nagare/core/math/matrix3';
import { joined, moleculeAt } from './drawing.ts';

/** Open ends followed at once, and steps of a network that is followed to its repeat. */
const MOST_FOLLOWED = 60,
  MOST_STEPS = 12;

/** Ends whose other side is not among some atoms. */
export const openEndsOf = (
  s: Structure,
  drawn: readonly DrawnContact[],
  atoms: readonly AtomRef[],
): readonly OpenEnd[] =>
  contactLayers(
    s,
    drawn,
    atoms.map((ref) => ({ ref })),
  ).open;

/** Molecules that open ends lead to. */
export const stepFrom = (s: Structure, drawn: readonly DrawnContact[], atoms: readonly AtomRef[]): AtomRef[] =>
  joined(
    s,
    [],
    openEndsOf(s, drawn, atoms)
      .slice(0, MOST_FOLLOWED)
      .flatMap((o) => moleculeAt(s, o.leadsTo)),
  );

/** Molecules until every further one is a copy, by whole cells, of one that is there; those copies are the last that come. */
export function untilItRepeats(s: Structure, drawn: readonly DrawnContact[], atoms: readonly AtomRef[]): AtomRef[] {
  const nets = netsOf(bonded(s));
  const known = new Set(atoms.map((a) => nets.netOf(a)));
  let brought: AtomRef[] = [];
  for (let step = 0; step < MOST_STEPS; step++) {
    const reached = stepFrom(s, drawn, [...atoms, ...brought]);
    const fresh = reached.filter((a) => !known.has(nets.netOf(a)));
    if (!fresh.length) return joined(s, brought, reached);
    // One of each that is new; its copies come at the end.
    const taken = new Set<number>();
    const units = fresh.filter((a) => !taken.has(nets.netOf(a)) && taken.add(nets.netOf(a)));
    brought = joined(
      s,
      brought,
      units.flatMap((a) => moleculeAt(s, a)),
    );
    for (const a of units) known.add(nets.netOf(a));
  }
  return brought;
}

/** Å beyond the sum of radii that molecules still touch at. */
const TOUCHING = 0.3,
  /** Å: no two atoms touch beyond. */
  WIDEST = 4.6;

/** Atoms of every molecule that touches the one of an atom, and how many molecules that are. */
export function shellOf(s: Structure, atom: AtomRef): { atoms: AtomRef[]; count: number } {
  const whole = bonded(s);
  const crystal = new MolecularCrystal(whole);
  const kind = crystal.kindOf(atom);
  if (kind === undefined) return { atoms: [], count: 0 };
  const own = crystal.molecules[kind]!;
  const touching = crystal
    .around(kind, WIDEST)
    .filter(({ molecule }) =>
      molecule.at.some((x, i) =>
        own.at.some((y, j) => norm(subtract(x, y)) <= contactRadii(molecule.elements[i]!, own.elements[j]!) + TOUCHING),
      ),
    );
  const by = crystal.placementAt(atom);
  const atoms = touching.flatMap((n) => n.molecule.atoms.map((a) => moveRef(s.spaceGroup, by, a)));
  return { atoms, count: touching.length };
}

/** Sites that stand at an end of a contact, hydrogens with those that carry them. */
function bindingSites(contacts: readonly Contact[]): Set<string> {
  return new Set(
    contacts.flatMap((c) =>
      [c.giver, ...(c.hydrogen ? [c.hydrogen] : []), c.taker, ...(c.giverRing ?? []), ...(c.takerRing ?? [])].map(
        (a) => a.site,
      ),
    ),
  );
}

/** Hides what takes no part in any contact. */
export function bindingRule(s: Structure, contacts: readonly Contact[]): StyleRule {
  const kept = bindingSites(contacts);
  const sites = s.sites.filter((x) => !kept.has(x.id)).map((x) => x.id);
  return { which: { kind: 'site', sites }, style: { hidden: true } };
}

/** The rule that hides by sites, among others. */
export const isBindingRule = (r: StyleRule): boolean => r.which.kind === 'site' && r.style.hidden === true;

/** Contacts between molecules as lines from middle to middle, each pair of molecules once. */
export function betweenCentroids(s: Structure, contacts: readonly Contact[], style: DrawnContact): DrawnContact[] {
  const heavy = (a: AtomRef): AtomRef[] => {
    const unit = moleculeAt(s, a);
    const list = unit.filter((x) => !isHydrogen(siteOf(s, x)?.element ?? 'H'));
    return list.length ? list : unit;
  };
  const seen = new Set<string>();
  return contacts.flatMap((c): DrawnContact[] => {
    if (c.inside) return [];
    const [from, to] = [heavy(c.giver), heavy(c.taker)];
    const key = [from, to]
      .map((list) =>
        cartesianOf(s, [list[0]!])[0]!
          .map((x) => x.toFixed(2))
          .join(),
      )
      .join(' ');
    if (seen.has(key)) return [];
    seen.add(key);
    return [{ ...style, from, to, knob: 0.3 }];
  });
}
