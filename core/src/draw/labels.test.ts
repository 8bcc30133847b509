import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { placeLabels } from './labels.ts';

describe('labels', () => {
  it('never collide, however crowded, and the weightiest stay', () => {
    const random = seededRandom(3);
    const requests = Array.from({ length: 80 }, (_, i) => ({
      text: `C${i}`,
      x: 300 * random.next(),
      y: 200 * random.next(),
      clear: 8,
      weight: i,
    }));
    const widthOf = (t: string): number => 7 * t.length;
    const placed = placeLabels(requests, widthOf, 12);
    expect(placed.length).toBeGreaterThan(15);
    expect(placed.length).toBeLessThan(80);
    const boxes = placed.map((p) => [p.x, p.y - 6, p.x + widthOf(p.text), p.y + 6] as const);
    boxes.forEach((a, i) =>
      boxes.slice(i + 1).forEach((b) => expect(a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3]).toBe(false)),
    );
    expect(placeLabels([{ text: 'a', x: 0, y: 0, clear: 5, weight: 1 }], widthOf, 12)).toHaveLength(1);
  });

  it('name a place once, though two ask for it, and two places each', () => {
    const at = (x: number, weight: number, text = 'O1') => ({ text, x, y: 50, clear: 8, weight });
    const width = (t: string): number => 7 * t.length;
    expect(placeLabels([at(40, 0), at(40, 1000)], width, 12)).toHaveLength(1);
    expect(placeLabels([at(40, 0), at(140, 0)], width, 12)).toHaveLength(2);
    expect(placeLabels([at(40, 0), at(40, 0, 'O1B')], width, 12).map((l) => l.text)).toEqual(['O1', 'O1B']);
  });

  it('of faces are written over what is beneath, and not over one another', () => {
    const width = (t: string): number => 7 * t.length;
    const face = (x: number, text: string, weight: number) => ({ text, x, y: 50, clear: 0, weight, onFace: true });
    const obstacles = [{ x: 50, y: 50, clear: 30 }];
    const placed = placeLabels([face(50, '(1 0 0)', 1), face(60, '(0 1 0)', 2), face(200, '(0 0 1)', 0)], width, 12, {
      obstacles,
    });
    expect(placed.map((p) => p.text)).toEqual(['(0 1 0)', '(0 0 1)']);
    expect(placed[0]!.x + width('(0 1 0)') / 2).toBeCloseTo(60);
  });

  it('leave no atom hidden behind a name, among hundreds of them', () => {
    const random = seededRandom(8);
    const requests = Array.from({ length: 900 }, (_, i) => ({
      text: `Si${i}`,
      x: 1200 * random.next() - 100,
      y: 800 * random.next() - 50,
      clear: 3 + 4 * random.next(),
      weight: random.next(),
    }));
    const width = (t: string): number => 6.5 * t.length;
    const placed = placeLabels(requests, width, 12);
    expect(placed.length).toBeGreaterThan(100);
    const hidden = placed.flatMap((p) =>
      requests.filter((r) => {
        const half = 0.7 * r.clear;
        const [right, low, high] = [p.x + width(p.text), p.y - 6, p.y + 6];
        return p.x < r.x + half && right > r.x - half && low < r.y + half && high > r.y - half;
      }),
    );
    expect(hidden).toEqual([]);
  });
});
