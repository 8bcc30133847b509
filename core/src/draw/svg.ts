/** Paints a scene as SVG: shaded spheres and ellipsoids with their principal ellipses, bonds, edges, surfaces, labels; the farthest first. */
import { dot, inverse3, norm, normalize, transpose3, apply3, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { project, toViewer, type Size } from './camera.ts';
import { channels, colourOfChannels, mixColours, shadeColour } from './colours.ts';
import { cutOutlines, type CutPoint } from './cut-spheres.ts';
import { placeLabels, type LabelRequest } from './labels.ts';
import { magnification, seenScene } from './optics.ts';
import { HOLLOW, INSIDE_PALE, openSigns, surfaceDistance } from './scene.ts';
import type {
  ArrowPrimitive,
  AtomPrimitive,
  BondPrimitive,
  Camera,
  ElementPrimitive,
  Layer,
  LabelPrimitive,
  LinePrimitive,
  PolyhedronPrimitive,
  Scene,
  Sector,
  SurfacePrimitive,
} from './scene.ts';

/** A piece of the picture and how near it is, Å towards the viewer. */
interface Piece {
  readonly depth: number;
  readonly text: string;
}

type Axes = readonly [Vec3, Vec3, Vec3];

/** Light and shade without a colour of their own. */
const SHARED_LIGHT = 'light';

const number = (x: number): string => (Math.abs(x) < 5e-3 ? '0' : x.toFixed(2));

const LABEL_HEIGHT = 13;
/** Mean width of a character of the label font, pixels at 12 px. */
const CHARACTER = 7;

/** A paint bucket of one picture: camera, size, and the gradients used so far. */
class Canvas {
  private readonly gradients = new Map<string, string>();
  private readonly clips: string[] = [];

  constructor(
    readonly scene: Scene,
    readonly size: Size,
    /** Before the names of gradients, where several pictures share a file. */
    private readonly prefix = '',
  ) {}

  /** Where a point stands, and what an Å is there in pixels. */
  at(p: Vec3): { x: number; y: number; depth: number; zoom: number } {
    const { camera } = this.scene;
    const place = project(camera, this.size, p);
    return { ...place, zoom: magnification(camera, this.size, place.depth) / camera.scale };
  }

  /** A radial gradient that lights a ball of this colour (of what lies under it: `SHARED_LIGHT`); its id. */
  lit(colour: string): string {
    const known = this.gradients.get(colour);
    if (known) return known;
    const id = `${this.prefix}lit${this.gradients.size}`;
    this.gradients.set(colour, id);
    return id;
  }

  /** A shape that others are cut to; its id. */
  clip(d: string): string {
    const id = `${this.prefix}cut${this.clips.length}`;
    this.clips.push(`<clipPath id="${id}"><path d="${d}"/></clipPath>`);
    return id;
  }

  /** Definitions of all gradients and cuts that were asked for. */
  definitions(): string {
    const [x, y] = normalize(this.scene.light.direction);
    const fx = number(0.5 + 0.28 * x),
      fy = number(0.5 - 0.28 * y);
    const lights = [...this.gradients]
      .map(([colour, id]) =>
        colour === SHARED_LIGHT
          ? `<radialGradient id="${id}" cx="${fx}" cy="${fy}" r="0.75"><stop offset="0" stop-color="#ffffff" stop-opacity="0.3"/><stop offset="0.55" stop-color="#ffffff" stop-opacity="0"/><stop offset="0.55" stop-color="#000000" stop-opacity="0"/><stop offset="1" stop-color="#000000" stop-opacity="0.38"/></radialGradient>`
          : `<radialGradient id="${id}" cx="${fx}" cy="${fy}" r="0.75"><stop offset="0" stop-color="${mixColours(colour, '#ffffff', 0.3)}"/><stop offset="0.55" stop-color="${colour}"/><stop offset="1" stop-color="${shadeColour(colour, 0.62)}"/></radialGradient>`,
      )
      .join('');
    return lights + this.clips.join('');
  }
}

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

const strokeOf = (colour: string): string => shadeColour(colour, 0.55);

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
function paintAtoms(canvas: Canvas, atoms: readonly AtomPrimitive[]): Piece[] {
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

/** A bond as two halves; each starts at the surface of its atom, so that it can be painted after it when it comes forward. */
function paintBond(canvas: Canvas, b: BondPrimitive, atoms: readonly AtomPrimitive[]): Piece[] {
  const { camera } = canvas.scene;
  const ends = [b.from, b.to];
  const middle = toVec3(ends[0]!.map((x, k) => (x + ends[1]![k]!) / 2));
  const half = norm([middle[0] - b.from[0], middle[1] - b.from[1], middle[2] - b.from[2]]);
  return ends.map((end, k) => {
    const direction = normalize([middle[0] - end[0], middle[1] - end[1], middle[2] - end[2]]);
    const atom = b.atoms && atoms[b.atoms[k]!];
    const axes = atom?.axes.map((v) => toViewer(camera, v)) as unknown as Axes | undefined;
    // Into the atom by a little, or the round end of the stick would show.
    const skip = axes ? Math.min(half, 0.92 * surfaceDistance(axes, toViewer(camera, direction))) : 0;
    const start: Vec3 = [end[0] + direction[0] * skip, end[1] + direction[1] * skip, end[2] + direction[2] * skip];
    return paintStick(canvas, start, middle, b, b.colours[k]!);
  });
}

/** Å between the dashes of a stick. */
const DASH_GAP = 0.1;

function paintStick(
  canvas: Canvas,
  from: Vec3,
  to: Vec3,
  { radius, opacity, dash, inner }: Pick<BondPrimitive, 'radius' | 'opacity' | 'dash' | 'inner'>,
  colour: string,
): Piece {
  const p = canvas.at(from),
    q = canvas.at(to);
  const zoom = (p.zoom + q.zoom) / 2;
  const width = 2 * radius * zoom;
  const d = `M${number(p.x)} ${number(p.y)}L${number(q.x)} ${number(q.y)}`;
  const broken = dash ? ` stroke-dasharray="${number(dash * zoom)} ${number(DASH_GAP * zoom)}"` : '';
  const stroke = (c: string, w: number): string =>
    `<path d="${d}" stroke="${c}" stroke-width="${number(w)}" fill="none"${broken}/>`;
  const solid = `${stroke(shadeColour(colour, 0.72), width)}${stroke(colour, width * 0.72)}${stroke(mixColours(colour, '#ffffff', 0.25), width * 0.3)}`;
  const text = `<g${opacity < 1 ? ` opacity="${number(opacity)}"` : ''}>${inner === undefined ? solid : stroke(colour, width) + stroke(inner, width * HOLLOW)}</g>`;
  return { depth: (p.depth + q.depth) / 2 + 0.02, text };
}

function paintLine(canvas: Canvas, l: LinePrimitive): Piece[] {
  // In pieces, so that atoms in the middle of an edge hide only their part of it.
  const parts = 8;
  const point = (t: number): Vec3 => toVec3(l.from.map((x, k) => x + (l.to[k]! - x) * t));
  return Array.from({ length: parts }, (_, i) => {
    const p = canvas.at(point(i / parts)),
      q = canvas.at(point((i + 1) / parts));
    return {
      depth: (p.depth + q.depth) / 2,
      text: `<path d="M${number(p.x)} ${number(p.y)}L${number(q.x)} ${number(q.y)}" stroke="${l.colour}" stroke-width="${number(l.width)}" stroke-opacity="${number(l.opacity)}" fill="none"${l.dashed ? ' stroke-dasharray="4 3"' : ''}/>`,
    };
  });
}

function polygon(canvas: Canvas, corners: readonly Vec3[], attributes: string): Piece {
  const points = corners.map((c) => canvas.at(c));
  return {
    depth: points.reduce((sum, p) => sum + p.depth, 0) / points.length,
    text: `<path d="M${points.map((p) => `${number(p.x)} ${number(p.y)}`).join('L')}Z" ${attributes}/>`,
  };
}

/** Brightness of a face by the scene's light, both sides alike. */
function faceLight(canvas: Canvas, corners: readonly Vec3[]): number {
  const [a, b, c] = corners.map((p) => toViewer(canvas.scene.camera, p));
  const u = [0, 1, 2].map((k) => b![k]! - a![k]!),
    v = [0, 1, 2].map((k) => c![k]! - a![k]!);
  const n = normalize([u[1]! * v[2]! - u[2]! * v[1]!, u[2]! * v[0]! - u[0]! * v[2]!, u[0]! * v[1]! - u[1]! * v[0]!]);
  const d = normalize(canvas.scene.light.direction);
  const falls = Math.abs(n[0] * d[0] + n[1] * d[1] + n[2] * d[2]);
  const { ambient } = canvas.scene.light;
  return ambient + (1 - ambient) * (0.35 + 0.65 * falls);
}

function paintPolyhedron(canvas: Canvas, p: PolyhedronPrimitive): Piece[] {
  return p.faces.map((face) => {
    const corners = face.map((i) => p.vertices[i]!);
    const colour = shadeColour(p.colour, faceLight(canvas, corners));
    return polygon(
      canvas,
      corners,
      `fill="${colour}" fill-opacity="${number(p.opacity)}" stroke="${p.edgeColour}" stroke-width="${number(p.edgeWidth)}" stroke-linejoin="round"`,
    );
  });
}

function paintSurface(canvas: Canvas, s: SurfacePrimitive): Piece[] {
  const corner = (i: number): Vec3 => {
    const at = 3 * s.indices[i]!;
    return [s.positions[at]!, s.positions[at + 1]!, s.positions[at + 2]!];
  };
  const out: Piece[] = [];
  for (let i = 0; i < s.indices.length; i += 3) {
    const corners = [corner(i), corner(i + 1), corner(i + 2)];
    const base = s.shades ? meanShade(s.shades, s.indices.subarray(i, i + 3)) : sideColour(canvas, s, corners);
    const colour = shadeColour(base, faceLight(canvas, corners));
    // A surface is seen through twice; its own mesh keeps the hairlines between triangles shut.
    out.push(
      polygon(
        canvas,
        corners,
        `fill="${colour}" fill-opacity="${number(s.opacity)}" stroke="${s.colour}" stroke-opacity="${number(s.mesh)}" stroke-width="0.5"`,
      ),
    );
  }
  return out;
}

/** The colour of the side of a triangle that is seen. */
function sideColour(canvas: Canvas, { colour, inside }: SurfacePrimitive, corners: readonly Vec3[]): string {
  if (!inside) return colour;
  const [a, b, c] = corners.map((p) => canvas.at(p));
  // Pixels count downwards.
  return (b!.x - a!.x) * (c!.y - a!.y) - (b!.y - a!.y) * (c!.x - a!.x) > 0 ? inside : colour;
}

/** The colour of a triangle whose corners have their own. */
const meanShade = (shades: Uint8Array, corners: ArrayLike<number>): string =>
  colourOfChannels(
    [0, 1, 2].map(
      (k) => (shades[3 * corners[0]! + k]! + shades[3 * corners[1]! + k]! + shades[3 * corners[2]! + k]!) / 3,
    ),
  );

function paintElement(canvas: Canvas, e: ElementPrimitive): Piece[] {
  if (e.points.length === 1) {
    const { x, y, depth, zoom } = canvas.at(e.points[0]!);
    const r = (e.picked ? 0.2 : 0.14) * zoom;
    return [
      {
        depth,
        text: `<path d="M${number(x)} ${number(y - r)}L${number(x + r)} ${number(y)}L${number(x)} ${number(y + r)}L${number(x - r)} ${number(y)}Z" fill="${e.colour}"/>`,
      },
    ];
  }
  if (e.points.length === 2)
    return [
      paintStick(canvas, e.points[0]!, e.points[1]!, { radius: e.picked ? 0.07 : 0.045, opacity: 0.85 }, e.colour),
    ];
  const out = [polygon(canvas, e.points, `fill="${e.colour}" fill-opacity="${e.picked ? 0.16 : 0.06}"`)];
  const lines = e.hatching ?? new Float32Array(0);
  let d = '',
    depth = 0;
  for (let i = 0; i < lines.length; i += 6) {
    const p = canvas.at([lines[i]!, lines[i + 1]!, lines[i + 2]!]),
      q = canvas.at([lines[i + 3]!, lines[i + 4]!, lines[i + 5]!]);
    d += `M${number(p.x)} ${number(p.y)}L${number(q.x)} ${number(q.y)}`;
    depth += ((p.depth + q.depth) / 2) * (6 / lines.length);
  }
  if (d)
    out.push({
      depth,
      text: `<path d="${d}" stroke="${e.colour}" stroke-opacity="${e.picked ? 0.95 : 0.5}" stroke-width="1" fill="none"/>`,
    });
  return out;
}

function paintArrow(canvas: Canvas, a: ArrowPrimitive): Piece[] {
  const p = canvas.at(a.from),
    q = canvas.at(a.to);
  const length = Math.hypot(q.x - p.x, q.y - p.y);
  if (length < 1) return [];
  const ux = (q.x - p.x) / length,
    uy = (q.y - p.y) / length;
  const width = 2 * a.radius * q.zoom;
  const head = Math.min(length, 2 * width),
    side = head / 2;
  const bx = q.x - ux * head,
    by = q.y - uy * head;
  const tip = `M${number(q.x)} ${number(q.y)}L${number(bx - uy * side)} ${number(by + ux * side)}L${number(bx + uy * side)} ${number(by - ux * side)}Z`;
  return [
    {
      depth: (p.depth + q.depth) / 2,
      text: `<g><path d="M${number(p.x)} ${number(p.y)}L${number(bx)} ${number(by)}" stroke="${a.colour}" stroke-width="${number(width)}"/><path d="${tip}" fill="${a.colour}"/></g>`,
    },
  ];
}

function paintLayer(canvas: Canvas, layer: Layer): Piece[] {
  switch (layer.kind) {
    case 'atoms':
      return paintAtoms(
        canvas,
        layer.items.filter((a) => a.opacity > 0),
      );
    case 'halos':
      return layer.items.map((a) => {
        const { x, y, depth, zoom } = canvas.at(a.position);
        const r = number(outlineOf(a.axes).major * zoom);
        return {
          depth: depth - 0.01,
          text: `<circle cx="${number(x)}" cy="${number(y)}" r="${r}" fill="${a.colour}" fill-opacity="${number(a.opacity)}"/>`,
        };
      });
    case 'bonds': {
      const atoms = canvas.scene.layers.flatMap((l) => (l.kind === 'atoms' && l.name === layer.name ? l.items : []));
      return layer.items.flatMap((b) => paintBond(canvas, b, atoms));
    }
    case 'polyhedra':
      return layer.items.flatMap((p) => paintPolyhedron(canvas, p));
    case 'planes':
      return layer.items.map((p) =>
        polygon(canvas, p.corners, `fill="${p.colour}" fill-opacity="${number(p.opacity)}"`),
      );
    case 'lines':
      return layer.items.flatMap((l) => paintLine(canvas, l));
    case 'surfaces':
      return layer.items.flatMap((s) => paintSurface(canvas, s));
    case 'points':
      return layer.items.map((p) => {
        const { x, y, depth, zoom } = canvas.at(p.position);
        return {
          depth,
          text: `<circle cx="${number(x)}" cy="${number(y)}" r="${number(p.radius * zoom)}" fill="none" stroke="${p.colour}" stroke-width="1.2"/>`,
        };
      });
    case 'symmetry elements':
      return layer.items.flatMap((e) => paintElement(canvas, e));
    case 'arrows':
      return layer.items.flatMap((a) => paintArrow(canvas, a));
    case 'labels':
      return [];
  }
}

/** Cosine of a face's normal with the line of sight from which on it has room for a name. */
const FACING = 0.3;

/** Whether a label may stand: the name of a face only where the face is turned to the viewer. */
export const isNameable = (camera: Camera, { normal }: Pick<LabelPrimitive, 'normal'>): boolean =>
  !normal || toViewer(camera, normal)[2] >= FACING;

/** Where every label of a scene goes, pixels: the same for every painter, given how wide text is. */
export function labelRequests(scene: Scene, size: Size): (LabelRequest & { readonly colour: string })[] {
  const seen = new Set<string>();
  return scene.layers.flatMap((layer) => {
    if (layer.kind !== 'labels') return [];
    return layer.items.flatMap((l) => {
      if (!isNameable(scene.camera, l)) return [];
      const p = project(scene.camera, size, l.at);
      if (p.x < 0 || p.y < 0 || p.x > size.width || p.y > size.height) return [];
      // A selected atom has its label twice, once with the weight of the selection.
      const key = `${l.text} ${number(p.x)} ${number(p.y)}`;
      if (layer.name === 'model' && seen.has(key)) return [];
      seen.add(key);
      return [
        {
          text: l.text,
          x: p.x,
          y: p.y,
          clear: Math.max(2, l.clear / scene.camera.scale),
          weight: l.weight + p.depth,
          colour: l.colour,
          ...(l.normal ? { onFace: true } : {}),
        },
      ];
    });
  });
}

const escape = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');

function paintLabels(scene: Scene, size: Size): string {
  const requests = labelRequests(scene, size);
  if (!requests.length) return '';
  const colourOf = new Map(requests.map((r) => [r.text, r.colour]));
  return `<g font-family="'IBM Plex Sans', sans-serif" font-size="12" font-weight="500" dominant-baseline="central">${placeLabels(
    requests,
    (t) => CHARACTER * t.length,
    LABEL_HEIGHT,
  )
    .map(
      (l) =>
        `<text x="${number(l.x)}" y="${number(l.y)}" fill="${colourOf.get(l.text)}" stroke="${scene.ground}" stroke-width="3" stroke-linejoin="round" paint-order="stroke">${escape(l.text)}</text>`,
    )
    .join('')}</g>`;
}

export interface SvgOptions {
  /** Paints the ground; left out the picture is transparent. */
  readonly ground?: boolean;
  /** Read aloud; left out the picture is decoration. */
  readonly title?: string;
}

/** A scene without its labels as the definitions and the elements of an SVG, `size` in pixels; names begin with `prefix`. */
export function paintSvgParts(
  scene: Scene,
  size: Size,
  prefix = '',
): { readonly definitions: string; readonly body: string } {
  const seen = seenScene(scene);
  const canvas = new Canvas(seen, size, prefix);
  const pieces = seen.layers.flatMap((l) => paintLayer(canvas, l));
  pieces.sort((p, q) => p.depth - q.depth);
  return { body: pieces.map((p) => p.text).join(''), definitions: canvas.definitions() };
}

/** SVG text of a scene, `size` in pixels. */
export function paintSvg(scene: Scene, size: Size, options: SvgOptions = {}): string {
  const { definitions, body } = paintSvgParts(scene, size);
  const title = options.title ? `<title>${escape(options.title)}</title>` : '';
  const ground = options.ground ? `<rect width="100%" height="100%" fill="${scene.ground}"/>` : '';
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${size.width} ${size.height}" width="${size.width}" height="${size.height}" role="img">${title}<defs>${definitions}</defs>${ground}${body}${paintLabels(seenScene(scene), size)}</svg>`;
}
