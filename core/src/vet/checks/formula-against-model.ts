import type { Check } from '../check.ts';
import { isHydrogen } from '../../crystal/elements.ts';
import { scaleFormula } from '../../crystal/formula.ts';

export const formulaAgainstModel: Check = {
  id: 'formula',
  family: 'contents',
  name: 'Formula against model',
  looks: 'Contents of the cell divided by Z against the formula, element by element.',
  run: (c) => {
    const { formula } = c.input.experiment;
    if (!formula || !c.s.sites.length) return [];
    const z = c.z(),
      found = scaleFormula(c.contents(), 1 / z);
    const elements = [...new Set([...Object.keys(formula), ...Object.keys(found)])];
    const off = elements
      .map((e) => ({ e, d: (found[e] ?? 0) - (formula[e] ?? 0) }))
      .filter((x) => Math.abs(x.d) > 0.06);
    if (!off.length) return [];
    const heavy = off.some((x) => !isHydrogen(x.e));
    return [
      {
        severity: 'mend',
        title: `The model holds ${c.formulaWords(found)}, the formula says ${c.formulaWords(formula)}`,
        sites: c.s.sites
          .flatMap((x, i) => (off.some((o) => o.e === x.element && o.d > 0 && o.d < 3 && !isHydrogen(o.e)) ? [i] : []))
          .slice(0, 12),
        detail: `With Z = ${z}: ${off.map((x) => `${x.d > 0 ? `${Math.round(x.d * 100) / 100} ${x.e} too many` : `${Math.round(-x.d * 100) / 100} ${x.e} missing`} in the model`).join('; ')}. ${heavy ? 'Either an element in the model is wrong or the formula is.' : 'Hydrogens are missing, or the formula counts others.'}`,
        remedies: [
          { act: 'formula', formula: found, z, words: `Take the model's formula` },
          { act: 'go', station: 'refine', sheet: 'Expected molecule', words: 'Compare with the expected molecule' },
        ],
      },
    ];
  },
};
