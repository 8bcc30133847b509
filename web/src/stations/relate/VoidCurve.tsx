/** Volume against the radius of the probe; the radius is dragged along it, or moved by arrow keys. */
import { useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import type { CurvePoint, PoreSize } from '@nagare/core/space/voids';

const WIDTH = 340,
  HEIGHT = 120,
  LEFT = 34,
  BOTTOM = 22,
  TOP = 8,
  RIGHT = 6;
/** Of the height, the bar of the size that holds most. */
const SIZES = 0.45;
/** Å a press of an arrow. */
const STEP = 0.05;

interface VoidCurveProps {
  readonly curve: readonly CurvePoint[];
  /** The curve before something was thought away. */
  readonly before?: readonly CurvePoint[];
  /** How much of the space is in pores of each size. */
  readonly sizes: readonly PoreSize[];
  /** Å³ */
  readonly cell: number;
  readonly probe: number;
  onProbe(probe: number): void;
}

export function VoidCurve({ curve, before, sizes, cell, probe, onProbe }: VoidCurveProps): ReactNode {
  const picture = useRef<SVGSVGElement>(null);
  const most = curve.at(-1)!.radius;
  const highest = Math.max(1, (100 * curve[0]!.touched) / cell);
  const x = (radius: number): number => LEFT + (radius / most) * (WIDTH - LEFT - RIGHT);
  const y = (share: number): number => HEIGHT - BOTTOM - (share / highest) * (HEIGHT - BOTTOM - TOP);
  const line = (of: 'reached' | 'touched', points = curve): string =>
    points.map((p, i) => `${i ? 'L' : 'M'}${x(p.radius).toFixed(1)} ${y((100 * p[of]) / cell).toFixed(1)}`).join('');
  const mostOfSize = Math.max(...sizes.map((p) => p.volume), 1e-9);
  const sizeHeight = (volume: number): number => (volume / mostOfSize) * SIZES * (HEIGHT - BOTTOM - TOP);
  const drag = (e: PointerEvent): void => {
    const box = picture.current!.getBoundingClientRect();
    const at = (((e.clientX - box.left) / box.width) * WIDTH - LEFT) / (WIDTH - LEFT - RIGHT);
    onProbe(Math.round(100 * Math.max(0, Math.min(1, at)) * most) / 100);
  };
  const keys: Readonly<Record<string, number>> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };
  const press = (e: KeyboardEvent): void => {
    const sign = keys[e.key];
    if (!sign) return;
    e.preventDefault();
    const next = probe + sign * STEP * (e.shiftKey ? 5 : 1);
    onProbe(Math.round(100 * Math.max(0, Math.min(most, next))) / 100);
  };
  const ticks = [0, most / 2, most];
  return (
    <svg
      ref={picture}
      className="void-curve"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="slider"
      tabIndex={0}
      aria-label="Radius of the probe"
      aria-valuemin={0}
      aria-valuemax={Number(most.toFixed(2))}
      aria-valuenow={Number(probe.toFixed(2))}
      aria-valuetext={`${probe.toFixed(2)} Å`}
      onKeyDown={press}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag(e);
      }}
      onPointerMove={(e) => {
        if (e.buttons & 1) drag(e);
      }}
    >
      <path className="axis" d={`M${LEFT} ${TOP}V${HEIGHT - BOTTOM}H${WIDTH - RIGHT}`} />
      {sizes.map((p) => (
        <rect
          key={p.from}
          className="size"
          x={x(p.from / 2)}
          width={Math.max(0, x(p.to / 2) - x(p.from / 2))}
          y={HEIGHT - BOTTOM - sizeHeight(p.volume)}
          height={sizeHeight(p.volume)}
        >
          <title>{`${p.volume.toFixed(1)} Å³ in pores of ${p.from.toFixed(2)} to ${p.to.toFixed(2)} Å across`}</title>
        </rect>
      ))}
      {before && <path className="before" d={line('touched', before)} />}
      <path className="touched" d={line('touched')} />
      <path className="reached" d={line('reached')} />
      <path className="probe" d={`M${x(Math.min(probe, most)).toFixed(1)} ${TOP}V${HEIGHT - BOTTOM}`} />
      {ticks.map((t, i) => (
        <text key={t} x={x(t)} y={HEIGHT - 8} textAnchor={i === 2 ? 'end' : i ? 'middle' : 'start'}>
          {i === 2 ? `${t.toFixed(1)} Å` : t.toFixed(1)}
        </text>
      ))}
      <text x={LEFT - 4} y={TOP + 8} textAnchor="end">
        {highest.toFixed(0)} %
      </text>
      <text x={LEFT - 4} y={HEIGHT - BOTTOM} textAnchor="end">
        0
      </text>
      <text className="touched" x={WIDTH - RIGHT} y={TOP + 8} textAnchor="end">
        touched
      </text>
      <text className="reached" x={WIDTH - RIGHT} y={TOP + 22} textAnchor="end">
        reached by its middle
      </text>
      <text className="size" x={WIDTH - RIGHT} y={TOP + 36} textAnchor="end">
        pore sizes
      </text>
    </svg>
  );
}
