/** What of the crystal is drawn and how, from what this tab shows. */
import { originalRef, siteIndices, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SceneWish } from '@nagare/core/draw/build-scene';
import type { SceneColours } from '@nagare/core/draw/colours';
import type { Extent } from '@nagare/core/draw/extent';
import type { StyleRule } from '@nagare/core/draw/style';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { followGrowth, type Growth } from '@nagare/core/model/complete';
import type { Looks } from '../store/looks.ts';
import type { ViewState } from '../store/view-state.ts';

export interface Shown {
  readonly view: ViewState;
  readonly growth: readonly Growth[];
  readonly around: readonly AtomRef[];
  /** Disorder groups not drawn, as "A.2". */
  readonly hidden: readonly string[];
  readonly looks: Looks;
  /** Drawn for as long as they are looked at. */
  readonly beside?: readonly AtomRef[];
}

/** Å within the planes of a slab. */
const SLAB_REACH = 16;

/** What an extent is laid around: the atoms it was put on, or the first where they are gone. */
function middleOf(s: Structure, around: readonly AtomRef[]): AtomRef[] {
  const known = siteIndices(s);
  const here = around.filter((a) => known.has(a.site));
  const first = s.sites[0];
  return here.length || !first ? here : [originalRef(first.id)];
}

/** The extent that is meant, for this structure. */
export function extentOf(s: Structure, { view, growth, around, looks }: Shown): Extent {
  if (growth.length) return { kind: 'list', atoms: followGrowth(bonded(withBonding(s, looks.bonding)), growth).placed };
  switch (view.extent) {
    case 'block':
      return { kind: 'block', ...view.block };
    case 'sphere':
      return { kind: 'sphere', around: middleOf(s, around), radius: view.radius };
    case 'net':
      return { kind: 'net', of: middleOf(s, around), radius: view.netRadius };
    case 'slab':
      return { kind: 'slab', ...view.slab, radius: SLAB_REACH };
    default:
      return { kind: view.extent };
  }
}

export function rulesOf({ view, hidden, looks }: Shown): StyleRule[] {
  return [
    { which: { kind: 'all' }, style: { look: view.look, probability: view.probability, size: view.size } },
    // Lesser groups are paler, so that the first place is read first.
    { which: { kind: 'lesser groups' }, style: { fade: 0.42 } },
    ...(view.showHydrogen ? [] : [{ which: { kind: 'element' as const, elements: ['H'] }, style: { hidden: true } }]),
    ...looks.rules,
    ...(hidden.length ? [{ which: { kind: 'group' as const, groups: hidden }, style: { hidden: true } }] : []),
    ...(looks.hiddenAtoms.length
      ? [{ which: { kind: 'selection' as const, atoms: looks.hiddenAtoms }, style: { hidden: true } }]
      : []),
  ];
}

export const sceneWish = (s: Structure, shown: Shown, colours: SceneColours): SceneWish => ({
  extent: extentOf(s, shown),
  rules: rulesOf(shown),
  showCell: shown.view.showCell,
  labels: shown.view.labels,
  colours,
  colourBy: shown.view.colourBy,
  ...(shown.looks.bonding ? { bonding: shown.looks.bonding } : {}),
  polyhedra: shown.looks.polyhedra,
  added: shown.beside?.length ? [...shown.looks.addedAtoms, ...shown.beside] : shown.looks.addedAtoms,
});
