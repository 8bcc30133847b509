import { describe, expect, it } from 'vitest';
import { seededRandom } from '@nagare/core/math/random';
import { changeElement, deleteSites, freeLabel, promotePeaks, renameSite } from '../stations/refine/edits.ts';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { placeLabels } from './labels.ts';

describe('labels', () => {
  it('never collide, however crowded, and the weightiest stay', () => {
    const random = seededRandom(3);
    const requests = Array.from({ length: 80 }, (_, i) => ({
      text: `C${i}`,
      x: 300 * random.next(),
      y: 200 * random.next(),
      clear: 8,
      weight: i,
    }));
    const widthOf = (t: string): number => 7 * t.length;
    const placed = placeLabels(requests, widthOf, 12);
    expect(placed.length).toBeGreaterThan(15);
    expect(placed.length).toBeLessThan(80);
    const boxes = placed.map((p) => [p.x, p.y - 6, p.x + widthOf(p.text), p.y + 6] as const);
    boxes.forEach((a, i) =>
      boxes.slice(i + 1).forEach((b) => expect(a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3]).toBe(false)),
    );
    expect(placeLabels([{ text: 'a', x: 0, y: 0, clear: 5, weight: 1 }], widthOf, 12)).toHaveLength(1);
  });
});

const s: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P 21/c'),
  sites: ['C1', 'C2', 'N1'].map((label, i) => ({
    id: label,
    label,
    element: label[0]!,
    position: [0.1 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
};

describe('changes of a model', () => {
  it('carry their words and keep labels unique', () => {
    expect(changeElement(s, [1], 'N')).toMatchObject({
      title: 'C2 made N',
      structure: { sites: [{ label: 'C1' }, { label: 'N2', element: 'N' }, { label: 'N1' }] },
    });
    expect(deleteSites(s, [0, 2])).toMatchObject({ title: 'C1, N1 deleted', structure: { sites: [{ label: 'C2' }] } });
    expect(freeLabel(s, 'C')).toBe('C3');
    expect(promotePeaks(s, [{ name: 'ρ1', position: [0.5, 0.5, 0.5], height: 2, near: [] }], 'O')).toMatchObject({
      title: 'ρ1 made O',
      structure: { sites: { length: 4 } },
    });
  });

  it('are refused with the reason', () => {
    expect(changeElement(s, [0], 'Qq')).toMatch(/not an element/);
    expect(renameSite(s, 0, 'C2')).toMatch(/already taken/);
    expect(renameSite(s, 0, '9x')).toMatch(/cannot be a label/);
    expect(s.sites[0]!.label).toBe('C1');
  });
});
