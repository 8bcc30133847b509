import { describe, expect, it } from 'vitest';
import { hatch } from './hatch.ts';

const square = [
  [0, 0, 2],
  [6, 0, 2],
  [6, 6, 2],
  [0, 6, 2],
] as const;
const segments = (a: Float32Array): number[][] =>
  Array.from({ length: a.length / 6 }, (_, i) => [...a.subarray(6 * i, 6 * i + 6)]);
const length = (s: number[]): number => Math.hypot(s[3]! - s[0]!, s[4]! - s[1]!, s[5]! - s[2]!);

describe('hatching', () => {
  it('stays inside its plane and its outline', () => {
    for (const style of ['full', 'broken'] as const)
      for (const s of segments(hatch(square, style, [0, 0, 0])))
        for (const k of [0, 3]) {
          expect(s[k + 2]).toBeCloseTo(2, 5);
          for (const i of [0, 1]) {
            expect(s[k + i]).toBeGreaterThan(-1e-4);
            expect(s[k + i]).toBeLessThan(6 + 1e-4);
          }
        }
  });
  it('tells mirrors from glides: long lines against short ones, and an arrow along the glide', () => {
    const mirror = segments(hatch(square, 'full', [0, 0, 0])).slice(4),
      glide = segments(hatch(square, 'broken', [0, 0, 0])).slice(4);
    expect(glide.length).toBeGreaterThan(3 * mirror.length);
    expect(Math.max(...glide.map(length))).toBeLessThan(0.5);
    expect(Math.max(...mirror.map(length))).toBeGreaterThan(5);
    const arrow = segments(hatch(square, 'broken', [2, 0, 0])).slice(-3);
    expect(arrow[0]).toEqual([3, 3, 2, 5, 3, 2]);
    expect(segments(hatch(square, 'broken', [0, 0, 0])).length + 3).toBe(
      segments(hatch(square, 'broken', [2, 0, 0])).length,
    );
  });
});
