/** Symmetry that a model has beyond its group: the phases it gives obey further operators, far better than those it was built from. */
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { elementsOf, siteArrays } from '../refine/single-crystal-problem.ts';
import { scatteringTable, structureFactors } from '../scattering/structure-factors.ts';
import type { PhasingData } from './expand.ts';
import type { GroupMatch } from './phase.ts';
import { SymmetryProbe, type PhaseIndex } from './symmetry-from-phases.ts';

/** Agreement that every operator has to reach; a wrong one of a refined model stays far below. */
const OBEYED = 0.8;

/** Phases that a model gives the reflections of the phasing, radians, about the model's own origin. */
function phasesOf(s: Structure, { h, k, l }: PhasingData): Float32Array {
  const elements = elementsOf(s);
  // Without dispersion, so that Friedel mates have opposite phases.
  const table = scatteringTable(s.cell, s.spaceGroup, { count: h.length, h, k, l }, elements, 0);
  const { a, b } = structureFactors(table, siteArrays(s, elements));
  return Float32Array.from(a, (x, i) => Math.atan2(b[i]!, x));
}

export interface HigherGroups {
  readonly phases: Float32Array;
  /** Most symmetric first. */
  readonly matches: readonly GroupMatch[];
}

/** Groups of a list with more operators than the model's that its phases obey. */
export function higherGroups(
  s: Structure,
  groups: readonly SpaceGroup[],
  data: PhasingData,
  index: PhaseIndex,
): HigherGroups {
  const own = s.spaceGroup.representatives.length;
  const higher = groups.flatMap((g, group) => (g.representatives.length > own ? [{ g, group }] : []));
  if (!higher.length) return { phases: new Float32Array(), matches: [] };
  const phases = phasesOf(s, data);
  const matches = higher.flatMap(({ g, group }): GroupMatch[] => {
    const { score, operators, origin } = new SymmetryProbe(g, data, index).match(phases);
    const worst = Math.min(...operators);
    return worst > OBEYED ? [{ group, score, worst, origin }] : [];
  });
  const orderOf = (m: GroupMatch): number => groups[m.group]!.representatives.length;
  return { phases, matches: matches.sort((p, q) => orderOf(q) - orderOf(p) || q.score - p.score) };
}
