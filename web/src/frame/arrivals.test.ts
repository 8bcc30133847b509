import { describe, expect, it } from 'vitest';
import type { Recognised } from '@nagare/core/formats/recognise';
import { choicesFor, stationAfter, type Arrived, type Way } from './arrivals.ts';

const arrived = (fields: Partial<Record<keyof Recognised, unknown>>): Arrived => ({
  fileName: 'x',
  found: { name: 'x', sentence: '', experiment: { kept: {} }, ...fields } as Recognised,
});
const structure = arrived({ structure: {} });
const crystal = arrived({ structure: {}, raw: {} });
const pattern = arrived({ powder: {} });
const reflections = arrived({ raw: {} });
const ways = (...args: Parameters<typeof choicesFor>): Way[] => choicesFor(...args).map((c) => c.way);

describe('what can be done with files', () => {
  it.each<[string, Arrived[], Parameters<typeof choicesFor>[1], Way[]]>([
    ['nothing chosen', [], undefined, []],
    ['a crystal with data', [crystal], undefined, ['projects']],
    ['a structure', [structure], undefined, ['projects']],
    ['structures', [structure, structure], undefined, ['marks', 'projects']],
    ['a structure and a crystal', [structure, crystal], undefined, ['projects']],
    ['a pattern', [pattern, structure], undefined, ['patterns as new']],
    [
      'a pattern on a powder',
      [pattern],
      { powder: true, structureAlone: false },
      ['patterns into this', 'patterns as new'],
    ],
    ['a structure on a powder', [structure], { powder: true, structureAlone: false }, ['patterns into this']],
    [
      'reflections on a structure',
      [reflections],
      { powder: false, structureAlone: true },
      ['reflections into this', 'projects'],
    ],
    ['reflections elsewhere', [reflections], { powder: false, structureAlone: false }, ['projects']],
  ])('%s', (_, chosen, here, expected) => expect(ways(chosen, here)).toEqual(expected));

  it('says how many', () => {
    expect(choicesFor([structure, structure], undefined).map((c) => c.text)).toEqual([
      'Take in as 2 marks to compare',
      'Take in as 2 projects',
    ]);
  });

  it.each<[Way, Arrived[], string]>([
    ['projects', [structure], 'relate'],
    ['projects', [crystal], 'intake'],
    ['marks', [structure, structure], 'relate'],
    ['patterns as new', [pattern], 'intake'],
    ['patterns as new', [pattern, structure], 'fit'],
    ['patterns into this', [pattern], 'fit'],
    ['reflections into this', [reflections], 'intake'],
  ])('taken in as %s, work begins where it should', (way, chosen, station) =>
    expect(stationAfter(way, chosen)).toBe(station),
  );
});
