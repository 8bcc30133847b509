/** Assemblies of disordered groups: their shares, and showing, selecting and removing groups. */
import type { ReactNode } from 'react';
import { isSymmetryGroup } from '@nagare/core/crystal/controls';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { removeGroup, type Assembly } from '@nagare/core/model/disorder';
import { atomsOfSites } from '../../store/selection.ts';
import { useEdit, useProject } from '../../store/use-project.tsx';
import { groupWords } from './group-words.ts';

export function Assemblies({ list }: { list: readonly Assembly[] }): ReactNode {
  const { head, select, hidden, setHidden } = useProject('head', 'select', 'hidden', 'setHidden');
  const edit = useEdit();
  const s = head!.structure!;
  return (
    <>
      {list.map((a) => (
        <div key={a.assembly} className="assembly">
          <b>Assembly {a.assembly}</b>
          {a.tied ? (
            <span className="soft"> one refined number, sums to one</span>
          ) : a.groups.some((g) => isSymmetryGroup(g.group)) ? (
            <span className="soft"> about a symmetry element</span>
          ) : (
            <span className="soft"> occupancies held</span>
          )}
          <table>
            <tbody>
              {a.groups.map((g) => {
                const key = `${a.assembly}.${g.group}`;
                return (
                  <tr key={g.group}>
                    <td>{isSymmetryGroup(g.group) ? groupWords(g.group) : `group ${g.group}`}</td>
                    <td className="soft">
                      {g.sites.filter((i) => !isHydrogen(s.sites[i]!.element)).length} atoms,{' '}
                      {g.sites.filter((i) => isHydrogen(s.sites[i]!.element)).length} H
                    </td>
                    <td className={`n${g.occupancy < 0.05 ? ' off' : ''}`}>{formatMeasured(g.occupancy, g.su, 3)}</td>
                    <td>
                      <button
                        className="word"
                        aria-pressed={!hidden.includes(key)}
                        onClick={() =>
                          setHidden(hidden.includes(key) ? hidden.filter((x) => x !== key) : [...hidden, key])
                        }
                      >
                        {hidden.includes(key) ? 'hidden' : 'shown'}
                      </button>
                      <button className="word" onClick={() => select(atomsOfSites(s, g.sites))}>
                        select
                      </button>
                      <button
                        className="word off"
                        onClick={() =>
                          void edit(
                            removeGroup(s, a.assembly, g.group),
                            `group ${g.group} of assembly ${a.assembly} removed`,
                          )
                        }
                      >
                        remove
                      </button>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {a.groups.some((g) => !isSymmetryGroup(g.group) && g.occupancy < 0.05) && (
            <p className="off mb-0">A group under 5 % may not be there: compare R1 without it.</p>
          )}
        </div>
      ))}
    </>
  );
}
