/** Where marks stand on the course, which of them led to the present one, and what is said of each. */
import { decimal } from '@nagare/core/math/decimal';
import { agreementOf, type Mark } from '../store/marks.ts';
import { percent } from './parts.tsx';

/** Between marks and before the first, px. */
const STEP = 46,
  LEFT = 70;
/** The line is no taller than this however tall the course is drawn, px. */
const TALLEST = 170;
/** Agreement at the lowest and the highest place; beyond them marks stand at the edge. */
const BEST = 0.012,
  WORST = 0.5;

export const lineHeight = (height: number): number => Math.min(height, TALLEST);
export const lengthOf = (marks: number): number => Math.max(400, LEFT + STEP * marks + 20);

export interface PlacedMark {
  readonly m: Mark;
  readonly x: number;
  readonly y: number;
}

/** One after another from left to right, the better the lower, on a logarithmic scale; unjudged ones at the top. */
export function placed(marks: readonly Mark[], height: number): PlacedMark[] {
  const room = lineHeight(height) - 30;
  const share = (m: Mark): number => {
    const agreement = Math.max(BEST, Math.min(WORST, agreementOf(m) ?? WORST));
    return Math.log(WORST / agreement) / Math.log(WORST / BEST);
  };
  const judged = hasAgreement(marks);
  return marks.map((m, i) => ({ m, x: LEFT + STEP * i, y: 14 + room * (judged ? share(m) : 0.4) }));
}

/** Whether there is anything that marks can be judged by: structures alone agree with nothing. */
export const hasAgreement = (marks: readonly Mark[]): boolean => marks.some((m) => agreementOf(m) !== undefined);

/** The marks that led to one, itself among them. */
export function pathTo(marks: readonly Mark[], id: string | undefined): ReadonlySet<string> {
  const by = new Map(marks.map((m) => [m.id, m]));
  const path = new Set<string>();
  for (let m = id ? by.get(id) : undefined; m && !path.has(m.id); m = m.parent ? by.get(m.parent) : undefined)
    path.add(m.id);
  return path;
}

/** How well a mark agrees with its data, in one line. */
export function figuresOf(m: Mark): string {
  if (m.type === 'structure') return 'a structure without data';
  if (m.type === 'fit')
    return m.rwp === undefined
      ? 'not evaluated'
      : `Rwp ${percent(m.rwp)}${m.s === undefined ? '' : `  S ${m.s.toFixed(2)}`}`;
  if (m.r1 === undefined) return 'not evaluated';
  const s = m.readings ? `  S ${m.readings.s.toFixed(2)}` : '';
  const residual = m.residual ? `  ${m.residual.peak.toFixed(2)}/${decimal(m.residual.hole, 2)} e Å⁻³` : '';
  return `R1 ${percent(m.r1)}  wR2 ${percent(m.wr2)}${s}${residual}`;
}

/** What a mark holds, in one line. */
export function contentsOf(m: Mark): string {
  const parameters = m.type === 'fit' ? m.parameters : m.type === 'crystal' ? m.readings?.parameters : undefined;
  const refined = parameters === undefined ? '' : ` · ${parameters} parameters`;
  if (m.type === 'fit') return `${m.phases.length} ${m.phases.length === 1 ? 'phase' : 'phases'}${refined}`;
  return `${m.sites} sites${refined}`;
}

/** A run of fewer stages is drawn as it is. */
const LEAST_FOLDED = 2;

/** Stages of one settle run but the last, by the id of the last: each the child of the one before, none of a title twice. */
export function stagesOfRuns(marks: readonly Mark[]): ReadonlyMap<string, readonly Mark[]> {
  const runs: Mark[][] = [];
  for (const m of marks) {
    if (m.kind !== 'settle') continue;
    const run = runs.find((r) => r.at(-1)!.id === m.parent && !r.some((x) => x.title === m.title));
    if (run) run.push(m);
    else runs.push([m]);
  }
  return new Map(runs.map((r) => [r.at(-1)!.id, r.slice(0, -1)]));
}

export interface Folding {
  /** What is drawn, in the order of the course. */
  readonly marks: readonly Mark[];
  /** Stages within a mark, by its id, shown or folded away. */
  readonly stages: ReadonlyMap<string, readonly Mark[]>;
}

/** Folds the stages of each run into its last mark, but for runs that are opened, stages to be kept in sight, and those that something branches off. */
export function folded(marks: readonly Mark[], opened: ReadonlySet<string>, kept: ReadonlySet<string>): Folding {
  const stages = new Map<string, readonly Mark[]>();
  const away = new Set<string>();
  for (const [last, earlier] of stagesOfRuns(marks)) {
    const own = new Set([last, ...earlier.map((m) => m.id)]);
    const branches = new Set(marks.filter((m) => m.parent && !own.has(m.id)).map((m) => m.parent));
    const inner = earlier.filter((m) => !kept.has(m.id) && !branches.has(m.id) && !m.name);
    if (inner.length < LEAST_FOLDED) continue;
    stages.set(last, inner);
    if (!opened.has(last)) for (const m of inner) away.add(m.id);
  }
  return { marks: marks.filter((m) => !away.has(m.id)), stages };
}

/** The nearest drawn mark that a mark came from. */
export function drawnParent(marks: readonly Mark[], drawn: ReadonlySet<string>, m: Mark): string | undefined {
  // Nearly every mark: its parent is drawn.
  if (!m.parent || drawn.has(m.parent)) return m.parent;
  const by = new Map(marks.map((x) => [x.id, x]));
  const passed = new Set<string>();
  let parent: string | undefined = m.parent;
  while (parent && !drawn.has(parent) && !passed.has(parent)) {
    passed.add(parent);
    parent = by.get(parent)?.parent;
  }
  return parent;
}
