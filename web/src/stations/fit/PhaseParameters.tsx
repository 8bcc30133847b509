/** The parameters of one phase. */
import { type ReactNode } from 'react';
import { CONSTANT_SIGNS, freeConstants, withConstant, type PhaseModel } from '@nagare/core/powder/model';
import { type Vec3 } from '@nagare/core/math/matrix3';
import { phaseColour } from './colours.ts';
import { LiveField } from './LiveField.tsx';
import { useFit } from './use-fit.tsx';
import { FreeKind } from './FreeKind.tsx';
import { SiteParameters } from './SiteParameters.tsx';

export function PhaseParameters({
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

/** A first strain by direction like the isotropic one: ε d² to the fourth power needs all terms, so the squares of 1/d² are taken. */
function startStephens(p: PhaseModel): number[] {
  const { a, b, c } = p.structure.cell,
    e = (Math.max(0.3, p.strain) * 4e-3) ** 2 * 1e8;
  const [x, y, z] = [1 / a ** 2, 1 / b ** 2, 1 / c ** 2];
  return [e * x * x, e * y * y, e * z * z, 2 * e * x * y, 2 * e * x * z, 2 * e * y * z, 0, 0, 0, 0, 0, 0, 0, 0, 0];
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
