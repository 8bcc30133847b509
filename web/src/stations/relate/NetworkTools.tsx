/** Following contacts through the crystal, step by step and back, and what of the crystal is drawn with them. */
import { useEffect, useRef, useState, type ReactNode } from 'react';
import type { Contact } from '@nagare/core/contacts/find-contacts';
import { siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { DrawnContact, OpenEnd } from '@nagare/core/draw/contact-layers';
import { PickRow } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { joined, moleculeAt } from './drawing.ts';
import { bindingRule, isBindingRule, openEndsOf, shellOf, stepFrom, untilItRepeats } from './follow.ts';

export type DrawnAs = 'atoms' | 'molecules';

const MOST_ENDS = 40;

interface NetworkToolsProps {
  readonly s: Structure;
  readonly contacts: readonly Contact[];
  readonly drawn: readonly DrawnContact[];
  readonly drawnAs: DrawnAs;
  onDrawnAs(as: DrawnAs): void;
  readonly openEnds: boolean;
  onOpenEnds(on: boolean): void;
}

export function NetworkTools(props: NetworkToolsProps): ReactNode {
  const { s, contacts, drawn, drawnAs, onDrawnAs, openEnds, onOpenEnds } = props;
  const { looks, setLooks } = useProject('looks', 'setLooks');
  const binds = looks.rules.some(isBindingRule);
  const onlyBinding = (): void => {
    const others = looks.rules.filter((r) => !isBindingRule(r));
    const rules = binds ? others : [...others, bindingRule(s, contacts)];
    setLooks(binds ? 'everything drawn again' : 'only what binds', { rules });
  };
  return (
    <>
      <Following s={s} drawn={drawn} />
      <p className="acts mb-1" role="group" aria-label="What is drawn of the network">
        <button className="word" aria-pressed={!openEnds} onClick={() => onOpenEnds(!openEnds)}>
          Hide open ends
        </button>
        <button className="word" aria-pressed={binds} onClick={onlyBinding}>
          Only atoms that bind
        </button>
        <button
          className="word"
          aria-pressed={drawnAs === 'molecules'}
          onClick={() => onDrawnAs(drawnAs === 'molecules' ? 'atoms' : 'molecules')}
        >
          From middle to middle of molecules
        </button>
      </p>
      {openEnds && <OpenEnds s={s} drawn={drawn} />}
    </>
  );
}

/** The states of what was brought, so that a step can be taken back. */
function useSteps(): { back: (() => void) | undefined } {
  const { looks, setLooks } = useProject('looks', 'setLooks');
  const steps = useRef<(readonly AtomRef[])[]>([]);
  const { addedAtoms } = looks;
  useEffect(() => {
    const before = steps.current.at(-1);
    if (before === addedAtoms) return;
    // Fewer atoms were taken back, here or by undo.
    if (before && addedAtoms.length < before.length)
      steps.current = steps.current.filter((x) => x.length < addedAtoms.length);
    steps.current.push(addedAtoms);
  }, [addedAtoms]);
  const back = (): void => {
    steps.current.pop();
    setLooks('a step back', { addedAtoms: steps.current.at(-1) ?? [] });
  };
  return { back: addedAtoms.length ? back : undefined };
}

/** The molecules that open ends lead to: a step, to the repeat, around one; and back. */
function Following({ s, drawn }: { s: Structure; drawn: readonly DrawnContact[] }): ReactNode {
  const { viewer, looks, setLooks, selection } = useProject('viewer', 'looks', 'setLooks', 'selection');
  const [told, setTold] = useState('');
  const { back } = useSteps();
  const here = (): AtomRef[] => (viewer?.drawn() ?? []).map((a) => a.ref);
  const bring = (title: string, more: readonly AtomRef[]): void => {
    if (more.length) setLooks(title, { addedAtoms: joined(s, looks.addedAtoms, more) });
    setTold(more.length ? '' : 'No contact leads out of what is drawn.');
  };
  const shell = (atom: AtomRef): void => {
    const { atoms, count } = shellOf(s, atom);
    bring('the shell of a molecule', atoms);
    setTold(count ? `${count} molecules touch it.` : 'Nothing touches it, or it is no molecule.');
  };
  return (
    <>
      <p className="acts mb-1" role="group" aria-label="Following contacts">
        <button className="word" onClick={() => bring('molecules brought', stepFrom(s, drawn, here()))}>
          Follow every open end
        </button>
        <button className="word" onClick={() => bring('followed to its repeat', untilItRepeats(s, drawn, here()))}>
          Follow until it repeats
        </button>
        <button
          className="word"
          disabled={!selection.length}
          title="Of the molecule selected last: everything that touches it"
          onClick={() => shell(selection.at(-1)!)}
        >
          First shell of the selected molecule
        </button>
        {back && (
          <>
            <button className="word" onClick={back}>
              A step back
            </button>
            <button className="word" onClick={() => setLooks('brought taken back', { addedAtoms: [] })}>
              Take back what was brought
            </button>
          </>
        )}
      </p>
      {told && (
        <p className="fine mb-1" role="status">
          {told}
        </p>
      )}
    </>
  );
}

/** Open ends one by one, for the keyboard. */
function OpenEnds({ s, drawn }: { s: Structure; drawn: readonly DrawnContact[] }): ReactNode {
  const { viewer, looks, setLooks } = useProject('viewer', 'looks', 'setLooks');
  const [list, setList] = useState<readonly OpenEnd[] | undefined>();
  const look = (): readonly OpenEnd[] =>
    openEndsOf(
      s,
      drawn,
      (viewer?.drawn() ?? []).map((a) => a.ref),
    );
  const follow = (o: OpenEnd): void => {
    const brought = moleculeAt(s, o.leadsTo);
    setLooks('molecule brought', { addedAtoms: joined(s, looks.addedAtoms, brought) });
    setList(openEndsOf(s, drawn, [...(viewer?.drawn() ?? []).map((a) => a.ref), ...brought]));
  };
  return (
    <>
      <button className="word" aria-expanded={!!list} onClick={() => setList(list ? undefined : look())}>
        {list ? `Hide the list of ${list.length} open ends` : 'List the open ends'}
      </button>
      {list && (
        <table className="relate" aria-label="Open ends">
          <tbody>
            {list.slice(0, MOST_ENDS).map((o) => (
              <PickRow key={`${o.name} ${o.at.join()}`} chosen={false} onPick={() => follow(o)}>
                <td>to {siteOf(s, o.leadsTo)?.label}</td>
                <td className="soft">{symmetryCode(o.leadsTo)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
