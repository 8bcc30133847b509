/** Which part of the crystal is drawn: isolated, grown, hidden and brought back. */
import type { ReactNode } from 'react';
import { placeNumber, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { atomsPerCell } from '@nagare/core/draw/extent';
import { writeXyz } from '@nagare/core/formats/xyz';
import { NET_WORDS, netsOf } from '@nagare/core/geometry/nets';
import { Sheet } from '../../frame/parts.tsx';
import { atomName } from '../../frame/selection-measure.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { bondedTo, joined, netAround, sameAtoms } from './drawing.ts';

/** `s` with the bonding that is drawn. */
export function DrawnSheet({ s }: { s: Structure }): ReactNode {
  const { selection, view, setView, setAround, setGrowth, looks, setLooks, viewer, project } = useProject(
    'selection',
    'view',
    'setView',
    'setAround',
    'setGrowth',
    'looks',
    'setLooks',
    'viewer',
    'project',
  );
  const chosen = selection.filter((a) => siteOf(s, a));
  const first = chosen[0];
  const { hiddenAtoms, addedAtoms } = looks;
  const net = first && netsOf(s).list[netsOf(s).netOf(first)];
  const word = net && (net.atoms.length === 1 && net.dimension === 0 ? 'atom' : NET_WORDS[net.dimension]);
  const isolate = (): void => {
    setGrowth([]);
    setAround(chosen);
    setView({ extent: 'net' });
  };
  const add = (title: string, atoms: readonly AtomRef[]): void =>
    setLooks(title, { addedAtoms: joined(s, addedAtoms, atoms) });
  const hide = (atoms: readonly AtomRef[]): void => setLooks('hide', { hiddenAtoms: joined(s, hiddenAtoms, atoms) });
  const show = (atoms: readonly AtomRef[]): void => {
    const back = new Set(atoms.map((a) => placeNumber(s, a)));
    setLooks('show again', { hiddenAtoms: hiddenAtoms.filter((a) => !siteOf(s, a) || !back.has(placeNumber(s, a))) });
  };
  const saveXyz = (): void => {
    const atoms = viewer?.drawn().map((a) => ({ element: a.element, at: a.position })) ?? [];
    // Only a cell drawn exactly once repeats by its lattice.
    const whole =
      view.extent === 'cell' && !hiddenAtoms.length && !addedAtoms.length && atoms.length === atomsPerCell(s);
    const text = writeXyz(atoms, project.name, whole ? s.cell : undefined);
    saveFile(text, `${project.name.replace(/\s+/g, '-').toLowerCase()}.xyz`, 'chemical/x-xyz');
  };
  return (
    <Sheet
      title="What is drawn"
      fold
      action={
        <button className="word" title="The atoms that are drawn, as a file" onClick={saveXyz}>
          XYZ
        </button>
      }
      state={
        first
          ? `${chosen.length === 1 ? atomName(s, first) : `${chosen.length} atoms`} selected${word === 'atom' ? ', bonded to nothing' : `, in a ${word}`}.`
          : 'Choose the part below the crystal. Select atoms to isolate what they hang in, to grow from them or to hide them.'
      }
    >
      {first && (
        <p className="acts mb-1">
          <button className="word" onClick={isolate}>
            Only this {word}
          </button>
          <button
            className="word"
            onClick={() =>
              add(
                'grow',
                chosen.flatMap((a) => bondedTo(s, a)),
              )
            }
          >
            Grow by bonded atoms
          </button>
          <button
            className="word"
            onClick={() =>
              add(
                'grow',
                chosen.flatMap((a) => netAround(s, a, view.netRadius)),
              )
            }
          >
            Grow the whole {word}
          </button>
          <button className="word" onClick={() => hide(chosen)}>
            Hide selected
          </button>
          <button className="word" onClick={() => hide(sameAtoms(s, chosen))}>
            Hide all copies
          </button>
        </p>
      )}
      {addedAtoms.length > 0 && (
        <p className="mb-1">
          {addedAtoms.length} grown by hand.{' '}
          <button className="word" onClick={() => setLooks('grown taken back', { addedAtoms: [] })}>
            Take them back
          </button>
        </p>
      )}
      {hiddenAtoms.length > 0 && (
        <div>
          <p className="mb-1">
            {hiddenAtoms.length} hidden, still in the model.{' '}
            <button className="word" onClick={() => setLooks('show again', { hiddenAtoms: [] })}>
              Show all again
            </button>
          </p>
          <p className="hidden-list mb-0">
            {groupedBySite(s, hiddenAtoms).map(([name, atoms]) => (
              <button key={name} className="word" title="Show again" onClick={() => show(atoms)}>
                {name}
                {atoms.length > 1 ? ` ×${atoms.length}` : ''}
              </button>
            ))}
          </p>
        </div>
      )}
    </Sheet>
  );
}

function groupedBySite(s: Structure, atoms: readonly AtomRef[]): [string, AtomRef[]][] {
  const groups = new Map<string, AtomRef[]>();
  for (const a of atoms) {
    const name = siteOf(s, a)?.label ?? 'gone';
    const list = groups.get(name);
    if (list) list.push(a);
    else groups.set(name, [a]);
  }
  return [...groups];
}
