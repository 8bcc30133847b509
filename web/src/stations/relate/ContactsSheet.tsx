/** Contacts by definitions that can be read and changed, side by side, with what they make of the crystal. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { z } from 'zod';
import { SHIPPED, type Definition } from '@nagare/core/contacts/definition';
import type { Structure } from '@nagare/core/crystal/structure';
import type { FoundContacts } from '@nagare/core/tasks/contacts-task';
import { drawnContacts, hueOf } from '@nagare/core/depict/contact-lines';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { saveFile } from '../../store/projects.ts';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import { ContactTable } from './ContactTable.tsx';
import { motifWords, networkWords } from './contact-words.ts';
import { DefinitionFields } from './DefinitionFields.tsx';
import { betweenCentroids } from './follow.ts';
import {
  definitionsFile,
  ownCopy,
  readDefinitions,
  storedDefinitions,
  storeDefinitions,
  taken,
} from './kept-definitions.ts';
import { NetworkTools, type DrawnAs } from './NetworkTools.tsx';

const SHOWN = 'contacts shown';
const MOST_MOTIFS = 14;

function useContacts(s: Structure, definitions: readonly Definition[]): { found?: FoundContacts; problem?: string } {
  const { head, result } = useProject('head', 'result');
  const covariance = result?.covariance;
  const query = useQuery({
    queryKey: ['contacts', head?.id, !!covariance, definitions],
    enabled: definitions.length > 0,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === head?.id ? old : undefined),
    queryFn: () => run('contacts', { structure: s, definitions, ...(covariance ? { covariance } : {}) }).result,
  });
  if (!definitions.length) return {};
  return { ...(query.data ? { found: query.data } : {}), ...(query.error ? { problem: query.error.message } : {}) };
}

export function ContactsSheet({ s }: { s: Structure }): ReactNode {
  const { setContacts } = useProject('setContacts');
  const colours = useSceneColours();
  const [all, setAll] = useState(storedDefinitions);
  const [shown, setShown] = useState<readonly string[]>(() => remembered<string[]>(SHOWN, z.array(z.string()), []));
  const [edited, setEdited] = useState<string | undefined>();
  const [drawnAs, setDrawnAs] = useState<DrawnAs>('atoms');
  const [openEnds, setOpenEnds] = useState(true);
  const active = useMemo(() => all.filter((d) => shown.includes(d.id)), [all, shown]);
  const { found, problem } = useContacts(s, active);
  const drawn = useMemo(() => {
    if (!found) return [];
    const lines = drawnContacts(found, active, colours);
    const style = { ...lines[0]!, radius: 0.09, dash: 0, colour: colours.indigo };
    const list = drawnAs === 'atoms' || !lines.length ? lines : betweenCentroids(s, found.contacts, style);
    return openEnds ? list : list.map((c) => ({ ...c, closedOnly: true }));
  }, [s, found, active, colours, drawnAs, openEnds]);
  useEffect(() => {
    setContacts('contacts', drawn);
    return () => setContacts('contacts', []);
  }, [drawn, setContacts]);
  const keep = (next: Definition[]): void => {
    setAll(next);
    storeDefinitions(next);
  };
  const show = (ids: readonly string[]): void => {
    setShown(ids);
    remember(SHOWN, ids);
  };
  const flip = (id: string): void => show(shown.includes(id) ? shown.filter((x) => x !== id) : [...shown, id]);
  const copy = (d: Definition): void => {
    const own = ownCopy(d, all);
    keep([...all, own]);
    show([...shown, own.id]);
    setEdited(own.id);
  };
  const count = (id: string): number | undefined => found?.contacts.filter((c) => c.definition === id).length;
  return (
    <Sheet
      title="Contacts"
      fold
      state={problem ?? (found ? networkWords(found) : 'Who gives and who takes, by a definition.')}
    >
      <ul className="definitions">
        {all.map((d) => {
          const on = active.indexOf(d);
          return (
            <li key={d.id}>
              <label className="word">
                <input type="checkbox" checked={on >= 0} onChange={() => flip(d.id)} />{' '}
                <span className={on < 0 ? '' : `ink-${hueOf(on)}`}>{d.name}</span>
                {on >= 0 && found ? ` (${count(d.id)})` : ''}
              </label>
              {on >= 0 && (
                <button
                  className="word"
                  aria-expanded={edited === d.id}
                  onClick={() => setEdited(edited === d.id ? undefined : d.id)}
                >
                  definition
                </button>
              )}
              {on >= 0 && edited === d.id && (
                <DefinitionFields
                  d={d}
                  s={s}
                  found={found}
                  onChange={(next) => keep(all.map((x) => (x.id === next.id ? next : x)))}
                  onCopy={() => copy(d)}
                  onRemove={() => {
                    keep(all.filter((x) => x.id !== d.id));
                    show(shown.filter((x) => x !== d.id));
                  }}
                />
              )}
            </li>
          );
        })}
      </ul>
      <DefinitionFiles all={all} onKeep={keep} onNew={() => copy(SHIPPED[0]!)} />
      {found && found.contacts.length > 0 && (
        <>
          <ContactTable s={s} list={found.contacts} />
          <NetworkTools
            s={s}
            contacts={found.contacts}
            drawn={drawn}
            drawnAs={drawnAs}
            onDrawnAs={setDrawnAs}
            openEnds={openEnds}
            onOpenEnds={setOpenEnds}
          />
        </>
      )}
      {found && <Network s={s} found={found} definitions={active} />}
    </Sheet>
  );
}

interface DefinitionFilesProps {
  readonly all: readonly Definition[];
  onKeep(all: Definition[]): void;
  onNew(): void;
}

/** A definition of one's own, and all of them to and from a file. */
function DefinitionFiles({ all, onKeep, onNew }: DefinitionFilesProps): ReactNode {
  const picker = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState('');
  const read = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const found = readDefinitions(await textOf(file), file.name);
    if (typeof found === 'string') return setProblem(found);
    setProblem('');
    onKeep(taken(all, found));
  };
  return (
    <>
      <p className="acts mb-1">
        <button className="word" onClick={onNew}>
          One of my own
        </button>
        <button
          className="word"
          onClick={() => saveFile(definitionsFile(all), 'contact-definitions.json', 'application/json')}
        >
          Save definitions
        </button>
        <button className="word" onClick={() => picker.current?.click()}>
          Take in definitions
        </button>
        <input
          ref={picker}
          type="file"
          hidden
          aria-label="File of definitions"
          accept=".json,application/json"
          onChange={(e) => {
            void read(e.target.files?.[0]);
            e.target.value = '';
          }}
        />
      </p>
      {problem && (
        <p className="fine mb-1" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}

interface NetworkProps {
  readonly s: Structure;
  readonly found: FoundContacts;
  readonly definitions: readonly Definition[];
}

/** Motifs with their graph sets, and who is left over. */
function Network({ s, found, definitions }: NetworkProps): ReactNode {
  const left = definitions.filter((d) => d.kind === 'hydrogen');
  return (
    <>
      {found.motifs.slice(0, MOST_MOTIFS).map((m, i) => (
        <p key={i} className="fine mb-0">
          {motifWords(s, found, m)}
        </p>
      ))}
      {found.motifs.length > MOST_MOTIFS && (
        <p className="soft fine mb-0">{found.motifs.length - MOST_MOTIFS} further motifs of two contacts.</p>
      )}
      {left.map((d) => {
        const unused = found.unused[d.id];
        if (!unused) return null;
        return (
          <p key={d.id} className="soft fine mb-0 mt-1">
            {d.name}: {unused.givers.length ? `${unused.givers.join(', ')} give nothing` : 'every donor gives'};{' '}
            {unused.takers.length ? `${unused.takers.join(', ')} take nothing` : 'every acceptor takes'}.
          </p>
        );
      })}
    </>
  );
}
