/** A flat section of the map through three atoms (or the best plane of more), drawn as contour lines in e/Å³. */
import './section.scss';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { isSigned } from '@nagare/core/maps/residual';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { cartesian } from '@nagare/core/crystal/structure';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { cartesianOf } from '@nagare/core/geometry/measure';
import { planeOf } from '@nagare/core/geometry/points';
import { contourLines } from '@nagare/core/maps/contour-lines';
import { densityAt } from '@nagare/core/maps/sample';
import { add, apply3, cross, dot, inverse3, normalize, scale, subtract, type Vec3 } from '@nagare/core/math/matrix3';
import { middle } from '@nagare/core/math/superpose';
import { NumberField } from '../frame/parts.tsx';
import { useTheme } from '../frame/theme.ts';
import { useProject } from '../store/use-project.tsx';
import { useShownMap } from './use-map.ts';

const SAMPLES = 121;

export default function SectionPane(): ReactNode {
  const { head, selection, mapKind, level, setLevel, setPane } = useProject(
    'head',
    'selection',
    'mapKind',
    'level',
    'setLevel',
    'setPane',
  );
  const theme = useTheme();
  const map = useShownMap();
  const host = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(9);
  const [height, setHeight] = useState(0);
  const s = head!.structure!;
  const chosen = useMemo(() => selection.filter((a) => siteOf(s, a)), [s, selection]);
  const frame = useMemo(() => {
    const points =
      chosen.length >= 3
        ? cartesianOf(s, chosen)
        : s.sites.filter((x) => x.element !== 'H').map((x) => cartesian(s.cell, x.position));
    if (points.length < 3) return undefined;
    const normal = planeOf(points).normal;
    const centre = middle(chosen.length >= 3 ? points.slice(0, 12) : points);
    const across = normalize(
      subtract(subtract(points[1]!, points[0]!), scale(normal, dot(subtract(points[1]!, points[0]!), normal))),
    );
    return { centre, u: across, v: cross(normal, across), normal };
  }, [s, chosen]);
  useEffect(() => {
    const canvas = host.current;
    if (!canvas || !frame || !map) return;
    const size = canvas.clientWidth,
      ratio = devicePixelRatio;
    canvas.width = canvas.height = size * ratio;
    const ctx = canvas.getContext('2d')!;
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
    const css = getComputedStyle(document.documentElement),
      ink = (n: string): string => css.getPropertyValue(n).trim();
    ctx.fillStyle = ink('--scene');
    ctx.fillRect(0, 0, size, size);
    const inverse = inverse3(orthogonalization(s.cell));
    const at = (a: number, b: number): Vec3 =>
      add(add(frame.centre, scale(frame.normal, height)), add(scale(frame.u, a), scale(frame.v, b)));
    const values = new Float64Array(SAMPLES * SAMPLES);
    for (let j = 0; j < SAMPLES; j++)
      for (let i = 0; i < SAMPLES; i++) {
        const f = apply3(inverse, at((i / (SAMPLES - 1) - 0.5) * width, (0.5 - j / (SAMPLES - 1)) * width));
        values[i + SAMPLES * j] = densityAt(map, f[0], f[1], f[2]);
      }
    const px = (k: number): number => (k / (SAMPLES - 1)) * size;
    const step = isSigned(mapKind) ? level / 2 : level;
    for (let n = -10; n <= 14; n++) {
      ctx.strokeStyle = n === 0 ? ink('--line') : n > 0 ? ink('--water') : ink('--vermilion');
      ctx.setLineDash(n < 0 ? [4, 3] : []);
      ctx.lineWidth = n === 0 ? 0.8 : 1.1;
      ctx.beginPath();
      for (const [x1, y1, x2, y2] of contourLines(values, SAMPLES, SAMPLES, n * step)) {
        ctx.moveTo(px(x1), px(y1));
        ctx.lineTo(px(x2), px(y2));
      }
      ctx.stroke();
    }
    ctx.setLineDash([]);
    ctx.font = '500 12px "IBM Plex Sans"';
    for (const x of s.sites) {
      const d = subtract(cartesian(s.cell, x.position), at(0, 0));
      const off = dot(d, frame.normal),
        a = dot(d, frame.u),
        b = dot(d, frame.v);
      if (Math.abs(off) > 0.9 || Math.abs(a) > width / 2 || Math.abs(b) > width / 2) continue;
      const X = (a / width + 0.5) * size,
        Y = (0.5 - b / width) * size;
      ctx.globalAlpha = 1 - 0.6 * Math.abs(off);
      ctx.fillStyle = ink('--ink');
      ctx.beginPath();
      ctx.arc(X, Y, 2.5, 0, 7);
      ctx.fill();
      ctx.fillText(x.label, X + 5, Y - 5);
      ctx.globalAlpha = 1;
    }
  }, [frame, map, width, height, level, mapKind, s, theme]);
  return (
    <div className="section-pane">
      <header>
        <b>Section</b>
        <span className="soft">
          {chosen.length >= 3
            ? `through ${chosen
                .slice(0, 4)
                .map((a) => siteOf(s, a)!.label)
                .join(', ')}${chosen.length > 4 ? ' …' : ''}`
            : 'through the mean plane; select three atoms for another'}
        </span>
        <span className="flex-grow-1" />
        <button className="word" onClick={() => setPane('crystal')}>
          Close
        </button>
      </header>
      {map ? <canvas ref={host} /> : <p className="soft p-3">No map for this mark.</p>}
      <footer>
        <label htmlFor="sec-w">width</label>
        <NumberField id="sec-w" value={width} digits={1} step={0.5} min={2} max={40} unit="Å" onChange={setWidth} />
        <label htmlFor="sec-h">above</label>
        <NumberField id="sec-h" value={height} digits={2} step={0.1} unit="Å" onChange={setHeight} />
        <label htmlFor="sec-l">step</label>
        <NumberField
          id="sec-l"
          value={isSigned(mapKind) ? level / 2 : level}
          digits={2}
          step={0.05}
          min={0.02}
          unit="e/Å³"
          onChange={(v) => setLevel(isSigned(mapKind) ? 2 * v : v)}
        />
      </footer>
    </div>
  );
}
