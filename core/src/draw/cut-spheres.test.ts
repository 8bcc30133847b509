import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { cutOutlines, type Ball, type CutOutline } from './cut-spheres.ts';

const random = seededRandom(8);
const crowd = (count: number, room: number): Ball[] =>
  Array.from({ length: count }, () => ({
    centre: [room * random.next(), room * random.next(), room * random.next()] as const,
    radius: 0.9 + random.next(),
  }));

/** Whether a place lies on a ball's part of the page. */
function covers(ball: Ball, outline: CutOutline, x: number, y: number): boolean {
  const [u, v] = [x - ball.centre[0], y - ball.centre[1]];
  if (outline === 'hidden') return false;
  if (outline === 'whole') return Math.hypot(u, v) < ball.radius;
  let inside = false;
  outline.forEach((p, i) => {
    const q = outline[(i + 1) % outline.length]!;
    if (p.y > v !== q.y > v && u < p.x + ((v - p.y) / (q.y - p.y)) * (q.x - p.x)) inside = !inside;
  });
  return inside;
}

/** The ball that is nearest at a place, and by how much it is before the next. */
function nearest(balls: readonly Ball[], x: number, y: number): { at: number; clear: number } {
  let [at, best, second] = [-1, -Infinity, -Infinity];
  balls.forEach((b, i) => {
    const square = b.radius ** 2 - (x - b.centre[0]) ** 2 - (y - b.centre[1]) ** 2;
    if (square < 0) return;
    const z = b.centre[2] + Math.sqrt(square);
    if (z > best) [at, second, best] = [i, best, z];
    else if (z > second) second = z;
  });
  return { at, clear: best - second };
}

describe('spheres that run into one another', () => {
  it('painted by their middles show at every place the one that is nearest there', () => {
    let compared = 0,
      wrong = 0,
      cut = 0;
    for (let n = 0; n < 30; n++) {
      const balls = crowd(25, 5);
      const outlines = cutOutlines(balls);
      cut += outlines.filter((o) => o !== 'whole').length;
      const order = balls.map((_, i) => i).sort((p, q) => balls[q]!.centre[2] - balls[p]!.centre[2]);
      for (let k = 0; k < 400; k++) {
        const [x, y] = [5 * random.next(), 5 * random.next()];
        const { at, clear } = nearest(balls, x, y);
        // Where two are as near, the corners of an outline decide.
        if (at < 0 || clear < 0.03) continue;
        compared++;
        if (order.find((i) => covers(balls[i]!, outlines[i]!, x, y)) !== at) wrong++;
      }
    }
    expect(cut).toBeGreaterThan(100);
    expect(compared).toBeGreaterThan(5000);
    expect(wrong / compared).toBeLessThan(0.003);
  });

  it('that only touch, or do not, are whole', () => {
    const apart: Ball[] = [
      { centre: [0, 0, 0], radius: 1 },
      { centre: [2, 0, -0.1], radius: 1 },
      { centre: [0, 5, 0], radius: 1 },
    ];
    expect(cutOutlines(apart)).toEqual(['whole', 'whole', 'whole']);
  });

  it('side by side are parted by a straight line', () => {
    const [front] = cutOutlines([
      { centre: [0, 0, 0.001], radius: 1 },
      { centre: [1.2, 0, 0], radius: 1 },
    ]);
    if (typeof front === 'string') throw new Error('The ball is not cut.');
    const line = front!.filter((p) => p.cut);
    expect(line.length).toBeGreaterThan(10);
    for (const p of line) expect(p.x).toBeCloseTo(0.6, 1);
  });
});
