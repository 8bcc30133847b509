/**
 * Constraints, restraints, twinning and solvent in CIF: items of the restraint and twinning dictionaries where they have them,
 * and items of our own (`_nagare_…`, described in docs/formats.md) for the rest. Read back by formats/cif-controls.
 */
import { kelvinOf, type AsphericalAtoms } from '../crystal/form-factors.ts';
import { NO_CONTROLS, type Restraint } from '../crystal/controls.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import type { CifWriter } from './cif-writer.ts';

/** How one site was refined, in the core dictionary's flags. */
export function siteFlags(
  s: Structure,
  id: string,
): { calculated: boolean; attached?: string; position: string; displacement: string } {
  const label = (x: string): string | undefined => s.sites.find((y) => y.id === x)?.label;
  const c = s.controls ?? NO_CONTROLS;
  const group = c.hydrogens.find((g) => g.hydrogens.includes(id));
  const constrained = c.constraints.filter((k) => k.sites.includes(id));
  const restrained = c.restraints.filter(
    (r) =>
      !r.off && ('pairs' in r ? r.pairs.flat() : 'first' in r ? [...r.first, ...r.second] : [...r.sites]).includes(id),
  );
  const rides = group && (group.hold === 'riding' || group.hold === 'rotating');
  const shape =
    restrained.some(
      (r) =>
        ![
          'rigid bond',
          'enhanced rigid bond',
          'similar displacement',
          'near isotropic',
          'occupancy',
          'displacement',
        ].includes(r.kind),
    ) || group?.hold === 'restrained';
  const rigid = constrained.some((k) => k.kind === 'rigid group');
  const attached = group ? label(group.parent) : undefined;
  return {
    calculated: !!rides,
    ...(attached ? { attached } : {}),
    position: `${rides ? 'R' : ''}${shape ? 'D' : ''}${rigid ? 'G' : ''}` || '.',
    displacement:
      `${constrained.some((k) => k.kind === 'shared displacement') ? 'T' : ''}${restrained.some((r) => ['rigid bond', 'enhanced rigid bond', 'similar displacement', 'near isotropic', 'displacement'].includes(r.kind)) ? 'U' : ''}` ||
      '.',
  };
}

export function writeControls(w: CifWriter, s: Structure): void {
  const c = s.controls;
  if (!c) return;
  const names = new Map(s.sites.map((x) => [x.id, x.label]));
  const label = (id: string): string => names.get(id) ?? '?';
  const list = (ids: readonly string[]): string => ids.map(label).join(' ');
  const plain = c.restraints.filter(
    (r): r is Extract<Restraint, { kind: 'distance' | 'distance 1,3' | 'keep apart' }> =>
      r.kind === 'distance' && !r.off && !r.why,
  );
  w.loop(
    [
      '_restr_distance_atom_site_label_1',
      '_restr_distance_atom_site_label_2',
      '_restr_distance_target',
      '_restr_distance_target_weight_param',
    ],
    plain.flatMap((r) => r.pairs.map(([p, q]) => [label(p), label(q), r.target.toFixed(4), String(r.su)])),
  );
  const others = c.restraints.filter((r) => !plain.includes(r as never));
  w.loop(
    [
      '_nagare_restraint_kind',
      '_nagare_restraint_su',
      '_nagare_restraint_target',
      '_nagare_restraint_sites',
      '_nagare_restraint_second_sites',
      '_nagare_restraint_active',
      '_nagare_restraint_details',
    ],
    others.map((r) => [
      r.kind,
      String(r.su),
      'target' in r ? String(r.target) : '.',
      'pairs' in r ? list(r.pairs.map((p) => p[0])) : 'first' in r ? list(r.first) : list(r.sites),
      'pairs' in r ? list(r.pairs.map((p) => p[1])) : 'first' in r ? list(r.second) : '.',
      r.off ? 'no' : 'yes',
      r.why ?? '.',
    ]),
  );
  w.loop(
    ['_nagare_constraint_kind', '_nagare_constraint_sites', '_nagare_constraint_what', '_nagare_constraint_details'],
    c.constraints.map((k) => [k.kind, list(k.sites), k.kind === 'fixed' ? k.what.join(' ') : '.', k.why ?? '.']),
  );
  w.loop(
    [
      '_nagare_occupancy_kind',
      '_nagare_occupancy_assembly',
      '_nagare_occupancy_groups',
      '_nagare_occupancy_sites',
      '_nagare_occupancy_held',
    ],
    c.occupancies.map((o) =>
      o.kind === 'assembly'
        ? [o.kind, o.assembly, o.groups.join(' '), '.', o.held ? 'yes' : 'no']
        : [o.kind, '.', '.', list(o.sites), 'no'],
    ),
  );
  w.loop(
    [
      '_nagare_hydrogen_parent',
      '_nagare_hydrogen_sites',
      '_nagare_hydrogen_shape',
      '_nagare_hydrogen_hold',
      '_nagare_hydrogen_U_factor',
      '_nagare_hydrogen_length',
    ],
    c.hydrogens.map((g) => [
      label(g.parent),
      list(g.hydrogens),
      g.shape,
      g.hold,
      String(g.uFactor),
      g.length.toFixed(3),
    ]),
  );
}

export function writeTreatment(w: CifWriter, t: Treatment): void {
  if (t.dMin) w.item('_refine_ls_d_res_high', t.dMin.toFixed(4));
  if (t.dMax) w.item('_refine_ls_d_res_low', t.dMax.toFixed(4));
  if (t.twins?.length) {
    const first = 1 - t.twins.reduce((p, x) => p + x.fraction, 0);
    w.loop(
      [
        '_twin_individual_id',
        ...[1, 2, 3].flatMap((i) => [1, 2, 3].map((j) => `_twin_individual_twin_matrix_${i}${j}`)),
        '_twin_individual_mass_fraction_refined',
        '_nagare_twin_name',
      ],
      [
        [1, 1, 0, 0, 0, 1, 0, 0, 0, 1, first.toFixed(4), '.'],
        ...t.twins.map((x, i) => [i + 2, ...x.law, formatMeasured(x.fraction, x.su, 4), x.name]),
      ],
    );
  }
  w.loop(
    [
      '_nagare_overlap_component',
      '_nagare_overlap_index_h',
      '_nagare_overlap_index_k',
      '_nagare_overlap_index_l',
      '_nagare_overlap_second_h',
      '_nagare_overlap_second_k',
      '_nagare_overlap_second_l',
    ],
    (t.twins ?? []).flatMap(({ overlaps: o }, c) =>
      o ? Array.from(o.h, (h, i) => [c + 2, h, o.k[i]!, o.l[i]!, o.h2[i]!, o.k2[i]!, o.l2[i]!]) : [],
    ),
  );
  w.loop(
    ['_nagare_excluded_index_h', '_nagare_excluded_index_k', '_nagare_excluded_index_l', '_nagare_excluded_reason'],
    (t.excluded ?? []).map((x) => [x.h, x.k, x.l, x.reason]),
  );
  if (t.aspherical) asphericalItems(w, t.aspherical);
  const m = t.mask;
  if (m) {
    w.item(
      '_nagare_mask_method',
      'Solvent contribution from the density in the voids (van der Sluis & Spek, 1990), as a fixed part of the calculated structure factors',
    )
      .item('_nagare_mask_volume', m.volume.toFixed(1))
      .item('_nagare_mask_electrons', m.electrons.toFixed(1));
    w.loop(
      [
        '_nagare_void_id',
        '_nagare_void_fract_x',
        '_nagare_void_fract_y',
        '_nagare_void_fract_z',
        '_nagare_void_volume',
        '_nagare_void_electrons',
      ],
      m.voids.map((v, i) => [i + 1, ...v.centre.map((x) => x.toFixed(4)), v.volume.toFixed(1), v.electrons.toFixed(1)]),
    );
    w.loop(
      ['_nagare_mask_index_h', '_nagare_mask_index_k', '_nagare_mask_index_l', '_nagare_mask_A', '_nagare_mask_B'],
      Array.from(m.h, (h, i) => [h, m.k[i]!, m.l[i]!, m.a[i]!.toFixed(3), m.b[i]!.toFixed(3)]),
    );
  }
}

const BY_FREE_ATOMS = 'stockholder (Hirshfeld, 1977) by averaged Hartree-Fock atoms in the same basis';

/** How aspherical form factors were made, and what they are compared with; the factors are a file of their own. */
function asphericalItems(w: CifWriter, a: AsphericalAtoms): void {
  w.item('_nagare_aspherical_method', a.method)
    .item('_nagare_aspherical_basis', a.basis)
    .item('_nagare_aspherical_surroundings', a.neighbours)
    .item('_nagare_aspherical_partition', a.division ?? BY_FREE_ATOMS)
    .item('_nagare_spherical_R_factor_gt', a.spherical.r1.toFixed(4))
    .item('_nagare_spherical_wR_factor_ref', a.spherical.wr2.toFixed(4))
    .item('_nagare_spherical_diff_density_max', a.spherical.peak.toFixed(3))
    .item('_nagare_spherical_diff_density_min', a.spherical.hole.toFixed(3));
  w.loop(
    [
      '_nagare_molecule_id',
      '_nagare_molecule_first_site',
      '_nagare_molecule_part',
      '_nagare_molecule_atoms',
      '_nagare_molecule_charge',
      '_nagare_molecule_multiplicity',
      '_nagare_molecule_functions',
      '_nagare_molecule_energy',
      '_nagare_molecule_dipole',
      '_nagare_molecule_electron_temperature',
    ],
    a.molecules.map((m, i) => [
      i + 1,
      m.labels[0]!,
      m.part ? `${m.part.number}/${m.part.of}` : '.',
      m.atoms,
      m.charge,
      m.multiplicity,
      m.functions,
      m.energy.toFixed(6),
      m.dipole.toFixed(3),
      m.smearing ? kelvinOf(m.smearing).toFixed(0) : 0,
    ]),
  );
  w.loop(
    ['_nagare_charge_molecule_id', '_nagare_charge_site', '_nagare_charge_net'],
    a.molecules.flatMap((m, i) => m.labels.map((label, k) => [i + 1, label, m.charges[k]!.toFixed(4)])),
  );
}
