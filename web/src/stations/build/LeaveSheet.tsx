/** Leaving with certainty: what a file holds is counted, written, read back and compared before it is offered. */
import { useQuery } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { z } from 'zod';
import { planesAlongC } from '@nagare/core/build/held';
import {
  FILE_ENDINGS,
  FILE_KINDS,
  VACUUM,
  type BoundaryContact,
  type Certainty,
  type FileKind,
} from '@nagare/core/build/leave';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Leaving } from '@nagare/core/tasks/leave-task';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { remember, remembered } from '../../store/remembered.ts';
import { run } from '../../engine/engine.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';

const KIND_WORDS: Readonly<Record<FileKind, string>> = {
  cif: 'CIF with its symmetry',
  'p1 cif': 'CIF, every atom written (P 1)',
  'extended xyz': 'extended XYZ with its lattice',
  xyz: 'XYZ, atoms alone',
  csv: 'table (CSV)',
};

function useLeaving(
  s: Structure | undefined,
  markId: string | undefined,
  kind: FileKind,
  name: string,
  fixed: readonly string[],
): { leaving: Leaving | undefined; error: string | undefined } {
  const query = useQuery({
    queryKey: ['leave', markId, kind, name, fixed],
    enabled: !!s?.sites.length,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () =>
      run('leave', { structure: s!, kind, name, fixed, date: new Date().toISOString().slice(0, 10) }).result,
  });
  return { leaving: query.data, error: query.error?.message };
}

/** Sites that are held still, remembered with their mark. */
function useHeld(markId: string | undefined): { held: readonly string[]; setHeld(ids: readonly string[]): void } {
  const key = `held:${markId ?? ''}`;
  const [kept, setKept] = useState<{ key: string; ids: readonly string[] } | undefined>();
  const held = kept?.key === key ? kept.ids : remembered(key, z.array(z.string()), []);
  return {
    held,
    setHeld: (ids) => {
      remember(key, ids);
      setKept({ key, ids });
    },
  };
}

/** Every atom is a site of its own. */
const isPlain = (s: Structure): boolean => s.spaceGroup.representatives.length * s.spaceGroup.centring.length === 1;

interface LowestPlanesProps {
  readonly s: Structure;
  readonly held: readonly string[];
  onHold(ids: readonly string[]): void;
}

/** Holds the lowest planes of a slab. */
function LowestPlanes({ s, held, onHold }: LowestPlanesProps): ReactNode {
  const planes = useMemo(() => planesAlongC(s), [s]);
  const now = planes.findIndex((ids) => ids.some((id) => !held.includes(id)));
  return (
    <NumberField
      id="held-planes"
      label="Lowest planes of atoms that are held still"
      value={now < 0 ? planes.length : now}
      digits={0}
      step={1}
      min={0}
      max={planes.length}
      unit={`of ${planes.length} planes held from below`}
      onChange={(n) => onHold(planes.slice(0, Math.round(n)).flat())}
    />
  );
}

export function LeaveSheet(): ReactNode {
  const { head, project, selection } = useProject('head', 'project', 'selection');
  const { held, setHeld } = useHeld(head?.id);
  const [kind, setKind] = useState<FileKind>('cif');
  const { leaving, error } = useLeaving(head?.structure, head?.id, kind, project.name, held);
  const file = `${project.name.replace(/[^\w-]+/g, '-').toLowerCase()}.${FILE_ENDINGS[kind]}`;
  return (
    <Sheet title="Leave with a file" fold state={error ?? leaving?.proof.words ?? 'Counting…'}>
      <div className="triple">
        <select
          className="form-select form-select-sm"
          aria-label="Format of the file"
          value={kind}
          onChange={(e) => setKind(e.target.value as FileKind)}
        >
          {FILE_KINDS.map((k) => (
            <option key={k} value={k}>
              {KIND_WORDS[k]}
            </option>
          ))}
        </select>
        <Button
          size="sm"
          disabled={!leaving?.proof.same}
          onClick={() => leaving && saveFile(leaving.text, file, 'text/plain')}
        >
          Save
        </Button>
        <button
          className="word"
          disabled={!leaving?.proof.same}
          onClick={() => leaving && void navigator.clipboard.writeText(leaving.text)}
        >
          Copy
        </button>
      </div>
      <p className="mb-1">
        <button
          className="word"
          disabled={!selection.length}
          onClick={() => setHeld([...new Set(selection.map((a) => a.site))])}
        >
          Hold the selected atoms still
        </button>
        {head?.structure && isPlain(head.structure) && <LowestPlanes s={head.structure} held={held} onHold={setHeld} />}
        {held.length > 0 && (
          <>
            {' '}
            {leaving?.sheet.fixed ?? held.length} held{' '}
            <button className="word off" onClick={() => setHeld([])}>
              Let them go
            </button>
          </>
        )}
      </p>
      {leaving && <CertaintyTable sheet={leaving.sheet} />}
    </Sheet>
  );
}

function CertaintyTable({ sheet }: { sheet: Certainty }): ReactNode {
  const rows: [string, ReactNode][] = [
    ['formula', `${sheet.formula}, Z = ${sheet.z}`],
    [
      'atoms in the file',
      `${sheet.total}: ${Object.entries(sheet.atoms)
        .map(([e, n]) => `${Number(n.toFixed(3))} ${e}`)
        .join(', ')}`,
    ],
    ['symmetry', sheet.symmetry],
    ...sheet.boundaries.map((b): [string, ReactNode] => [`across ${b.axis}`, boundaryWords(b)]),
  ];
  return (
    <dl className="figures">
      {rows.map(([name, value]) => (
        <div key={name}>
          <dt>{name}</dt>
          <dd className="mono">{value}</dd>
        </div>
      ))}
      {sheet.vectors.map((v, k) => (
        <div key={k}>
          <dt>vector {'abc'[k]}, Å</dt>
          <dd className="mono">{v.map((x) => x.toFixed(4)).join('  ')}</dd>
        </div>
      ))}
    </dl>
  );
}

function boundaryWords(b: BoundaryContact): string {
  const contact = Number.isFinite(b.distance)
    ? `${b.distance.toFixed(3)} Å (${b.pair.join('–')})`
    : 'nothing within 12 Å';
  return b.empty > VACUUM ? `${b.empty.toFixed(2)} Å of vacuum; ${contact}` : contact;
}
