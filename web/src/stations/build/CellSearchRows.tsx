/** Cells looked for by what they shall be. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { CellSearch, FoundCell } from '@nagare/core/build/shaped-cell';
import { run } from '../../engine/engine.ts';
import { NumberField, PickRow } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { constantsWords } from '@nagare/core/crystal/cell-words';

/** Cells listed; larger ones are asked for by a larger least number. */
const LISTED = 10;

export function CellSearchRows({ wish, onWish }: Pick<BuildSheetProps, 'wish' | 'onWish'>): ReactNode {
  const { head } = useProject('head');
  const [length, setLength] = useState(0);
  const [oblique, setOblique] = useState(90);
  const [least, setLeast] = useState(1);
  const [most, setMost] = useState(200);
  const [search, setSearch] = useState<CellSearch | undefined>();
  const found = useQuery({
    queryKey: ['search cells', head?.id, search],
    enabled: !!search,
    staleTime: Infinity,
    retry: false,
    queryFn: () => run('search cells', { structure: head!.structure!, search: search! }).result,
  });
  const look = (): void =>
    setSearch({
      mostAtoms: most,
      leastAtoms: least,
      ...(length > 0 ? { leastLength: length } : {}),
      ...(oblique < 90 ? { mostOblique: Math.max(0.01, oblique) } : {}),
    });
  return (
    <>
      <p className="soft mt-2 mb-1">Or the smallest cell that is as it shall be:</p>
      <div className="triple">
        <NumberField
          id="search-length"
          label="An atom and its copies at least so far apart, Å; 0 for any"
          value={length}
          digits={1}
          step={1}
          min={0}
          max={100}
          unit="Å between copies"
          onChange={setLength}
        />
        <NumberField
          id="search-oblique"
          label="Degrees that angles may miss 90 by; 90 for any"
          value={oblique}
          digits={1}
          step={1}
          min={0}
          max={90}
          unit="° from 90 at most"
          onChange={setOblique}
        />
        <NumberField
          id="search-least"
          label="Atoms at least"
          value={least}
          digits={0}
          step={10}
          min={1}
          max={20_000}
          onChange={(n) => setLeast(Math.round(n))}
        />
        <span className="soft">to</span>
        <NumberField
          id="search-most"
          label="Atoms at most"
          value={most}
          digits={0}
          step={10}
          min={1}
          max={20_000}
          unit="atoms"
          onChange={(n) => setMost(Math.round(n))}
        />
        <button className="word" onClick={look}>
          Look for cells
        </button>
      </div>
      {found.isFetching && <p className="soft mb-0">Looking…</p>}
      {found.error && (
        <p className="off mb-0" role="alert">
          {found.error.message}
        </p>
      )}
      {found.data && <FoundCells list={found.data} wish={wish} onWish={onWish} />}
    </>
  );
}

interface FoundCellsProps extends Pick<BuildSheetProps, 'wish' | 'onWish'> {
  readonly list: readonly FoundCell[];
}

function FoundCells({ list, wish, onWish }: FoundCellsProps): ReactNode {
  const chosen = wish?.kind === 'shaped' ? wish.matrix.join() : undefined;
  return (
    <table className="relate" aria-label="Cells found">
      <thead>
        <tr>
          <th className="n">atoms</th>
          <th className="n">copies, Å</th>
          <th>constants</th>
        </tr>
      </thead>
      <tbody>
        {list.slice(0, LISTED).map((f) => (
          <PickRow
            key={f.times}
            chosen={f.matrix.join() === chosen}
            onPick={() => onWish({ kind: 'shaped', matrix: f.matrix })}
          >
            <td className="n">{f.atoms}</td>
            <td className="n">{f.shortest.toFixed(2)}</td>
            <td className="mono fine">{constantsWords(f.cell)}</td>
          </PickRow>
        ))}
      </tbody>
    </table>
  );
}
