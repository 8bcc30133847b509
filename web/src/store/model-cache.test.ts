import 'fake-indexeddb/auto';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { NagareDatabase } from './db.ts';
import type { ModelRow } from './marks.ts';
import { ModelCache } from './model-cache.ts';

let db: NagareDatabase;
let number = 0;
beforeEach(() => {
  db = new NagareDatabase(`models ${number++}`);
});
afterEach(() => db.close());

const row = (id: string): ModelRow => ({
  id,
  projectId: 'p',
  kind: 'structure',
  structure: {
    cell: { a: 5, b: 6, c: 7, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: [],
  },
});

describe('models kept by id', () => {
  it('are read once and then the same object', async () => {
    await db.models.add(row('m'));
    const cache = new ModelCache(db);
    const first = await cache.get('m');
    await db.models.delete('m');
    expect(await cache.get('m')).toBe(first);
  });

  it('asked for twice at once are one object', async () => {
    await db.models.add(row('m'));
    const cache = new ModelCache(db);
    const [a, b] = await Promise.all([cache.get('m'), cache.get('m')]);
    expect(a).toBe(b);
    expect(await cache.get('m')).toBe(a);
  });

  it('are not there where they are not stored, and found once they are', async () => {
    const cache = new ModelCache(db);
    expect(await cache.get('m')).toBeUndefined();
    await db.models.add(row('m'));
    expect(await cache.get('m')).toMatchObject({ id: 'm' });
  });

  it('put in are handed out without reading', async () => {
    const cache = new ModelCache(db);
    const model = row('m');
    cache.put(model);
    expect(await cache.get('m')).toBe(model);
  });

  it('give way in the order they were last used', async () => {
    const cache = new ModelCache(db);
    const all = Array.from({ length: 24 }, (_, i) => row(`m${i}`));
    all.forEach((m) => cache.put(m));
    // The oldest is used again, so the one after it is the one that goes.
    expect(await cache.get('m0')).toBe(all[0]);
    cache.put(row('one more'));
    expect(await cache.get('m0')).toBe(all[0]);
    expect(await cache.get('m1')).toBeUndefined();
    expect(await cache.get('m2')).toBe(all[2]);
  });
});
