/** How much nothing there is, and where c stands then. */
import type { ReactNode } from 'react';
import type { VacuumChoice } from '@nagare/core/build/surface';
import type { CutSurface } from '@nagare/core/tasks/build-task';
import { NumberField } from '../../frame/parts.tsx';
import { constantsWords } from '@nagare/core/crystal/cell-words';

export const USUAL_VACUUM: VacuumChoice = { vacuum: 12, along: 'normal', bothSides: true };

interface VacuumFieldsProps {
  readonly id: string;
  readonly value: VacuumChoice;
  /** What either way would come to, where it is known. */
  readonly cells?: CutSurface['cells'] | undefined;
  onChange(v: VacuumChoice): void;
}

const ALONG = { normal: 'c along the normal', oblique: 'the crystal’s own angles' } as const;

export function VacuumFields({ id, value, cells, onChange }: VacuumFieldsProps): ReactNode {
  return (
    <>
      <div className="triple">
        <NumberField
          id={`${id}-vacuum`}
          label="Vacuum, Å"
          value={value.vacuum}
          digits={1}
          step={1}
          min={0}
          max={200}
          unit="Å of vacuum"
          onChange={(vacuum) => onChange({ ...value, vacuum })}
        />
        <select
          className="form-select form-select-sm"
          aria-label="Where the vacuum is"
          value={value.bothSides ? 'both' : 'above'}
          onChange={(e) => onChange({ ...value, bothSides: e.target.value === 'both' })}
        >
          <option value="both">above and beneath</option>
          <option value="above">above only</option>
        </select>
      </div>
      <div className="along mb-2" role="radiogroup" aria-label="Where c stands">
        {(['normal', 'oblique'] as const).map((along) => (
          <label key={along} className="word">
            <input
              type="radio"
              name={`${id}-along`}
              checked={value.along === along}
              onChange={() => onChange({ ...value, along })}
            />{' '}
            {ALONG[along]}
            {cells && <span className="mono fine">{constantsWords(cells[along])}</span>}
          </label>
        ))}
      </div>
    </>
  );
}
