/** A set of crystals compared by their patterns and packings, two and two: a table and a tree. */
import { useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import { leavesOf, type Cluster } from '@nagare/core/math/cluster';
import { run } from '../../engine/engine.ts';
import { inSteps } from '../../engine/steps.ts';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import {
  hasPackings,
  heightWords,
  pairOf,
  pairWords,
  setTable,
  TREE_BY,
  treeOf,
  type PairFound,
  type SetFound,
  type TreeBy,
} from './set-words.ts';
import { TableActions } from './TableActions.tsx';

/** More would take long, and make no table. */
const MOST = 12;

export function SetOfCrystals({ s }: { s: Structure }): ReactNode {
  const { project, perform, work } = useProject('project', 'perform', 'work');
  const { marks, projects } = useOtherStructures();
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const [found, setFound] = useState<SetFound | undefined>();
  const others = [...projects, ...marks];
  if (others.length < 2) return null;
  const toggle = (id: string): void =>
    setChosen(chosen.includes(id) ? chosen.filter((x) => x !== id) : [...chosen, id]);
  const compare = (): void => {
    const names = [project.name, ...chosen.map((id) => others.find(([k]) => k === id)![1])];
    void perform('Comparing the set', (tell) => allPairs(s, chosen, names, tell)).then((x) => x && setFound(x));
  };
  return (
    <details>
      <summary>A set of them</summary>
      <div className="set-choice mb-1">
        {others.slice(0, 40).map(([id, name]) => (
          <label key={id} className="word">
            <input
              type="checkbox"
              checked={chosen.includes(id)}
              disabled={!chosen.includes(id) && chosen.length >= MOST - 1}
              onChange={() => toggle(id)}
            />{' '}
            {name}
          </label>
        ))}
      </div>
      <p className="acts mb-1">
        <button className="word" disabled={chosen.length < 2 || !!work} onClick={compare}>
          Compare {project.name} and {chosen.length} others
        </button>
      </p>
      {found && (
        <>
          <SetTable found={found} />
          <SetTree found={found} />
          <p className="acts mb-0">
            <TableActions table={() => setTable(found)} fileName={`${project.name}-set.csv`} />
          </p>
        </>
      )}
    </details>
  );
}

/** Every two of a set, one after another. */
function allPairs(s: Structure, chosen: readonly string[], names: readonly string[], tell: (detail: string) => void) {
  return inSteps(async (step): Promise<SetFound> => {
    const all = [s, ...(await Promise.all(chosen.map(structureOfChoice)))];
    const pairs = new Map<string, PairFound>();
    for (let i = 0; i < all.length; i++)
      for (let j = i + 1; j < all.length; j++) {
        const [one, two] = [all[i], all[j]];
        if (!one || !two) continue;
        tell(`${names[i]} and ${names[j]}`);
        const { similarity, crystals } = await step(run('compare crystals', { one, two }));
        pairs.set(`${i} ${j}`, { similarity, ...(crystals ? { packing: crystals.packing } : {}) });
      }
    return { names, pairs };
  });
}

function SetTable({ found }: { found: SetFound }): ReactNode {
  return (
    <div className="wide-table mb-1">
      <table className="relate" aria-label="Crystals compared two and two">
        <thead>
          <tr>
            <td></td>
            {found.names.slice(1).map((n, i) => (
              <th key={i}>{n}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.names.slice(0, -1).map((name, i) => (
            <tr key={i}>
              <td>{name}</td>
              {found.names.slice(1).map((_, k) => (
                <td key={k} className="n">
                  {k + 1 > i ? pairWords(pairOf(found, i, k + 1)) : ''}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft fine mb-1">Similarity of the patterns, then molecules of fifteen that stand alike.</p>
    </div>
  );
}

const WIDTH = 360,
  ROW = 20,
  NAMES = 130;

const BY_WORDS: Readonly<Record<TreeBy, string>> = {
  patterns: 'by their patterns',
  packings: 'by molecules that stand alike',
};

/** Who joins whom, by what is chosen. */
function SetTree({ found }: { found: SetFound }): ReactNode {
  const [by, setBy] = useState<TreeBy>('patterns');
  const isOffered = hasPackings(found);
  return (
    <>
      {isOffered && (
        <p className="acts mb-1" role="group" aria-label="What the tree is joined by">
          {TREE_BY.map((x) => (
            <button key={x} className="word" aria-pressed={x === by} onClick={() => setBy(x)}>
              {BY_WORDS[x]}
            </button>
          ))}
        </p>
      )}
      <TreePicture found={found} by={isOffered ? by : 'patterns'} />
    </>
  );
}

function TreePicture({ found, by }: { found: SetFound; by: TreeBy }): ReactNode {
  const tree = treeOf(found, by);
  const order = leavesOf(tree);
  const most = 'leaf' in tree ? 1 : Math.max(tree.at, 1e-6);
  const x = (at: number): number => NAMES + 6 + (at / most) * (WIDTH - NAMES - 20);
  const lines: string[] = [];
  const labels: { x: number; y: number; text: string }[] = [];
  const draw = (c: Cluster): { x: number; y: number } => {
    if ('leaf' in c) return { x: x(0), y: ROW * (order.indexOf(c.leaf) + 0.5) };
    const [p, q] = [draw(c.of[0]), draw(c.of[1])];
    const at = x(c.at);
    lines.push(`M${p.x} ${p.y}H${at}V${q.y}H${q.x}`);
    labels.push({ x: at, y: (p.y + q.y) / 2, text: heightWords(c.at, by) });
    return { x: at, y: (p.y + q.y) / 2 };
  };
  draw(tree);
  return (
    <svg
      className="expected-picture set-tree"
      viewBox={`0 0 ${WIDTH} ${ROW * order.length}`}
      role="img"
      aria-label={`Tree: ${order.map((i) => found.names[i]).join(', ')}`}
    >
      <path className="curve" d={lines.join('')} />
      {order.map((leaf, i) => (
        <text key={leaf} x={NAMES} y={ROW * (i + 0.5)} textAnchor="end" dominantBaseline="middle">
          {found.names[leaf]!.slice(0, 24)}
        </text>
      ))}
      {labels.map((l, i) => (
        <text key={i} x={l.x - 3} y={l.y - 3} textAnchor="end">
          {l.text}
        </text>
      ))}
    </svg>
  );
}
