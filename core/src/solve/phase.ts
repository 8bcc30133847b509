/** One worker's share of the phasing: seeds run in turn, each judged by the symmetry it shows. */
import type { SpaceGroup } from '../crystal/space-group.ts';
import type { TaskContext } from '../task-context.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { chargeFlip, type FlippingReport } from './charge-flipping.ts';
import type { PhasingData } from './expand.ts';
import { PhaseIndex, SymmetryProbe } from './symmetry-from-phases.ts';

export interface PhaseInput {
  data: PhasingData;
  /** Candidate groups in the order of what the data say. */
  groups: readonly SpaceGroup[];
  seed: number;
  maxIterations: number;
}

export interface GroupMatch {
  /** Index into the candidates. */
  group: number;
  score: number;
  worst: number;
  origin: Vec3;
}

export interface PhaseResult {
  seed: number;
  iterations: number;
  converged: boolean;
  skewness: number;
  phases: Float32Array;
  /** Groups the phases obey, most symmetric first. */
  matches: GroupMatch[];
}

/** Agreement above which phases are taken to obey a group; chance gives less than 0.15. */
export const AGREEMENT = 0.25;

export async function phaseSeed(input: PhaseInput, context: TaskContext<FlippingReport>): Promise<PhaseResult> {
  const index = new PhaseIndex(input.data);
  const probes = input.groups.map((g) => new SymmetryProbe(g, input.data, index));
  const tested = probes.filter((p) => p.group.representatives.length > 1).slice(0, 3);
  const result = await chargeFlip(
    input.data,
    input.seed,
    {
      maxIterations: input.maxIterations,
      ...(tested.length
        ? { test: (phases: Float32Array) => tested.some((p) => p.match(phases).score > AGREEMENT) }
        : {}),
    },
    context,
  );
  let { phases } = result;
  if (result.converged) {
    // From a start that is already right, a low threshold sharpens without wandering.
    const polished = await chargeFlip(
      input.data,
      input.seed,
      { maxIterations: 40, threshold: 1, weak: 0.15, start: phases },
      { ...context, progress: () => undefined },
    );
    phases = polished.phases;
  }
  const matches: GroupMatch[] = [];
  for (let g = 0; g < probes.length; g++) {
    await context.breath();
    const m = probes[g]!.match(phases);
    if (!m.operators.length) matches.push({ group: g, score: 0.2, worst: 0.2, origin: [0, 0, 0] });
    else if (m.score > AGREEMENT)
      matches.push({ group: g, score: m.score, worst: Math.min(...m.operators), origin: m.origin });
  }
  // A group whose every operator is obeyed beats its subgroups; among equals the better agreement.
  const top = Math.max(0, ...matches.map((m) => m.score));
  const rank = (m: GroupMatch): number =>
    m.worst > 0.6 * top
      ? Math.log2(input.groups[m.group]!.representatives.length) + m.score - 0.01 * m.group
      : m.score - 5;
  matches.sort((p, q) => rank(q) - rank(p));
  return {
    seed: input.seed,
    iterations: result.iterations,
    converged: result.converged,
    skewness: result.skewness,
    phases,
    matches,
  };
}
