/** A powder fit as CIF: one block a phase, one a pattern (International Tables G, 3.3: powder dictionary). */
import { cellParameters } from '../crystal/cell.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import { PatternCalculator } from '../powder/engine.ts';
import type { FitModel } from '../powder/model.ts';
import type { FitResult } from '../powder/results.ts';
import { CifWriter } from './cif-writer.ts';
import { structureCif } from './structure-cif.ts';

const blockName = (name: string): string => name.replace(/[^A-Za-z0-9-]+/g, '_').replace(/^_|_$/g, '') || 'phase';

/** The CIF of a fit. `date` is an ISO date. */
export function fitCif(model: FitModel, result: FitResult, patterns: readonly Pattern[], date: string): string {
  const phases = model.phases.map((p, i) => {
    const r = result.phases[i]!;
    const structure = {
      ...p.structure,
      cell: { ...p.structure.cell, su: r.cellSu as unknown as NonNullable<typeof p.structure.cell.su> },
    };
    const wavelength = model.patterns[0]!.instrument.lines[0]!.wavelength;
    return structureCif({
      name: blockName(p.name),
      structure,
      experiment: { wavelength, kept: { _chemical_name_common: p.name } },
      wavelength,
      date,
    });
  });
  const measured = model.patterns.map((pm, k) => {
    const pattern = patterns[k]!,
      r = result.patterns[k]!;
    const calculator = new PatternCalculator(pattern, pm, model.phases),
      c = calculator.calculate();
    const w = new CifWriter(`pattern_${blockName(pattern.name)}`);
    w.item('_audit_creation_method', 'Nagare')
      .item('_audit_creation_date', date.slice(0, 10))
      .item('_pd_block_id', `${date}|${blockName(pattern.name)}|Nagare|`);
    w.item(
      '_pd_instr_geometry',
      pm.instrument.geometry === 'capillary' ? 'capillary' : 'flat specimen, reflection',
    ).item('_diffrn_detector', '?');
    w.item('_pd_proc_ls_prof_R_factor', r.rp.toFixed(5))
      .item('_pd_proc_ls_prof_wR_factor', r.rwp.toFixed(5))
      .item('_pd_proc_ls_prof_wR_expected', r.rExp.toFixed(5))
      .item('_refine_ls_goodness_of_fit_all', r.s.toFixed(3))
      .item('_refine_ls_number_parameters', result.parameters);
    w.item(
      '_pd_proc_ls_background_function',
      `Chebyshev polynomial of the first kind, ${pm.background.chebyshev.length} terms`,
    )
      .item(
        '_pd_proc_ls_profile_function',
        'Thompson-Cox-Hastings pseudo-Voigt with axial divergence after Finger, Cox and Jephcoat',
      )
      .item('_pd_calc_method', 'Rietveld refinement');
    w.item('_pd_calib_2theta_offset', formatMeasured(r.zero.value, r.zero.su));
    w.blank();
    w.loop(
      ['_diffrn_radiation_wavelength_id', '_diffrn_radiation_wavelength', '_diffrn_radiation_wavelength_wt'],
      pm.instrument.lines.map((l, i) => [i + 1, l.wavelength.toFixed(5), l.weight]),
    );
    w.loop(
      ['_pd_phase_id', '_pd_phase_name', '_pd_phase_block_id', '_pd_phase_mass_%'],
      model.phases.map((p, i) => {
        const f = r.weightFractions[i];
        return [i + 1, p.name, blockName(p.name), f ? formatMeasured(100 * f.value, 100 * f.su) : '?'];
      }),
    );
    const reflections = model.phases.flatMap((_, i) => {
      const { list, f2 } = calculator.works[i]!,
        t = c.tables[i]!;
      return Array.from({ length: list.count }, (_, m) => [
        i + 1,
        list.h[m]!,
        list.k[m]!,
        list.l[m]!,
        list.multiplicity[m]!,
        f2[m]!.toFixed(2),
        (pm.instrument.lines[0]!.wavelength / (2 * Math.sin(t.theta[m * t.lines]!))).toFixed(5),
      ]).filter((row) => row[6] !== 'NaN');
    });
    w.loop(
      [
        '_pd_refln_phase_id',
        '_refln_index_h',
        '_refln_index_k',
        '_refln_index_l',
        '_refln_symmetry_multiplicity',
        '_refln_F_squared_calc',
        '_refln_d_spacing',
      ],
      reflections,
    );
    const { points } = calculator;
    w.loop(
      [
        '_pd_proc_2theta_corrected',
        '_pd_proc_intensity_total',
        '_pd_proc_ls_weight',
        '_pd_calc_intensity_total',
        '_pd_proc_intensity_bkg_calc',
      ],
      Array.from({ length: points.count }, (_, i) => [
        points.x[i]!.toFixed(5),
        points.y[i]!.toFixed(2),
        (1 / points.sigma[i]! ** 2).toPrecision(6),
        c.calculated[i]!.toFixed(2),
        c.background[i]!.toFixed(2),
      ]),
    );
    return w.toString();
  });
  return [...phases, ...measured].join('\n');
}

/** Results as comma-separated values, one row a phase. */
export function fitCsv(result: FitResult, pattern = 0): string {
  const p = result.patterns[pattern]!;
  const rows = result.phases.map((f, i) =>
    [
      f.name,
      p.weightFractions[i]?.value ?? '',
      p.weightFractions[i]?.su ?? '',
      ...cellParameters(f.cell),
      ...f.cellSu,
      f.density,
      f.size?.value ?? '',
      f.size?.su ?? '',
      f.strain.value,
      f.strain.su,
      p.rBragg[i] ?? '',
    ]
      .map((x) => (typeof x === 'string' && /[",]/.test(x) ? `"${x.replace(/"/g, '""')}"` : x))
      .join(','),
  );
  return (
    [
      'phase,weight fraction,s.u.,a,b,c,alpha,beta,gamma,su a,su b,su c,su alpha,su beta,su gamma,density g/cm3,size nm,s.u.,strain 1e-3,s.u.,R_Bragg',
      ...rows,
    ].join('\n') + '\n'
  );
}
