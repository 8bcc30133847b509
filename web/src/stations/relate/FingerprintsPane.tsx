/** Fingerprints of molecules' surfaces side by side: distance to the atom inside against distance to the atom outside. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { withBonding } from '@nagare/core/crystal/bonding';
import { channels } from '@nagare/core/draw/colours';
import type { Fingerprint } from '@nagare/core/contacts/molecule-surface';
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../../engine/engine.ts';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import { OtherCrystal } from './OtherCrystal.tsx';
import { mutualShares, shareTable } from './surface-words.ts';
import { TableActions } from './TableActions.tsx';

const MOST_OTHERS = 3;

async function printOf(structure: Structure | undefined): Promise<Fingerprint> {
  if (!structure) throw new Error('There is no model to look at.');
  return (await run('molecule surface', { structure, by: 'density' }).result).fingerprint;
}

function usePrints(choices: readonly string[]): { prints: readonly Fingerprint[]; problem?: string; waiting: boolean } {
  const { head, looks } = useProject('head', 'looks');
  const s = head?.structure;
  const query = useQuery({
    queryKey: ['fingerprints', head?.id, looks.bonding, choices],
    enabled: !!s?.sites.length,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: async () => {
      const others = await Promise.all(choices.map(structureOfChoice));
      return Promise.all([withBonding(s!, looks.bonding), ...others].map(printOf));
    },
  });
  return {
    prints: query.data ?? [],
    waiting: query.isFetching,
    ...(query.error ? { problem: query.error.message } : {}),
  };
}

export default function FingerprintsPane(): ReactNode {
  const { project } = useProject('project');
  const { marks, projects } = useOtherStructures();
  const [choices, setChoices] = useState<readonly string[]>([]);
  const { prints, problem, waiting } = usePrints(choices);
  const names = [project.name, ...choices.map((c) => [...marks, ...projects].find(([id]) => id === c)?.[1] ?? '?')];
  const shares = prints.map(mutualShares);
  const pairs = [...new Set(shares.flatMap((l) => l.map((x) => x.pair)))];
  return (
    <div className="tables-pane fingerprints">
      <header>
        <h3>Fingerprints of the surface</h3>
        <div className="d-flex flex-wrap gap-3 align-items-center">
          {choices.length < MOST_OTHERS && (
            <OtherCrystal choice="" onChoose={(c) => c && !choices.includes(c) && setChoices([...choices, c])} />
          )}
          {choices.length > 0 && (
            <button className="word" onClick={() => setChoices([])}>
              By itself
            </button>
          )}
          {prints.length > 0 && (
            <TableActions table={() => shareTable(names, prints)} fileName={`${project.name}-fingerprint.csv`} />
          )}
          <span className="soft" aria-live="polite">
            {problem ?? (waiting ? 'Working it out…' : '')}
          </span>
        </div>
      </header>
      <div className="prints">
        {prints.map((p, i) => (
          <figure key={names[i]}>
            <PrintChart print={p} name={names[i]!} />
            <figcaption>{names[i]}</figcaption>
          </figure>
        ))}
      </div>
      {prints.length > 0 && (
        <table aria-label="Shares of the surface">
          <thead>
            <tr>
              <th>elements on both sides</th>
              {names.slice(0, prints.length).map((n) => (
                <th key={n} className="n">
                  {n}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {pairs.map((x) => (
              <tr key={x}>
                <td>{x}</td>
                {shares.map((l, i) => {
                  const share = l.find((y) => y.pair === x)?.share ?? 0;
                  return (
                    <td key={i} className="n">
                      <span className="share" aria-hidden="true">
                        <i style={{ width: `${100 * share}%` }} />
                      </span>
                      {(100 * share).toFixed(1)} %
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

/** Pixels of the chart, its margins, and ticks, Å. */
const SIZE = 300,
  LEFT = 40,
  RIGHT = 14,
  BOTTOM = 12,
  TICKS = [0.5, 1, 1.5, 2, 2.5, 3];

function PrintChart({ print, name }: { print: Fingerprint; name: string }): ReactNode {
  const canvas = useRef<HTMLCanvasElement>(null);
  const colours = useSceneColours();
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    const side = SIZE - LEFT - RIGHT;
    const { bins, from, step, shares } = print;
    const high = Math.max(...shares) || 1;
    const [ground, ink] = [channels(colours.ground), channels(colours.indigo)];
    const gold = channels(colours.gold);
    context.fillStyle = colours.ground;
    context.fillRect(0, 0, SIZE, SIZE + BOTTOM);
    const cell = side / bins;
    for (let j = 0; j < bins; j++)
      for (let i = 0; i < bins; i++) {
        const share = shares[i + bins * j]!;
        if (!share) continue;
        // From a tint of indigo to gold where most of the surface is.
        const part = Math.sqrt(share / high);
        const rgb = ink.map((x, k) => {
          const tint = x + (ground[k]! - x) * 0.55;
          return part < 0.6 ? tint + (x - tint) * (part / 0.6) : x + (gold[k]! - x) * ((part - 0.6) / 0.4);
        });
        context.fillStyle = `rgb(${rgb.map(Math.round).join()})`;
        context.fillRect(LEFT + i * cell, 6 + side - (j + 1) * cell, cell + 0.5, cell + 0.5);
      }
    context.strokeStyle = colours.soft;
    context.fillStyle = colours.ink;
    context.font = '12px Inter, sans-serif';
    context.lineWidth = 0.6;
    context.strokeRect(LEFT, 6, side, side);
    for (const t of TICKS) {
      const at = ((t - from) / (bins * step)) * side;
      context.textAlign = 'center';
      context.fillText(t.toFixed(1), LEFT + at, 6 + side + 14);
      context.textAlign = 'right';
      context.fillText(t.toFixed(1), LEFT - 5, 6 + side - at + 4);
    }
    context.textAlign = 'center';
    context.fillText('inside, Å', LEFT + side / 2, 6 + side + 30);
    context.save();
    context.translate(11, 6 + side / 2);
    context.rotate(-Math.PI / 2);
    context.fillText('outside, Å', 0, 0);
    context.restore();
  }, [print, colours]);
  return (
    <canvas
      ref={canvas}
      width={SIZE}
      height={SIZE - RIGHT + BOTTOM}
      role="img"
      aria-label={`Fingerprint of ${name}: distances inside and outside of the surface`}
    />
  );
}
