/** Supercells looked for by what they shall be: so many atoms, copies so far apart, angles near to 90°. */
import { cellFromMetric, metricTensor, type Cell } from '../crystal/cell.ts';
import { congruence, niggliReduce } from '../crystal/lattice.ts';
import type { Structure } from '../crystal/structure.ts';
import { determinant3, multiply3, toMat3, type Mat3 } from '../math/matrix3.ts';
import { namedCell, supercell, type CellAnswer } from './supercell.ts';

/** What a cell shall be; what is absent does not matter. */
export interface CellSearch {
  readonly leastAtoms?: number | undefined;
  readonly mostAtoms: number;
  /** Å from an atom to its nearest copy, at least. */
  readonly leastLength?: number | undefined;
  /** Degrees by which angles may miss 90°. */
  readonly mostOblique?: number | undefined;
}

export interface FoundCell {
  /** Columns: the axes in terms of those of the primitive cell, whole numbers. */
  readonly matrix: Mat3;
  /** Primitive cells it is made of. */
  readonly times: number;
  readonly atoms: number;
  readonly cell: Cell;
  /** Å: the shortest translation. */
  readonly shortest: number;
  /** Degrees: the angle furthest from 90°. */
  readonly oblique: number;
}

/** Sublattices that are looked at before the search ends. */
const MOST_LATTICES = 40_000;

/** Every sublattice of an index once, in Hermite normal form, columns the axes. */
export function* sublattices(index: number): Generator<Mat3> {
  for (let a = 1; a <= index; a++) {
    if (index % a) continue;
    const rest = index / a;
    for (let d = 1; d <= rest; d++) {
      if (rest % d) continue;
      const f = rest / d;
      for (let b = 0; b < d; b++)
        for (let c = 0; c < f; c++) for (let e = 0; e < f; e++) yield [a, 0, 0, b, d, 0, c, e, f];
    }
  }
}

/** σ-like count of the sublattices of an index. */
function howMany(index: number): number {
  let sum = 0;
  for (let a = 1; a <= index; a++)
    if (index % a === 0)
      for (let d = 1; d <= index / a; d++) if ((index / a) % d === 0) sum += d * (index / a / d) ** 2;
  return sum;
}

/**
 * The best cell of each size that is as wished, smallest first: of one size the one whose copies keep furthest apart. Throws
 * RangeError where none is.
 */
export function searchCells(s: Structure, search: CellSearch): FoundCell[] {
  const primitive = namedCell(s, 'primitive');
  const metric = metricTensor(primitive.structure.cell);
  const out: FoundCell[] = [];
  let looked = 0;
  for (let times = 1; times * primitive.after <= search.mostAtoms; times++) {
    looked += howMany(times);
    if (looked > MOST_LATTICES) break;
    if (times * primitive.after < (search.leastAtoms ?? 0)) continue;
    let best: FoundCell | undefined;
    for (const h of sublattices(times)) {
      const found = reduced(metric, h, times, primitive.after);
      if (found.shortest < (search.leastLength ?? 0) - 1e-6 || found.oblique > (search.mostOblique ?? 90) + 1e-6)
        continue;
      if (!best || isBetter(found, best)) best = found;
    }
    if (best) out.push(best);
  }
  if (!out.length)
    throw new RangeError(
      `No cell up to ${search.mostAtoms} atoms is like that; the primitive one holds ${primitive.after}. Allow more atoms, or ask for less.`,
    );
  return out;
}

/** The further copies are apart the better; then the nearer to 90°. */
const isBetter = (p: FoundCell, q: FoundCell): boolean =>
  p.shortest > q.shortest + 1e-6 || (p.shortest > q.shortest - 1e-6 && p.oblique < q.oblique - 1e-6);

function reduced(metric: Mat3, h: Mat3, times: number, atoms: number): FoundCell {
  const { p, metric: short } = niggliReduce(congruence(metric, h));
  const cell = cellFromMetric(short);
  return {
    matrix: toMat3(multiply3(h, p).map((x) => Math.round(x) + 0)),
    times,
    atoms: times * atoms,
    cell,
    shortest: Math.min(cell.a, cell.b, cell.c),
    oblique: Math.max(...[cell.alpha, cell.beta, cell.gamma].map((x) => Math.abs(x - 90))),
  };
}

/** The supercell of the primitive cell with these axes. Throws RangeError as `supercell` does. */
export function shapedCell(s: Structure, matrix: Mat3): CellAnswer {
  const primitive = namedCell(s, 'primitive');
  const answer = supercell(primitive.structure, matrix);
  const determinant = (determinant3(matrix) * primitive.after) / primitive.before;
  return { ...answer, before: primitive.before, determinant, words: `Primitive cells: ${answer.words}` };
}
