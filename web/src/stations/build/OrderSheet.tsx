/** Ordered models of sites that are shared or partly empty, ranked by the energy of their charges. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { sharedSets } from '@nagare/core/build/arrangements';
import { multiples } from '@nagare/core/build/supercell';
import type { OrderChoices } from '@nagare/core/tasks/build-task';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';

/** Models listed at first; the rest is far from the ground. */
const LISTED = 24;

export function OrderSheet({ wish, state, onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const s = head!.structure!;
  const [steps, setSteps] = useState<readonly [number, number, number]>([1, 1, 1]);
  const sets = useMemo(() => sharedSets(s), [s]);
  const mine = wish?.kind === 'ordered' ? wish : undefined;
  if (!sets.length) return null;
  const shared = sets.map((g) =>
    g.map((i) => `${s.sites[i]!.label} ${Number(s.sites[i]!.occupancy.toFixed(3))}`).join(' with '),
  );
  return (
    <Sheet
      title="Order what is shared"
      fold
      state={`${shared.join('; ')}: whole atoms instead, every arrangement that symmetry tells apart.`}
    >
      <div className="triple">
        <NumberRow
          id="order"
          labels={['a', 'b', 'c'].map((x) => `Multiples of ${x} of the ordered cell`)}
          values={steps}
          digits={0}
          step={1}
          min={1}
          max={6}
          onChange={([p, q, r]) => setSteps([p!, q!, r!])}
        />
        <Button size="sm" onClick={() => onWish({ kind: 'ordered', matrix: multiples(...steps), index: 0 })}>
          Look at the models
        </Button>
      </div>
      {mine && state.built?.order && (
        <Models order={state.built.order} onPick={(index) => onWish({ ...mine, index })} />
      )}
    </Sheet>
  );
}

function Models({ order, onPick }: { order: OrderChoices; onPick(index: number): void }): ReactNode {
  const { models, chosen, total } = order;
  const ground = models[0]?.energy;
  return (
    <>
      <p className="soft mb-1">
        {total} {total === 1 ? 'arrangement' : 'arrangements'} of the cell, {models.length} under the symmetry.
      </p>
      <table className="relate">
        <thead>
          <tr>
            <th>model</th>
            <th className="n">stands for</th>
            <th className="n">above the lowest, eV</th>
          </tr>
        </thead>
        <tbody>
          {models.slice(0, LISTED).map((m, i) => (
            <PickRow key={i} chosen={i === chosen} onPick={() => onPick(i)}>
              <td>{i + 1}</td>
              <td className="n">{m.multiplicity}</td>
              <td className="n">
                {m.energy === undefined || ground === undefined ? '' : (m.energy - ground).toFixed(3)}
              </td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {models.length > LISTED && <p className="soft mb-0">{models.length - LISTED} more lie higher.</p>}
    </>
  );
}
