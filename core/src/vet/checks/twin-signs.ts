import type { Check } from '../check.ts';
import { intensityReading, lTest, normalizedIntensities } from '../../data/intensity-statistics.ts';
import { twinLaws } from '../../data/twin-laws.ts';

export const twinSigns: Check = {
  id: 'twin signs',
  family: 'data',
  name: 'Signs of twinning',
  looks:
    '⟨|E²−1|⟩ well below 0.736, neighbouring intensities too much alike (⟨|L|⟩ well below 0.5), or weak reflections observed much too strong.',
  needs: ['merged data'],
  run: (c) => {
    const { reflections: r, treatment } = c.input;
    if (!r || treatment?.twins?.length) return [];
    const e = intensityReading(r, normalizedIntensities(r, c.s.cell, c.s.spaceGroup), c.s.spaceGroup).meanE2Minus1;
    const laws = twinLaws(c.s.cell, c.s.spaceGroup);
    const evaluated = c.evaluated();
    let ratio = NaN;
    if (evaluated) {
      // The weakest tenth by calculation: a twin adds to them what they do not have.
      const order = Array.from(evaluated.data.fc2.keys())
        .sort((p, q) => evaluated.data.fc2[p]! - evaluated.data.fc2[q]!)
        .slice(0, Math.floor(evaluated.data.fc2.length / 10));
      const fo = order.reduce((s, i) => s + evaluated.data.fo2[i]!, 0),
        fc = order.reduce((s, i) => s + evaluated.data.fc2[i]!, 0),
        noise = order.reduce((s, i) => s + evaluated.data.sigma[i]!, 0);
      if (fc > 0 && fo - fc > 1.5 * noise) ratio = fo / fc;
    }
    const out = [];
    const remedies = [
      {
        act: 'go' as const,
        station: 'refine' as const,
        sheet: 'Data',
        words:
          laws.length === 1
            ? 'Test the law the cell allows'
            : laws.length
              ? `Test the ${laws.length} laws the cell allows`
              : 'Test twin laws',
      },
    ];
    if (e < (c.s.spaceGroup.centric ? 0.8 : 0.65) && laws.length)
      out.push({
        key: 'statistics',
        severity: 'explain' as const,
        value: e,
        title: `⟨|E²−1|⟩ is ${e.toFixed(3)}: the intensities are too even`,
        detail: `Untwinned ${c.s.spaceGroup.centric ? 'centric data give 0.968' : 'acentric data give 0.736'}; twinning lowers it. The cell allows ${laws
          .slice(0, 3)
          .map((l) => l.name)
          .join(', ')}.`,
        remedies,
      });
    const local = lTest(r, c.s.spaceGroup);
    if (!c.s.spaceGroup.centric && local.pairs > 500 && local.meanL < 0.46)
      out.push({
        key: 'local',
        severity: 'explain' as const,
        value: local.meanL,
        title: `⟨|L|⟩ is ${local.meanL.toFixed(3)}: neighbouring intensities are too much alike`,
        detail: `Untwinned acentric data give 0.5, a perfect twin 0.375 (${local.pairs} pairs).`,
        remedies,
      });
    if (ratio > 3)
      out.push({
        key: 'weak',
        severity: 'explain' as const,
        value: ratio,
        title: `The weakest calculated reflections are observed ${ratio.toFixed(1)} times too strong`,
        detail: 'Typical of a twin, of a second crystal, or of neighbouring reflections that overlap.',
        remedies,
      });
    return out;
  },
};
