/** What of the crystal is drawn and how, from what this tab shows. */
import { originalRef, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SceneWish } from '@nagare/core/draw/build-scene';
import type { SceneColours } from '@nagare/core/draw/colours';
import type { Extent } from '@nagare/core/draw/extent';
import type { StyleRule } from '@nagare/core/draw/style';
import { followGrowth, type Growth } from '@nagare/core/model/complete';
import type { ViewState } from '../store/view-state.ts';

export interface Shown {
  readonly view: ViewState;
  readonly growth: readonly Growth[];
  readonly around: readonly AtomRef[];
  /** Disorder groups not drawn, as "A.2". */
  readonly hidden: readonly string[];
}

/** Å within the planes of a slab. */
const SLAB_REACH = 16;

/** The extent that is meant, for this structure. */
export function extentOf(s: Structure, { view, growth, around }: Shown): Extent {
  if (growth.length) return { kind: 'list', atoms: followGrowth(s, growth).placed };
  switch (view.extent) {
    case 'block':
      return { kind: 'block', ...view.block };
    case 'sphere': {
      const known = new Set(s.sites.map((x) => x.id));
      const here = around.filter((a) => known.has(a.site));
      const first = s.sites[0];
      return { kind: 'sphere', around: here.length || !first ? here : [originalRef(first.id)], radius: view.radius };
    }
    case 'slab':
      return { kind: 'slab', ...view.slab, radius: SLAB_REACH };
    default:
      return { kind: view.extent };
  }
}

export function rulesOf({ view, hidden }: Shown): StyleRule[] {
  return [
    { which: { kind: 'all' }, style: { look: view.look, probability: view.probability } },
    // Lesser groups are paler, so that the first place is read first.
    { which: { kind: 'lesser groups' }, style: { fade: 0.42 } },
    ...(view.showHydrogen ? [] : [{ which: { kind: 'element' as const, elements: ['H'] }, style: { hidden: true } }]),
    ...(hidden.length ? [{ which: { kind: 'group' as const, groups: hidden }, style: { hidden: true } }] : []),
  ];
}

export const sceneWish = (s: Structure, shown: Shown, colours: SceneColours): SceneWish => ({
  extent: extentOf(s, shown),
  rules: rulesOf(shown),
  showCell: shown.view.showCell,
  labels: shown.view.labels,
  colours,
});
