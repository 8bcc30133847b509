/** How atoms look: rules in order, later ones winning, each saying which atoms and what about them. */
import { isAtomOf, isHome, originalRef, placeNumber, type AtomRef } from '../crystal/atom-ref.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { bonds, bondsBySite, connectedUnit, fragments } from '../geometry/bonds.ts';
import { netsOf } from '../geometry/nets.ts';

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
  /** Ellipsoids are cut open towards the viewer. */
  readonly open?: boolean;
  /** Of the bonds at the atom; the usual ones where absent. */
  readonly bonds?: BondLook;
  /** Which rule said how the bonds look: of two ends the later one holds. */
  readonly bondRank?: number;
}

export const BOND_COLOURINGS = ['halves', 'plain', 'length', 'kind'] as const;
export interface BondLook {
  /** Each half as its atom, one colour for all, from short to long, or by what is bonded. */
  readonly colouring: (typeof BOND_COLOURINGS)[number];
  /** Of plain ones. */
  readonly colour: string;
  /** Factor on the radius. */
  readonly size: number;
  readonly dashes: 'none' | 'partial' | 'all';
  readonly hidden: boolean;
  /** Rims and an empty middle. */
  readonly hollow?: boolean;
}

export const PLAIN_BONDS: BondLook = {
  colouring: 'halves',
  colour: '#8a8f94',
  size: 1,
  dashes: 'none',
  hidden: false,
};

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
  /** With so many bonds; of any element where none is named. */
  | { readonly kind: 'coordination'; readonly elements: readonly string[]; readonly number: number }
  /** Bonded to one of these elements. */
  | { readonly kind: 'bonded to'; readonly elements: readonly string[] }
  /** Within a distance (Å) of an atom of these elements, themselves too. */
  | { readonly kind: 'near'; readonly elements: readonly string[]; readonly distance: number }
  /** In pieces without end in so many directions: 0 molecules and lone ions, 1 chains, 2 layers, 3 frameworks. */
  | { readonly kind: 'nets'; readonly dimension: 0 | 1 | 2 | 3 }
  | { readonly kind: 'copies' }
  | { readonly kind: 'originals' };

export interface StyleRule {
  readonly which: Which;
  /** Everything but those. */
  readonly others?: boolean;
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

/** Sites by index that a question about their bonds holds for: a site of an empty list, then its partners. */
const bySurroundings = (
  s: Structure,
  holds: (site: Site, partners: readonly Site[]) => boolean,
): ((ref: AtomRef) => boolean) => {
  const around = bondsBySite(s, bonds(s));
  const found = new Set(
    s.sites.flatMap((x, i) =>
      holds(
        x,
        around[i]!.map((b) => s.sites[b.to]!),
      )
        ? [x.id]
        : [],
    ),
  );
  return (ref) => found.has(ref.site);
};

/** Sites within a distance (Å) of sites of elements, with these. */
function sitesNear(s: Structure, elements: ReadonlySet<string>, distance: number): ReadonlySet<string> {
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    { widest: distance, of: (i) => (elements.has(s.sites[i]!.element) ? distance : 0) },
  );
  return new Set([
    ...s.sites.flatMap((x) => (elements.has(x.element) ? [x.id] : [])),
    ...near.map((n) => s.sites[n.to]!.id),
  ]);
}

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
      const set = new Set(
        which.of
          .filter((a) => isAtomOf(s, a))
          .flatMap((a) => connectedUnit(s, list, a, most))
          .map((a) => placeNumber(s, a)),
      );
      return (ref) => set.has(placeNumber(s, ref));
    }
    case 'selection': {
      const set = new Set(which.atoms.map((a) => placeNumber(s, a)));
      return (ref) => set.has(placeNumber(s, ref));
    }
    case 'coordination': {
      const set = new Set(which.elements);
      return bySurroundings(s, (x, partners) => (!set.size || set.has(x.element)) && partners.length === which.number);
    }
    case 'bonded to': {
      const set = new Set(which.elements);
      return bySurroundings(s, (_, partners) => partners.some((x) => set.has(x.element)));
    }
    case 'near': {
      const found = sitesNear(s, new Set(which.elements), which.distance);
      return (ref) => found.has(ref.site);
    }
    case 'nets': {
      const nets = netsOf(s);
      const found = new Set(
        s.sites.filter((x) => nets.list[nets.netOf(originalRef(x.id))]!.dimension === which.dimension).map((x) => x.id),
      );
      return (ref) => found.has(ref.site);
    }
    case 'copies':
      return (ref) => !isHome(ref);
    case 'originals':
      return (ref) => isHome(ref);
  }
}

/** Whether a rule speaks of an atom: of those it names, or of all others. */
export function matcherOf(
  s: Structure,
  { which, others }: { readonly which: Which; readonly others?: boolean },
): (ref: AtomRef, site: Site) => boolean {
  const isMeant = matcher(s, which);
  return others ? (ref, site) => !isMeant(ref, site) : isMeant;
}

const withRule = (before: AtomStyle, { style }: StyleRule, rank: number): AtomStyle => ({
  ...before,
  ...style,
  ...(style.bonds ? { bondRank: rank } : {}),
});

/** Rules as one function: the style of each atom. Atoms that the same rules mean share one object. */
export function resolveStyles(s: Structure, rules: readonly StyleRule[]): (ref: AtomRef, site: Site) => AtomStyle {
  interface Stage {
    readonly style: AtomStyle;
    /** The style with the rule of the next number on top, once it was asked for. */
    readonly next: Map<number, Stage>;
  }
  const plain: Stage = { style: PLAIN_STYLE, next: new Map() };
  const meant = rules.map((r) => matcherOf(s, r));
  return (ref, site) => {
    let stage = plain;
    for (let i = 0; i < rules.length; i++) {
      if (!meant[i]!(ref, site)) continue;
      let next = stage.next.get(i);
      if (!next) stage.next.set(i, (next = { style: withRule(stage.style, rules[i]!, i), next: new Map() }));
      stage = next;
    }
    return stage.style;
  };
}
