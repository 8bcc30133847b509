/** Groups that a list of lines leaves possible, against reflections counted one by one. */
import { describe, expect, it } from 'vitest';
import { randomCell } from '../../../demo/src/random-structure.ts';
import { inverseSpacing, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { seededRandom } from '../math/random.ts';
import {
  CENTRINGS,
  groupHints,
  groupsOf,
  INDEX_SYSTEMS,
  obeys,
  possibleLines,
  type IndexedLine,
  type IndexSystem,
  type Lines,
} from './index-groups.ts';

/** Different 1/d² of allowed reflections up to a limit, all indices tried. */
function counted(cell: Cell, group: SpaceGroup, top: number): number[] {
  const g = reciprocalMetric(cell);
  const most = Math.ceil(Math.sqrt(top) * Math.max(cell.a, cell.b, cell.c));
  const found: number[] = [];
  for (let h = -most; h <= most; h++)
    for (let k = -most; k <= most; k++)
      for (let l = -most; l <= most; l++) {
        const q = inverseSpacing(g, h, k, l) ** 2;
        if (q > 1e-9 && q <= top && !reflectionSymmetry(group, h, k, l).absent) found.push(q);
      }
  return found.sort((p, q) => p - q).filter((q, i, all) => !i || q - all[i - 1]! > 1e-7);
}

describe('groups to choose from', () => {
  it('are all types of each system, no setting twice', () => {
    const numbers = (system: IndexSystem): Set<number> =>
      new Set(CENTRINGS[system].flatMap((c) => groupsOf(system, c).map((g) => g.group.number)));
    // Types by system (International Tables A): trigonal ones are among the hexagonal.
    expect(INDEX_SYSTEMS.map((s) => numbers(s).size)).toEqual([36, 68, 52, 59, 13, 2]);
    for (const system of INDEX_SYSTEMS)
      for (const centring of CENTRINGS[system]) {
        const symbols = groupsOf(system, centring).map((g) => g.symbol);
        expect(new Set(symbols).size).toBe(symbols.length);
        for (const symbol of symbols) expect(symbol[0]).toBe(centring);
      }
  });
});

const CASES: readonly (readonly [string, IndexSystem, string])[] = [
  ['P 1 21/c 1', 'monoclinic', 'P'],
  ['C 1 2/c 1', 'monoclinic', 'C'],
  ['P 21 21 21', 'orthorhombic', 'P'],
  ['P b c a', 'orthorhombic', 'P'],
  ['F d d d:2', 'orthorhombic', 'F'],
  ['C m c 21', 'orthorhombic', 'C'],
  ['P 41 21 2', 'tetragonal', 'P'],
  ['I 41/a m d:2', 'tetragonal', 'I'],
  ['P 63/m', 'hexagonal', 'P'],
  ['R -3 c', 'hexagonal', 'R'],
  ['P a -3', 'cubic', 'P'],
  ['F d -3 m:2', 'cubic', 'F'],
  ['I a -3 d', 'cubic', 'I'],
  ['P -1', 'triclinic', 'P'],
];

describe('lines of a group', () => {
  it.each(CASES)('%s are those of its allowed reflections', (symbol) => {
    const group = spaceGroupFromSymbol(symbol);
    const cell = randomCell(group, seededRandom(7));
    const top = (5 / Math.cbrt(cell.a * cell.b * cell.c)) ** 2;
    const found = possibleLines(cell, group, top);
    const all = counted(cell, group, top);
    expect(found).toHaveLength(all.length);
    found.forEach((q, i) => expect(q).toBeCloseTo(all[i]!, 8));
  });

  it.each(CASES)(
    '%s are obeyed by it, and it is among the hints or one with the same lines is',
    (symbol, system, centring) => {
      const group = spaceGroupFromSymbol(symbol);
      const cell = randomCell(group, seededRandom(11));
      const g = reciprocalMetric(cell);
      const q = counted(cell, group, (7 / Math.cbrt(cell.a * cell.b * cell.c)) ** 2).slice(0, 24);
      const indexed: IndexedLine[] = q.flatMap((value, line) => {
        const most = 1 + Math.ceil(Math.sqrt(value) * Math.max(cell.a, cell.b, cell.c));
        for (let h = 0; h <= most; h++)
          for (let k = -most; k <= most; k++)
            for (let l = -most; l <= most; l++)
              if (
                Math.abs(inverseSpacing(g, h, k, l) ** 2 - value) < 1e-9 &&
                !reflectionSymmetry(group, h, k, l).absent
              )
                return [{ line, h, k, l, delta: 0 }];
        return [];
      });
      expect(indexed).toHaveLength(q.length);
      const lines: Lines = {
        q: Float64Array.from(q),
        error: Float64Array.from(q, () => 1e-6),
        twoTheta: q.map((x) => 2 * Math.asin(0.77 * Math.sqrt(x)) * (180 / Math.PI)),
      };
      expect(obeys(group, indexed, lines, cell)).toBe(true);
      const hints = groupHints(lines, { cell, lines: q.length, system, centring, indexed });
      const last = q.at(-1)! + 1e-6;
      const own = counted(cell, group, last).length;
      const likest = hints.find((x) => x.possible === own);
      expect(likest, JSON.stringify(hints)).toBeDefined();
      expect(counted(cell, spaceGroupFromSymbol(likest!.symbol), last).map((x) => x.toFixed(6))).toEqual(
        counted(cell, group, last).map((x) => x.toFixed(6)),
      );
      // No hint leaves fewer lines possible than were seen.
      for (const hint of hints) expect(hint.possible).toBeGreaterThanOrEqual(q.length);
    },
  );

  it('a line that a group forbids rules it out', () => {
    const cell: Cell = { a: 7, b: 9, c: 11, alpha: 90, beta: 100, gamma: 90 };
    const g = reciprocalMetric(cell);
    const indexed: IndexedLine[] = [
      { line: 0, h: 0, k: 1, l: 1, delta: 0 },
      { line: 1, h: 0, k: 3, l: 0, delta: 0 },
    ];
    const q = indexed.map((x) => inverseSpacing(g, x.h, x.k, x.l) ** 2);
    const lines: Lines = { q: Float64Array.from(q), error: Float64Array.from(q, () => 1e-6), twoTheta: [10, 30] };
    expect(obeys(spaceGroupFromSymbol('P 1 21/c 1'), indexed, lines, cell)).toBe(false);
    expect(obeys(spaceGroupFromSymbol('P 1 2/c 1'), indexed, lines, cell)).toBe(true);
  });
});
