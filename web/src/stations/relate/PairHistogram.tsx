/** Distances of a pair as bars, with the longest bond as a handle that is dragged or moved by arrow keys. */
import { useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react';
import { histogram, type PairRow } from './bonding-edits.ts';

const WIDTH = 180,
  HEIGHT = 26,
  BINS = 60;
/** Å a press of an arrow. */
const STEP = 0.02;

type HistogramRow = Pick<PairRow, 'elements' | 'lengths' | 'cut'>;

export function PairHistogram({ row, onCut }: { row: HistogramRow; onCut(cut: number): void }): ReactNode {
  const picture = useRef<SVGSVGElement>(null);
  const first = row.lengths[0]!.distance,
    last = row.lengths.at(-1)!.distance;
  const from = Math.max(0, first - 0.3),
    to = Math.max(last, first + 1) + 0.1;
  const x = (d: number): number => ((d - from) / (to - from)) * WIDTH;
  const cut = row.cut > 0 ? Math.min(row.cut, to) : from;
  const bars = histogram(row.lengths, from, to, BINS);
  const drag = (e: PointerEvent): void => {
    const box = picture.current!.getBoundingClientRect();
    const at = from + ((e.clientX - box.left) / box.width) * (to - from);
    onCut(at <= first - 0.15 ? 0 : Math.min(to, at));
  };
  const keys: Readonly<Record<string, number>> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };
  const press = (e: KeyboardEvent): void => {
    const sign = keys[e.key];
    if (!sign) return;
    e.preventDefault();
    onCut(Math.max(0, (row.cut || first - STEP) + sign * STEP * (e.shiftKey ? 5 : 1)));
  };
  return (
    <svg
      ref={picture}
      className="pair-histogram"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width={WIDTH}
      height={HEIGHT}
      role="slider"
      tabIndex={0}
      aria-label={`Longest bond ${row.elements.join('–')}`}
      aria-valuemin={0}
      aria-valuemax={Number(to.toFixed(2))}
      aria-valuenow={Number(row.cut.toFixed(3))}
      aria-valuetext={row.cut > 0 ? `${row.cut.toFixed(2)} Å` : 'off'}
      onKeyDown={press}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        drag(e);
      }}
      onPointerMove={(e) => {
        if (e.buttons & 1) drag(e);
      }}
    >
      {bars.map((h, i) => {
        const left = (i * WIDTH) / BINS;
        const counted = row.cut > 0 && from + ((i + 0.5) / BINS) * (to - from) <= row.cut;
        return h > 0 ? (
          <rect
            key={i}
            x={left}
            y={HEIGHT - 3 - h * (HEIGHT - 7)}
            width={WIDTH / BINS - 0.4}
            height={h * (HEIGHT - 7)}
            className={counted ? 'in' : 'out'}
          />
        ) : null;
      })}
      <line x1={0} x2={WIDTH} y1={HEIGHT - 2.5} y2={HEIGHT - 2.5} className="floor" />
      <line x1={x(cut)} x2={x(cut)} y1={1} y2={HEIGHT - 1} className="cut" />
      <circle cx={x(cut)} cy={4} r={3.4} className="cut" />
    </svg>
  );
}
