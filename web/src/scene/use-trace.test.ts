import { describe, expect, it } from 'vitest';
import { tilesOf } from './use-trace.ts';

describe('pieces of a picture', () => {
  it('cover every pixel once, those in the middle first', () => {
    const size = { width: 500, height: 330 };
    const seen = new Uint8Array(size.width * size.height);
    const tiles = tilesOf(size, 160);
    for (const t of tiles)
      for (let y = t.y; y < t.y + t.height; y++) for (let x = t.x; x < t.x + t.width; x++) seen[x + size.width * y]!++;
    expect(seen.every((n) => n === 1)).toBe(true);
    const [first, last] = [tiles[0]!, tiles.at(-1)!];
    const off = (t: typeof first): number => Math.hypot(t.x + t.width / 2 - 250, t.y + t.height / 2 - 165);
    expect(off(first)).toBeLessThan(off(last));
  });
});
