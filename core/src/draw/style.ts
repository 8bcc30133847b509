/** How atoms look: rules in order, later ones winning, each saying which atoms and what about them. */
import { isHome, placeNumber, type AtomRef } from '../crystal/atom-ref.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { bonds, connectedUnit, fragments } from '../geometry/bonds.ts';

export const ATOM_LOOKS = ['ellipsoids', 'balls', 'sticks', 'lines', 'space-filling'] as const;
export type AtomLook = (typeof ATOM_LOOKS)[number];

export interface AtomStyle {
  readonly look: AtomLook;
  /** Probability inside the ellipsoids, 0–1. */
  readonly probability: number;
  /** Factor on the radius of balls and sticks. */
  readonly size: number;
  /** Instead of the element's. */
  readonly colour?: string;
  readonly opacity: number;
  /** Mixed with the ground: 0 as it is, 1 gone. */
  readonly fade: number;
  readonly hidden: boolean;
}

/** Which atoms a rule speaks of. */
export type Which =
  | { readonly kind: 'all' }
  | { readonly kind: 'element'; readonly elements: readonly string[] }
  | { readonly kind: 'site'; readonly sites: readonly string[] }
  /** A disorder group, as "A.2". */
  | { readonly kind: 'group'; readonly groups: readonly string[] }
  /** Disorder groups beyond the first of their assembly. */
  | { readonly kind: 'lesser groups' }
  /** The molecules that these atoms belong to. */
  | { readonly kind: 'molecule'; readonly of: readonly AtomRef[] }
  | { readonly kind: 'selection'; readonly atoms: readonly AtomRef[] }
  | { readonly kind: 'copies' }
  | { readonly kind: 'originals' };

export interface StyleRule {
  readonly which: Which;
  readonly style: Partial<AtomStyle>;
}

export const PLAIN_STYLE: AtomStyle = {
  look: 'balls',
  probability: 0.5,
  size: 1,
  opacity: 1,
  fade: 0,
  hidden: false,
};

export const groupName = (site: Site): string | undefined =>
  site.disorder && `${site.disorder.assembly}.${site.disorder.group}`;

/** Whether an atom is meant, worked out once a rule. */
function matcher(s: Structure, which: Which): (ref: AtomRef, site: Site) => boolean {
  switch (which.kind) {
    case 'all':
      return () => true;
    case 'element': {
      const set = new Set(which.elements);
      // Deuterium goes with hydrogen.
      return (_, site) => set.has(site.element) || (set.has('H') && isHydrogen(site.element));
    }
    case 'site': {
      const set = new Set(which.sites);
      return (ref) => set.has(ref.site);
    }
    case 'group': {
      const set = new Set(which.groups);
      return (_, site) => set.has(groupName(site) ?? '');
    }
    case 'lesser groups':
      return (_, site) => !!site.disorder && !['1', '-1'].includes(site.disorder.group);
    case 'molecule': {
      const list = bonds(s);
      const most = Math.max(2000, 4 * (fragments(s)[0]?.length ?? 0));
      const set = new Set(which.of.flatMap((a) => connectedUnit(s, list, a, most)).map((a) => placeNumber(s, a)));
      return (ref) => set.has(placeNumber(s, ref));
    }
    case 'selection': {
      const set = new Set(which.atoms.map((a) => placeNumber(s, a)));
      return (ref) => set.has(placeNumber(s, ref));
    }
    case 'copies':
      return (ref) => !isHome(ref);
    case 'originals':
      return (ref) => isHome(ref);
  }
}

/** Rules as one function: the style of each atom. Atoms that the same rules mean share one object. */
export function resolveStyles(s: Structure, rules: readonly StyleRule[]): (ref: AtomRef, site: Site) => AtomStyle {
  interface Stage {
    readonly style: AtomStyle;
    /** The style with the rule of the next number on top, once it was asked for. */
    readonly next: Map<number, Stage>;
  }
  const plain: Stage = { style: PLAIN_STYLE, next: new Map() };
  const meant = rules.map((r) => matcher(s, r.which));
  return (ref, site) => {
    let stage = plain;
    for (let i = 0; i < rules.length; i++) {
      if (!meant[i]!(ref, site)) continue;
      let next = stage.next.get(i);
      if (!next) stage.next.set(i, (next = { style: { ...stage.style, ...rules[i]!.style }, next: new Map() }));
      stage = next;
    }
    return stage.style;
  };
}
