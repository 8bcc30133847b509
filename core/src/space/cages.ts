/**
 * Cages: chambers whose windows are clearly narrower than themselves, with the atoms of their walls. The walls are what is seen
 * from the middle of a chamber once every atom is so much larger that the windows are shut.
 */
import { placeKey, positionOf, siteIndices, siteOf, symmetryTable, type AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization, reciprocalLengths } from '../crystal/cell.ts';
import { isHydrogen, vanDerWaalsRadius } from '../crystal/elements.ts';
import { applyOperator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { wallSites } from '../geometry/channels.ts';
import { copiesThrough, keyOfAtoms } from '../geometry/ring-copies.ts';
import { add, apply3, dot, norm, scale, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import type { PoreSphere } from './empty-space.ts';
import { voidNetwork } from './network.ts';

export interface Cage {
  /** Its middle, fractional. */
  readonly at: Vec3;
  /** Å, of the largest sphere inside, from atom surface to atom surface. */
  readonly diameter: number;
  /** Å, of the widest window; undefined where nothing larger than a probe of 0.3 Å radius passes. */
  readonly window?: number;
  /** The walls. */
  readonly atoms: readonly AtomRef[];
  /** So many in a cell. */
  readonly count: number;
}

/** Å of radius: smaller ways are no windows. */
const LEAST_WINDOW = 0.3;
/** Å of diameter by which a cage is wider than its windows, at least, and the least that is called one. */
const WIDER = 0.6,
  LEAST = 1;
/** Lines of sight; Å to which one looks. */
const SIGHTS = 3000,
  FAR = 14;
/** Å by which the windows are more than shut; between the middles of chambers that are copies. */
const SHUT = 0.05,
  SAME_MIDDLE = 0.15;
/** Å beyond what is met first that belongs to the same wall. */
const BESIDE = 0.8;
/** Bonds that are followed out of sight where what is seen does not hold together: linkers that turn their edges to a cage. */
const FURTHER = 4;
/** Share of the sights that has to end at one connected wall. */
const CLOSED = 0.97;

/** Directions spread evenly over a sphere (Fibonacci's spiral: González 2010, Math. Geosci. 42, 49). */
const directions: readonly Vec3[] = Array.from({ length: SIGHTS }, (_, i) => {
  const z = 1 - (2 * i + 1) / SIGHTS;
  const turn = i * Math.PI * (3 - Math.sqrt(5));
  const flat = Math.sqrt(1 - z * z);
  return [flat * Math.cos(turn), flat * Math.sin(turn), z];
});

interface WallAtom {
  readonly ref: AtomRef;
  /** Å, from the middle of the chamber. */
  readonly off: Vec3;
  readonly radius: number;
}

/** Atoms around a place (fractional) within `far` Å, each once. */
function atomsAround(s: Structure, at: Vec3, far: number): WallAtom[] {
  const m = orthogonalization(s.cell);
  const { operators } = symmetryTable(s.spaceGroup);
  const spans = reciprocalLengths(s.cell).map((x) => far * x);
  const out: WallAtom[] = [];
  const seen = new Set<string>();
  for (const site of s.sites)
    operators.forEach((o, operator) => {
      const x = applyOperator(o, site.position);
      const [low, high] = [
        x.map((c, k) => Math.ceil(at[k]! - c - spans[k]!)),
        x.map((c, k) => Math.floor(at[k]! - c + spans[k]!)),
      ] as const;
      for (let i = low[0]!; i <= high[0]!; i++)
        for (let j = low[1]!; j <= high[1]!; j++)
          for (let k = low[2]!; k <= high[2]!; k++) {
            const ref: AtomRef = { site: site.id, operator, shift: [i, j, k] };
            const off = apply3(m, subtract(positionOf(s, ref), at));
            if (norm(off) > far || seen.has(placeKey(s, ref))) continue;
            seen.add(placeKey(s, ref));
            out.push({ ref, off, radius: vanDerWaalsRadius(site.element) });
          }
    });
  return out;
}

/** The atom at which a line of sight ends, and Å from the middle to there. */
interface End {
  readonly atom: number;
  readonly along: number;
}

/** For every direction the atom whose sphere, larger by `more` Å, is met first; undefined where none is. */
function seenFrom(around: readonly WallAtom[], more: number): (End | undefined)[] {
  return directions.map((d) => {
    let end: End | undefined;
    around.forEach(({ off, radius }, atom) => {
      const middle = dot(off, d);
      const rest = (radius + more) ** 2 - (dot(off, off) - middle * middle);
      if (middle <= 0 || rest < 0) return;
      const along = middle - Math.sqrt(rest);
      if (along < (end?.along ?? Infinity)) end = { atom, along };
    });
    return end;
  });
}

/** Atoms whose spheres, larger by `more` Å, come near the end of a line of sight: the large ones hide others beside them. */
function nearEnds(around: readonly WallAtom[], ends: readonly (End | undefined)[], more: number): Set<number> {
  const out = new Set<number>();
  ends.forEach((end, k) => {
    if (!end) return;
    const [x, y, z] = scale(directions[k]!, end.along);
    around.forEach(({ off, radius }, i) => {
      if (out.has(i)) return;
      const far = (off[0] - x) ** 2 + (off[1] - y) ** 2 + (off[2] - z) ** 2;
      if (far < (radius + more + BESIDE) ** 2) out.add(i);
    });
  });
  return out;
}

/** Atoms of walls by their place, and what of them is bonded to an atom. */
class Walls {
  readonly atoms = new Map<string, AtomRef>();
  private readonly bySite;
  private readonly index;

  constructor(
    private readonly s: Structure,
    seen: readonly AtomRef[],
  ) {
    this.bySite = bondsBySite(s);
    this.index = siteIndices(s);
    for (const a of seen) this.atoms.set(placeKey(s, a), a);
  }

  private bonded(a: AtomRef): AtomRef[] {
    return this.bySite[this.index.get(a.site)!]!.map((b) => neighbourRef(this.s, b, a));
  }

  private within(a: AtomRef): string[] {
    return this.bonded(a)
      .map((b) => placeKey(this.s, b))
      .filter((k) => this.atoms.has(k));
  }

  /** Takes in what is bonded to at least so many of them. */
  grow(least: number): void {
    const touched = new Map<string, { atom: AtomRef; count: number }>();
    for (const a of this.atoms.values())
      for (const atom of this.bonded(a)) {
        const key = placeKey(this.s, atom);
        touched.set(key, { atom, count: (touched.get(key)?.count ?? 0) + 1 });
      }
    for (const [key, { atom, count }] of touched) if (count >= least) this.atoms.set(key, atom);
  }

  /** Lets go of ends that hang, but of hydrogens. */
  prune(): void {
    for (let before = -1; before !== this.atoms.size;) {
      before = this.atoms.size;
      for (const [key, a] of this.atoms)
        if (this.within(a).length < (isHydrogen(siteOf(this.s, a)!.element) ? 1 : 2)) this.atoms.delete(key);
    }
  }

  /** The largest piece that bonds hold together. */
  largest(): AtomRef[] {
    let best: string[] = [];
    const left = new Set(this.atoms.keys());
    for (const start of this.atoms.keys()) {
      if (!left.delete(start)) continue;
      const piece = [start];
      for (const key of piece)
        for (const next of this.within(this.atoms.get(key)!)) if (left.delete(next)) piece.push(next);
      if (piece.length > best.length) best = piece;
    }
    return best.map((k) => this.atoms.get(k)!);
  }
}

/** What is seen, what bridges it and so many bonds more around; the largest connected piece. */
function wallsOf(s: Structure, seen: readonly AtomRef[], more: number): AtomRef[] {
  const walls = new Walls(s, seen);
  for (let step = 0; step < more; step++) walls.grow(1);
  walls.grow(2);
  walls.prune();
  return walls.largest();
}

/** The first of every set of chambers that symmetry makes alike, and how many they are. */
function unlike(s: Structure, chambers: readonly PoreSphere[]): { first: number; count: number }[] {
  const m = orthogonalization(s.cell);
  const { operators } = symmetryTable(s.spaceGroup);
  const isCopy = (p: Vec3, q: Vec3): boolean =>
    operators.some((o) => {
      const d = subtract(applyOperator(o, p), q);
      return norm(apply3(m, toVec3(d.map((x) => x - Math.round(x))))) < SAME_MIDDLE;
    });
  const out: { first: number; count: number }[] = [];
  chambers.forEach((c, i) => {
    const known = out.find((x) => {
      const other = chambers[x.first]!;
      return Math.abs(other.diameter - c.diameter) < SAME_MIDDLE && isCopy(other.at, c.at);
    });
    if (known) known.count++;
    else out.push({ first: i, count: 1 });
  });
  return out;
}

/** The walls of a chamber, or undefined where no single piece closes it. */
function closedWalls(s: Structure, at: Vec3, more: number): AtomRef[] | undefined {
  const around = atomsAround(s, at, FAR);
  const ends = seenFrom(around, more);
  const seen = [...nearEnds(around, ends, more)].map((i) => around[i]!.ref);
  for (let further = 0; further <= FURTHER; further++) {
    const piece = wallsOf(s, seen, further);
    const own = new Set(piece.map((a) => placeKey(s, a)));
    const isOwn = around.map(({ ref }) => own.has(placeKey(s, ref)));
    if (ends.filter((end) => end && isOwn[end.atom]).length >= CLOSED * SIGHTS) return piece;
  }
  return undefined;
}

/**
 * Cages of a framework or of molecules, guests left out, the widest first; one of those that symmetry makes alike. Spheres are of van
 * der Waals radii.
 */
export function findCages(s: Structure): Cage[] {
  const walls = wallSites(s);
  const bare: Structure = { ...s, sites: s.sites.filter((x) => walls.has(x.id)) };
  if (!bare.sites.length) return [];
  const { chambers, ways } = voidNetwork(bare, { probe: LEAST_WINDOW });
  const found: Cage[] = [];
  for (const { first, count } of unlike(bare, chambers)) {
    const { at, diameter } = chambers[first]!;
    const windows = ways.filter((w) => w.from === first || w.to === first).map((w) => w.diameter);
    const widest = Math.max(2 * LEAST_WINDOW, ...windows);
    if (diameter < LEAST || diameter - widest < WIDER) continue;
    const atoms = closedWalls(bare, at, widest / 2 + SHUT);
    if (!atoms) continue;
    const window = windows.length ? { window: widest } : {};
    found.push({ at, diameter, ...window, atoms, count });
  }
  return found.sort((p, q) => q.diameter - p.diameter);
}

const meanOf = (s: Structure, atoms: readonly AtomRef[]): Vec3 =>
  scale(atoms.map((a) => positionOf(s, a)).reduce(add, [0, 0, 0]), 1 / Math.max(1, atoms.length));

/**
 * Every copy of a cage that lies whole among drawn atoms and holds all of the picked ones, those in the middle of what is drawn
 * first; where none is whole, the one of which most is drawn.
 */
export function cagePlaces(
  s: Structure,
  cage: Cage,
  drawn: readonly AtomRef[],
  picked: readonly AtomRef[],
): (readonly AtomRef[])[] {
  const places = new Set(drawn.map((a) => placeKey(s, a)));
  const wanted = picked.map((a) => placeKey(s, a));
  const m = orthogonalization(s.cell);
  const middle = meanOf(s, drawn);
  const copies = new Map<string, AtomRef[]>();
  for (const atom of picked.length ? picked.slice(0, 1) : drawn)
    for (const copy of copiesThrough(s, cage, atom)) copies.set(keyOfAtoms(s, copy), copy);
  const counted = [...copies.values()]
    .map((atoms) => ({ atoms, keys: atoms.map((a) => placeKey(s, a)) }))
    .filter(({ keys }) => wanted.every((k) => keys.includes(k)))
    .map(({ atoms, keys }) => ({
      atoms,
      shown: keys.filter((k) => places.has(k)).length,
      off: norm(apply3(m, subtract(meanOf(s, atoms), middle))),
    }))
    .sort((p, q) => q.shown - p.shown || p.off - q.off);
  const whole = counted.filter((c) => c.shown === c.atoms.length);
  return (whole.length ? whole : counted.slice(0, 1)).map((c) => c.atoms);
}
