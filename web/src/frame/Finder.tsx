/** Plain words to reach any station, action, atom or selection. */
import './finder.scss';
import { atomsOfSites } from '../store/selection.ts';
import { useProject } from '../store/use-project.tsx';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { Modal } from 'react-bootstrap';
import { useLocation, useNavigate } from 'react-router';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import { ELEMENT_NAMES, selectByWords } from '@nagare/core/model/selection';

import { SEVERITY_WORDS } from '@nagare/core/vet/registry';
import { useVet } from '../stations/vet/use-vet.ts';
import { askedMeasure } from '../stations/relate/pins.ts';
import { useDrop } from './DropEverywhere.tsx';
import { TEMPLATES } from '@nagare/core/depict/templates';
import { useFigureActs } from '../stations/depict/use-new-figure.ts';
import { useFit } from '../stations/fit/use-fit.tsx';
import { STATIONS } from './stations.ts';
import { saveFile } from '../store/projects.ts';
import { exportProject } from '../store/project-file.ts';

interface Entry {
  text: string;
  kind: string;
  act(): void;
}

/** Entries made of the very words. */
const UNDERSTOOD: ReadonlySet<string> = new Set(['selection', 'measure, to be pinned']);
/** Stations that show the crystal: a selection is seen where one is. */
const WITH_CRYSTAL = /\/(refine|relate|symmetry|vet|solve)$/;

/** Sheets of Relate that are asked for by name. */
const RELATE_SHEETS = [
  'Contacts',
  'Wishes',
  'The molecule’s surface',
  'Energies between molecules',
  'Empty space',
  'Shape of the crystal',
  'Beside another crystal',
  'What to expect of a measurement',
] as const;
/** Sheets of Depict that are asked for by name, while there is a figure. */
const DEPICT_SHEETS = ['Rules', 'Hidden', 'Channels and rings', 'Labels', 'Written over it', 'Save it'] as const;
/** ms between looks for a sheet, and the most of them. */
const LOOKS = { every: 100, most: 30 };

/** Does something with a part of the page as soon as its station is drawn. */
function whenThere(selector: string, act: (part: Element) => void, left: number = LOOKS.most): void {
  const part = document.querySelector(selector);
  if (part) act(part);
  else if (left) setTimeout(() => whenThere(selector, act, left - 1), LOOKS.every);
}

export function Finder({ show, onHide }: { show: boolean; onHide(): void }): ReactNode {
  const { project, head, select, setView, undo, redo, setPane, looks, setLooks, hasData } = useProject(
    'project',
    'head',
    'select',
    'setView',
    'undo',
    'redo',
    'setPane',
    'looks',
    'setLooks',
    'hasData',
  );
  const { begin, open } = useFigureActs();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const { pick } = useDrop();
  const { report: vetted } = useVet();
  const [words, setWords] = useState('');
  const [at, setAt] = useState(0);
  useEffect(() => {
    if (show) {
      setWords('');
      setAt(0);
    }
  }, [show]);
  const { patterns, ticks, setWindow, hover } = useFit('patterns', 'ticks', 'setWindow', 'hover');
  const entries = useMemo<Entry[]>(() => {
    const out: Entry[] = STATIONS.map((s) => ({
      text: s.name,
      kind: 'station',
      act: () => void navigate(`/projects/${project.id}/${s.id}`),
    }));
    out.push(
      { text: 'Draw ellipsoids', kind: 'scene', act: () => setView({ look: 'ellipsoids' }) },
      { text: 'Draw balls and sticks', kind: 'scene', act: () => setView({ look: 'balls' }) },
      {
        text: 'Show the tables of bond lengths and angles',
        kind: 'relate',
        act: () => {
          setPane('lengths');
          void navigate(`/projects/${project.id}/relate`);
        },
      },
      {
        text: 'Everything known about it',
        kind: 'relate',
        act: () => {
          setPane('known');
          void navigate(`/projects/${project.id}/relate`);
        },
      },
      ...(head?.structure ? RELATE_SHEETS : []).map((name) => ({
        text: name,
        kind: 'relate',
        act: () => {
          void navigate(`/projects/${project.id}/relate`);
          whenThere(`section[aria-label="${name}"]`, (sheet) => sheet.scrollIntoView());
        },
      })),
      ...(looks.figures.length ? DEPICT_SHEETS : []).map((name) => ({
        text: `${name}: of the figure`,
        kind: 'depict',
        act: () => {
          void navigate(`/projects/${project.id}/depict`);
          whenThere(`section[aria-label="${name}"]`, (sheet) => sheet.scrollIntoView());
        },
      })),
      ...(head?.structure ? TEMPLATES : []).map((t) => ({
        text: `New figure: ${t.name}`,
        kind: 'depict',
        act: () => {
          void navigate(`/projects/${project.id}/depict`);
          void begin(t.id);
        },
      })),
      ...looks.figures.map((f) => ({
        text: `Figure: ${f.name}`,
        kind: 'depict',
        act: () => {
          void navigate(`/projects/${project.id}/depict`);
          open(f.id);
        },
      })),
      { text: 'Show the asymmetric unit', kind: 'scene', act: () => setView({ extent: 'unique' }) },
      { text: 'Show whole molecules', kind: 'scene', act: () => setView({ extent: 'molecules' }) },
      { text: 'Show the cell closed at its faces', kind: 'scene', act: () => setView({ extent: 'closed cell' }) },
      { text: "Show the cell's contents", kind: 'scene', act: () => setView({ extent: 'packed cell' }) },
      { text: 'Undo: back along the course', kind: 'course', act: () => void undo() },
      { text: 'Redo: forward along the course', kind: 'course', act: () => void redo() },
      { text: 'Import a file', kind: 'project', act: pick },
      {
        text: 'Export this project',
        kind: 'project',
        act: () => void exportProject(project.id).then((b) => saveFile(b, `${project.name}.nagare`, 'application/zip')),
      },
      {
        text: 'Show the data plots',
        kind: 'refine',
        act: () => {
          setPane('data');
          void navigate(`/projects/${project.id}/refine`);
        },
      },
      {
        text: 'Show a section of the map',
        kind: 'refine',
        act: () => {
          setPane('section');
          void navigate(`/projects/${project.id}/refine`);
        },
      },
      { text: 'Show the crystal', kind: 'refine', act: () => setPane('crystal') },
      ...(vetted?.findings ?? []).map((f) => ({
        text: f.title,
        kind: `finding, ${SEVERITY_WORDS[f.severity]}`,
        act: () => {
          if (f.sites.length && head?.structure) select(atomsOfSites(head.structure, f.sites));
          void navigate(`/projects/${project.id}/vet`);
        },
      })),
      {
        text: 'Show the page of the space group',
        kind: 'symmetry',
        act: () => {
          setPane('page');
          void navigate(`/projects/${project.id}/symmetry`);
        },
      },
      {
        text: 'Show the tables',
        kind: 'publish',
        act: () => {
          setPane('tables');
          void navigate(`/projects/${project.id}/publish`);
        },
      },
      {
        text: 'Show the CIF as text',
        kind: 'publish',
        act: () => {
          setPane('cif');
          void navigate(`/projects/${project.id}/publish`);
        },
      },
      { text: 'All projects', kind: 'project', act: () => void navigate('/') },
    );
    if (patterns.length) {
      const toFit = (): void => void navigate(`/projects/${project.id}/fit`);
      out.push(
        {
          text: 'Show the whole pattern',
          kind: 'fit',
          act: () => {
            setWindow(undefined);
            toFit();
          },
        },
        { text: 'Run a recipe against the pattern', kind: 'fit', act: toFit },
        { text: 'Find peaks and identify phases', kind: 'fit', act: toFit },
        {
          text: 'Describe or calibrate the instrument',
          kind: 'intake',
          act: () => void navigate(`/projects/${project.id}/intake`),
        },
      );
      // Reflections by name, the strong ones first.
      if (words.trim())
        for (const t of ticks
          .flat()
          .sort((p, r) => r.intensity - p.intensity)
          .slice(0, 400))
          out.push({
            text: `${t.name} ${t.h} ${t.k} ${t.l}`,
            kind: `reflection at ${t.x.toFixed(2)}°`,
            act: () => {
              setWindow([t.x - 1.5, t.x + 1.5]);
              hover(t);
              toFit();
            },
          });
    }
    const s = head?.fit ? undefined : head?.structure;
    if (s) {
      const choose =
        (test: (i: number) => boolean): (() => void) =>
        () => {
          select(s.sites.flatMap((x, i) => (test(i) ? [originalRef(x.id)] : [])));
          if (!WITH_CRYSTAL.test(pathname)) void navigate(`/projects/${project.id}/${hasData ? 'refine' : 'relate'}`);
        };
      const said = selectByWords(s, words);
      if (said && said.sites.length) {
        const set = new Set(said.sites);
        out.unshift({
          text: `Select ${said.said} (${said.sites.length})`,
          kind: 'selection',
          act: choose((i) => set.has(i)),
        });
      }
      const asked = askedMeasure(s, looks.bonding, words);
      if (asked)
        out.unshift({
          text: asked.text,
          kind: 'measure, to be pinned',
          act: () => {
            setLooks('pin', { pins: [...looks.pins, asked.pin] });
            void navigate(`/projects/${project.id}/relate`);
          },
        });
      for (const e of new Set(s.sites.map((x) => x.element)))
        out.push({
          text: `Select all ${Object.keys(ELEMENT_NAMES).find((n) => ELEMENT_NAMES[n] === e) ?? e}`,
          kind: e,
          act: choose((i) => s.sites[i]!.element === e),
        });
      s.sites.forEach((x, i) => out.push({ text: x.label, kind: `site, ${x.element}`, act: choose((j) => j === i) }));
    }
    return out;
  }, [
    begin,
    open,
    words,
    head,
    navigate,
    pick,
    project,
    looks,
    setLooks,
    hasData,
    pathname,
    redo,
    select,
    setView,
    undo,
    vetted,
    patterns,
    ticks,
    setWindow,
    hover,
    setPane,
  ]);
  const q = words.trim().toLowerCase();
  const found = entries
    .filter((e) => UNDERSTOOD.has(e.kind) || !q || q.split(/\s+/).every((w) => e.text.toLowerCase().includes(w)))
    .slice(0, 12);
  const go = (e: Entry | undefined): void => {
    if (e) {
      onHide();
      e.act();
    }
  };
  return (
    <Modal show={show} onHide={onHide} animation={false} className="finder" aria-label="Finder">
      <Modal.Body>
        <input
          className="form-control"
          autoFocus
          aria-label="Find"
          placeholder="A station, an action, an atom; “all oxygen”, “bonded to N1”, “distance C1 O2”"
          value={words}
          onChange={(e) => {
            setWords(e.target.value);
            setAt(0);
          }}
          onKeyDown={(e) => {
            if (e.key === 'ArrowDown') {
              e.preventDefault();
              setAt(Math.min(found.length - 1, at + 1));
            } else if (e.key === 'ArrowUp') {
              e.preventDefault();
              setAt(Math.max(0, at - 1));
            } else if (e.key === 'Enter') go(found[at]);
          }}
        />
        <ul role="listbox">
          {found.map((e, i) => (
            // The field keeps the focus and has the keys.
            // eslint-disable-next-line jsx-a11y/click-events-have-key-events
            <li
              key={e.kind + e.text}
              role="option"
              aria-selected={i === at}
              onMouseEnter={() => setAt(i)}
              onClick={() => go(e)}
            >
              <span>{e.text}</span>
              <small>{e.kind}</small>
            </li>
          ))}
          {!found.length && (
            <li className="soft">Nothing by that name. Try a station, a label such as C7, or “all carbon”.</li>
          )}
        </ul>
      </Modal.Body>
    </Modal>
  );
}
