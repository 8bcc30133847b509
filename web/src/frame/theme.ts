/** The theme of the page, for what is painted by hand and does not follow it by itself. */
import { useSyncExternalStore } from 'react';

export const currentTheme = (): string => document.documentElement.dataset['bsTheme'] ?? 'light';

/** Calls back at every change of theme; the result ends it. */
export function watchTheme(changed: () => void): () => void {
  const observer = new MutationObserver(changed);
  observer.observe(document.documentElement, { attributeFilter: ['data-bs-theme'] });
  return () => observer.disconnect();
}

/** Draws again when the theme changes. */
export const useTheme = (): string => useSyncExternalStore(watchTheme, currentTheme);
