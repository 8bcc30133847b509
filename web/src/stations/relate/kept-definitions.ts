/** Definitions of contacts that somebody made or changed: kept by the browser, and carried in a file. */
import { z } from 'zod';
import { SHIPPED, type Definition } from '@nagare/core/contacts/definition';
import { definitionSchema } from '@nagare/core/tasks/contacts-task';
import { remember, remembered } from '../../store/remembered.ts';
import { issuePhrase } from '@nagare/core/formats/issue-words';

const KEY = 'contact definitions';
const fileSchema = z.strictObject({ definitions: z.array(definitionSchema).min(1) });

const isShipped = (id: string): boolean => SHIPPED.some((d) => d.id === id);

/** Those that ship, each as it was changed, then one's own. */
export function withOwn(kept: readonly Definition[]): Definition[] {
  const byId = new Map(kept.map((d) => [d.id, d]));
  return [...SHIPPED.map((d) => byId.get(d.id) ?? d), ...kept.filter((d) => !isShipped(d.id))];
}

export const storedDefinitions = (): Definition[] =>
  withOwn(remembered<Definition[]>(KEY, z.array(definitionSchema), []));

export const storeDefinitions = (all: readonly Definition[]): void => remember(KEY, all);

export const isOwn = (d: Definition): boolean => !isShipped(d.id);

/** A copy under a name and an id that nothing has yet. */
export function ownCopy(d: Definition, all: readonly Definition[]): Definition {
  const base = d.name.replace(/ \d+$/, '');
  for (let n = 2; ; n++) {
    const name = `${base} ${n}`;
    if (all.some((x) => x.name === name || x.id === name)) continue;
    return { ...d, id: name, name };
  }
}

export const definitionsFile = (all: readonly Definition[]): string =>
  `${JSON.stringify({ definitions: all }, null, 2)}\n`;

/** The definitions of a file, or a sentence about what is wrong with it. */
export function readDefinitions(text: string, fileName: string): readonly Definition[] | string {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    return `${fileName} cannot be read as JSON; definitions are saved by “Save definitions”.`;
  }
  const single = definitionSchema.safeParse(parsed);
  if (single.success) return [single.data];
  const found = fileSchema.safeParse(parsed);
  if (found.success) return found.data.definitions;
  return `${fileName} holds no definitions: ${issuePhrase(found.error, 'the whole')}. Nothing was changed.`;
}

/** What a file brings beside what is there: of one id the file's. */
export function taken(all: readonly Definition[], more: readonly Definition[]): Definition[] {
  const byId = new Map(more.map((d) => [d.id, d]));
  return [...all.map((d) => byId.get(d.id) ?? d), ...more.filter((d) => !all.some((x) => x.id === d.id))];
}
