/** Strain by components or by constants; slices; another origin. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import { cellParameters } from '@nagare/core/crystal/cell';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { Sheet } from '../../frame/parts.tsx';
import { atomName } from '../../frame/selection-measure.ts';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';

const COMPONENTS = ['11', '22', '33', '23', '13', '12'];
const CONSTANTS = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'];
const UNSTRAINED = [0, 0, 0, 0, 0, 0];

export function StrainSheet({ onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const { cell } = head!.structure!;
  const [percent, setPercent] = useState<readonly number[]>(UNSTRAINED);
  const [constants, setConstants] = useState<readonly number[] | undefined>();
  const shown = constants ?? cellParameters(cell);
  return (
    <Sheet title="Strain" fold shut state="Other constants with the same fractions; the symmetry that is left is told.">
      <p className="soft mb-1">ε₁₁, ε₂₂, ε₃₃, ε₂₃, ε₁₃, ε₁₂ in %, x along a and z along c*</p>
      <div className="triple">
        <NumberRow
          id="strain"
          labels={COMPONENTS.map((k) => `Strain ε${k}, %`)}
          values={percent}
          digits={2}
          step={0.5}
          min={-50}
          max={50}
          onChange={setPercent}
        />
        <Button
          size="sm"
          disabled={percent.every((x) => !x)}
          onClick={() => onWish({ kind: 'strain', strain: { by: 'tensor', components: percent.map((x) => x / 100) } })}
        >
          Look at it
        </Button>
      </div>
      <p className="soft mb-1">or the constants themselves, Å and degrees</p>
      <div className="triple">
        <NumberRow
          id="constants"
          labels={CONSTANTS.map((k) => `Constant ${k}`)}
          values={shown}
          digits={3}
          step={0.05}
          min={0.5}
          max={500}
          onChange={setConstants}
        />
        <Button
          size="sm"
          disabled={!constants}
          onClick={() => onWish({ kind: 'strain', strain: { by: 'constants', constants: shown } })}
        >
          Look at it
        </Button>
      </div>
    </Sheet>
  );
}

export function SliceSheet({ onWish }: BuildSheetProps): ReactNode {
  const { head, selection } = useProject('head', 'selection');
  const s = head!.structure!;
  const [axis, setAxis] = useState<0 | 1 | 2>(2);
  const [ends, setEnds] = useState<readonly number[]>([0, 0.5]);
  const [close, setClose] = useState(false);
  const [origin, setOrigin] = useState<readonly number[]>([0, 0, 0]);
  const atom = selection.filter((a) => siteOf(s, a)).at(-1);
  const toOrigin = (at: readonly number[]): void =>
    onWish({ kind: 'origin', origin: [at[0]!, at[1]!, at[2]!] satisfies Vec3 });
  return (
    <Sheet
      title="Slice and origin"
      fold
      shut
      state="What stands between two heights of an axis; or another zero point."
    >
      <div className="triple">
        <select
          className="form-select form-select-sm"
          aria-label="Axis of the slice"
          value={axis}
          onChange={(e) => setAxis(Number(e.target.value) as 0 | 1 | 2)}
        >
          {['a', 'b', 'c'].map((name, k) => (
            <option key={name} value={k}>
              along {name}
            </option>
          ))}
        </select>
        <span className="soft">from … to</span>
        <NumberRow
          id="slice"
          labels={['Lower end of the slice, fraction', 'Upper end of the slice, fraction']}
          values={ends}
          digits={4}
          step={0.05}
          min={-20}
          max={20}
          onChange={setEnds}
        />
        <label className="word">
          <input type="checkbox" checked={close} onChange={() => setClose(!close)} /> the axis as long as the slice
        </label>
        <Button
          size="sm"
          onClick={() => onWish({ kind: 'slice', slice: { axis, from: ends[0]!, to: ends[1]!, close } })}
        >
          Look at the slice
        </Button>
      </div>
      <div className="triple">
        <span className="soft">origin at</span>
        <NumberRow
          id="origin"
          labels={['x', 'y', 'z'].map((k) => `New origin, ${k}`)}
          values={origin}
          digits={4}
          step={0.25}
          min={-10}
          max={10}
          onChange={setOrigin}
        />
        <Button size="sm" disabled={origin.every((x) => !x)} onClick={() => toOrigin(origin)}>
          Look at it
        </Button>
        {atom && (
          <button className="word" onClick={() => toOrigin(positionOf(s, atom))}>
            {atomName(s, atom)} at the origin
          </button>
        )}
      </div>
    </Sheet>
  );
}
