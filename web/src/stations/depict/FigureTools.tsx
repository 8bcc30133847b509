/** Under the page: where it is seen from, how atoms are picked, what is wrong. */
import type { ReactNode } from 'react';
import type { PanelScene } from '@nagare/core/depict/panel-scene';
import { itemsOf } from '@nagare/core/draw/scene';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { useProject } from '../../store/use-project.tsx';
import { selectionMeasure } from '../../frame/selection-measure.ts';
import type { FigureOnTable } from './use-figure.ts';
import type { FigureHands } from './use-figure-hands.ts';

const AXES: readonly (readonly [string, Vec3])[] = [
  ['a', [1, 0, 0]],
  ['b', [0, 1, 0]],
  ['c', [0, 0, 1]],
];

interface FigureToolsProps {
  readonly table: FigureOnTable;
  readonly scenes: readonly PanelScene[];
  readonly hands: FigureHands;
  readonly problem: string | undefined;
  readonly working: boolean;
}

export function FigureTools({ table, scenes, hands, problem, working }: FigureToolsProps): ReactNode {
  const { figure, panel } = table;
  const here = scenes.find((s) => s.panel.id === panel.id);
  return (
    <div className="figure-tools">
      <p className="counts" data-testid="figure-counts" role={problem ? 'alert' : undefined}>
        {problem ?? (here ? <Counts scene={here} /> : working ? 'Drawing…' : '')}
      </p>
      <div className="acts">
        {figure.panels.length > 1 && (
          <span className="soft">panel ({String.fromCharCode(97 + figure.panels.indexOf(panel))})</span>
        )}
        <span className="soft">along</span>
        {AXES.map(([name, row]) => (
          <button key={name} className="word" title={`Look along ${name}`} onClick={() => hands.along(row)}>
            {name}
          </button>
        ))}
        <button className="word" onClick={hands.fit}>
          fit
        </button>
        <button
          className="word"
          aria-pressed={hands.reach === 'box'}
          onClick={() => hands.setReach(hands.reach === 'box' ? undefined : 'box')}
        >
          box
        </button>
        <button
          className="word"
          aria-pressed={hands.reach === 'lasso'}
          onClick={() => hands.setReach(hands.reach === 'lasso' ? undefined : 'lasso')}
        >
          lasso
        </button>
      </div>
    </div>
  );
}

/** What is picked and measures, or what the panel draws. */
function Counts({ scene }: { scene: PanelScene }): ReactNode {
  const { selection } = useProject('selection');
  const { structure: s, layers } = scene;
  const chosen = selection.filter((a) => s.sites.some((x) => x.id === a.site));
  if (chosen.length) {
    const names = chosen.slice(0, 4).map((a) => s.sites.find((x) => x.id === a.site)!.label);
    const more = chosen.length > 4 ? ` and ${chosen.length - 4} more` : '';
    return `${names.join(', ')}${more}: ${selectionMeasure(s, chosen, scene.covariance)}`;
  }
  const atoms = itemsOf(layers, 'atoms', 'model').length,
    polyhedra = itemsOf(layers, 'polyhedra', 'model').length;
  const many = (n: number, one: string, several: string): string => `${n} ${n === 1 ? one : several}`;
  return `${many(atoms, 'atom', 'atoms')}${polyhedra ? ` and ${many(polyhedra, 'polyhedron', 'polyhedra')}` : ''} drawn.`;
}
