/** What a settled model leaves for a person to decide, in sentences. */
import { isSymmetryGroup } from '../crystal/controls.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { bonds } from '../geometry/bonds.ts';
import { assemblies } from '../model/disorder.ts';
import { judgeEllipsoids } from '../model/ellipsoids.ts';
import type { Stage } from './stage.ts';

/** What is left that a person should look at. */
export function openQuestions(stage: Stage): string[] {
  const s = stage.structure;
  const out: string[] = [];
  const heavy = (i: number): boolean => elementOf(s.sites[i]!.element).z > 20;
  const strong = stage.map.peaks.filter(
    (p) =>
      p.height > Math.max(0.8, 6 * stage.map.sigma) &&
      !(p.near[0] && heavy(p.near[0].site) && p.near[0].distance < 1.2),
  );
  if (strong.length)
    out.push(
      `${strong.length === 1 ? 'One maximum is' : `${strong.length} maxima are`} unexplained, ${strong[0]!.name} with ${strong[0]!.height.toFixed(2)} e Å⁻³ at ${strong[0]!.near[0]?.distance.toFixed(2)} Å from ${strong[0]!.near[0]?.label}: a second place, solvent or a wrong element.`,
    );
  for (const e of judgeEllipsoids(s)
    .filter((x) => x.kind !== 'large')
    .slice(0, 3))
    out.push(e.text);
  for (const a of assemblies(s))
    for (const g of a.groups)
      if (!isSymmetryGroup(g.group) && g.occupancy < 0.05)
        out.push(
          `Group ${g.group} of assembly ${a.assembly} is down to ${(100 * g.occupancy).toFixed(1)} %: it may not be there.`,
        );
  const lonely = new Set(s.sites.map((_, i) => i));
  for (const b of bonds(s)) lonely.delete(b.from);
  const strays = [...lonely].filter((i) => !isHydrogen(s.sites[i]!.element) && s.sites[i]!.element === 'C');
  if (strays.length)
    out.push(
      `${strays.map((i) => s.sites[i]!.label).join(', ')} ${strays.length === 1 ? 'is' : 'are'} bonded to nothing.`,
    );
  return out;
}
