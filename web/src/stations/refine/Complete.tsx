/** Complete and connected: what is drawn grown across symmetry, and the model's fragments moved to where they belong. */
import { isHome, siteOf } from '@nagare/core/crystal/atom-ref';
import { selectedSites } from '../../store/selection.ts';
import { useMemo, useState, type ReactNode } from 'react';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { assembleAsymmetricUnit } from '@nagare/core/geometry/bonds';
import { followGrowth, moveFragment, type Through } from '@nagare/core/model/complete';
import { chainOrder, neighbourOrder, renameInOrder } from '@nagare/core/model/naming';
import { Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';

const WAYS: [Through, string][] = [
  ['bonds', 'bonds'],
  ['metals', 'bonds to metals only'],
  ['hydrogen bonds', 'hydrogen bonds only'],
];

export function CompleteSheet(): ReactNode {
  const { head, growth, setGrowth, selection, setProblem } = useProject(
    'head',
    'growth',
    'setGrowth',
    'selection',
    'setProblem',
  );
  const edit = useEdit();
  const [through, setThrough] = useState<Through>('bonds');
  const [sort, setSort] = useState(true);
  const s = head!.structure!;
  const now = useMemo(() => followGrowth(s, growth), [s, growth]);
  const grow = (all: boolean): void => {
    const acts = [...growth, { through, all }];
    const next = followGrowth(s, acts);
    if (next.placed.length === now.placed.length) {
      setProblem(`Nothing more is reached along ${WAYS.find((w) => w[0] === through)![1]}.`);
      return;
    }
    setGrowth(acts);
    if (next.endless) setProblem(`This has no end: ${next.placed.length} atoms are drawn, and more would follow.`);
  };
  const copy = selection.length === 1 && !isHome(selection[0]!) ? selection[0] : undefined;
  const heavy = selectedSites(s, selection).filter((i) => s.sites[i] && !isHydrogen(s.sites[i]!.element));
  return (
    <Sheet
      title="Complete and name"
      fold
      shut={!growth.length}
      state={
        growth.length
          ? `${now.placed.length} atoms drawn, ${s.sites.length} of them in the model.`
          : 'The model as it stands: each site once.'
      }
    >
      <div className="field">
        <label htmlFor="grow-by">Along</label>
        <select
          id="grow-by"
          className="form-select form-select-sm"
          value={through}
          onChange={(e) => setThrough(e.target.value as Through)}
        >
          {WAYS.map(([k, name]) => (
            <option key={k} value={k}>
              {name}
            </option>
          ))}
        </select>
      </div>
      <button className="word" onClick={() => grow(false)}>
        One step
      </button>
      <button className="word" onClick={() => grow(true)}>
        Until nothing is missing
      </button>
      <button className="word" disabled={!growth.length} onClick={() => setGrowth([])}>
        Unique part
      </button>
      <div>
        <button
          className="word"
          onClick={() => void edit(assembleAsymmetricUnit(s), 'asymmetric unit connected, its centre in the cell')}
        >
          Connect the asymmetric unit
        </button>
        <button
          className="word"
          disabled={!copy}
          title="Select one atom of a drawn copy"
          onClick={() => {
            void edit(moveFragment(s, copy!), `fragment of ${siteOf(s, copy!)?.label} moved to the picked copy`);
          }}
        >
          Move its fragment to the picked copy
        </button>
      </div>
      <div className="mt-1">
        <span className="soft">Name </span>
        <button
          className="word"
          disabled={!heavy.length}
          title="Select atoms in the order they should be numbered"
          onClick={() => void edit(renameInOrder(s, heavy, 1, sort), `${heavy.length} atoms named in the order picked`)}
        >
          as picked
        </button>
        <button
          className="word"
          onClick={() => void edit(renameInOrder(s, chainOrder(s), 1, sort), 'named along the chains')}
        >
          along the chains
        </button>
        <button
          className="word"
          disabled={!heavy.length}
          onClick={() =>
            void edit(
              renameInOrder(s, neighbourOrder(s, heavy), 1, sort),
              `named outwards from ${s.sites[heavy[0]!]!.label}`,
            )
          }
        >
          outwards from the selection
        </button>
        <label className="soft ms-1">
          <input type="checkbox" checked={sort} onChange={(e) => setSort(e.target.checked)} /> sort too
        </label>
      </div>
    </Sheet>
  );
}
