/**
 * The surface of a molecule in its crystal and what lies on either side of it: where its share of the density of free atoms is a
 * half (Spackman & Byrom 1997, Chem. Phys. Lett. 267, 215), or where its nearest atom and the nearest of the others are as far
 * beyond their radii; and the distances inside and outside of it as a fingerprint (McKinnon, Spackman & Mitchell 2004, Acta Cryst.
 * B60, 627).
 */
import { potentialAt } from '../crystal/atom-potentials.ts';
import type { AtomRef } from '../crystal/atom-ref.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import type { AtomPotentials } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import { contourSurface, type Surface } from '../maps/isosurface.ts';
import { cross, dot, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { gaussianFactor } from '../scattering/form-factor.ts';
import { MolecularCrystal, mostOccupied, withNeutronHydrogens, type Molecule } from './molecules.ts';

export type SurfaceBy = 'density' | 'distance';

/** A surface with, at each vertex, the nearest atoms on both sides. */
export interface MoleculeSurface extends Surface {
  /** Å from each vertex to the nearest atom inside and outside. */
  readonly inside: Float32Array;
  readonly outside: Float32Array;
  /** (inside − its radius) / radius + the same outside: negative where atoms are nearer than their radii. */
  readonly closeness: Float32Array;
  /** Numbers of the elements of `elements` nearest inside and outside. */
  readonly innerKind: Uint8Array;
  readonly outerKind: Uint8Array;
  readonly elements: readonly string[];
  /** Of the molecule at each vertex, kJ mol⁻¹ e⁻¹; where its atoms have one. */
  readonly potential?: Float32Array;
  /** Å², a third of its triangles for each vertex. */
  readonly areas: Float32Array;
  readonly area: number;
  /** Å³ */
  readonly volume: number;
}

export interface Fingerprint {
  /** Bins along one side; bin (i, j) holds inside from `from` + i `step` and outside from `from` + j `step` Å. */
  readonly bins: number;
  readonly from: number;
  readonly step: number;
  /** Share of the surface in each bin, inside fastest. */
  readonly shares: Float32Array;
  /** Of each pair of elements, inside first, the share of the surface; the largest first. */
  readonly pairs: readonly { readonly inner: string; readonly outer: string; readonly share: number }[];
}

/** Å: points of the grid, how far it reaches beyond the atoms, and the others' atoms that are counted. */
const STEP = 0.3,
  MARGIN = 3.2,
  REACH = 9;

interface Atom {
  readonly at: Vec3;
  readonly element: string;
}

/** ρ(r) of a free atom, e Å⁻³, from the Gaussians of its form factor: Σ a (4π/b)^(3/2) exp(−4π² r²/b). */
function densityOf(element: string): (square: number) => number {
  const { a, b } = gaussianFactor(isHydrogen(element) ? 'H' : element);
  const terms = a.map((height, i) => [height * ((4 * Math.PI) / b[i]!) ** 1.5, (-4 * Math.PI ** 2) / b[i]!] as const);
  return (square) => terms.reduce((sum, [height, rate]) => sum + height * Math.exp(rate * square), 0);
}

/** Table of a density over the squared distance, which is what is asked for. */
class DensityTable {
  private readonly tables = new Map<string, Float64Array>();

  of(element: string): Float64Array {
    let table = this.tables.get(element);
    if (!table) {
      const density = densityOf(element);
      table = Float64Array.from({ length: SQUARES * PER_SQUARE + 2 }, (_, i) => Math.max(0, density(i / PER_SQUARE)));
      this.tables.set(element, table);
    }
    return table;
  }
}
/** Å² of the tables, and entries in one. */
const SQUARES = 25,
  PER_SQUARE = 40;

/** Positive inside: the share beyond a half, or how much further the others are. */
function fieldOf(own: readonly Atom[], others: readonly Atom[], by: SurfaceBy, origin: Vec3, size: Size): Float32Array {
  return by === 'density' ? shareField(own, others, origin, size) : distanceField(own, others, origin, size);
}

type Size = readonly [number, number, number];

/** Calls back with every grid point within a distance of a place, and the squared distance. */
function pointsNear(
  x: Vec3,
  reach: number,
  origin: Vec3,
  size: Size,
  see: (index: number, square: number) => void,
): void {
  const low = (k: 0 | 1 | 2): number => Math.max(0, Math.ceil((x[k] - reach - origin[k]) / STEP));
  const high = (k: 0 | 1 | 2): number => Math.min(size[k] - 1, Math.floor((x[k] + reach - origin[k]) / STEP));
  for (let c = low(2); c <= high(2); c++)
    for (let b = low(1); b <= high(1); b++) {
      const yz = (origin[2] + c * STEP - x[2]) ** 2 + (origin[1] + b * STEP - x[1]) ** 2;
      for (let a = low(0); a <= high(0); a++) {
        const square = yz + (origin[0] + a * STEP - x[0]) ** 2;
        if (square < reach * reach) see(a + size[0] * (b + size[1] * c), square);
      }
    }
}

function shareField(own: readonly Atom[], others: readonly Atom[], origin: Vec3, size: Size): Float32Array {
  const tables = new DensityTable();
  const sum = (atoms: readonly Atom[]): Float32Array => {
    const out = new Float32Array(size[0] * size[1] * size[2]);
    for (const { at, element } of atoms) {
      const table = tables.of(element);
      pointsNear(at, Math.sqrt(SQUARES), origin, size, (k, square) => {
        const x = square * PER_SQUARE,
          i = Math.floor(x);
        out[k]! += table[i]! + (x - i) * (table[i + 1]! - table[i]!);
      });
    }
    return out;
  };
  const mine = sum(own),
    theirs = sum(others);
  return mine.map((x, i) => (x + theirs[i]! > 0 ? x / (x + theirs[i]!) : 0));
}

function distanceField(own: readonly Atom[], others: readonly Atom[], origin: Vec3, size: Size): Float32Array {
  const nearest = (atoms: readonly Atom[]): Float32Array => {
    const out = new Float32Array(size[0] * size[1] * size[2]).fill(REACH);
    for (const { at, element } of atoms) {
      const radius = elementOf(element).vdwRadius;
      pointsNear(at, REACH, origin, size, (k, square) => {
        const d = Math.sqrt(square) - radius;
        if (d < out[k]!) out[k] = d;
      });
    }
    return out;
  };
  const mine = nearest(own),
    theirs = nearest(others);
  return mine.map((x, i) => theirs[i]! - x);
}

/** Surface of one molecule. Throws RangeError where there is none. */
export class SurfaceSearch {
  readonly crystal: MolecularCrystal;

  constructor(private readonly given: Structure) {
    this.crystal = new MolecularCrystal(withNeutronHydrogens(mostOccupied(given)));
    if (!this.crystal.molecules.length)
      throw new RangeError('There is no molecule here: bonds go on without end, and nothing has a surface of its own.');
  }

  /** Number of the distinct molecule that holds a site; the largest where none does. */
  indexOf(atom: AtomRef | undefined): number {
    const found = atom && this.crystal.kindOf(atom);
    if (found !== undefined) return found;
    const sizes = this.crystal.molecules.map((m) => m.atoms.length);
    return sizes.indexOf(Math.max(...sizes));
  }

  of(index: number, by: SurfaceBy): MoleculeSurface {
    const molecule = this.crystal.molecules[index]!;
    const own = atomsOf(molecule);
    const others = this.crystal.around(index, REACH).flatMap((n) => atomsOf(n.molecule));
    const bound = (k: number, of: (...list: number[]) => number, add: number): number =>
      of(...own.map((a) => a.at[k]!)) + add;
    const low: Vec3 = [bound(0, Math.min, -MARGIN), bound(1, Math.min, -MARGIN), bound(2, Math.min, -MARGIN)];
    const count = (k: 0 | 1 | 2): number => Math.ceil((bound(k, Math.max, MARGIN) - low[k]) / STEP) + 1;
    const size: Size = [count(0), count(1), count(2)];
    const near = others.filter((a) =>
      [0, 1, 2].every((k) => a.at[k]! > low[k]! - REACH && a.at[k]! < low[k]! + size[k]! * STEP + REACH),
    );
    const values = fieldOf(own, near, by, low, size);
    const cell = { a: size[0] * STEP, b: size[1] * STEP, c: size[2] * STEP, alpha: 90, beta: 90, gamma: 90 };
    const region = {
      min: [0, 0, 0],
      max: [(size[0] - 1) / size[0], (size[1] - 1) / size[1], (size[2] - 1) / size[2]],
    } as const;
    const grid = { nx: size[0], ny: size[1], nz: size[2] };
    const surface = contourSurface({ grid, values }, cell, region, by === 'density' ? 0.5 : 0);
    for (let i = 0; i < surface.positions.length; i++) surface.positions[i]! += low[i % 3]!;
    return withDistances(surface, own, near);
  }

  /** A surface with the potential of its molecule (kJ mol⁻¹ e⁻¹) at every vertex; as it is where not every atom has one. */
  withPotential(index: number, surface: MoleculeSurface, potentials: AtomPotentials | undefined): MoleculeSurface {
    const { atoms } = this.crystal.molecules[index]!;
    // Atoms that were changed by hand have none until the next round.
    const known = new Set(potentials?.sites);
    if (!potentials || !atoms.every((a) => known.has(a.site))) return surface;
    return { ...surface, potential: potentialAt(this.given, potentials, atoms, surface.positions) };
  }
}

const atomsOf = (m: Molecule): Atom[] => m.at.map((at, i) => ({ at, element: m.elements[i]! }));

/** The nearest atom to a point, by plain distance. */
function nearestAtom(x: Vec3, atoms: readonly Atom[]): { atom: Atom; distance: number } {
  let best = atoms[0]!,
    least = Infinity;
  for (const a of atoms) {
    const square = (x[0] - a.at[0]) ** 2 + (x[1] - a.at[1]) ** 2 + (x[2] - a.at[2]) ** 2;
    if (square < least) [best, least] = [a, square];
  }
  return { atom: best, distance: Math.sqrt(least) };
}

function withDistances(surface: Surface, own: readonly Atom[], others: readonly Atom[]): MoleculeSurface {
  const n = surface.positions.length / 3;
  const elements = [...new Set([...own, ...others].map((a) => a.element))];
  const [inside, outside, closeness] = [new Float32Array(n), new Float32Array(n), new Float32Array(n)];
  const [innerKind, outerKind] = [new Uint8Array(n), new Uint8Array(n)];
  for (let i = 0; i < n; i++) {
    const x = vertex(surface.positions, i);
    const [p, q] = [nearestAtom(x, own), nearestAtom(x, others)];
    const [rp, rq] = [elementOf(p.atom.element).vdwRadius, elementOf(q.atom.element).vdwRadius];
    inside[i] = p.distance;
    outside[i] = q.distance;
    closeness[i] = (p.distance - rp) / rp + (q.distance - rq) / rq;
    innerKind[i] = elements.indexOf(p.atom.element);
    outerKind[i] = elements.indexOf(q.atom.element);
  }
  const { areas, area, volume } = measured(surface);
  return { ...surface, inside, outside, closeness, innerKind, outerKind, elements, areas, area, volume };
}

const vertex = (positions: Float32Array, i: number): Vec3 => [
  positions[3 * i]!,
  positions[3 * i + 1]!,
  positions[3 * i + 2]!,
];

function triangleArea(positions: Float32Array, [a, b, c]: readonly [number, number, number]): number {
  const [p, q, r] = [vertex(positions, a), vertex(positions, b), vertex(positions, c)];
  return norm(cross(subtract(q, p), subtract(r, p))) / 2;
}

/** Area by its triangles, volume by the tetrahedra they make with the origin. */
function measured({ positions, indices }: Surface): { areas: Float32Array; area: number; volume: number } {
  const areas = new Float32Array(positions.length / 3);
  let area = 0,
    volume = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const corners = [indices[t]!, indices[t + 1]!, indices[t + 2]!] as const;
    const size = triangleArea(positions, corners);
    const [p, q, r] = corners.map((i) => vertex(positions, i)) as [Vec3, Vec3, Vec3];
    area += size;
    volume += dot(p, cross(q, r)) / 6;
    for (const c of corners) areas[c]! += size / 3;
  }
  return { areas, area, volume: Math.abs(volume) };
}

/** Å: the fingerprint's sides. */
const FROM = 0.5,
  TO = 3,
  BINS = 100;

/** Points of a triangle that stand for it: barycentric, evenly spread. */
const PARTS: readonly Vec3[] = [0, 1, 2, 3].flatMap((i) =>
  [0, 1, 2, 3].flatMap((j): Vec3[] => (i + j < 4 ? [[(i + 1 / 3) / 4, (j + 1 / 3) / 4, 1 - (i + j + 2 / 3) / 4]] : [])),
);

export function fingerprintOf(s: MoleculeSurface): Fingerprint {
  const step = (TO - FROM) / BINS;
  const shares = new Float32Array(BINS * BINS);
  const bin = (d: number): number => Math.max(0, Math.min(BINS - 1, Math.floor((d - FROM) / step)));
  const total = s.area || 1;
  for (let t = 0; t < s.indices.length; t += 3) {
    const corners = [s.indices[t]!, s.indices[t + 1]!, s.indices[t + 2]!] as const;
    const share = triangleArea(s.positions, corners) / total / PARTS.length;
    for (const w of PARTS) {
      const mean = (of: Float32Array): number =>
        w[0] * of[corners[0]]! + w[1] * of[corners[1]]! + w[2] * of[corners[2]]!;
      shares[bin(mean(s.inside)) + BINS * bin(mean(s.outside))]! += share;
    }
  }
  const pairs = new Map<string, number>();
  for (let i = 0; i < s.areas.length; i++) {
    const key = `${s.elements[s.innerKind[i]!]} ${s.elements[s.outerKind[i]!]}`;
    pairs.set(key, (pairs.get(key) ?? 0) + s.areas[i]! / total);
  }
  const list = [...pairs].map(([key, share]) => {
    const [inner, outer] = key.split(' ') as [string, string];
    return { inner, outer, share };
  });
  return { bins: BINS, from: FROM, step, shares, pairs: list.sort((p, q) => q.share - p.share) };
}
