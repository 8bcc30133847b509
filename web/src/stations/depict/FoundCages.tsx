/** Cages of the crystal by their size and windows, in a list or through picked atoms. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { formulaText } from '@nagare/core/crystal/formula';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Cage } from '@nagare/core/space/cages';
import { run } from '../../engine/engine.ts';
import { PickRow } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { foundHands } from './found-hands.ts';
import type { FigureOnTable } from './use-figure.ts';

/** mm outside of the atoms that a cage is outlined, and the line's colour. */
const AROUND = 0.8,
  COLOUR = '#6a4a8c';

function wallWords(s: Structure, cage: Cage): string {
  const counts: Record<string, number> = {};
  for (const a of cage.atoms) {
    const element = siteOf(s, a)!.element;
    counts[element] = (counts[element] ?? 0) + 1;
  }
  return formulaText(counts);
}

export function FoundCages({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { head, setProblem, selection } = useProject('head', 'setProblem', 'selection');
  const [wanted, setWanted] = useState(false);
  const [chosen, setChosen] = useState<number | undefined>();
  const hands = foundHands(s, table);
  const { data, isFetching, error } = useQuery({
    queryKey: ['cages', head?.mark.model],
    enabled: wanted,
    staleTime: Infinity,
    retry: false,
    queryFn: () => run('cages', { structure: s }).result,
  });
  const cage = chosen === undefined ? undefined : data?.[chosen];
  const { extent, added } = table.drawing;
  const act = async (c: Cage, what: (found: readonly (readonly AtomRef[])[]) => void): Promise<void> => {
    try {
      const input = { structure: s, cage: c, extent, added, picked: selection };
      const found = await run('cage places', input).result;
      if (found.length) what(found);
      else setProblem('No cage of this kind has all of the picked atoms in its walls.');
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  if (!wanted)
    return (
      <p className="acts mb-1">
        <button className="word" onClick={() => setWanted(true)}>
          List the cages
        </button>
      </p>
    );
  if (isFetching) return <p className="soft mb-1">Looking for cages…</p>;
  if (error) return <p role="alert">{error.message}</p>;
  if (!data?.length)
    return <p className="soft mb-1">No cage: nothing closed around a place that is wider than the ways into it.</p>;
  return (
    <>
      <table aria-label="Cages" className="mt-2">
        <thead>
          <tr>
            <th>cage of</th>
            <th className="n">width, Å</th>
            <th className="n">window, Å</th>
            <th className="n">a cell</th>
          </tr>
        </thead>
        <tbody>
          {data.map((c, i) => (
            <PickRow key={i} chosen={i === chosen} onPick={() => setChosen(i === chosen ? undefined : i)}>
              <td className="mono">{wallWords(s, c)}</td>
              <td className="n mono">{c.diameter.toFixed(2)}</td>
              <td className="n mono">{c.window?.toFixed(2) ?? '—'}</td>
              <td className="n mono">{c.count}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {cage && (
        <p className="acts mt-1 mb-1">
          <button className="word" onClick={() => void act(cage, (found) => hands.outline(found, AROUND, COLOUR))}>
            Outline them
          </button>
          <button className="word" onClick={() => void act(cage, (found) => hands.alone(found.flat(), true))}>
            Only these
          </button>
          <button className="word" onClick={() => void act(cage, (found) => hands.alone(found[0]!, true))}>
            Only one
          </button>
        </p>
      )}
    </>
  );
}
