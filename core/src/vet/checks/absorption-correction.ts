import type { Check } from '../check.ts';
import { absorptionCoefficient } from '../../scattering/form-factor.ts';

export const absorptionCorrection: Check = {
  id: 'absorption correction',
  family: 'data',
  name: 'Absorption against size and correction',
  looks: 'μ times the middle dimension: above 0.1 a correction is asked for, above 3 a numerical one.',
  run: (c) => {
    const { experiment: e, wavelength } = c.input;
    if (!wavelength || !e.size) return [];
    const mu = absorptionCoefficient(c.contents(), 1, c.volume, wavelength);
    const depth = mu * e.size[1];
    const type = (e.kept['_exptl_absorpt_correction_type'] ?? '').toLowerCase();
    const none = !type || type === 'none' || type === '?';
    if (none && depth > 0.1)
      return [
        {
          severity: depth > 1 ? 'mend' : 'explain',
          value: depth,
          title: `μ·d is ${depth.toFixed(2)} and no absorption correction is on record`,
          detail: `μ = ${mu.toFixed(2)} mm⁻¹ and the crystal is ${e.size.join(' × ')} mm: the weakest path lets ${(100 * Math.exp(-mu * e.size[0])).toFixed(0)} % through, the shortest ${(100 * Math.exp(-mu * e.size[2])).toFixed(0)} %.`,
          remedies: [
            { act: 'go', station: 'intake', sheet: 'Scale and absorption', words: 'Correct at Intake' },
            { act: 'go', station: 'publish', words: 'Say which correction was made' },
          ],
        },
      ];
    if (depth > 3 && /multi|empirical|psi/.test(type))
      return [
        {
          severity: 'explain',
          value: depth,
          title: `μ·d is ${depth.toFixed(1)}: strong absorption, corrected empirically`,
          detail: 'A correction from the measured faces is the usual choice above 3.',
        },
      ];
    return [];
  },
};
