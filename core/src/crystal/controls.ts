/** How a model is held in refinement: hydrogen groups, shared occupancies, constraints and restraints. Plain data; sites are named by their ids. */

/** How hydrogens follow their parent: with it; with it while turning about the bond; free but restrained to a sensible shape; free. */
export type Hold = 'riding' | 'rotating' | 'restrained' | 'free';

export const SHAPES = [
  'aromatic',
  'vinyl',
  'terminal vinyl',
  'alkyne',
  'methine',
  'methylene',
  'methyl',
  'hydroxyl',
  'planar NH',
  'planar NH2',
  'pyramidal NH',
  'pyramidal NH2',
  'ammonium NH',
  'ammonium NH2',
  'ammonium',
  'water',
  'thiol',
  'borane',
  'bridging',
  'chosen',
] as const;
export type HydrogenShape = (typeof SHAPES)[number];

export interface HydrogenGroup {
  readonly id: string;
  readonly parent: string;
  readonly hydrogens: readonly string[];
  readonly shape: HydrogenShape;
  readonly hold: Hold;
  /** U(H) as a multiple of the parent's U_eq; 0 when refined. */
  readonly uFactor: number;
  /** X–H distance, Å. */
  readonly length: number;
}

/** Occupancies that share refined numbers: the groups of an assembly (which sum to one), or sites with one number between them. */
export type OccupancyTie =
  | {
      readonly id: string;
      readonly kind: 'assembly';
      readonly assembly: string;
      readonly groups: readonly string[];
      readonly held?: boolean;
    }
  | { readonly id: string; readonly kind: 'shared'; readonly sites: readonly string[] };

interface RestraintBase {
  readonly id: string;
  /** Å, Å² or the unit of the target. */
  readonly su: number;
  /** Switched off, but kept in the list. */
  readonly off?: boolean;
  /** Why it was made, in words. */
  readonly why?: string;
}

export type Restraint = RestraintBase &
  (
    | {
        readonly kind: 'distance' | 'distance 1,3';
        readonly pairs: readonly (readonly [string, string])[];
        readonly target: number;
      }
    | { readonly kind: 'equal distance'; readonly pairs: readonly (readonly [string, string])[] }
    | { readonly kind: 'planar'; readonly sites: readonly string[] }
    | {
        readonly kind: 'chiral volume';
        readonly sites: readonly [string, string, string, string];
        readonly target: number;
      }
    | { readonly kind: 'same geometry'; readonly first: readonly string[]; readonly second: readonly string[] }
    | {
        readonly kind: 'rigid bond' | 'enhanced rigid bond' | 'similar displacement' | 'near isotropic';
        readonly sites: readonly string[];
      }
    | { readonly kind: 'keep apart'; readonly pairs: readonly (readonly [string, string])[]; readonly target: number }
    | { readonly kind: 'occupancy' | 'displacement'; readonly sites: readonly string[]; readonly target: number }
  );
export type RestraintKind = Restraint['kind'];

export type Constraint =
  | {
      readonly id: string;
      readonly kind: 'shared displacement' | 'shared position' | 'rigid group';
      readonly sites: readonly string[];
      readonly why?: string;
    }
  | {
      readonly id: string;
      readonly kind: 'fixed';
      readonly sites: readonly string[];
      readonly what: readonly ('position' | 'displacement' | 'occupancy')[];
      readonly why?: string;
    };

export interface Controls {
  readonly hydrogens: readonly HydrogenGroup[];
  readonly occupancies: readonly OccupancyTie[];
  readonly constraints: readonly Constraint[];
  readonly restraints: readonly Restraint[];
}

export const NO_CONTROLS: Controls = { hydrogens: [], occupancies: [], constraints: [], restraints: [] };

/** Sites a restraint speaks of, each once. */
export function restraintSites(r: Restraint): string[] {
  const all = 'pairs' in r ? r.pairs.flat() : 'first' in r ? [...r.first, ...r.second] : [...r.sites];
  return [...new Set(all)];
}

/** A disorder group about a symmetry element: its copies by symmetry are the other places (CIF's negative group numbers). */
export const isSymmetryGroup = (group: string | undefined): boolean => !!group && group.startsWith('-');

/** What a restraint says in words, with labels; `label` names a site id. */
export function restraintWords(r: Restraint, label: (id: string) => string): string {
  const names = (ids: readonly string[]): string =>
    ids.length <= 6 ? ids.map(label).join(', ') : `${ids.slice(0, 5).map(label).join(', ')} and ${ids.length - 5} more`;
  const pairs = (list: readonly (readonly [string, string])[]): string =>
    `${list
      .slice(0, 4)
      .map(([p, q]) => `${label(p)}–${label(q)}`)
      .join(', ')}${list.length > 4 ? ` and ${list.length - 4} more` : ''}`;
  switch (r.kind) {
    case 'distance':
      return `${pairs(r.pairs)} at ${r.target.toFixed(3)} Å`;
    case 'distance 1,3':
      return `${pairs(r.pairs)} (1,3) at ${r.target.toFixed(3)} Å`;
    case 'equal distance':
      return `${pairs(r.pairs)} equally long`;
    case 'planar':
      return `${names(r.sites)} in one plane`;
    case 'chiral volume':
      return `hand of ${label(r.sites[0])}: volume ${r.target.toFixed(2)} Å³`;
    case 'same geometry':
      return `${names(r.second)}: same geometry as ${names(r.first)}`;
    case 'rigid bond':
      return `rigid bonds within ${names(r.sites)}`;
    case 'enhanced rigid bond':
      return `enhanced rigid bonds within ${names(r.sites)}`;
    case 'similar displacement':
      return `similar displacement of ${names(r.sites)}`;
    case 'near isotropic':
      return `${names(r.sites)} nearly isotropic`;
    case 'keep apart':
      return `${pairs(r.pairs)} at least ${r.target.toFixed(2)} Å apart`;
    case 'occupancy':
      return `occupancy of ${names(r.sites)} at ${r.target}`;
    case 'displacement':
      return `displacement of ${names(r.sites)} at ${r.target} Å²`;
  }
}

export function constraintWords(c: Constraint, label: (id: string) => string): string {
  const names =
    c.sites.length <= 6
      ? c.sites.map(label).join(', ')
      : `${c.sites.slice(0, 5).map(label).join(', ')} and ${c.sites.length - 5} more`;
  if (c.kind === 'fixed') return `${c.what.join(' and ')} of ${names} held as it is`;
  if (c.kind === 'rigid group') return `${names} moved as one rigid group`;
  return c.kind === 'shared displacement' ? `one displacement shared by ${names}` : `one position shared by ${names}`;
}

/** Leaves out whatever names sites that are no longer there. */
export function pruneControls(c: Controls, ids: ReadonlySet<string>): Controls {
  const here = (list: readonly string[]): string[] => list.filter((x) => ids.has(x));
  const pairsHere = (list: readonly (readonly [string, string])[]): (readonly [string, string])[] =>
    list.filter(([p, q]) => ids.has(p) && ids.has(q));
  const restraints = c.restraints.flatMap((r): Restraint[] => {
    if ('pairs' in r) {
      const pairs = pairsHere(r.pairs);
      return pairs.length >= (r.kind === 'equal distance' ? 2 : 1) ? [{ ...r, pairs }] : [];
    }
    if ('first' in r) {
      const keep = r.first.map((_, i) => i).filter((i) => ids.has(r.first[i]!) && ids.has(r.second[i]!));
      return keep.length >= 2
        ? [{ ...r, first: keep.map((i) => r.first[i]!), second: keep.map((i) => r.second[i]!) }]
        : [];
    }
    if (r.kind === 'chiral volume') return r.sites.every((x) => ids.has(x)) ? [r] : [];
    const sites = here(r.sites);
    const least =
      r.kind === 'planar'
        ? 4
        : r.kind === 'near isotropic' || r.kind === 'occupancy' || r.kind === 'displacement'
          ? 1
          : 2;
    return sites.length >= least ? [{ ...r, sites } as Restraint] : [];
  });
  return {
    hydrogens: c.hydrogens.flatMap((g) =>
      ids.has(g.parent) && here(g.hydrogens).length ? [{ ...g, hydrogens: here(g.hydrogens) }] : [],
    ),
    occupancies: c.occupancies.flatMap((o): OccupancyTie[] =>
      o.kind === 'assembly' ? [o] : here(o.sites).length ? [{ ...o, sites: here(o.sites) }] : [],
    ),
    constraints: c.constraints.flatMap((k) =>
      here(k.sites).length >= (k.kind === 'fixed' ? 1 : 2) ? [{ ...k, sites: here(k.sites) }] : [],
    ),
    restraints,
  };
}
