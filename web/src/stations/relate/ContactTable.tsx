/** Contacts with their lengths, angles and symmetry; copied into a word processor, saved as CSV or as loops of a CIF. */
import { useMemo, useState, type ReactNode } from 'react';
import { bifurcated, type Contact } from '@nagare/core/contacts/find-contacts';
import { symmetryCode } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { contactLoops } from '@nagare/core/publish/contact-loops';
import { PickRow } from '../../frame/parts.tsx';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { contactKey, contactName, contactTable, lengthOf } from './contact-words.ts';
import { TableActions } from './TableActions.tsx';

const MOST_ROWS = 60;

export function ContactTable({ s, list }: { s: Structure; list: readonly Contact[] }): ReactNode {
  const { select, project } = useProject('select', 'project');
  const [chosen, setChosen] = useState('');
  const forked = useMemo(() => new Set(bifurcated(list).flat()), [list]);
  return (
    <>
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
              <td className="name" title={directness(c)}>
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
      {list.length > MOST_ROWS && (
        <p className="soft fine mb-1">{list.length - MOST_ROWS} further ones are in copies and files.</p>
      )}
      <p className="acts mb-1">
        <TableActions table={() => contactTable(s, list)} fileName={`${project.name}-contacts.csv`} />
        <button
          className="word"
          onClick={() => saveFile(contactLoops(s, list), `${project.name}-contacts.cif`, 'chemical/x-cif')}
        >
          CIF
        </button>
      </p>
    </>
  );
}

/** What the row has no room for. */
function directness(c: Contact): string {
  const parts = [
    c.dh ? `D–H ${lengthOf(c.dh, 2)} Å` : '',
    c.atTaker === undefined ? '' : `${c.atTaker.toFixed(0)}° at the acceptor`,
    c.outOfPlane === undefined ? '' : `${c.outOfPlane.toFixed(0)}° out of its plane`,
    c.valence === undefined ? '' : `${c.valence.toFixed(2)} valence units`,
    c.bondsBetween === undefined ? '' : `${c.bondsBetween} bonds between`,
  ];
  return parts.filter(Boolean).join(', ');
}
