/** Every parameter of the fit, changed live or freed for the next run. */
import { useMemo, useState, type ReactNode } from 'react';
import { metricTensor } from '@nagare/core/crystal/cell';
import { siteSymmetry } from '@nagare/core/crystal/space-group';
import type { Site } from '@nagare/core/crystal/structure';
import { CONSTANT_SIGNS, freeConstants, withConstant, type PhaseModel } from '@nagare/core/powder/model';
import { type Vec3, toVec3 } from '@nagare/core/math/matrix3';
import { backgroundPoints } from '@nagare/core/powder/peaks';
import { linearScales } from '@nagare/core/powder/start';
import { Sheet } from '../../frame/parts.tsx';
import { phaseColour } from './colours.ts';
import { LiveField } from './LiveField.tsx';
import { useFit } from './use-fit.tsx';

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

function PhaseParameters({
  phase,
  index,
  open,
  flip,
  free,
  setFree,
}: {
  phase: PhaseModel;
  index: number;
  open: boolean;
  flip(): void;
  free: ReadonlySet<string>;
  setFree(key: string): (on: boolean) => void;
}): ReactNode {
  const fit = useFit('changePattern', 'changePhase', 'own', 'pointAt', 'result');
  const { changePhase, changePattern, own, result, pointAt } = fit;
  const f = result?.phases[index];
  const key = (kind: string): string => `${kind}:${phase.id}`;
  const isFree = (kind: string): boolean => free.has(kind) || free.has(key(kind));
  const id = (k: string): string => `par-${index}-${k}`;
  const { spaceGroup, cell } = phase.structure;
  const scale = own?.scales[index] ?? 0;
  const constants = freeConstants(spaceGroup);
  const order = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'];
  return (
    <div className="phase-parameters">
      <h3 className="group">
        <button className="plain" aria-expanded={open} onClick={flip}>
          <span className="swatch" style={{ background: phaseColour(index) }} /> {phase.name}{' '}
          <span className="soft">{open ? '▾' : '▸'}</span>
        </button>
      </h3>
      {open && (
        <>
          {!phase.extraction && (
            <LiveField
              id={id('scale')}
              label="scale"
              name={`Scale of ${phase.name}`}
              value={scale}
              digits={8}
              step={Number((Math.abs(scale) / 20 || 1e-6).toPrecision(1))}
              free={isFree('scale')}
              onFree={setFree(key('scale'))}
              onChange={(v) =>
                changePattern(`Scale of ${phase.name} by hand`, (p) => ({
                  ...p,
                  scales: p.scales.map((s, i) => (i === index ? v : s)),
                }))
              }
            />
          )}
          {constants.map(({ constant, with: tied }, k) => (
            <LiveField
              key={constant}
              id={id(constant)}
              label={[constant, ...tied].map((c) => CONSTANT_SIGNS[c]).join(' = ')}
              name={`${CONSTANT_SIGNS[constant]} of ${phase.name}`}
              unit={constant.length === 1 ? 'Å' : '°'}
              value={cell[constant]}
              su={f?.cellSu[order.indexOf(constant)] ?? 0}
              digits={constant.length === 1 ? 5 : 4}
              step={constant.length === 1 ? 0.001 : 0.01}
              min={constant.length === 1 ? 1 : 30}
              max={constant.length === 1 ? 100 : 150}
              {...(k === 0 ? { free: isFree('cell'), onFree: setFree(key('cell')) } : {})}
              onPoint={(on) => pointAt(on ? { phase: phase.id, constant } : undefined)}
              onChange={(v) =>
                changePhase(`${CONSTANT_SIGNS[constant]} of ${phase.name} by hand`, phase.id, (p) => ({
                  ...p,
                  structure: { ...p.structure, cell: withConstant(p.structure.cell, spaceGroup, constant, v) },
                }))
              }
            />
          ))}
          <LiveField
            id={id('size')}
            label={phase.anisotropicSize ? 'size along' : 'size'}
            name={`Size of ${phase.name}`}
            unit="nm"
            value={phase.inverseSize > 0 ? 1 / phase.inverseSize : 0}
            su={f?.size?.su ?? 0}
            digits={1}
            step={1}
            min={0}
            free={isFree('size')}
            onFree={setFree(key('size'))}
            onChange={(v) =>
              changePhase(`Size of ${phase.name} by hand`, phase.id, (p) => ({ ...p, inverseSize: v > 0 ? 1 / v : 0 }))
            }
          />
          {phase.anisotropicSize && (
            <LiveField
              id={id('across')}
              label="size across"
              name={`Size across of ${phase.name}`}
              unit="nm"
              value={phase.anisotropicSize.inverseAcross > 0 ? 1 / phase.anisotropicSize.inverseAcross : 0}
              su={f?.sizeAcross?.su ?? 0}
              digits={1}
              step={1}
              min={0}
              onChange={(v) =>
                changePhase(`Size of ${phase.name} by hand`, phase.id, (p) => ({
                  ...p,
                  anisotropicSize: { ...p.anisotropicSize!, inverseAcross: v > 0 ? 1 / v : 0 },
                }))
              }
            />
          )}
          <LiveField
            id={id('strain')}
            label="strain"
            name={`Strain of ${phase.name}`}
            unit="10⁻³"
            value={phase.strain}
            su={f?.strain.su ?? 0}
            digits={3}
            step={0.05}
            min={0}
            max={60}
            free={isFree('strain')}
            onFree={setFree(key('strain'))}
            onChange={(v) => changePhase(`Strain of ${phase.name} by hand`, phase.id, (p) => ({ ...p, strain: v }))}
          />
          {phase.orientation && (
            <LiveField
              id={id('march')}
              label={`orientation [${phase.orientation.axis.join(' ')}]`}
              name={`Orientation of ${phase.name}`}
              unit={phase.orientation.r < 0.98 ? 'plates' : phase.orientation.r > 1.02 ? 'needles' : ''}
              value={phase.orientation.r}
              su={f?.orientation?.su ?? 0}
              digits={3}
              step={0.02}
              min={0.15}
              max={5}
              free={isFree('orientation')}
              onFree={setFree(key('orientation'))}
              onChange={(v) =>
                changePhase(`Orientation of ${phase.name} by hand`, phase.id, (p) => ({
                  ...p,
                  orientation: { ...p.orientation!, r: v },
                }))
              }
            />
          )}
          {!phase.extraction && (
            <div className="d-flex flex-wrap">
              <FreeKind name="overall U" label="displacements together" phase={phase} free={free} setFree={setFree} />
              <FreeKind name="U" label="each site’s U" phase={phase} free={free} setFree={setFree} />
              <FreeKind name="positions" label="positions" phase={phase} free={free} setFree={setFree} />
              <FreeKind name="occupancies" label="occupancies" phase={phase} free={free} setFree={setFree} />
            </div>
          )}
          {!phase.extraction && <SiteParameters phase={phase} index={index} />}
          <details>
            <summary>Direction and kind</summary>
            <DirectionField
              label="Preferred orientation along"
              value={phase.orientation?.axis}
              onChange={(axis) =>
                changePhase(`Orientation of ${phase.name}`, phase.id, ({ orientation: _, ...p }) =>
                  axis ? { ...p, orientation: { axis, r: phase.orientation?.r ?? 1 } } : p,
                )
              }
              id={id('axis')}
            />
            <DirectionField
              label="Size along and across"
              value={phase.anisotropicSize?.axis}
              onChange={(axis) =>
                changePhase(`Size of ${phase.name} by direction`, phase.id, ({ anisotropicSize: _, ...p }) =>
                  axis ? { ...p, anisotropicSize: { axis, inverseAcross: phase.inverseSize || 0.01 } } : p,
                )
              }
              id={id('shape')}
            />
            <div>
              <label>
                <input
                  type="checkbox"
                  className="form-check-input"
                  checked={!!phase.stephens}
                  onChange={(e) => {
                    const on = e.target.checked;
                    changePhase(`Strain of ${phase.name} by direction`, phase.id, ({ stephens: _, ...p }) =>
                      on ? { ...p, stephens: startStephens(p) } : p,
                    );
                    setFree(key('strain by direction'))(on);
                  }}
                />{' '}
                Strain by direction (Stephens 1999)
              </label>
            </div>
            <div className="mt-1">
              <span className="soft">Intensities </span>
              <span className="segments">
                {([undefined, 'Le Bail', 'Pawley'] as const)
                  .filter((k) => k || phase.structure.sites.length)
                  .map((k) => (
                    <button
                      key={k ?? 'sites'}
                      className="word"
                      aria-pressed={phase.extraction === k}
                      onClick={() =>
                        changePhase(
                          `Intensities of ${phase.name}: ${k ?? 'from sites'}`,
                          phase.id,
                          ({ extraction: _, extracted: __, ...p }) =>
                            k ? { ...p, extraction: k, ...(phase.extracted ? { extracted: phase.extracted } : {}) } : p,
                        )
                      }
                    >
                      {k ?? 'from sites'}
                    </button>
                  ))}
              </span>
            </div>
            <div className="mt-1">
              <label>
                Weighed in as a standard{' '}
                <input
                  className="form-control form-control-sm d-inline-block n w-7ch"
                  defaultValue={phase.weighed !== undefined ? 100 * phase.weighed : ''}
                  placeholder="no"
                  onBlur={(e) => {
                    const v = Number(e.target.value);
                    changePhase(`${phase.name} weighed in`, phase.id, ({ weighed: _, ...p }) =>
                      e.target.value.trim() && v > 0 && v < 100 ? { ...p, weighed: v / 100 } : p,
                    );
                  }}
                />{' '}
                % of the whole, for what is amorphous
              </label>
            </div>
          </details>
        </>
      )}
    </div>
  );
}

/** One site at a time: coordinates that its symmetry allows, occupancy and displacement, live. */
function SiteParameters({ phase, index }: { phase: PhaseModel; index: number }): ReactNode {
  const { changePhase } = useFit('changePhase');
  const [chosen, setChosen] = useState(0);
  const s = phase.structure,
    at = Math.min(chosen, s.sites.length - 1),
    site = s.sites[at];
  const symmetry = useMemo(
    () => (site ? siteSymmetry(s.spaceGroup, metricTensor(s.cell), site.position).operators : []),
    [site, s],
  );
  if (!site) return null;
  const put = (what: string, change: (x: Site) => Site): void =>
    changePhase(`${what} of ${site.label} in ${phase.name} by hand`, phase.id, (p) => ({
      ...p,
      structure: { ...p.structure, sites: p.structure.sites.map((x, i) => (i === at ? change(x) : x)) },
    }));
  /** The mean over the operators that keep the site keeps it on its element. */
  const place = (axis: number, value: number): Vec3 => {
    const x = site.position.map((v, i) => (i === axis ? value : v));
    const sum = [0, 0, 0];
    for (const o of symmetry)
      for (let i = 0; i < 3; i++)
        sum[i]! +=
          (o.r[3 * i]! * x[0]! + o.r[3 * i + 1]! * x[1]! + o.r[3 * i + 2]! * x[2]! + o.t[i]!) / symmetry.length;
    return toVec3(sum);
  };
  const moves = [0, 1, 2].map(
    (axis) => Math.abs(place(axis, site.position[axis]! + 0.01)[axis]! - site.position[axis]!) > 1e-6,
  );
  return (
    <details>
      <summary>Sites ({s.sites.length})</summary>
      <select
        className="form-select form-select-sm mb-1"
        aria-label={`Site of ${phase.name}`}
        value={at}
        onChange={(e) => setChosen(Number(e.target.value))}
      >
        {s.sites.map((x, i) => (
          <option key={x.id} value={i}>
            {x.label}, {x.element}
          </option>
        ))}
      </select>
      {(['x', 'y', 'z'] as const).map((name, axis) =>
        moves[axis] ? (
          <LiveField
            key={name}
            id={`site-${index}-${name}`}
            label={name}
            name={`${name} of ${site.label}`}
            value={site.position[axis]!}
            su={site.positionSu?.[axis] ?? 0}
            digits={5}
            step={0.001}
            onChange={(v) => {
              const position = place(axis, v);
              put(name, (x) => ({ ...x, position }));
            }}
          />
        ) : (
          <div key={name} className="live">
            <span />
            <span className="soft">{name}</span>
            <span className="mono">{site.position[axis]!.toFixed(5)}</span>
            <span className="soft unit">held by symmetry</span>
          </div>
        ),
      )}
      <LiveField
        id={`site-${index}-occ`}
        label="occupancy"
        name={`Occupancy of ${site.label}`}
        value={site.occupancy}
        su={site.occupancySu ?? 0}
        digits={4}
        step={0.01}
        min={0}
        max={1.5}
        onChange={(v) => put('occupancy', (x) => ({ ...x, occupancy: v }))}
      />
      {site.displacement.kind === 'iso' && (
        <LiveField
          id={`site-${index}-u`}
          label="U"
          name={`U of ${site.label}`}
          unit="Å²"
          value={site.displacement.u}
          su={site.displacement.su ?? 0}
          digits={5}
          step={0.001}
          min={-0.02}
          max={0.5}
          onChange={(v) => put('U', (x) => ({ ...x, displacement: { kind: 'iso', u: v } }))}
        />
      )}
    </details>
  );
}

/** A first strain by direction like the isotropic one: ε d² to the fourth power needs all terms, so the squares of 1/d² are taken. */
function startStephens(p: PhaseModel): number[] {
  const { a, b, c } = p.structure.cell,
    e = (Math.max(0.3, p.strain) * 4e-3) ** 2 * 1e8;
  const [x, y, z] = [1 / a ** 2, 1 / b ** 2, 1 / c ** 2];
  return [e * x * x, e * y * y, e * z * z, 2 * e * x * y, 2 * e * x * z, 2 * e * y * z, 0, 0, 0, 0, 0, 0, 0, 0, 0];
}

function FreeKind({
  name,
  label,
  phase,
  free,
  setFree,
}: {
  name: string;
  label: string;
  phase: PhaseModel;
  free: ReadonlySet<string>;
  setFree(key: string): (on: boolean) => void;
}): ReactNode {
  const key = `${name}:${phase.id}`;
  return (
    <label className="me-3">
      <input
        type="checkbox"
        className="form-check-input"
        checked={free.has(key) || free.has(name)}
        onChange={(e) => setFree(key)(e.target.checked)}
      />{' '}
      {label}
    </label>
  );
}

function DirectionField({
  label,
  value,
  onChange,
  id,
}: {
  label: string;
  value: Vec3 | undefined;
  onChange(v: Vec3 | undefined): void;
  id: string;
}): ReactNode {
  return (
    <div className="mt-1">
      <label htmlFor={id}>
        {label}{' '}
        <input
          id={id}
          className="form-control form-control-sm d-inline-block n w-9ch"
          placeholder="none"
          defaultValue={value?.join(' ') ?? ''}
          key={value?.join() ?? ''}
          onBlur={(e) => {
            const n = e.target.value
              .trim()
              .split(/[\s,]+/)
              .map(Number);
            const next =
              n.length === 3 && n.every(Number.isFinite) && n.some((v) => v !== 0)
                ? ([n[0]!, n[1]!, n[2]!] as const)
                : undefined;
            if (next?.join() !== value?.join()) onChange(next);
          }}
        />{' '}
        <span className="soft">h k l</span>
      </label>
    </div>
  );
}
