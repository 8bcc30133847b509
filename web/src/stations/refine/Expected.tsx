/** The expected molecule, by line notation, molfile or sketch, laid over what was found: the two side by side with what disagrees. */
import { atomsOfSites } from '../../store/selection.ts';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button, Modal } from 'react-bootstrap';
import { relabel } from '@nagare/core/settle/elements';
import type { Match, MoleculeGraph } from '@nagare/core/model/expected';
import { withSites } from '@nagare/core/model/place-hydrogens';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { Sheet } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { promotePeaks } from './edits.ts';

/** Reads line notation or a molfile with a common package, and lays it out flat. */
async function readMolecule(text: string): Promise<MoleculeGraph> {
  const { Molecule } = await import('openchemlib');
  const molfile = /\n.*V[23]000/.test(text);
  const m = molfile ? Molecule.fromMolfile(text) : Molecule.fromSmiles(text.trim());
  m.inventCoordinates();
  const heavy = Array.from({ length: m.getAllAtoms() }, (_, i) => i).filter((i) => m.getAtomicNo(i) > 1);
  if (!heavy.length)
    throw new Error('No atoms were read. Give line notation such as Cc1ccccc1O, or the text of a molfile.');
  const index = new Map(heavy.map((i, k) => [i, k]));
  const bonds: [number, number][] = [];
  for (let b = 0; b < m.getAllBonds(); b++) {
    const p = index.get(m.getBondAtom(0, b)),
      q = index.get(m.getBondAtom(1, b));
    if (p !== undefined && q !== undefined) bonds.push([p, q]);
  }
  return {
    atoms: heavy.map((i) => ({
      element: m.getAtomLabel(i),
      hydrogens: m.getAllHydrogens(i),
      x: m.getAtomX(i),
      y: m.getAtomY(i),
    })),
    bonds,
  };
}

export function ExpectedSheet(): ReactNode {
  const { project, head, result, setProblem, select, setPeaks, work } = useProject(
    'project',
    'head',
    'result',
    'setProblem',
    'select',
    'setPeaks',
    'work',
  );
  const edit = useEdit();
  const s = head!.structure!;
  const text = project.experiment.kept['nagare_expected_molecule'] ?? '';
  const [typed, setTyped] = useState(text);
  const [molecule, setMolecule] = useState<MoleculeGraph | undefined>();
  const [matches, setMatches] = useState<{ markId: string; list: Match[] } | undefined>();
  const [sketching, setSketching] = useState(false);
  useEffect(() => setTyped(text), [text]);
  useEffect(() => {
    if (!text) {
      setMolecule(undefined);
      return;
    }
    readMolecule(text).then(setMolecule, (e: Error) =>
      setProblem(`The expected molecule could not be read: ${e.message.split('\n')[0]}`),
    );
  }, [text, setProblem]);
  const markId = head!.id;
  const map = result?.markId === markId ? result.map : undefined;
  const peaks = useMemo(() => map?.peaks ?? [], [map]);
  useEffect(() => {
    if (!molecule) return;
    let wanted = true;
    const copies = Math.max(
      1,
      Math.min(8, Math.round(s.sites.filter((x) => x.element !== 'H').length / molecule.atoms.length)),
    );
    run('match', { structure: s, peaks, molecule, copies }).result.then(
      (list) => {
        if (wanted) setMatches({ markId, list });
      },
      () => undefined,
    );
    return () => {
      wanted = false;
    };
  }, [molecule, s, peaks, markId]);
  const refused = useRef('\0');
  const keep = async (value: string): Promise<void> => {
    // Enter and leaving the field both come here; one complaint is enough.
    if (value === refused.current) return;
    // What cannot be read does not take the place of what could.
    try {
      if (value) await readMolecule(value);
    } catch (e) {
      refused.current = value;
      setProblem(`The expected molecule could not be read: ${(e as Error).message.split('\n')[0]}`);
      return;
    }
    refused.current = '\0';
    await updateProject(project.id, {
      experiment: { ...project.experiment, kept: { ...project.experiment.kept, nagare_expected_molecule: value } },
    });
  };
  const now = matches?.markId === head!.id ? matches.list : undefined;
  const first = now?.[0];
  const retype = now?.flatMap((m) => m.retype) ?? [],
    extra = now?.flatMap((m) => m.extra) ?? [],
    missing = now?.flatMap((m) => m.missing) ?? [],
    twice = now?.flatMap((m) => m.disordered) ?? [];
  const state = !molecule
    ? 'Give the molecule you expect; it is laid over what was found and the differences are offered.'
    : !now
      ? 'Matching…'
      : !first
        ? 'No part of it was found in this model.'
        : `${now.length > 1 ? `${now.length} copies; ` : ''}${now.reduce((n, m) => n + m.atoms.filter((a) => a?.kind === 'site').length, 0)} of ${now.length * molecule.atoms.length} atoms found${retype.length + extra.length + missing.length ? `; ${[retype.length && `${retype.length} of another element`, missing.length && `${missing.length} missing`, extra.length && `${extra.length} too many`].filter(Boolean).join(', ')}` : ', all as expected'}.`;
  return (
    <Sheet title="Expected molecule" fold shut={!text} state={state}>
      <div className="d-flex gap-1 mb-2">
        <input
          className="form-control form-control-sm mono"
          aria-label="Expected molecule in line notation"
          placeholder="line notation or a molfile"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onPaste={(e) => {
            const t = e.clipboardData.getData('text/plain');
            if (/V[23]000/.test(t)) {
              e.preventDefault();
              void keep(t);
            }
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') void keep(typed.trim());
            if (e.key === 'Escape') setTyped(text);
          }}
          onBlur={() => {
            if (typed.trim() !== text.trim()) void keep(typed.trim());
          }}
        />
        <button className="word" onClick={() => setSketching(true)}>
          Sketch
        </button>
        <label className="word pointer">
          File
          <input
            type="file"
            hidden
            accept=".mol,.sdf,.smi,.txt"
            onChange={(e) => {
              const f = e.target.files?.[0];
              if (f) void textOf(f).then(keep);
              e.target.value = '';
            }}
          />
        </label>
      </div>
      {molecule && first && (
        <Picture
          molecule={molecule}
          match={first}
          labels={s.sites.map((x) => x.label)}
          onPick={(a) => {
            const at = first.atoms[a];
            if (at?.kind === 'site') select(atomsOfSites(s, [at.site]));
            else if (at?.kind === 'peak') setPeaks([at.peak]);
          }}
        />
      )}
      {retype.length > 0 && (
        <p className="mb-1">
          <button
            className="word"
            disabled={!!work}
            onClick={() => {
              const sites = s.sites.map((x, i) => {
                const r = retype.find((q) => q.site === i);
                return r ? { ...x, element: r.to } : x;
              });
              void edit(
                relabel(
                  { ...s, sites },
                  retype.map((r) => r.site),
                ),
                `${retype.length} elements as in the expected molecule`,
              );
            }}
          >
            Retype{' '}
            {retype
              .map((r) => `${s.sites[r.site]!.label} → ${r.to}`)
              .slice(0, 6)
              .join(', ')}
          </button>
        </p>
      )}
      {missing.map((m, i) => (
        <p key={i} className="mb-1">
          {m.element}
          {m.beside !== undefined ? ` beside ${s.sites[m.beside]!.label}` : ''} is missing
          {m.nearPeak ? (
            <>
              , near{' '}
              <button className="word" onClick={() => setPeaks([m.nearPeak!])}>
                {m.nearPeak}
              </button>
              <button
                className="word"
                disabled={!!work}
                onClick={() => {
                  const c = promotePeaks(
                    s,
                    peaks.filter((p) => p.name === m.nearPeak),
                    m.element,
                  );
                  if (typeof c !== 'string') void edit(c.structure, c.title);
                }}
              >
                make it {m.element}
              </button>
            </>
          ) : (
            ' and no maximum is near'
          )}
          .
        </p>
      ))}
      {twice.length > 0 && (
        <p className="mb-1">
          {twice.map((d) => `${s.sites[d.site]!.label} beside ${s.sites[d.beside]!.label}`).join(', ')} may be
          disordered:{' '}
          <button
            className="word"
            onClick={() =>
              select(
                atomsOfSites(
                  s,
                  twice.map((d) => d.beside),
                ),
              )
            }
          >
            select
          </button>
        </p>
      )}
      {extra.length > 0 && (
        <p className="mb-1">
          <button className="word" onClick={() => select(atomsOfSites(s, extra))}>
            {extra
              .slice(0, 6)
              .map((i) => s.sites[i]!.label)
              .join(', ')}
          </button>{' '}
          {extra.length === 1 ? 'is' : 'are'} not in it.{' '}
          <button
            className="word off"
            disabled={!!work}
            onClick={() =>
              void edit(
                withSites(
                  s,
                  s.sites.filter((_, i) => !extra.includes(i)),
                ),
                `${extra.length} atoms the expected molecule lacks dropped`,
              )
            }
          >
            Drop {extra.length === 1 ? 'it' : 'them'}
          </button>
        </p>
      )}
      {sketching && (
        <Sketch
          start={text}
          onDone={(molfile) => {
            setSketching(false);
            if (molfile) void keep(molfile);
          }}
        />
      )}
    </Sheet>
  );
}

/** The expected molecule drawn flat, its atoms named by what was found; what disagrees is marked by shape. */
function Picture({
  molecule,
  match,
  labels,
  onPick,
}: {
  molecule: MoleculeGraph;
  match: Match;
  labels: readonly string[];
  onPick(atom: number): void;
}): ReactNode {
  const box = useMemo(() => {
    const x = molecule.atoms.map((a) => a.x ?? 0),
      y = molecule.atoms.map((a) => a.y ?? 0);
    const k = Math.min(360 / (Math.max(...x) - Math.min(...x) + 2), 34);
    return {
      k,
      x0: Math.min(...x) - 1,
      y0: Math.min(...y) - 1,
      w: (Math.max(...x) - Math.min(...x) + 2) * k,
      h: (Math.max(...y) - Math.min(...y) + 2) * k,
    };
  }, [molecule]);
  const at = (i: number): [number, number] => [
    ((molecule.atoms[i]!.x ?? 0) - box.x0) * box.k,
    ((molecule.atoms[i]!.y ?? 0) - box.y0) * box.k,
  ];
  const wrong = new Set(match.retype.map((r) => r.atom));
  return (
    <svg
      viewBox={`0 0 ${box.w} ${box.h}`}
      width="100%"
      className="sketch"
      role="img"
      aria-label="Expected molecule with the labels of the atoms found"
    >
      {molecule.bonds.map(([a, b], i) => {
        const p = at(a),
          q = at(b);
        const found = match.atoms[a]?.kind === 'site' && match.atoms[b]?.kind === 'site';
        return (
          <line
            key={i}
            x1={p[0]}
            y1={p[1]}
            x2={q[0]}
            y2={q[1]}
            stroke="var(--soft)"
            strokeWidth={found ? 2 : 1}
            strokeDasharray={found ? undefined : '3 3'}
          />
        );
      })}
      {molecule.atoms.map((a, i) => {
        const p = at(i),
          m = match.atoms[i];
        return (
          <g
            key={i}
            tabIndex={0}
            role="button"
            className="pointer"
            onClick={() => onPick(i)}
            onKeyDown={(e) => {
              if (e.key === 'Enter') onPick(i);
            }}
          >
            {m?.kind === 'site' && !wrong.has(i) ? (
              <circle cx={p[0]} cy={p[1]} r="10" fill="var(--sheet)" stroke="var(--water)" />
            ) : m?.kind === 'site' ? (
              <rect
                x={p[0] - 10}
                y={p[1] - 10}
                width="20"
                height="20"
                transform={`rotate(45 ${p[0]} ${p[1]})`}
                fill="var(--sheet)"
                stroke="var(--vermilion)"
                strokeWidth="1.5"
              />
            ) : (
              <circle cx={p[0]} cy={p[1]} r="10" fill="var(--sheet)" stroke="var(--vermilion)" strokeDasharray="2 2" />
            )}
            <text x={p[0]} y={p[1] + 3.5} textAnchor="middle" fontSize="9.5" fill="var(--ink)">
              {m?.kind === 'site' ? labels[m.site] : m?.kind === 'peak' ? m.peak : a.element}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

/** A sketch by the general package's editor. */
function Sketch({ start, onDone }: { start: string; onDone(molfile: string | undefined): void }): ReactNode {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<{ getMolecule(): { toMolfile(): string }; destroy(): void } | undefined>(undefined);
  useEffect(() => {
    let gone = false;
    void import('openchemlib').then(({ CanvasEditor, Molecule }) => {
      if (gone || !host.current) return;
      const e = new CanvasEditor(host.current);
      try {
        if (start) {
          const m = /V[23]000/.test(start) ? Molecule.fromMolfile(start) : Molecule.fromSmiles(start);
          m.inventCoordinates();
          e.setMolecule(m);
        }
      } catch {
        /* an unreadable start leaves the sheet of paper empty */
      }
      editor.current = e;
    });
    return () => {
      gone = true;
      editor.current?.destroy();
      editor.current = undefined;
    };
  }, [start]);
  return (
    <Modal show size="lg" centered animation={false} onHide={() => onDone(undefined)} aria-labelledby="sketch-title">
      <Modal.Header closeButton>
        <Modal.Title as="h2" id="sketch-title" className="fs-6">
          Sketch the expected molecule
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <div ref={host} className="sketch-pad" />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={() => onDone(undefined)}>
          Leave it
        </Button>
        <Button onClick={() => onDone(editor.current?.getMolecule().toMolfile())}>Use it</Button>
      </Modal.Footer>
    </Modal>
  );
}
