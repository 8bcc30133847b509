import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { stubLocalStorage } from '../testing/surroundings.ts';
import { DEFAULT_VIEW, rememberedView, rememberView } from './view-state.ts';

const KEY = 'view 2';
let kept: Map<string, string>;

beforeEach(() => {
  kept = stubLocalStorage();
});
afterEach(() => vi.unstubAllGlobals());

describe('the view a browser remembers', () => {
  it('is the usual one where there is none', () => expect(rememberedView()).toEqual(DEFAULT_VIEW));

  it('comes back as it was left', () => {
    const view = {
      ...DEFAULT_VIEW,
      extent: 'slab' as const,
      look: 'sticks' as const,
      probability: 0.3,
      slab: { plane: [1, 1, -2] as [number, number, number], from: -0.5, to: 0.25 },
    };
    rememberView(view);
    expect(rememberedView()).toEqual(view);
  });

  it.each([
    ['no JSON', '{"extent":'],
    ['an extent nobody knows', JSON.stringify({ ...DEFAULT_VIEW, extent: 'everything' })],
    ['a probability of one', JSON.stringify({ ...DEFAULT_VIEW, probability: 1 })],
    ['a field too many', JSON.stringify({ ...DEFAULT_VIEW, fog: true })],
    ['a field too few', JSON.stringify({ ...DEFAULT_VIEW, labels: undefined })],
    ['a corner of two numbers', JSON.stringify({ ...DEFAULT_VIEW, block: { from: [0, 0], to: [1, 1, 1] } })],
    ['a radius without end', JSON.stringify({ ...DEFAULT_VIEW, radius: 1e6 })],
    ['a list', '[]'],
  ])('is the usual one where %s was stored', (_, text) => {
    kept.set(KEY, text);
    expect(rememberedView()).toEqual(DEFAULT_VIEW);
  });

  it('is the usual one where the browser keeps nothing', () => {
    vi.stubGlobal('localStorage', undefined);
    rememberView({ ...DEFAULT_VIEW, labels: 'none' });
    expect(rememberedView()).toEqual(DEFAULT_VIEW);
  });
});
