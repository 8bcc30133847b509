import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { recognise } from '@nagare/core/formats/recognise';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { relateTask } from '@nagare/core/tasks/relate-task';
import { quietContext } from '@nagare/core/task-context';
import {
  balanceWords,
  lengthMark,
  centreName,
  formWords,
  pairAtoms,
  pairName,
  rangeWords,
  ringAtoms,
  ruleWords,
} from './words.ts';

const read = (name: string) =>
  recognise(readFileSync(new URL(`../../../../demo/truth/${name}.cif`, import.meta.url), 'utf8'), name)[0]!.structure!;
const relate = (structure: ReturnType<typeof read>) => relateTask.run({ structure, reach: 5 }, quietContext() as never);

describe('what Relate says', () => {
  it('of rings: their atoms, their form, and pairs by number and symmetry', async () => {
    const s = read('kasumi');
    const { rings, relations } = await relate(s);
    expect(rings.map((r) => r.members)).toEqual(['C6', 'C5N', 'C6', 'C5N']);
    expect(ringAtoms(s, rings[0]!)).toBe('C2 C3 C4 C5 C6 C7');
    expect(formWords(s, rings[0]!)).toBe('flat');
    const { puckering: _, ...triangle } = rings[0]!;
    expect(formWords(s, triangle)).toBe('flat');
    const five = { ...rings[0]!, puckering: { ...rings[0]!.puckering!, form: 'envelope', flap: 1 } };
    expect(formWords(s, five)).toBe('envelope, C3 at the flap');
    expect(formWords(s, { ...five, puckering: { ...five.puckering, form: 'twist' } })).toBe('twist about C3');
    expect(pairName(relations[0]!)).toBe('1 and 2');
    const copy = relations.find((r) => r.placement.operator)!;
    expect(pairName(copy)).toMatch(/^\d and \d \(\d_\d\d\d\)$/);
    const atoms = pairAtoms(s, rings, copy);
    expect(atoms).toHaveLength(12);
    expect(atoms[0]).toMatchObject({ operator: 0 });
    expect(atoms[11]).not.toMatchObject({ operator: 0, shift: [0, 0, 0] });
  });

  it('of centres: name with charge, lengths, and the rule of radii beside what is found', async () => {
    const s = shippedShelf().find((e) => e.id === 'rutile')!.structure;
    const { balance, coordination, globalInstability, rings } = await relate(s);
    expect(rings).toEqual([]);
    const [c] = coordination;
    expect(centreName(s, c!)).toMatch(/^Ti\d? \(Ti4\+\)$/);
    expect(rangeWords(c!)).toMatch(/^1\.9\d\d–1\.9\d\d$/);
    expect(ruleWords(c!)).toMatch(/allows 6, as found/);
    expect(ruleWords({ ...c!, neighbours: c!.neighbours.slice(0, 4) })).toMatch(/allows 6; 4 are found\. \S/);
    expect(rangeWords({ ...c!, neighbours: [] })).toBe('nothing near');
    const { radiusRatio: _r, charge: _q, ...bare } = c!;
    expect(ruleWords(bare)).toBeUndefined();
    expect(centreName(s, bare)).toMatch(/^Ti\d?$/);
    expect(globalInstability!).toBeLessThan(0.2);
    expect(balanceWords(balance!)).toEqual([
      'The charges of a cell balance.',
      'Ti has 6 O, O has 3 Ti: 2 × 6 = 4 × 3, the numbers balance.',
    ]);
    expect(c!.lengthClasses).toEqual([0, 0, 0, 0, 1, 1]);
    expect([lengthMark(0), lengthMark(1)]).toEqual(['●1', '■2']);
    const off = balanceWords({ charge: -1, pairs: [{ ...balance!.pairs[0]!, anionCoordination: 2, balanced: false }] });
    expect(off[0]).toContain('leave −1.0');
    expect(off[1]).toContain('≠');
  });
});
