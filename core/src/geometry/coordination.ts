/** What surrounds an atom: its neighbours up to the largest gap, their polyhedron, bond valences, and the rule of radii. */
import { originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import { fractionalDistance, metricTensor } from '../crystal/cell.ts';
import { elementOf, isHydrogen, isMetal } from '../crystal/elements.ts';
import { bondValence, coordinationOfRatio, ionicRadius, siteCharges } from '../crystal/ionic.ts';
import { neighbours as findNeighbours, type Neighbour } from '../crystal/neighbours.ts';
import { siteWeight, type Structure } from '../crystal/structure.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { neighbourRef } from './bonds.ts';
import { distance } from './figures.ts';
import { cartesianOf, measure } from './measure.ts';
import {
  angleVariance,
  effectiveCoordination,
  hullVolume,
  lengthDistortion,
  quadraticElongation,
} from './polyhedron.ts';
import { readShape, type ShapeReading } from './shape.ts';

export interface CoordinatedAtom {
  readonly atom: AtomRef;
  /** Å. */
  readonly distance: number;
  readonly su: number;
  /** Units of the elementary charge; undefined where no parameter is published. */
  readonly valence?: number;
}

export interface RadiusRatio {
  /** Å, at the coordination found. */
  readonly cation: number;
  readonly anion: number;
  readonly ratio: number;
  /**
   * Coordination that the rule allows this ion: of the smaller ion by the ratio, of the larger what its neighbours leave
   * when each of them has the number that the rule allows it (not always whole).
   */
  readonly predicted: number;
}

export interface Coordination {
  readonly site: number;
  readonly charge?: number;
  readonly neighbours: readonly CoordinatedAtom[];
  readonly effective: number;
  /** Nearest ideal polyhedron first. */
  readonly shapes: readonly ShapeReading[];
  /** Å³. */
  readonly volume: number;
  readonly distortion: number;
  readonly elongation?: number;
  /** Degrees². */
  readonly angleVariance?: number;
  readonly valenceSum?: number;
  readonly radiusRatio?: RadiusRatio;
  /** Å, ascending: all partners that were looked at, those beyond the cut too. */
  readonly distances: readonly number[];
  /** Å: where the neighbours end. */
  readonly cut: number;
  /** For each neighbour which of the different lengths it has, 0 the shortest. */
  readonly lengthClasses: readonly number[];
}

/** Å: lengths that differ by less are one, whatever their s.u. */
const SAME_LENGTH = 0.004;

/** Ascending lengths told apart where a step is beyond what is known of them. */
export function lengthClasses(lengths: readonly { readonly distance: number; readonly su: number }[]): number[] {
  let current = 0;
  return lengths.map((l, i) => {
    const before = lengths[i - 1];
    if (before && l.distance - before.distance > Math.max(SAME_LENGTH, 3 * Math.hypot(l.su, before.su))) current++;
    return current;
  });
}

/** Å: nothing further away is a neighbour; and no more of them than the densest packing has. */
const FURTHEST = 6,
  MOST = 12,
  /** Times the nearest distance. */
  SPREAD = 2.2;

/** Partners listed for the eye. */
const MOST_LISTED = 40;

/** Å: as far as a gap can lie where the nearest stands no further than its radii and some slack. */
const lookFor = (p: string, q: string): number =>
  Math.min(FURTHEST, Math.max(4, SPREAD * (elementOf(p).covalentRadius + elementOf(q).covalentRadius + 0.3)));

/** How far to look between sites of these elements, Å, each pair of elements worked out once. */
function reaches(elements: readonly string[]): { widest: number; of: (i: number, j: number) => number } {
  const kinds = [...new Set(elements)];
  const kindOf = elements.map((e) => kinds.indexOf(e));
  const table = kinds.map((p) => kinds.map((q) => lookFor(p, q)));
  return { widest: Math.max(0, ...table.flat()), of: (i, j) => table[kindOf[i]!]![kindOf[j]!]! };
}

/** Å: sites nearer than this share one place in the crystal, as ions that replace one another do. */
const SHARED = 0.1;

/** For each site the sites of its place, the most frequent first. */
export function sharedPlaces(s: Structure): number[][] {
  const metric = metricTensor(s.cell);
  const partial = s.sites.flatMap((x, i) => (x.occupancy < 1 ? [i] : []));
  return s.sites.map((x, i) => {
    if (x.occupancy >= 1) return [i];
    const here = partial.filter((j) => fractionalDistance(metric, x.position, s.sites[j]!.position) < SHARED);
    return here.sort((p, q) => s.sites[q]!.occupancy - s.sites[p]!.occupancy || p - q);
  });
}

/** How many of ascending distances stand before the largest relative gap; `beyond` is where the search ended. */
export function beforeGap(distances: readonly number[], beyond: number): number {
  let best = 0,
    count = 0;
  for (let i = 0; i < Math.min(distances.length, MOST); i++) {
    const gap = (distances[i + 1] ?? Math.max(beyond, distances[i]!)) / distances[i]!;
    if (gap <= best + 1e-6) continue;
    best = gap;
    count = i + 1;
  }
  return count;
}

/** Finds what surrounds the sites of one structure; what is the same for all of them is worked out once. */
export class Surroundings {
  readonly charges: readonly (number | undefined)[];
  private readonly places: readonly (readonly number[])[];
  private readonly near: readonly Neighbour[][];
  private readonly found = new Map<number, readonly Neighbour[]>();

  constructor(
    readonly s: Structure,
    private readonly covariance?: CovarianceData,
    /** Å by site id: neighbours end there instead of at the largest gap. */
    private readonly cuts: Readonly<Record<string, number>> = {},
  ) {
    this.charges = siteCharges(s);
    this.places = sharedPlaces(s);
    const near = s.sites.map((): Neighbour[] => []);
    const reach = reaches(s.sites.map((x) => x.element));
    const list = findNeighbours(
      s.cell,
      s.spaceGroup,
      s.sites.map((x) => x.position),
      { widest: reach.widest, of: (i, j) => (this.isPartner(i, j) ? reach.of(i, j) : 0) },
    );
    for (const n of list) if (n.distance > 0.5) near[n.from]!.push(n);
    this.near = near.map((all) => all.sort((p, q) => p.distance - q.distance));
  }

  /** Atoms that stand around another: of the opposite charge, or where charges are not known whatever is neither hydrogen nor metal. */
  private isPartner(centre: number, other: number): boolean {
    // Ions that replace one another are one neighbour.
    if (this.places[other]![0] !== other) return false;
    const a = this.s.sites[centre]!,
      b = this.s.sites[other]!;
    if (
      a.disorder &&
      b.disorder &&
      a.disorder.assembly === b.disorder.assembly &&
      a.disorder.group !== b.disorder.group
    )
      return false;
    const p = this.charges[centre],
      q = this.charges[other];
    if (p !== undefined && q !== undefined) return p * q < 0;
    return !isHydrogen(b.element) && isMetal(a.element) !== isMetal(b.element);
  }

  /** Sites that a table of coordinations begins with: cations, or the metals of a molecule. */
  centres(): number[] {
    return this.s.sites.flatMap((x, i) => {
      const q = this.charges[i];
      return (q !== undefined ? q > 0 && !isHydrogen(x.element) : isMetal(x.element)) ? [i] : [];
    });
  }

  anions(): number[] {
    return this.s.sites.flatMap((_, i) => ((this.charges[i] ?? 0) < 0 ? [i] : []));
  }

  /** Neighbours of a site up to the largest gap. */
  around(site: number): readonly Neighbour[] {
    const known = this.found.get(site);
    if (known) return known;
    const all = this.near[site]!;
    const reach = Math.min(FURTHEST, SPREAD * (all[0]?.distance ?? 0));
    const within = all.filter((n) => n.distance <= reach);
    const cut = this.cuts[this.s.sites[site]!.id];
    if (cut !== undefined) {
      const chosen = all.filter((n) => n.distance <= cut);
      this.found.set(site, chosen);
      return chosen;
    }
    const list = within.slice(
      0,
      beforeGap(
        within.map((n) => n.distance),
        reach,
      ),
    );
    this.found.set(site, list);
    return list;
  }

  read(site: number): Coordination {
    const { s, charges } = this;
    const list = this.around(site);
    const refs = list.map((n) => neighbourRef(s, n));
    const centre = originalRef(s.sites[site]!.id);
    const [at, ...points] = cartesianOf(s, [centre, ...refs]);
    const shapes = readShape(at!, points);
    const charge = charges[site];
    const rows = list.map((n, i): CoordinatedAtom => {
      const { value, su } = measure(s, [centre, refs[i]!], distance, this.covariance);
      const valence = this.valence(site, n);
      return { atom: refs[i]!, distance: value, su, ...(valence === undefined ? {} : { valence }) };
    });
    const lengths = rows.map((r) => r.distance);
    const name = shapes[0]?.name ?? '';
    const volume = points.length > 3 ? hullVolume(points) : 0;
    const elongation = quadraticElongation(at!, points, name, volume),
      variance = angleVariance(at!, points, name);
    const ratio = this.radiusRatio(site);
    const sum = this.valenceSum(site);
    return {
      site,
      ...(charge === undefined ? {} : { charge }),
      neighbours: rows,
      effective: lengths.length ? effectiveCoordination(lengths) : 0,
      shapes,
      volume,
      distortion: lengths.length ? lengthDistortion(lengths) : 0,
      ...(elongation === undefined ? {} : { elongation }),
      ...(variance === undefined ? {} : { angleVariance: variance }),
      ...(sum === undefined ? {} : { valenceSum: sum }),
      ...(ratio ? { radiusRatio: ratio } : {}),
      distances: this.near[site]!.map((n) => n.distance).slice(0, MOST_LISTED),
      cut: this.cutOf(site),
      lengthClasses: lengthClasses(rows),
    };
  }

  /** In the middle of the gap that the neighbours end at, or where it was put. */
  private cutOf(site: number): number {
    const own = this.cuts[this.s.sites[site]!.id];
    if (own !== undefined) return own;
    const all = this.near[site]!,
      count = this.around(site).length;
    const last = all[count - 1]?.distance ?? 0;
    return Math.min((last + (all[count]?.distance ?? Infinity)) / 2, last + 0.4);
  }

  /** Of one bond; where ions replace one another at its end the mean of what they bring. */
  private valence(centre: number, n: Neighbour): number | undefined {
    const { s } = this;
    let sum = 0,
      shares = 0;
    for (const other of this.places[n.to]!) {
      const one = this.valenceWith(centre, other, n.distance);
      if (one === undefined) return undefined;
      sum += one * s.sites[other]!.occupancy;
      shares += s.sites[other]!.occupancy;
    }
    return sum / shares;
  }

  private valenceWith(a: number, b: number, length: number): number | undefined {
    const { s, charges } = this;
    const [cation, anion] = (charges[a] ?? 0) > 0 ? [a, b] : [b, a];
    const charge = charges[cation];
    return charge === undefined
      ? undefined
      : bondValence(s.sites[cation]!.element, charge, s.sites[anion]!.element, length);
  }

  /** Of all bonds of a site, each as often as its end is there; undefined where one has no parameter. */
  valenceSum(site: number): number | undefined {
    const list = this.around(site);
    if (!list.length) return undefined;
    let sum = 0;
    for (const n of list) {
      const one = this.valence(site, n);
      if (one === undefined) return undefined;
      sum += one * this.places[n.to]!.reduce((t, i) => t + this.s.sites[i]!.occupancy, 0);
    }
    return sum;
  }

  /** Radii at the coordinations found, of a centre and the nearest of its neighbours, Å. */
  private radii(site: number): { cation: number; anion: number; ratio: number; smaller: boolean } | undefined {
    const { s, charges } = this;
    const nearest = this.around(site)[0];
    if (!nearest) return undefined;
    const positive = (charges[site] ?? 0) > 0;
    const radius = (i: number): number | undefined =>
      charges[i] === undefined ? undefined : ionicRadius(s.sites[i]!.element, charges[i]!, this.around(i).length);
    const own = radius(site),
      other = radius(nearest.to);
    const [cation, anion] = positive ? [own, other] : [other, own];
    if (cation === undefined || anion === undefined || !(anion > 0)) return undefined;
    return { cation, anion, ratio: cation / anion, smaller: positive === cation <= anion };
  }

  /** The number that the rule allows the smaller of two ions; undefined for the larger one. */
  private allowed(site: number): number | undefined {
    const r = this.radii(site);
    return r?.smaller ? coordinationOfRatio(Math.min(r.ratio, 1 / r.ratio)) : undefined;
  }

  private radiusRatio(site: number): RadiusRatio | undefined {
    const r = this.radii(site);
    if (!r) return undefined;
    const { cation, anion, ratio } = r;
    // Every contact is one of those that the neighbour has; they grow or shrink with its number.
    const left = this.around(site).reduce((sum, { to }) => {
      const allowed = this.allowed(to);
      return sum + (allowed === undefined ? 1 : allowed / this.around(to).length);
    }, 0);
    return { cation, anion, ratio, predicted: this.allowed(site) ?? Math.round(1e9 * left) / 1e9 };
  }

  /**
   * Root mean square of valence sum less charge over all ions of the cell (Salinas-Sanchez et al. 1992, J. Solid State Chem.
   * 100, 201); undefined where a sum is not known.
   */
  globalInstability(): number | undefined {
    const { s, charges } = this;
    let square = 0,
      ions = 0;
    for (const [i, x] of s.sites.entries()) {
      const q = charges[i],
        sum = this.valenceSum(i);
      if (q === undefined || sum === undefined) return undefined;
      const count = siteWeight(s, x);
      square += count * (sum - Math.abs(q)) ** 2;
      ions += count;
    }
    return ions ? Math.sqrt(square / ions) : undefined;
  }
}
