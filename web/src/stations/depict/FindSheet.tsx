/** Channels, cages and rings: found from a list or from two or three of their atoms, standing alone, outlined. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { samePlace, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Channel } from '@nagare/core/geometry/channels';
import type { RingsOfKind } from '@nagare/core/geometry/ring-copies';
import type { PanelScene } from '@nagare/core/depict/panel-scene';
import { alongRow } from '@nagare/core/draw/views';
import { fittedView } from '@nagare/core/depict/panel-scene';
import { withView } from '@nagare/core/depict/figure';
import { itemsOf } from '@nagare/core/draw/scene';
import { run } from '../../engine/engine.ts';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { FoundCages } from './FoundCages.tsx';
import { foundHands } from './found-hands.ts';
import { HUES } from './RuleFields.tsx';
import type { FigureOnTable } from './use-figure.ts';
import { useFigureScenes } from './use-figure-scenes.ts';

const rowWords = (row: readonly number[]): string => `[${row.map((x) => (x < 0 ? `−${-x}` : x)).join(' ')}]`;

export function FindSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { scenes } = useFigureScenes(table.figure);
  const scene = scenes.find((x) => x.panel.id === table.panel.id);
  return (
    <Sheet
      title="Channels, cages and rings"
      fold
      shut
      state="Outlined, or standing alone; completed over what is drawn."
    >
      {scene && <Channels s={s} table={table} scene={scene} />}
      <FoundCages s={s} table={table} />
      {scene && <Rings s={s} table={table} scene={scene} />}
    </Sheet>
  );
}

interface PartProps {
  readonly s: Structure;
  readonly table: FigureOnTable;
  readonly scene: PanelScene;
}

const drawnAtoms = (scene: PanelScene): AtomRef[] => itemsOf(scene.layers, 'atoms', 'model').map((a) => a.ref);

const NOT_DRAWN = 'No channel of this kind has all of its walls within the part that is drawn. Draw more cells.';
/** mm inside of the atoms that a channel is outlined, and outside of those of a ring. */
const INSIDE = -0.3,
  AROUND = 0.6;

function Channels({ s, table, scene }: PartProps): ReactNode {
  const { head, setProblem, selection } = useProject('head', 'setProblem', 'selection');
  const { figure, panel, drawing, change } = table;
  const hands = foundHands(s, table);
  const [chosen, setChosen] = useState<number | undefined>();
  const { data, isFetching, error } = useQuery({
    queryKey: ['channels', head?.mark.model],
    staleTime: Infinity,
    retry: false,
    queryFn: () => run('channels', { structure: s }).result,
  });
  const channel = chosen === undefined ? undefined : data?.[chosen];
  const places = async (c: Channel) => {
    const hit = await run('channel places', { structure: s, channel: c, extent: drawing.extent, added: drawing.added })
      .result;
    const through = hit.filter((p) => selection.every((a) => p.atoms.some((x) => samePlace(s, x, a))));
    // Picked atoms say which of them is meant, if any runs past all of them.
    return selection.length && through.length ? through : hit;
  };
  const outline = async (c: Channel, hue: string): Promise<void> => {
    const found = await places(c);
    if (!found.length) return setProblem(NOT_DRAWN);
    hands.outline(
      found.map((p) => p.ring),
      INSIDE,
      hue,
    );
  };
  const alone = async (c: Channel): Promise<void> => {
    const atoms = (await places(c)).flatMap((p) => p.atoms);
    if (!atoms.length) return setProblem(NOT_DRAWN);
    hands.alone(atoms);
  };
  const look = (c: Channel): void =>
    change('view', (f) => withView(f, panel.id, fittedView(scene.layers, alongRow(s.cell, c.row), panel.box)));
  if (isFetching) return <p className="soft">Looking for channels…</p>;
  if (error) return <p role="alert">{error.message}</p>;
  if (!data?.length) return <p className="soft">No straight way through, along any short row.</p>;
  return (
    <>
      <table aria-label="Channels">
        <thead>
          <tr>
            <th>along</th>
            <th className="n">width, Å</th>
            <th className="n">walls</th>
            <th className="n">a cell</th>
          </tr>
        </thead>
        <tbody>
          {data.map((c, i) => (
            <PickRow key={i} chosen={i === chosen} onPick={() => setChosen(i === chosen ? undefined : i)}>
              <td>{rowWords(c.row)}</td>
              <td className="n mono">{c.width.toFixed(2)}</td>
              <td className="n mono">{c.lining.length}</td>
              <td className="n mono">{c.count}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {channel && chosen !== undefined && (
        <p className="acts mt-1 mb-1">
          <button className="word" onClick={() => look(channel)}>
            Look along it
          </button>
          <button
            className="word"
            onClick={() =>
              void outline(channel, HUES[(1 + 3 * figure.annotations.filter((a) => a.kind === 'outline').length) % 7]!)
            }
          >
            Outline them
          </button>
          <button className="word" onClick={() => void alone(channel)}>
            Only these
          </button>
        </p>
      )}
    </>
  );
}

function Rings({ s, table, scene }: PartProps): ReactNode {
  const { selection, setProblem } = useProject('selection', 'setProblem');
  const hands = foundHands(s, table);
  const [kinds, setKinds] = useState<readonly RingsOfKind[] | undefined>();
  const find = async (through: readonly AtomRef[]): Promise<readonly RingsOfKind[]> => {
    try {
      return await run('drawn rings', { structure: s, drawn: drawnAtoms(scene), through }).result;
    } catch (e) {
      setProblem((e as Error).message);
      return [];
    }
  };
  const outline = (rings: readonly (readonly AtomRef[])[]): void => hands.outline(rings, AROUND, '#a9761a');
  const alone = (rings: readonly (readonly AtomRef[])[]): void => hands.alone(rings.flat());
  const picked = async (act: (rings: readonly (readonly AtomRef[])[]) => void): Promise<void> => {
    const [found] = await find(selection);
    if (found) act(found.rings);
    else setProblem('No ring of up to twelve atoms goes through all of the picked ones.');
  };
  return (
    <>
      {selection.length >= 2 && selection.length <= 3 && (
        <p className="acts mb-1">
          <span className="soft">the ring through the picked atoms</span>
          <button className="word" onClick={() => void picked(outline)}>
            Outline it
          </button>
          <button className="word" onClick={() => void picked(alone)}>
            Only this
          </button>
        </p>
      )}
      <button className="word" onClick={() => void find([]).then(setKinds)}>
        {kinds ? 'List the rings again' : 'List the rings'}
      </button>
      {kinds?.length === 0 && <p className="soft mb-0">No rings among what is drawn.</p>}
      {kinds && kinds.length > 0 && (
        <ul className="hiding-list" aria-label="Rings">
          {kinds.map(({ name, rings }) => (
            <li key={name}>
              <span>
                {name} <span className="soft">×{rings.length}</span>
              </span>
              <span className="acts">
                <button className="word" onClick={() => outline(rings)}>
                  Outline
                </button>
                <button className="word" onClick={() => alone(rings)}>
                  Only these
                </button>
              </span>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
