/** Pictures of a calculated pattern and of a layer of the reciprocal lattice. */
import { useState, type ReactNode } from 'react';
import type { ExpectedPattern, LayerAxis, LayerSpot, ReciprocalLayer } from '@nagare/core/powder/expected';
import type { PatternLine } from '@nagare/core/powder/similarity';
import { spotSize } from './expected-words.ts';

const WIDTH = 360,
  HEIGHT = 130,
  FOOT = 16;

interface PatternPictureProps {
  readonly found: ExpectedPattern;
  /** A measured pattern without its background, drawn behind. */
  readonly measured: readonly PatternLine[] | undefined;
}

export function ExpectedPatternPicture({ found, measured }: PatternPictureProps): ReactNode {
  const { from, step, values } = found.curve;
  const to = from + step * (values.length - 1);
  const x = (t: number): number => (WIDTH * (t - from)) / (to - from);
  // Of the points that fall on one pixel the highest.
  const columns = Math.min(values.length, 2 * WIDTH);
  const path = Array.from({ length: columns }, (_, c) => {
    const [first, last] = [c, c + 1].map((k) => Math.floor((k * values.length) / columns)) as [number, number];
    let most = 0;
    for (let i = first; i < Math.max(last, first + 1); i++) most = Math.max(most, values[i]!);
    return `${c ? 'L' : 'M'}${((WIDTH * c) / columns).toFixed(1)} ${(HEIGHT - 4 - (most / 100) * (HEIGHT - 12)).toFixed(1)}`;
  }).join('');
  const every = [1, 2, 5, 10, 20, 50].find((n) => (to - from) / n <= 7) ?? 50;
  const first = Math.ceil(from / every) * every;
  const ticks = Array.from({ length: Math.floor((to - first) / every) + 1 }, (_, i) => first + i * every);
  return (
    <svg
      className="expected-picture"
      viewBox={`0 0 ${WIDTH} ${HEIGHT + FOOT}`}
      role="img"
      aria-label="Calculated pattern"
    >
      <path
        className="axis"
        d={`M0 ${HEIGHT}H${WIDTH}${ticks.map((t) => `M${x(t).toFixed(1)} ${HEIGHT}v4`).join('')}`}
      />
      {measured && <path className="measured" d={measuredPath(measured, from, to)} />}
      <path className="curve" d={path} />
      {ticks.map((t) => (
        <text key={t} x={x(t)} y={HEIGHT + 14} textAnchor={x(t) > WIDTH - 12 ? 'end' : x(t) < 12 ? 'start' : 'middle'}>
          {t}°
        </text>
      ))}
    </svg>
  );
}

/** Measured points between two 2θ, the highest as high as the picture. */
function measuredPath(points: readonly PatternLine[], from: number, to: number): string {
  const within = points.filter((p) => p.twoTheta >= from && p.twoTheta <= to);
  const most = within.reduce((p, q) => Math.max(p, q.intensity), 1e-9);
  const place = (p: PatternLine): string =>
    `${((WIDTH * (p.twoTheta - from)) / (to - from)).toFixed(1)} ${(HEIGHT - 4 - (p.intensity / most) * (HEIGHT - 12)).toFixed(1)}`;
  return within.map((p, i) => `${i ? 'L' : 'M'}${place(p)}`).join('');
}

const SIZE = 360,
  /** Pixels of the strongest spot's radius. */
  SPOT = 6.5;
const STARS = ['a*', 'b*', 'c*'] as const;

interface LayerPictureProps {
  readonly layer: ReciprocalLayer;
  readonly axis: LayerAxis;
  readonly name: string;
}

/** Spots as a precession camera sees them, the direct beam in the middle; the one pointed at is told. */
export function LayerPicture({ layer, axis, name }: LayerPictureProps): ReactNode {
  const [told, setTold] = useState<LayerSpot | undefined>();
  const { spots, axes, radius } = layer;
  const zoom = (SIZE / 2 - 16) / radius;
  const most = Math.max(0, ...spots.map((p) => p.f));
  const at = ([x, y]: readonly [number, number]): readonly [number, number] => [
    SIZE / 2 + zoom * x,
    SIZE / 2 - zoom * y,
  ];
  const names = STARS.filter((_, k) => k !== axis);
  return (
    <figure className="m-0">
      <svg className="expected-picture layer" viewBox={`0 0 ${SIZE} ${SIZE}`} role="img" aria-label={`Layer ${name}`}>
        <circle className="edge" cx={SIZE / 2} cy={SIZE / 2} r={zoom * radius} />
        {axes.map((a, i) => {
          const length = Math.hypot(...a);
          const end = at([(a[0] / length) * radius, (a[1] / length) * radius]);
          const label = at([(1.05 * a[0] * radius) / length, (1.05 * a[1] * radius) / length]);
          return (
            <g key={i}>
              <path className="axis" d={`M${SIZE / 2} ${SIZE / 2}L${end[0].toFixed(1)} ${end[1].toFixed(1)}`} />
              <text x={Math.min(SIZE - 8, label[0])} y={label[1]} textAnchor="middle" dominantBaseline="middle">
                {names[i]}
              </text>
            </g>
          );
        })}
        {spots.map((p) => {
          const [x, y] = at([p.x, p.y]);
          const tell = (): void => setTold(p);
          return p.isForbidden ? (
            <path key={p.hkl.join()} className="forbidden" d={`M${(x - 1.5).toFixed(1)} ${y.toFixed(1)}h3`} />
          ) : (
            <circle
              key={p.hkl.join()}
              className={p === told ? 'spot told' : 'spot'}
              cx={x.toFixed(1)}
              cy={y.toFixed(1)}
              r={Math.max(0.5, SPOT * spotSize(p.f, most)).toFixed(2)}
              onPointerEnter={tell}
            />
          );
        })}
      </svg>
      <figcaption className="soft fine">
        {told
          ? `${told.hkl.join(' ').replace(/-/g, '−')}: |F| is ${told.f.toFixed(1)} e`
          : 'Areas go with |F|; dashes are absent by symmetry. Point at a spot to read it.'}
      </figcaption>
    </figure>
  );
}
