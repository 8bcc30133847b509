/**
 * Ordered models of a crystal whose sites are shared or partly empty: every arrangement of whole atoms in a cell that symmetry
 * does not make of another, ranked by the electrostatic energy of their charges.
 */
import { positionOf, symmetryTable } from '../crystal/atom-ref.ts';
import { cartesianAxes, metricTensor, orthogonalization } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import { atomsOfExtent } from '../draw/extent.ts';
import { sharedPlaces } from '../geometry/coordination.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import { add, apply3, inverse3, multiply3, scale, subtract, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { energyOf, ewaldMatrix } from '../math/ewald.ts';
import { sublattices } from './shaped-cell.ts';
import { cosets, hiddenTranslations, namedCell, supercell } from './supercell.ts';
import { intoCell, separation, withOwnLabels } from './whole-cell.ts';

export interface OrderedModel {
  readonly structure: Structure;
  /** Of how many of all arrangements symmetry makes this one. */
  readonly multiplicity: number;
  /** eV a cell; undefined where charges are not known or do not balance. */
  readonly energy?: number;
}

export interface Arrangements {
  /** All arrangements of the cell, before symmetry. */
  readonly total: number;
  /** Lowest energy first. */
  readonly models: readonly OrderedModel[];
}

/** Places that the same sites share, and how many of each atom (the last kind: nobody) they take. */
interface SharedOrbit {
  readonly sites: readonly Site[];
  /** Fractional, in the new cell. */
  readonly places: readonly Vec3[];
  /** As many as there are sites, and then the empty places. */
  readonly counts: readonly number[];
}

/** Arrangements beyond this many are counted, not made. */
export const MOST_ARRANGEMENTS = 100_000;
/** Models that are ranked: each costs an Ewald sum. */
const MOST_MODELS = 500;
/** Part of an atom by which a count may miss a whole number. */
const WHOLE = 0.03;

/** Sites that are shared or partly empty, each set of them once. */
export function sharedSets(s: Structure): number[][] {
  const seen = new Set<number>();
  return sharedPlaces(s).flatMap((group, i) => {
    if (seen.has(i) || (group.length === 1 && s.sites[i]!.occupancy > 0.999)) return [];
    for (const j of group) seen.add(j);
    return [group];
  });
}

function orbitsOf(s: Structure, p: Mat3): SharedOrbit[] {
  const back = inverse3(p);
  const shifts = cosets(p);
  const all = atomsOfExtent(s, { kind: 'cell' });
  return sharedSets(s).map((group): SharedOrbit => {
    const first = s.sites[group[0]!]!;
    const here = all.filter((a) => a.site === first.id).map((a) => positionOf(s, a));
    const places = here.flatMap((x) => shifts.map((n) => toVec3(apply3(back, add(x, n)).map(intoCell))));
    const sites = group.map((i) => s.sites[i]!);
    const exact = sites.map((x) => x.occupancy * places.length);
    const wrong = exact.findIndex((n) => Math.abs(n - Math.round(n)) > WHOLE * Math.max(1, Math.sqrt(places.length)));
    if (wrong >= 0)
      throw new RangeError(
        `${sites[wrong]!.label} fills ${exact[wrong]!.toFixed(2)} of ${places.length} places of this cell, which is no whole number. Take a larger cell, or another occupancy.`,
      );
    const counts = exact.map(Math.round);
    const left = places.length - counts.reduce((a, b) => a + b, 0);
    if (left < 0)
      throw new RangeError(`More atoms than places: the occupancies at ${first.label} add up to more than one.`);
    return { sites, places, counts: [...counts, left] };
  });
}

/** n! / Π kᵢ!, in floating point. */
function multinomial(counts: readonly number[]): number {
  let out = 1,
    n = 0;
  for (const k of counts) for (let i = 1; i <= k; i++) out = (out * ++n) / i;
  return Math.round(out);
}

const combinations = (orbits: readonly SharedOrbit[]): number => orbits.reduce((n, o) => n * multinomial(o.counts), 1);

/** How many arrangements a cell has, before symmetry. Throws RangeError where the atoms do not come out whole. */
export const countArrangements = (s: Structure, p: Mat3): number => combinations(orbitsOf(s, p));

/** What every operation of the crystal that keeps the new lattice does to the shared places, each permutation once. */
function permutations(s: Structure, p: Mat3, places: readonly Vec3[]): Int32Array[] {
  const back = inverse3(p);
  const metric = metricTensor(supercell({ ...s, sites: s.sites.slice(0, 1) }, p).structure.cell);
  const shifts = cosets(p);
  const found = new Map<string, Int32Array>();
  for (const o of symmetryTable(s.spaceGroup).operators) {
    const turned = multiply3(back, multiply3(o.r, p));
    // Others would carry the cell onto a different one.
    if (turned.some((x) => Math.abs(x - Math.round(x)) > 1e-6)) continue;
    for (const n of shifts) {
      const t = apply3(back, add(o.t, n));
      const images = places.map((x) => add(apply3(turned, x), t));
      const order = Int32Array.from(images, (x) => places.findIndex((y) => separation(metric, x, y) < 0.05));
      if (!order.includes(-1)) found.set(order.join(), order);
    }
  }
  return [...found.values()];
}

/** Every way to put so many of each kind on the places of an orbit, as kinds by place. */
function* fillings(counts: readonly number[]): Generator<number[]> {
  const left = [...counts];
  const n = left.reduce((a, b) => a + b, 0);
  const out: number[] = [];
  function* next(): Generator<number[]> {
    if (out.length === n) {
      yield [...out];
      return;
    }
    for (let kind = 0; kind < left.length; kind++) {
      if (!left[kind]) continue;
      left[kind]!--;
      out.push(kind);
      yield* next();
      out.pop();
      left[kind]!++;
    }
  }
  yield* next();
}

/** All fillings of all orbits, one after another in one list. */
function* joint(orbits: readonly SharedOrbit[]): Generator<number[]> {
  const [first, ...rest] = orbits;
  if (!first) {
    yield [];
    return;
  }
  for (const filling of fillings(first.counts)) for (const others of joint(rest)) yield [...filling, ...others];
}

/** Arrangements that symmetry does not make of one another, with how many each stands for. */
export function distinctArrangements(
  all: Iterable<readonly number[]>,
  orders: readonly Int32Array[],
): { kinds: readonly number[]; multiplicity: number }[] {
  const seen = new Set<string>();
  const out: { kinds: readonly number[]; multiplicity: number }[] = [];
  for (const kinds of all) {
    if (seen.has(String.fromCharCode(...kinds))) continue;
    const before = seen.size;
    for (const order of orders) {
      const image = new Array<number>(kinds.length);
      order.forEach((to, from) => (image[to] = kinds[from]!));
      seen.add(String.fromCharCode(...image));
    }
    out.push({ kinds, multiplicity: seen.size - before });
  }
  return out;
}

/**
 * Every distinct arrangement of whole atoms in the cell whose axes are the columns of `p`, ranked. Throws RangeError where the
 * crystal has nothing to order, where the atoms do not come out whole, or where there are too many.
 */
export function orderedModels(s: Structure, p: Mat3): Arrangements {
  const orbits = orbitsOf(s, p);
  if (!orbits.length) throw new RangeError('Every site is full and none is shared: there is nothing to order.');
  const total = combinations(orbits);
  if (total > MOST_ARRANGEMENTS)
    throw new RangeError(
      `This cell has ${total.toLocaleString('en')} arrangements, more than ${MOST_ARRANGEMENTS.toLocaleString('en')}. Take a smaller one.`,
    );
  const places = orbits.flatMap((o) => o.places);
  const distinct = distinctArrangements(joint(orbits), permutations(s, p, places));
  if (distinct.length > MOST_MODELS)
    throw new RangeError(
      `${distinct.length} of ${total} arrangements are distinct, more than can be ranked (${MOST_MODELS}). Take a smaller cell.`,
    );
  const frame = frameOf(s, p);
  const energyOfModel = rankedBy(frame, orbits, distinct[0]!.kinds);
  const models = distinct.map(({ kinds, multiplicity }): OrderedModel => {
    const structure = { ...frame, sites: withOwnLabels([...frame.sites, ...atomsOf(orbits, kinds)]) };
    const energy = energyOfModel?.(kinds);
    return { structure, multiplicity, ...(energy === undefined ? {} : { energy }) };
  });
  return { total, models: models.sort((a, b) => (a.energy ?? 0) - (b.energy ?? 0)) };
}

/** A sublattice in axes that tell it from others: echelon form of its columns. */
function latticeKey(p: Mat3): string {
  const lattice = new IntegerLattice();
  for (const j of [0, 1, 2]) lattice.add(toVec3([p[j]!, p[3 + j]!, p[6 + j]!].map(Math.round)));
  const [a, b, c] = lattice.basis as [Vec3, Vec3, Vec3];
  // Echelon rows are one lattice's only when what stands above a leading entry is reduced by it.
  const over = (v: Vec3, w: Vec3, k: 1 | 2): Vec3 => subtract(v, scale(w, Math.floor(v[k] / w[k])));
  const second = over(b, c, 2);
  return [over(over(a, second, 1), c, 2), second, c].join('|');
}

/** Cells of an index that no operation of the crystal makes of one another, columns in terms of its axes. */
export function distinctCells(s: Structure, index: number): Mat3[] {
  const seen = new Set<string>();
  return [...sublattices(index)].filter((h) => {
    if (seen.has(latticeKey(h))) return false;
    for (const r of rotationsOf(s.spaceGroup)) seen.add(latticeKey(multiply3(r, h)));
    return true;
  });
}

/** A model and the cell that it stands in. */
export interface SizedModel extends OrderedModel {
  /** Primitive cells. */
  readonly cells: number;
}

/**
 * Every distinct arrangement in any cell of up to so many primitive ones, each in the smallest cell it repeats with, by energy
 * a primitive cell. Throws RangeError where nothing can be ordered in any of them, or where there are too many.
 */
export function orderedUpTo(s: Structure, most: number): { total: number; models: readonly SizedModel[] } {
  const { structure: primitive } = namedCell(s, 'primitive');
  const models: SizedModel[] = [];
  let total = 0;
  let refusal: Error | undefined;
  for (let cells = 1; cells <= most; cells++)
    for (const h of distinctCells(primitive, cells)) {
      try {
        const found = orderedModels(primitive, h);
        total += found.total;
        // What repeats in a smaller cell was met there.
        for (const m of found.models) if (!hiddenTranslations(m.structure).length) models.push({ ...m, cells });
        if (models.length > MOST_MODELS)
          throw new RangeError(`There are more than ${MOST_MODELS} distinct arrangements. Allow fewer cells.`);
      } catch (e) {
        if (models.length > MOST_MODELS) throw e;
        refusal ??= e as Error;
      }
    }
  if (!models.length) throw refusal ?? new RangeError('There is nothing to order.');
  const height = (m: SizedModel): number => (m.energy ?? 0) / m.cells;
  return { total, models: models.sort((a, b) => height(a) - height(b)) };
}

/**
 * Energy of any model, eV: all of them stand on the same places, so that what place does to place is summed up once. Undefined
 * where charges are not known or do not balance.
 */
function rankedBy(
  frame: Structure,
  orbits: readonly SharedOrbit[],
  first: readonly number[],
): ((kinds: readonly number[]) => number) | undefined {
  const atoms = atomsOf(orbits, first);
  const known = siteCharges({ ...frame, sites: [...frame.sites, ...atoms] });
  const byElement = new Map(atoms.map((x, i) => [x.element, known[frame.sites.length + i]]));
  const own = frame.sites.map((_, i) => known[i]);
  const placed = orbits.map((o) => o.sites.map((x) => x.charge ?? byElement.get(x.element)));
  if ([...own, ...placed.flat()].includes(undefined)) return undefined;
  const chargesOf = (kinds: readonly number[]): number[] => {
    let at = 0;
    const there = orbits.flatMap((o, i) => o.places.map(() => placed[i]![kinds[at++]!] ?? 0));
    return [...own.map((q) => q!), ...there];
  };
  if (Math.abs(chargesOf(first).reduce((a, b) => a + b, 0)) > 1e-6) return undefined;
  const m = orthogonalization(frame.cell);
  const places = [...frame.sites.map((x) => x.position), ...orbits.flatMap((o) => o.places)];
  const matrix = ewaldMatrix(
    cartesianAxes(frame.cell),
    places.map((x) => apply3(m, x)),
  );
  return (kinds) => energyOf(matrix, chargesOf(kinds)).energy;
}

/** The cell with the sites that nobody shares. */
function frameOf(s: Structure, p: Mat3): Structure {
  const shared = new Set(sharedSets(s).flat());
  const full = s.sites.filter((_, i) => !shared.has(i));
  if (full.length) return supercell({ ...s, sites: full }, p).structure;
  const { cell } = supercell({ ...s, sites: s.sites.slice(0, 1) }, p).structure;
  return { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites: [] };
}

function atomsOf(orbits: readonly SharedOrbit[], kinds: readonly number[]): Site[] {
  let at = 0;
  return orbits.flatMap(({ sites, places }) =>
    places.flatMap((position): Site[] => {
      const site = sites[kinds[at++]!];
      if (!site) return [];
      const { positionSu: _p, occupancySu: _o, disorder: _d, ...rest } = site;
      return [{ ...rest, id: newId(), position, occupancy: 1 }];
    }),
  );
}
