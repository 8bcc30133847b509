import type { Check } from '../check.ts';
import { expectedBond } from '../bond-ranges.ts';

const SERIES = ['B', 'C', 'N', 'O', 'F'];

export const elementMistaken: Check = {
  id: 'element mistaken',
  family: 'contents',
  name: 'Element mistaken',
  looks:
    'Displacement against the bonded neighbours, residual density on the site, number of partners, and bond lengths: two signs that agree must be mended, one is worth knowing.',
  run: (c) =>
    c.s.sites.flatMap((x, i) => {
      if (c.hydrogen(i) || x.disorder || x.occupancy < 0.999) return [];
      const heavy = c.heavyBondsOf(i),
        u = c.ueq()[i]!;
      const signs: { says: 'lighter' | 'heavier'; words: string }[] = [];
      if (heavy.length > 1) {
        const mean = heavy.reduce((p, b) => p + c.ueq()[b.to]!, 0) / heavy.length;
        // Ends of groups swing; what is bonded on both sides cannot.
        if (u > 1.33 * mean)
          signs.push({
            says: 'lighter',
            words: `U_eq ${u.toFixed(3)} against ${mean.toFixed(3)} Å² of its neighbours`,
          });
        if (u < 0.62 * mean)
          signs.push({
            says: 'heavier',
            words: `U_eq ${u.toFixed(3)} against ${mean.toFixed(3)} Å² of its neighbours`,
          });
      }
      const limit = Math.max(0.3, 4 * (c.input.residualSigma ?? 0.06));
      const hole = c.input.holes?.find((p) => p.near[0]?.site === i && p.near[0].distance < 0.35 && p.height < -limit);
      const peak = c.input.peaks?.find((p) => p.near[0]?.site === i && p.near[0].distance < 0.35 && p.height > limit);
      if (hole) signs.push({ says: 'lighter', words: `a hole of ${hole.height.toFixed(2)} e Å⁻³ on the site` });
      if (peak) signs.push({ says: 'heavier', words: `a maximum of ${peak.height.toFixed(2)} e Å⁻³ on the site` });
      const partners = c.bondsOf(i).filter((b) => !c.metal(b.to)).length;
      if (x.element === 'O' && partners > 2)
        signs.push({ says: 'lighter', words: `${partners} partners, which oxygen does not have` });
      if (x.element === 'F' && partners > 1)
        signs.push({ says: 'lighter', words: `${partners} partners, which fluorine does not have` });
      if (x.element === 'N' && heavy.length > 3 && c.bondsOf(i).length > heavy.length)
        signs.push({ says: 'lighter', words: `${partners} partners, which nitrogen does not have` });
      if (!signs.length) return [];
      const says = signs[0]!.says;
      const agreeing = signs.filter((q) => q.says === says);
      // One sign alone is weak: libration of a ring, or a loose end.
      const mend = agreeing.length > 1 || (agreeing.length === 1 && /partners/.test(agreeing[0]!.words));
      const at = SERIES.indexOf(x.element);
      const other = at >= 0 ? SERIES[at + (says === 'lighter' ? -1 : 1)] : undefined;
      if (
        !mend &&
        (agreeing[0]!.words.startsWith('U_eq')
          ? says === 'lighter'
            ? u < 1.8 * (heavy.reduce((p, b) => p + c.ueq()[b.to]!, 0) / heavy.length)
            : false
          : false)
      )
        return [];
      const fits = other
        ? heavy.filter((b) => {
            const r = expectedBond(other, c.s.sites[b.to]!.element);
            return r && b.distance > r.low && b.distance < r.high;
          }).length
        : 0;
      return [
        {
          key: x.id,
          severity: mend ? ('mend' as const) : ('explain' as const),
          sites: [i],
          value: u,
          unit: 'Å²',
          title: `${x.label} looks ${says} than ${x.element}`,
          detail: `${agreeing.map((q) => q.words).join('; ')}.${other && heavy.length ? ` As ${other}, ${fits} of its ${heavy.length} bonds would be in the usual range.` : ''}`,
          remedies: [
            ...(other ? [{ act: 'element' as const, site: i, element: other, words: `Make it ${other}` }] : []),
            { act: 'go' as const, station: 'refine' as const, sheet: 'Residual density', words: 'Count its electrons' },
          ],
        },
      ];
    }),
};
