/**
 * One open project: its rows kept live, this tab's place on the course, and the commands that change it. Knows no user
 * interface framework; components select from its state and call its commands.
 *
 * Commands that change the course go through one queue, each over the head that the one before left. Judging a changed
 * model against the data is a step of its own: it waits for a pause, and is dropped when the model moves on.
 */
import { liveQuery, type Subscription } from 'dexie';
import { createStore } from 'zustand/vanilla';
import { siteIndices } from '@nagare/core/crystal/atom-ref';
import type { MapKind } from '@nagare/core/maps/residual';
import { keptFactors } from '@nagare/core/model/kept-factors';
import { rebaseStructure, rebaseTreatment } from '@nagare/core/model/rebase';
import { contradictionOf } from '@nagare/core/refine/compile-constraints';
import { obeyControls } from '@nagare/core/refine/holds';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { Running } from '../engine/engine.ts';
import { Cancelled } from '../engine/engine.ts';
import { CommandQueue } from './command-queue.ts';
import type { ResultRow } from './db.ts';
import { mergeServes } from './db.ts';
import { startEvaluation, type Evaluation } from './evaluation.ts';
import { mergeKey, mergedForModel } from './mark-data.ts';
import { headOf, type CrystalMark, type Mark } from './marks.ts';
import { markRows, storeInOrder } from './course.ts';
import { StorageFull, sweepOrphans } from './keeping.ts';
import { ModelCache } from './model-cache.ts';
import { changedLooks, NO_LOOKS } from './looks.ts';
import { LooksKeeper } from './looks-keeper.ts';
import {
  START,
  type Edit,
  type ProjectCommands,
  type ProjectState,
  type ProjectStore,
  type RecordedMark,
  type ScreenState,
  type StoreSurroundings,
} from './project-state.ts';

/** Rows that did not change stay the objects they were, so that nothing that hangs on them is worked out again. */
function keepUnchanged(before: readonly Mark[], now: readonly Mark[]): readonly Mark[] {
  const known = new Map(before.map((m) => [m.id, m]));
  const next = now.map((m) => {
    const old = known.get(m.id);
    return old && old.revision === m.revision ? old : m;
  });
  return next.length === before.length && next.every((m, i) => m === before[i]) ? before : next;
}

/** What of the drawing belongs to this tab alone. */
type DrawnHere = Pick<ScreenState, 'growth' | 'around' | 'hidden'>;

/** The level a map is first seen at, e Å⁻³; of a residual four times its noise. */
function usualLevel(kind: MapKind, noise: number): number {
  if (kind === 'deformation') return 0.2;
  return kind === 'difference' ? Math.max(0.12, Math.min(2.4, Math.round(4 * noise * 50) / 50)) : 1.6;
}

class OpenProject {
  readonly store: ProjectStore;
  private readonly queue = new CommandQueue();
  private readonly models: ModelCache;
  private readonly subscriptions: Subscription[] = [];
  private resultOf: Subscription | undefined;
  private headId: string | undefined;
  /** The person chose a level for this mark. */
  private ownLevel = false;
  /** The mark whose large results were looked for. */
  private resultRead: string | undefined;
  private intakeRead = false;
  private mergedKey = '';
  private merging = false;
  private working = false;
  private stopEvaluation: (() => void) | undefined;
  private disposed = false;
  private readonly looks: LooksKeeper<DrawnHere>;

  constructor(
    private readonly id: string,
    private readonly around: StoreSurroundings,
  ) {
    this.models = new ModelCache(around.db);
    this.headId = around.memory.getItem(`head:${id}`) ?? undefined;
    this.store = createStore<ProjectState>(() => ({ ...START, ...this.commands() }));
    this.looks = new LooksKeeper(
      id,
      around.db,
      () => {
        const { view, looks, growth, around: middle, hidden } = this.state;
        return { view, looks, rest: { growth, around: middle, hidden } };
      },
      ({ view, looks, rest }) => this.set({ view, looks, ...rest }),
      (e) => this.set({ problem: `The looks of this project could not be kept: ${e.message}` }),
      around.memory,
    );
    this.looks.viewer = () => this.state.viewer?.camera().rotation;
    this.listen();
  }

  private get state(): ProjectState {
    return this.store.getState();
  }

  private set(change: Partial<ProjectState>): void {
    if (!this.disposed) this.store.setState(change);
  }

  /** Keeps the state in step with what is stored, whichever tab stored it. */
  private listen(): void {
    const { db } = this.around;
    const watch = <T>(read: () => Promise<T>, take: (value: T) => void): void => {
      this.subscriptions.push(
        liveQuery(read).subscribe({ next: take, error: (e: Error) => this.set({ problem: e.message }) }),
      );
    };
    const rows = { project: false, marks: false, looks: false };
    const ready = (): void => {
      if (!rows.project || !rows.marks || !rows.looks) return;
      if (!this.state.project) this.isGone();
      else void this.queue.add(() => this.settleHead());
    };
    void this.looks.kept().then(
      (row) => {
        rows.looks = true;
        if (row) this.set({ view: row.view, looks: { ...NO_LOOKS, ...row.looks }, firstRotation: row.rotation });
        ready();
      },
      (e: Error) => this.set({ problem: e.message }),
    );
    watch(
      () => db.projects.get(this.id),
      (project) => {
        rows.project = true;
        this.set({ project });
        ready();
      },
    );
    watch(
      () => db.marks.where('projectId').equals(this.id).sortBy('created'),
      (marks) => {
        rows.marks = true;
        const unsaved = this.state.unsaved.map((u) => u.mark).filter((m) => !marks.some((x) => x.id === m.id));
        this.set({ marks: keepUnchanged(this.state.marks, [...marks, ...unsaved]) });
        ready();
      },
    );
    watch(
      () => db.intake.get(this.id),
      (intake) => {
        this.intakeRead = true;
        this.set({ intake });
        this.followData();
      },
    );
    watch(
      () => db.solves.get(this.id),
      (solve) => this.set({ solve }),
    );
    watch(
      async () => (await db.data.where('projectId').equals(this.id).count()) > 0,
      (hasData) => this.set({ hasData }),
    );
    watch(
      () => db.patterns.where('projectId').equals(this.id).sortBy('order'),
      (patterns) => this.set({ patterns: patterns.length ? patterns : START.patterns }),
    );
    watch(
      () => db.powder.get(this.id),
      (powder) => this.set({ powder }),
    );
  }

  /** The project is not in the browser (any more): what runs for it ends. */
  private isGone(): void {
    const wasHere = this.state.status === 'ready' || this.state.status === 'gone';
    this.set({ status: wasHere ? 'gone' : 'missing' });
    this.stopEvaluation?.();
    this.state.work?.cancel();
    // What this tab was storing meanwhile goes too.
    void sweepOrphans(this.around.db).catch(() => undefined);
  }

  /** The mark this tab stands at: its own where it is still there, else the project's latest. */
  private async settleHead(): Promise<void> {
    const { marks, project, head } = this.state;
    const mark = marks.find((m) => m.id === this.headId) ?? marks.find((m) => m.id === project?.head);
    if (!mark) {
      if (head) this.set({ head: undefined, result: undefined });
      this.set({ status: 'ready' });
      return;
    }
    if (head?.mark === mark) return void this.set({ status: 'ready' });
    await this.stand(mark);
    this.set({ status: 'ready' });
  }

  /** Makes a mark the head. */
  private async stand(mark: Mark): Promise<void> {
    const content = await this.models.get(mark.model);
    if (!content || this.disposed) return;
    const before = this.state.head;
    this.headId = mark.id;
    this.around.memory.setItem(`head:${this.id}`, mark.id);
    const head = headOf(mark, content);
    const moved = before?.id !== mark.id;
    if (moved) this.ownLevel = false;
    const here = head.structure && siteIndices(head.structure);
    this.set({
      head,
      ...(moved
        ? {
            preview: undefined,
            lookedAt: undefined,
            beside: [],
            lengths: [],
            pores: [],
            contacts: {},
            extras: {},
            pickedPoint: undefined,
            peaks: [],
            ghost: undefined,
            result: undefined,
            moreToCome: true,
            // A selection follows its sites from mark to mark; what is gone is left out.
            selection: this.state.selection.filter((a) => here?.has(a.site)),
          }
        : {}),
    });
    if (moved) this.followResult(mark.id);
    this.followData();
  }

  /** Large results that stand on this page alone. */
  private unsavedResult(markId: string): ResultRow | undefined {
    return this.state.unsaved.find((u) => u.mark.id === markId)?.result;
  }

  /** Keeps the large results of the head at hand. */
  private followResult(markId: string): void {
    this.resultOf?.unsubscribe();
    this.resultOf = liveQuery(() => this.around.db.results.get(markId)).subscribe({
      next: (result) => {
        if (this.state.head?.id !== markId) return;
        this.set({ result: result ?? this.unsavedResult(markId) });
        this.resultRead = markId;
        this.followLevel();
        this.judge();
      },
      error: (e: Error) => this.set({ problem: e.message, moreToCome: false }),
    });
  }

  /** Four times the noise of the map, until the person chooses a level for this mark. */
  private followLevel(): void {
    if (this.ownLevel) return;
    const { ghost, result, mapKind } = this.state;
    const level = usualLevel(mapKind, ghost?.map?.sigma ?? result?.map?.sigma ?? 0.07);
    this.set({ level });
  }

  /** Keeps the data merged for the group and axes of the head. */
  private followData(): void {
    const { head, intake } = this.state;
    const structure = head?.structure;
    if (!intake || !structure) {
      this.takeMerged(head ? undefined : intake?.merge);
      return;
    }
    if (!head.basis && mergeServes(intake, structure.spaceGroup)) {
      this.takeMerged(intake.merge);
      return;
    }
    const key = mergeKey(this.id, intake, structure, head.basis);
    if (key === this.mergedKey) return;
    this.mergedKey = key;
    this.merging = true;
    this.set({ merged: undefined, moreToCome: true });
    void mergedForModel(this.id, intake, structure, head.basis).then(
      (merged) => {
        if (this.mergedKey === key) this.takeMerged(merged, key);
      },
      (e: Error) => {
        this.set({ problem: e.message });
        if (this.mergedKey === key) this.takeMerged(undefined, key);
      },
    );
  }

  /** The data of the head are these; the key says what they were merged by, where that was done for it alone. */
  private takeMerged(merged: MergeTaskResult | undefined, key = ''): void {
    this.mergedKey = key;
    this.merging = false;
    if (this.state.merged !== merged) this.set({ merged });
    this.judge();
  }

  /** Judges the head against the data where that was not done yet: after a pause, and not if it moves on. */
  private judge(): void {
    this.stopEvaluation?.();
    this.stopEvaluation = undefined;
    const { head } = this.state;
    const waits = !this.intakeRead || this.merging || this.resultRead !== head?.id;
    const what = waits ? undefined : this.toEvaluate();
    this.set({ moreToCome: !!head && (waits || !!what) });
    if (!what) return;
    this.stopEvaluation = startEvaluation(what, this.around.pause ?? 150, (e) =>
      this.set({ problem: e.message, moreToCome: false }),
    );
  }

  /** The head with its data, if its agreement or its map are not known. */
  private toEvaluate(): Evaluation | undefined {
    const { head, merged, project, result } = this.state;
    const wavelength = project?.experiment.wavelength;
    if (!head || head.mark.type !== 'crystal' || !head.structure?.sites.length || !merged || !wavelength)
      return undefined;
    // Maps of old marks are given up where room is short, and made again here.
    if (result?.map) return undefined;
    return { head, merged, wavelength, db: this.around.db, evaluate: this.around.evaluate };
  }

  private async record(mark: RecordedMark): Promise<string> {
    const parent = mark.parent === null ? undefined : (mark.parent ?? this.state.head?.id);
    const { parent: _, ...rest } = mark;
    const rows = markRows(
      { ...rest, projectId: this.id, ...(parent ? { parent } : {}) },
      { parent: this.state.marks.find((m) => m.id === parent), hasData: this.state.hasData },
    );
    this.set({ unsaved: await storeInOrder(this.around.db, [...this.state.unsaved, rows]) });
    this.models.put(rows.model);
    this.looks.did('mark');
    this.set({ marks: [...this.state.marks.filter((m) => m.id !== rows.mark.id), rows.mark] });
    await this.stand(rows.mark);
    return rows.mark.id;
  }

  private async amend(markId: string, more: Pick<CrystalMark, 'decisions' | 'absolute' | 'message'>): Promise<void> {
    const { db } = this.around;
    const amended = (m: Mark): Mark => (m.type === 'crystal' ? { ...m, ...more, revision: m.revision + 1 } : m);
    const unsaved = this.state.unsaved.map((u) => (u.mark.id === markId ? { ...u, mark: amended(u.mark) } : u));
    if (unsaved.some((u) => u.mark.id === markId)) {
      const marks = this.state.marks.map((m) => (m.id === markId ? amended(m) : m));
      return this.set({ unsaved, marks });
    }
    await db.transaction('rw', db.marks, async () => {
      const mark = await db.marks.get(markId);
      if (mark) await db.marks.put(amended(mark));
    });
  }

  private async applyEdit(edit: Edit): Promise<string | undefined> {
    const { head } = this.state;
    if (!head?.structure) return undefined;
    const now = head.structure;
    const wanted =
      typeof edit.change === 'function' ? edit.change(now) : rebaseStructure(edit.from ?? now, edit.change, now);
    if (typeof wanted === 'string') {
      this.set({ problem: wanted });
      return undefined;
    }
    const treatment = edit.treatment
      ? rebaseTreatment(edit.treatmentFrom ?? head.treatment, edit.treatment, head.treatment)
      : head.treatment;
    if (wanted === now && treatment === head.treatment) return undefined;
    const contradiction = wanted === now ? undefined : contradictionOf(wanted);
    if (contradiction) {
      this.set({ problem: contradiction });
      return undefined;
    }
    const structure = wanted === now ? now : obeyControls(wanted);
    const content = { kind: 'structure' as const, structure, treatment: keptFactors(treatment, now, structure) };
    return this.record({ kind: 'edit', title: edit.title, content });
  }

  private async perform<T>(
    title: string,
    start: (tell: (detail: string) => void) => Running<T>,
  ): Promise<T | undefined> {
    if (this.working) {
      this.set({ problem: 'Something is still running. Wait for it or stop it first.' });
      return undefined;
    }
    this.working = true;
    this.set({ problem: undefined });
    let detail = '';
    let timer: ReturnType<typeof setTimeout> | undefined;
    // At most some twenty repaints a second, however fast the reports come.
    const tell = (text: string): void => {
      detail = text;
      timer ??= setTimeout(() => {
        timer = undefined;
        const { work } = this.state;
        if (work) this.set({ work: { ...work, detail } });
      }, 50);
    };
    try {
      const running = start(tell);
      this.set({ work: { title, detail: '', started: Date.now(), cancel: running.cancel } });
      return await running.result;
    } catch (e) {
      // Of a project that is gone nothing needs to be said twice.
      if (!(e instanceof Cancelled) && this.state.status !== 'gone') this.set({ problem: (e as Error).message });
      return undefined;
    } finally {
      clearTimeout(timer);
      this.working = false;
      this.set({ work: undefined });
    }
  }

  private commands(): ProjectCommands {
    const go = async (markId: string): Promise<void> => {
      const mark = this.state.marks.find((m) => m.id === markId) ?? (await this.around.db.marks.get(markId));
      if (mark) await this.stand(mark);
    };
    return {
      ...this.screenCommands(),
      goTo: (markId) =>
        this.queue.add(async () => {
          this.looks.did('mark');
          await go(markId);
        }),
      undo: () =>
        this.queue.add(async () => {
          // A copy that is being laid is what is given up first.
          if (this.state.ghost) return this.set({ ghost: undefined });
          if (this.looks.undo() === 'looks') return;
          const parent = this.state.head?.parent;
          if (parent) await go(parent);
        }),
      redo: () =>
        this.queue.add(async () => {
          if (this.looks.redo() === 'looks') return;
          const { head, marks } = this.state;
          const next = marks.filter((m) => head && m.parent === head.id).at(-1);
          if (next) await this.stand(next);
        }),
      edit: (edit) => this.queue.add(() => this.applyEdit(edit)),
      record: (mark) => this.queue.add(() => this.record(mark)),
      nameMark: (markId, name) =>
        this.queue.add(async () => {
          const { db } = this.around;
          await db.transaction('rw', db.marks, async () => {
            const mark = await db.marks.get(markId);
            if (mark) await db.marks.put({ ...mark, name, revision: mark.revision + 1 });
          });
        }),
      amend: (markId, more) => this.queue.add(() => this.amend(markId, more)),
      saveUnsaved: () =>
        this.queue.add(async () => {
          const left = await storeInOrder(this.around.db, this.state.unsaved);
          this.set({ unsaved: left, problem: left.length ? new StorageFull().message : undefined });
        }),
      contentOf: async (markId) => {
        const mark = this.state.marks.find((m) => m.id === markId);
        return mark && this.models.get(mark.model);
      },
      perform: (title, start) => this.perform(title, start),
      idle: () => this.queue.idle(),
      dispose: () => this.dispose(),
    };
  }

  private screenCommands(): Pick<
    ProjectCommands,
    | 'select'
    | 'setPeaks'
    | 'setView'
    | 'setLooks'
    | 'setLevel'
    | 'setShowMap'
    | 'setPreview'
    | 'lookAt'
    | 'setGhost'
    | 'setCompareWith'
    | 'setMapKind'
    | 'setPane'
    | 'setHidden'
    | 'setElements'
    | 'setGrowth'
    | 'setAround'
    | 'setDiscs'
    | 'setPores'
    | 'setContacts'
    | 'setExtra'
    | 'pickPoint'
    | 'setDepicting'
    | 'setBeside'
    | 'setProblem'
    | 'setPlace'
    | 'setViewer'
  > {
    return {
      select: (selection) => this.set({ selection }),
      setPeaks: (peaks) => this.set({ peaks }),
      setView: (change) =>
        this.looks.change(`view: ${Object.keys(change).join()}`, { view: { ...this.state.view, ...change } }),
      setLooks: (title, change) => this.looks.change(title, { looks: changedLooks(this.state.looks, change) }),
      setLevel: (level) => {
        this.ownLevel = true;
        this.set({ level });
      },
      setShowMap: (showMap) => this.set({ showMap }),
      setPreview: (preview) => this.set({ preview, lookedAt: undefined }),
      lookAt: (mark) => this.set({ preview: mark?.structure, lookedAt: mark?.structure && mark.id }),
      setGhost: (change) => {
        const before = this.state.ghost;
        const ghost = typeof change === 'function' ? change(before) : change;
        if (ghost === before) return;
        this.set({ ghost });
        if (!!ghost?.map !== !!before?.map) {
          this.ownLevel = false;
          this.followLevel();
        }
      },
      setCompareWith: (compareWith) => this.set({ compareWith }),
      setMapKind: (mapKind) => {
        this.ownLevel = false;
        this.set({ mapKind });
        this.followLevel();
      },
      setPane: (pane) => this.set({ pane }),
      setHidden: (hidden) => this.drawHere('hidden groups', { hidden }),
      setElements: (elements) => this.set({ elements }),
      setGrowth: (growth) => {
        if (growth.length || this.state.growth.length) this.drawHere('grown', { growth });
      },
      setAround: (around) => this.drawHere('middle', { around }),
      setBeside: (beside, lengths = []) => this.set({ beside, lengths }),
      setDiscs: (discs) => this.set({ discs }),
      setPores: (pores) => this.set({ pores }),
      setContacts: (owner, list) => this.set({ contacts: { ...this.state.contacts, [owner]: list } }),
      setExtra: (owner, layers) => this.set({ extras: { ...this.state.extras, [owner]: layers } }),
      pickPoint: (pickedPoint) => this.set({ pickedPoint }),
      setDepicting: (depicting) => this.set({ depicting }),
      setProblem: (problem) => this.set({ problem }),
      setPlace: (place) => this.set({ place }),
      setViewer: (viewer) => this.set({ viewer }),
    };
  }

  private drawHere(title: string, change: Partial<DrawnHere>): void {
    const { growth, around, hidden } = this.state;
    this.looks.change(title, { rest: { growth, around, hidden, ...change } });
  }

  private dispose(): void {
    void this.looks.flush();
    this.disposed = true;
    this.stopEvaluation?.();
    this.resultOf?.unsubscribe();
    for (const s of this.subscriptions) s.unsubscribe();
  }
}

/** Opens a project; the state says whether it is there. */
export const openProject = (id: string, around: StoreSurroundings): ProjectStore => new OpenProject(id, around).store;
