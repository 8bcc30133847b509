/** Paints a scene as SVG: orthographic, nearest last. Used for small pictures. */
import { eigenSymmetric3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import type { Scene } from './scene.ts';

/** Rotation whose rows are the principal axes of the atoms, so that the flattest side faces the viewer. */
export function bestView(scene: Scene): Mat3 {
  const m = new Array<number>(9).fill(0);
  for (const a of scene.atoms)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        m[3 * i + j]! += (a.position[i]! - scene.centre[i]!) * (a.position[j]! - scene.centre[j]!);
  const e = eigenSymmetric3(m as unknown as Mat3).vectors;
  const x = e[2],
    y = e[1];
  const z: Vec3 = [x[1] * y[2] - x[2] * y[1], x[2] * y[0] - x[0] * y[2], x[0] * y[1] - x[1] * y[0]];
  return [...x, ...y, ...z] as unknown as Mat3;
}

const shade = (hex: string, f: number): string =>
  `#${[1, 3, 5]
    .map((i) =>
      Math.max(0, Math.min(255, Math.round(parseInt(hex.slice(i, i + 2), 16) * f)))
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;

/** SVG text of a scene, `width` × `height` pixels, seen along the third row of `view`. */
export function paintSvg(scene: Scene, width: number, height: number, view: Mat3 = bestView(scene)): string {
  const turned = scene.atoms.map((a) => {
    const d = [0, 1, 2].map((i) => a.position[i]! - scene.centre[i]!);
    return [0, 1, 2].map((r) => view[3 * r]! * d[0]! + view[3 * r + 1]! * d[1]! + view[3 * r + 2]! * d[2]!);
  });
  const span = [0, 1].map((k) => Math.max(1.5, ...turned.map((p) => Math.abs(p[k]!))) + 0.6);
  const scale = Math.min(width / (2 * span[0]!), height / (2 * span[1]!));
  const X = (p: number[]): string => (width / 2 + scale * p[0]!).toFixed(1),
    Y = (p: number[]): string => (height / 2 - scale * p[1]!).toFixed(1);
  const parts: { z: number; text: string }[] = scene.bonds.map((b) => {
    const p = turned[b.from]!,
      q = turned[b.to]!;
    return {
      z: (p[2]! + q[2]!) / 2 - 0.05,
      text: `<line x1="${X(p)}" y1="${Y(p)}" x2="${X(q)}" y2="${Y(q)}" stroke="#8A9199" stroke-width="${(scale * 0.2).toFixed(1)}" stroke-linecap="round"/>`,
    };
  });
  scene.atoms.forEach((a, i) => {
    const r = scale * Math.max(...a.axes.map((v) => Math.hypot(...v)));
    parts.push({
      z: turned[i]![2]!,
      text: `<circle cx="${X(turned[i]!)}" cy="${Y(turned[i]!)}" r="${r.toFixed(1)}" fill="${a.colour}" stroke="${shade(a.colour, 0.6)}" stroke-width="0.8"/>`,
    });
  });
  parts.sort((p, q) => p.z - q.z);
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" role="img">${parts.map((p) => p.text).join('')}</svg>`;
}
