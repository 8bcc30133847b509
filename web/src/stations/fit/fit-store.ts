/**
 * The fit on screen, without a user interface in it: patterns, the model of the present mark or the draft that is being
 * changed by hand, and its calculated pattern. Changes by hand become a mark after a pause.
 */
import { createStore, type StoreApi } from 'zustand/vanilla';
import type { Pattern } from '@nagare/core/crystal/pattern';
import type { Figures } from '@nagare/core/powder/engine';
import type { CellConstant, FitModel, PatternModel, PhaseModel } from '@nagare/core/powder/model';
import type { FitResult } from '@nagare/core/powder/results';
import { freshFit, withPhases } from '../../store/powder.ts';
import { db, type PatternRow, type PowderRow } from '../../store/db.ts';
import type { FitState, Head, Mark } from '../../store/marks.ts';
import { openState, type ProjectState, type ProjectStore } from '../../store/project-state.ts';
import { LiveCalculation } from './live.ts';
import type { LiveCurves } from './live-pattern.ts';
import type { Tick } from './reflections.ts';

export interface ConstantOf {
  readonly phase: string;
  readonly constant: CellConstant;
}

export interface Fit {
  readonly patterns: readonly PatternRow[];
  readonly row: PowderRow | undefined;
  /** The one on screen. */
  readonly at: number;
  readonly pattern: Pattern | undefined;
  readonly state: FitState | undefined;
  /** The model shown: of a run in progress, the draft, or the mark's. */
  readonly model: FitModel | undefined;
  readonly own: PatternModel | undefined;
  readonly result: FitResult | undefined;
  readonly curves: LiveCurves | undefined;
  readonly figures: Figures | undefined;
  readonly ticks: readonly Tick[][];
  readonly drafting: boolean;
  readonly hovered: Tick | undefined;
  /** A cell constant the pointer is on: reflections that depend on it alone are lit. */
  readonly constant: ConstantOf | undefined;
  /** Constant that dragging a tick changes; the most sensitive one when absent. */
  readonly dragBy: Readonly<Record<string, CellConstant | undefined>>;
  /** Window of 2θ on the large plot. */
  readonly window: [number, number] | undefined;
  readonly pins: readonly [number, number][];
  /** The model of the present mark where it is not of a fit, such as one just solved. */
  readonly outside: Head | undefined;
  /** A phase looked at before it is taken. */
  readonly trial: PhaseModel | undefined;

  setAt(n: number): void;
  /** Changes the model at once; a pause makes it a mark with this title. */
  change(title: string, next: FitModel): void;
  changePhase(title: string, id: string, f: (p: PhaseModel) => PhaseModel): void;
  changePattern(title: string, f: (p: PatternModel) => PatternModel): void;
  /** A mark at once, such as for an added phase. */
  commit(title: string, next: FitModel, extra?: Partial<FitState>, figures?: Figures): Promise<string | undefined>;
  addPhases(phases: PhaseModel[], title: string): Promise<void>;
  /** Back to the mark. */
  drop(): void;
  show(m: FitModel | undefined): void;
  updateRow(change: Partial<PowderRow>): Promise<void>;
  hover(t: Tick | undefined): void;
  pointAt(c: ConstantOf | undefined): void;
  setDragBy(phase: string, c: CellConstant | undefined): void;
  setWindow(w: [number, number] | undefined): void;
  setPins(p: readonly [number, number][]): void;
  setTrial(p: PhaseModel | undefined): void;
}

export type FitStore = StoreApi<Fit>;

/** Changes by hand become a mark after this pause, ms. */
const PAUSE = 1600;

/** Nothing but data. */
type Shown = Pick<
  Fit,
  'patterns' | 'row' | 'at' | 'pattern' | 'state' | 'model' | 'own' | 'result' | 'drafting' | 'outside'
>;

interface Draft {
  readonly title: string;
  readonly model: FitModel;
  /** The mark it was begun at. */
  readonly from: string | undefined;
  readonly rwp: number | undefined;
}

/** The mark whose fit goes on: the head's, the nearest before it, or the last of the project. */
export function lastFitMark(marks: readonly Mark[], head: Mark | undefined): Mark | undefined {
  const by = new Map(marks.map((m) => [m.id, m]));
  for (let m = head; m; m = m.parent ? by.get(m.parent) : undefined) if (m.type === 'fit') return m;
  return head ? marks.filter((m) => m.type === 'fit').at(-1) : undefined;
}

/** A fit for the pattern on screen: the one that goes on where it is of this pattern, else its phases on a fresh background. */
export function fitFor(
  shown: PatternRow | undefined,
  row: PowderRow | undefined,
  last: FitState | undefined,
): FitState | undefined {
  if (!shown || !row) return undefined;
  if (!last) return freshFit(shown, row);
  if (last.patterns.includes(shown.id)) return last;
  const bare = freshFit(shown, row);
  return { model: withPhases(bare.model, last.model.phases), patterns: bare.patterns };
}

class OpenFit {
  readonly store: FitStore;
  private draft: Draft | undefined;
  /** Of a run in progress. */
  private running: FitModel | undefined;
  private earlier: { readonly mark: string; readonly fit: FitState } | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private fresh:
    { readonly pattern: PatternRow; readonly row: PowderRow; last: FitState | undefined; fit: FitState } | undefined;
  private readonly stop: () => void;

  constructor(
    private readonly project: ProjectStore,
    private readonly live: LiveCalculation,
    private readonly pause: number,
  ) {
    this.store = createStore<Fit>(() => ({
      patterns: [],
      row: undefined,
      at: 0,
      pattern: undefined,
      state: undefined,
      model: undefined,
      own: undefined,
      result: undefined,
      curves: undefined,
      figures: undefined,
      ticks: [],
      drafting: false,
      hovered: undefined,
      constant: undefined,
      dragBy: {},
      window: undefined,
      pins: [],
      outside: undefined,
      trial: undefined,
      ...this.commands(),
    }));
    this.stop = project.subscribe((now, before) => {
      if (
        now.head !== before.head ||
        now.marks !== before.marks ||
        now.patterns !== before.patterns ||
        now.powder !== before.powder
      )
        this.follow(now);
    });
    this.follow(project.getState());
  }

  private get fit(): Fit {
    return this.store.getState();
  }

  /** Brings everything in step with the project. */
  private follow(project: ProjectState): void {
    this.readEarlier(project);
    this.update(this.derive(project));
  }

  /** The fit of an earlier mark is read when the present one has none. */
  private readEarlier({ marks, head, contentOf }: ProjectState): void {
    const mark = head?.fit ? undefined : lastFitMark(marks, head?.mark);
    if (!mark || this.earlier?.mark === mark.id) return;
    void contentOf(mark.id).then((content) => {
      if (content?.kind !== 'fit') return;
      this.earlier = { mark: mark.id, fit: content.fit };
      this.update(this.derive(this.project.getState()));
    });
  }

  /** The same object as long as what it is made of stays. */
  private stateFor(
    pattern: PatternRow | undefined,
    row: PowderRow | undefined,
    last: FitState | undefined,
  ): FitState | undefined {
    const known = this.fresh;
    if (known && known.pattern === pattern && known.row === row && known.last === last) return known.fit;
    const fit = fitFor(pattern, row, last);
    if (pattern && row && fit) this.fresh = { pattern, row, last, fit };
    return fit;
  }

  private derive(project: ProjectState, at = this.fit.at): Shown {
    const { head, marks, patterns, powder: row } = project;
    const { trial } = this.fit;
    const shownAt = Math.min(at, Math.max(0, patterns.length - 1));
    const shownRow = patterns[shownAt];
    const before = head?.fit ? undefined : lastFitMark(marks, head?.mark)?.id;
    const last = head?.fit ?? (before && this.earlier?.mark === before ? this.earlier.fit : undefined);
    const state = this.stateFor(shownRow, row, last);
    const drafted = this.draft && this.draft.from === head?.id ? this.draft.model : undefined;
    const base = this.running ?? drafted ?? state?.model;
    const model = base && trial ? withPhases(base, [trial]) : base;
    const within = this.within(state, shownRow);
    const settled = !drafted && !this.running && !trial;
    return {
      patterns,
      row,
      at: shownAt,
      pattern: shownRow?.file.pattern,
      state,
      model,
      own: model?.patterns[within],
      result: settled && head?.fit?.patterns.includes(shownRow?.id ?? '') ? head.fit.result : undefined,
      drafting: !!drafted,
      outside: head && !head.fit && head.structure?.sites.length ? head : undefined,
    };
  }

  private within(state: FitState | undefined, row: PatternRow | undefined): number {
    return state && row ? Math.max(0, state.patterns.indexOf(row.id)) : 0;
  }

  private update(next: Shown): void {
    const before = this.fit;
    this.store.setState(next);
    const now = this.fit;
    if (now.model !== before.model || now.pattern !== before.pattern) this.calculate();
  }

  /** Has the pattern calculated in its worker; the newest model counts. */
  private calculate(): void {
    const { pattern, own, model, trial, patterns, at } = this.fit;
    if (!pattern || !own || !model) {
      this.store.setState({ curves: undefined, figures: undefined, ticks: [] });
      return;
    }
    const { head } = this.project.getState();
    const wish = {
      patternId: patterns[at]!.id,
      pattern,
      own,
      phases: model.phases,
      parameters: head?.fit?.result?.parameters ?? 0,
      scale: !!trial,
    };
    this.live.ask(wish, (found) => {
      // The Rwp of a draft is known once it has been calculated.
      if (this.draft?.model === model && found) this.draft = { ...this.draft, rwp: found.figures.rwp };
      this.store.setState(
        found
          ? { curves: found.curves, figures: found.figures, ticks: found.ticks }
          : { curves: undefined, figures: undefined, ticks: [] },
      );
    });
  }

  private async commit(
    title: string,
    next: FitModel,
    extra: Partial<FitState>,
    rwp?: number,
  ): Promise<string | undefined> {
    const { state } = this.fit;
    if (!state) return undefined;
    clearTimeout(this.timer);
    this.draft = undefined;
    return this.project.getState().record({
      kind: extra.result ? 'fit' : 'edit',
      title,
      ...(rwp === undefined ? {} : { rwp }),
      content: { kind: 'fit', fit: { model: next, patterns: state.patterns, ...extra } },
    });
  }

  /** Makes the draft a mark. */
  private flush(): void {
    const { draft } = this;
    this.draft = undefined;
    if (!draft) return;
    const free = this.project.getState().head?.fit?.free;
    void this.commit(draft.title, draft.model, free ? { free } : {}, draft.rwp);
  }

  private change(title: string, model: FitModel): void {
    if (this.draft && this.draft.title !== title) this.flush();
    this.draft = { title, model, from: this.project.getState().head?.id, rwp: undefined };
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.flush(), this.pause);
    this.update(this.derive(this.project.getState()));
  }

  private async addPhases(phases: PhaseModel[], title: string): Promise<void> {
    const { pattern, patterns, at, state, model } = this.fit;
    const base = this.draft?.model ?? state?.model ?? model;
    if (!base || !pattern) return;
    const joined = withPhases(base, phases);
    const within = this.within(state, patterns[at]);
    const own = joined.patterns[within]!;
    const wish = { patternId: patterns[at]!.id, pattern, own, phases: joined.phases, parameters: 0, scale: true };
    const found = await this.live.once(wish);
    if (!found) {
      this.project
        .getState()
        .setProblem(`${phases.map((p) => p.name).join(', ')} gives no reflections in this pattern.`);
      return;
    }
    this.draft = undefined;
    const scaled = { ...joined, patterns: joined.patterns.map((p, i) => (i === within ? found.own : p)) };
    await this.commit(title, scaled, {}, found.figures.rwp);
  }

  private commands() {
    const set = (change: Partial<Fit>): void => this.store.setState(change);
    const again = (at?: number): void => this.update(this.derive(this.project.getState(), at));
    const draftOr = (): FitModel | undefined => this.draft?.model ?? this.fit.model;
    return {
      setAt: (at: number) => again(at),
      change: (title: string, next: FitModel) => this.change(title, next),
      changePhase: (title: string, id: string, f: (p: PhaseModel) => PhaseModel) => {
        const m = draftOr();
        if (m) this.change(title, { ...m, phases: m.phases.map((p) => (p.id === id ? f(p) : p)) });
      },
      changePattern: (title: string, f: (p: PatternModel) => PatternModel) => {
        const m = draftOr();
        const { state, patterns, at } = this.fit;
        const within = this.within(state, patterns[at]);
        if (m) this.change(title, { ...m, patterns: m.patterns.map((p, i) => (i === within ? f(p) : p)) });
      },
      commit: (title: string, next: FitModel, extra: Partial<FitState> = {}, figures?: Figures) =>
        this.commit(title, next, extra, figures?.rwp),
      addPhases: (phases: PhaseModel[], title: string) => this.addPhases(phases, title),
      drop: () => {
        clearTimeout(this.timer);
        this.draft = undefined;
        again();
      },
      show: (m: FitModel | undefined) => {
        this.running = m;
        again();
      },
      updateRow: async (change: Partial<PowderRow>) => {
        await db.powder.update(openState(this.project).project.id, change);
      },
      hover: (hovered: Tick | undefined) => set({ hovered }),
      pointAt: (constant: ConstantOf | undefined) => set({ constant }),
      setDragBy: (phase: string, c: CellConstant | undefined) => set({ dragBy: { ...this.fit.dragBy, [phase]: c } }),
      setWindow: (window: [number, number] | undefined) => set({ window }),
      setPins: (pins: readonly [number, number][]) => set({ pins }),
      setTrial: (trial: PhaseModel | undefined) => {
        set({ trial });
        again();
      },
    };
  }

  /** What is still a draft becomes a mark. */
  close(): void {
    clearTimeout(this.timer);
    this.flush();
    this.stop();
    this.live.close();
  }
}

/** The fit of an open project. `close` ends it; `pause` is the time in ms after which changes by hand become a mark. */
export function openFit(
  project: ProjectStore,
  live = new LiveCalculation(),
  pause = PAUSE,
): { readonly store: FitStore; close(): void } {
  const fit = new OpenFit(project, live, pause);
  return { store: fit.store, close: () => fit.close() };
}
