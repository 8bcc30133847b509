/** One cell seen along an axis with its symmetry elements: planes hatched (mirrors full, glides broken), axes and centres marked by their symbol. */
import { type ReactNode } from 'react';
import { orthogonalization, type Cell } from '@nagare/core/crystal/cell';
import { apply3, type Vec3 } from '@nagare/core/math/matrix3';
import { elementShapes, fractionWords, type SymmetryElement } from '@nagare/core/symmetry/elements';

export function GroupDiagram({
  elements,
  cell,
  along,
}: {
  elements: readonly SymmetryElement[];
  cell: Cell;
  along: 0 | 1 | 2;
}): ReactNode {
  const m = orthogonalization(cell);
  const [u, v] = (
    [
      [1, 2],
      [2, 0],
      [0, 1],
    ] as const
  )[along]!;
  // Flat coordinates of the two axes across the view: the first along the picture's edge.
  const axis = (i: number): Vec3 => {
    const e: [number, number, number] = [0, 0, 0];
    e[i] = 1;
    return apply3(m, e);
  };
  const A = axis(u),
    B = axis(v);
  const la = Math.hypot(...A),
    lb = Math.hypot(...B);
  const cos = (A[0] * B[0] + A[1] * B[1] + A[2] * B[2]) / (la * lb),
    sin = Math.sqrt(1 - cos * cos);
  const scale = 330 / Math.max(la + lb * Math.abs(cos), lb * sin);
  const at = (f: readonly number[]): [number, number] => [
    f[u]! * la * scale + f[v]! * lb * cos * scale,
    f[v]! * lb * sin * scale,
  ];
  const corners = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
  ].map(([p, q]) => {
    const f = [0, 0, 0];
    f[u] = p!;
    f[v] = q!;
    return at(f);
  });
  const left = Math.min(...corners.map((c) => c[0])) - 34,
    top = Math.min(...corners.map((c) => c[1])) - 26;
  const width = Math.max(...corners.map((c) => c[0])) - left + 34,
    height = Math.max(...corners.map((c) => c[1])) - top + 26;
  const points = new Map<string, { x: number; y: number; texts: Set<string> }>();
  const lines = new Map<
    string,
    { from: [number, number]; to: [number, number]; symbol: string; glide: boolean; axis: boolean; level: string }
  >();
  for (const e of elements) {
    for (const shape of elementShapes(e)) {
      const flat = shape.points.map(at);
      if (e.plane) {
        // Seen edge-on only where the view lies in the plane.
        if (e.plane[along] !== 0) continue;
        const far = flat
          .flatMap((p) => flat.map((q) => [p, q] as const))
          .sort(
            (p, q) =>
              Math.hypot(q[0][0] - q[1][0], q[0][1] - q[1][1]) - Math.hypot(p[0][0] - p[1][0], p[0][1] - p[1][1]),
          )[0]!;
        lines.set(
          `${far
            .flat()
            .map((x) => x.toFixed(0))
            .sort()
            .join()}`,
          { from: far[0], to: far[1], symbol: e.symbol, glide: e.kind === 'glide plane', axis: false, level: '' },
        );
      } else if (e.kind !== 'inversion centre' && !e.direction.some((x, i) => i !== along && x !== 0)) {
        const key = flat[0]!.map((x) => x.toFixed(0)).join();
        const known = points.get(key) ?? { x: flat[0]![0], y: flat[0]![1], texts: new Set<string>() };
        known.texts.add(e.symbol);
        points.set(key, known);
      } else if (e.kind === 'inversion centre') {
        const key = flat[0]!.map((x) => x.toFixed(0)).join();
        const known = points.get(key) ?? { x: flat[0]![0], y: flat[0]![1], texts: new Set<string>() };
        known.texts.add('−1');
        points.set(key, known);
      } else if (e.direction[along] === 0) {
        lines.set(
          `a${flat
            .flat()
            .map((x) => x.toFixed(0))
            .join()}${e.at[along]!.toFixed(2)}`,
          {
            from: flat[0]!,
            to: flat[1]!,
            symbol: e.symbol,
            glide: e.kind === 'screw axis',
            axis: true,
            level: fractionWords(e.at[along]!),
          },
        );
      }
    }
  }
  const across = elements.filter((e) => e.plane && e.plane.every((x, i) => (i === along) === (x !== 0)));
  const drawn = [...lines.values()];
  const labelled = new Set<string>();
  return (
    <figure className="group-diagram">
      <svg viewBox={`${left} ${top} ${width} ${height}`} role="img" aria-label="Symmetry elements of one cell">
        <polygon points={corners.map((c) => c.join()).join(' ')} fill="none" stroke="var(--soft)" strokeWidth="1" />
        {drawn.map((l, i) => (
          <line
            key={i}
            x1={l.from[0]}
            y1={l.from[1]}
            x2={l.to[0]}
            y2={l.to[1]}
            stroke={l.axis ? 'var(--gold)' : 'var(--indigo)'}
            strokeWidth={l.axis ? 1.2 : 2.4}
            strokeDasharray={l.glide ? (l.axis ? '9 3' : '5 4') : undefined}
            opacity="0.85"
          />
        ))}
        {drawn.map((l, i) => {
          const key = `${l.to.map((x) => x.toFixed(0)).join()}|${l.axis}`;
          if (labelled.has(key)) return null;
          labelled.add(key);
          const d = Math.hypot(l.to[0] - l.from[0], l.to[1] - l.from[1]) || 1;
          return (
            <text
              key={`t${i}`}
              x={l.to[0] + (12 * (l.to[0] - l.from[0])) / d}
              y={l.to[1] + (12 * (l.to[1] - l.from[1])) / d + 4}
              fontSize="12"
              textAnchor="middle"
              fill={l.axis ? 'var(--gold)' : 'var(--indigo)'}
            >
              {l.symbol}
            </text>
          );
        })}
        {[...points.values()].map((p, i) => {
          const centre = p.texts.has('−1'),
            text = [...p.texts].filter((t) => t !== '−1').join(' ');
          return (
            <g key={`p${i}`}>
              {text ? (
                <>
                  <rect x={p.x - 7} y={p.y - 7} width="14" height="14" rx="3" fill="var(--gold)" />
                  <text x={p.x} y={p.y + 4} fontSize="10.5" fontWeight="600" textAnchor="middle" fill="var(--sheet)">
                    {text}
                  </text>
                </>
              ) : null}
              {centre && (
                <circle
                  cx={p.x + (text ? 10 : 0)}
                  cy={p.y - (text ? 8 : 0)}
                  r="3.4"
                  fill="var(--sheet)"
                  stroke="var(--vermilion)"
                  strokeWidth="1.6"
                />
              )}
            </g>
          );
        })}
        <text x={corners[0]![0] - 10} y={corners[0]![1] - 8} fontSize="12" fill="var(--ink)">
          o
        </text>
        <text x={corners[1]![0] + 8} y={corners[1]![1] - 8} fontSize="12" fontStyle="italic" fill="var(--ink)">
          {'abc'[u]}
        </text>
        <text x={corners[3]![0] - 12} y={corners[3]![1] + 16} fontSize="12" fontStyle="italic" fill="var(--ink)">
          {'abc'[v]}
        </text>
      </svg>
      <figcaption>
        Planes edge-on in <span className="ink-indigo">indigo</span> (mirrors full, glides broken), axes in{' '}
        <span className="ink-gold">gold</span>, centres as <span className="ink-vermilion">rings</span>.
        {across.length
          ? ` Parallel to the page: ${[...new Set(across.map((e) => `${e.symbol} at ${'xyz'[along]} = ${fractionWords(e.at[along]!)}`))].join(', ')}.`
          : ''}
      </figcaption>
    </figure>
  );
}
