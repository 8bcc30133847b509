/** Sentences for the experimental section, told from what was done. */
import { kelvinOf, type AsphericalAtoms } from '../crystal/form-factors.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { prettySymbol } from '../crystal/settings.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import { decimal } from '../math/decimal.ts';
import type { CifInput } from './structure-cif.ts';

const NUMBER = ['no', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten'];
const counted = (n: number, one: string, many = `${one}s`): string => `${NUMBER[n] ?? n} ${n === 1 ? one : many}`;
const capital = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

/** How the crystal was measured and the model refined, in plain sentences; only what is known is said. */
export function experimentalSentence(input: CifInput): string {
  const { structure: s, experiment: e, statistics: m, readings: r, treatment: t } = input;
  const out: string[] = [];
  const crystal = [e.colour, e.habit].filter(Boolean).join(' ');
  if (m || e.temperature !== undefined) {
    const parts = [
      `${/^[aeiou]/i.test(crystal) ? 'An' : 'A'} ${crystal || 'crystal'}${crystal ? ' crystal' : ''}${e.size?.every((x) => x > 0) ? ` of ${e.size.join(' × ')} mm` : ''} was measured${e.temperature !== undefined ? ` at ${e.temperature} K` : ''}${e.kept['_diffrn_measurement_device_type'] ? ` on a ${e.kept['_diffrn_measurement_device_type']}` : ''}`,
    ];
    if (input.wavelength) parts.push(`with radiation of ${input.wavelength.toFixed(5)} Å`);
    out.push(`${parts.join(' ')}.`);
  }
  if (m && Number.isFinite(m.rInt))
    out.push(
      `${m.measured - m.absent - m.rejected} observations were merged to ${m.unique} unique reflections (R_int ${m.rInt.toFixed(4)}, ${(100 * m.completeness).toFixed(1)} % complete to ${m.dMin.toFixed(2)} Å)${m.rejected ? `, ${m.rejected} having been rejected as outliers` : ''}.`,
    );
  const type = e.kept['_exptl_absorpt_correction_type'];
  if (type && type !== 'none')
    out.push(`${/^[aeio]/.test(type) ? 'An' : 'A'} ${type} absorption correction was applied.`);
  const anisotropic = s.sites.filter((x) => !isHydrogen(x.element) && x.displacement.kind === 'aniso').length,
    heavy = s.sites.filter((x) => !isHydrogen(x.element)).length;
  if (r)
    out.push(
      `The structure was refined in ${prettySymbol(s.spaceGroup.symbol)} by full-matrix least squares on F² against all ${r.reflections} reflections, with ${anisotropic === heavy ? 'anisotropic displacements for all non-hydrogen atoms' : anisotropic ? `anisotropic displacements for ${anisotropic} of ${heavy} non-hydrogen atoms` : 'isotropic displacements'}.`,
    );
  const groups = s.controls?.hydrogens ?? [];
  const hydrogens = s.sites.filter((x) => isHydrogen(x.element)).length;
  if (hydrogens) {
    const held = (hold: string): number =>
      groups.filter((g) => g.hold === hold).reduce((n, g) => n + g.hydrogens.length, 0);
    const riding = held('riding'),
      rotating = held('rotating'),
      restrained = held('restrained'),
      free = hydrogens - riding - rotating - restrained;
    const ways = [
      riding &&
        `${counted(riding, 'hydrogen')} ride on ${riding === 1 ? 'its parent' : 'their parents'} at ideal distances`,
      rotating && `${counted(rotating, 'hydrogen')} ride and turn about the bond of their group`,
      restrained &&
        `${counted(restrained, 'hydrogen')} ${restrained === 1 ? 'was' : 'were'} refined with restrained distances`,
      free && groups.length && `${counted(free, 'hydrogen')} ${free === 1 ? 'was' : 'were'} refined freely`,
    ].filter(Boolean);
    out.push(
      ways.length
        ? `${capital(ways.join('; '))}; U(H) is 1.2 or 1.5 times U_eq of the parent where it rides.`
        : `${capital(counted(hydrogens, 'hydrogen'))} ${hydrogens === 1 ? 'was' : 'were'} included.`,
    );
  }
  const assemblies = new Map<string, Set<string>>();
  for (const x of s.sites)
    if (x.disorder)
      assemblies.set(x.disorder.assembly, (assemblies.get(x.disorder.assembly) ?? new Set()).add(x.disorder.group));
  for (const [assembly, list] of assemblies) {
    const share = [...list].map((g) => {
      const x = s.sites.find((y) => y.disorder?.assembly === assembly && y.disorder.group === g)!;
      return formatMeasured(x.occupancy, x.occupancySu, 2);
    });
    const sites = s.sites.filter((x) => x.disorder?.assembly === assembly && !isHydrogen(x.element));
    out.push(
      `${sites
        .slice(0, 3)
        .map((x) => x.label)
        .join(
          ', ',
        )}${sites.length > 3 ? ` and ${sites.length - 3} further atoms` : ''} are disordered over ${counted(Math.max(2, list.size), 'place')} with occupancies ${share.join(' and ')}.`,
    );
  }
  const restraints = s.controls?.restraints.filter((x) => !x.off) ?? [];
  if (restraints.length) {
    const kinds = [...new Set(restraints.map((x) => x.kind))];
    out.push(
      `Restraints were applied: ${kinds.join(', ')} (${r ? `${r.restraints} in all` : `${restraints.length} sets`}).`,
    );
  }
  if (t?.twins?.length)
    out.push(
      `The crystal is a twin by ${t.twins.map((x) => `${x.name} with a fraction of ${formatMeasured(x.fraction, x.su, 3)}`).join(' and ')}.`,
    );
  if (t?.mask)
    out.push(
      `The contribution of solvent that could not be modelled (${t.mask.electrons.toFixed(0)} electrons in ${t.mask.volume.toFixed(0)} Å³ of the cell) was taken from the density in the voids.`,
    );
  if (t?.aspherical) out.push(asphericalSentence(t.aspherical));
  if (t?.excluded?.length)
    out.push(
      `${capital(counted(t.excluded.length, 'reflection'))} ${t.excluded.length === 1 ? 'was' : 'were'} left out (${[...new Set(t.excluded.map((x) => x.reason))].join('; ')}).`,
    );
  if (t?.dMin) out.push(`Data beyond ${t.dMin.toFixed(2)} Å were not used.`);
  if (input.absolute)
    out.push(
      `The absolute structure parameter from ${input.absolute.pairs} Bijvoet pairs is ${formatMeasured(input.absolute.x, input.absolute.su, 2)}.`,
    );
  if (r)
    out.push(
      `The refinement ended at R1 ${r.r1.toFixed(4)} for ${r.observed} reflections above 2σ, wR2 ${r.wr2.toFixed(4)} and S ${r.s.toFixed(3)} for all data with ${r.parameters} parameters; the largest shift was ${r.maxShiftOverSu.toFixed(3)} s.u.${input.residual ? ` and the residual density lies between ${decimal(input.residual.hole, 2)} and ${input.residual.peak.toFixed(2)} e Å⁻³` : ''}.`,
    );
  return out.join(' ');
}

/** How aspherical form factors were made, so that it can be done again. */
function asphericalSentence(a: AsphericalAtoms): string {
  const molecules = a.molecules
    .map(
      (m) =>
        `${m.labels[0]} … ${m.labels.at(-1)} (charge ${m.charge}, multiplicity ${m.multiplicity}${m.part ? `, part ${m.part.number} of ${m.part.of}` : ''}${m.smearing ? `, orbitals filled by a Fermi distribution at ${kelvinOf(m.smearing).toFixed(0)} K` : ''})`,
    )
    .join('; ');
  const parted = a.molecules.some((m) => m.part)
    ? ' Each part of a large molecule was calculated with the atoms within three bonds of it, cut bonds ended by hydrogen atoms.'
    : '';
  const atoms = a.division ? `atoms divided as ${a.division}` : 'stockholder atoms (Hirshfeld, 1977)';
  return `Form factors are those of ${atoms} from a wavefunction of ${molecules}: ${a.method}; basis ${a.basis}; ${a.neighbours}.${parted} Wavefunction, form factors and least squares were repeated until they agreed; the same model with spherical atoms had R1 ${a.spherical.r1.toFixed(4)} and wR2 ${a.spherical.wr2.toFixed(4)}.`;
}
