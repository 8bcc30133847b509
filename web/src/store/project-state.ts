/**
 * What a project that is open in a tab holds: what is stored of it, what is on screen, and the commands that change either.
 */
import type { DrawnContact } from '@nagare/core/draw/contact-layers';
import type { AnnotationKind } from '@nagare/core/depict/figure';
import type { PoreMark } from '@nagare/core/draw/extra-layers';
import type { StoreApi } from 'zustand/vanilla';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { MapKind } from '@nagare/core/maps/residual';
import type { SampledMap } from '@nagare/core/maps/sample';
import type { DrawnMeasure } from '@nagare/core/draw/measure-layers';
import type { AtomPrimitive, Camera, Layer } from '@nagare/core/draw/scene';
import type { Mat3, Vec3 } from '@nagare/core/math/matrix3';
import type { Growth } from '@nagare/core/model/complete';
import type { SymmetryElement } from '@nagare/core/symmetry/elements';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { Place, Running } from '../engine/engine.ts';
import type { IntakeRow, NagareDatabase, PatternRow, PowderRow, Project, ResultRow, SolveRow } from './db.ts';
import type { Evaluate } from './evaluation.ts';
import type { Content, CrystalMark, Head, Mark } from './marks.ts';
import type { MarkRows, NewMark } from './course.ts';
import { NO_LOOKS, type Looks, type LooksChange } from './looks.ts';
import { rememberedView, type ViewState } from './view-state.ts';

/** One long piece of work and how far it is. */
export interface Work {
  readonly title: string;
  readonly detail: string;
  readonly started: number;
  cancel(): void;
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

/** What stations may ask of the camera. */
export interface Viewer {
  camera(): Camera;
  /** Atoms on screen. */
  drawn(): readonly AtomPrimitive[];
  /** Turns there, animated where the person did not ask for stillness; fits the crystal unless a scale is given. */
  look(to: { readonly rotation: Mat3; readonly target?: Vec3; readonly scale?: number }): void;
}

export interface ShownElements {
  /** Hall symbol of the group they belong to. */
  readonly hall: string;
  readonly list: readonly SymmetryElement[];
  readonly labels: boolean;
  /** Words of the one that is picked. */
  readonly picked?: string;
}

export interface Depicting {
  readonly figure?: string;
  readonly panel?: string;
  readonly annotation?: string;
  /** What the next clicks on the figure make. */
  readonly making?: AnnotationKind;
}

/** What the middle of the window shows. */
export type Pane = 'crystal' | 'data' | 'section' | 'page' | 'tables' | 'cif' | 'lengths' | 'fingerprints' | 'known';

/** What is stored. */
export interface StoredState {
  /** Gone: it was here, and was deleted meanwhile. */
  readonly status: 'loading' | 'missing' | 'gone' | 'ready';
  readonly project: Project | undefined;
  readonly marks: readonly Mark[];
  readonly head: Head | undefined;
  readonly result: ResultRow | undefined;
  readonly intake: IntakeRow | undefined;
  readonly hasData: boolean;
  /** The data merged for the group and axes of the present mark (of Intake, before there is one); undefined while they are not known. */
  readonly merged: MergeTaskResult | undefined;
  /** More about the head is on its way: its data, its large results, how well it agrees with them. */
  readonly moreToCome: boolean;
  readonly solve: SolveRow | undefined;
  readonly patterns: readonly PatternRow[];
  readonly powder: PowderRow | undefined;
  /** Marks that stand on the course of this page alone: the browser had no room for them. */
  readonly unsaved: readonly MarkRows[];
}

/** What is on screen in this tab. */
export interface ScreenState {
  readonly selection: readonly AtomRef[];
  /** Names of the residual peaks chosen in the list or in the scene. */
  readonly peaks: readonly string[];
  readonly view: ViewState;
  /** Bonds, polyhedra, styles, what is hidden, named views, pins: of the project. */
  readonly looks: Looks;
  /** Level of the residual surfaces, e Å⁻³. */
  readonly level: number;
  readonly showMap: boolean;
  /** A candidate looked at in the scene before it is taken. */
  readonly preview: Structure | undefined;
  /** The mark whose model is looked at in the place of the current one. */
  readonly lookedAt: string | undefined;
  readonly ghost: Ghost | undefined;
  /** Mark compared with the present one. */
  readonly compareWith: string | undefined;
  /** Which synthesis the surfaces and the section show. */
  readonly mapKind: MapKind;
  readonly pane: Pane;
  /** Disorder groups not drawn, as "A.2". */
  readonly hidden: readonly string[];
  /** Symmetry elements drawn in the scene, and the one that is picked. */
  readonly elements: ShownElements | undefined;
  /** How the drawing was grown by hand; the drawing follows the model as it changes. */
  readonly growth: readonly Growth[];
  /** Atoms that a sphere is drawn around. */
  readonly around: readonly AtomRef[];
  /** Atoms drawn for as long as what they belong to is looked at: the partner of a pair, neighbours of a centre. */
  readonly beside: readonly AtomRef[];
  /** Lengths written on what is looked at. */
  readonly lengths: readonly DrawnMeasure[];
  /** Groups of atoms whose best planes are drawn as discs. */
  readonly discs: readonly (readonly AtomRef[])[];
  /** Spheres drawn in empty space. */
  readonly pores: readonly PoreMark[];
  /** Contacts that are drawn, with open ends where they lead out of the picture. */
  readonly contacts: Readonly<Record<string, readonly DrawnContact[]>>;
  /** Layers that sheets add to the picture, by their owner. */
  readonly extras: Readonly<Record<string, readonly Layer[]>>;
  /** The name of a point of those layers that was picked in the picture or in a list. */
  readonly pickedPoint: string | undefined;
  /** The figure that is on the table, its panel that is worked on, and what of its annotations is picked. */
  readonly depicting: Depicting;
  readonly work: Work | undefined;
  readonly problem: string | undefined;
  readonly place: Place;
  /** Where the viewer stood when the project was last looked at, or is best put first. */
  readonly firstRotation: Mat3 | undefined;
  /** The hands on the camera, while a scene is on screen. */
  readonly viewer: Viewer | undefined;
}

/** An edit as it was begun: the model it was made from and what it makes of it. */
export interface Edit {
  readonly title: string;
  /** From the model as it stands when the edit's turn comes; a string says why it cannot be done. */
  readonly change: Structure | ((s: Structure) => Structure | string);
  /** The model that `change`, where it is a structure, was made from. */
  readonly from?: Structure;
  readonly treatment?: Treatment;
  readonly treatmentFrom?: Treatment;
}

export interface ProjectCommands {
  select(atoms: readonly AtomRef[]): void;
  setPeaks(names: readonly string[]): void;
  setView(change: Partial<ViewState>): void;
  /** `title` says what is changed: changes of one title that follow at once are one step of undo. */
  setLooks(title: string, change: LooksChange): void;
  setLevel(level: number): void;
  setShowMap(on: boolean): void;
  setPreview(structure: Structure | undefined): void;
  /** Shows the model of another mark without going there; nothing goes back. */
  lookAt(mark?: { readonly id: string; readonly structure: Structure | undefined }): void;
  setGhost(change: Ghost | undefined | ((g: Ghost | undefined) => Ghost | undefined)): void;
  setCompareWith(markId: string | undefined): void;
  setMapKind(kind: MapKind): void;
  setPane(pane: Pane): void;
  setHidden(groups: readonly string[]): void;
  setElements(shown: ShownElements | undefined): void;
  setGrowth(acts: readonly Growth[]): void;
  setAround(atoms: readonly AtomRef[]): void;
  /** Atoms drawn beside the others while something is looked at, with lengths to be written there. */
  setBeside(atoms: readonly AtomRef[], lengths?: readonly DrawnMeasure[]): void;
  setDiscs(planes: readonly (readonly AtomRef[])[]): void;
  setPores(pores: readonly PoreMark[]): void;
  setContacts(owner: string, contacts: readonly DrawnContact[]): void;
  setExtra(owner: string, layers: readonly Layer[]): void;
  pickPoint(name: string | undefined): void;
  setDepicting(change: Depicting): void;
  setProblem(text: string | undefined): void;
  setPlace(place: Place): void;
  setViewer(viewer: Viewer | undefined): void;
  goTo(markId: string): Promise<void>;
  undo(): Promise<void>;
  redo(): Promise<void>;
  /** Puts a changed model (or the data it stands on) on the course. Resolves to the mark, or undefined where nothing changed. */
  edit(edit: Edit): Promise<string | undefined>;
  /** Puts a mark on the course after the present one (or the parent given) and goes there. */
  record(mark: RecordedMark): Promise<string>;
  nameMark(markId: string, name: string): Promise<void>;
  /** Adds to a mark of a crystal what was known only later: how its run ended. */
  amend(markId: string, more: Pick<CrystalMark, 'decisions' | 'absolute' | 'message'>): Promise<void>;
  /** Stores the marks that there was no room for; says where there is still none. */
  saveUnsaved(): Promise<void>;
  /** What a mark holds; undefined where it is not there. */
  contentOf(markId: string): Promise<Content | undefined>;
  /** Runs one long piece of work at a time; resolves to undefined when it was stopped. */
  perform<T>(title: string, start: (tell: (detail: string) => void) => Running<T>): Promise<T | undefined>;
  /** Resolves when every command given so far is done. */
  idle(): Promise<void>;
  dispose(): void;
}

/** A mark to be, without what the store knows: project, identifiers, time. */
export type RecordedMark = Omit<NewMark, 'projectId' | 'parent'> & { readonly parent?: string | null };

export type ProjectState = StoredState & ScreenState & ProjectCommands;
export type ProjectStore = StoreApi<ProjectState>;

export interface StoreSurroundings {
  readonly db: NagareDatabase;
  readonly evaluate: Evaluate;
  /** Where this tab remembers its place. */
  readonly memory: Pick<Storage, 'getItem' | 'setItem'>;
  /** Pause before a changed model is judged, ms. */
  readonly pause?: number;
}

export const START: StoredState & ScreenState = {
  status: 'loading',
  project: undefined,
  marks: [],
  head: undefined,
  result: undefined,
  intake: undefined,
  hasData: false,
  merged: undefined,
  moreToCome: false,
  solve: undefined,
  patterns: [],
  powder: undefined,
  unsaved: [],
  selection: [],
  peaks: [],
  view: rememberedView(),
  looks: NO_LOOKS,
  level: 0.28,
  showMap: true,
  preview: undefined,
  lookedAt: undefined,
  ghost: undefined,
  compareWith: undefined,
  mapKind: 'difference',
  pane: 'crystal',
  hidden: [],
  elements: undefined,
  growth: [],
  around: [],
  discs: [],
  pores: [],
  contacts: {},
  extras: {},
  pickedPoint: undefined,
  depicting: {},
  beside: [],
  lengths: [],
  work: undefined,
  problem: undefined,
  place: 'page',
  firstRotation: undefined,
  viewer: undefined,
};

/** The state of a project that is there. Throws Error before it is loaded. */
export function openState(store: ProjectStore): ProjectState & { readonly project: Project } {
  const state = store.getState();
  if (!state.project) throw new Error('The project is not loaded yet.');
  return { ...state, project: state.project };
}
