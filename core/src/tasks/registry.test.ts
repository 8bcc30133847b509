import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { HELPER } from '../quantum/crew.ts';
import { abilitiesOf } from './abilities.ts';
import { isTask, loadTask, runTask, TASKS } from './registry.ts';

const names = Object.keys(TASKS);

describe('the registry of tasks', () => {
  it.each(names)('loads "%s" with its two schemas and its work', async (name) => {
    const { input, output, run } = await loadTask(name);
    expect(input.safeParse(Symbol('nothing that a task takes')).success).toBe(false);
    expect(output).toHaveProperty('safeParse');
    expect(run).toBeInstanceOf(Function);
  });

  it('gives each name a task of its own', async () => {
    const tasks = await Promise.all(names.map(loadTask));
    expect(new Set(tasks).size).toBe(names.length);
  });

  it('has the helper of crews under the name that crews ask for', () => {
    expect(isTask(HELPER)).toBe(true);
  });

  it('names as resident only fields that a task takes', async () => {
    for (const name of names) {
      const { input } = await loadTask(name);
      const fields = Object.keys((input as { shape?: object }).shape ?? {});
      if (fields.length) expect(fields, name).toEqual(expect.arrayContaining([...(abilitiesOf(name).resident ?? [])]));
    }
  });

  it('refuses names that are no tasks, those of every object among them', async () => {
    for (const name of ['brew', '', '__proto__', 'constructor', 'toString']) {
      expect(isTask(name)).toBe(false);
      expect(abilitiesOf(name)).toEqual({});
      await expect(runTask(name, {})).rejects.toThrow(`There is no task called "${name}".`);
    }
  });

  it('loads nothing of a task before it is asked for', () => {
    const text = readFileSync(new URL('./registry.ts', import.meta.url), 'utf8');
    const atOnce = [...text.matchAll(/^import (?!type).*from '(.*)';$/gm)].map((m) => m[1]);
    expect(atOnce).toEqual(['../formats/issue-words.ts', '../task-context.ts']);
  });
});
