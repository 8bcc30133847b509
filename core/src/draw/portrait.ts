/** The small picture of a project: its crystal, or its pattern. */
import type { Structure } from '../crystal/structure.ts';
import { buildLayers } from './build-scene.ts';
import { extentPoints, fitCamera } from './camera.ts';
import { PAPER_COLOURS } from './colours.ts';
import { firstLook } from './first-look.ts';
import { USUAL_LIGHT } from './scene.ts';
import { paintSvg } from './svg.ts';

const SIZE = { width: 168, height: 112 };

/** More atoms than this are dots in so small a picture: the unique part is drawn. */
const MOST = 400;

/** A crystal as SVG, on no ground, 168 × 112. */
export function crystalPortrait(s: Structure): string {
  const look = firstLook(s);
  const wish = {
    rules: [
      { which: { kind: 'all' as const }, style: { look: look.look === 'ellipsoids' ? ('balls' as const) : look.look } },
    ],
    showCell: false,
    labels: 'none' as const,
    colours: PAPER_COLOURS,
    polyhedra: look.polyhedra.map((element) => ({
      centre: { kind: 'element' as const, element },
      opacity: 0.75,
      edges: true,
      showCentre: false,
    })),
  };
  let layers = buildLayers(s, { ...wish, extent: { kind: look.extent } });
  if (layers.some((l) => l.kind === 'atoms' && l.items.length > MOST))
    layers = buildLayers(s, { ...wish, extent: { kind: 'unique' } });
  const camera = fitCamera(extentPoints(layers), look.rotation, SIZE, { left: 4, right: 4, top: 4, bottom: 4 });
  return paintSvg({ layers, camera, light: USUAL_LIGHT, ground: PAPER_COLOURS.ground }, SIZE, { ground: false });
}

/** A pattern as SVG: its intensities on a root scale, so that weak lines show. */
export function patternPortrait(twoTheta: ArrayLike<number>, intensity: ArrayLike<number>): string {
  const { width, height } = SIZE;
  const from = twoTheta[0]!,
    span = twoTheta[twoTheta.length - 1]! - from || 1;
  const columns = new Array<number>(width).fill(0);
  for (let i = 0; i < twoTheta.length; i++) {
    const x = Math.min(width - 1, Math.floor(((twoTheta[i]! - from) / span) * width));
    columns[x] = Math.max(columns[x]!, Math.sqrt(Math.max(0, intensity[i]!)));
  }
  const most = Math.max(1e-9, ...columns);
  const line = columns.map((y, x) => `${x},${(height - 6 - (y / most) * (height - 14)).toFixed(1)}`).join(' ');
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}"><polyline points="${line}" fill="none" stroke="${PAPER_COLOURS.indigo}" stroke-width="1"/></svg>`;
}
