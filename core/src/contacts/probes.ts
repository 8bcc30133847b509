/** What may be wished for beside a molecule: probes, each for the atom that would make the contact. */
export const PROBES = [
  'donor',
  'charged donor',
  'acceptor',
  'charged acceptor',
  'water',
  'aromatic',
  'aliphatic',
  'fluorine',
  'chlorine',
  'bromine',
  'iodine',
  'halogen',
] as const;
export type Probe = (typeof PROBES)[number];

/** How near a probe may come, and what it may take the place of. */
export type ProbeClass = 'giving' | 'taking' | 'both' | 'carbon' | 'fluorine' | 'halogen';

interface ProbeTraits {
  /** What it stands for, in words. */
  readonly words: string;
  readonly sort: ProbeClass;
  /**
   * Such atoms in one Å³ of an organic crystal, by and large: what chance gives. One group that gives or takes in 250 Å³, one
   * carbon in 65 Å³.
   */
  readonly chance: number;
}

const POLAR = 0.004,
  CARBON = 0.015;

export const PROBE_TRAITS: Readonly<Record<Probe, ProbeTraits>> = {
  donor: { words: 'O or N with a hydrogen to give', sort: 'giving', chance: POLAR },
  'charged donor': { words: 'N of an ammonium ion', sort: 'giving', chance: POLAR },
  acceptor: { words: 'O of a carbonyl group', sort: 'taking', chance: POLAR },
  'charged acceptor': { words: 'O of a carboxylate ion', sort: 'taking', chance: POLAR },
  water: { words: 'O of water, which gives and takes', sort: 'both', chance: POLAR },
  aromatic: { words: 'C of an aromatic C–H', sort: 'carbon', chance: CARBON },
  aliphatic: { words: 'C of a methyl or methylene group', sort: 'carbon', chance: CARBON },
  fluorine: { words: 'F bonded to carbon', sort: 'fluorine', chance: POLAR },
  chlorine: { words: 'Cl bonded to carbon', sort: 'halogen', chance: POLAR },
  bromine: { words: 'Br bonded to carbon', sort: 'halogen', chance: POLAR },
  iodine: { words: 'I bonded to carbon', sort: 'halogen', chance: POLAR },
  halogen: { words: 'Cl, Br or I bonded to carbon, with the figures of bromine', sort: 'halogen', chance: POLAR },
};

/** A probe by what somebody wrote; undefined where there is none of that name. */
export const findProbe = (name: string): Probe | undefined =>
  PROBES.find((p) => p === name.trim().toLowerCase().replace(/[-_]/g, ' '));

/** Kinds of atoms of the molecule that a probe meets. */
export type MetKind = 'given hydrogen' | 'hydrogen' | 'carbon' | 'polar' | 'halogen' | 'other';

/** Nearest that a probe comes to an atom, Å: from about the shortest contacts of each kind; others by their radius beside the probe's. */
const NEAREST: Readonly<Record<ProbeClass, Readonly<Record<Exclude<MetKind, 'other'>, number>> & { own: number }>> = {
  giving: { 'given hydrogen': 2.1, hydrogen: 2.25, carbon: 2.9, polar: 2.45, halogen: 3, own: 1.2 },
  taking: { 'given hydrogen': 1.45, hydrogen: 2.15, carbon: 2.85, polar: 2.4, halogen: 2.7, own: 1.15 },
  both: { 'given hydrogen': 1.45, hydrogen: 2.2, carbon: 2.9, polar: 2.45, halogen: 2.9, own: 1.2 },
  carbon: { 'given hydrogen': 2.3, hydrogen: 2.5, carbon: 3.25, polar: 3, halogen: 3.35, own: 1.45 },
  fluorine: { 'given hydrogen': 1.9, hydrogen: 2.3, carbon: 2.95, polar: 2.7, halogen: 3, own: 1.15 },
  halogen: { 'given hydrogen': 2.2, hydrogen: 2.6, carbon: 3.2, polar: 2.6, halogen: 3.2, own: 1.5 },
};

export const nearestOf = (sort: ProbeClass, kind: MetKind, radius: number): number =>
  kind === 'other' ? radius + NEAREST[sort].own : NEAREST[sort][kind];
