/**
 * What speaks against each phase of a fit that came out well. Isotypes have the same lines, and a wrong one takes its part of the
 * pattern with amounts that are off: only intensities, cell and displacements tell. Entries of a collection with the same type are
 * put in its place and refined briefly, so that a better one is told.
 */
import { cellParameters, type Cell } from '../crystal/cell.ts';
import { equivalentU, type Site } from '../crystal/structure.ts';
import type { Pattern } from '../crystal/pattern.ts';
import type { ShelfEntry } from '../shelf/entry.ts';
import { Cancelled, type TaskContext } from '../task-context.ts';
import { CONSTANT_SIGNS, CONSTANTS, type FitModel, type PhaseModel } from './model.ts';
import { runRecipe, type RunReport, type Stage } from './recipes.ts';
import type { FitResult } from './results.ts';

export interface BetterEntry {
  /** Entry of the collection. */
  readonly id: string;
  readonly name: string;
  readonly rwp: number;
  /** Σ w Δ² falls by so much, in units of its expectation per point. */
  readonly gain: number;
}

export interface PhaseDoubt {
  /** Phase of the model. */
  readonly id: string;
  readonly name: string;
  /** One sentence each; none where nothing speaks against it. */
  readonly against: readonly string[];
  /** The entry that fits better in its place, where one does. */
  readonly better?: BetterEntry;
}

export interface DoubtsInput {
  readonly model: FitModel;
  readonly patterns: readonly Pattern[];
  readonly result: FitResult;
  readonly entries: readonly ShelfEntry[];
}

/** R_Bragg counts against a phase from here on, and where it is so many times that of the others. */
const HIGH_BRAGG = 0.04,
  ABOVE_OTHERS = 1.8;
/** A constant that is off from the entry's by more than this share; mixed crystals and temperature stay below. */
const CELL_OFF = 0.006;
/** Å²: displacements beyond these are not those of an atom at room temperature. */
const LEAST_U = 0,
  MOST_U = 0.06;
/** Constants of isotypes that can stand in for one another agree to this share. */
const ISOTYPE = 0.05;
/** Isotypes tried for a phase, the nearest by their cells. */
const MOST_TRIED = 3;
/** Gain in Σ w Δ² over its expected value per point that is no accident. */
const LEAST_GAIN = 25;

/** Enough to bring another structure to its best in the refined profile. */
const BRIEFLY: readonly Stage[] = [
  { title: 'Scales', says: '', kind: 'scales' },
  { title: 'Cells and scales', says: '', kind: 'refine', free: ['background', 'scale', 'cell'], cycles: 8 },
  { title: 'Widths', says: '', kind: 'refine', free: ['size', 'strain'], cycles: 8 },
];

const median = (x: readonly number[]): number => [...x].sort((p, q) => p - q)[Math.floor(x.length / 2)]!;

/** Doubts about every phase with sites, in the order of the model. */
export async function phaseDoubts(input: DoubtsInput, context: TaskContext): Promise<PhaseDoubt[]> {
  const { model, result } = input;
  const out: PhaseDoubt[] = [];
  for (const [i, phase] of model.phases.entries()) {
    if (phase.extraction || !phase.structure.sites.length) continue;
    const against = [
      ...agreementDoubts(result, i),
      ...cellDoubts(result.phases[i]!.cell, ownEntry(input.entries, phase)),
      ...displacementDoubts(phase),
    ];
    const better = seen(result, i) ? await betterEntry(input, i, context) : undefined;
    const words = better
      ? [`${better.name} in its place fits better: Rwp ${percent(better.rwp)} against ${percent(result.rwp)}.`]
      : [];
    out.push({ id: phase.id, name: phase.name, against: [...against, ...words], ...(better ? { better } : {}) });
  }
  return out;
}

const percent = (x: number): string => `${(100 * x).toFixed(2)} %`;

/** Whether the fit sees a phase beyond three s.u. */
const seen = (result: FitResult, i: number): boolean =>
  result.phases.length === 1 ||
  result.patterns.some((p) => {
    const f = p.weightFractions[i];
    return !!f && f.value > 3 * f.su;
  });

function agreementDoubts(result: FitResult, i: number): string[] {
  const rs = result.patterns[0]!.rBragg;
  const others = rs.filter((_, k) => k !== i && seen(result, k));
  if (!others.length || !seen(result, i)) return [];
  const usual = median(others);
  return rs[i]! > HIGH_BRAGG && rs[i]! > ABOVE_OTHERS * usual
    ? [`R_Bragg is ${percent(rs[i]!)}, that of the others ${percent(usual)}: its intensities do not agree.`]
    : [];
}

const ownEntry = (entries: readonly ShelfEntry[], phase: PhaseModel): ShelfEntry | undefined =>
  entries.find((e) => e.name === phase.name && e.spaceGroup === phase.structure.spaceGroup.symbol);

/** Constants as shares of another cell's, less one. */
const shares = (cell: Cell, of: Cell): number[] => {
  const [p, q] = [cellParameters(cell), cellParameters(of)];
  return p.map((x, k) => x / q[k]! - 1);
};

function cellDoubts(cell: Cell, entry: ShelfEntry | undefined): string[] {
  if (!entry) return [];
  const off = shares(cell, entry.cell);
  const worst = off.reduce((at, x, k) => (Math.abs(x) > Math.abs(off[at]!) ? k : at), 0);
  if (Math.abs(off[worst]!) <= CELL_OFF) return [];
  const sign = CONSTANT_SIGNS[CONSTANTS[worst]!];
  const [now, then] = [cellParameters(cell)[worst]!, cellParameters(entry.cell)[worst]!];
  return [
    `${sign} is ${now.toFixed(4)}, ${(100 * Math.abs(off[worst]!)).toFixed(1)} % ${off[worst]! > 0 ? 'above' : 'below'} the entry’s ${then.toFixed(4)}${worst < 3 ? ' Å' : '°'}.`,
  ];
}

function displacementDoubts({ structure: s }: PhaseModel): string[] {
  return s.sites.flatMap((x) => {
    const u = equivalentU(s.cell, x.displacement);
    if (u > LEAST_U && u < MOST_U) return [];
    return [`U of ${x.label} is ${u.toFixed(4)} Å², which no atom of it has.`];
  });
}

/** Different places of the sites: those that share one count once. */
const placesOf = (sites: readonly Site[]): number =>
  new Set(sites.map((x) => x.position.map((v) => v.toFixed(4)).join())).size;

/** Entries of the same type as a phase: group, number of places and cell alike, the nearest first; itself left out. */
function isotypesOf(entries: readonly ShelfEntry[], phase: PhaseModel): ShelfEntry[] {
  const { cell, spaceGroup, sites } = phase.structure;
  const far = (e: ShelfEntry): number => Math.max(...shares(cell, e.cell).map(Math.abs));
  const own = ownEntry(entries, phase);
  return entries
    .filter(
      (e) =>
        e !== own &&
        e.structure.spaceGroup.hall === spaceGroup.hall &&
        placesOf(e.structure.sites) === placesOf(sites) &&
        e.formula !== own?.formula &&
        far(e) < ISOTYPE,
    )
    .sort((p, q) => far(p) - far(q))
    .slice(0, MOST_TRIED);
}

/** The isotype that fits clearly better in the place of a phase, cell and widths as refined to begin with. */
async function betterEntry(input: DoubtsInput, i: number, context: TaskContext): Promise<BetterEntry | undefined> {
  const { model, patterns, result } = input;
  const phase = model.phases[i]!;
  const points = result.patterns.reduce((n, p) => n + p.points, 0);
  let best: BetterEntry | undefined;
  for (const entry of isotypesOf(input.entries, phase)) {
    await context.breath();
    const structure = { ...entry.structure, cell: phase.structure.cell };
    const phases = model.phases.map((p, k) => (k === i ? { ...p, name: entry.name, structure } : p));
    const quiet = { ...context, progress: () => undefined } as TaskContext<RunReport>;
    const run = await runRecipe({ model: { ...model, phases }, patterns, recipe: BRIEFLY }, quiet).catch(
      (e: unknown) => {
        if (e instanceof Cancelled) throw e;
        return undefined;
      },
    );
    if (!run) continue;
    const gain = ((result.rwp / result.rExp) ** 2 - (run.result.rwp / result.rExp) ** 2) * points;
    if (gain > LEAST_GAIN && gain > (best?.gain ?? 0))
      best = { id: entry.id, name: entry.name, rwp: run.result.rwp, gain };
  }
  return best;
}
