/** The registry of checks. A new one is a file in checks/ and a line here. */
import type { Check, Finding, Severity } from './check.ts';
import { VetContext, type VetInput } from './context.ts';
import { absences } from './checks/absences.ts';
import { absorptionCorrection } from './checks/absorption-correction.ts';
import { agreement } from './checks/agreement.ts';
import { cellUncertainty } from './checks/cell-uncertainty.ts';
import { completeness } from './checks/completeness.ts';
import { lostReflections } from './checks/lost-reflections.ts';
import { noise } from './checks/noise.ts';
import { outliers } from './checks/outliers.ts';
import { redundancy } from './checks/redundancy.ts';
import { resolution } from './checks/resolution.ts';
import { twinSigns } from './checks/twin-signs.ts';
import { elementMistaken } from './checks/element-mistaken.ts';
import { extraHydrogens } from './checks/extra-hydrogens.ts';
import { formulaAgainstModel } from './checks/formula-against-model.ts';
import { missingHydrogens } from './checks/missing-hydrogens.ts';
import { packingDensity } from './checks/packing-density.ts';
import { voids } from './checks/voids.ts';
import { absoluteStructureCheck } from './checks/absolute-structure.ts';
import { convergence } from './checks/convergence.ts';
import { correlations } from './checks/correlations.ts';
import { dataPerParameter } from './checks/data-per-parameter.ts';
import { extinction } from './checks/extinction.ts';
import { goodness } from './checks/goodness.ts';
import { residualDensity } from './checks/residual-density.ts';
import { residualR } from './checks/residual-r.ts';
import { restraintsOff } from './checks/restraints-off.ts';
import { elongation } from './checks/elongation.ts';
import { hydrogenDisplacement } from './checks/hydrogen-displacement.ts';
import { impossibleDisplacement } from './checks/impossible-displacement.ts';
import { isotropicAtoms } from './checks/isotropic-atoms.ts';
import { neighbourRatio } from './checks/neighbour-ratio.ts';
import { rigidBond } from './checks/rigid-bond.ts';
import { solventDisplacement } from './checks/solvent-displacement.ts';
import { angles } from './checks/angles.ts';
import { bondLengths } from './checks/bond-lengths.ts';
import { carbonAverage } from './checks/carbon-average.ts';
import { charges } from './checks/charges.ts';
import { donors } from './checks/donors.ts';
import { hydrogenGeometry } from './checks/hydrogen-geometry.ts';
import { missedBonds } from './checks/missed-bonds.ts';
import { tooNear } from './checks/short-contacts.ts';
import { valence } from './checks/valence.ts';
import { cellSymmetry } from './checks/cell-symmetry.ts';
import { chirality } from './checks/chirality.ts';
import { connectedUnitCheck } from './checks/connected-unit.ts';
import { missedSymmetry } from './checks/missed-symmetry.ts';
import { settingCheck } from './checks/setting.ts';
import { specialPositionsCheck } from './checks/special-positions.ts';
import { fileFigures } from './checks/file-figures.ts';
import { fileTypes } from './checks/file-types.ts';
import { missingItemsCheck } from './checks/missing-items.ts';

export const CHECKS: readonly Check[] = [
  // data
  absences,
  absorptionCorrection,
  agreement,
  cellUncertainty,
  completeness,
  lostReflections,
  noise,
  outliers,
  redundancy,
  resolution,
  twinSigns,
  // contents
  elementMistaken,
  extraHydrogens,
  formulaAgainstModel,
  missingHydrogens,
  packingDensity,
  voids,
  // refinement
  absoluteStructureCheck,
  convergence,
  correlations,
  dataPerParameter,
  extinction,
  goodness,
  residualDensity,
  residualR,
  restraintsOff,
  // displacement
  elongation,
  hydrogenDisplacement,
  impossibleDisplacement,
  isotropicAtoms,
  neighbourRatio,
  rigidBond,
  solventDisplacement,
  // geometry
  angles,
  bondLengths,
  carbonAverage,
  charges,
  donors,
  hydrogenGeometry,
  missedBonds,
  tooNear,
  valence,
  // symmetry
  cellSymmetry,
  chirality,
  connectedUnitCheck,
  missedSymmetry,
  settingCheck,
  specialPositionsCheck,
  // file
  fileFigures,
  fileTypes,
  missingItemsCheck,
];

const RANK: Record<Severity, number> = { mend: 0, explain: 1, know: 2 };
export const SEVERITY_WORDS: Record<Severity, string> = {
  mend: 'must be mended',
  explain: 'must be explained',
  know: 'worth knowing',
};

export interface VetReport {
  readonly findings: readonly Finding[];
  /** Checks that ran, and those that lacked what they need. */
  readonly ran: readonly string[];
  readonly silent: readonly { readonly id: string; readonly lacks: string }[];
}

/** Runs every check; one that fails on a strange model says so instead of stopping the others. */
export function vet(input: VetInput, breath?: (name: string) => void): VetReport {
  const context = new VetContext(input);
  const has: Record<string, boolean> = {
    refinement: !!input.readings,
    'merged data': !!input.statistics || !!input.reflections,
    'raw data': !!input.raw && !input.raw.merged,
    map: !!input.peaks,
    file: !!input.items,
  };
  const findings: Finding[] = [],
    ran: string[] = [],
    silent: { id: string; lacks: string }[] = [];
  for (const check of CHECKS) {
    const lacks = check.needs?.find((n) => !has[n]);
    if (lacks) {
      silent.push({ id: check.id, lacks });
      continue;
    }
    breath?.(check.name);
    try {
      for (const d of check.run(context))
        findings.push({
          ...d,
          check: check.id,
          family: check.family,
          key: `${check.id}${d.key ? `: ${d.key}` : ''}`,
          sites: d.sites ?? [],
          remedies: d.remedies ?? [],
        });
      ran.push(check.id);
    } catch (e) {
      silent.push({ id: check.id, lacks: `stopped: ${(e as Error).message}` });
    }
  }
  return { findings: findings.sort((p, q) => RANK[p.severity] - RANK[q.severity]), ran, silent };
}
