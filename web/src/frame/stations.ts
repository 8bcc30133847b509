/** The line of stations: which a project needs, and how far each of them is. */
import type { FitResult } from '@nagare/core/powder/results';
import type { VetReport } from '@nagare/core/vet/registry';
import type { IntakeRow, PowderRow, Project, SolveRow } from '../store/db.ts';
import type { Looks } from '../store/looks.ts';
import type { Head } from '../store/marks.ts';

export const STATIONS = [
  { id: 'intake', name: 'Intake' },
  { id: 'solve', name: 'Solve' },
  { id: 'refine', name: 'Refine' },
  { id: 'fit', name: 'Fit' },
  { id: 'relate', name: 'Relate' },
  { id: 'build', name: 'Build' },
  { id: 'symmetry', name: 'Symmetry' },
  { id: 'vet', name: 'Vet' },
  { id: 'depict', name: 'Depict' },
  { id: 'publish', name: 'Publish' },
] as const;
export type StationId = (typeof STATIONS)[number]['id'];
/** What decides which stations a project needs. */
export interface ProjectNeeds {
  readonly patterns: boolean;
  readonly reflections: boolean;
  /** A model that is not a powder fit. */
  readonly structure: boolean;
}

/** The stations a project needs; the others are reached through the finder. */
export function stationsShown({ patterns, reflections, structure }: ProjectNeeds): readonly StationId[] {
  const after = ['symmetry', 'vet', 'depict', 'publish'] as const;
  if (patterns)
    return structure || reflections
      ? ['intake', 'solve', 'refine', 'fit', 'relate', ...after]
      : ['intake', 'fit', 'symmetry', 'vet', 'publish'];
  if (structure && !reflections) return ['relate', 'build', ...after];
  return ['intake', 'solve', 'refine', 'relate', ...after];
}

/** Where a project is opened. */
export function firstStation({ patterns, reflections, structure }: ProjectNeeds): StationId {
  if (patterns) return 'fit';
  if (!structure) return 'intake';
  return reflections ? 'refine' : 'relate';
}
export type StopState = 'empty' | 'in flow' | 'settled' | 'needs a look';

/** What the states are read from. */
export interface HowFar {
  readonly project: Project;
  readonly head: Head | undefined;
  readonly looks: Pick<Looks, 'figures'>;
  readonly intake: IntakeRow | undefined;
  readonly hasData: boolean;
  readonly solve: SolveRow | undefined;
  readonly work: { readonly title: string } | undefined;
  /** How many powder patterns there are. */
  readonly patterns: number;
  readonly powder: PowderRow | undefined;
  readonly fit: FitResult | undefined;
  readonly vetted: VetReport | undefined;
}

/** Below this shift over s.u. a refinement has come to rest. */
const AT_REST = 0.05;
/** R1 above which a refinement at rest is looked at again, and S of a powder fit. */
const HIGH_R1 = 0.1,
  HIGH_S = 1.6;

function intakeState({ project, intake, hasData, patterns, powder }: HowFar): StopState {
  if (patterns) return powder?.instrumentKnown ? 'settled' : 'in flow';
  if (!hasData) return project.cell ? 'settled' : 'empty';
  const complete = project.cell && project.experiment.wavelength && project.group && intake?.merge;
  return complete ? 'settled' : 'in flow';
}

function solveState({ head, solve, work }: HowFar): StopState {
  if (work?.title === 'Solving') return 'in flow';
  if (head) return 'settled';
  return solve?.message && !solve.candidates.length ? 'needs a look' : 'empty';
}

function refineState({ head }: HowFar): StopState {
  if (!head || head.fit) return 'empty';
  const { readings } = head;
  if (!readings || readings.maxShiftOverSu >= AT_REST) return 'in flow';
  return readings.r1 < HIGH_R1 ? 'settled' : 'needs a look';
}

function fitState({ patterns, fit }: HowFar): StopState {
  if (!patterns) return 'empty';
  if (!fit) return 'in flow';
  return fit.s < HIGH_S ? 'settled' : 'needs a look';
}

const hasSites = ({ head }: HowFar): boolean => !!head?.structure?.sites.length;
const SYMMETRY_CHECKS: readonly string[] = ['missed symmetry', 'cell and symmetry'];

function symmetryState(how: HowFar): StopState {
  if (!hasSites(how)) return 'empty';
  return how.vetted?.findings.some((f) => SYMMETRY_CHECKS.includes(f.check)) ? 'needs a look' : 'settled';
}

function vetState(how: HowFar): StopState {
  const { vetted, project } = how;
  if (!hasSites(how)) return 'empty';
  if (!vetted) return 'in flow';
  if (vetted.findings.some((f) => f.severity === 'mend')) return 'needs a look';
  const waiting = vetted.findings.some((f) => f.severity === 'explain' && !project.explanations?.[f.key]);
  return waiting ? 'in flow' : 'settled';
}

function depictState(how: HowFar): StopState {
  if (!hasSites(how)) return 'empty';
  return how.looks.figures.length ? 'settled' : 'in flow';
}

/** How far each station is. */
export const stopStates = (how: HowFar): Readonly<Record<StationId, StopState>> => ({
  intake: intakeState(how),
  solve: solveState(how),
  refine: refineState(how),
  fit: fitState(how),
  relate: hasSites(how) ? 'settled' : 'empty',
  build: hasSites(how) ? 'settled' : 'empty',
  symmetry: symmetryState(how),
  vet: vetState(how),
  depict: depictState(how),
  publish: how.head?.readings || how.head?.fit?.result ? 'in flow' : 'empty',
});
