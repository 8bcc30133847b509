/**
 * Where partners stand about the groups of a molecule, as statistics of crystals tell it: how often a group finds one, how far, and
 * in which directions. Carbonyl, ester, ether and ring nitrogen: Murray-Rust & Glusker 1984 (J. Am. Chem. Soc. 106, 1018), Taylor,
 * Kennard & Versichel 1983 (J. Am. Chem. Soc. 105, 5761); N–H and O–H: Taylor & Kennard 1984 (Acc. Chem. Res. 17, 320), Steiner
 * 2002 (Angew. Chem. Int. Ed. 41, 48); carboxylate: Gandour 1981 (Bioorg. Chem. 10, 169), Görbitz & Etter 1992 (J. Chem. Soc.
 * Perkin Trans. 2, 131); halogens along and across their bond: Lommerse et al. 1996 (J. Am. Chem. Soc. 118, 3108); sulphur:
 * Rosenfield, Parthasarathy & Dunitz 1977 (J. Am. Chem. Soc. 99, 4860); C–H: Desiraju & Steiner 1999; faces of rings: Nishio 2004
 * (CrystEngComm 6, 130), Dougherty 1996 (Science 271, 163). Shares and spreads are rounded from there: orders of magnitude.
 */
import { isHydrogen, isMetal } from '../crystal/elements.ts';
import {
  composePlacements,
  invertPlacement,
  moveRef,
  placeKey,
  siteIndices,
  type AtomRef,
} from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { add, cross, dot, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import type { Molecule } from './molecules.ts';
import type { Probe } from './probes.ts';
import { planeOf, type Roles } from './roles.ts';

/** Groups that partners come to. */
export type GroupKind =
  | 'carbonyl'
  | 'carboxylate'
  | 'hydroxyl O'
  | 'water O'
  | 'ether'
  | 'nitro'
  | 'oxo'
  | 'pyridine'
  | 'amine N'
  | 'nitrile'
  | 'halide'
  | 'thione'
  | 'side of F'
  | 'side of halogen'
  | 'face of ring'
  | 'O–H'
  | 'N–H'
  | 'N⁺–H'
  | 'aromatic C–H'
  | 'aliphatic C–H'
  | 'end of Cl'
  | 'end of Br'
  | 'end of I'
  | 'end of S'
  | 'carbon';

/** Directions about an origin: round an axis, at an angle to one, or all alike. */
export type Directions =
  | { readonly kind: 'lobe'; readonly axis: Vec3; readonly spread: number }
  | { readonly kind: 'ring'; readonly axis: Vec3; readonly angle: number; readonly spread: number }
  | { readonly kind: 'all' };

/** One place, or places, that a group of the molecule would like a partner at. */
export interface Preference {
  readonly group: GroupKind;
  /** Index of the atom of the molecule that it belongs to. */
  readonly atom: number;
  readonly origin: Vec3;
  readonly directions: Directions;
  /** Of the group's partners. */
  readonly share: number;
  /** Partners that may come at once: of directions round an axis, or of all, not every place can be taken. */
  readonly places: number;
  readonly element: string;
}

interface Ways {
  /** Partners that such a group finds, on the average. */
  readonly partners: number;
  /** Å to O or N. */
  readonly distance: number;
}

/** Groups that take: by their ways with O–H and N–H. */
const TAKING: Readonly<Partial<Record<GroupKind, Ways>>> = {
  carbonyl: { partners: 0.9, distance: 2.85 },
  carboxylate: { partners: 1.6, distance: 2.8 },
  'hydroxyl O': { partners: 0.8, distance: 2.8 },
  'water O': { partners: 1.1, distance: 2.8 },
  ether: { partners: 0.25, distance: 2.95 },
  nitro: { partners: 0.25, distance: 3.05 },
  oxo: { partners: 0.8, distance: 2.85 },
  pyridine: { partners: 0.9, distance: 2.85 },
  'amine N': { partners: 0.3, distance: 2.95 },
  nitrile: { partners: 0.5, distance: 2.98 },
  halide: { partners: 3, distance: 3.25 },
  thione: { partners: 0.7, distance: 3.38 },
  'side of F': { partners: 0.06, distance: 3.1 },
  'side of halogen': { partners: 0.08, distance: 3.45 },
};

/** Groups that give: by their ways with O of a carbonyl. */
const GIVING: Readonly<Partial<Record<GroupKind, Ways>>> = {
  'O–H': { partners: 0.95, distance: 2.75 },
  'N–H': { partners: 0.85, distance: 2.92 },
  'N⁺–H': { partners: 0.95, distance: 2.82 },
  'aromatic C–H': { partners: 0.1, distance: 3.4 },
  'aliphatic C–H': { partners: 0.04, distance: 3.5 },
  'end of Cl': { partners: 0.1, distance: 3.2 },
  'end of Br': { partners: 0.25, distance: 3.08 },
  'end of I': { partners: 0.6, distance: 3 },
  'end of S': { partners: 0.1, distance: 3.2 },
};

/** What a probe makes of these ways: how many times as often, and Å further. */
type Change = readonly [times: number, further: number];
const TO_TAKING: Readonly<Partial<Record<Probe, Change>>> = {
  donor: [1, 0],
  'charged donor': [1.4, -0.05],
  water: [0.8, 0],
  aromatic: [0.45, 0.5],
  aliphatic: [0.3, 0.6],
  chlorine: [0.06, 0.3],
  bromine: [0.15, 0.2],
  iodine: [0.35, 0.13],
  halogen: [0.15, 0.2],
};
const TO_GIVING: Readonly<Partial<Record<Probe, Change>>> = {
  acceptor: [1, 0],
  'charged acceptor': [1.4, -0.05],
  water: [0.8, 0],
  fluorine: [0.06, 0.15],
  chlorine: [0.08, 0.5],
  bromine: [0.08, 0.6],
  iodine: [0.08, 0.75],
  halogen: [0.08, 0.6],
};
const TO_FACES: Readonly<Partial<Record<Probe, Ways>>> = {
  donor: { partners: 0.06, distance: 3.35 },
  'charged donor': { partners: 0.25, distance: 3.2 },
  water: { partners: 0.05, distance: 3.4 },
  aromatic: { partners: 0.5, distance: 3.75 },
  aliphatic: { partners: 0.4, distance: 3.8 },
  chlorine: { partners: 0.12, distance: 3.5 },
  bromine: { partners: 0.15, distance: 3.5 },
  iodine: { partners: 0.15, distance: 3.6 },
  halogen: { partners: 0.15, distance: 3.5 },
};
/** Carbon among carbon: no direction, little more than touching. */
const TO_CARBON: Readonly<Partial<Record<Probe, Ways>>> = {
  aromatic: { partners: 0.8, distance: 3.75 },
  aliphatic: { partners: 1, distance: 3.9 },
};

/** How far halides stand, beyond chloride, Å. */
const HALIDES: Readonly<Record<string, number>> = { F: -0.55, Cl: 0, Br: 0.15, I: 0.4 };

/** How a probe stands to a preference; undefined where it is as chance has it. */
export function waysOf(p: Preference, probe: Probe): Ways | undefined {
  if (p.group === 'face of ring') return TO_FACES[probe];
  if (p.group === 'carbon') return TO_CARBON[probe];
  const taking = TAKING[p.group],
    giving = GIVING[p.group];
  const ways = taking ?? giving;
  const change = taking ? TO_TAKING[probe] : TO_GIVING[probe];
  if (!ways || !change) return undefined;
  const own = p.group === 'halide' ? (HALIDES[p.element] ?? 0) : 0;
  return { partners: ways.partners * change[0] * p.share, distance: ways.distance + change[1] + own };
}

const RAD = Math.PI / 180;
/** Degrees: of lone pairs in the plane of a group; of tetrahedral ones. */
const PLANAR = 122,
  TETRAHEDRAL = 109.5;
/** Spreads of directions, degrees. */
const WIDE = 24,
  MIDDLE = 19,
  SHARP = 13;
/** A lone pair is not where a bond is: degrees. */
const TAKEN = 50;

/** Preferences of a molecule's groups. */
export class Preferences {
  readonly list: readonly Preference[];
  /** Bonded atoms of each, by index. */
  readonly bonded: readonly (readonly number[])[];
  private readonly sites: readonly number[];

  constructor(
    private readonly s: Structure,
    private readonly roles: Roles,
    private readonly m: Molecule,
  ) {
    const index = siteIndices(s);
    const bySite = bondsBySite(s, bonds(s));
    const numbers = new Map(m.atoms.map((a, i) => [placeKey(s, a), i]));
    this.sites = m.atoms.map((a) => index.get(a.site)!);
    this.bonded = m.atoms.map((a, i) =>
      bySite[this.sites[i]!]!.flatMap((b) => numbers.get(placeKey(s, neighbourRef(s, b, a))) ?? []),
    );
    this.list = [...m.atoms.flatMap((_, i) => this.ofAtom(i)), ...this.faces()];
  }

  private isHydrogen = (i: number): boolean => isHydrogen(this.m.elements[i]!);
  private heavy = (i: number): number[] => this.bonded[i]!.filter((j) => !this.isHydrogen(j));
  private hydrogens = (i: number): number[] => this.bonded[i]!.filter(this.isHydrogen);
  private way = (from: number, to: number): Vec3 => normalize(subtract(this.m.at[to]!, this.m.at[from]!));

  private make(i: number, group: GroupKind, directions: readonly Directions[], places = 1): Preference[] {
    const free = directions.filter((d) => d.kind !== 'lobe' || !this.isTaken(i, d.axis));
    return free.map((d) => ({
      group,
      atom: i,
      origin: this.m.at[i]!,
      directions: d,
      share: 1 / directions.length,
      places: d.kind === 'lobe' ? 1 : places,
      element: this.m.elements[i]!,
    }));
  }

  /** Whether a bond goes that way. */
  private isTaken = (i: number, axis: Vec3): boolean =>
    this.bonded[i]!.some((j) => dot(this.way(i, j), axis) > Math.cos(TAKEN * RAD));

  private ofAtom(i: number): Preference[] {
    const element = this.m.elements[i]!;
    const role = this.roles.of(this.sites[i]!);
    if (isHydrogen(element) || isMetal(element)) return [];
    if (element === 'C') return this.ofCarbon(i, role === 'aromatic C');
    if (element === 'O') return this.ofOxygen(i, role);
    if (element === 'N') return this.ofNitrogen(i, role);
    if (role === 'halide') return this.make(i, 'halide', [{ kind: 'all' }], 4);
    if (role === 'organic halogen') return this.ofHalogen(i, element);
    if (element === 'S' || element === 'Se') return this.ofSulphur(i);
    return [];
  }

  private ofCarbon(i: number, aromatic: boolean): Preference[] {
    const group = aromatic ? 'aromatic C–H' : 'aliphatic C–H';
    return [
      ...this.given(i, group, aromatic ? MIDDLE : WIDE),
      ...this.make(i, 'carbon', [{ kind: 'all' }]).map((p) => ({ ...p, share: 1 })),
    ];
  }

  /** One for every hydrogen, along its bond; each is a group by itself. */
  private given(i: number, group: GroupKind, spread = SHARP): Preference[] {
    return this.hydrogens(i).flatMap((h) => {
      const lobe: Directions = { kind: 'lobe', axis: this.way(i, h), spread };
      const element = this.m.elements[i]!;
      return [{ group, atom: i, origin: this.m.at[i]!, directions: lobe, share: 1, places: 1, element }];
    });
  }

  /** Two lone pairs in the plane of what the next atom is bonded to; round its bond where that has no plane. */
  private inPlane(i: number): Directions[] {
    const next = this.heavy(i)[0];
    if (next === undefined) return [{ kind: 'all' }];
    const axis = this.way(i, next);
    const beyond = this.bonded[next]!.find((j) => j !== i);
    if (beyond === undefined) return [{ kind: 'ring', axis, angle: PLANAR, spread: MIDDLE }];
    const normal = normalize(cross(axis, this.way(next, beyond)));
    return [1, -1].map((sign) => ({ kind: 'lobe', axis: turn(axis, normal, sign * PLANAR * RAD), spread: MIDDLE }));
  }

  /** Lone pairs of an atom with four directions, of which bonds take some. */
  private tetrahedral(i: number): Directions[] {
    const taken = this.bonded[i]!.map((j) => this.way(i, j));
    const [p, q] = taken;
    if (!p) return [{ kind: 'all' }];
    if (!q) return [{ kind: 'ring', axis: p, angle: TETRAHEDRAL, spread: MIDDLE }];
    const back = normalize(scale(add(p, q), -1));
    const normal = normalize(cross(p, q));
    if (taken.length > 2) return [{ kind: 'lobe', axis: normalize(scale(taken.reduce(add), -1)), spread: WIDE }];
    const half = (TETRAHEDRAL / 2) * RAD;
    return [1, -1].map((sign) => ({
      kind: 'lobe',
      axis: add(scale(back, Math.cos(half)), scale(normal, sign * Math.sin(half))),
      spread: WIDE,
    }));
  }

  private ofOxygen(i: number, role: ReturnType<Roles['of']>): Preference[] {
    const hydrogens = this.hydrogens(i).length;
    switch (role) {
      case 'carbonyl':
        return this.make(i, 'carbonyl', this.inPlane(i), 2);
      case 'carboxylate':
        return this.make(i, 'carboxylate', this.inPlane(i), 2);
      case 'nitro':
        return this.make(i, 'nitro', this.inPlane(i), 2);
      case 'oxo':
        return this.make(i, 'oxo', this.roundBond(i, PLANAR), 2);
      case 'ether':
        return this.make(i, 'ether', this.tetrahedral(i));
      case 'water':
      case 'hydroxyl': {
        const lonePairs = this.tetrahedral(i);
        const gives = hydrogens ? this.given(i, 'O–H') : this.make(i, 'O–H', lonePairs, role === 'water' ? 2 : 1);
        return [...this.make(i, role === 'water' ? 'water O' : 'hydroxyl O', lonePairs, 2), ...gives];
      }
      default:
        return [];
    }
  }

  private roundBond(i: number, angle: number): Directions[] {
    const next = this.heavy(i)[0];
    return next === undefined ? [{ kind: 'all' }] : [{ kind: 'ring', axis: this.way(i, next), angle, spread: MIDDLE }];
  }

  private ofNitrogen(i: number, role: ReturnType<Roles['of']>): Preference[] {
    const near = this.bonded[i]!;
    const gives = this.given(i, role === 'ammonium' ? 'N⁺–H' : 'N–H');
    const back = near.length ? normalize(scale(near.map((j) => this.way(i, j)).reduce(add), -1)) : undefined;
    if (role === 'pyridine' && back && near.length === 2)
      return this.make(i, 'pyridine', [{ kind: 'lobe', axis: back, spread: MIDDLE }]);
    if (role === 'nitrile' && back) return this.make(i, 'nitrile', [{ kind: 'lobe', axis: back, spread: MIDDLE }]);
    if (role === 'ammonium') return gives.length ? gives : this.make(i, 'N⁺–H', this.unlocated(i));
    if (role === 'amide' || role === 'amine') {
      const hidden = gives.length || near.length > 2 ? [] : this.make(i, 'N–H', this.unlocated(i));
      const pyramid = role === 'amine' && back && near.length === 3 && this.isPyramid(i);
      return [
        ...gives,
        ...hidden,
        ...(pyramid ? this.make(i, 'amine N', [{ kind: 'lobe', axis: back, spread: MIDDLE }]) : []),
      ];
    }
    return gives;
  }

  /** Where hydrogens that nobody located would point: between the bonds of a plane, or round a bond. */
  private unlocated(i: number): Directions[] {
    const near = this.bonded[i]!.map((j) => this.way(i, j));
    if (near.length >= 2) return [{ kind: 'lobe', axis: normalize(scale(near.reduce(add), -1)), spread: MIDDLE }];
    return this.inPlane(i);
  }

  /** Degrees of its three angles together. */
  private isPyramid(i: number): boolean {
    const [p, q, r] = this.bonded[i]!.map((j) => this.way(i, j)) as [Vec3, Vec3, Vec3];
    const angle = (a: Vec3, b: Vec3): number => Math.acos(Math.max(-1, Math.min(1, dot(a, b)))) / RAD;
    return angle(p, q) + angle(q, r) + angle(p, r) < 348;
  }

  private ofHalogen(i: number, element: string): Preference[] {
    const next = this.heavy(i)[0];
    if (next === undefined) return [];
    const axis = scale(this.way(i, next), -1);
    const side: Directions = {
      kind: 'ring',
      axis: this.way(i, next),
      angle: element === 'F' ? 115 : 95,
      spread: MIDDLE,
    };
    if (element === 'F') return this.make(i, 'side of F', [side]);
    const end = `end of ${element}` as 'end of Cl' | 'end of Br' | 'end of I';
    return [...this.make(i, end, [{ kind: 'lobe', axis, spread: 9 }]), ...this.make(i, 'side of halogen', [side])];
  }

  private ofSulphur(i: number): Preference[] {
    const near = this.heavy(i);
    if (near.length === 1) return this.make(i, 'thione', this.roundBond(i, 105), 2);
    if (near.length !== 2) return [];
    return this.make(
      i,
      'end of S',
      near.map((j) => ({ kind: 'lobe', axis: scale(this.way(i, j), -1), spread: SHARP })),
    );
  }

  /** Both faces of every flat ring of the molecule. */
  private faces(): Preference[] {
    const numbers = new Map(this.m.atoms.map((a, i) => [placeKey(this.s, a), i]));
    const seen = new Set<string>();
    return this.m.atoms.flatMap((atom): Preference[] =>
      this.roles.flat.flatMap((ring) => {
        const copy = ringThrough(ring.atoms, atom, this.s);
        const members = copy?.map((a) => numbers.get(placeKey(this.s, a)));
        if (!copy || !members || members.some((x) => x === undefined)) return [];
        const key = [...members].sort().join();
        if (seen.has(key)) return [];
        seen.add(key);
        const { normal, middle } = planeOf(cartesianOf(this.s, copy));
        return [1, -1].map((sign): Preference => ({
          group: 'face of ring',
          atom: members[0]!,
          origin: middle,
          directions: { kind: 'lobe', axis: scale(normal, sign), spread: MIDDLE },
          share: 1,
          places: 1,
          element: this.m.elements[members[0]!]!,
        }));
      }),
    );
  }
}

/** The ring as it is when its first atom of that site is this one. */
function ringThrough(ring: readonly AtomRef[], atom: AtomRef, s: Structure): AtomRef[] | undefined {
  const own = ring.find((a) => a.site === atom.site);
  if (!own) return undefined;
  const by = composePlacements(s.spaceGroup, atom, invertPlacement(s.spaceGroup, own));
  return ring.map((a) => moveRef(s.spaceGroup, by, a));
}

/** Density of directions, per steradian, so that all directions together make one; `cosine` with the axis. */
export function directionDensity(d: Directions, cosine: number): number {
  if (d.kind === 'all') return 1 / (4 * Math.PI);
  const spread = d.spread * RAD;
  if (d.kind === 'lobe') {
    const k = 1 / spread ** 2;
    return ((k / (1 - Math.exp(-2 * k))) * Math.exp(k * (cosine - 1))) / (2 * Math.PI);
  }
  const off = Math.acos(Math.max(-1, Math.min(1, cosine))) - d.angle * RAD;
  return Math.exp((-off * off) / (2 * spread * spread)) / ringTotal(d.angle, d.spread);
}

const ringTotals = new Map<string, number>();
/** ∫ over all directions of a Gaussian about a cone. */
function ringTotal(angle: number, spread: number): number {
  const key = `${angle} ${spread}`;
  let total = ringTotals.get(key);
  if (total !== undefined) return total;
  total = 0;
  const steps = 720;
  for (let i = 0; i < steps; i++) {
    const theta = ((i + 0.5) * Math.PI) / steps;
    const off = (theta - angle * RAD) / (spread * RAD);
    total += (Math.exp((-off * off) / 2) * Math.sin(theta) * 2 * Math.PI * Math.PI) / steps;
  }
  ringTotals.set(key, total);
  return total;
}
