/** Every contact of a crystal that a definition names, with its lengths, angles and s.u. */
import {
  moveRef,
  originalRef,
  refKey,
  siteIndices,
  invertPlacement,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { bondValence } from '../crystal/ionic.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { angle, betweenFigure, distance } from '../geometry/figures.ts';
import { cartesianOf, measure } from '../geometry/measure.ts';
import { netsOf } from '../geometry/nets.ts';
import { meets } from '../geometry/parents.ts';
import { apply3, dot, inverse3, norm, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import type { Definition, LengthLimit } from './definition.ts';
import { contactRadii, planeOf, Roles } from './roles.ts';

export interface Contact {
  /** Of the definition. */
  readonly definition: string;
  /** Where the model holds it; of a ring its first atom. */
  readonly giver: AtomRef;
  readonly hydrogen?: AtomRef;
  readonly taker: AtomRef;
  /** All atoms, where the end is a ring. */
  readonly giverRing?: readonly AtomRef[];
  readonly takerRing?: readonly AtomRef[];
  /** Å */
  readonly dh?: Measured;
  readonly ha?: Measured;
  readonly da: Measured;
  /** Degrees at the hydrogen, or between the giver's bond and the contact. */
  readonly angle?: Measured;
  /** Inside one molecule. */
  readonly inside: boolean;
  /** Bonds between giver and taker there. */
  readonly bondsBetween?: number;
  /** Degrees between the contact and the taker's bond, and out of the plane of the taker's bonds; of rings between their planes. */
  readonly atTaker?: number;
  readonly outOfPlane?: number;
  /** Valence units that the taker takes from the hydrogen. */
  readonly valence?: number;
  /** Told from heavy atoms alone: no hydrogen is in the model. */
  readonly likely: boolean;
}

/** Bonds looked through inside a molecule. */
const FURTHEST_BONDS = 12;
/** Degrees that a likely contact makes with the bonds of either end. */
const LIKELY_ANGLES = [85, 150] as const;
/** Å: heavy atoms of a likely hydrogen bond. */
const LIKELY = { from: 2.4, to: 3.1 } as const;
/** Roles that carry a hydrogen even where none was located. */
const MUST_CARRY: ReadonlySet<string> = new Set(['water', 'hydroxyl', 'amide', 'amine', 'ammonium']);

const reachOf = (limit: LengthLimit, p: string, q: string): number =>
  limit.by === 'length' ? limit.to : contactRadii(p, q) + limit.beyond;
const holds = (limit: LengthLimit | undefined, p: string, q: string, d: number): boolean =>
  !limit || (d <= reachOf(limit, p, q) + 1e-9 && (limit.by === 'radii' || d >= limit.from - 1e-9));

/** What is looked up of a structure again and again, worked out once for all definitions. */
export class ContactSearch {
  readonly roles: Roles;
  private readonly bySite: readonly (readonly Neighbour[])[];
  private readonly index: ReadonlyMap<string, number>;
  private readonly nets;
  private readonly m;
  private readonly elements: readonly string[];

  constructor(
    readonly s: Structure,
    private readonly covariance?: CovarianceData,
  ) {
    this.roles = new Roles(s);
    this.bySite = bondsBySite(s, bonds(s));
    this.index = siteIndices(s);
    this.nets = netsOf(s);
    this.m = orthogonalization(s.cell);
    this.elements = s.sites.map((x) => x.element);
  }

  /** Every contact of a definition that starts in the model, in the order of the sites. */
  find(d: Definition): Contact[] {
    switch (d.kind) {
      case 'hydrogen':
        return [...this.overHydrogens(d), ...(d.hydrogens === 'asked for' ? [] : this.likely(d))];
      case 'sigma':
        return this.alongBonds(d);
      case 'close':
        return this.closePairs(d);
      case 'face':
        return this.ontoFaces(d);
      case 'rings':
        return this.ofRings(d);
    }
  }

  private near(widest: number, of: (i: number, j: number) => number): Neighbour[] {
    const { s } = this;
    return neighbours(
      s.cell,
      s.spaceGroup,
      s.sites.map((x) => x.position),
      { widest, of },
    );
  }

  /** The largest reach of a limit over all pairs of elements that are there. */
  private widest(limit: LengthLimit, from?: string): number {
    const kinds = [...new Set(this.elements)];
    return Math.max(0, ...(from ? [from] : kinds).flatMap((p) => kinds.map((q) => reachOf(limit, p, q))));
  }

  /** Undefined where the contact is not wanted; else whether it lies inside a molecule, and how many bonds lie between. */
  private standing(
    d: Definition,
    giver: AtomRef,
    taker: AtomRef,
  ): { inside: boolean; bondsBetween?: number } | undefined {
    const inside = this.nets.nameOf(giver) === this.nets.nameOf(taker);
    if (!inside) return d.where === 'inside' ? undefined : { inside };
    if (d.where === 'between') return undefined;
    const bondsBetween = this.bondsBetween(giver, taker);
    if (bondsBetween === undefined) return { inside };
    return bondsBetween < d.leastBonds ? undefined : { inside, bondsBetween };
  }

  /** The shortest way from atom to atom along bonds, in bonds; undefined beyond twelve. */
  bondsBetween(from: AtomRef, to: AtomRef): number | undefined {
    const goal = refKey(to);
    const seen = new Set([refKey(from)]);
    let front = [from];
    for (let steps = 0; steps <= FURTHEST_BONDS; steps++) {
      if (front.some((a) => refKey(a) === goal)) return steps;
      const next: AtomRef[] = [];
      for (const a of front)
        for (const b of this.bySite[this.index.get(a.site)!]!) {
          const found = neighbourRef(this.s, b, a);
          const key = refKey(found);
          if (seen.has(key)) continue;
          seen.add(key);
          next.push(found);
        }
      front = next;
    }
    return undefined;
  }

  private meets(i: number, j: number): boolean {
    return meets(this.s.sites[i]!.disorder, this.s.sites[j]!.disorder);
  }

  private overHydrogens(d: Definition): Contact[] {
    const { s, roles } = this;
    const parents = new Map<number, Neighbour>();
    s.sites.forEach((x, i) => {
      const parent = isHydrogen(x.element) ? this.bySite[i]![0] : undefined;
      if (parent && roles.isOneOf(parent.to, d.givers)) parents.set(i, parent);
    });
    const takers = s.sites.map((_, j) => roles.isOneOf(j, d.takers));
    const limit = d.near ?? { by: 'length', from: 0, to: 3 };
    const list = this.near(this.widest(limit, 'H'), (i, j) =>
      parents.has(i) && takers[j] && this.meets(i, j) ? reachOf(limit, 'H', this.elements[j]!) : 0,
    );
    return list.flatMap((n): Contact[] => {
      const parent = parents.get(n.from)!;
      const [giver, hydrogen, taker] = [neighbourRef(s, parent), originalRef(s.sites[n.from]!.id), neighbourRef(s, n)];
      if (refKey(giver) === refKey(taker) || !holds(limit, 'H', this.elements[n.to]!, n.distance)) return [];
      const bent = measure(s, [giver, hydrogen, taker], angle, this.covariance);
      if (bent.value < d.leastAngle) return [];
      const da = measure(s, [giver, taker], distance, this.covariance);
      if (!holds(d.far, this.elements[parent.to]!, this.elements[n.to]!, da.value)) return [];
      const standing = this.standing(d, giver, taker);
      if (!standing) return [];
      const ha = measure(s, [hydrogen, taker], distance, this.covariance);
      const valence = bondValence('H', 1, this.elements[n.to]!, ha.value);
      return [
        {
          definition: d.id,
          giver,
          hydrogen,
          taker,
          dh: measure(s, [giver, hydrogen], distance, this.covariance),
          ha,
          da,
          angle: bent,
          ...standing,
          ...this.directness(hydrogen, taker),
          ...(valence === undefined ? {} : { valence }),
          likely: false,
        },
      ];
    });
  }

  /** Givers that must carry a hydrogen of which none is in the model. */
  private likely(d: Definition): Contact[] {
    const { s, roles } = this;
    const bare = (i: number): boolean => !this.bySite[i]!.some((n) => isHydrogen(this.elements[n.to]!));
    const givers = s.sites.map(
      (_, i) =>
        roles.isOneOf(i, d.givers) && MUST_CARRY.has(roles.of(i) ?? '') && bare(i) && !isHydrogen(this.elements[i]!),
    );
    if (!givers.includes(true)) return [];
    const takers = s.sites.map((_, j) => roles.isOneOf(j, d.takers));
    const list = this.near(LIKELY.to, (i, j) => (givers[i] && takers[j] && this.meets(i, j) ? LIKELY.to : 0));
    return list.flatMap((n): Contact[] => {
      if (n.distance < LIKELY.from) return [];
      const [giver, taker] = [originalRef(s.sites[n.from]!.id), neighbourRef(s, n)];
      // Both may give: it is told once.
      if (givers[n.to] && takers[n.from] && this.isLater(n)) return [];
      if (!this.isDirected(giver, taker) || !this.isDirected(taker, giver)) return [];
      const standing = this.standing(d, giver, taker);
      if (!standing) return [];
      const da = measure(s, [giver, taker], distance, this.covariance);
      return [{ definition: d.id, giver, taker, da, ...standing, ...this.directness(giver, taker), likely: true }];
    });
  }

  /** Of a pair seen from either side, the second one. */
  private isLater(n: Neighbour): boolean {
    if (n.from !== n.to) return n.from > n.to;
    const back = invertPlacement(this.s.spaceGroup, n);
    return placementKey(back) < placementKey(n);
  }

  /** Whether every bond of an atom stands as far from the contact as lone pairs and hydrogens do. */
  private isDirected(at: AtomRef, towards: AtomRef): boolean {
    return this.bonded(at).every((b) => {
      const [p, q, r] = cartesianOf(this.s, [b, at, towards]) as [Vec3, Vec3, Vec3];
      const bent = degreesBetween(subtract(p, q), subtract(r, q));
      return bent >= LIKELY_ANGLES[0] && bent <= LIKELY_ANGLES[1];
    });
  }

  private bonded(a: AtomRef): AtomRef[] {
    return this.bySite[this.index.get(a.site)!]!.map((b) => neighbourRef(this.s, b, a));
  }

  /** How the contact meets the taker: along its lone pairs, or from the side. */
  private directness(from: AtomRef, taker: AtomRef): { atTaker?: number; outOfPlane?: number } {
    const near = this.bonded(taker).filter((b) => !isHydrogen(this.elements[this.index.get(b.site)!]!));
    const first = near[0];
    if (!first) return {};
    const [x, t, p] = cartesianOf(this.s, [from, taker, first]) as [Vec3, Vec3, Vec3];
    const along = subtract(x, t);
    const atTaker = degreesBetween(along, subtract(p, t));
    const plane = this.planeAt(taker, first, near);
    if (!plane) return { atTaker };
    const sine = Math.abs(dot(normalize(along), plane));
    return { atTaker, outOfPlane: (Math.asin(Math.min(1, sine)) * 180) / Math.PI };
  }

  /** The plane of a taker's bonds; of an end atom that of its neighbour's. */
  private planeAt(taker: AtomRef, first: AtomRef, near: readonly AtomRef[]): Vec3 | undefined {
    const members = near.length > 1 ? [taker, ...near] : [taker, first, ...this.bonded(first)];
    const distinct = [...new Map(members.map((a) => [refKey(a), a])).values()];
    return distinct.length > 2 ? planeOf(cartesianOf(this.s, distinct)).normal : undefined;
  }

  /** Pairs of a giver and a taker within the limit of their distance. */
  private pairs(d: Definition): { n: Neighbour; giver: AtomRef; taker: AtomRef; returned: boolean }[] {
    const { s, roles, elements } = this;
    const givers = s.sites.map((_, i) => roles.isOneOf(i, d.givers));
    const takers = s.sites.map((_, j) => roles.isOneOf(j, d.takers));
    const limit = d.far ?? { by: 'radii', beyond: 0 };
    return this.near(this.widest(limit), (i, j) =>
      givers[i] && takers[j] && this.meets(i, j) ? reachOf(limit, elements[i]!, elements[j]!) : 0,
    )
      .filter((n) => holds(limit, elements[n.from]!, elements[n.to]!, n.distance))
      .map((n) => ({
        n,
        giver: originalRef(s.sites[n.from]!.id),
        taker: neighbourRef(s, n),
        returned: !!givers[n.to] && !!takers[n.from],
      }));
  }

  private alongBonds(d: Definition): Contact[] {
    const { s } = this;
    return this.pairs(d).flatMap(({ giver, taker }): Contact[] => {
      const straightest = this.bonded(giver)
        .map((b) => measure(s, [b, giver, taker], angle, this.covariance))
        .sort((p, q) => q.value - p.value)[0];
      if (!straightest || straightest.value < d.leastAngle) return [];
      const standing = this.standing(d, giver, taker);
      if (!standing) return [];
      const da = measure(s, [giver, taker], distance, this.covariance);
      const met = this.directness(giver, taker);
      return [{ definition: d.id, giver, taker, da, angle: straightest, ...standing, ...met, likely: false }];
    });
  }

  private closePairs(d: Definition): Contact[] {
    return this.pairs(d).flatMap(({ n, giver, taker, returned }): Contact[] => {
      if (returned && this.isLater(n)) return [];
      const standing = this.standing(d, giver, taker);
      if (!standing) return [];
      const da = measure(this.s, [giver, taker], distance, this.covariance);
      return [{ definition: d.id, giver, taker, da, ...standing, likely: false }];
    });
  }

  /** Middles of the flat rings, fractional, each where its first atom stands in the model. */
  private middles(): Vec3[] {
    const back = inverse3(this.m);
    return this.roles.flat.map((r) => apply3(back, planeOf(cartesianOf(this.s, r.atoms)).middle));
  }

  /** From points (sites or middles of rings) to middles of rings. */
  private toRings(from: readonly Vec3[], wanted: (i: number) => boolean, reach: number): Neighbour[] {
    const { s } = this;
    const middles = this.middles();
    return neighbours(s.cell, s.spaceGroup, [...from, ...middles], {
      widest: reach,
      of: (i, j) => (i < from.length && wanted(i) && j >= from.length ? reach : 0),
    }).map((n) => ({ ...n, to: n.to - from.length }));
  }

  private ringAt(n: Neighbour): AtomRef[] {
    return this.roles.flat[n.to]!.atoms.map((a) => moveRef(this.s.spaceGroup, n, a));
  }

  private ontoFaces(d: Definition): Contact[] {
    const { s, roles } = this;
    const limit = d.near ?? d.far ?? { by: 'length', from: 2, to: 4 };
    const reach = limit.by === 'length' ? limit.to : 4;
    const over = (i: number): Neighbour | undefined =>
      d.near && isHydrogen(this.elements[i]!) ? this.bySite[i]![0] : undefined;
    const wanted = (i: number): boolean =>
      d.near ? !!over(i) && roles.isOneOf(over(i)!.to, d.givers) : roles.isOneOf(i, d.givers);
    const sites = s.sites.map((x) => x.position);
    return this.toRings(sites, wanted, reach).flatMap((n): Contact[] => {
      if (limit.by === 'length' && n.distance < limit.from) return [];
      const ring = this.ringAt(n);
      const point = originalRef(s.sites[n.from]!.id);
      const parent = over(n.from);
      const giver = parent ? neighbourRef(s, parent) : point;
      const standing = this.standing(d, giver, ring[0]!);
      if (!standing || ring.some((a) => refKey(a) === refKey(giver))) return [];
      const toMiddle = (a: AtomRef): Measured =>
        measure(s, [a, ...ring], betweenFigure('point', 1, 'point'), this.covariance);
      const [h, g] = cartesianOf(s, [point, giver]) as [Vec3, Vec3];
      const { middle, normal } = planeOf(cartesianOf(s, ring));
      const bent = parent ? degreesBetween(subtract(g, h), subtract(middle, h)) : undefined;
      if (bent !== undefined && bent < d.leastAngle) return [];
      const lean = Math.abs(dot(normalize(subtract(h, middle)), normal));
      return [
        {
          definition: d.id,
          giver,
          ...(parent ? { hydrogen: point, ha: toMiddle(point), angle: { value: bent!, su: 0 } } : {}),
          taker: ring[0]!,
          takerRing: ring,
          da: toMiddle(giver),
          ...standing,
          outOfPlane: (Math.asin(Math.min(1, lean)) * 180) / Math.PI,
          likely: false,
        },
      ];
    });
  }

  private ofRings(d: Definition): Contact[] {
    const { s } = this;
    const limit = d.far ?? { by: 'length', from: 3, to: 4.2 };
    const reach = limit.by === 'length' ? limit.to : 4.2;
    return this.toRings(this.middles(), () => true, reach).flatMap((n): Contact[] => {
      if ((limit.by === 'length' && n.distance < limit.from) || this.isLater(n)) return [];
      const first = this.roles.flat[n.from]!.atoms,
        second = this.ringAt(n);
      const standing = this.standing(d, first[0]!, second[0]!);
      if (!standing) return [];
      const figure = betweenFigure('point', first.length, 'point');
      const [p, q] = [planeOf(cartesianOf(s, first)), planeOf(cartesianOf(s, second))];
      const tilt = degreesBetween(p.normal, q.normal);
      return [
        {
          definition: d.id,
          giver: first[0]!,
          giverRing: first,
          taker: second[0]!,
          takerRing: second,
          da: measure(s, [...first, ...second], figure, this.covariance),
          ...standing,
          atTaker: Math.min(tilt, 180 - tilt),
          outOfPlane:
            (Math.asin(Math.min(1, Math.abs(dot(normalize(subtract(q.middle, p.middle)), p.normal)))) * 180) / Math.PI,
          likely: false,
        },
      ];
    });
  }

  /** Givers that carry a hydrogen which goes nowhere, and takers that take none, by definition. */
  unused(d: Definition, found: readonly Contact[]): { givers: number[]; takers: number[] } {
    const { s, roles } = this;
    const gave = new Set(found.map((c) => c.giver.site));
    const took = new Set(found.map((c) => c.taker.site));
    const carries = (i: number): boolean => this.bySite[i]!.some((n) => isHydrogen(this.elements[n.to]!));
    const able = (i: number): boolean =>
      d.kind === 'hydrogen' ? carries(i) || MUST_CARRY.has(roles.of(i) ?? '') : true;
    const indices = s.sites.map((_, i) => i).filter((i) => !isHydrogen(this.elements[i]!));
    return {
      givers: indices.filter((i) => roles.isOneOf(i, d.givers) && able(i) && !gave.has(s.sites[i]!.id)),
      takers: indices.filter((i) => roles.isOneOf(i, d.takers) && !took.has(s.sites[i]!.id)),
    };
  }
}

const placementKey = (p: Placement): string => `${p.operator}|${p.shift.join()}`;

const degreesBetween = (a: Vec3, b: Vec3): number =>
  (Math.acos(Math.max(-1, Math.min(1, dot(a, b) / ((norm(a) || 1) * (norm(b) || 1))))) * 180) / Math.PI;

/** Hydrogens that go to two takers or more: their contacts, by the hydrogen. */
export function bifurcated(list: readonly Contact[]): Contact[][] {
  const byHydrogen = new Map<string, Contact[]>();
  for (const c of list) {
    if (!c.hydrogen) continue;
    const key = refKey(c.hydrogen);
    byHydrogen.set(key, [...(byHydrogen.get(key) ?? []), c]);
  }
  return [...byHydrogen.values()].filter((l) => l.length > 1);
}
