import { describe, expect, it } from 'vitest';
import { operatorOf, originalRef, refKey } from '@nagare/core/crystal/atom-ref';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { NO_LOOKS } from '../store/looks.ts';
import { DEFAULT_VIEW, type ViewState } from '../store/view-state.ts';
import { extentOf, rulesOf, type Shown } from './scene-wish.ts';

const S: Structure = {
  cell: { a: 8, b: 9, c: 10, alpha: 90, beta: 100, gamma: 90 },
  spaceGroup: spaceGroupFromSymbol('P -1'),
  sites: ['C1', 'C2', 'H1'].map((label, i) => ({
    id: `s${i}`,
    label,
    element: label[0]!,
    position: [0.1 + 0.15 * i, 0.2, 0.3] as const,
    occupancy: 1,
    displacement: { kind: 'iso' as const, u: 0.04 },
  })),
};
const shown = (view: Partial<ViewState> = {}, more: Partial<Shown> = {}): Shown => ({
  view: { ...DEFAULT_VIEW, ...view },
  growth: [],
  around: [],
  hidden: [],
  looks: NO_LOOKS,
  ...more,
});

describe('the extent that is meant', () => {
  it.each(['unique', 'molecules', 'cell', 'closed cell', 'packed cell'] as const)('is %s as chosen', (extent) =>
    expect(extentOf(S, shown({ extent }))).toEqual({ kind: extent }),
  );

  it('takes a block and a slab with their measures', () => {
    expect(extentOf(S, shown({ extent: 'block', block: { from: [0, -1, 0], to: [2, 1, 1] } }))).toEqual({
      kind: 'block',
      from: [0, -1, 0],
      to: [2, 1, 1],
    });
    const slab = { plane: [1, 0, -1] as [number, number, number], from: 0, to: 2 };
    expect(extentOf(S, shown({ extent: 'slab', slab }))).toMatchObject({ kind: 'slab', ...slab });
  });

  it('draws a sphere about the atoms chosen for it', () => {
    const around = [originalRef('s1')];
    expect(extentOf(S, shown({ extent: 'sphere', radius: 4.5 }, { around }))).toEqual({
      kind: 'sphere',
      around,
      radius: 4.5,
    });
  });

  it('draws it about the first site where none was chosen, or the chosen one is gone', () => {
    const about = (ids: string[]) => extentOf(S, shown({ extent: 'sphere' }, { around: ids.map(originalRef) }));
    expect(about([])).toMatchObject({ around: [originalRef('s0')] });
    expect(about(['gone'])).toMatchObject({ around: [originalRef('s0')] });
    expect(extentOf({ ...S, sites: [] }, shown({ extent: 'sphere' }))).toMatchObject({ around: [] });
  });

  it('is the list that was grown by hand, over any other', () => {
    const inversion = operatorOf(S.spaceGroup, { operator: 1, shift: [0, 0, 0] });
    const growth = [{ through: { operation: inversion }, all: false }];
    const found = extentOf(S, shown({ extent: 'cell' }, { growth }));
    const keys = found.kind === 'list' ? found.atoms.map(refKey) : [];
    const copy = (site: string) => refKey({ site, operator: 1, shift: [0, 0, 0] });
    expect(keys).toEqual([...S.sites.map((x) => refKey(originalRef(x.id))), ...S.sites.map((x) => copy(x.id))]);
  });

  it('takes single atoms that were asked for, each once, and none whose site is gone', () => {
    const first = S.sites[0]!.id;
    const wanted = { site: first, operator: 1, shift: [1, 0, 0] } as const;
    const atoms = [wanted, wanted, originalRef(first), { ...wanted, site: 'gone' }];
    const found = extentOf(S, shown({ extent: 'cell' }, { growth: [{ through: { atoms }, all: false }] }));
    const keys = found.kind === 'list' ? found.atoms.map(refKey) : [];
    expect(keys).toEqual([...S.sites.map((x) => refKey(originalRef(x.id))), refKey(wanted)]);
  });
});

describe('how it is styled', () => {
  it('has the look for everything first, so that later rules win', () => {
    const rules = rulesOf(shown({ look: 'balls', probability: 0.7, size: 1 }));
    expect(rules[0]).toEqual({ which: { kind: 'all' }, style: { look: 'balls', probability: 0.7, size: 1 } });
    expect(rules).toHaveLength(2);
  });

  it('hides hydrogens and groups that are not shown', () => {
    const rules = rulesOf(shown({ showHydrogen: false }, { hidden: ['A.2'] }));
    expect(rules.slice(2)).toEqual([
      { which: { kind: 'element', elements: ['H'] }, style: { hidden: true } },
      { which: { kind: 'group', groups: ['A.2'] }, style: { hidden: true } },
    ]);
  });
});
