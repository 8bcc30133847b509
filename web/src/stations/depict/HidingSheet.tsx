/** Only the argument: what is hidden, one step at a time, and back. Nothing leaves the model. */
import { useMemo, useState, type ReactNode } from 'react';
import { samePlace, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Chosen } from '@nagare/core/depict/figure';
import { bonds, bondsBySite, neighbourRef } from '@nagare/core/geometry/bonds';
import { siteIndices } from '@nagare/core/crystal/atom-ref';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { ChosenFields } from './ChosenFields.tsx';
import { hidden, hiddenBonds, hiddenChoice, isAmong } from './figure-edits.ts';
import type { FigureOnTable } from './use-figure.ts';

/** What is bonded to atoms, with them. */
function withBonded(s: Structure, atoms: readonly AtomRef[]): AtomRef[] {
  const bySite = bondsBySite(s, bonds(s));
  const index = siteIndices(s);
  const out = [...atoms];
  for (const a of atoms)
    for (const b of bySite[index.get(a.site) ?? -1] ?? []) {
      const next = neighbourRef(s, b, a);
      if (!isAmong(s, out, next)) out.push(next);
    }
  return out;
}

export function HidingSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const { selection, select } = useProject('selection', 'select');
  const [rule, setRule] = useState<Chosen | undefined>();
  const { hiding } = drawing;
  const hide = (title: string, chosen: Chosen): void => {
    changeDrawing(title, (d) => hiddenChoice(s, d, chosen));
    select([]);
  };
  const alone = (atoms: readonly AtomRef[]): void =>
    hide('alone', { which: { kind: 'selection', atoms }, others: true });
  const areBonded = useMemo(() => {
    const bySite = bondsBySite(s, bonds(s));
    const index = siteIndices(s);
    return (p: AtomRef, q: AtomRef): boolean =>
      (bySite[index.get(p.site) ?? -1] ?? []).some((b) => samePlace(s, neighbourRef(s, b, p), q));
  }, [s]);
  const back = (id: string): void =>
    changeDrawing(`back ${id}`, (d) => ({ ...d, hiding: d.hiding.filter((h) => h.id !== id) }));
  const last = hiding.at(-1);
  return (
    <Sheet
      title="Hidden"
      fold
      state={
        hiding.length
          ? `${hiding.length} ${hiding.length === 1 ? 'step' : 'steps'} of hiding; all of it is still in the model.`
          : 'Nothing is hidden. Pick atoms in the figure (click, box, lasso), or say what.'
      }
      action={
        last && (
          <button className="word" onClick={() => back(last.id)}>
            One step back
          </button>
        )
      }
    >
      {selection.length > 0 && (
        <p className="acts mb-1">
          <button className="word" onClick={() => hide('hidden', { which: { kind: 'selection', atoms: selection } })}>
            Hide them
          </button>
          <button
            className="word"
            onClick={() =>
              hide('hidden', { which: { kind: 'site', sites: [...new Set(selection.map((a) => a.site))] } })
            }
          >
            With all copies
          </button>
          <button className="word" onClick={() => alone(selection)}>
            Only these
          </button>
          <button className="word" onClick={() => alone(withBonded(s, selection))}>
            Only these and what is bonded to them
          </button>
          {selection.length > 1 && (
            <button
              className="word"
              onClick={() => changeDrawing('bonds hidden', (d) => hiddenBonds(d, selection, areBonded))}
            >
              Hide the bonds between them
            </button>
          )}
          <button
            className="word"
            onClick={() =>
              changeDrawing('polyhedra hidden', (d) =>
                hidden(d, { words: `${selection.length} polyhedra`, polyhedra: selection }),
              )
            }
          >
            Hide their polyhedra
          </button>
        </p>
      )}
      {rule ? (
        <div className="row-body">
          <ChosenFields id="hide-rule" s={s} picked={selection} chosen={rule} onChange={setRule} />
          <p className="acts mb-0">
            <button
              className="word"
              onClick={() => {
                hide('hidden', rule);
                setRule(undefined);
              }}
            >
              Hide
            </button>
            <button className="word" onClick={() => setRule(undefined)}>
              Leave it
            </button>
          </p>
        </div>
      ) : (
        <button className="word" onClick={() => setRule({ which: { kind: 'element', elements: [] } })}>
          Hide by a rule…
        </button>
      )}
      {hiding.length > 0 && (
        <ul className="hiding-list">
          {hiding.map((h) => (
            <li key={h.id}>
              <span>{h.words}</span>
              <button className="word" onClick={() => back(h.id)}>
                Show again
              </button>
            </li>
          ))}
        </ul>
      )}
    </Sheet>
  );
}
