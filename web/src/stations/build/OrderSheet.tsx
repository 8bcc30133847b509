/** Ordered models of sites that are shared or partly empty, ranked by the energy of their charges. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { countArrangements, sharedSets } from '@nagare/core/build/arrangements';
import { multiples } from '@nagare/core/build/supercell';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { OrderChoices } from '@nagare/core/tasks/build-task';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';

/** Models listed at first; the rest is far from the ground. */
const LISTED = 24;

export function OrderSheet({ wish, state, onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const s = head!.structure!;
  const [steps, setSteps] = useState<readonly [number, number, number]>([1, 1, 1]);
  const sets = useMemo(() => sharedSets(s), [s]);
  const [cells, setCells] = useState(2);
  const mine = wish?.kind === 'ordered' || wish?.kind === 'ordered up to' ? wish : undefined;
  const count = useMemo(() => countWords(s, multiples(...steps)), [s, steps]);
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
      <p className="soft mb-1">{count}</p>
      <div className="triple">
        <span className="soft">or every cell of up to</span>
        <NumberField
          id="order-cells"
          label="Primitive cells of the ordered cell at most"
          value={cells}
          digits={0}
          step={1}
          min={1}
          max={12}
          unit="primitive ones"
          onChange={(n) => setCells(Math.round(n))}
        />
        <button className="word" onClick={() => onWish({ kind: 'ordered up to', cells, index: 0 })}>
          Look at them
        </button>
      </div>
      {mine && state.built?.order && (
        <Models order={state.built.order} onPick={(index) => onWish({ ...mine, index })} />
      )}
    </Sheet>
  );
}

/** How many arrangements a cell has, before any is made. */
function countWords(s: Structure, matrix: Mat3): string {
  try {
    const n = countArrangements(s, matrix);
    const told = n < 1e9 ? n.toLocaleString('en') : `more than 10^${Math.floor(Math.log10(n))}`;
    return `This cell has ${told} ${n === 1 ? 'arrangement' : 'arrangements'} before symmetry.`;
  } catch (e) {
    return (e as Error).message;
  }
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
            {models.some((m) => m.cells) && <th className="n">cells</th>}
            <th className="n">above the lowest, eV</th>
          </tr>
        </thead>
        <tbody>
          {models.slice(0, LISTED).map((m, i) => (
            <PickRow key={i} chosen={i === chosen} onPick={() => onPick(i)}>
              <td>{i + 1}</td>
              <td className="n">{m.multiplicity}</td>
              {m.cells && <td className="n">{m.cells}</td>}
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
