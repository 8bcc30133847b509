/** The frame around a project: stations on one line, desk, scene, inspector, course, finder. */
import './frame.scss';
import {
  Suspense,
  useCallback,
  useEffect,
  useRef,
  useState,
  type ComponentType,
  type ReactNode,
  type RefObject,
} from 'react';
import { Dropdown } from 'react-bootstrap';
import { Link, Navigate, NavLink, useNavigate, useParams } from 'react-router';
import { ProjectProvider, useProject, useProjectStore } from '../store/use-project.tsx';
import { createEmptyProject, updateProject } from '../store/projects.ts';
import { lazyPart } from './lazy-part.ts';
import { takeHome } from './take-home.ts';
import { UnsavedBar } from './Unsaved.tsx';
import { IntakeCharts, IntakeDesk } from '../stations/intake/Intake.tsx';
import { SolveDesk } from '../stations/solve/Solve.tsx';
import { RefineDesk } from '../stations/refine/Refine.tsx';
import { BuildDesk } from '../stations/build/Build.tsx';
import { RelateDesk } from '../stations/relate/Relate.tsx';
import { SymmetryDesk } from '../stations/symmetry/Symmetry.tsx';
import { VetDesk } from '../stations/vet/Vet.tsx';
import { useVet } from '../stations/vet/use-vet.ts';
import { DepictDesk } from '../stations/depict/Depict.tsx';
import { useFigureActs } from '../stations/depict/use-new-figure.ts';
import { takeFigures } from '../store/figure-inbox.ts';
import { PublishDesk } from '../stations/publish/Publish.tsx';
import type { VetReport } from '@nagare/core/vet/registry';
import { PatternIntakeDesk } from '../stations/intake/PatternIntake.tsx';
import { FitDesk } from '../stations/fit/FitDesk.tsx';
import { FitProvider, useFit } from '../stations/fit/use-fit.tsx';
import { Course } from './Course.tsx';
import { DeskIndex } from './DeskIndex.tsx';
import { useDrop } from './DropEverywhere.tsx';
import { Finder } from './Finder.tsx';
import { Inspector } from './Inspector.tsx';
import { Net } from './Net.tsx';
import { STATIONS, stationsShown, stopStates, type StationId, type StopState } from './stations.ts';
import { SelectionLine } from './SelectionLine.tsx';
import { nameOfMark } from '../store/marks.ts';
import { z } from 'zod';
import { remember, remembered } from '../store/remembered.ts';

const SceneView = lazyPart(() => import('../scene/SceneView.tsx'));
const SectionPane = lazyPart(() => import('../scene/SectionPane.tsx'));
const SpaceGroupPage = lazyPart(() => import('../stations/symmetry/SpaceGroupPage.tsx'));
const TablesPane = lazyPart(() => import('../stations/publish/TablesPane.tsx'));
const CifPane = lazyPart(() => import('../stations/publish/CifPane.tsx'));
const FitPane = lazyPart(() => import('../stations/fit/FitPane.tsx'));
const FingerprintsPane = lazyPart(() => import('../stations/relate/FingerprintsPane.tsx'));
const LengthsPane = lazyPart(() => import('../stations/relate/LengthsPane.tsx'));
const KnownPane = lazyPart(() => import('../stations/relate/KnownPane.tsx'));
const FigureStage = lazyPart(() => import('../stations/depict/FigureStage.tsx'));
const DataPane = lazyPart(() => import('../stations/refine/DataPane.tsx'));

/** State glyphs by shape, so colour is not needed to tell them. */
function StopGlyph({ state }: { state: StopState }): ReactNode {
  return (
    <svg width="14" height="14" viewBox="0 0 14 14" role="img" aria-label={state}>
      {state === 'empty' && <circle cx="7" cy="7" r="4" fill="var(--sheet)" stroke="var(--soft)" strokeWidth="1.5" />}
      {state === 'in flow' && (
        <>
          <circle cx="7" cy="7" r="5" fill="none" stroke="var(--gold)" strokeWidth="1.6" />
          <path d="M7 2a5 5 0 0 1 0 10z" fill="var(--gold)" />
        </>
      )}
      {state === 'settled' && <circle cx="7" cy="7" r="5.4" fill="var(--water)" />}
      {state === 'needs a look' && (
        <path d="M7 1 13 7 7 13 1 7z" fill="none" stroke="var(--vermilion)" strokeWidth="1.8" />
      )}
    </svg>
  );
}

function useStopStates(vetted: VetReport | undefined): Readonly<Record<StationId, StopState>> {
  const state = useProject('project', 'head', 'looks', 'intake', 'hasData', 'solve', 'work');
  const { patterns, row, result } = useFit('patterns', 'row', 'result');
  return stopStates({ ...state, patterns: patterns.length, powder: row, fit: result, vetted });
}

export function ProjectFrame(): ReactNode {
  const { id, station } = useParams();
  if (!STATIONS.some((s) => s.id === station)) return <Navigate to={`/projects/${id}/intake`} replace />;
  return (
    <ProjectProvider
      key={id}
      id={id!}
      missing={
        <div className="frame">
          <div />
          <div className="empty">
            <h3>This project is not in this browser</h3>
            <p>It may have been deleted, or it was made in another browser. Export it there and drop the file here.</p>
            <Link to="/">All projects</Link>
          </div>
        </div>
      }
      gone={
        <div className="frame">
          <div />
          <div className="empty" role="alert">
            <h3>This project was deleted in another tab</h3>
            <p>
              What ran for it was stopped, and nothing of it is kept. If you exported it before, drop the file here.
            </p>
            <Link to="/">All projects</Link>
          </div>
        </div>
      }
    >
      <FitProvider>
        <Frame station={station as StationId} />
      </FitProvider>
    </ProjectProvider>
  );
}

const DESKS: Readonly<Record<StationId, ComponentType>> = {
  intake: IntakeDesk,
  solve: SolveDesk,
  refine: RefineDesk,
  fit: FitDesk,
  relate: RelateDesk,
  build: BuildDesk,
  symmetry: SymmetryDesk,
  vet: VetDesk,
  depict: DepictDesk,
  publish: PublishDesk,
};
const nameOf = (station: StationId): string => STATIONS.find((s) => s.id === station)!.name;

interface Where {
  readonly station: StationId;
  /** The project is of powder patterns alone. */
  readonly pattern: boolean;
}

function Desk({ station, pattern }: Where): ReactNode {
  const Chosen = station === 'intake' && pattern ? PatternIntakeDesk : DESKS[station];
  return <Chosen />;
}

/** What the middle shows at a station where the scene is not it. */
const PANES: Partial<Record<StationId, Readonly<Record<string, ComponentType>>>> = {
  symmetry: { page: SpaceGroupPage },
  publish: { tables: TablesPane, cif: CifPane },
  refine: { data: DataPane },
  relate: { lengths: LengthsPane, fingerprints: FingerprintsPane, known: KnownPane },
};

/** What stands in the middle in the place of the crystal, if anything does. */
function coverOf({ station, pattern }: Where, pane: string): { name: string; Shown: ComponentType } | undefined {
  if (station === 'fit' || (station === 'intake' && pattern)) return { name: 'The pattern', Shown: FitPane };
  if (station === 'depict') return { name: 'The figure', Shown: FigureStage };
  if (station === 'intake') return { name: 'The plots of the data', Shown: IntakeCharts };
  const Shown = PANES[station]?.[pane];
  return Shown && { name: `The pane “${pane}”`, Shown };
}

function Centre({ station, pattern }: Where): ReactNode {
  const { pane, head, lookedAt } = useProject('pane', 'head', 'lookedAt');
  const cover = coverOf({ station, pattern }, pane);
  const crystal = !cover;
  // Once made, the crystal stays behind the panes: it comes back as it was, at once.
  const [made, setMade] = useState(crystal);
  if (crystal && !made) setMade(true);
  const section = crystal && pane === 'section' && station === 'refine' && !!head;
  return (
    <>
      {crystal && <LookedAt />}
      {(crystal || station === 'refine') && !(crystal && lookedAt) && <SelectionLine />}
      {cover && (
        <Part key={cover.name} part={cover.name}>
          <cover.Shown />
        </Part>
      )}
      {made && (
        <div key="crystal" className={section ? 'crystal-place with-section' : 'crystal-place'} hidden={!crystal}>
          <Part part="The crystal">
            <SceneView shown={crystal} />
          </Part>
          {section && (
            <Part part="The section">
              <SectionPane />
            </Part>
          )}
        </div>
      )}
    </>
  );
}

/** Says across the scene that it shows another mark than the one that is worked on. */
function LookedAt(): ReactNode {
  const { lookedAt, marks, head, lookAt, goTo } = useProject('lookedAt', 'marks', 'head', 'lookAt', 'goTo');
  const mark = marks.find((m) => m.id === lookedAt);
  if (!mark || !head) return null;
  return (
    <div className="looked-at" role="status">
      <span className="flex-grow-1">
        This is <b>{nameOfMark(mark)}</b>. The current model is {nameOfMark(head.mark)}; nothing here acts on it.
      </span>
      <button className="word" onClick={() => void goTo(mark.id)}>
        Continue from here
      </button>
      <button className="word" onClick={() => lookAt()}>
        Back
      </button>
    </div>
  );
}

/** A part of the middle: loaded when it is first shown, with a net of its own. */
function Part({ part, children }: { part: string; children: ReactNode }): ReactNode {
  return (
    <Net part={part}>
      <Suspense fallback={<div className="empty">Opening…</div>}>{children}</Suspense>
    </Net>
  );
}

/** Whether the inspector is shown: where things are measured, several atoms are no object to change. */
const inspected = (station: StationId, selected: number): boolean =>
  selected > 0 &&
  station !== 'intake' &&
  station !== 'fit' &&
  station !== 'depict' &&
  (station !== 'relate' || selected === 1);

/** Where the keyboard goes on at another station: to the beginning of its desk, unless something there has the focus already. */
function useDeskFocus(station: StationId): RefObject<HTMLElement | null> {
  const desk = useRef<HTMLElement>(null);
  const at = useRef(station);
  useEffect(() => {
    if (at.current === station) return;
    at.current = station;
    if (desk.current?.contains(document.activeElement)) return;
    desk.current?.querySelector('h1')?.focus({ preventScroll: true });
  }, [station]);
  return desk;
}

function Frame({ station }: { station: StationId }): ReactNode {
  const powder = useFit('patterns').patterns.length > 0;
  const {
    project,
    work,
    problem,
    setProblem,
    undo,
    redo,
    selection,
    hasData,
    marks,
    pane,
    setCompareWith,
    lookedAt,
    lookAt,
  } = useProject(
    'project',
    'work',
    'problem',
    'setProblem',
    'undo',
    'redo',
    'selection',
    'hasData',
    'marks',
    'pane',
    'setCompareWith',
    'lookedAt',
    'lookAt',
  );
  const { add } = useFigureActs();
  const addRef = useRef(add);
  useEffect(() => {
    addRef.current = add;
  });
  useEffect(() => takeFigures(project.id, (figure) => addRef.current(figure)), [project.id]);
  // A comparison belongs to where it was asked for.
  useEffect(() => setCompareWith(undefined), [station, setCompareWith]);
  const vetted = useVet();
  const states = useStopStates(vetted.report);
  const open =
    vetted.report?.findings.filter(
      (f) => f.severity === 'mend' || (f.severity === 'explain' && !project.explanations?.[f.key]),
    ).length ?? 0;
  const navigate = useNavigate();
  const store = useProjectStore();
  const { pick } = useDrop();
  const desk = useDeskFocus(station);
  const [finder, setFinder] = useState(false);
  const before = useRef<Element | null>(null);
  const openFinder = useCallback(() => {
    before.current = document.activeElement;
    setFinder(true);
  }, []);
  const [renaming, setRenaming] = useState(false);
  const [deskWidth, setDeskWidth] = useState(() => remembered('desk', z.number().min(1).max(520), 420));

  useEffect(() => {
    document.title = `${project.name} · Nagare`;
  }, [project.name]);

  useEffect(() => {
    const key = (e: KeyboardEvent): void => {
      const field = (e.target as HTMLElement).closest<HTMLElement>('input, textarea, select');
      // In a field in which nothing is half typed, undoing means the model.
      const typing = field && !((e.ctrlKey || e.metaKey) && field.dataset['atRest'] === 'true');
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
        e.preventDefault();
        openFinder();
      } else if (e.key === 'Escape' && lookedAt) lookAt();
      else if (typing) return;
      else if (e.key === '/') {
        e.preventDefault();
        openFinder();
      } else if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'z') {
        e.preventDefault();
        void (e.shiftKey ? redo : undo)();
      }
    };
    addEventListener('keydown', key);
    return () => removeEventListener('keydown', key);
  }, [undo, redo, lookedAt, lookAt, openFinder]);

  const resize = useCallback((width: number) => {
    const next = width < 200 ? 0 : Math.max(340, Math.min(520, width));
    setDeskWidth(next);
    remember('desk', next || 1);
  }, []);

  const wide = deskWidth > 1 ? deskWidth : 0;
  // While another mark is shown, nothing acts on the current one.
  const elsewhere = !!lookedAt && !coverOf({ station, pattern: powder && !hasData }, pane);
  return (
    <div className="frame">
      <header className="topline">
        <Link to="/" className="emblem" aria-label="Nagare, all projects">
          <img src="/mark.svg" alt="" />
          <span className="d-none d-lg-inline">Nagare</span>
        </Link>
        <div className="project">
          {renaming ? (
            <input
              className="form-control form-control-sm"
              aria-label="Project name"
              autoFocus
              defaultValue={project.name}
              onBlur={(e) => {
                void updateProject(project.id, { name: e.target.value.trim() || project.name });
                setRenaming(false);
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
                if (e.key === 'Escape') setRenaming(false);
              }}
            />
          ) : (
            <Dropdown>
              <Dropdown.Toggle variant="link" className="fw-semibold">
                {project.name}
              </Dropdown.Toggle>
              <Dropdown.Menu>
                <Dropdown.Item as={Link} to="/">
                  All projects
                </Dropdown.Item>
                <Dropdown.Item onClick={() => setRenaming(true)}>Rename</Dropdown.Item>
                <Dropdown.Item
                  onClick={() => void createEmptyProject().then((id) => navigate(`/projects/${id}/intake`))}
                >
                  New, empty
                </Dropdown.Item>
                <Dropdown.Item onClick={pick}>Import a file…</Dropdown.Item>
                <Dropdown.Item onClick={() => void takeHome(store)}>Export this project</Dropdown.Item>
                <Dropdown.Divider />
                <Dropdown.Item
                  onClick={() => {
                    const next = document.documentElement.dataset['bsTheme'] === 'dark' ? 'light' : 'dark';
                    document.documentElement.dataset['bsTheme'] = next;
                    remember('theme', next);
                  }}
                >
                  Light or dark
                </Dropdown.Item>
              </Dropdown.Menu>
            </Dropdown>
          )}
        </div>
        <nav aria-label="Stations" className="d-flex flex-grow-1 shrinks">
          <ul className="stations">
            {STATIONS.filter(
              (s) =>
                stationsShown({
                  patterns: powder,
                  reflections: hasData,
                  structure: marks.some((m) => m.type !== 'fit'),
                }).includes(s.id) || s.id === station,
            ).map((s) => (
              <li key={s.id}>
                <NavLink to={`/projects/${project.id}/${s.id}`} title={`${s.name}: ${states[s.id]}`}>
                  <span className="stop">
                    <StopGlyph state={states[s.id]} />
                  </span>
                  <span>
                    {s.name}
                    {s.id === 'vet' && open > 0 && <small className="count">{open}</small>}
                  </span>
                </NavLink>
              </li>
            ))}
          </ul>
        </nav>
        <button className="finder-open" onClick={openFinder}>
          <span>Find</span>
          <kbd>Ctrl K</kbd>
        </button>
      </header>
      <div className="middle">
        <div className="d-flex shrinks">
          {wide > 0 && (
            <div className="side" style={{ width: wide }}>
              <DeskIndex key={`index ${station}`} station={station} desk={desk} />
              <aside
                key={station}
                ref={desk}
                className="desk"
                data-station={station}
                aria-label="Desk"
                inert={elsewhere}
              >
                <h1 className="visually-hidden" tabIndex={-1}>
                  {nameOf(station)} of {project.name}
                </h1>
                <Net part={`The desk of ${nameOf(station)}`}>
                  <Desk station={station} pattern={powder && !hasData} />
                </Net>
              </aside>
              {inspected(station, selection.length) && pane === 'crystal' && !elsewhere && (
                <Net part="The inspector">
                  <Inspector />
                </Net>
              )}
            </div>
          )}
          <button
            className="desk-grip"
            aria-label={wide ? 'Desk width; Enter folds it' : 'Unfold the desk'}
            title={wide ? 'Drag to resize, double-click to fold' : 'Unfold the desk'}
            style={wide ? {} : { width: 14 }}
            onDoubleClick={() => resize(wide ? 0 : 420)}
            onClick={() => {
              if (!wide) resize(420);
            }}
            onKeyDown={(e) => {
              if (e.key === 'ArrowLeft') resize(wide - 20);
              if (e.key === 'ArrowRight') resize((wide || 320) + 20);
              if (e.key === 'Enter') resize(wide ? 0 : 420);
            }}
            onPointerDown={(e) => {
              const x = e.clientX,
                w = wide || 0;
              const target = e.currentTarget;
              target.setPointerCapture(e.pointerId);
              target.onpointermove = (m) => resize(w + m.clientX - x);
              target.onpointerup = () => {
                target.onpointermove = null;
              };
            }}
          />
        </div>
        <main className="centre">
          {work && (
            <div className="work" role="status">
              <b>{work.title}</b>
              <span className="bar" />
              <span className="detail flex-grow-1">{work.detail}</span>
              <button className="word off" onClick={work.cancel}>
                Stop
              </button>
            </div>
          )}
          {problem && (
            <div className="problem" role="alert">
              <span className="flex-grow-1">{problem}</span>
              <button className="word" onClick={() => setProblem(undefined)}>
                Close
              </button>
            </div>
          )}
          <UnsavedBar />
          <Centre station={station} pattern={powder && !hasData} />
        </main>
      </div>
      <Net part="The course">
        <Course />
      </Net>
      <Finder
        show={finder}
        onHide={() => setFinder(false)}
        onBack={() => (before.current as HTMLElement | null)?.focus({ preventScroll: true })}
      />
    </div>
  );
}
