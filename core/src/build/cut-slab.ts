/**
 * Slabs as they are wished: of whole layers, or with a remedy against a dipole (both sides made alike, part of a plane moved
 * to the other side, cut bonds saturated), in any cell of the plane. Remedies after Tasker (1979, J. Phys. C 12, 4977).
 */
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { formulaText, type Formula } from '../crystal/formula.ts';
import { newId, type Site } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { bondsBySite } from '../geometry/bonds.ts';
import { cosets2, determinant2, type Mat2 } from '../math/matrix2.ts';
import { add, apply3, cross, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import {
  inVacuum,
  isMultiple,
  NO_DIPOLE,
  type Slab,
  type Surface,
  type SurfaceAtom,
  type VacuumChoice,
} from './surface.ts';

export const REMEDIES = ['alike', 'moved', 'hydrogens'] as const;
/** Both sides alike; part of the uppermost plane moved beneath; cut bonds ended with hydrogens. */
export type Remedy = (typeof REMEDIES)[number];

export interface SlabWish {
  readonly layers: number;
  readonly termination: number;
  readonly remedy?: Remedy | undefined;
  /** Columns: the axes in the plane in terms of the shortest ones, whole numbers. */
  readonly inPlane?: Mat2 | undefined;
}

export interface CutSlab extends Slab {
  /** e Å / Å², of the whole slab; undefined where charges are not known. */
  readonly dipole?: number;
  /** Atoms beyond whole formula units, by element; empty for a slab of the crystal's composition. */
  readonly excess: Formula;
  /** What the remedy did; empty without one. */
  readonly words: string;
}

/** Atoms in a cell of the plane with what was done to them. */
interface Piece {
  readonly atoms: readonly SurfaceAtom[];
  readonly vectors: readonly [Vec3, Vec3, Vec3];
  readonly words: string;
}

/** A slab as it is wished. Throws RangeError where it cannot be cut, or the remedy cannot be taken. */
export function cutSlab(surface: Surface, wish: SlabWish, choice: VacuumChoice): CutSlab {
  if (!Number.isInteger(wish.layers) || wish.layers < 1) throw new RangeError('A slab takes one layer or more.');
  const piece = inCell(treated(surface, wish), wish.inPlane);
  const slab = inVacuum(piece.atoms, piece.vectors, choice);
  const dipole = dipoleOf(piece);
  return {
    ...slab,
    ...(dipole === undefined ? {} : { dipole }),
    excess: excessOf(surface, piece.atoms),
    words: piece.words,
  };
}

function treated(surface: Surface, wish: SlabWish): Piece {
  switch (wish.remedy) {
    case 'alike':
      return bothAlike(surface, wish);
    case 'moved':
      return partMoved(surface, wish);
    case 'hydrogens':
      return saturated(surface, wish);
    default:
      return { atoms: plainAtoms(surface, wish), vectors: surface.vectors, words: '' };
  }
}

function plainAtoms(surface: Surface, { layers, termination }: SlabWish): SurfaceAtom[] {
  const { height } = surface.cut(termination);
  return surface.between(height, height + layers * surface.basis.spacing);
}

/** The upper side is cut where an operation of the crystal makes it of the lower one, nearest to the wished thickness. */
function bothAlike(surface: Surface, { layers, termination }: SlabWish): Piece {
  const d = surface.basis.spacing;
  const { height: low } = surface.cut(termination);
  const turning = surface.turningHeights();
  const tops = surface.terminations.filter((t) => turning.some((c) => isMultiple(c - low - t.height, d)));
  if (!tops.length)
    throw new RangeError(
      `No operation of the crystal turns the normal of (${surface.hkl.join(' ')}) round, so no cut makes both sides alike.`,
    );
  const wished = low + layers * d;
  const heights = tops.map((t) => {
    const below = t.height + d * Math.round((wished - t.height) / d);
    return { top: below > low + 0.1 ? below : below + d, t };
  });
  const best = heights.sort((p, q) => Math.abs(p.top - wished) - Math.abs(q.top - wished))[0]!;
  const atoms = surface.between(low, best.top);
  return {
    atoms,
    vectors: surface.vectors,
    words: `Both sides end alike, ${formulaText(best.t.uppermost)} uppermost`,
  };
}

/** Cells of the plane in which a part of its atoms may be moved, the smallest first. */
const PARTS: readonly Mat2[] = [
  [1, 0, 0, 1],
  [2, 0, 0, 1],
  [3, 0, 0, 1],
  [2, 0, 0, 2],
  [3, 0, 0, 2],
];

/**
 * So much of the uppermost plane goes beneath the slab, to where the crystal would have its next one, that the dipole is gone:
 * half of it where planes of opposite charges alternate at equal distances, a quarter on {111} of the sphalerite type.
 */
function partMoved(surface: Surface, wish: SlabWish): Piece {
  const plain = { atoms: plainAtoms(surface, wish), vectors: surface.vectors, words: '' };
  const upper = plain.atoms.filter((a) => isUppermost(a, wish, surface));
  const dipole = dipoleOf(plain);
  if (dipole === undefined)
    throw new RangeError('The charges of the atoms are not known, so the dipole is not either.');
  if (Math.abs(dipole) < NO_DIPOLE) throw new RangeError('This slab has no dipole that were to be taken away.');
  const charge = upper.reduce((sum, a) => sum + a.charge! * a.site.occupancy, 0);
  const part = (dipole * surface.basis.area) / (charge * wish.layers * surface.basis.spacing);
  const counts = Object.values(countsOf(upper));
  const columns = PARTS.find((m) => counts.every((n) => isWhole(part * n * determinant2(m))));
  if (!(part > 0 && part < 1) || !columns)
    throw new RangeError(
      'No part of the uppermost plane takes the dipole away, moved beneath the slab. Cut elsewhere, or make both sides alike.',
    );
  const wide = inCell(plain, columns);
  const down = scale(surface.vectors[2], -wish.layers);
  const left = countsOf(wide.atoms.filter((a) => isUppermost(a, wish, surface)));
  for (const e of Object.keys(left)) left[e] = Math.round(part * left[e]!);
  const moved = Object.values(left).reduce((p, q) => p + q, 0);
  const atoms = wide.atoms.map((a) => {
    const { element } = a.site;
    if (!isUppermost(a, wish, surface) || !left[element]) return a;
    left[element]--;
    return { ...a, at: add(a.at, down) };
  });
  const times = determinant2(columns);
  const cell = times === 1 ? '' : ` in a cell of ${times} times the area`;
  return {
    atoms: atoms.sort((p, q) => p.at[2] - q.at[2]),
    vectors: wide.vectors,
    words: `${moved} of ${Math.round(times * counts.reduce((p, q) => p + q, 0))} atoms of the uppermost plane went beneath the slab${cell}`,
  };
}

const isWhole = (x: number): boolean => Math.abs(x - Math.round(x)) < 0.01 && Math.round(x) > 0;

/** In the atomic plane below the upper cut. */
function isUppermost(a: SurfaceAtom, { layers, termination }: SlabWish, surface: Surface): boolean {
  const top = surface.cut(termination).height + layers * surface.basis.spacing;
  return a.plane === termination && top - a.at[2] < surface.basis.spacing;
}

/** Hydrogens stand at the sum of covalent radii, along the bonds that were cut. */
function saturated(surface: Surface, wish: SlabWish): Piece {
  const inside = plainAtoms(surface, wish);
  const low = surface.cut(wish.termination).height,
    high = low + wish.layers * surface.basis.spacing;
  const crystal = bonded(surface.periodic());
  const m = orthogonalization(crystal.cell);
  const bySite = bondsBySite(crystal);
  const frame = frameOf(surface);
  const caps: SurfaceAtom[] = [];
  for (const a of inside) {
    const i = surface.atoms.findIndex((x) => x.site === a.site && isCopy(x, a, surface));
    const from = apply3(m, crystal.sites[i]!.position);
    for (const b of bySite[i]!) {
      const along = frame(subtract(apply3(m, b.position), from));
      const end = a.at[2] + along[2];
      if (end >= low && end < high) continue;
      const length = elementOf('H').covalentRadius + elementOf(a.site.element).covalentRadius;
      caps.push({
        site: capSite(a.site),
        at: add(a.at, scale(normalize(along), length)),
        charge: undefined,
        plane: -1,
      });
    }
  }
  if (!caps.length) throw new RangeError('No bond is cut here, so nothing is to be saturated.');
  return {
    atoms: [...inside, ...caps].sort((p, q) => p.at[2] - q.at[2]),
    vectors: surface.vectors,
    words: `${caps.length} cut ${caps.length === 1 ? 'bond ends' : 'bonds end'} in hydrogen`,
  };
}

/** Whether an atom is a copy of one of the period by whole w (others have other sites). */
const isCopy = (x: SurfaceAtom, a: SurfaceAtom, surface: Surface): boolean => {
  const d = subtract(a.at, x.at);
  const k = Math.round(d[2] / surface.basis.spacing);
  return norm(subtract(d, scale(surface.vectors[2], k))) < 1e-6;
};

/** Vectors of the periodic cell's own Cartesian axes in those of the surface: u along x already, normal along z. */
function frameOf(surface: Surface): (v: Vec3) => Vec3 {
  const [u, v] = surface.vectors;
  const up = cross(u, v);
  return up[2] > 0 ? (x) => x : (x) => [x[0], -x[1], -x[2]];
}

const capSite = (by: Site): Site => ({
  id: newId(),
  label: 'H1',
  element: 'H',
  position: [0, 0, 0],
  occupancy: by.occupancy,
  displacement: { kind: 'iso', u: 0.03 },
});

/** The same atoms in another cell of the plane. Throws RangeError where its columns are no axes. */
function inCell({ atoms, vectors: [u, v, w], words }: Piece, columns: Mat2 | undefined): Piece {
  if (!columns) return { atoms, vectors: [u, v, w], words };
  if (!columns.every(Number.isInteger) || determinant2(columns) <= 0)
    throw new RangeError(
      'The axes in the plane are two pairs of whole numbers, right-handed and not on one line, as 2,0;0,1.',
    );
  const step = (i: number, j: number): Vec3 => add(scale(u, i), scale(v, j));
  const shifts = cosets2(columns).map(([i, j]) => step(i, j));
  return {
    atoms: shifts.flatMap((d) => atoms.map((a) => ({ ...a, at: add(a.at, d) }))),
    vectors: [step(columns[0], columns[2]), step(columns[1], columns[3]), w],
    words,
  };
}

/** e Å / Å² about the middle of the slab; undefined where a charge is not known, as of hydrogens that end bonds. */
function dipoleOf({ atoms, vectors: [u, v] }: Piece): number | undefined {
  const area = norm(cross(u, v));
  const heights = atoms.map((a) => a.at[2]);
  const middle = (Math.min(...heights) + Math.max(...heights)) / 2;
  let sum = 0;
  for (const a of atoms) {
    if (a.charge === undefined) return undefined;
    sum += a.charge * a.site.occupancy * (a.at[2] - middle);
  }
  return sum / area;
}

function countsOf(atoms: readonly SurfaceAtom[]): Record<string, number> {
  const out: Record<string, number> = {};
  for (const { site } of atoms) out[site.element] = (out[site.element] ?? 0) + site.occupancy;
  return out;
}

/** What is beyond as many whole periods as the scarcest element allows. */
function excessOf(surface: Surface, atoms: readonly SurfaceAtom[]): Formula {
  const bulk = countsOf(surface.atoms),
    here = countsOf(atoms);
  const periods = Math.min(...Object.entries(bulk).map(([e, n]) => (here[e] ?? 0) / n));
  return Object.fromEntries(
    Object.entries(here).flatMap(([e, n]) => {
      const more = n - periods * (bulk[e] ?? 0);
      return more > 1e-3 ? [[e, Number(more.toFixed(4))] as const] : [];
    }),
  );
}
