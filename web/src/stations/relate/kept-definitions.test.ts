import { describe, expect, it } from 'vitest';
import { SHIPPED } from '@nagare/core/contacts/definition';
import { definitionsFile, isOwn, ownCopy, readDefinitions, taken, withOwn } from './kept-definitions.ts';

describe('definitions that are kept', () => {
  it('stand in the place of those that ship, own ones after them', () => {
    const changed = { ...SHIPPED[1]!, leastAngle: 90 };
    const own = ownCopy(SHIPPED[0]!, SHIPPED);
    const all = withOwn([own, changed]);
    expect(all).toHaveLength(SHIPPED.length + 1);
    expect(all[1]).toEqual(changed);
    expect(all.at(-1)).toEqual(own);
    expect(isOwn(own)).toBe(true);
    expect(isOwn(changed)).toBe(false);
  });

  it('a copy has a name of its own, however often it is made', () => {
    const first = ownCopy(SHIPPED[0]!, SHIPPED);
    const second = ownCopy(first, [...SHIPPED, first]);
    expect(first.name).toBe('Hydrogen bonds 2');
    expect(second.name).toBe('Hydrogen bonds 3');
    expect(second.id).not.toBe(first.id);
  });

  it('come back from a file as they were; of one id the file wins', () => {
    const own = { ...ownCopy(SHIPPED[2]!, SHIPPED), leastAngle: 165 };
    const read = readDefinitions(definitionsFile([...SHIPPED, own]), 'mine.json');
    expect(read).toEqual([...SHIPPED, own]);
    const all = taken([...SHIPPED, { ...own, leastAngle: 150 }], [own]);
    expect(all).toHaveLength(SHIPPED.length + 1);
    expect(all.at(-1)!.leastAngle).toBe(165);
    expect(readDefinitions(JSON.stringify(own), 'one.json')).toEqual([own]);
  });

  it('a wrong file is told in a sentence', () => {
    expect(readDefinitions('data_x', 'x.cif')).toContain('cannot be read as JSON');
    const wrong = JSON.stringify({ definitions: [{ ...SHIPPED[0]!, leastAngle: 400 }] });
    expect(readDefinitions(wrong, 'x.json')).toMatch(/definitions\.0\.leastAngle.*Nothing was changed/);
  });
});
