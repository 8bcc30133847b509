/** What a molecule would like around itself, whether the crystal grants it, and how other crystals do. */
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { z } from 'zod';
import { PROBE_TRAITS, PROBES, type Probe } from '@nagare/core/contacts/probes';
import { levelAt, type Wishes } from '@nagare/core/contacts/wishes';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { remember, remembered } from '../../store/remembered.ts';
import { useProject } from '../../store/use-project.tsx';
import { contactName } from './contact-words.ts';
import { moleculeAt } from './drawing.ts';
import { TableActions } from './TableActions.tsx';
import { WishesBeside } from './WishesBeside.tsx';
import { inOrder, useWishes, useWishSurfaces } from './use-wishes.ts';
import {
  byWords,
  grantCounts,
  grantWord,
  hueOfProbe,
  judgedTable,
  OFFERED,
  servedWords,
  spotName,
  surpriseWords,
  times,
  wishLayers,
  wishTable,
} from './wish-words.ts';

const CHOSEN = 'probes';
const USUAL: readonly Probe[] = ['donor', 'acceptor'];
const MOST_ROWS = 60;
const NONE = [] as const;

/** Which molecule and which of its atoms are meant: kept while the selection wanders off to what stands around it. */
interface Meant {
  readonly molecule: AtomRef | undefined;
  readonly part: readonly AtomRef[];
}
const LARGEST: Meant = { molecule: undefined, part: [] };

export function WishesSheet({ s }: { s: Structure }): ReactNode {
  const { setExtra, selection } = useProject('setExtra', 'selection');
  const [asked, setAsked] = useState(false);
  const [probes, setProbes] = useState(() => remembered<readonly Probe[]>(CHOSEN, z.array(z.enum(PROBES)), USUAL));
  const [share, setShare] = useState(0.3);
  const [meant, setMeant] = useState(LARGEST);
  const { answer, refining, problem } = useWishes(asked ? s : undefined, { probes, ...meant });
  const wishes = answer?.wishes;
  const levelOf = (p: Probe): number => levelAt(wishes, p, share);
  const surfaces = useWishSurfaces(answer, levelOf);
  useWishDrawing(wishes, surfaces);
  useEffect(() => () => setExtra('wishes', NONE), [setExtra]);
  const flip = (p: Probe): void => {
    const next = inOrder(probes.includes(p) ? probes.filter((x) => x !== p) : [...probes, p]);
    setProbes(next);
    remember(CHOSEN, next);
  };
  const state = !asked
    ? 'Where a donor, an acceptor, a ring or a halogen would like to sit.'
    : (problem ?? (wishes ? servedWords(wishes) : probes.length ? 'Working it out…' : 'Choose a probe.'));
  return (
    <Sheet
      title="Wishes"
      fold={asked}
      state={`${state}${refining && wishes ? ' Refining…' : ''}`}
      action={
        <button className="word" aria-pressed={asked} onClick={() => setAsked(!asked)}>
          {asked ? 'Take them away' : 'Ask the molecule'}
        </button>
      }
    >
      {asked && (
        <>
          <Probes chosen={probes} wishes={wishes} onFlip={flip} />
          <label className="level">
            <span className="soft">drawn from</span>
            <input
              type="range"
              aria-label="Share of the best place from which surfaces are drawn"
              min={0.03}
              max={0.95}
              step={0.01}
              value={share}
              onChange={(e) => setShare(Number(e.target.value))}
            />
            <span className="n">{Math.round(100 * share)} % of the best</span>
          </label>
          {wishes && (
            <p className="soft fine mb-1">{probes.map((p) => `${p} ${times(levelOf(p))}`).join(', ')} times chance.</p>
          )}
          <p className="acts mb-1">
            <button
              className="word"
              disabled={!selection.length}
              onClick={() => setMeant({ molecule: selection.at(-1), part: [] })}
            >
              Of the selected molecule
            </button>
            <button
              className="word"
              disabled={!selection.length}
              onClick={() => setMeant({ molecule: selection.at(-1), part: selection })}
            >
              Of the selected atoms alone
            </button>
            {meant.molecule && (
              <button className="word" onClick={() => setMeant(LARGEST)}>
                Of the largest molecule
              </button>
            )}
          </p>
          {wishes && (
            <>
              <SpotRows s={s} wishes={wishes} />
              <Judged s={s} wishes={wishes} />
              <WishesBeside probes={probes} wishes={wishes} />
              {wishes.remarks.map((r) => (
                <p key={r} className="fine mb-0">
                  {r}
                </p>
              ))}
            </>
          )}
        </>
      )}
    </Sheet>
  );
}

/** Puts surfaces and spots into the picture. */
function useWishDrawing(wishes: Wishes | undefined, surfaces: ReturnType<typeof useWishSurfaces>): void {
  const { setExtra, pickedPoint } = useProject('setExtra', 'pickedPoint');
  const colours = useSceneColours();
  useEffect(() => {
    setExtra('wishes', wishes ? wishLayers(wishes.spots, surfaces, pickedPoint, colours) : NONE);
  }, [wishes, surfaces, pickedPoint, colours, setExtra]);
}

interface ProbesProps {
  readonly chosen: readonly Probe[];
  readonly wishes: Wishes | undefined;
  onFlip(p: Probe): void;
}

/** Probes with what they stand for, and how many of each one's wishes come true. */
function Probes({ chosen, wishes, onFlip }: ProbesProps): ReactNode {
  return (
    <ul className="probes" aria-label="Probes">
      {OFFERED.map((p) => {
        const on = chosen.includes(p);
        return (
          <li key={p}>
            <label className="word" title={PROBE_TRAITS[p].words}>
              <input type="checkbox" checked={on} onChange={() => onFlip(p)} />{' '}
              <span className={on ? `ink-${hueOfProbe(p)}` : ''}>{p}</span>
            </label>
            {on ? <GrantBar wishes={wishes} probe={p} /> : <span className="soft fine">{PROBE_TRAITS[p].words}</span>}
          </li>
        );
      })}
    </ul>
  );
}

/** Granted, half granted and not, as a bar with its numbers. */
function GrantBar({ wishes, probe }: { wishes: Wishes | undefined; probe: Probe }): ReactNode {
  if (!wishes) return null;
  const counts = grantCounts(wishes, probe);
  const total = counts.reduce((p, q) => p + q, 0);
  if (!total) return <span className="soft fine">nothing</span>;
  const words = `${counts[0]} granted, ${counts[1]} half, ${counts[2]} not`;
  return (
    <span className="grants" role="img" aria-label={words} title={words}>
      <span className={`bar ground-${hueOfProbe(probe)}`}>
        <i className="full" style={{ width: `${(100 * counts[0]) / total}%` }} />
        <i className="half" style={{ width: `${(100 * counts[1]) / total}%` }} />
      </span>
      <span className="fine">
        {counts[0]} + {counts[1]}½ of {total}
      </span>
    </span>
  );
}

/** Hot spots; picked here they grow in the picture, picked there they are marked here. */
function SpotRows({ s, wishes }: { s: Structure; wishes: Wishes }): ReactNode {
  const { pickedPoint, pickPoint, setBeside, project } = useProject('pickedPoint', 'pickPoint', 'setBeside', 'project');
  const table = useRef<HTMLTableElement>(null);
  useEffect(() => () => setBeside([]), [setBeside]);
  // Picked in the picture, a spot is brought into view here.
  useEffect(() => {
    void table.current?.querySelector('tr.chosen')?.scrollIntoView({ block: 'nearest' });
  }, [pickedPoint]);
  const shown = wishes.spots.slice(0, MOST_ROWS);
  return (
    <>
      <table ref={table} className="relate wishes" aria-label="Wishes">
        <thead>
          <tr>
            <th>wish</th>
            <th>of</th>
            <th className="n">× chance</th>
            <th>granted</th>
            <th className="n">Å off</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((w) => {
            const name = spotName(w);
            return (
              <PickRow
                key={name}
                chosen={name === pickedPoint}
                onPick={() => {
                  pickPoint(name);
                  setBeside(w.by ? moleculeAt(s, w.by) : []);
                }}
              >
                <td className={`name ink-${hueOfProbe(w.probe)}`}>{w.probe}</td>
                <td>
                  {w.of} <span className="soft">{w.group}</span>
                </td>
                <td className="n">{times(w.score)}</td>
                <td className={w.grant === 'not granted' ? 'soft' : ''}>
                  {grantWord(w)}
                  {w.by ? `, ${byWords(s, w)}` : ''}
                </td>
                <td className="n">{w.distance?.toFixed(2)}</td>
              </PickRow>
            );
          })}
        </tbody>
      </table>
      <p className="acts mb-1">
        <TableActions table={() => wishTable(s, wishes)} fileName={`${project.name}-wishes.csv`} />
      </p>
    </>
  );
}

/** The crystal's own contacts, by what the field says of their places. */
function Judged({ s, wishes }: { s: Structure; wishes: Wishes }): ReactNode {
  const { select, project } = useProject('select', 'project');
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState(-1);
  const { contacts } = wishes;
  return (
    <>
      <p className="mb-1">
        {surpriseWords(contacts)}{' '}
        {contacts.length > 0 && (
          <button className="word" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Hide them' : 'Show them'}
          </button>
        )}
      </p>
      {open && (
        <>
          <table className="relate" aria-label="Contacts against the wishes">
            <thead>
              <tr>
                <th>contact</th>
                <th>the other is</th>
                <th className="n">× chance</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {contacts.map((c, i) => (
                <PickRow
                  key={i}
                  chosen={chosen === i}
                  onPick={() => {
                    setChosen(i);
                    select([c.contact.giver, c.contact.taker]);
                  }}
                >
                  <td className="name">{contactName(s, c.contact)}</td>
                  <td>{c.probe}</td>
                  <td className="n">{times(c.score)}</td>
                  <td className={c.expected ? 'soft' : ''}>{c.expected ? 'expected' : 'surprising'}</td>
                </PickRow>
              ))}
            </tbody>
          </table>
          <p className="acts mb-1">
            <TableActions table={() => judgedTable(s, contacts)} fileName={`${project.name}-contacts-judged.csv`} />
          </p>
        </>
      )}
    </>
  );
}
