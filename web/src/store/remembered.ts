/** Small choices of a person, kept in this browser's local storage and read through a schema. */
import type { z } from 'zod';

/** What was kept under a key; `otherwise` where there is nothing, or nothing that the schema knows. */
export function remembered<T>(key: string, schema: z.ZodType<T>, otherwise: T): T {
  if (typeof localStorage === 'undefined') return otherwise;
  const text = localStorage.getItem(key);
  if (text === null) return otherwise;
  const found = schema.safeParse(parsed(text));
  return found.success ? found.data : otherwise;
}

/** Keeps a choice; where the browser refuses to store, the choice lasts as long as the page. */
export function remember(key: string, value: unknown): void {
  if (typeof localStorage === 'undefined') return;
  try {
    localStorage.setItem(key, JSON.stringify(value));
  } catch {
    // Storage is full or forbidden: nothing is lost but the habit.
  }
}

/** JSON, or words as earlier versions kept them. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return text;
  }
}
