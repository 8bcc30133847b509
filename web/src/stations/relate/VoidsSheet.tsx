/** Empty space: how much, connected how, what would fit; the probe is dragged along the curve of volume against its radius. */
import { useDeferredValue, useEffect, useMemo, useState, type ReactNode } from 'react';
import { networkLayers } from '@nagare/core/depict/network-layers';
import type { Structure } from '@nagare/core/crystal/structure';
import { LEAST_VOID } from '@nagare/core/maps/solvent-mask';
import { poreSizes, type VoidCurve as Curve } from '@nagare/core/space/voids';
import type { VoidElectrons, VoidFigures } from '@nagare/core/tasks/voids-task';
import { run } from '../../engine/engine.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { useProject } from '../../store/use-project.tsx';
import { useExperiment } from '../refine/use-experiment.ts';
import { TableActions } from './TableActions.tsx';
import { useVoids, type VoidWish } from './use-voids.ts';
import {
  alike,
  curveTable,
  guestWords,
  kindWords,
  networkTable,
  networkWords,
  sizeTable,
  voidLayers,
  voidState,
  voidTable,
} from './void-words.ts';
import { VoidCurve } from './VoidCurve.tsx';
import { VoidCut, VoidRadii } from './VoidOptions.tsx';

const MOST_ROWS = 30;
const NONE = [] as const;

/** A probe of about a molecule of water. */
const USUAL: VoidWish = { probe: 1.2, byMiddle: false, without: [], radii: {}, cut: undefined, network: false };

export function VoidsSheet({ s }: { s: Structure }): ReactNode {
  const { head, setExtra } = useProject('head', 'setExtra');
  const colours = useSceneColours();
  const [asked, setAsked] = useState(false);
  const [wish, setWish] = useState(USUAL);
  const change = (part: Partial<VoidWish>): void => setWish((w) => ({ ...w, ...part }));
  // While it is dragged, only where it rests is worked out.
  const rested = useDeferredValue(wish);
  const found = useVoids(s, head?.id, asked ? rested : undefined);
  const surface = asked ? found.map.data?.surface : undefined;
  const network = asked && wish.network ? found.network.data : undefined;
  const layers = useMemo(
    () => [
      ...(surface && !wish.network ? voidLayers(surface, colours) : NONE),
      ...(network ? networkLayers(network, s.cell, { chambers: colours.gold, ways: colours.water, opacity: 1 }) : NONE),
    ],
    [surface, network, wish.network, s, colours],
  );
  useEffect(() => {
    setExtra('voids', layers);
    return () => setExtra('voids', NONE);
  }, [layers, setExtra]);
  const figures = found.map.data?.figures;
  const curve = found.curve.data;
  const known = figures && curve ? voidState(figures, curve) : 'Looking…';
  const state = asked
    ? (found.map.error?.message ?? known)
    : 'Room between the molecules: how much, connected how, what would fit.';
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
      {asked && figures && curve && (
        <>
          <VoidCurve
            curve={curve.points}
            {...(wish.without.length && found.filledCurve.data ? { before: found.filledCurve.data.points } : {})}
            sizes={poreSizes(curve)}
            cell={figures.cell}
            probe={wish.probe}
            onProbe={(probe) => change({ probe })}
          />
          <NumberField
            id="void-probe"
            label="Radius of the probe"
            value={wish.probe}
            digits={2}
            step={0.05}
            min={0}
            max={20}
            unit="Å, the probe’s radius; drag along the curve"
            onChange={(probe) => change({ probe })}
          />
          <Shown wish={wish} onChange={change} />
          {wish.network && (
            <p className="mb-1" aria-live="polite">
              {found.network.data
                ? networkWords(found.network.data)
                : (found.network.error?.message ?? 'Following the ways…')}
            </p>
          )}
          <VoidCut cut={wish.cut} onChange={(cut) => change({ cut })} />
          <VoidRadii s={s} radii={wish.radii} onChange={(radii) => change({ radii })} />
          <ThoughtAway
            without={wish.without}
            filled={found.filledMap.data?.figures}
            emptied={figures}
            onChange={(without) => change({ without })}
          />
          <Voids s={s} figures={figures} without={wish.without} hasOwnRadii={Object.keys(wish.radii).length > 0} />
          <Tables
            figures={figures}
            curve={curve}
            network={found.network.data && wish.network ? networkTable(found.network.data, wish.probe) : undefined}
          />
          <p className="soft fine mb-0">
            Atoms fill {(100 * figures.packing).toFixed(1)} % of the cell by their van der Waals spheres.
          </p>
        </>
      )}
    </Sheet>
  );
}

/** What is drawn of it. */
function Shown({ wish, onChange }: { wish: VoidWish; onChange(part: Partial<VoidWish>): void }): ReactNode {
  const ways = [
    { words: 'what it touches', on: !wish.network && !wish.byMiddle, part: { network: false, byMiddle: false } },
    { words: 'what its middle reaches', on: !wish.network && wish.byMiddle, part: { network: false, byMiddle: true } },
    { words: 'chambers and ways', on: wish.network, part: { network: true } },
  ];
  return (
    <p className="acts mb-1" role="group" aria-label="What is drawn of the empty space">
      <span className="soft">drawn</span>
      {ways.map((w) => (
        <button key={w.words} className="word" aria-pressed={w.on} onClick={() => onChange(w.part)}>
          {w.words}
        </button>
      ))}
    </p>
  );
}

interface ThoughtAwayProps {
  readonly without: readonly string[];
  readonly filled: VoidFigures | undefined;
  readonly emptied: VoidFigures;
  onChange(without: readonly string[]): void;
}

/** What is left when a solvent or an ion is gone, beside what there was. */
function ThoughtAway({ without, filled, emptied, onChange }: ThoughtAwayProps): ReactNode {
  const { selection } = useProject('selection');
  const rows: readonly (readonly [string, (f: VoidFigures) => string])[] = [
    ['touched', (f) => `${f.touched.toFixed(1)} Å³, ${((100 * f.touched) / f.cell).toFixed(1)} %`],
    ['reached', (f) => `${f.reached.toFixed(1)} Å³, ${((100 * f.reached) / f.cell).toFixed(1)} %`],
    ['voids', (f) => String(f.voids.length)],
    ['largest sphere', (f) => (f.voids.length ? `${Math.max(...f.voids.map((v) => v.sphere)).toFixed(2)} Å` : '–')],
    ['filled by atoms', (f) => `${(100 * f.packing).toFixed(1)} %`],
  ];
  return (
    <>
      <p className="acts mb-1">
        {selection.length > 0 && (
          <button
            className="word"
            onClick={() => onChange([...new Set([...without, ...selection.map((a) => a.site)])])}
          >
            Think the selected atoms away
          </button>
        )}
        {!selection.length && !without.length && (
          <span className="soft fine">Select a solvent or an ion to see what is left without it.</span>
        )}
        {without.length > 0 && (
          <button className="word" onClick={() => onChange([])}>
            Put {without.length} {without.length === 1 ? 'site' : 'sites'} back
          </button>
        )}
      </p>
      {without.length > 0 && filled && (
        <table className="relate mb-1" aria-label="Before and after">
          <thead>
            <tr>
              <td></td>
              <th className="n">as it is</th>
              <th className="n">emptied</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(([name, of]) => (
              <tr key={name}>
                <td>{name}</td>
                <td className="n">{of(filled)}</td>
                <td className="n">{of(emptied)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

interface VoidsProps {
  readonly s: Structure;
  readonly figures: VoidFigures;
  readonly without: readonly string[];
  readonly hasOwnRadii: boolean;
}

/** The voids one by one, with their electrons once they were counted. */
function Voids({ s, figures, without, hasOwnRadii }: VoidsProps): ReactNode {
  const { perform, work } = useProject('perform', 'work');
  const input = useExperiment();
  const [counted, setCounted] = useState<{ of: VoidFigures; found: VoidElectrons } | undefined>();
  if (!figures.voids.length) return null;
  const isCountable = figures.voids.some((v) => v.touched >= LEAST_VOID);
  const known = counted?.of === figures ? counted.found : undefined;
  const count = (): void => {
    const { probe } = figures;
    void perform('Counting electrons in voids', (tell) =>
      run('void electrons', { ...input!, structure: s, probe, without: [...without] }, tell),
    ).then((found) => found && setCounted({ of: figures, found }));
  };
  return (
    <>
      <VoidRows figures={figures} electrons={known?.electrons} />
      {known && (
        <p className="mb-1">
          R1 is {percent(known.before)} with nothing in the voids and {percent(known.r1)} with those electrons.
        </p>
      )}
      {input && hasOwnRadii && (
        <p className="soft fine mb-1">Electrons are counted between the usual radii: take those to count them.</p>
      )}
      {input && !hasOwnRadii && !isCountable && (
        <p className="soft fine mb-1">No void holds {LEAST_VOID} Å³: too little to count electrons in.</p>
      )}
      {input && !known && !hasOwnRadii && isCountable && (
        <p className="acts mb-1">
          <button className="word" disabled={!!work} onClick={count}>
            Count the electrons in them
          </button>
        </p>
      )}
    </>
  );
}

interface VoidRowsProps {
  readonly figures: VoidFigures;
  readonly electrons: readonly (number | null)[] | undefined;
}

function VoidRows({ figures, electrons }: VoidRowsProps): ReactNode {
  return (
    <table className="relate" aria-label="Voids">
      <thead>
        <tr>
          <th>void</th>
          <th className="n">Å³</th>
          <th className="n">sphere, Å</th>
          <th className="n">passes, Å</th>
          {electrons && <th className="n">e each</th>}
          <th>room for</th>
        </tr>
      </thead>
      <tbody>
        {alike(figures.voids, electrons)
          .slice(0, MOST_ROWS)
          .map(({ of: v, count, electrons: inside }, i) => (
            <tr key={i}>
              <td>
                {count > 1 && `${count} × `}
                {kindWords(v)}
              </td>
              <td className="n">{v.touched.toFixed(1)}</td>
              <td className="n">{v.sphere.toFixed(2)}</td>
              <td className="n">{v.window === undefined ? '–' : v.window.toFixed(2)}</td>
              {electrons && <td className="n">{inside === undefined ? '–' : (inside / count).toFixed(0)}</td>}
              <td>{guestWords(v)}</td>
            </tr>
          ))}
      </tbody>
    </table>
  );
}

interface TablesProps {
  readonly figures: VoidFigures;
  readonly curve: Curve;
  readonly network: ReturnType<typeof networkTable> | undefined;
}

function Tables({ figures, curve, network }: TablesProps): ReactNode {
  const { project } = useProject('project');
  return (
    <p className="acts mb-1">
      <span className="soft">voids</span>
      <TableActions table={() => voidTable(figures)} fileName={`${project.name}-voids.csv`} />
      <span className="soft">curve</span>
      <TableActions table={() => curveTable(curve)} fileName={`${project.name}-void-curve.csv`} />
      <span className="soft">pore sizes</span>
      <TableActions table={() => sizeTable(curve)} fileName={`${project.name}-pore-sizes.csv`} />
      {network && (
        <>
          <span className="soft">ways</span>
          <TableActions table={() => network} fileName={`${project.name}-ways.csv`} />
        </>
      )}
    </p>
  );
}
