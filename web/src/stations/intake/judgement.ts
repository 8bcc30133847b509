/** The data in one sentence. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { RankedGroup } from '@nagare/core/data/space-group-ranking';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';

/** One plain sentence on the data. */
export function judgement(m: MergeTaskResult, group: SpaceGroup, ranked: RankedGroup | undefined): string {
  const s = m.statistics;
  const strength = s.meanIOverSigma > 12 ? 'Strong data' : s.meanIOverSigma > 5 ? 'Usable data' : 'Weak data';
  const limit = s.shells.findLast((x) => x.meanIOverSigma > 2) ?? s.shells[0]!;
  const fit = !ranked
    ? ''
    : ranked.violations === 0
      ? `; ${prettySymbol(group.symbol)} fits without a contradiction`
      : `; ${ranked.violations} of ${ranked.absentCount} reflections that ${prettySymbol(group.symbol)} forbids were measured above 5σ`;
  const complete = s.completeness < 0.95 ? ` Only ${(100 * s.completeness).toFixed(1)} % complete.` : '';
  return `${strength} to ${limit.dMin.toFixed(2)} Å; ${s.rejected} of ${String(s.measured).replace(/\B(?=(\d{3})+$)/g, '\u2009')} rejected${fit}.${complete}`;
}
