/** Contacts as loops of a CIF: hydrogen bonds with their hydrogens, everything else as plain contacts. */
import type { Contact } from '../contacts/find-contacts.ts';
import { siteOf, symmetryCode, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { formatMeasured, type Measured } from '../crystal/uncertainty.ts';
import { CifWriter } from './cif-writer.ts';

/** Contacts to rings have no atom at their end and are left out. */
export function contactLoops(s: Structure, list: readonly Contact[]): string {
  const w = new CifWriter('contacts');
  const label = (a: AtomRef): string => siteOf(s, a)!.label;
  const written = (m: Measured | undefined, digits: number): string =>
    m ? formatMeasured(m.value, m.su, digits) : '?';
  const atoms = list.filter((c) => !c.takerRing && !c.giverRing);
  const overHydrogens = atoms.filter((c) => c.hydrogen);
  const plain = atoms.filter((c) => !c.hydrogen);
  if (overHydrogens.length)
    w.loop(
      [
        '_geom_hbond_atom_site_label_D',
        '_geom_hbond_atom_site_label_H',
        '_geom_hbond_atom_site_label_A',
        '_geom_hbond_site_symmetry_D',
        '_geom_hbond_site_symmetry_H',
        '_geom_hbond_site_symmetry_A',
        '_geom_hbond_distance_DH',
        '_geom_hbond_distance_HA',
        '_geom_hbond_distance_DA',
        '_geom_hbond_angle_DHA',
      ],
      overHydrogens.map((c) => [
        label(c.giver),
        label(c.hydrogen!),
        label(c.taker),
        symmetryCode(c.giver),
        symmetryCode(c.hydrogen!),
        symmetryCode(c.taker),
        written(c.dh, 2),
        written(c.ha, 2),
        written(c.da, 3),
        written(c.angle, 0),
      ]),
    );
  if (plain.length)
    w.loop(
      [
        '_geom_contact_atom_site_label_1',
        '_geom_contact_atom_site_label_2',
        '_geom_contact_site_symmetry_1',
        '_geom_contact_site_symmetry_2',
        '_geom_contact_distance',
      ],
      plain.map((c) => [
        label(c.giver),
        label(c.taker),
        symmetryCode(c.giver),
        symmetryCode(c.taker),
        written(c.da, 3),
      ]),
    );
  return w.toString();
}
