/** The complete CIF of a refined structure, in the names of the core dictionary. */
import { typeSymbol } from '../crystal/charge.ts';
import { experiment } from '../crystal/experiment.ts';
import { cellParameters, cellVolume, metricTensor } from '../crystal/cell.ts';
import type { GivenFace } from '../crystal/faces.ts';
import { operatorStrings, reflectionSymmetry, siteSymmetry } from '../crystal/space-group.ts';
import { shortSymbol } from '../crystal/settings.ts';
import { crystalClass, crystalSystem, rotationsOf } from '../crystal/point-group.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { cellContents, equivalentU, type Structure } from '../crystal/structure.ts';
import { formatExactly, formatMeasured } from '../crystal/uncertainty.ts';
import type { SampleRecord } from '../formats/cif-data.ts';
import type { MergeStatistics } from '../data/merge.ts';
import { type AtomRef } from '../crystal/atom-ref.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import type { Readings } from '../refine/single-crystal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { anodeFor, dispersion, absorptionCoefficient } from '../scattering/form-factor.ts';
import { formulaUnit } from '../geometry/formula-unit.ts';
import { formulaElectrons, formulaText, formulaWeight, scaleFormula, type Formula } from '../crystal/formula.ts';
import type { Treatment } from '../crystal/treatment.ts';
import type { AbsoluteStructure } from '../refine/absolute-structure.ts';
import { experimentValue, formItems, type Subject } from '../formats/dictionary.ts';
import { CifWriter } from './cif-writer.ts';
import { experimentalSentence } from './sentence.ts';
import { siteFlags, writeControls, writeTreatment } from './controls-cif.ts';
import { writeGeometry } from './geometry-loops.ts';

export interface CifInput {
  name: string;
  structure: Structure;
  experiment: SampleRecord;
  /** Å; left out where the structure came without a measurement. */
  wavelength?: number;
  /** Merged reflections and what merging said of them. */
  reflections?: MergedReflections;
  statistics?: MergeStatistics;
  readings?: Readings;
  covariance?: CovarianceData;
  /** Largest residual maximum and minimum, e Å⁻³. */
  residual?: { peak: number; hole: number; sigma: number };
  treatment?: Treatment;
  absolute?: AbsoluteStructure;
  /** ISO date of writing. */
  date: string;
  /** Cell, coordinates and displacements with eight decimals instead of the rule of 19: nothing is lost when the file is read again. */
  exact?: boolean;
  /** What the person says of findings, by subject of the check. */
  explanations?: readonly { readonly family: string; readonly title: string; readonly text: string }[];
  /** Pinned measures: two, three or four atoms each. They are flagged for publication, and listed where nothing else lists them. */
  pinned?: readonly (readonly AtomRef[])[];
}

/** Formula units per cell: given, or from the contents and the formula, or the number that makes a whole formula. */
export function formulaUnits(s: Structure, experiment: SampleRecord): { z: number; formula: Formula } {
  const contents = cellContents(s);
  if (experiment.formula && experiment.z) return { z: experiment.z, formula: experiment.formula };
  if (experiment.formula) {
    const heavy = Object.keys(experiment.formula).find((e) => e !== 'H' && contents[e]);
    const z = heavy ? Math.max(1, Math.round(contents[heavy]! / experiment.formula[heavy]!)) : 1;
    return { z, formula: experiment.formula };
  }
  const { z } = experiment;
  return z ? { z, formula: scaleFormula(contents, 1 / z) } : formulaUnit(s);
}

/** Symmetry code n_klm of CIF: operator number and lattice translations with 5 as zero. */
const round = (x: number | undefined, digits: number): string | undefined =>
  x === undefined || !Number.isFinite(x) ? undefined : x.toFixed(digits);

/** Writes the CIF. Numbers carry their s.u.; what is not known is "?". */
export function structureCif(input: CifInput): string {
  const { structure: s, experiment, wavelength } = input;
  const w = new CifWriter(input.name);
  const volume = cellVolume(s.cell);
  const { z, formula } = formulaUnits(s, experiment);
  const classSymbol = crystalClass(rotationsOf(s.spaceGroup));
  w.item('_audit_creation_date', input.date.slice(0, 10)).item('_audit_creation_method', 'Nagare').blank();
  writeForm(w, input, ['Compound']);
  w.item('_chemical_formula_sum', formulaText(formula))
    .item('_chemical_formula_weight', formulaWeight(formula).toFixed(2))
    .blank();
  const types = new Map(s.sites.map((x) => [typeSymbol(x.element, x.charge), x.element]));
  w.loop(
    [
      '_atom_type_symbol',
      '_atom_type_scat_dispersion_real',
      '_atom_type_scat_dispersion_imag',
      '_atom_type_scat_source',
    ],
    [...types].map(([symbol, e]) => {
      const d = wavelength ? dispersion(e, wavelength) : undefined;
      return [
        symbol,
        d?.f1.toFixed(4),
        d?.f2.toFixed(4),
        e === 'H' ? 'Stewart et al. (1965)' : 'Hubbell et al. (1975)',
      ];
    }),
  );
  w.item('_space_group_crystal_system', crystalSystem(classSymbol)).item(
    '_space_group_IT_number',
    s.spaceGroup.number || undefined,
  );
  w.item('_space_group_name_H-M_alt', s.spaceGroup.code === '*' ? undefined : shortSymbol(s.spaceGroup.symbol))
    .item('_space_group_name_Hall', s.spaceGroup.hall)
    .blank();
  w.loop(
    ['_space_group_symop_id', '_space_group_symop_operation_xyz'],
    operatorStrings(s.spaceGroup).map((x, i) => [i + 1, x]),
  );
  const su = s.cell.su ?? [0, 0, 0, 0, 0, 0];
  ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'].forEach((n, i) => {
    const value = cellParameters(s.cell)[i]!;
    const whole = i > 2 && !su[i] && Math.abs(value - Math.round(value)) < 1e-6;
    w.item(
      `_cell_${n}`,
      whole ? String(Math.round(value)) : input.exact ? formatExactly(value, su[i]) : formatMeasured(value, su[i], 4),
    );
  });
  w.item('_cell_volume', formatMeasured(volume, volumeSu(s), 1))
    .item('_cell_formula_units_Z', z)
    .item('_cell_measurement_temperature', experiment.temperature);
  w.blank();
  w.item('_exptl_crystal_description', experiment.habit).item('_exptl_crystal_colour', experiment.colour);
  ['max', 'mid', 'min'].forEach((n, i) => w.item(`_exptl_crystal_size_${n}`, experiment.size?.[i] || undefined));
  if (experiment.faces?.length) writeFaces(w, experiment.faces);
  w.item('_exptl_crystal_density_diffrn', ((formulaWeight(formula) * z * 1.66053907) / volume).toFixed(3)).item(
    '_exptl_crystal_F_000',
    Math.round(formulaElectrons(formula) * z),
  );
  w.item(
    '_exptl_absorpt_coefficient_mu',
    wavelength ? absorptionCoefficient(formula, z, volume, wavelength).toFixed(3) : undefined,
  );
  if (wavelength && experiment.size?.every((x) => x > 0)) {
    // Paths through the longest and the shortest dimension bound the transmission.
    const mu = absorptionCoefficient(formula, z, volume, wavelength);
    w.item('_exptl_transmission_factor_min', Math.exp(-mu * experiment.size[0]).toFixed(4)).item(
      '_exptl_transmission_factor_max',
      Math.exp(-mu * experiment.size[2]).toFixed(4),
    );
  }
  writeForm(w, input, ['Crystal', 'Absorption']);
  w.blank();
  const anode = wavelength ? anodeFor(wavelength) : undefined;
  w.item('_diffrn_ambient_temperature', experiment.temperature)
    .item('_diffrn_radiation_type', anode ? `${anode}K\\a` : undefined)
    .item('_diffrn_radiation_wavelength', wavelength?.toFixed(5));
  writeForm(w, input, ['Measurement']);
  if (input.statistics && wavelength) writeStatistics(w, input.statistics, wavelength, input.reflections);
  if (input.readings) writeReadings(w, input.readings, input.residual);
  if (input.absolute)
    w.item(
      '_refine_ls_abs_structure_details',
      `Bijvoet quotients of ${input.absolute.pairs} pairs (Parsons, Flack & Wagner, 2013)`,
    )
      .item('_refine_ls_abs_structure_Flack', formatMeasured(input.absolute.x, input.absolute.su, 3))
      .blank();
  writeForm(w, input, ['Refinement', 'Programs', 'Publication']);
  w.blank();
  writeSites(w, s, input.exact ? (v, u) => formatExactly(v, u) : formatMeasured);
  writeControls(w, s);
  if (input.treatment) writeTreatment(w, input.treatment);
  writeGeometry(w, s, input.covariance, input.pinned);
  if (input.reflections && wavelength)
    writeReflections(w, s, input.reflections, wavelength, input.readings, input.treatment);
  return w.toString();
}

function writeFaces(w: CifWriter, faces: readonly GivenFace[]): void {
  w.blank();
  w.loop(
    ['index_h', 'index_k', 'index_l', 'perp_dist'].map((n) => `_exptl_crystal_face_${n}`),
    faces.map(({ hkl, distance }) => [...hkl, String(Number(distance.toFixed(4)))]),
  );
  w.blank();
}

/** Where an explanation belongs. */
const REMARKS: Record<string, string> = {
  data: '_diffrn_special_details',
  contents: '_exptl_special_details',
  file: '_exptl_special_details',
  refinement: '_refine_special_details',
  displacement: '_refine_special_details',
  symmetry: '_refine_special_details',
  geometry: '_geom_special_details',
};
/** Written elsewhere, or computed. */
const ELSEWHERE = new Set([
  '_exptl_crystal_description',
  '_exptl_crystal_colour',
  '_exptl_crystal_size_max',
  '_exptl_crystal_size_mid',
  '_exptl_crystal_size_min',
  '_diffrn_ambient_temperature',
]);

/** Items of the form by subject: what the person gave, what Nagare knows to say, and explanations of findings; asked-for items that nobody filled in are "?". */
function writeForm(w: CifWriter, input: CifInput, subjects: readonly Subject[]): void {
  for (const subject of subjects)
    for (const d of formItems(subject)) {
      if (ELSEWHERE.has(d.tag)) continue;
      const said = (input.explanations ?? [])
        .filter((x) => (REMARKS[x.family] ?? '_refine_special_details') === d.tag)
        .map((x) => `${x.title}: ${x.text}`);
      const own = experimentValue(input.experiment, d.tag) ?? automatic(input, d.tag);
      const text = [own, ...said].filter(Boolean).join('\n');
      if (text || d.asked) w.item(d.tag, text || undefined);
    }
}

/** What the work itself says. */
function automatic(input: CifInput, tag: string): string | undefined {
  const hydrogens = input.structure.controls?.hydrogens ?? [];
  switch (tag) {
    case '_computing_structure_refinement':
    case '_computing_publication_material':
      return input.readings ? 'Nagare' : undefined;
    case '_computing_molecular_graphics':
      return 'Nagare';
    case '_refine_ls_hydrogen_treatment': {
      if (!input.structure.sites.some((x) => x.element === 'H' || x.element === 'D')) return undefined;
      const ride = hydrogens.filter((g) => g.hold === 'riding' || g.hold === 'rotating').length;
      return !hydrogens.length ? 'refall' : ride === hydrogens.length ? 'constr' : 'mixed';
    }
    case '_geom_special_details':
      return input.covariance
        ? 'All s.u. come from the full covariance matrix; the s.u. of the cell are taken as independent.'
        : undefined;
    case '_publ_section_exptl_refinement':
      return input.readings ? experimentalSentence(input) : undefined;
    default:
      return undefined;
  }
}

/** S.u. of the volume from those of the cell, taken as independent, Å³. */
export function volumeSu(s: Structure): number {
  const su = s.cell.su;
  if (!su) return 0;
  const base = cellParameters(s.cell);
  const v0 = cellVolume(s.cell);
  return Math.sqrt(
    su.reduce((sum, x, i) => {
      if (!x) return sum;
      const p = base.map((y, k) => y + (k === i ? x : 0)) as [number, number, number, number, number, number];
      return sum + (cellVolume({ a: p[0], b: p[1], c: p[2], alpha: p[3], beta: p[4], gamma: p[5] }) - v0) ** 2;
    }, 0),
  );
}

function writeStatistics(w: CifWriter, m: MergeStatistics, wavelength: number, r?: MergedReflections): void {
  const theta = (d: number): number => (Math.asin(Math.min(1, wavelength / (2 * d))) * 180) / Math.PI;
  w.item('_diffrn_reflns_number', m.measured - m.absent - m.rejected)
    .item('_diffrn_reflns_av_R_equivalents', round(m.rInt, 4))
    .item('_diffrn_reflns_av_unetI/netI', round(m.rSigma, 4));
  if (r) {
    const range = (x: Int16Array): [number, number] =>
      x.reduce((b, v) => [Math.min(b[0], v), Math.max(b[1], v)] as [number, number], [0, 0] as [number, number]);
    (['h', 'k', 'l'] as const).forEach((axis) => {
      const [low, high] = range(r[axis]);
      w.item(`_diffrn_reflns_limit_${axis}_min`, low).item(`_diffrn_reflns_limit_${axis}_max`, high);
    });
  }
  w.item('_diffrn_reflns_theta_min', theta(m.dMax).toFixed(3))
    .item('_diffrn_reflns_theta_max', theta(m.dMin).toFixed(3))
    .item('_diffrn_measured_fraction_theta_max', m.completeness.toFixed(4));
  w.item('_diffrn_reflns_theta_full', theta(m.dMin).toFixed(3))
    .item('_diffrn_measured_fraction_theta_full', m.completeness.toFixed(4))
    .blank();
}

function writeReadings(w: CifWriter, r: Readings, residual?: CifInput['residual']): void {
  w.item('_reflns_number_total', r.reflections)
    .item('_reflns_number_gt', r.observed)
    .item('_reflns_threshold_expression', 'I > 2\\s(I)')
    .blank();
  w.item('_refine_ls_structure_factor_coef', 'Fsqd')
    .item('_refine_ls_matrix_type', 'full')
    .item('_refine_ls_weighting_scheme', 'calc');
  w.item(
    '_refine_ls_weighting_details',
    `w = 1/[\\s^2^(Fo^2^)+(${r.weights.a.toFixed(4)}P)^2^+${r.weights.b.toFixed(4)}P] where P = (max(Fo^2^,0)+2Fc^2^)/3`,
  );
  w.item('_refine_ls_extinction_method', r.extinction ? 'Larson (1970)' : 'none').item(
    '_refine_ls_extinction_coef',
    r.extinction ? formatMeasured(r.extinction.value, r.extinction.su) : '.',
  );
  w.item('_refine_ls_number_reflns', r.reflections)
    .item('_refine_ls_number_parameters', r.parameters)
    .item('_refine_ls_number_restraints', r.restraints);
  w.item('_refine_ls_R_factor_all', round(r.r1All, 4))
    .item('_refine_ls_R_factor_gt', round(r.r1, 4))
    .item('_refine_ls_wR_factor_ref', round(r.wr2, 4))
    .item('_refine_ls_goodness_of_fit_ref', round(r.s, 3));
  w.item('_refine_ls_shift/su_max', round(r.maxShiftOverSu, 3)).item(
    '_refine_ls_shift/su_mean',
    round(r.meanShiftOverSu, 3),
  );
  if (residual)
    w.item('_refine_diff_density_max', round(residual.peak, 2))
      .item('_refine_diff_density_min', round(residual.hole, 2))
      .item('_refine_diff_density_rms', round(residual.sigma, 3));
  w.blank();
}

function writeSites(w: CifWriter, s: Structure, number: typeof formatMeasured): void {
  const metric = metricTensor(s.cell);
  w.loop(
    [
      '_atom_site_label',
      '_atom_site_type_symbol',
      '_atom_site_fract_x',
      '_atom_site_fract_y',
      '_atom_site_fract_z',
      '_atom_site_U_iso_or_equiv',
      '_atom_site_adp_type',
      '_atom_site_occupancy',
      '_atom_site_site_symmetry_order',
      '_atom_site_calc_flag',
      '_atom_site_calc_attached_atom',
      '_atom_site_refinement_flags_posn',
      '_atom_site_refinement_flags_adp',
      '_atom_site_refinement_flags_occupancy',
      '_atom_site_disorder_assembly',
      '_atom_site_disorder_group',
    ],
    s.sites.map((x) => {
      const flags = siteFlags(s, x.id);
      const ueq = equivalentU(s.cell, x.displacement);
      const ueqSu =
        x.displacement.kind === 'iso'
          ? x.displacement.su
          : x.displacement.su && Math.sqrt(x.displacement.su.slice(0, 3).reduce((p, q) => p + q * q, 0)) / 3;
      return [
        x.label,
        typeSymbol(x.element, x.charge),
        ...x.position.map((v, k) => number(v, x.positionSu?.[k], 6)),
        x.displacement.kind === 'iso' && x.displacement.assumed ? '?' : number(ueq, ueqSu, 5),
        x.displacement.kind === 'iso' ? 'Uiso' : 'Uani',
        x.occupancy === 1 && !x.occupancySu ? '1' : number(x.occupancy, x.occupancySu, 4),
        siteSymmetry(s.spaceGroup, metric, x.position).operators.length,
        flags.calculated ? 'calc' : 'd',
        flags.attached ?? '.',
        flags.position,
        flags.displacement,
        x.occupancySu || x.occupancy !== 1 ? 'P' : '.',
        x.disorder?.assembly ?? '.',
        x.disorder?.group ?? '.',
      ];
    }),
  );
  w.loop(
    ['_atom_site_aniso_label', ...['11', '22', '33', '12', '13', '23'].map((n) => `_atom_site_aniso_U_${n}`)],
    s.sites
      .filter((x) => x.displacement.kind === 'aniso')
      .map((x) => {
        const d = x.displacement as Extract<typeof x.displacement, { kind: 'aniso' }>;
        return [x.label, ...d.u.map((v, k) => number(v, d.su?.[k], 6))];
      }),
  );
}

function writeReflections(
  w: CifWriter,
  s: Structure,
  r: MergedReflections,
  wavelength: number,
  readings?: Readings,
  treatment?: Treatment,
): void {
  const calculated = s.sites.length
    ? evaluateStructure(
        experiment(s, r, wavelength, {
          weights: readings?.weights,
          extinction: readings?.extinction?.value ?? 0,
          treatment,
        }),
        readings?.scale,
      )
    : undefined;
  const rows: (string | number)[][] = [];
  if (calculated) {
    const { data } = calculated;
    for (let i = 0; i < data.used.length; i++) {
      const u = data.used[i]!;
      rows.push([
        r.h[u]!,
        r.k[u]!,
        r.l[u]!,
        data.fc2[i]!.toFixed(2),
        data.fo2[i]!.toFixed(2),
        data.sigma[i]!.toFixed(2),
        data.fo2[i]! > 2 * data.sigma[i]! ? 'o' : '<',
      ]);
    }
    // What was left out stays in the record, marked so, on the same scale.
    const used = new Set(data.used);
    for (let i = 0; i < r.count; i++)
      if (!used.has(i) && !reflectionSymmetry(s.spaceGroup, r.h[i]!, r.k[i]!, r.l[i]!).absent)
        rows.push([
          r.h[i]!,
          r.k[i]!,
          r.l[i]!,
          '?',
          (r.fsq[i]! / calculated.scale).toFixed(2),
          (r.sigma[i]! / calculated.scale).toFixed(2),
          'x',
        ]);
  } else
    for (let i = 0; i < r.count; i++)
      if (!reflectionSymmetry(s.spaceGroup, r.h[i]!, r.k[i]!, r.l[i]!).absent)
        rows.push([
          r.h[i]!,
          r.k[i]!,
          r.l[i]!,
          '?',
          r.fsq[i]!.toFixed(2),
          r.sigma[i]!.toFixed(2),
          r.fsq[i]! > 2 * r.sigma[i]! ? 'o' : '<',
        ]);
  w.loop(
    [
      '_refln_index_h',
      '_refln_index_k',
      '_refln_index_l',
      '_refln_F_squared_calc',
      '_refln_F_squared_meas',
      '_refln_F_squared_sigma',
      '_refln_observed_status',
    ],
    rows,
  );
}
