/** A short run of the wrong things that `npm run fuzz` tries at length, and proof that it would see what it looks for. */
import { describe, expect, it } from 'vitest';
import { recognise } from '@nagare/core/formats/recognise';
import { attempt, type Finding } from './campaign.ts';
import { seeds } from './corpus.ts';
import type { DoorName } from './doors.ts';
import { complaintAbout, complaintAboutRefusal, notFinite } from './oracle.ts';

/** Tries at each door; the long run has other seeds. */
const SHORT: readonly (readonly [DoorName, number])[] = [
  ['readers', 1500],
  ['projects', 120],
  ['requests', 300],
  ['http', 150],
  ['terminal', 80],
];

describe('wrong things', () => {
  it.each(SHORT)(
    'at the door of the %s are refused in a sentence, or taken without nonsense',
    { tags: 'long' },
    async (door, count) => {
      const findings: Finding[] = [];
      for (let seed = 1; seed <= count; seed++) {
        const finding = await attempt(door, seed, Infinity);
        if (finding) findings.push(finding);
      }
      expect(findings).toEqual([]);
    },
  );
});

describe('the oracle', () => {
  const good = seeds().map((s) => recognise(s.text, s.name)[0]!);

  it('has nothing against files that are right', () => {
    for (const r of good) expect([r.name, complaintAbout(r)]).toEqual([r.name, undefined]);
  });

  it('sees numbers that are none, and numbers out of range', () => {
    const withSites = good.find((r) => r.structure)!;
    const spoilt = (change: object): string | undefined => {
      const [first, ...rest] = withSites.structure!.sites;
      return complaintAbout({
        ...withSites,
        structure: { ...withSites.structure!, sites: [{ ...first!, ...change }, ...rest] },
      });
    };
    expect(spoilt({ position: [Infinity, 0, 0] })).toMatch(/position\.0 is Infinity/);
    expect(spoilt({ occupancy: 7 })).toMatch(/occupancy .* is 7/);
    expect(spoilt({ element: 'Xx' })).toMatch(/element Xx/);
    expect(spoilt({ displacement: { kind: 'iso', u: 50 } })).toMatch(/U of .* is 50/);
    const withList = good.find((r) => r.raw)!;
    const { raw } = withList;
    expect(complaintAbout({ ...withList, raw: { ...raw!, sigma: raw!.sigma.map(() => 0) } })).toMatch(
      /σ of reflection/,
    );
    expect(complaintAbout({ ...withList, raw: { ...raw!, h: raw!.h.map(() => 5000) } })).toMatch(/an index is 5000/);
    expect(notFinite({ a: [1, { b: NaN }] })).toBe('.a.1.b is NaN');
  });

  it('knows an engine’s words from a sentence', () => {
    expect(complaintAboutRefusal('Line 3: the cell is not possible.')).toBeUndefined();
    expect(complaintAboutRefusal('Line 3: "NaN" is not a number.')).toBeUndefined();
    for (const words of ['', 'x is not iterable', 'Invalid array length', 'a'.repeat(2000), 'the cell is NaN Å'])
      expect(complaintAboutRefusal(words)).toBeDefined();
  });
});
