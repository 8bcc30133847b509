/** Empty space: how much, connected how, what would fit; the probe is dragged along the curve of volume against its radius. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useMemo, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { VoidFigures } from '@nagare/core/tasks/voids-task';
import { run } from '../../engine/engine.ts';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { useProject } from '../../store/use-project.tsx';
import { TableActions } from './TableActions.tsx';
import { alike, curveTable, guestWords, kindWords, voidLayers, voidState, voidTable } from './void-words.ts';
import { VoidCurve } from './VoidCurve.tsx';

/** Å: about a molecule of water. */
const USUAL_PROBE = 1.2;
const MOST_ROWS = 30;
const NONE = [] as const;
const FILLED: readonly string[] = [];

export function VoidsSheet({ s }: { s: Structure }): ReactNode {
  const { head, project, selection, setExtra } = useProject('head', 'project', 'selection', 'setExtra');
  const colours = useSceneColours();
  const [asked, setAsked] = useState(false);
  const [probe, setProbe] = useState(USUAL_PROBE);
  const [byMiddle, setByMiddle] = useState(false);
  const [without, setWithout] = useState(FILLED);
  // While it is dragged, only where it rests is worked out.
  const rested = useDeferredValue(probe);
  const query = useQuery({
    queryKey: ['voids', head?.id, rested, byMiddle, without],
    enabled: asked,
    staleTime: Infinity,
    gcTime: 30_000,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const running = run('voids', { structure: s, probe: rested, byMiddle, without: [...without] });
      signal.addEventListener('abort', () => running.cancel());
      return running.result;
    },
  });
  // The same for every probe: worked out once.
  const curve = useQuery({
    queryKey: ['void curve', head?.id, without],
    enabled: asked,
    staleTime: Infinity,
    gcTime: 30_000,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => run('void curve', { structure: s, without: [...without] }).result,
  });
  const found = asked && query.data && curve.data ? { ...query.data, curve: curve.data } : undefined;
  const surface = asked ? query.data?.surface : undefined;
  const layers = useMemo(() => (surface ? voidLayers(surface, colours) : NONE), [surface, colours]);
  useEffect(() => {
    setExtra('voids', layers);
    return () => setExtra('voids', NONE);
  }, [layers, setExtra]);
  const state = !asked
    ? 'Room between the molecules: how much, connected how, what would fit.'
    : (query.error?.message ?? (found ? voidState(found.figures, found.curve) : 'Looking…'));
  return (
    <Sheet
      title="Empty space"
      fold={asked}
      state={state}
      action={
        <button className="word" aria-pressed={asked} onClick={() => setAsked(!asked)}>
          {asked ? 'Take it away' : 'Look for it'}
        </button>
      }
    >
      {asked && found && (
        <>
          <VoidCurve curve={found.curve.points} cell={found.figures.cell} probe={probe} onProbe={setProbe} />
          <NumberField
            id="void-probe"
            label="Radius of the probe"
            value={probe}
            digits={2}
            step={0.05}
            min={0}
            max={20}
            unit="Å, the probe’s radius; drag along the curve"
            onChange={setProbe}
          />
          <label className="word">
            <input type="checkbox" checked={byMiddle} onChange={() => setByMiddle(!byMiddle)} /> draw what its middle
            reaches, not what it touches
          </label>
          <p className="acts mb-1">
            {selection.length > 0 && (
              <button className="word" onClick={() => setWithout([...new Set(selection.map((a) => a.site))])}>
                Think the selected atoms away
              </button>
            )}
            {without.length > 0 && (
              <button className="word" onClick={() => setWithout(FILLED)}>
                Put {without.length} back
              </button>
            )}
          </p>
          <VoidRows figures={found.figures} />
          <p className="acts mb-1">
            <span className="soft">voids</span>
            <TableActions table={() => voidTable(found.figures)} fileName={`${project.name}-voids.csv`} />
            <span className="soft">curve</span>
            <TableActions table={() => curveTable(found.curve)} fileName={`${project.name}-void-curve.csv`} />
          </p>
          <p className="soft fine mb-0">
            Atoms fill {(100 * found.figures.packing).toFixed(1)} % of the cell by their van der Waals spheres.
            {without.length > 0 && ` ${without.length} sites are thought away.`}
          </p>
        </>
      )}
    </Sheet>
  );
}

function VoidRows({ figures }: { figures: VoidFigures }): ReactNode {
  if (!figures.voids.length) return null;
  return (
    <table className="relate" aria-label="Voids">
      <thead>
        <tr>
          <th>void</th>
          <th className="n">Å³</th>
          <th className="n">sphere, Å</th>
          <th className="n">passes, Å</th>
          <th>room for</th>
        </tr>
      </thead>
      <tbody>
        {alike(figures.voids)
          .slice(0, MOST_ROWS)
          .map(({ of: v, count }, i) => (
            <tr key={i}>
              <td>
                {count > 1 && `${count} × `}
                {kindWords(v)}
              </td>
              <td className="n">{v.touched.toFixed(1)}</td>
              <td className="n">{v.sphere.toFixed(2)}</td>
              <td className="n">{v.window === undefined ? '–' : v.window.toFixed(2)}</td>
              <td>{guestWords(v)}</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}
