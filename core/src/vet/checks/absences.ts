import type { Check } from '../check.ts';
import { reflectionSymmetry } from '../../crystal/space-group.ts';

export const absences: Check = {
  id: 'absences',
  family: 'data',
  name: 'Systematic absences',
  looks: 'Observations the space group forbids: none should stand clearly above noise.',
  needs: ['raw data'],
  run: (c) => {
    const { raw } = c.input;
    if (!raw || raw.merged) return [];
    let n = 0,
      over = 0,
      snr = 0;
    let worst: { hkl: [number, number, number]; x: number } | undefined;
    for (let i = 0; i < raw.count; i++) {
      if (!reflectionSymmetry(c.s.spaceGroup, raw.h[i]!, raw.k[i]!, raw.l[i]!).absent || !(raw.sigma[i]! > 0)) continue;
      const x = raw.intensity[i]! / raw.sigma[i]!;
      n++;
      snr += x;
      if (x > 5) over++;
      if (!worst || x > worst.x) worst = { hkl: [raw.h[i]!, raw.k[i]!, raw.l[i]!], x };
    }
    if (!n || (over < 3 && snr / n < 2)) return [];
    return [
      {
        severity: snr / n > 3 ? 'mend' : 'explain',
        value: over,
        title: `${over} of ${n} forbidden observations stand above 5σ`,
        detail: `Their mean I/σ is ${(snr / n).toFixed(1)}; the strongest is ${worst!.hkl.join(' ')} (${worst!.x.toFixed(1)}). A wrong screw axis or glide plane, multiple diffraction, or a twin.`,
        reflections: [worst!.hkl],
        remedies: [
          { act: 'go', station: 'intake', words: 'See absences by element' },
          { act: 'go', station: 'symmetry', words: 'Try a subgroup' },
        ],
      },
    ];
  },
};
