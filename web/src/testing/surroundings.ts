/** For tests: waiting for a store, and what a browser remembers. */
import { vi } from 'vitest';
import type { StoreApi } from 'zustand/vanilla';

/** Resolves to the state when it passes the test, now or later. */
export function until<T>(store: StoreApi<T>, test: (state: T) => boolean): Promise<T> {
  const now = store.getState();
  if (test(now)) return Promise.resolve(now);
  return new Promise((resolve) => {
    const stop = store.subscribe((state) => {
      if (!test(state)) return;
      stop();
      resolve(state);
    });
  });
}

export const rest = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

/** Where a tab remembers its place, of a test's own. */
export function ownMemory(): Pick<Storage, 'getItem' | 'setItem'> {
  const kept = new Map<string, string>();
  return { getItem: (k) => kept.get(k) ?? null, setItem: (k, v) => void kept.set(k, v) };
}

/** Local storage of a test's own; what it keeps can be looked at and changed. */
export function stubLocalStorage(): Map<string, string> {
  const kept = new Map<string, string>();
  vi.stubGlobal('localStorage', {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => void kept.set(k, v),
  });
  return kept;
}
