/** Contacts by definitions that can be read and changed, side by side, with what they make of the crystal. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { z } from 'zod';
import { definitionWords, SHIPPED, type Definition } from '@nagare/core/contacts/definition';
import { bifurcated, type Contact } from '@nagare/core/contacts/find-contacts';
import { symmetryCode } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { contactLayers, type DrawnContact } from '@nagare/core/draw/contact-layers';
import { definitionSchema, type FoundContacts } from '@nagare/core/tasks/contacts-task';
import { run } from '../../engine/engine.ts';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { saveFile } from '../../store/projects.ts';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import {
  changeWords,
  contactKey,
  contactName,
  contactsCsv,
  drawnContacts,
  endOf,
  hueOf,
  lengthOf,
  limited,
  motifWords,
  networkWords,
} from './contact-words.ts';
import { joined, moleculeAt } from './drawing.ts';

const CHANGED = 'contact definitions',
  SHOWN = 'contacts shown';
/** Rows and motifs of the lists. */
const MOST_ROWS = 60,
  MOST_MOTIFS = 14,
  /** Open ends followed at once. */
  MOST_FOLLOWED = 60;

/** The definitions that ship, as they were changed in this browser. */
function storedDefinitions(): Definition[] {
  const own = remembered<Definition[]>(CHANGED, z.array(definitionSchema), []);
  const byId = new Map(own.map((d) => [d.id, d]));
  return SHIPPED.map((d) => byId.get(d.id) ?? d);
}

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
  const { setContacts, project } = useProject('setContacts', 'project');
  const colours = useSceneColours();
  const [all, setAll] = useState(storedDefinitions);
  const [shown, setShown] = useState<readonly string[]>(() => remembered<string[]>(SHOWN, z.array(z.string()), []));
  const [edited, setEdited] = useState<string | undefined>();
  const active = useMemo(() => all.filter((d) => shown.includes(d.id)), [all, shown]);
  const { found, problem } = useContacts(s, active);
  const drawn = useMemo(() => (found ? drawnContacts(found, active, colours) : []), [found, active, colours]);
  useEffect(() => {
    setContacts('contacts', drawn);
    return () => setContacts('contacts', []);
  }, [drawn, setContacts]);
  const change = (d: Definition): void => {
    const next = all.map((x) => (x.id === d.id ? d : x));
    setAll(next);
    remember(CHANGED, next);
  };
  const flip = (id: string): void => {
    const next = shown.includes(id) ? shown.filter((x) => x !== id) : [...shown, id];
    setShown(next);
    remember(SHOWN, next);
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
              {on >= 0 && edited === d.id && <DefinitionFields d={d} s={s} found={found} onChange={change} />}
            </li>
          );
        })}
      </ul>
      {found && found.contacts.length > 0 && (
        <>
          <ContactTable s={s} list={found.contacts} />
          <p className="acts mb-1">
            <FollowButtons s={s} drawn={drawn} />
            <button className="word" onClick={() => void navigator.clipboard.writeText(contactsCsv(s, found.contacts))}>
              Copy
            </button>
            <button
              className="word"
              onClick={() => saveFile(contactsCsv(s, found.contacts), `${project.name}-contacts.csv`, 'text/csv')}
            >
              CSV
            </button>
          </p>
        </>
      )}
      {found && <Network s={s} found={found} definitions={active} />}
    </Sheet>
  );
}

/** The molecules that open ends lead to, a step at a time; and back. */
function FollowButtons({ s, drawn }: { s: Structure; drawn: readonly DrawnContact[] }): ReactNode {
  const { viewer, looks, setLooks } = useProject('viewer', 'looks', 'setLooks');
  const follow = (): void => {
    const { open } = contactLayers(s, drawn, viewer?.drawn() ?? []);
    const more = open.slice(0, MOST_FOLLOWED).flatMap((o) => moleculeAt(s, o.leadsTo));
    if (more.length) setLooks('molecules brought', { addedAtoms: joined(s, looks.addedAtoms, more) });
  };
  return (
    <>
      <button className="word" onClick={follow}>
        Follow every open end
      </button>
      {looks.addedAtoms.length > 0 && (
        <button className="word" onClick={() => setLooks('brought taken back', { addedAtoms: [] })}>
          Take back what was brought
        </button>
      )}
    </>
  );
}

interface DefinitionFieldsProps {
  readonly d: Definition;
  readonly s: Structure;
  readonly found: FoundContacts | undefined;
  onChange(d: Definition): void;
}

/** A definition in its sentence, its parts to be changed, and what the last change did. */
function DefinitionFields({ d, s, found, onChange }: DefinitionFieldsProps): ReactNode {
  const mine = useMemo(() => found?.contacts.filter((c) => c.definition === d.id) ?? [], [found, d.id]);
  const news = useChange(s, mine);
  const shipped = SHIPPED.find((x) => x.id === d.id);
  const limit = d.near ?? d.far;
  const words = (list: readonly string[]): string => list.join(', ');
  const who = (part: 'givers' | 'takers') => (text: string) => {
    const list = text
      .split(',')
      .map((x) => x.trim())
      .filter(Boolean);
    if (list.length) onChange({ ...d, [part]: list });
  };
  return (
    <div className="definition">
      <p className="soft fine mb-1">{definitionWords(d)}</p>
      <div className="triple">
        <WhoField label="Who gives" value={words(d.givers)} onChange={who('givers')} />
        <span className="soft">to</span>
        <WhoField label="Who takes" value={words(d.takers)} onChange={who('takers')} />
        {limit && (
          <NumberField
            id={`limit-${d.id}`}
            label={limit.by === 'length' ? 'Longest, Å' : 'Beyond the sum of radii, Å'}
            value={endOf(limit)}
            digits={2}
            step={0.05}
            min={-3}
            max={8}
            unit={limit.by === 'length' ? 'Å at most' : 'Å beyond the radii'}
            onChange={(x) => onChange({ ...d, [d.near ? 'near' : 'far']: limited(limit, x) })}
          />
        )}
        <NumberField
          id={`angle-${d.id}`}
          label="Least angle, °"
          value={d.leastAngle}
          digits={0}
          step={5}
          min={0}
          max={180}
          unit="° at least"
          onChange={(leastAngle) => onChange({ ...d, leastAngle })}
        />
        <select
          className="form-select form-select-sm"
          aria-label="Where"
          value={d.where}
          onChange={(e) => onChange({ ...d, where: e.target.value as Definition['where'] })}
        >
          <option value="anywhere">anywhere</option>
          <option value="between">between molecules</option>
          <option value="inside">inside a molecule</option>
        </select>
        {shipped && d !== shipped && (
          <button className="word" onClick={() => onChange(shipped)}>
            as it was
          </button>
        )}
      </div>
      {news && (
        <p className="fine mb-1" role="status">
          {news}
        </p>
      )}
    </div>
  );
}

function WhoField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange(text: string): void;
}): ReactNode {
  const [text, setText] = useState(value);
  return (
    <input
      className="form-control form-control-sm who"
      aria-label={label}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => onChange(text)}
      onKeyDown={(e) => {
        if (e.key === 'Enter') onChange(text);
      }}
    />
  );
}

/** What the last change of a list let in and put out. */
function useChange(s: Structure, now: readonly Contact[]): string {
  const before = useRef(now);
  const [news, setNews] = useState('');
  useEffect(() => {
    if (before.current === now) return;
    const text = changeWords(s, before.current, now);
    before.current = now;
    if (text) setNews(text);
  }, [s, now]);
  return news;
}

function ContactTable({ s, list }: { s: Structure; list: readonly Contact[] }): ReactNode {
  const { select } = useProject('select');
  const [chosen, setChosen] = useState('');
  const forked = useMemo(() => new Set(bifurcated(list).flat()), [list]);
  return (
    <table className="relate" aria-label="Contacts">
      <thead>
        <tr>
          <th>contact</th>
          <th className="n">H⋯A, Å</th>
          <th className="n">D⋯A, Å</th>
          <th className="n">angle, °</th>
          <th>at</th>
        </tr>
      </thead>
      <tbody>
        {list.slice(0, MOST_ROWS).map((c) => (
          <PickRow
            key={contactKey(c)}
            chosen={chosen === contactKey(c)}
            onPick={() => {
              setChosen(contactKey(c));
              select([c.giver, ...(c.hydrogen ? [c.hydrogen] : []), c.taker]);
            }}
          >
            <td className="name">
              {contactName(s, c)}
              {c.inside ? ', inside' : ''}
              {c.likely ? ', likely' : ''}
              {forked.has(c) ? ', bifurcated' : ''}
            </td>
            <td className="n">{lengthOf(c.ha, 2)}</td>
            <td className="n">{lengthOf(c.da, 3)}</td>
            <td className="n">{lengthOf(c.angle, 0)}</td>
            <td>{symmetryCode(c.taker)}</td>
          </PickRow>
        ))}
      </tbody>
    </table>
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
