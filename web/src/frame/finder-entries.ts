/** Everything the finder offers in a project, made from what the project holds. */
import { useMemo } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import { TEMPLATES } from '@nagare/core/depict/templates';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { ELEMENT_NAMES, selectByWords } from '@nagare/core/model/selection';
import { SEVERITY_WORDS } from '@nagare/core/vet/registry';
import { useFigureActs } from '../stations/depict/use-new-figure.ts';
import { useFit } from '../stations/fit/use-fit.tsx';
import { SELECTION_STEPS, stepSelection } from '../stations/relate/drawing.ts';
import { askedMeasure } from '../stations/relate/pins.ts';
import { useVet } from '../stations/vet/use-vet.ts';
import { takeHome } from './take-home.ts';
import type { Pane } from '../store/project-state.ts';
import { atomsOfSites } from '../store/selection.ts';
import { useProject, useProjectStore } from '../store/use-project.tsx';
import type { ViewState } from '../store/view-state.ts';
import { useDrop } from './DropEverywhere.tsx';
import { FINDER_PLACES, nameMatch, type Need } from './finder-index.ts';
import { openSheet } from './open-sheet.ts';
import { STATIONS, type StationId } from './stations.ts';

export interface FinderEntry {
  readonly text: string;
  /** Other words that people use for it. */
  readonly also?: string;
  readonly kind: string;
  act(): void;
}

/** Entries made of the very words that are typed: they come first. */
const UNDERSTOOD: ReadonlySet<string> = new Set(['selection', 'measure, to be pinned']);
/** Stations that show the crystal: a selection is seen where one is. */
const WITH_CRYSTAL = /\/(refine|relate|symmetry|vet|solve)$/;
/** Reflections that are offered by name. */
const MOST_REFLECTIONS = 400;

const EXTENTS: readonly (readonly [ViewState['extent'], string, string])[] = [
  ['unique', 'Show the asymmetric unit', 'unique part'],
  ['molecules', 'Show whole molecules', 'complete fragments grow'],
  ['closed cell', 'Show the cell closed at its faces', 'unit cell'],
  ['packed cell', 'Show the cell’s contents', 'pack packing unit cell'],
];

/** What can stand in the place of the crystal: at which station, and what it needs. */
const PANES: readonly (readonly [Pane, StationId, Need, string, string])[] = [
  ['data', 'refine', 'data', 'Show the data plots', 'charts graphs'],
  ['section', 'refine', 'data', 'Show a section of the map', 'contour plane electron density'],
  ['lengths', 'relate', 'structure', 'Show the tables of bond lengths and angles', 'geometry torsions'],
  ['known', 'relate', 'structure', 'Everything known about it', 'information record details'],
  ['fingerprints', 'relate', 'structure', 'Show the fingerprints of the surface', ''],
  ['page', 'symmetry', 'structure', 'Show the page of the space group', 'operators positions'],
  ['tables', 'publish', 'structure', 'Show the tables', 'print'],
  ['cif', 'publish', 'structure', 'Show the CIF as text', 'file'],
];

/** What answers to the words typed, the best first; of equals, in their own order. */
export function foundBy(entries: readonly FinderEntry[], words: string): readonly FinderEntry[] {
  if (!words.trim()) return entries;
  return entries
    .map((e) => ({ e, score: UNDERSTOOD.has(e.kind) ? 4 : nameMatch(words, e.text, e.also) }))
    .filter(({ score }) => score > 0)
    .sort((p, q) => q.score - p.score)
    .map(({ e }) => e);
}

/** Entries for the words typed so far. */
export function useFinderEntries(words: string): readonly FinderEntry[] {
  const project = useProjectEntries();
  const panes = usePaneEntries();
  const scene = useSceneEntries();
  const figures = useFigureEntries();
  const atoms = useAtomEntries(words);
  const pattern = usePatternEntries(words);
  return useMemo(
    () => [...atoms.said, ...project, ...panes, ...scene, ...figures, ...pattern, ...atoms.named],
    [atoms, project, panes, scene, figures, pattern],
  );
}

/** Goes to a station of this project. */
function useGo(): (station: StationId) => void {
  const { project } = useProject('project');
  const navigate = useNavigate();
  return useMemo(() => (station) => void navigate(`/projects/${project.id}/${station}`), [project.id, navigate]);
}

/** What the project can do. */
function useCan(): Readonly<Record<Need, boolean>> {
  const { head, hasData, looks } = useProject('head', 'hasData', 'looks');
  const { patterns } = useFit('patterns');
  const structure = !!head?.structure?.sites.length;
  const figure = looks.figures.length > 0;
  return useMemo(
    () => ({ structure, data: hasData, figure, pattern: patterns.length > 0 }),
    [structure, hasData, figure, patterns.length],
  );
}

function useProjectEntries(): readonly FinderEntry[] {
  const { undo, redo } = useProject('undo', 'redo');
  const { report } = useVet();
  const { head, select } = useProject('head', 'select');
  const store = useProjectStore();
  const { pick } = useDrop();
  const navigate = useNavigate();
  const go = useGo();
  return useMemo(() => {
    const s = head?.structure;
    const findings = (report?.findings ?? []).map((f) => ({
      text: f.title,
      kind: `finding, ${SEVERITY_WORDS[f.severity]}`,
      act: () => {
        if (f.sites.length && s) select(atomsOfSites(s, f.sites));
        go('vet');
      },
    }));
    return [
      ...STATIONS.map((x) => ({ text: x.name, kind: 'station', act: () => go(x.id) })),
      { text: 'Undo: back along the course', also: 'revert', kind: 'course', act: () => void undo() },
      { text: 'Redo: forward along the course', kind: 'course', act: () => void redo() },
      { text: 'Import a file', also: 'open load', kind: 'project', act: pick },
      {
        text: 'Export this project',
        also: 'save backup',
        kind: 'project',
        act: () => void takeHome(store),
      },
      { text: 'All projects', also: 'home', kind: 'project', act: () => void navigate('/') },
      ...findings,
    ];
  }, [store, undo, redo, report, head, select, pick, navigate, go]);
}

/** Sheets, their controls, and what stands in the place of the crystal. */
function usePaneEntries(): readonly FinderEntry[] {
  const { setPane } = useProject('setPane');
  const can = useCan();
  const go = useGo();
  return useMemo(
    () => [
      ...FINDER_PLACES.filter((p) => can[p.needs]).map((p) => ({
        text: p.text,
        also: `${p.also} ${p.sheet}`,
        kind: p.station,
        act: () => {
          setPane('crystal');
          go(p.station);
          openSheet(p.station, p.sheet, p.control);
        },
      })),
      ...PANES.filter(([, , need]) => can[need]).map(([pane, station, , text, also]) => ({
        text,
        also,
        kind: station,
        act: () => {
          setPane(pane);
          go(station);
        },
      })),
      ...(can.structure ? [{ text: 'Show the crystal', kind: 'scene', act: () => setPane('crystal') }] : []),
    ],
    [can, go, setPane],
  );
}

function useSceneEntries(): readonly FinderEntry[] {
  const { head, setView } = useProject('head', 'setView');
  const there = !!head?.structure;
  return useMemo(
    () =>
      there
        ? [
            {
              text: 'Draw ellipsoids',
              also: 'thermal displacement',
              kind: 'scene',
              act: () => setView({ look: 'ellipsoids' }),
            },
            { text: 'Draw balls and sticks', kind: 'scene', act: () => setView({ look: 'balls' }) },
            ...EXTENTS.map(([extent, text, also]) => ({ text, also, kind: 'scene', act: () => setView({ extent }) })),
          ]
        : [],
    [there, setView],
  );
}

function useFigureEntries(): readonly FinderEntry[] {
  const { head, looks } = useProject('head', 'looks');
  const { begin, open } = useFigureActs();
  const go = useGo();
  const { figures } = looks;
  const there = !!head?.structure;
  return useMemo(
    () => [
      ...(there ? TEMPLATES : []).map((t) => ({
        text: `New figure: ${t.name}`,
        kind: 'depict',
        act: () => {
          go('depict');
          void begin(t.id);
        },
      })),
      ...figures.map((f) => ({
        text: `Figure: ${f.name}`,
        kind: 'depict',
        act: () => {
          go('depict');
          open(f.id);
        },
      })),
    ],
    [there, figures, begin, open, go],
  );
}

interface AtomEntries {
  /** Selections and measures that the very words ask for. */
  readonly said: readonly FinderEntry[];
  /** Elements and sites by name. */
  readonly named: readonly FinderEntry[];
}

const NO_ATOMS: AtomEntries = { said: [], named: [] };

function useAtomEntries(words: string): AtomEntries {
  const { head, hasData, selection, select, looks, setLooks, viewer } = useProject(
    'head',
    'hasData',
    'selection',
    'select',
    'looks',
    'setLooks',
    'viewer',
  );
  const { pathname } = useLocation();
  const go = useGo();
  const s = head?.fit ? undefined : head?.structure;
  return useMemo((): AtomEntries => {
    if (!s) return NO_ATOMS;
    const choose = (sites: readonly number[]) => (): void => {
      select(sites.map((i) => originalRef(s.sites[i]!.id)));
      if (!WITH_CRYSTAL.test(pathname)) go(hasData ? 'refine' : 'relate');
    };
    const asked = askedMeasure(s, looks.bonding, words);
    const measure = asked && {
      text: asked.text,
      kind: 'measure, to be pinned',
      act: () => {
        setLooks('pin', { pins: [...looks.pins, asked.pin] });
        go('relate');
      },
    };
    const chosen = selectByWords(s, words);
    const selecting = chosen?.sites.length && {
      text: `Select ${chosen.said} (${chosen.sites.length})`,
      kind: 'selection',
      act: choose(chosen.sites),
    };
    const further =
      selection.length && viewer
        ? SELECTION_STEPS.map(([step, text]) => ({
            text: `Select more: ${text.toLowerCase()}`,
            also: 'extend fragment whole',
            kind: 'selection so far',
            act: () => select(stepSelection(bonded(withBonding(s, looks.bonding)), viewer.drawn(), selection, step)),
          }))
        : [];
    return {
      said: [measure, selecting].filter((x) => !!x),
      named: [...further, ...elementEntries(s, choose), ...siteEntries(s, choose)],
    };
  }, [s, words, hasData, selection, select, looks, setLooks, viewer, pathname, go]);
}

type Choose = (sites: readonly number[]) => () => void;

const elementEntries = (s: Structure, choose: Choose): FinderEntry[] =>
  [...new Set(s.sites.map((x) => x.element))].map((e) => ({
    text: `Select all ${Object.keys(ELEMENT_NAMES).find((n) => ELEMENT_NAMES[n] === e) ?? e}`,
    kind: e,
    act: choose(s.sites.flatMap((x, i) => (x.element === e ? [i] : []))),
  }));

const siteEntries = (s: Structure, choose: Choose): FinderEntry[] =>
  s.sites.map((x, i) => ({ text: x.label, kind: `site, ${x.element}`, act: choose([i]) }));

/** The pattern, and reflections by name, the strong ones first. */
function usePatternEntries(words: string): readonly FinderEntry[] {
  const { patterns, ticks, setWindow, hover } = useFit('patterns', 'ticks', 'setWindow', 'hover');
  const go = useGo();
  const typed = !!words.trim();
  return useMemo(() => {
    if (!patterns.length) return [];
    const whole = {
      text: 'Show the whole pattern',
      kind: 'fit',
      act: () => {
        setWindow(undefined);
        go('fit');
      },
    };
    const strong = typed ? [...ticks.flat()].sort((p, r) => r.intensity - p.intensity).slice(0, MOST_REFLECTIONS) : [];
    return [
      whole,
      ...strong.map((t) => ({
        text: `${t.name} ${t.h} ${t.k} ${t.l}`,
        kind: `reflection at ${t.x.toFixed(2)}°`,
        act: () => {
          setWindow([t.x - 1.5, t.x + 1.5]);
          hover(t);
          go('fit');
        },
      })),
    ];
  }, [patterns, ticks, typed, setWindow, hover, go]);
}
