import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { ownMemory, rest } from '../testing/surroundings.ts';
import { NagareDatabase } from './db.ts';
import { LooksKeeper, type LooksState } from './looks-keeper.ts';
import { NO_LOOKS, type Looks } from './looks.ts';
import { rememberedView } from './view-state.ts';

let name = 0;
let db: NagareDatabase;
beforeEach(async () => {
  db = new NagareDatabase(`looks ${name++}`);
  await db.projects.add({ id: 'p', name: 'Test', created: 1, updated: 1, experiment: { kept: {} } });
});
afterEach(() => db.close());

/** A keeper with the state it keeps, as the store holds it. */
function keeper(memory = ownMemory()) {
  let state: LooksState<string> = { view: rememberedView(), looks: NO_LOOKS, rest: '' };
  const problems: string[] = [];
  const kept = new LooksKeeper<string>(
    'p',
    db,
    () => state,
    (s) => (state = s),
    (e) => problems.push(e.message),
    memory,
  );
  return { kept, memory, problems, now: () => state };
}
const hiding = (site: string): { looks: Looks } => ({
  looks: { ...NO_LOOKS, hiddenAtoms: [{ site, operator: 0, shift: [0, 0, 0] }] },
});
const hidden = (looks: Looks | undefined): string[] | undefined => looks?.hiddenAtoms.map((a) => a.site);

describe('looks that are kept', () => {
  it('are stored act by act, and brought back in their order', async () => {
    const { kept, now } = keeper();
    kept.change('hide', hiding('a'));
    kept.change('other', hiding('b'));
    await rest(20);
    expect(hidden((await kept.kept())?.looks)).toEqual(['b']);
    expect(kept.undo()).toBe('looks');
    expect(hidden(now().looks)).toEqual(['a']);
    await rest(20);
    expect(hidden((await kept.kept())?.looks)).toEqual(['a']);
    expect(kept.redo()).toBe('looks');
    expect(hidden(now().looks)).toEqual(['b']);
    kept.undo();
    kept.undo();
    expect(hidden(now().looks)).toEqual([]);
    // Beyond the first of them undo speaks of marks.
    expect(kept.undo()).toBe('mark');
  });

  it('of one drag are one step back, and the last of them is stored', async () => {
    const { kept, now } = keeper();
    for (const site of 'abcdef') kept.change('drag', hiding(site));
    await kept.flush();
    await rest(20);
    expect(hidden((await kept.kept())?.looks)).toEqual(['f']);
    kept.undo();
    expect(hidden(now().looks)).toEqual([]);
  });

  it('outlive a page that goes before the database is done', async () => {
    const memory = ownMemory();
    const gone = keeper(memory);
    gone.kept.change('hide', hiding('a'));
    // The page goes: nothing of the write came to its end.
    const noted = memory.getItem('looks:p')!;
    await rest(20);
    await db.looks.clear();
    memory.setItem('looks:p', noted);
    const next = keeper(memory);
    expect(hidden((await next.kept.kept())?.looks)).toEqual(['a']);
    expect(hidden((await db.looks.get('p'))?.looks)).toEqual(['a']);
    expect(memory.getItem('looks:p')).toBe('');
  });

  it('outlive a page that goes in the pause before the end of a drag is stored', async () => {
    const { kept, memory } = keeper();
    kept.change('drag', hiding('a'));
    await rest(20);
    kept.change('drag', hiding('b'));
    // The page goes now: nothing of it runs any more, and the next one reads what there is.
    expect(hidden((await keeper(memory).kept.kept())?.looks)).toEqual(['b']);
    await kept.flush();
  });

  it('are noted no longer than it takes, and what is no looks is not taken for any', async () => {
    const { kept, memory } = keeper();
    kept.change('hide', hiding('a'));
    expect(memory.getItem('looks:p')).toContain('hiddenAtoms');
    await vi.waitFor(() => expect(memory.getItem('looks:p')).toBe(''), 10_000);
    memory.setItem('looks:p', '{"projectId":"p","looks":7}');
    expect(hidden((await kept.kept())?.looks)).toEqual(['a']);
    memory.setItem('looks:p', '{');
    expect(hidden((await kept.kept())?.looks)).toEqual(['a']);
  });

  it('that do not fit into the memory of the tab are stored all the same; a full database is told', async () => {
    const full: Pick<Storage, 'getItem' | 'setItem'> = {
      getItem: () => null,
      setItem: () => {
        throw new Error('full');
      },
    };
    const { kept, problems } = keeper(full);
    kept.change('hide', hiding('a'));
    await rest(20);
    expect(hidden((await kept.kept())?.looks)).toEqual(['a']);
    db.close();
    kept.change('other', hiding('b'));
    await rest(20);
    expect(problems).toHaveLength(1);
  });
});
