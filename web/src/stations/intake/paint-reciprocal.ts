/** Paints the reciprocal lattice on a canvas: rings of spacing, the points that are chosen, the axes. */
import type { LatticePoints } from '@nagare/core/data/lattice-points';
import { dot, normalize, scale, subtract, type Vec3, toVec3 } from '@nagare/core/math/matrix3';

export type Layer = 'all' | 'hk' | 'hl' | 'kl';
/** The index that a layer holds fixed. */
export const FIXED: Readonly<Record<Exclude<Layer, 'all'>, 0 | 1 | 2>> = { hk: 2, hl: 1, kl: 0 };

export interface Choice {
  readonly layer: Layer;
  readonly level: number;
  readonly colour: 'strength' | 'forbidden';
  /** Least I/σ. */
  readonly weakest: number;
}

/** How the picture was moved by hand. */
export interface Hand {
  zoom: number;
  px: number;
  py: number;
  /** Rotation of the view, rows. */
  m: number[];
}

export interface Placed {
  readonly point: number;
  readonly x: number;
  readonly y: number;
}

export const indexOf = (p: LatticePoints, i: number): [number, number, number] => [p.h[i]!, p.k[i]!, p.l[i]!];

/** Whether a point lies in the layer and is strong enough. */
export const isChosen = (p: LatticePoints, i: number, { layer, level, weakest }: Omit<Choice, 'colour'>): boolean =>
  p.strength[i]! >= weakest && (layer === 'all' || indexOf(p, i)[FIXED[layer]] === level);

/** Lowest and highest layer that the data reach. */
export function layersOf(p: LatticePoints, layer: Layer): [number, number] {
  let low = 0,
    high = 0;
  if (layer !== 'all')
    for (let i = 0; i < p.count; i++) {
      const n = indexOf(p, i)[FIXED[layer]];
      low = Math.min(low, n);
      high = Math.max(high, n);
    }
  return [low, high];
}

/** Largest distance from the origin, Å⁻¹. */
export function reachOf(p: LatticePoints): number {
  let reach = 0.1;
  for (let i = 0; i < p.count; i++) reach = Math.max(reach, Math.hypot(...p.position.subarray(3 * i, 3 * i + 3)));
  return reach;
}

/** From reciprocal space (Å⁻¹) to right, up and towards the eye: in a layer its two running axes span the picture, in space the view turns. */
export function projectionOf(star: readonly Vec3[], layer: Layer, m: readonly number[]): (x: Vec3) => Vec3 {
  if (layer === 'all')
    return (x) => toVec3([0, 1, 2].map((i) => m[3 * i]! * x[0] + m[3 * i + 1]! * x[1] + m[3 * i + 2]! * x[2]));
  const running = [0, 1, 2].filter((i) => i !== FIXED[layer]);
  const right = normalize(star[running[0]!]!);
  const second = star[running[1]!]!;
  const up = normalize(subtract(second, scale(right, dot(second, right))));
  return (x) => [dot(right, x), dot(up, x), 0];
}

/** Spacings that rings are drawn at, Å. */
const RINGS = [3, 2, 1.5, 1.2, 1, 0.84];

export interface Picture {
  readonly points: LatticePoints;
  readonly star: readonly Vec3[];
  readonly reach: number;
  readonly choice: Choice;
  readonly hand: Hand;
  readonly width: number;
  readonly height: number;
  ink(token: string): string;
}

/** Paints the picture and says where each point came to lie, those in front last. */
export function paintReciprocal(g: CanvasRenderingContext2D, picture: Picture): Placed[] {
  const { points, star, reach, choice, hand, width, height } = picture;
  const unit = (Math.min(width, height) / 2 / reach) * 0.92 * hand.zoom;
  const centre: [number, number] = [width / 2 + hand.px, height / 2 + hand.py];
  const project = projectionOf(star, choice.layer, hand.m);
  const onScreen = (x: Vec3): Vec3 => {
    const [right, up, near] = project(x);
    return [centre[0] + unit * right, centre[1] - unit * up, near];
  };
  paintRings(g, picture, centre, unit);
  const placed: (Placed & { near: number })[] = [];
  for (let i = 0; i < points.count; i++) {
    if (!isChosen(points, i, choice)) continue;
    // Of the whole lattice only what is forbidden is looked at; the rest would hide it.
    if (choice.colour === 'forbidden' && choice.layer === 'all' && !points.absent[i]) continue;
    const [x, y, near] = onScreen(toVec3(points.position.subarray(3 * i, 3 * i + 3)));
    placed.push({ point: i, x, y, near });
  }
  placed.sort((p, q) => p.near - q.near);
  for (const at of placed) paintPoint(g, picture, at);
  paintAxes(g, picture, onScreen, centre);
  return placed;
}

function paintRings(
  g: CanvasRenderingContext2D,
  { reach, ink }: Picture,
  centre: [number, number],
  unit: number,
): void {
  for (const d of RINGS) {
    if (1 / d > reach) continue;
    g.strokeStyle = ink('--line');
    g.beginPath();
    g.arc(centre[0], centre[1], unit / d, 0, 7);
    g.stroke();
    g.fillStyle = ink('--soft');
    g.font = '11px "IBM Plex Sans"';
    g.fillText(`${d} Å`, centre[0] + unit / d / Math.SQRT2 + 3, centre[1] - unit / d / Math.SQRT2);
  }
}

/** The token of a point's colour. */
export function colourOf(p: LatticePoints, i: number, colour: Choice['colour']): string {
  const strength = p.strength[i]!;
  if (colour === 'forbidden') return !p.absent[i] ? '--line' : strength > 5 ? '--vermilion' : '--gold';
  return strength > 15 ? '--indigo' : strength > 3 ? '--water' : '--line';
}

function paintPoint(g: CanvasRenderingContext2D, picture: Picture, { point, x, y }: Placed): void {
  const { points, choice, hand, width, height, ink } = picture;
  if (x < -5 || y < -5 || x > width + 5 || y > height + 5) return;
  const decades = Math.log10(1 + Math.max(0, points.strength[point]!));
  const size = choice.layer === 'all' ? 1 + Math.min(2.4, decades) : 1.2 + 2.6 * Math.min(1, decades / 2);
  g.fillStyle = ink(colourOf(points, point, choice.colour));
  g.beginPath();
  if (choice.colour === 'forbidden' && points.absent[point])
    g.rect(x - size - 1, y - size - 1, 2 * size + 2, 2 * size + 2);
  else g.arc(x, y, size * Math.max(1, Math.sqrt(hand.zoom) * 0.8), 0, 7);
  g.fill();
}

function paintAxes(
  g: CanvasRenderingContext2D,
  { star, reach, choice, ink }: Picture,
  onScreen: (x: Vec3) => Vec3,
  centre: [number, number],
): void {
  g.fillStyle = ink('--ink');
  g.font = 'italic 13px "IBM Plex Sans"';
  star.forEach((axis, i) => {
    if (choice.layer !== 'all' && i === FIXED[choice.layer]) return;
    const [x, y] = onScreen(scale(normalize(axis), reach * 1.02));
    g.strokeStyle = ink(['--vermilion', '--pine', '--indigo'][i]!);
    g.beginPath();
    g.moveTo(...centre);
    g.lineTo(x, y);
    g.stroke();
    g.fillText(['a*', 'b*', 'c*'][i]!, x + 0.03 * (x - centre[0]) + 2, y + 0.03 * (y - centre[1]));
  });
}

/** The point under the pointer, within 8 px. */
export function pointAt(placed: readonly Placed[], x: number, y: number): Placed | undefined {
  let best: Placed | undefined,
    nearest = 8;
  for (const at of placed) {
    const away = Math.hypot(at.x - x, at.y - y);
    if (away < nearest) [best, nearest] = [at, away];
  }
  return best;
}

/** The view turned by a drag of so many pixels. */
export function turned(m: readonly number[], dx: number, dy: number): number[] {
  const [a, b] = [dx * 0.008, dy * 0.008];
  const aboutY = [Math.cos(a), 0, Math.sin(a), 0, 1, 0, -Math.sin(a), 0, Math.cos(a)],
    aboutX = [1, 0, 0, 0, Math.cos(b), -Math.sin(b), 0, Math.sin(b), Math.cos(b)];
  const times = (p: readonly number[], q: readonly number[]): number[] =>
    [0, 1, 2].flatMap((i) =>
      [0, 1, 2].map((j) => p[3 * i]! * q[j]! + p[3 * i + 1]! * q[3 + j]! + p[3 * i + 2]! * q[6 + j]!),
    );
  return times(times(aboutY, aboutX), m);
}
