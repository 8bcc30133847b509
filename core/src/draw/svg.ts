/** Paints a scene as SVG: shaded spheres and ellipsoids with their principal ellipses, bonds, edges, surfaces, labels; the farthest first. */
import { norm, normalize, type Vec3, toVec3 } from '../math/matrix3.ts';
import { toViewer, type Size } from './camera.ts';
import { colourOfChannels, mixColours, shadeColour } from './colours.ts';
import { placeLabels } from './labels.ts';
import { seenScene } from './optics.ts';
import { HOLLOW, surfaceDistance } from './scene.ts';
import type {
  ArrowPrimitive,
  AtomPrimitive,
  BondPrimitive,
  ElementPrimitive,
  Layer,
  LinePrimitive,
  PolyhedronPrimitive,
  Scene,
  SurfacePrimitive,
} from './scene.ts';
import { type Piece, type Axes, number, Canvas } from './svg-canvas.ts';
import { paintAtoms, outlineOf } from './svg-atoms.ts';
import { labelRequests } from './label-requests.ts';

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

const LABEL_HEIGHT = 13;
/** Mean width of a character of the label font, pixels at 12 px. */
const CHARACTER = 7;

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
