/** Layers as bonds make them. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import type { VacuumChoice } from '@nagare/core/build/surface';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { USUAL_VACUUM, VacuumFields } from './VacuumFields.tsx';

export function LayerSheet({ onWish, wish }: BuildSheetProps): ReactNode {
  const [count, setCount] = useState(1);
  const [vacuum, setVacuum] = useState(USUAL_VACUUM);
  const mine = wish?.kind === 'layer';
  const show = (n: number, v: VacuumChoice): void => onWish({ kind: 'layer', count: n, vacuum: v });
  return (
    <Sheet title="Layers" fold shut state="Sheets as bonds make them, taken out one by one; chains and clusters too.">
      <div className="triple">
        <NumberField
          id="layer-count"
          label="How many layers"
          value={count}
          digits={0}
          step={1}
          min={1}
          max={40}
          onChange={(n) => {
            setCount(Math.round(n));
            if (mine) show(Math.round(n), vacuum);
          }}
        />
        <span className="soft">{count === 1 ? 'layer' : 'layers'}</span>
      </div>
      <VacuumFields
        id="layer"
        value={vacuum}
        onChange={(v) => {
          setVacuum(v);
          if (mine) show(count, v);
        }}
      />
      <p className="acts mb-0">
        <Button size="sm" onClick={() => show(count, vacuum)}>
          Look at the layer
        </Button>
        {(['chain', 'cluster'] as const).map((net) => (
          <button
            key={net}
            className="word"
            onClick={() => onWish({ kind: 'net', net, vacuum: Math.max(3, vacuum.vacuum) })}
          >
            One {net}
          </button>
        ))}
      </p>
    </Sheet>
  );
}
