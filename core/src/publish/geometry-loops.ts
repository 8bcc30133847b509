/** The loops of a CIF that tell its geometry: bonds, angles, torsions and hydrogen bonds, with what was pinned. */
import { type Structure } from '../crystal/structure.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import { bondAngles, listedBonds, neighbourRef } from '../geometry/bonds.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { angle, distance, torsion } from '../geometry/figures.ts';
import { measure } from '../geometry/measure.ts';
import {
  invertPlacement,
  moveRef,
  originalRef,
  placeKey,
  siteIndices,
  siteOf,
  symmetryCode,
  type AtomRef,
} from '../crystal/atom-ref.ts';
import { torsionAtoms } from './torsions.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { hydrogenBonds } from '../geometry/hydrogen-bonds.ts';
import { CifWriter } from './cif-writer.ts';

/** A chain of atoms named the same whichever copy of it is meant and from whichever end. */
function chainKey(s: Structure, atoms: readonly AtomRef[]): string {
  const from = (list: readonly AtomRef[]): string => {
    const back = invertPlacement(s.spaceGroup, list[0]!);
    return list.map((a) => placeKey(s, moveRef(s.spaceGroup, back, a))).join(' ');
  };
  return [from(atoms), from([...atoms].reverse())].sort()[0]!;
}

/** The pinned measures of so many atoms: whether a row is one of them, and those that no row was. */
class Pinned {
  private readonly left = new Map<string, readonly AtomRef[]>();

  constructor(
    private readonly s: Structure,
    pinned: readonly (readonly AtomRef[])[],
    private readonly count: number,
  ) {
    const known = siteIndices(s);
    for (const atoms of pinned)
      if (atoms.length === count && atoms.every((a) => known.has(a.site))) this.left.set(chainKey(s, atoms), atoms);
  }

  /** "yes" for a pinned measure, once; "?" leaves the choice to the author. */
  flag(atoms: readonly AtomRef[]): 'yes' | '?' {
    return this.left.size && atoms.length === this.count && this.left.delete(chainKey(this.s, atoms)) ? 'yes' : '?';
  }

  rest(): readonly (readonly AtomRef[])[] {
    return [...this.left.values()];
  }
}

/** The chain moved so that one of its atoms is where the model holds it: CIF gives an angle's apex no symmetry code. */
const homeAt = (s: Structure, atoms: readonly AtomRef[], i: number): AtomRef[] => {
  const back = invertPlacement(s.spaceGroup, atoms[i]!);
  return atoms.map((a) => moveRef(s.spaceGroup, back, a));
};

const written = (m: { value: number; su: number }, digits: number): string => formatMeasured(m.value, m.su, digits);

const MEASURES = {
  2: { figure: distance, digits: 3 },
  3: { figure: angle, digits: 1 },
  4: { figure: torsion, digits: 1 },
} as const;

export function writeGeometry(
  w: CifWriter,
  s: Structure,
  covariance?: CovarianceData,
  pinned: readonly (readonly AtomRef[])[] = [],
): void {
  const label = (a: AtomRef): string => siteOf(s, a)!.label;
  const value = (atoms: readonly AtomRef[]): string => {
    const { figure, digits } = MEASURES[atoms.length as 2 | 3 | 4];
    const m = measure(s, atoms, figure, covariance);
    return formatMeasured(m.value, m.su, digits);
  };
  const row = (atoms: readonly AtomRef[], symmetries: readonly AtomRef[], flag: string): string[] => [
    ...atoms.map(label),
    ...symmetries.map(symmetryCode),
    value(atoms),
    flag,
  ];
  const [distances, angles, torsions] = [2, 3, 4].map((n) => new Pinned(s, pinned, n)) as [Pinned, Pinned, Pinned];
  w.loop(
    [
      '_geom_bond_atom_site_label_1',
      '_geom_bond_atom_site_label_2',
      '_geom_bond_site_symmetry_2',
      '_geom_bond_distance',
      '_geom_bond_publ_flag',
    ],
    listedBonds(s).map((b) => {
      const atoms = [originalRef(s.sites[b.from]!.id), neighbourRef(s, b)];
      return row(atoms, atoms.slice(1), distances.flag(atoms));
    }),
  );
  w.loop(
    [
      '_geom_contact_atom_site_label_1',
      '_geom_contact_atom_site_label_2',
      '_geom_contact_site_symmetry_1',
      '_geom_contact_site_symmetry_2',
      '_geom_contact_distance',
      '_geom_contact_publ_flag',
    ],
    distances.rest().map((atoms) => row(atoms, atoms, 'yes')),
  );
  const ends = (atoms: readonly AtomRef[]): AtomRef[] => [atoms[0]!, atoms[2]!];
  const angleRows = bondAngles(s).map(({ atoms }) => row(atoms, ends(atoms), angles.flag(atoms)));
  w.loop(
    [
      '_geom_angle_atom_site_label_1',
      '_geom_angle_atom_site_label_2',
      '_geom_angle_atom_site_label_3',
      '_geom_angle_site_symmetry_1',
      '_geom_angle_site_symmetry_3',
      '_geom_angle',
      '_geom_angle_publ_flag',
    ],
    [
      ...angleRows,
      ...angles
        .rest()
        .map((atoms) => homeAt(s, atoms, 1))
        .map((atoms) => row(atoms, ends(atoms), 'yes')),
    ],
  );
  const torsionRows = torsionAtoms(s)
    .filter((p) => p.every((x) => !isHydrogen(siteOf(s, x)!.element)))
    .map((p) => row(p, p, torsions.flag(p)));
  w.loop(
    [
      '_geom_torsion_atom_site_label_1',
      '_geom_torsion_atom_site_label_2',
      '_geom_torsion_atom_site_label_3',
      '_geom_torsion_atom_site_label_4',
      '_geom_torsion_site_symmetry_1',
      '_geom_torsion_site_symmetry_2',
      '_geom_torsion_site_symmetry_3',
      '_geom_torsion_site_symmetry_4',
      '_geom_torsion',
      '_geom_torsion_publ_flag',
    ],
    [...torsionRows, ...torsions.rest().map((atoms) => row(atoms, atoms, 'yes'))],
  );
  w.loop(
    [
      '_geom_hbond_atom_site_label_D',
      '_geom_hbond_atom_site_label_H',
      '_geom_hbond_atom_site_label_A',
      '_geom_hbond_site_symmetry_A',
      '_geom_hbond_distance_DH',
      '_geom_hbond_distance_HA',
      '_geom_hbond_distance_DA',
      '_geom_hbond_angle_DHA',
      '_geom_hbond_publ_flag',
    ],
    hydrogenBonds(s, covariance).map((h) => [
      label(h.donor),
      label(h.hydrogen),
      label(h.acceptor),
      symmetryCode(h.acceptor),
      written(h.dh, 2),
      written(h.ha, 2),
      written(h.da, 3),
      written(h.angle, 0),
      'yes',
    ]),
  );
}
