/** The fit on screen: patterns, the model of the present mark or the draft that is being changed by hand, and its calculated pattern. */
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import type { Pattern } from '@nagare/core/crystal/pattern';
import { cellVolume } from '@nagare/core/crystal/cell';
import { agreement, PatternCalculator, type CalculatedPattern, type Figures } from '@nagare/core/powder/engine';
import { linearScales } from '@nagare/core/powder/start';
import type { CellConstant, FitModel, PatternModel, PhaseModel } from '@nagare/core/powder/model';
import type { FitResult } from '@nagare/core/powder/results';
import { freshFit, withPhases } from '../../store/powder.ts';
import { db, type PatternRow, type PowderRow } from '../../store/db.ts';
import type { FitState, Head } from '../../store/marks.ts';
import { useMark, useProject } from '../../store/use-project.tsx';
import { phaseReflections, type Tick } from './reflections.ts';

export interface Fit {
  patterns: PatternRow[];
  row: PowderRow | undefined;
  /** The one on screen. */
  at: number;
  setAt(n: number): void;
  pattern: Pattern | undefined;
  state: FitState | undefined;
  /** The model shown: of a run in progress, the draft, or the mark's. */
  model: FitModel | undefined;
  own: PatternModel | undefined;
  result: FitResult | undefined;
  calculator: PatternCalculator | undefined;
  calculated: CalculatedPattern | undefined;
  figures: Figures | undefined;
  ticks: Tick[][];
  /** Changes the model at once; a pause makes it a mark with this title. */
  change(title: string, next: FitModel): void;
  changePhase(title: string, id: string, f: (p: PhaseModel) => PhaseModel): void;
  changePattern(title: string, f: (p: PatternModel) => PatternModel): void;
  /** A mark at once, such as for an added phase. */
  commit(title: string, next: FitModel, extra?: Partial<FitState>, figures?: Figures): Promise<string | undefined>;
  addPhases(phases: PhaseModel[], title: string): Promise<void>;
  /** Back to the mark. */
  drop(): void;
  drafting: boolean;
  show(m: FitModel | undefined): void;
  updateRow(change: Partial<PowderRow>): Promise<void>;
  hovered: Tick | undefined;
  hover(t: Tick | undefined): void;
  /** A cell constant the pointer is on: reflections that depend on it alone are lit. */
  constant: { phase: string; constant: CellConstant } | undefined;
  pointAt(c: { phase: string; constant: CellConstant } | undefined): void;
  /** Constant that dragging a tick changes; the most sensitive one when absent. */
  dragBy: Record<string, CellConstant | undefined>;
  setDragBy(phase: string, c: CellConstant | undefined): void;
  /** Window of 2θ on the large plot. */
  window: [number, number] | undefined;
  setWindow(w: [number, number] | undefined): void;
  pins: [number, number][];
  setPins(p: [number, number][]): void;
  /** The model of the present mark where it is not of a fit, such as one just solved. */
  outside: Head | undefined;
  /** A phase looked at before it is taken. */
  trial: PhaseModel | undefined;
  setTrial(p: PhaseModel | undefined): void;
}

const Context = createContext<Fit | undefined>(undefined);
export const useFit = (): Fit => useContext(Context)!;

const PAUSE = 1600;

export function FitProvider({ children }: { children: ReactNode }): ReactNode {
  const {
    project,
    head,
    marks,
    record,
    setProblem,
    patterns: stored,
    powder: row,
  } = useProject('project', 'head', 'marks', 'record', 'setProblem', 'patterns', 'powder');
  // A model solved from extracted intensities has no fit of its own; the last one before it goes on.
  const lastFitMark = useMemo(() => {
    const by = new Map(marks.map((m) => [m.id, m]));
    for (let m = head?.mark; m; m = m.parent ? by.get(m.parent) : undefined) if (m.type === 'fit') return m.id;
    return head ? marks.filter((m) => m.type === 'fit').at(-1)?.id : undefined;
  }, [marks, head]);
  const earlier = useMark(head?.fit ? undefined : lastFitMark);
  const lastFit = head?.fit ?? earlier?.fit;
  const patterns = stored as PatternRow[];
  const [chosen, setAt] = useState(0);
  const [draft, setDraft] = useState<{ title: string; model: FitModel; from: string | undefined } | undefined>();
  const [shown, show] = useState<FitModel | undefined>();
  const [hovered, hover] = useState<Tick | undefined>();
  const [constant, pointAt] = useState<Fit['constant']>();
  const [dragBy, setDrag] = useState<Record<string, CellConstant | undefined>>({});
  const [window, setWindow] = useState<[number, number] | undefined>();
  const [pins, setPins] = useState<[number, number][]>([]);
  const [trial, setTrial] = useState<PhaseModel | undefined>();
  const timer = useRef(0);
  const at = Math.min(chosen, Math.max(0, patterns.length - 1));
  const shownRow = patterns[at];
  const state = useMemo(() => {
    if (!shownRow || !row) return undefined;
    const fit = lastFit;
    if (!fit) return freshFit(shownRow, row);
    // Another pattern of the project starts from the same phases with a background of its own.
    if (!fit.patterns.includes(shownRow.id)) {
      const bare = freshFit(shownRow, row);
      return { model: withPhases(bare.model, fit.model.phases), patterns: bare.patterns };
    }
    return fit;
  }, [lastFit, shownRow, row]);
  const within = state && shownRow ? Math.max(0, state.patterns.indexOf(shownRow.id)) : 0;
  const drafted = draft && draft.from === head?.id ? draft.model : undefined;
  const model = shown ?? drafted ?? state?.model;
  const pattern = shownRow?.file.pattern;
  const previewed = useMemo(() => {
    if (!model || !trial || !pattern) return model;
    const joined = withPhases(model, [trial]);
    return {
      ...joined,
      patterns: joined.patterns.map((p, i) => (i === within ? linearScales(pattern, p, joined.phases) : p)),
    };
  }, [model, trial, pattern, within]);
  const own = previewed?.patterns[within];

  // Reflections are listed anew when phases come or go, symmetry or fitted points change, or a cell has grown out of its list.
  const key =
    previewed && own
      ? [
          pattern?.name,
          shownRow?.id,
          own.range?.join(),
          own.excluded.join(),
          own.instrument.lines.map((l) => l.wavelength).join(),
          ...previewed.phases.map(
            (p) =>
              `${p.id}${p.structure.spaceGroup.hall}${p.structure.sites.length}${p.extraction ?? ''}${Math.round(80 * Math.log(cellVolume(p.structure.cell)))}`,
          ),
        ].join('|')
      : '';
  const latest = useRef<{ own: PatternModel; phases: readonly PhaseModel[] } | undefined>(undefined);
  latest.current = own && previewed ? { own, phases: previewed.phases } : undefined;
  const calculator = useMemo(() => {
    if (!pattern || !latest.current) return undefined;
    try {
      return new PatternCalculator(pattern, latest.current.own, latest.current.phases);
    } catch {
      return undefined;
    }
    // The key says all that matters of what changes.
  }, [key, pattern]);
  const { calculated, figures, ticks } = useMemo(() => {
    if (!calculator || !own || !previewed) return { calculated: undefined, figures: undefined, ticks: [] as Tick[][] };
    calculator.update(own, previewed.phases);
    const c = calculator.calculate();
    return {
      calculated: c,
      figures: agreement(calculator.points, c.calculated, head?.fit?.result?.parameters ?? 0),
      ticks: previewed.phases.map((p, i) => phaseReflections(p, calculator.works[i]!, c.tables[i]!, i)),
    };
  }, [calculator, own, previewed, head?.fit?.result?.parameters]);

  const commit = useCallback(
    async (title: string, next: FitModel, extra: Partial<FitState> = {}, f?: Figures): Promise<string | undefined> => {
      if (!state) return undefined;
      clearTimeout(timer.current);
      setDraft(undefined);
      return record({
        kind: extra.result ? 'fit' : 'edit',
        title,
        ...(f ? { rwp: f.rwp } : {}),
        content: { kind: 'fit', fit: { model: next, patterns: state.patterns, ...extra } },
      });
    },
    [state, record],
  );

  const pending = useRef<{ title: string; model: FitModel; rwp: number | undefined } | undefined>(undefined);
  const flush = useRef<() => void>(() => undefined);
  flush.current = () => {
    const p = pending.current;
    pending.current = undefined;
    if (p)
      void commit(
        p.title,
        p.model,
        head?.fit?.free ? { free: head.fit.free } : {},
        p.rwp === undefined ? undefined : ({ rwp: p.rwp } as Figures),
      );
  };
  const change = useCallback(
    (title: string, next: FitModel): void => {
      if (pending.current && pending.current.title !== title) flush.current();
      pending.current = { title, model: next, rwp: undefined };
      setDraft({ title, model: next, from: head?.id });
      clearTimeout(timer.current);
      timer.current = globalThis.setTimeout(() => flush.current(), PAUSE) as unknown as number;
    },
    [head?.id],
  );
  // The Rwp of a draft is known once it has been drawn.
  if (pending.current && draft && pending.current.model === draft.model && figures) pending.current.rwp = figures.rwp;
  useEffect(
    () => () => {
      clearTimeout(timer.current);
      flush.current();
    },
    [],
  );

  const changePhase = useCallback(
    (title: string, id: string, f: (p: PhaseModel) => PhaseModel): void => {
      const m = pending.current?.model ?? model;
      if (m) change(title, { ...m, phases: m.phases.map((p) => (p.id === id ? f(p) : p)) });
    },
    [model, change],
  );
  const changePattern = useCallback(
    (title: string, f: (p: PatternModel) => PatternModel): void => {
      const m = pending.current?.model ?? model;
      if (m) change(title, { ...m, patterns: m.patterns.map((p, i) => (i === within ? f(p) : p)) });
    },
    [model, change, within],
  );
  const addPhases = useCallback(
    async (phases: PhaseModel[], title: string): Promise<void> => {
      const m = pending.current?.model ?? model;
      if (!m || !pattern) return;
      try {
        const joined = withPhases(m, phases);
        const scaled = {
          ...joined,
          patterns: joined.patterns.map((p, i) => (i === within ? linearScales(pattern, p, joined.phases) : p)),
        };
        const c = new PatternCalculator(pattern, scaled.patterns[within]!, scaled.phases);
        pending.current = undefined;
        await commit(title, scaled, {}, agreement(c.points, c.calculate().calculated, 0));
      } catch (e) {
        setProblem((e as Error).message);
      }
    },
    [model, pattern, within, commit, setProblem],
  );

  const result =
    !drafted && !shown && !trial && head?.fit?.patterns.includes(shownRow?.id ?? '') ? head.fit.result : undefined;
  const outside = head && !head.fit && head.structure?.sites.length ? head : undefined;
  const drop = useCallback(() => {
    pending.current = undefined;
    clearTimeout(timer.current);
    setDraft(undefined);
  }, []);
  const updateRow = useCallback(
    async (c: Partial<PowderRow>) => {
      await db.powder.update(project.id, c);
    },
    [project.id],
  );
  const setDragBy = useCallback((p: string, c: CellConstant | undefined) => setDrag((d) => ({ ...d, [p]: c })), []);
  const drafting = !!drafted;
  // Kept the same as long as nothing of it changes: the whole frame reads it.
  const value = useMemo<Fit>(
    () => ({
      patterns,
      row,
      at,
      setAt,
      pattern,
      state,
      model: previewed,
      own,
      result,
      calculator,
      calculated,
      figures,
      ticks,
      change,
      changePhase,
      changePattern,
      commit,
      addPhases,
      drop,
      drafting,
      show,
      updateRow,
      outside,
      hovered,
      hover,
      constant,
      pointAt,
      dragBy,
      setDragBy,
      window,
      setWindow,
      pins,
      setPins,
      trial,
      setTrial,
    }),
    [
      patterns,
      row,
      at,
      pattern,
      state,
      previewed,
      own,
      result,
      calculator,
      calculated,
      figures,
      ticks,
      change,
      changePhase,
      changePattern,
      commit,
      addPhases,
      drop,
      drafting,
      updateRow,
      outside,
      hovered,
      constant,
      dragBy,
      setDragBy,
      window,
      pins,
      trial,
    ],
  );
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
