/** Every parameter of the fit, changed live or freed for the next run. */
import { useState, type ReactNode } from 'react';
import { backgroundPoints } from '@nagare/core/powder/peaks';
import { linearScales } from '@nagare/core/powder/start';
import { Sheet } from '../../frame/parts.tsx';
import { LiveField } from './LiveField.tsx';
import { useFit } from './use-fit.tsx';
import { PhaseParameters } from './PhaseParameters.tsx';

export function ParametersSheet({
  free,
  setFree,
}: {
  free: ReadonlySet<string>;
  setFree(f: Set<string>): void;
}): ReactNode {
  const fit = useFit('change', 'changePattern', 'model', 'own', 'pattern', 'result', 'trial', 'window');
  const { model, own, pattern, changePattern, change, result } = fit;
  const [open, setOpen] = useState<string | undefined>();
  if (!model || !own || !pattern) return null;
  const flip =
    (key: string) =>
    (on: boolean): void => {
      const next = new Set(free);
      if (on) next.add(key);
      else next.delete(key);
      setFree(next);
    };
  const at = model.patterns.indexOf(own);
  const shown = model.phases.filter((p) => p.id !== fit.trial?.id);
  return (
    <Sheet
      title="Parameters"
      fold
      state="Arrows, wheel or typing change the pattern at once; a tick frees a parameter for “What is ticked”. Point at a constant to light the reflections that depend on it alone."
    >
      {shown.map((p, i) => (
        <PhaseParameters
          key={p.id}
          phase={p}
          index={i}
          open={open === undefined ? i === 0 : open === p.id}
          flip={() => setOpen(open === p.id || (open === undefined && i === 0) ? '' : p.id)}
          free={free}
          setFree={flip}
        />
      ))}
      <h3 className="group">Pattern</h3>
      <LiveField
        id="par-zero"
        label="zero"
        name="Zero"
        unit="°"
        value={own.zero}
        su={result?.patterns[0]?.zero.su ?? 0}
        digits={4}
        step={0.002}
        free={free.has('zero')}
        onFree={flip('zero')}
        onChange={(v) => changePattern('Zero by hand', (p) => ({ ...p, zero: v }))}
      />
      <LiveField
        id="par-shift"
        label="displacement"
        name="Displacement of the specimen"
        unit="mm"
        value={own.displacement}
        su={result?.patterns[0]?.displacement.su ?? 0}
        digits={4}
        step={0.005}
        free={free.has('displacement')}
        onFree={flip('displacement')}
        onChange={(v) => changePattern('Displacement by hand', (p) => ({ ...p, displacement: v }))}
      />
      <LiveField
        id="par-absorb"
        label={own.instrument.geometry === 'capillary' ? 'absorption μR' : 'thinness μt'}
        name="Absorption"
        unit={own.absorption ? '' : 'off'}
        value={own.absorption}
        digits={3}
        step={0.05}
        min={0}
        max={8}
        free={free.has('absorption')}
        onFree={flip('absorption')}
        onChange={(v) => changePattern('Absorption by hand', (p) => ({ ...p, absorption: v }))}
      />
      <div className="live">
        <input
          type="checkbox"
          className="form-check-input"
          aria-label="Background is refined"
          checked={free.has('background')}
          onChange={(e) => flip('background')(e.target.checked)}
        />
        <label htmlFor="par-terms">background</label>
        <span className="d-inline-flex align-items-center gap-1">
          <button
            className="word"
            aria-label="One term less"
            disabled={own.background.chebyshev.length < 2}
            onClick={() =>
              changePattern('Background terms', (p) => ({
                ...p,
                background: { ...p.background, chebyshev: p.background.chebyshev.slice(0, -1) },
              }))
            }
          >
            −
          </button>
          <output id="par-terms" className="mono">
            {own.background.chebyshev.length}
          </output>
          <button
            className="word"
            aria-label="One term more"
            disabled={own.background.chebyshev.length > 23}
            onClick={() =>
              changePattern('Background terms', (p) => ({
                ...p,
                background: { ...p.background, chebyshev: [...p.background.chebyshev, 0] },
              }))
            }
          >
            +
          </button>
        </span>
        <span className="soft unit">terms</span>
      </div>
      <div className="d-flex flex-wrap">
        <button
          className="word"
          onClick={() =>
            change('Scales and background fitted', {
              ...model,
              patterns: model.patterns.map((p, k) => (k === at ? linearScales(pattern, p, model.phases) : p)),
            })
          }
        >
          Fit scales and background
        </button>
        <button
          className="word"
          onClick={() =>
            changePattern('Background follows its estimate', (p) => ({
              ...p,
              background: {
                ...p.background,
                chebyshev: p.background.chebyshev.map(() => 0),
                points: backgroundPoints(pattern),
              },
            }))
          }
        >
          Points along the estimate
        </button>
        {own.background.points.length > 0 && (
          <button
            className="word off"
            onClick={() =>
              changePattern('Background points removed', (p) => ({ ...p, background: { ...p.background, points: [] } }))
            }
          >
            Remove {own.background.points.length} points
          </button>
        )}
        <button
          className="word"
          onClick={() => {
            const w = fit.window ?? [pattern.twoTheta[0]!, pattern.twoTheta.at(-1)!];
            changePattern('A hump added', (p) => ({
              ...p,
              background: {
                ...p.background,
                peaks: [
                  ...p.background.peaks,
                  { position: (w[0] + w[1]) / 2, height: 50, width: Math.min(20, (w[1] - w[0]) / 3) },
                ],
              },
            }));
          }}
        >
          Add a hump here
        </button>
      </div>
      {own.background.peaks.map((b, i) => {
        const set = (k: 'position' | 'height' | 'width') => (v: number) =>
          changePattern(`Hump ${i + 1} by hand`, (p) => ({
            ...p,
            background: { ...p.background, peaks: p.background.peaks.map((x, m) => (m === i ? { ...x, [k]: v } : x)) },
          }));
        return (
          <div key={i}>
            <LiveField
              id={`hump-${i}-p`}
              label={`hump ${i + 1} at`}
              name={`Position of hump ${i + 1}`}
              unit="°"
              value={b.position}
              digits={2}
              step={0.2}
              onChange={set('position')}
            />
            <LiveField
              id={`hump-${i}-h`}
              label="height"
              name={`Height of hump ${i + 1}`}
              value={b.height}
              digits={1}
              step={5}
              onChange={set('height')}
            />
            <LiveField
              id={`hump-${i}-w`}
              label="width"
              name={`Width of hump ${i + 1}`}
              unit="°"
              value={b.width}
              digits={2}
              step={0.2}
              min={0.2}
              onChange={set('width')}
            />
            <button
              className="word off"
              onClick={() =>
                changePattern('A hump removed', (p) => ({
                  ...p,
                  background: { ...p.background, peaks: p.background.peaks.filter((_, m) => m !== i) },
                }))
              }
            >
              Remove the hump
            </button>
          </div>
        );
      })}
      <details>
        <summary>Widths of the instrument</summary>
        {(['u', 'v', 'w', 'x', 'y', 'sampleHeight', 'detectorHeight'] as const).map((k) => (
          <LiveField
            key={k}
            id={`par-${k}`}
            label={k.length === 1 ? k.toUpperCase() : k === 'sampleHeight' ? 'specimen height' : 'detector height'}
            name={`Instrument ${k}`}
            unit={k.length > 1 ? '/ radius' : 'uvw'.includes(k) ? 'deg²' : '°'}
            value={own.instrument.profile[k]}
            digits={5}
            step={k.length > 1 ? 0.001 : 0.0005}
            min={k.length > 1 || k === 'x' || k === 'y' ? 0 : -1}
            {...(k === 'u'
              ? { free: free.has('instrument widths'), onFree: flip('instrument widths') }
              : k === 'sampleHeight'
                ? { free: free.has('axial divergence'), onFree: flip('axial divergence') }
                : {})}
            onChange={(v) =>
              changePattern('Instrument by hand', (p) => ({
                ...p,
                instrument: { ...p.instrument, profile: { ...p.instrument.profile, [k]: v } },
              }))
            }
          />
        ))}
      </details>
    </Sheet>
  );
}
