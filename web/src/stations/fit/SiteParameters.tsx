/** The parameters of one site of a phase. */
import { useMemo, useState, type ReactNode } from 'react';
import { metricTensor } from '@nagare/core/crystal/cell';
import { siteSymmetry } from '@nagare/core/crystal/space-group';
import type { Site } from '@nagare/core/crystal/structure';
import { type PhaseModel } from '@nagare/core/powder/model';
import { type Vec3, toVec3 } from '@nagare/core/math/matrix3';
import { LiveField } from './LiveField.tsx';
import { useFit } from './use-fit.tsx';

/** One site at a time: coordinates that its symmetry allows, occupancy and displacement, live. */
export function SiteParameters({ phase, index }: { phase: PhaseModel; index: number }): ReactNode {
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
