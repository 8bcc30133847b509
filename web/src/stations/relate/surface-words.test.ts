import { describe, expect, it } from 'vitest';
import type { Fingerprint, MoleculeSurface } from '@nagare/core/contacts/molecule-surface';
import { PAPER, potentialReach, potentialShades, surfaceShades } from '@nagare/core/depict/figure-surfaces';
import { channels, PAPER_COLOURS } from '@nagare/core/draw/colours';
import { mutualShares, shareTable } from './surface-words.ts';

const print = (pairs: Fingerprint['pairs']): Fingerprint => ({
  bins: 1,
  from: 0,
  step: 1,
  shares: Float32Array.of(1),
  pairs,
});

describe('fingerprints in words', () => {
  it('shares of unlike elements are taken together', () => {
    const f = print([
      { inner: 'H', outer: 'H', share: 0.5 },
      { inner: 'O', outer: 'H', share: 0.3 },
      { inner: 'H', outer: 'O', share: 0.2 },
    ]);
    expect(mutualShares(f)).toEqual([
      { pair: 'H⋯H', share: 0.5 },
      { pair: 'H⋯O', share: 0.5 },
    ]);
    const table = shareTable(['one', 'two'], [f, print([{ inner: 'C', outer: 'C', share: 1 }])]);
    expect(table.columns).toEqual(['elements', 'one', 'two']);
    expect(table.rows[0]).toEqual(['C⋯C', '0.0 %', '100 %']);
    expect(table.rows).toHaveLength(3);
  });
});

describe('the potential on a surface', () => {
  it('has a scale that a few extreme places do not set', () => {
    const values = Float32Array.from({ length: 1000 }, (_, i) => (i < 5 ? 900 : i % 2 ? -71 : 40));
    expect(potentialReach(values)).toBe(80);
    expect(potentialReach(Float32Array.of(0, 0))).toBe(10);
  });

  it('goes from vermilion over paper to indigo', () => {
    const shades = potentialShades(Float32Array.of(-100, 0, 100), PAPER_COLOURS);
    expect([...shades.slice(0, 3)]).toEqual(channels(PAPER_COLOURS.vermilion));
    expect([...shades.slice(3, 6)]).toEqual(channels(PAPER));
    expect([...shades.slice(6)]).toEqual(channels(PAPER_COLOURS.indigo));
  });
});

describe('the painted surface', () => {
  it('goes from gold where others are nearest to a tint of indigo where they are far', () => {
    const closeness = Float32Array.of(-0.9, 0, 2);
    const surface = { closeness, inside: closeness, outside: closeness } as MoleculeSurface;
    const shades = surfaceShades(surface, 'closeness', PAPER_COLOURS);
    expect([...shades.slice(0, 3)]).toEqual(channels(PAPER_COLOURS.gold));
    const [r, , b] = shades.slice(6);
    expect(b).toBeGreaterThan(r!);
    expect(Math.min(...shades.slice(3, 6))).toBeGreaterThan(215);
  });
});
