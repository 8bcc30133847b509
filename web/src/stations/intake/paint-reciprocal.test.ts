import { describe, expect, it } from 'vitest';
import { latticePoints, reciprocalAxes } from '@nagare/core/data/lattice-points';
import { RawBuilder } from '@nagare/core/crystal/reflections';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { dot, norm, type Vec3 } from '@nagare/core/math/matrix3';
import {
  colourOf,
  indexOf,
  isChosen,
  layersOf,
  paintReciprocal,
  pointAt,
  projectionOf,
  reachOf,
  turned,
  type Choice,
  type Picture,
} from './paint-reciprocal.ts';

const CELL = { a: 7, b: 9, c: 11, alpha: 90, beta: 105, gamma: 90 };
const STAR = reciprocalAxes(CELL);
const UPRIGHT = [1, 0, 0, 0, 1, 0, 0, 0, 1];

function points() {
  const out = new RawBuilder();
  for (let h = -2; h <= 2; h++)
    for (let k = -2; k <= 2; k++)
      for (let l = 0; l <= 3; l++) if (h || k || l) out.push(h, k, l, 10 * (1 + Math.abs(h)), 1 + l);
  return latticePoints(out.build(false), CELL, spaceGroupFromSymbol('P 1 21/c 1'));
}
const POINTS = points();
const LAYER: Choice = { layer: 'hk', level: 1, colour: 'strength', weakest: 0 };

/** A pen that remembers what it filled. */
function pen() {
  const fills: string[] = [];
  const context = { fillStyle: '', strokeStyle: '', font: '' } as Record<string, unknown>;
  for (const name of ['beginPath', 'arc', 'rect', 'moveTo', 'lineTo', 'stroke', 'fillText'])
    context[name] = () => undefined;
  context['fill'] = () => fills.push(String(context['fillStyle']));
  return { context: context as unknown as CanvasRenderingContext2D, fills };
}
const picture = (choice: Choice, hand = { zoom: 1, px: 0, py: 0, m: UPRIGHT }): Picture => ({
  points: POINTS,
  star: STAR,
  reach: reachOf(POINTS),
  choice,
  hand,
  width: 400,
  height: 300,
  ink: (token) => token,
});

describe('layers of the reciprocal lattice', () => {
  it('hold the points of one index', () => {
    const inLayer = Array.from({ length: POINTS.count }, (_, i) => i).filter((i) => isChosen(POINTS, i, LAYER));
    expect(inLayer.length).toBe(25);
    for (const i of inLayer) expect(indexOf(POINTS, i)[2]).toBe(1);
    expect(isChosen(POINTS, inLayer[0]!, { ...LAYER, weakest: 1e9 })).toBe(false);
  });

  it('reach as far as the data, mates among them', () => {
    expect(layersOf(POINTS, 'hk')).toEqual([-3, 3]);
    expect(layersOf(POINTS, 'kl')).toEqual([-2, 2]);
    expect(layersOf(POINTS, 'all')).toEqual([0, 0]);
  });

  it.each([
    ['hk', 0, 1],
    ['hl', 0, 2],
    ['kl', 1, 2],
  ] as const)('%s: its axes stand at their angle and length in the picture', (layer, p, q) => {
    const project = projectionOf(STAR, layer, UPRIGHT);
    const flat = (x: Vec3): Vec3 => project(x);
    const [u, v] = [flat(STAR[p]!), flat(STAR[q]!)];
    expect(norm(u)).toBeCloseTo(norm(STAR[p]!), 9);
    expect(norm(v)).toBeCloseTo(norm(STAR[q]!), 9);
    expect(dot(u, v)).toBeCloseTo(dot(STAR[p]!, STAR[q]!), 9);
    expect(u[1]).toBeCloseTo(0, 12);
    expect(v[1]).toBeGreaterThan(0);
  });
});

describe('the whole lattice', () => {
  it('turns without changing distances', () => {
    let m: number[] = UPRIGHT;
    for (const [dx, dy] of [
      [30, -12],
      [-80, 44],
      [3, 200],
    ] as const)
      m = turned(m, dx, dy);
    const project = projectionOf(STAR, 'all', m);
    for (const a of STAR) for (const b of STAR) expect(dot(project(a), project(b))).toBeCloseTo(dot(a, b), 9);
  });

  it('shows what is in front last', () => {
    const { context } = pen();
    const placed = paintReciprocal(context, picture({ ...LAYER, layer: 'all' })) as { near?: number }[];
    const near = placed.map((p) => p.near!);
    expect(near).toEqual([...near].sort((a, b) => a - b));
    expect(placed).toHaveLength(POINTS.count);
  });

  it('shows only what is forbidden where that is asked', () => {
    const { context } = pen();
    const placed = paintReciprocal(context, picture({ ...LAYER, layer: 'all', colour: 'forbidden' }));
    expect(placed.length).toBeGreaterThan(0);
    for (const { point } of placed) expect(POINTS.absent[point]).toBe(1);
  });
});

describe('points in the picture', () => {
  it('are coloured by strength, or by what is forbidden and was measured all the same', () => {
    const of = (strength: number, absent: number, colour: Choice['colour']): string =>
      colourOf({ ...POINTS, strength: Float32Array.of(strength), absent: Uint8Array.of(absent) }, 0, colour);
    expect([40, 8, 1].map((s) => of(s, 0, 'strength'))).toEqual(['--indigo', '--water', '--line']);
    expect([of(40, 1, 'forbidden'), of(1, 1, 'forbidden'), of(40, 0, 'forbidden')]).toEqual([
      '--vermilion',
      '--gold',
      '--line',
    ]);
  });

  it('lie about the middle, move with the hand, and are filled once each', () => {
    const still = pen(),
      moved = pen();
    const a = paintReciprocal(still.context, picture(LAYER));
    const b = paintReciprocal(moved.context, picture(LAYER, { zoom: 2, px: 30, py: -10, m: UPRIGHT }));
    expect(still.fills).toHaveLength(a.length);
    a.forEach((p, i) => {
      expect(b[i]!.x - 230).toBeCloseTo(2 * (p.x - 200), 6);
      expect(b[i]!.y - 140).toBeCloseTo(2 * (p.y - 150), 6);
    });
  });

  it('are found under the pointer, the nearest, and none too far', () => {
    const placed = [
      { point: 0, x: 10, y: 10 },
      { point: 1, x: 15, y: 10 },
    ];
    expect(pointAt(placed, 12, 10)!.point).toBe(0);
    expect(pointAt(placed, 14, 11)!.point).toBe(1);
    expect(pointAt(placed, 40, 40)).toBeUndefined();
  });
});
