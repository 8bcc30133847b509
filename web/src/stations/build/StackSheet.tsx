/** Two layers on one another: common cells looked for, their strain, order, distance and shift. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import type { CommonCell, StackSearch, StackWish } from '@nagare/core/build/stack';
import { decimal } from '@nagare/core/math/decimal';
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../../engine/engine.ts';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { orderOf } from './build-wishes.ts';
import { OtherStructures } from './OtherStructures.tsx';
import { USUAL_VACUUM, VacuumFields } from './VacuumFields.tsx';

/** Common cells that are listed. */
const LISTED = 14;

type Setting = Omit<StackWish, 'cell' | 'order'>;
const USUAL: Setting = { fit: 'upper', distance: 3.3, shift: [0, 0], vacuum: USUAL_VACUUM };

interface Search {
  readonly key: string;
  readonly upper: Structure | undefined;
  readonly search: StackSearch;
}

export function StackSheet({ wish, onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const others = useOtherStructures();
  const [other, setOther] = useState('');
  const [most, setMost] = useState(120);
  const [strain, setStrain] = useState(1);
  const [twist, setTwist] = useState('');
  const [search, setSearch] = useState<Search | undefined>();
  const [setting, setSetting] = useState(USUAL);
  const [order, setOrder] = useState('1 2');
  const mine = wish?.kind === 'stack' ? wish : undefined;
  const lower = head!.structure!;
  const found = useQuery({
    queryKey: ['common cells', head?.id, search?.key],
    enabled: !!search,
    staleTime: Infinity,
    retry: false,
    queryFn: () => run('common cells', { lower, upper: search!.upper ?? lower, search: search!.search }).result,
  });
  const look = async (): Promise<void> => {
    const upper = other ? await structureOfChoice(other) : undefined;
    const angle = Number(twist.replace(',', '.'));
    const turned = twist.trim() && Number.isFinite(angle) ? { twist: { angle, within: 1 } } : {};
    setSearch({
      key: [other, most, strain, twist].join('|'),
      upper,
      search: { mostAtoms: most, mostStrain: Math.max(1e-5, strain / 100), ...turned },
    });
  };
  const layers = orderOf(order);
  const show = (cell: CommonCell, change: Partial<Setting> = {}, list = layers): void => {
    if (!list) return;
    const { upper } = search ?? {};
    onWish({ kind: 'stack', ...(upper ? { upper } : {}), stack: { ...setting, ...change, cell, order: list } });
  };
  const change = (part: Partial<Setting>): void => {
    setSetting({ ...setting, ...part });
    if (mine) show(mine.stack.cell, part);
  };
  return (
    <Sheet
      title="Stack"
      fold
      shut
      state="A layer of this crystal with one of the same or of another on it, turned or not."
    >
      <div className="triple">
        <span className="soft">upper layer of</span>
        <OtherStructures value={other} here="this crystal" others={others} onChange={setOther} />
        <NumberField
          id="stack-most"
          label="Atoms of the common cell at most"
          value={most}
          digits={0}
          step={10}
          min={2}
          max={2000}
          unit="atoms at most"
          onChange={(n) => setMost(Math.round(n))}
        />
        <NumberField
          id="stack-strain"
          label="Strain at most, %"
          value={strain}
          digits={2}
          step={0.5}
          min={0}
          max={20}
          unit="% of strain at most"
          onChange={setStrain}
        />
        <input
          className="form-control form-control-sm matrix"
          aria-label="Twist wished, degrees; empty for any"
          placeholder="any twist, °"
          value={twist}
          onChange={(e) => setTwist(e.target.value)}
        />
        <Button size="sm" disabled={found.isFetching} onClick={() => void look()}>
          {found.isFetching ? 'Looking…' : 'Look for common cells'}
        </Button>
      </div>
      {found.error && (
        <p className="off mb-1" role="alert">
          {found.error.message}
        </p>
      )}
      {found.data && <CommonCells list={found.data} chosen={mine?.stack.cell} onPick={(c) => show(c)} />}
      <div className="triple">
        <NumberField
          id="stack-distance"
          label="Distance from layer to layer, Å"
          value={setting.distance}
          digits={2}
          step={0.1}
          min={0.5}
          max={30}
          unit="Å between layers"
          onChange={(distance) => change({ distance })}
        />
        <span className="soft">shifted by</span>
        <NumberRow
          id="stack-shift"
          labels={['Shift of the upper layer along a, fraction', 'Shift of the upper layer along b, fraction']}
          values={setting.shift}
          digits={4}
          step={0.05}
          min={-1}
          max={1}
          onChange={([x, y]) => change({ shift: [x!, y!] })}
        />
        <span className="soft">order</span>
        <input
          className="form-control form-control-sm matrix"
          aria-label="Order of the layers from below: 1 this one, 2 the upper one"
          title="1 is the layer of this crystal, 2 the upper one, from below"
          value={order}
          onChange={(e) => {
            setOrder(e.target.value);
            const list = orderOf(e.target.value);
            if (mine && list) show(mine.stack.cell, {}, list);
          }}
        />
        <select
          className="form-select form-select-sm"
          aria-label="Who gives way"
          value={setting.fit}
          onChange={(e) => change({ fit: e.target.value === 'both' ? 'both' : 'upper' })}
        >
          <option value="upper">the upper layer gives way</option>
          <option value="both">both give way by halves</option>
        </select>
      </div>
      {!layers && (
        <p className="off mb-1">Write the order from below as “1 2” or “1 2 1”: 1 this layer, 2 the upper one.</p>
      )}
      <VacuumFields id="stack" value={setting.vacuum} onChange={(vacuum) => change({ vacuum })} />
    </Sheet>
  );
}

interface CommonCellsProps {
  readonly list: readonly CommonCell[];
  readonly chosen: CommonCell | undefined;
  onPick(cell: CommonCell): void;
}

function CommonCells({ list, chosen, onPick }: CommonCellsProps): ReactNode {
  return (
    <table className="relate" aria-label="Common cells">
      <thead>
        <tr>
          <th className="n">twist, °</th>
          <th className="n">atoms</th>
          <th className="n">strain, %</th>
          <th className="n">area, Å²</th>
        </tr>
      </thead>
      <tbody>
        {list.slice(0, LISTED).map((c) => (
          <PickRow key={`${c.twist} ${c.atoms}`} chosen={c === chosen} onPick={() => onPick(c)}>
            <td className="n">{decimal(c.twist, 2)}</td>
            <td className="n">{c.atoms}</td>
            <td className="n">{c.strain.map((x) => decimal(100 * x, 2)).join(', ')}</td>
            <td className="n">{c.area.toFixed(1)}</td>
          </PickRow>
        ))}
      </tbody>
    </table>
  );
}
