/** The density on the circle on which a hydrogen may turn. */
import { type ReactNode } from 'react';
import { type HydrogenRow } from '@nagare/core/model/hydrogen-plan';
import { NumberField } from '../../frame/parts.tsx';

/** Density around the circle that a group turns on; the hand is where it stands. */
export function Circle({ row, onTurn }: { row: HydrogenRow; onTurn(degrees: number): void }): ReactNode {
  const values = row.circle!;
  const width = 340,
    height = 72,
    foot = 16,
    top = Math.max(0.3, ...values),
    low = Math.min(0, ...values);
  const y = (v: number): number => height - foot - ((v - low) / (top - low)) * (height - foot - 8);
  return (
    <figure className="m-0 my-1">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        width="100%"
        role="img"
        aria-label={`Density around the circle of ${row.label}`}
        onClick={(e) => {
          const r = e.currentTarget.getBoundingClientRect();
          onTurn(Math.round(((e.clientX - r.left) / r.width) * 360));
        }}
      >
        <line x1="0" x2={width} y1={y(0)} y2={y(0)} stroke="var(--line)" />
        {[0, 60, 120, 180, 240, 300, 360].map((d) => (
          <text
            key={d}
            x={(d / 360) * width}
            y={height - 3}
            fontSize="10"
            fill="var(--soft)"
            textAnchor={d === 0 ? 'start' : d === 360 ? 'end' : 'middle'}
          >
            {d}°
          </text>
        ))}
        <text x="2" y="10" fontSize="10" fill="var(--soft)">
          {top.toFixed(2)} e Å⁻³
        </text>
        <polyline
          fill="none"
          stroke="var(--water)"
          strokeWidth="1.8"
          points={values.map((v, i) => `${(i / values.length) * width},${y(v)}`).join(' ')}
        />
        {row.torsion !== undefined && (
          <line
            x1={((((row.torsion % 360) + 360) % 360) / 360) * width}
            x2={((((row.torsion % 360) + 360) % 360) / 360) * width}
            y1="0"
            y2={height - foot + 2}
            stroke="var(--gold)"
            strokeWidth="1.5"
          />
        )}
      </svg>
      <div className="d-flex gap-2 align-items-center">
        <label htmlFor={`torsion-${row.key}`} className="soft">
          torsion
        </label>
        <NumberField
          id={`torsion-${row.key}`}
          value={row.torsion ?? 0}
          digits={0}
          step={5}
          unit="°"
          onChange={onTurn}
        />
        <span className="soft">click the curve to turn</span>
      </div>
    </figure>
  );
}
