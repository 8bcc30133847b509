import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { onceSized } from './once-sized.ts';

let frames: Map<number, () => void>;
let next = 0;
beforeEach(() => {
  frames = new Map();
  vi.stubGlobal('requestAnimationFrame', (then: () => void) => {
    frames.set(++next, then);
    return next;
  });
  vi.stubGlobal('cancelAnimationFrame', (frame: number) => frames.delete(frame));
});
afterEach(() => vi.unstubAllGlobals());

function pass(): void {
  const due = [...frames.values()];
  frames.clear();
  for (const then of due) then();
}

it('waits for the size, then looks once', () => {
  let width = 0,
    looks = 0;
  const end = onceSized(
    () => ({ width, height: 10 }),
    () => looks++,
  );
  pass();
  pass();
  expect(looks).toBe(0);
  width = 500;
  pass();
  pass();
  expect(looks).toBe(1);
  expect(end()).toBe(true);
});

it('that is ended before the frame comes has not looked, and says so', () => {
  let looks = 0;
  const end = onceSized(
    () => ({ width: 500, height: 10 }),
    () => looks++,
  );
  expect(end()).toBe(false);
  pass();
  expect(looks).toBe(0);
});

it('looks at what has no size for long, which is to be looked at again', () => {
  let looks = 0;
  const end = onceSized(
    () => ({ width: 0, height: 0 }),
    () => looks++,
  );
  for (let i = 0; i < 200; i++) pass();
  expect(looks).toBe(1);
  expect(end()).toBe(false);
});
