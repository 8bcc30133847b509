/** Atoms as SVG: balls, ellipsoids with their principal ellipses, cut open or in sectors, and cubes. */
import { dot, inverse3, norm, normalize, transpose3, apply3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { toViewer } from './camera.ts';
import { channels, mixColours, shadeColour } from './colours.ts';
import { cutOutlines, type CutPoint } from './cut-spheres.ts';
import { INSIDE_PALE, openSigns } from './scene.ts';
import type { AtomPrimitive, Sector } from './scene.ts';
import { type Piece, type Axes, SHARED_LIGHT, number, Canvas } from './svg-canvas.ts';

/** Outline of an ellipsoid in the picture: semi-axes (Å) and the angle of the first (degrees, clockwise on the page). */
export function outlineOf(axes: Axes): { readonly major: number; readonly minor: number; readonly angle: number } {
  // The shadow of {A u : |u| = 1} is the ellipse of the 2 × 2 matrix of the first two rows of A Aᵀ.
  let xx = 0,
    xy = 0,
    yy = 0;
  for (const v of axes) {
    xx += v[0] * v[0];
    xy += v[0] * v[1];
    yy += v[1] * v[1];
  }
  const mean = (xx + yy) / 2,
    half = Math.hypot((xx - yy) / 2, xy);
  const angle = half < 1e-9 ? 0 : (-0.5 * Math.atan2(2 * xy, xx - yy) * 180) / Math.PI;
  return { major: Math.sqrt(mean + half), minor: Math.sqrt(Math.max(0, mean - half)), angle };
}

/** Where the handles of a Bézier curve stand that is a quarter of a circle. */
const KAPPA = 0.5522847;

export const strokeOf = (colour: string): string => shadeColour(colour, 0.55);

/** The nearer half of the ellipse spanned by two half axes, as two Bézier quarters; `normals` are the rows of A⁻¹. */
function visibleArc(u: Vec3, v: Vec3, nu: Vec3, nv: Vec3, x: number, y: number, zoom: number): string {
  // The surface normal at A(u cos t + v sin t) is A⁻ᵀ of the same; the half that faces the viewer is about t₀.
  const middle = Math.atan2(nv[2], nu[2]);
  const point = (t: number, slope = 0): readonly [number, number] => {
    const c = Math.cos(t),
      s = Math.sin(t);
    const p = u[0] * (c - slope * s) + v[0] * (s + slope * c);
    const q = u[1] * (c - slope * s) + v[1] * (s + slope * c);
    return [x + zoom * p, y - zoom * q];
  };
  const text = (p: readonly [number, number]): string => `${number(p[0])} ${number(p[1])}`;
  const start = middle - Math.PI / 2;
  let d = `M${text(point(start))}`;
  for (const k of [0, 1]) {
    const from = start + (k * Math.PI) / 2,
      to = from + Math.PI / 2;
    d += `C${text(point(from, KAPPA))} ${text(point(to, -KAPPA))} ${text(point(to))}`;
  }
  return d;
}

/** Atoms of a layer; spheres that run into one another meet where they do in space. */
export function paintAtoms(canvas: Canvas, atoms: readonly AtomPrimitive[]): Piece[] {
  const { camera } = canvas.scene;
  const spheres = atoms.filter((a) => a.shape === 'sphere' && a.opacity >= 1);
  const outlines = cutOutlines(spheres.map((a) => ({ centre: toViewer(camera, a.position), radius: norm(a.axes[0]) })));
  const outlineOfAtom = new Map(spheres.map((a, i) => [a, outlines[i]!]));
  return atoms.flatMap((a) => {
    const outline = outlineOfAtom.get(a) ?? 'whole';
    if (outline === 'hidden') return [];
    return [outline === 'whole' ? paintAtom(canvas, a) : paintCutSphere(canvas, a, outline)];
  });
}

/** A sphere of which others show through: lit as a whole one, cut along the circles where they meet. */
function paintCutSphere(canvas: Canvas, a: AtomPrimitive, outline: readonly CutPoint[]): Piece {
  const { x, y, depth, zoom } = canvas.at(a.position);
  const r = number(zoom * norm(a.axes[0]));
  const at = (p: CutPoint): string => `${number(x + zoom * p.x)} ${number(y - zoom * p.y)}`;
  // Along the limb in arcs, which drawing programs keep as such.
  const steps = outline.map((p, i) => {
    const next = outline[(i + 1) % outline.length]!;
    return p.cut || next.cut ? `L${at(next)}` : `A${r} ${r} 0 0 0 ${at(next)}`;
  });
  const d = `M${at(outline[0]!)}${steps.join('')}Z`;
  const whole = paintAtom(canvas, a).text.replace(/ stroke="[^"]*" stroke-width="[^"]*"/, '');
  const clip = canvas.clip(d);
  const edge = `<path d="${d}" fill="none" stroke="${strokeOf(a.colour)}" stroke-width="0.8" stroke-linejoin="round"/>`;
  return { depth, text: `<g clip-path="url(#${clip})">${whole}</g>${edge}` };
}

function paintAtom(canvas: Canvas, a: AtomPrimitive): Piece {
  const { x, y, depth, zoom } = canvas.at(a.position);
  const axes = a.axes.map((v) => toViewer(canvas.scene.camera, v)) as unknown as Axes;
  const { major, minor, angle } = outlineOf(axes);
  const style = `stroke="${strokeOf(a.colour)}" stroke-width="0.8"${a.opacity < 1 ? ` opacity="${number(a.opacity)}"` : ''}`;
  const fill = `fill="url(#${canvas.lit(a.sectors ? SHARED_LIGHT : a.colour)})"`;
  const shared = a.sectors ? paintSectors(a.sectors, axes, x, y, zoom) : '';
  if (a.shape === 'cube') return { depth, text: paintCube(axes, x, y, zoom, a.colour) };
  if (a.shape === 'sphere')
    return {
      depth,
      text: `${shared}<circle cx="${number(x)}" cy="${number(y)}" r="${number(zoom * major)}" ${fill} ${style}/>`,
    };
  const outline = `<ellipse cx="${number(x)}" cy="${number(y)}" rx="${number(zoom * major)}" ry="${number(zoom * minor)}" transform="rotate(${number(angle)} ${number(x)} ${number(y)})" ${fill} ${style}/>`;
  return {
    depth,
    text: `<g>${shared}${outline}${principalEllipses(axes, x, y, zoom, a.colour)}${a.shape === 'open ellipsoid' ? paintInside(canvas, axes, x, y, zoom, a.colour) : ''}</g>`,
  };
}

/** How far the outline reaches along a direction of the page, Å: 1 over the length of the direction under the inverse of its matrix. */
function outlineReach(axes: Axes, u: number, v: number): number {
  let xx = 0,
    xy = 0,
    yy = 0;
  for (const a of axes) {
    xx += a[0] * a[0];
    xy += a[0] * a[1];
    yy += a[1] * a[1];
  }
  const det = xx * yy - xy * xy;
  return Math.sqrt(det / (yy * u * u - 2 * xy * u * v + xx * v * v));
}

/** Sectors of an outline, clockwise from above, flat under the light. */
function paintSectors(sectors: readonly Sector[], axes: Axes, x: number, y: number, zoom: number): string {
  const { major, minor, angle } = outlineOf(axes);
  const point = (turn: number): string => {
    const u = Math.sin(2 * Math.PI * turn),
      v = Math.cos(2 * Math.PI * turn);
    const r = zoom * outlineReach(axes, u, v);
    return `${number(x + r * u)} ${number(y - r * v)}`;
  };
  const radii = `${number(zoom * major)} ${number(zoom * minor)} ${number(angle)}`;
  let from = 0;
  return sectors
    .filter((s) => s.share > 1e-3)
    .map(({ share, colour }) => {
      const start = from;
      from += share;
      // In two arcs, so that neither is half a turn or more.
      const arcs = [start + share / 2, start + share].map((t) => `A${radii} 0 1 ${point(t)}`).join('');
      return `<path d="M${number(x)} ${number(y)}L${point(start)}${arcs}Z" fill="${colour}"/>`;
    })
    .join('');
}

function principalEllipses(axes: Axes, x: number, y: number, zoom: number, colour: string): string {
  const columns: Mat3 = [
    axes[0][0],
    axes[1][0],
    axes[2][0],
    axes[0][1],
    axes[1][1],
    axes[2][1],
    axes[0][2],
    axes[1][2],
    axes[2][2],
  ];
  const back = transpose3(inverse3(columns));
  const normals = [0, 1, 2].map((k) => apply3(back, [k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0]));
  const arcs = [
    [0, 1],
    [0, 2],
    [1, 2],
  ].map(([i, j]) => visibleArc(axes[i!]!, axes[j!]!, normals[i!]!, normals[j!]!, x, y, zoom));
  const [r, g, b] = channels(colour);
  const ink = 0.3 * r + 0.6 * g + 0.1 * b < 76 ? '#d9d6cc' : '#0d0f14';
  return `<path d="${arcs.join('')}" fill="none" stroke="${ink}" stroke-width="${number(Math.max(0.6, 0.018 * zoom))}"/>`;
}

/** The three cuts of an open ellipsoid: quarters of its principal ellipses, between half axes that face the viewer. */
function paintInside(canvas: Canvas, axes: Axes, x: number, y: number, zoom: number, colour: string): string {
  const signs = openSigns(axes);
  const tips = axes.map((v, k) => v.map((w) => w * signs[k]!)) as unknown as Axes;
  const pale = mixColours(colour, '#ffffff', INSIDE_PALE);
  const light = normalize(canvas.scene.light.direction);
  const place = (p: number, q: number): string => `${number(x + zoom * p)} ${number(y - zoom * q)}`;
  return [
    [0, 1, 2],
    [1, 2, 0],
    [2, 0, 1],
  ]
    .map(([i, j, k]) => {
      const [u, v] = [tips[i!]!, tips[j!]!];
      const at = (a: number, b: number): string => place(a * u[0] + b * v[0], a * u[1] + b * v[1]);
      const falls = Math.max(0, dot(normalize(tips[k!]!), light));
      const { ambient } = canvas.scene.light;
      const fill = shadeColour(pale, ambient + (1 - ambient) * (0.35 + 0.65 * falls));
      return `<path d="M${place(0, 0)}L${at(1, 0)}C${at(1, KAPPA)} ${at(KAPPA, 1)} ${at(0, 1)}Z" fill="${fill}" stroke="${strokeOf(colour)}" stroke-width="${number(Math.max(0.6, 0.018 * zoom))}" stroke-linejoin="round"/>`;
    })
    .join('');
}

/** An impossible displacement: the box of its half axes, faces towards the viewer only. */
function paintCube(axes: Axes, x: number, y: number, zoom: number, colour: string): string {
  const faces: string[] = [];
  for (let k = 0; k < 3; k++)
    for (const sign of [1, -1]) {
      const n = axes[k]!;
      if (sign * n[2] <= 0) continue;
      const u = axes[(k + 1) % 3]!,
        v = axes[(k + 2) % 3]!;
      const corners = [
        [1, 1],
        [-1, 1],
        [-1, -1],
        [1, -1],
      ].map(([p, q]) => {
        const c = [0, 1].map((i) => sign * n[i]! + p! * u[i]! + q! * v[i]!);
        return `${number(x + zoom * 0.8 * c[0]!)} ${number(y - zoom * 0.8 * c[1]!)}`;
      });
      const light = 0.65 + 0.35 * Math.abs(normalize(n)[2]);
      faces.push(
        `<path d="M${corners.join('L')}Z" fill="${shadeColour(colour, light)}" stroke="${strokeOf(colour)}" stroke-width="0.8"/>`,
      );
    }
  return `<g>${faces.join('')}</g>`;
}
