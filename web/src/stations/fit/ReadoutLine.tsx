/** What stands under the cursor of the pattern, in numbers. */
import { type ReactNode } from 'react';
import { CONSTANT_SIGNS, freeConstants } from '@nagare/core/powder/model';
import { percent } from '../../frame/parts.tsx';
import { sensitivities } from './reflections.ts';
import { useFit } from './use-fit.tsx';

/** What is pointed at, or the figures of the fit. */
export function ReadoutLine(): ReactNode {
  const { hovered, model, own, figures, drafting, drop, dragBy, setDragBy, trial } = useFit(
    'hovered',
    'model',
    'own',
    'figures',
    'drafting',
    'drop',
    'dragBy',
    'setDragBy',
    'trial',
  );
  const phase = hovered && model?.phases.find((p) => p.id === hovered.phaseId);
  const wavelength = own?.instrument.lines[0]?.wavelength ?? 1.54059;
  if (hovered && phase) {
    const all = sensitivities(phase, hovered, wavelength),
      moved = all.filter((s) => Math.abs(s.slope) > 1e-6);
    return (
      <div className="selection-line" data-testid="readout">
        <span>
          <b>{hovered.name}</b>{' '}
          <span className="mono">
            {hovered.h} {hovered.k} {hovered.l}
          </span>
        </span>
        <span>
          <span className="soft">d</span> <span className="value">{hovered.d.toFixed(5)} Å</span>
        </span>
        <span>
          <span className="soft">2θ</span> <span className="value">{hovered.x.toFixed(4)}°</span>
        </span>
        <span>
          <span className="soft">area</span> <span className="value">{hovered.intensity.toFixed(1)}</span>
        </span>
        <span>
          <span className="soft">{moved.length === 1 ? 'depends on ' : 'moves '}</span>
          {moved.map((s) => (
            <span key={s.constant} className="me-2">
              <b>{CONSTANT_SIGNS[s.constant]}</b>
              {moved.length === 1 ? ' alone: ' : ' '}
              <span className="mono">{s.slope.toFixed(2)}</span>
              <span className="soft">°/{s.constant.length === 1 ? 'Å' : '°'}</span>
            </span>
          ))}
        </span>
        {freeConstants(phase.structure.spaceGroup).length > 1 && (
          <label className="soft" title="What dragging a tick changes">
            drag:{' '}
            <select
              className="inline"
              aria-label="Constant that dragging changes"
              value={dragBy[phase.id] ?? ''}
              onChange={(e) => setDragBy(phase.id, (e.target.value || undefined) as never)}
            >
              <option value="">the most sensitive</option>
              {all.map((s) => (
                <option key={s.constant} value={s.constant}>
                  {CONSTANT_SIGNS[s.constant]}
                </option>
              ))}
            </select>
          </label>
        )}
      </div>
    );
  }
  return (
    <div className="selection-line">
      {figures && model?.phases.length ? (
        <>
          <span>
            <span className="soft">Rwp</span>{' '}
            <span className="value" data-testid="live-rwp">
              {percent(figures.rwp)}
            </span>
          </span>
          <span>
            <span className="soft">Rp</span> <span className="value">{percent(figures.rp)}</span>
          </span>
          <span>
            <span className="soft">S</span> <span className="value">{figures.s.toFixed(2)}</span>
          </span>
        </>
      ) : (
        <span className="soft">Point at a reflection to read it; drag its tick to move it.</span>
      )}
      {trial && <span className="soft">{trial.name} is shown on trial</span>}
      {drafting && (
        <>
          <span className="soft">changed by hand</span>
          <button className="word" onClick={drop}>
            Back to the mark
          </button>
        </>
      )}
    </div>
  );
}
