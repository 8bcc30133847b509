/** The same wishes asked of another crystal: polymorphs, or a packing that was only built. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Probe } from '@nagare/core/contacts/probes';
import type { Wishes } from '@nagare/core/contacts/wishes';
import { run } from '../../engine/engine.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import { OtherCrystal } from './OtherCrystal.tsx';
import { grantCounts, hueOfProbe } from './wish-words.ts';

/** The same wishes asked of other marks and projects. */
export function WishesBeside({ probes, wishes }: { probes: readonly Probe[]; wishes: Wishes }): ReactNode {
  const { project } = useProject('project');
  const { marks, projects } = useOtherStructures();
  const [choice, setChoice] = useState('');
  const query = useQuery({
    queryKey: ['wishes of another', choice, probes],
    enabled: !!choice,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const structure = await structureOfChoice(choice);
      if (!structure) throw new Error('There is no model to compare with.');
      return (await run('wishes', { structure, probes }).result).wishes;
    },
  });
  const other = choice ? query.data : undefined;
  const name = [...marks, ...projects].find(([id]) => id === choice)?.[1] ?? '';
  return (
    <>
      <OtherCrystal choice={choice} onChoose={setChoice} />
      {query.error && <p className="fine mb-1">{query.error.message}</p>}
      {other && (
        <table className="relate" aria-label="Crystals side by side">
          <thead>
            <tr>
              <td />
              <th className="n">{project.name}</th>
              <th className="n">{name}</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <td>served</td>
              {[wishes, other].map((w, i) => (
                <td key={i} className="n strong">
                  {w.served === undefined ? '–' : `${Math.round(100 * w.served)} %`}
                </td>
              ))}
            </tr>
            {probes.map((p) => (
              <tr key={p}>
                <td className={`ink-${hueOfProbe(p)}`}>{p}</td>
                {[wishes, other].map((w, i) => {
                  const [full, half, not] = grantCounts(w, p);
                  return (
                    <td key={i} className="n">
                      {full} + {half}½ of {full + half + not}
                    </td>
                  );
                })}
              </tr>
            ))}
            <tr>
              <td>surprising contacts</td>
              {[wishes, other].map((w, i) => (
                <td key={i} className="n">
                  {w.contacts.filter((c) => !c.expected).length} of {w.contacts.length}
                </td>
              ))}
            </tr>
          </tbody>
        </table>
      )}
    </>
  );
}
