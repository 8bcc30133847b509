/** A flat section of a map: where it lies, and its contour lines with the atoms near it on a canvas. */
import { cartesian, type Structure } from '@nagare/core/crystal/structure';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { cartesianOf } from '@nagare/core/geometry/measure';
import { planeOf } from '@nagare/core/geometry/points';
import { contourLines } from '@nagare/core/maps/contour-lines';
import { densityAt, type SampledMap } from '@nagare/core/maps/sample';
import { add, apply3, cross, dot, inverse3, normalize, scale, subtract, type Vec3 } from '@nagare/core/math/matrix3';
import { middle } from '@nagare/core/math/superpose';

/** Å, Cartesian. */
export interface SectionFrame {
  readonly centre: Vec3;
  readonly u: Vec3;
  readonly v: Vec3;
  readonly normal: Vec3;
}

/** The plane of three or more chosen atoms, or the mean plane of all but hydrogen; undefined where three atoms are not there. */
export function sectionFrame(s: Structure, chosen: readonly AtomRef[]): SectionFrame | undefined {
  const points =
    chosen.length >= 3
      ? cartesianOf(s, chosen)
      : s.sites.filter((x) => x.element !== 'H').map((x) => cartesian(s.cell, x.position));
  if (points.length < 3) return undefined;
  const normal = planeOf(points).normal;
  const centre = middle(chosen.length >= 3 ? points.slice(0, 12) : points);
  const first = subtract(points[1]!, points[0]!);
  const across = normalize(subtract(first, scale(normal, dot(first, normal))));
  return { centre, u: across, v: cross(normal, across), normal };
}

export interface SectionLook {
  readonly frame: SectionFrame;
  /** Å: across the picture, and of the section above the plane. */
  readonly width: number;
  readonly height: number;
  /** e Å⁻³ between lines. */
  readonly step: number;
}

/** Points a side at which the map is read, and lines below and above zero. */
const SAMPLES = 121,
  BELOW = -10,
  ABOVE = 14;
/** Å off the section to which atoms are marked. */
const NEAR = 0.9;

const ink = (name: string): string => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function sampled(s: Structure, map: SampledMap, { frame, width, height }: SectionLook): Float64Array {
  const inverse = inverse3(orthogonalization(s.cell));
  const origin = add(frame.centre, scale(frame.normal, height));
  const values = new Float64Array(SAMPLES * SAMPLES);
  for (let j = 0; j < SAMPLES; j++)
    for (let i = 0; i < SAMPLES; i++) {
      const a = (i / (SAMPLES - 1) - 0.5) * width,
        b = (0.5 - j / (SAMPLES - 1)) * width;
      const f = apply3(inverse, add(origin, add(scale(frame.u, a), scale(frame.v, b))));
      values[i + SAMPLES * j] = densityAt(map, f[0], f[1], f[2]);
    }
  return values;
}

function paintLines(ctx: CanvasRenderingContext2D, values: Float64Array, size: number, step: number): void {
  const px = (k: number): number => (k / (SAMPLES - 1)) * size;
  const [zero, more, less] = [ink('--line'), ink('--water'), ink('--vermilion')];
  for (let n = BELOW; n <= ABOVE; n++) {
    ctx.strokeStyle = n === 0 ? zero : n > 0 ? more : less;
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
}

function paintAtoms(ctx: CanvasRenderingContext2D, s: Structure, size: number, look: SectionLook): void {
  const { frame, width, height } = look;
  const origin = add(frame.centre, scale(frame.normal, height));
  ctx.font = '500 12px "IBM Plex Sans"';
  ctx.fillStyle = ink('--ink');
  for (const x of s.sites) {
    const d = subtract(cartesian(s.cell, x.position), origin);
    const [off, a, b] = [dot(d, frame.normal), dot(d, frame.u), dot(d, frame.v)];
    if (Math.abs(off) > NEAR || Math.abs(a) > width / 2 || Math.abs(b) > width / 2) continue;
    const [px, py] = [(a / width + 0.5) * size, (0.5 - b / width) * size];
    ctx.globalAlpha = 1 - 0.6 * Math.abs(off);
    ctx.beginPath();
    ctx.arc(px, py, 2.5, 0, 7);
    ctx.fill();
    ctx.fillText(x.label, px + 5, py - 5);
  }
  ctx.globalAlpha = 1;
}

/** Fills a square canvas with the section. */
export function paintSection(canvas: HTMLCanvasElement, s: Structure, map: SampledMap, look: SectionLook): void {
  const size = canvas.clientWidth;
  canvas.width = canvas.height = size * devicePixelRatio;
  const ctx = canvas.getContext('2d')!;
  ctx.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
  ctx.fillStyle = ink('--scene');
  ctx.fillRect(0, 0, size, size);
  paintLines(ctx, sampled(s, map, look), size, look.step);
  paintAtoms(ctx, s, size, look);
}
