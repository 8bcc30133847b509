/** The open project as the stations see it: stored rows kept live, this tab's place on the course, selection and view. */
import { useLiveQuery } from 'dexie-react-hooks';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { ViewOptions } from '@nagare/core/draw/scene';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { SymmetryElement } from '@nagare/core/symmetry/elements';
import type { Growth } from '@nagare/core/model/complete';
import type { SampledMap } from '@nagare/core/maps/sample';
import type { MapKind } from '@nagare/core/maps/residual';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { obeyControls } from '@nagare/core/refine/holds';
import type { Operator } from '@nagare/core/crystal/operator';
import type { MergeTaskResult } from '@nagare/core/tasks/registry';
import { Cancelled, run, type Place, type Running } from '../engine/engine.ts';
import { addMark } from './projects.ts';
import { useMerged } from './mark-data.ts';
import { db, type IntakeRow, type Mark, type Project, type ResultRow, type SolveRow } from './db.ts';

export interface Picked {
  site: number;
  operator: Operator;
}

/** One long piece of work and how far it is. */
export interface Work {
  title: string;
  detail: string;
  started: number;
  cancel(): void;
}

export interface Session {
  project: Project;
  marks: Mark[];
  head: Mark | undefined;
  result: ResultRow | undefined;
  intake: IntakeRow | undefined;
  hasData: boolean;
  /** The data merged for the group and axes of the present mark (of Intake, before there is one); undefined while they are not known. */
  merged: MergeTaskResult | undefined;
  solve: SolveRow | undefined;
  selection: Picked[];
  select(picked: Picked[]): void;
  /** Names of the residual peaks chosen in the list or in the scene. */
  peaks: string[];
  setPeaks(names: string[]): void;
  view: ViewOptions;
  setView(change: Partial<ViewOptions>): void;
  /** Level of the residual surfaces, e Å⁻³. */
  level: number;
  setLevel(level: number): void;
  showMap: boolean;
  setShowMap(on: boolean): void;
  /** A candidate looked at in the scene before it is taken. */
  preview: Structure | undefined;
  setPreview(structure: Structure | undefined): void;
  goTo(markId: string): void;
  undo(): void;
  redo(): void;
  /** Puts a changed model (or the data it stands on) on the course and evaluates it. */
  edit(structure: Structure, title: string, treatment?: Treatment): Promise<void>;
  /** How the data of the present mark are treated. */
  treatment: Treatment;
  /** Atoms drawn beside the model: a proposed copy, planned hydrogens, another mark. */
  ghost: Ghost | undefined;
  setGhost(change: Ghost | undefined | ((g: Ghost | undefined) => Ghost | undefined)): void;
  /** Mark compared with the present one. */
  compareWith: string | undefined;
  setCompareWith(markId: string | undefined): void;
  /** Which synthesis the surfaces and the section show. */
  mapKind: MapKind;
  setMapKind(kind: MapKind): void;
  pane: Pane;
  setPane(pane: Pane): void;
  /** Disorder groups not drawn, as "A.2". */
  hidden: readonly string[];
  setHidden(groups: readonly string[]): void;
  /** Symmetry elements drawn in the scene, and the one that is picked. */
  elements: ShownElements | undefined;
  setElements(shown: ShownElements | undefined): void;
  /** How the drawing was grown by hand; the drawing follows the model as it changes. */
  growth: readonly Growth[];
  setGrowth(acts: readonly Growth[]): void;
  work: Work | undefined;
  /** Runs one long piece of work at a time; resolves to undefined when it was stopped. */
  perform<T>(title: string, start: (tell: (detail: string) => void) => Running<T>): Promise<T | undefined>;
  problem: string | undefined;
  setProblem(text: string | undefined): void;
  place: Place;
  setPlace(place: Place): void;
}

/** Atoms that are not (yet) the model's, drawn translucent; a movable one is dragged, turned and scored live. */
export interface Ghost {
  title: string;
  /** Cartesian, Å. */
  positions: Vec3[];
  elements: string[];
  colour: 'water' | 'gold';
  movable?: 'move' | 'turn';
  /** Shown instead of the mark's residual map while this is on screen. */
  map?: SampledMap & { values: Float32Array; sigma: number };
}

export interface ShownElements {
  readonly list: readonly SymmetryElement[];
  readonly labels: boolean;
  /** Words of the one that is picked. */
  readonly picked?: string;
}

/** What the middle of the window shows. */
export type Pane = 'crystal' | 'data' | 'section' | 'page' | 'tables' | 'cif';

const NO_TREATMENT: Treatment = {};
const Context = createContext<Session | undefined>(undefined);

export function useSession(): Session {
  const session = useContext(Context);
  if (!session) throw new Error('A station was drawn outside a project.');
  return session;
}

const DEFAULT_VIEW: ViewOptions = {
  extent: 'unit',
  style: 'ellipsoids',
  probability: 0.5,
  showHydrogen: true,
  showCell: true,
};

export function SessionProvider({
  id,
  children,
  missing,
}: {
  id: string;
  children: ReactNode;
  missing: ReactNode;
}): ReactNode {
  const project = useLiveQuery(async () => (await db.projects.get(id)) ?? null, [id]);
  const marks = useLiveQuery(() => db.marks.where('projectId').equals(id).sortBy('created'), [id]);
  const intake = useLiveQuery(() => db.intake.get(id), [id]);
  const solve = useLiveQuery(() => db.solves.get(id), [id]);
  const hasData = useLiveQuery(async () => (await db.data.where('projectId').equals(id).count()) > 0, [id]) ?? false;
  // Each tab stands at its own mark, so that work in another does not move it.
  const [own, setOwn] = useState<string | undefined>(() => sessionStorage.getItem(`head:${id}`) ?? undefined);
  const headId = own ?? project?.head;
  const head = marks?.find((m) => m.id === headId) ?? marks?.find((m) => m.id === project?.head);
  const result = useLiveQuery(async () => (head ? await db.results.get(head.id) : undefined), [head?.id]);
  const merged = useMerged(project ?? undefined, intake, head);
  const [selection, select] = useState<Picked[]>([]);
  const lastIds = useRef<string[]>([]);
  const [peaks, setPeaks] = useState<string[]>([]);
  const [view, setViewState] = useState<ViewOptions>(() => ({
    ...DEFAULT_VIEW,
    ...(JSON.parse(localStorage.getItem('view') ?? '{}') as Partial<ViewOptions>),
  }));
  const [ownLevel, setLevel] = useState<number | undefined>();
  const [showMap, setShowMap] = useState(true);
  const [work, setWork] = useState<Work | undefined>();
  const [problem, setProblem] = useState<string | undefined>();
  const [place, setPlace] = useState<Place>('page');
  const [preview, setPreview] = useState<Structure | undefined>();
  const [ghost, setGhost] = useState<Ghost | undefined>();
  const [compareWith, setCompareWith] = useState<string | undefined>();
  const [mapKind, setMapKind] = useState<MapKind>('difference');
  const [pane, setPane] = useState<Pane>('crystal');
  const [elements, setElements] = useState<ShownElements | undefined>();
  const [hidden, setHidden] = useState<readonly string[]>([]);
  const [growth, setGrowth] = useState<readonly Growth[]>([]);
  const treatment = head?.treatment ?? NO_TREATMENT;
  // Four times the noise of the map, until the person chooses a level for this mark.
  const noise = ghost?.map?.sigma ?? result?.map?.sigma ?? 0.07;
  const level =
    ownLevel ?? (mapKind === 'difference' ? Math.max(0.12, Math.min(2.4, Math.round(4 * noise * 50) / 50)) : 1.6);
  useEffect(() => setLevel(undefined), [head?.id, mapKind, !!ghost?.map]);
  const working = useRef(false);

  const goTo = useCallback(
    (markId: string) => {
      sessionStorage.setItem(`head:${id}`, markId);
      setOwn(markId);
      setPreview(undefined);
      setPeaks([]);
      setGhost(undefined);
    },
    [id],
  );

  // The first look decides where this tab stands; later marks of other tabs do not move it.
  useEffect(() => {
    if (own === undefined && project?.head) goTo(project.head);
  }, [own, project?.head, goTo]);

  // A model that changed under the selection must not leave it pointing at nothing.
  useEffect(() => {
    if (!head) return;
    const ids = lastIds.current,
      now = head.structure.sites.map((x) => x.id);
    lastIds.current = now;
    // A selection follows its sites by id from mark to mark.
    const at = new Map(now.map((x, i) => [x, i]));
    select((s) =>
      s.flatMap((p) => {
        const i = at.get(ids[p.site] ?? now[p.site] ?? '');
        return i === undefined ? [] : [{ ...p, site: i }];
      }),
    );
  }, [head]);

  const setView = useCallback((change: Partial<ViewOptions>) => {
    setViewState((v) => {
      const next = { ...v, ...change };
      localStorage.setItem('view', JSON.stringify(next));
      return next;
    });
  }, []);

  const perform = useCallback(
    async <T,>(title: string, start: (tell: (detail: string) => void) => Running<T>): Promise<T | undefined> => {
      if (working.current) {
        setProblem('Something is still running. Wait for it or stop it first.');
        return undefined;
      }
      working.current = true;
      setProblem(undefined);
      let pending: Partial<Work> = {};
      let scheduled = false;
      const tell = (detail: string): void => {
        pending = { detail };
        // At most one repaint a frame, however fast the reports come.
        if (scheduled) return;
        scheduled = true;
        requestAnimationFrame(() => {
          scheduled = false;
          setWork((w) => (w ? { ...w, ...pending } : w));
        });
      };
      try {
        const running = start(tell);
        setWork({ title, detail: '', started: Date.now(), cancel: running.cancel });
        return await running.result;
      } catch (e) {
        if (!(e instanceof Cancelled)) setProblem((e as Error).message);
        return undefined;
      } finally {
        working.current = false;
        setWork(undefined);
      }
    },
    [],
  );

  const edit = useCallback(
    async (changed: Structure, title: string, changedTreatment?: Treatment): Promise<void> => {
      if (!head || !project) return;
      const structure = obeyControls(changed);
      const use = changedTreatment ?? head.treatment;
      const mark: Omit<Mark, 'id' | 'created'> = {
        projectId: id,
        parent: head.id,
        kind: 'edit',
        title,
        structure,
        ...(use ? { treatment: use } : {}),
      };
      // Data merged for another group say nothing about this model.
      const data =
        structure.spaceGroup.hall === head.structure.spaceGroup.hall || intake?.mergedFor !== structure.spaceGroup.hall
          ? merged?.reflections
          : intake.merge?.reflections;
      const wavelength = project.experiment.wavelength;
      if (!data || !wavelength || !structure.sites.length) {
        goTo(await addMark(mark));
        return;
      }
      const weights = head.readings?.weights ?? { a: 0.1, b: 0 };
      const done = await run('residual', {
        structure,
        reflections: data,
        wavelength,
        weights,
        extinction: head.readings?.extinction?.value ?? 0,
        ...(use ? { treatment: use } : {}),
      }).result.catch((e: Error) => {
        setProblem(e.message);
        return undefined;
      });
      goTo(
        await addMark(
          {
            ...mark,
            ...(done
              ? {
                  r1: done.r1,
                  wr2: done.wr2,
                  residual: {
                    peak: done.map.peaks[0]?.height ?? 0,
                    hole: done.map.holes[0]?.height ?? 0,
                    sigma: done.map.sigma,
                  },
                }
              : {}),
          },
          done ? { map: done.map } : undefined,
        ),
      );
    },
    [head, project, intake, merged, id, goTo],
  );

  const undo = useCallback(() => {
    if (head?.parent) goTo(head.parent);
  }, [head, goTo]);
  const redo = useCallback(() => {
    const next = marks?.filter((m) => m.parent === head?.id).at(-1);
    if (next) goTo(next.id);
  }, [head, marks, goTo]);

  const value = useMemo<Session | undefined>(
    () =>
      project && marks
        ? {
            project,
            marks,
            head,
            result,
            intake,
            hasData,
            merged,
            solve,
            treatment,
            ghost,
            setGhost,
            compareWith,
            setCompareWith,
            mapKind,
            setMapKind,
            pane,
            setPane,
            hidden,
            setHidden,
            growth,
            setGrowth,
            elements,
            setElements,
            selection,
            select,
            peaks,
            setPeaks,
            view,
            setView,
            level,
            setLevel,
            showMap,
            setShowMap,
            preview,
            setPreview,
            goTo,
            undo,
            redo,
            edit,
            work,
            perform,
            problem,
            setProblem,
            place,
            setPlace,
          }
        : undefined,
    [
      project,
      marks,
      head,
      result,
      intake,
      hasData,
      merged,
      solve,
      treatment,
      ghost,
      compareWith,
      mapKind,
      pane,
      hidden,
      growth,
      elements,
      selection,
      peaks,
      view,
      setView,
      level,
      showMap,
      preview,
      goTo,
      undo,
      redo,
      edit,
      work,
      perform,
      problem,
      place,
    ],
  );
  if (project === null) return missing;
  if (!value) return null;
  return <Context.Provider value={value}>{children}</Context.Provider>;
}
