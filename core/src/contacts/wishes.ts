/** Whether a crystal grants what its molecule would like: hot spots against the atoms that are there, contacts against the field. */
import {
  composePlacements,
  invertPlacement,
  moveRef,
  refKey,
  siteIndices,
  siteOf,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { neighbours } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { netsOf } from '../geometry/nets.ts';
import { bonds, bondsBySite } from '../geometry/bonds.ts';
import { add, apply3, dot, inverse3, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import { SHIPPED } from './definition.ts';
import { ContactSearch, type Contact } from './find-contacts.ts';
import { MolecularCrystal, mostOccupied, type Molecule } from './molecules.ts';
import { Preferences, type Preference } from './preferences.ts';
import type { Probe } from './probes.ts';
import { Roles } from './roles.ts';
import { WishField, type HotSpot, type WishGrid } from './wish-field.ts';

export type Grant = 'granted' | 'half granted' | 'not granted';

export interface Wish {
  readonly probe: Probe;
  /** Cartesian, Å, and fractional. */
  readonly at: Vec3;
  readonly position: Vec3;
  readonly score: number;
  /** Label of the atom whose wish it is, and what it is. */
  readonly of?: string;
  readonly group?: string;
  readonly grant: Grant;
  /** The atom that grants it, how far it stands from the spot, Å, and how many times chance the field is where it stands. */
  readonly by?: AtomRef;
  readonly distance?: number;
  readonly strength?: number;
}

export interface JudgedContact {
  readonly contact: Contact;
  /** The atom of the other molecule, seen from the looked-at one. */
  readonly other: AtomRef;
  readonly probe: Probe;
  /** Times chance where it stands. */
  readonly score: number;
  readonly expected: boolean;
}

export interface Wishes {
  readonly molecule: { readonly formula: string; readonly atoms: readonly AtomRef[] };
  readonly spots: readonly Wish[];
  readonly contacts: readonly JudgedContact[];
  /** Share of the wishes that the crystal grants, 0 to 1, each place once by the root of its score; undefined without a wish. */
  readonly served?: number;
  readonly remarks: readonly string[];
}

/** Å from a spot: an atom that grants it, and one that half does. */
const GRANTS = 1.2,
  HALF_GRANTS = 1.8;
/** Å that the search for atoms at a spot starts beside it. */
const ASIDE = 0.03;
/** Degrees between a bond to hydrogen and the way to the atom it is wished for by. */
const POINTS_AT = 50;
/** A contact is expected where its place is better than this many times chance. */
const EXPECTED = 2;
/** Å: wishes nearer than this are for one place. */
const ONE_PLACE = 1;

interface NearAtom {
  readonly atom: AtomRef;
  readonly site: number;
  readonly distance: number;
}

interface Granting {
  readonly atom: AtomRef;
  readonly distance: number;
  readonly grant: Grant;
}

/** What an atom can be to others, beside its element: probes it fulfils, and those it half fulfils. */
interface Offer {
  readonly full: ReadonlySet<Probe>;
  readonly half: ReadonlySet<Probe>;
}

const GIVERS: ReadonlySet<string> = new Set(['hydroxyl', 'water', 'amide', 'amine']);
const TAKERS: ReadonlySet<string> = new Set([
  'carbonyl',
  'hydroxyl',
  'water',
  'ether',
  'nitro',
  'oxo',
  'pyridine',
  'nitrile',
]);
const HALOGEN_PROBES: Readonly<Record<string, Probe>> = { F: 'fluorine', Cl: 'chlorine', Br: 'bromine', I: 'iodine' };

/** What a site offers, by its role and its hydrogens. */
function offerOf(s: Structure, roles: Roles, site: number, hasHydrogen: boolean): Offer {
  const { element } = s.sites[site]!;
  const role = roles.of(site);
  const full = new Set<Probe>(),
    half = new Set<Probe>();
  if (role === 'ammonium') {
    for (const p of ['donor', 'charged donor', 'water'] as const) full.add(p);
  } else if ((element === 'O' || element === 'N') && (hasHydrogen || (GIVERS.has(role ?? '') && !s.sites.some(isH)))) {
    full.add('donor').add('water');
    half.add('charged donor');
  }
  if (role === 'carboxylate' || role === 'halide' || role === 'oxide') {
    for (const p of ['acceptor', 'charged acceptor', 'water'] as const) full.add(p);
  } else if (role && TAKERS.has(role)) {
    full.add('acceptor').add('water');
    half.add('charged acceptor');
  }
  if (element === 'S' || element === 'F') half.add('acceptor');
  if (element === 'C') {
    full.add(role === 'aromatic C' ? 'aromatic' : 'aliphatic');
    half.add(role === 'aromatic C' ? 'aliphatic' : 'aromatic');
    if (hasHydrogen) half.add('donor').add('water');
  }
  const halogen = role === 'organic halogen' ? HALOGEN_PROBES[element] : undefined;
  if (halogen) {
    full.add(halogen);
    half.add('acceptor');
    if (halogen !== 'fluorine') {
      full.add('halogen');
      for (const p of ['chlorine', 'bromine', 'iodine'] as const) half.add(p);
    }
  }
  return { full, half };
}

const isH = (x: { readonly element: string }): boolean => isHydrogen(x.element);

/** The probe that stands for an atom at its end of a contact. */
function probeOf(s: Structure, roles: Roles, site: number, end: 'giver' | 'taker'): Probe | undefined {
  const { element } = s.sites[site]!;
  const role = roles.of(site);
  if (element === 'C') return role === 'aromatic C' ? 'aromatic' : 'aliphatic';
  if (role === 'organic halogen') return HALOGEN_PROBES[element];
  if (role === 'water') return 'water';
  if (end === 'giver')
    return role === 'ammonium' ? 'charged donor' : element === 'O' || element === 'N' ? 'donor' : undefined;
  if (role === 'carboxylate' || role === 'halide' || role === 'oxide') return 'charged acceptor';
  return element === 'O' || element === 'N' ? 'acceptor' : undefined;
}

export interface WishesAsked {
  readonly probes: readonly Probe[];
  /** An atom of the molecule that is looked at; the first one's where it is left out. */
  readonly molecule?: AtomRef;
  /** Atoms of it whose wishes count; all where it is left out. */
  readonly part?: readonly AtomRef[];
}

/** Wishes of one molecule of a crystal. Throws RangeError where there is no molecule. */
export class WishSearch {
  readonly crystal: MolecularCrystal;
  readonly molecule: Molecule;
  readonly preferences: Preferences;
  private readonly s: Structure;
  private readonly roles: Roles;
  private readonly fields = new Map<Probe, WishField>();
  private readonly part: ReadonlySet<number> | undefined;
  private readonly carriesHydrogen: readonly boolean[];
  private readonly remarks: readonly string[];

  constructor(
    given: Structure,
    readonly asked: WishesAsked,
  ) {
    this.s = mostOccupied(given);
    this.crystal = new MolecularCrystal(this.s);
    const first = this.crystal.molecules[0];
    if (!first)
      throw new RangeError(
        'There is no molecule here: bonds go on without end. Wishes are told of molecules; cut the long bonds in Relate if they are none.',
      );
    const { molecule } = asked;
    const isMolecule = molecule && siteOf(this.s, molecule) && this.crystal.kindOf(molecule) !== undefined;
    this.molecule = isMolecule ? this.crystal.moleculeAt(molecule) : this.largest();
    this.roles = new Roles(this.s);
    this.preferences = new Preferences(this.s, this.roles, this.molecule);
    const bySite = bondsBySite(this.s, bonds(this.s));
    this.carriesHydrogen = this.s.sites.map((_, i) => bySite[i]!.some((b) => isH(this.s.sites[b.to]!)));
    const wanted = asked.part?.length ? new Set(asked.part.map(refKey)) : undefined;
    const chosen = this.molecule.atoms.flatMap((a, i) => (wanted?.has(refKey(a)) ? [i] : []));
    this.part = chosen.length ? new Set(chosen) : undefined;
    this.remarks = [
      ...(this.s === given ? [] : ['Of disordered parts only the most occupied is looked at.']),
      ...(this.s.sites.some(isH)
        ? []
        : [
            'There are no hydrogens in the model: who gives is told from roles, and directions only where bonds fix them.',
          ]),
    ];
  }

  /** Of the molecules the one with the most atoms: a solvent has fewer wishes. */
  private largest(): Molecule {
    return [...this.crystal.molecules].sort((p, q) => q.atoms.length - p.atoms.length)[0]!;
  }

  field(probe: Probe): WishField {
    let field = this.fields.get(probe);
    if (!field) {
      field = new WishField(this.molecule, this.preferences, probe, this.part);
      this.fields.set(probe, field);
    }
    return field;
  }

  grids(step: number): WishGrid[] {
    return this.asked.probes.map((p) => this.field(p).grid(step));
  }

  all(): Wishes {
    const { molecule } = this;
    const spots = this.asked.probes.flatMap((p) => this.field(p).hotSpots());
    const judged = this.judgedSpots(spots);
    const served = servedShare(judged);
    return {
      molecule: { formula: molecule.formula, atoms: molecule.atoms },
      spots: judged.sort((p, q) => q.score - p.score),
      contacts: this.judgedContacts(),
      ...(served === undefined ? {} : { served }),
      remarks: this.remarks,
    };
  }

  private judgedSpots(spots: readonly HotSpot[]): Wish[] {
    const { s } = this;
    const back = inverse3(orthogonalization(s.cell));
    const positions = spots.map((h) => apply3(back, h.at));
    const own = netsOf(s).nameOf(this.molecule.atoms[0]!);
    // The search leaves out what stands at one place with its centre, which the best of partners does: it looks from beside it.
    const beside = positions.map((x) => add(x, apply3(back, [ASIDE, 0, 0])));
    const n = positions.length;
    const near = neighbours(s.cell, s.spaceGroup, [...beside, ...s.sites.map((x) => x.position)], {
      widest: HALF_GRANTS + ASIDE,
      of: (i, j) => (i < n && j >= n && !isH(s.sites[j - n]!) ? HALF_GRANTS + ASIDE : 0),
    });
    const bySpot = spots.map((): NearAtom[] => []);
    for (const { from, to, operator, shift } of near) {
      const atom = { site: s.sites[to - n]!.id, operator, shift };
      if (netsOf(s).nameOf(atom) === own) continue;
      const distance = norm(subtract(cartesianOf(s, [atom])[0]!, spots[from]!.at));
      if (distance <= HALF_GRANTS) bySpot[from]!.push({ atom, site: to - n, distance });
    }
    return placesTaken(spots, (i) => this.judged(spots[i]!, positions[i]!, bySpot[i]!));
  }

  private judged(spot: HotSpot, position: Vec3, near: readonly NearAtom[]): Wish {
    const { s, molecule } = this;
    const { preference } = spot;
    const base = {
      probe: spot.probe,
      at: spot.at,
      position,
      score: spot.score,
      ...(preference ? { of: siteOf(s, molecule.atoms[preference.atom]!)!.label, group: preference.group } : {}),
    };
    const graded = near.flatMap(({ atom, site, distance }): Granting[] => {
      const offer = offerOf(s, this.roles, site, this.carriesHydrogen[site]!);
      const isFull = offer.full.has(spot.probe) && distance <= GRANTS && this.pointsRight(spot, atom, site);
      if (isFull) return [{ atom, distance, grant: 'granted' }];
      const isHalf = offer.full.has(spot.probe) || (offer.half.has(spot.probe) && distance <= GRANTS);
      return isHalf ? [{ atom, distance, grant: 'half granted' }] : [];
    });
    const best = graded.sort(
      (p, q) => Number(q.grant === 'granted') - Number(p.grant === 'granted') || p.distance - q.distance,
    )[0];
    if (!best) return { ...base, grant: 'not granted' };
    const strength = this.field(spot.probe).at(cartesianOf(s, [best.atom])[0]!);
    return { ...base, grant: best.grant, by: best.atom, distance: best.distance, strength };
  }

  /** A giver grants only where one of its hydrogens points at the atom that takes; others have no such direction. */
  private pointsRight(spot: HotSpot, atom: AtomRef, site: number): boolean {
    const wanted = spot.probe === 'donor' || spot.probe === 'charged donor';
    if (!wanted || !this.carriesHydrogen[site] || !spot.preference) return true;
    const { s } = this;
    const target = spot.preference.origin;
    const [x] = cartesianOf(s, [atom]) as [Vec3];
    const hydrogens = netsOf(s)
      .unitOf(atom)
      .filter((a) => isH(siteOf(s, a)!));
    return cartesianOf(s, hydrogens).some((h) => {
      const bond = subtract(h, x);
      if (norm(bond) > 1.25) return false;
      return dot(normalize(bond), normalize(subtract(target, x))) > Math.cos((POINTS_AT * Math.PI) / 180);
    });
  }

  /** Contacts of the looked-at molecule by the definitions that ship, each with what the field says of its place. */
  private judgedContacts(): JudgedContact[] {
    const { s } = this;
    const search = new ContactSearch(s);
    const kinds = new Set(['hydrogen bonds', 'carbon donors', 'halogen bonds', 'onto rings']);
    return SHIPPED.filter((d) => kinds.has(d.id))
      .flatMap((d) => search.find(d))
      .filter((c) => !c.inside)
      .flatMap((c) => [...this.seen(c, 'giver'), ...this.seen(c, 'taker')])
      .sort((p, q) => q.score - p.score);
  }

  /** A contact as it is seen from the molecule, if that holds its `own` end. */
  private seen(contact: Contact, own: 'giver' | 'taker'): JudgedContact[] {
    const { s, crystal, molecule } = this;
    const end = contact[own],
      far = contact[own === 'giver' ? 'taker' : 'giver'];
    const kind = crystal.kindOf(end);
    if (kind === undefined || kind !== crystal.kindOf(molecule.atoms[0]!)) return [];
    // Of a ring as the far end the middle is meant, which no probe stands for.
    if (own === 'giver' && contact.takerRing) return [];
    const group = s.spaceGroup;
    const home = crystal.placementAt(molecule.atoms[0]!);
    const by: Placement = composePlacements(group, home, invertPlacement(group, crystal.placementAt(end)));
    const other = moveRef(group, by, far);
    const probe = probeOf(s, this.roles, siteIndices(s).get(far.site)!, own === 'giver' ? 'taker' : 'giver');
    if (!probe) return [];
    const score = this.field(probe).at(cartesianOf(s, [other])[0]!);
    return [{ contact, other, probe, score, expected: score >= EXPECTED }];
  }
}

const RANK: Readonly<Record<Grant, number>> = { granted: 2, 'half granted': 1, 'not granted': 0 };

/**
 * Spots as they are judged; of those that one group would take round an axis or on all sides, as many as it can have partners, the
 * granted ones first.
 */
function placesTaken(spots: readonly HotSpot[], judge: (i: number) => Wish): Wish[] {
  const judged = spots.map((_, i) => judge(i));
  const kept = new Set(judged);
  const loose = new Map<Preference, Wish[]>();
  spots.forEach(({ preference }, i) => {
    if (!preference || preference.directions.kind === 'lobe') return;
    loose.set(preference, [...(loose.get(preference) ?? []), judged[i]!]);
  });
  for (const [preference, list] of loose) {
    const byProbe = new Map<Probe, Wish[]>();
    for (const w of list) byProbe.set(w.probe, [...(byProbe.get(w.probe) ?? []), w]);
    for (const same of byProbe.values()) {
      const inOrder = same.sort((p, q) => RANK[q.grant] - RANK[p.grant] || q.score - p.score);
      for (const w of inOrder.slice(preference.places)) kept.delete(w);
    }
  }
  return judged.filter((w) => kept.has(w));
}

/** Each place once, by the best that happens there; weighed by the root of the score. */
function servedShare(list: readonly Wish[]): number | undefined {
  const places: { at: Vec3; weight: number; grant: number }[] = [];
  for (const w of [...list].sort((p, q) => q.score - p.score)) {
    const grant = w.grant === 'granted' ? 1 : w.grant === 'half granted' ? 0.5 : 0;
    const place = places.find((p) => norm(subtract(p.at, w.at)) < ONE_PLACE);
    if (place) place.grant = Math.max(place.grant, grant);
    else places.push({ at: w.at, weight: Math.sqrt(w.score), grant });
  }
  const total = places.reduce((sum, p) => sum + p.weight, 0);
  return total ? places.reduce((sum, p) => sum + p.weight * p.grant, 0) / total : undefined;
}

/** Times chance from which a probe's surface is drawn, at a share of its best place; never what chance gives. */
export const levelAt = (w: Wishes | undefined, probe: Probe, share: number): number =>
  Math.max(1.5, share * Math.max(0, ...(w?.spots ?? []).filter((x) => x.probe === probe).map((x) => x.score)));
