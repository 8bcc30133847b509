/** Cells of whole-number multiples of the axes: every atom as often as the determinant says, counted before and after. */
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import { metricTensor } from '../crystal/cell.ts';
import { congruence, niggliReduce } from '../crystal/lattice.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { IntegerLattice } from '../math/integer-lattice.ts';
import {
  add,
  apply3,
  determinant3,
  IDENTITY3,
  inverse3,
  multiply3,
  scale,
  subtract,
  type Mat3,
  type Vec3,
  toVec3,
} from '../math/matrix3.ts';
import { changeStructure, describeIn } from '../symmetry/change-setting.ts';
import { settingsOf } from '../symmetry/settings-of.ts';
import { coincident, intoCell, separation, wholeCell, withOwnLabels } from './whole-cell.ts';

/** What became of a crystal, with the count that proves it. */
export interface CellAnswer {
  readonly structure: Structure;
  /** Atoms of a cell before and after. */
  readonly before: number;
  readonly after: number;
  readonly determinant: number;
  /** Atoms that stood in one place with another and became one with it. */
  readonly merged: number;
  readonly words: string;
}

const ZERO: Vec3 = [0, 0, 0];

/** One lattice point of the old axes for each old cell in the new one; `p` holds the new axes as columns, whole numbers. */
export function cosets(p: Mat3): Vec3[] {
  const lattice = new IntegerLattice();
  for (const j of [0, 1, 2]) lattice.add([p[j]!, p[3 + j]!, p[6 + j]!]);
  const [x, y, z] = lattice.basis;
  if (!x || !y || !z) throw new RangeError('The determinant is 0: the three new axes lie in one plane.');
  const out: Vec3[] = [];
  for (let i = 0; i < x[0]; i++) for (let j = 0; j < y[1]; j++) for (let k = 0; k < z[2]; k++) out.push([i, j, k]);
  return out;
}

/** Nine numbers by rows, each row a new axis in terms of the old ones, as "2,0,0;0,2,0;0,0,1". Throws SyntaxError with what may be written. */
export function parseMatrix(text: string): Mat3 {
  const rows = text.split(';').map((row) =>
    row
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number),
  );
  const flat =
    rows.length === 1 && rows[0]!.length === 3
      ? rows[0]!.flatMap((n, i) => [0, 1, 2].map((j) => (i === j ? n : 0)))
      : rows.flat();
  if (flat.length !== 9 || !flat.every(Number.isInteger))
    throw new SyntaxError(
      `"${text}" is no matrix of whole numbers. Write the new axes one after another in terms of a, b, c, as "2,0,0;0,2,0;0,0,1", or three multiples, "2,2,1".`,
    );
  const [a, b, c] = [flat.slice(0, 3), flat.slice(3, 6), flat.slice(6)] as [number[], number[], number[]];
  return [a[0]!, b[0]!, c[0]!, a[1]!, b[1]!, c[1]!, a[2]!, b[2]!, c[2]!];
}

/** Throws RangeError with the reason where columns are no axes of a larger cell. */
function checkedDeterminant(p: Mat3): number {
  if (!p.every(Number.isInteger)) throw new RangeError('A supercell takes whole numbers.');
  const det = determinant3(p);
  if (det === 0) throw new RangeError('The determinant is 0: the three new axes lie in one plane.');
  if (det < 0)
    throw new RangeError(
      `The determinant is ${det}: the new axes are left-handed. Exchange two of them or turn one round.`,
    );
  return det;
}

/** The most atoms that are made; more is a slip of the hand. */
export const MOST_ATOMS = 200_000;

/**
 * The cell whose axes are the columns of `p` in terms of the old ones, in P 1. Throws RangeError where they are no axes, or
 * where the atoms would be too many.
 */
export function supercell(s: Structure, p: Mat3): CellAnswer {
  const determinant = checkedDeterminant(p);
  const whole = wholeCell(s);
  const before = whole.sites.length;
  if (before * determinant > MOST_ATOMS)
    throw new RangeError(`${before} atoms × ${determinant} would be more than ${MOST_ATOMS.toLocaleString('en')}.`);
  const base = describeIn(whole, { p, origin: ZERO }, spaceGroupFromSymbol('P 1'));
  const q = inverse3(p);
  const shifts = cosets(p).map((n) => apply3(q, n));
  const sites = base.sites.flatMap((x) =>
    shifts.map((d): Site => ({ ...x, id: newId(), position: toVec3(add(x.position, d).map(tidy)) })),
  );
  return counted({ ...base, sites: withOwnLabels(sites) }, before, determinant);
}

/** Twelfths and their like keep their exact value through the arithmetic. */
const tidy = (x: number): number => {
  const y = intoCell(x);
  const near = Math.round(y * 5040) / 5040;
  return Math.abs(near - y) < 1e-12 ? near : y;
};

/** Merges what stands in one place and says in words that nothing was lost. */
function counted(s: Structure, before: number, determinant: number): CellAnswer {
  const { structure, merged } = mergeCoincident(s);
  const after = structure.sites.length;
  const product = Number((before * determinant).toFixed(6));
  const sum = `${before} atoms × ${Number(determinant.toFixed(6))} = ${product}`;
  const words = merged
    ? `${sum}; ${merged} stood in the place of another and became one with it: ${after}.`
    : `${sum}, as it should be.`;
  return { structure, before, after, determinant, merged, words };
}

/** Atoms of one element in one place (0.05 Å) become one; ions that share a place partly stay. */
export function mergeCoincident(s: Structure): { structure: Structure; merged: number } {
  const gone = new Set<number>();
  for (const [i, j] of coincident(s)) {
    const [a, b] = [s.sites[i]!, s.sites[j]!];
    if (!gone.has(i) && a.element === b.element && a.occupancy + b.occupancy > 1.001) gone.add(j);
  }
  return { structure: gone.size ? { ...s, sites: s.sites.filter((_, i) => !gone.has(i)) } : s, merged: gone.size };
}

export type NamedCell = 'primitive' | 'conventional' | 'reduced';

/**
 * The primitive, the conventional (standard setting) or the reduced cell. The symmetry goes with it; of a crystal in P 1 the
 * translations that its atoms have beyond its axes are found first. Throws RangeError where there is no such cell.
 */
export function namedCell(s: Structure, which: NamedCell): CellAnswer {
  const before = wholeCell(s).sites.length;
  if (which === 'conventional') {
    const standard = settingsOf(s.cell, s.spaceGroup).find((c) => c.standard);
    if (!standard) throw new RangeError('The type of this space group is not known, so it has no standard setting.');
    return inAxes(s, before, standard.change.p, standard.change.origin);
  }
  const alone = s.spaceGroup.representatives.length === 1 && s.spaceGroup.centring.length === 1;
  const hidden = alone ? hiddenTranslations(s) : [];
  if (hidden.length) return shrunken(s, before, reducedBasis(s, hidden));
  if (which === 'primitive' && s.spaceGroup.centring.length === 1) return inAxes(s, before, IDENTITY3, ZERO);
  return inAxes(s, before, reducedBasis(s, s.spaceGroup.centring), ZERO);
}

function reducedBasis(s: Structure, centring: readonly Vec3[]): Mat3 {
  const basis = primitiveBasisOf(centring);
  return multiply3(basis, niggliReduce(congruence(metricTensor(s.cell), basis)).p);
}

/** A primitive basis of any translations beside the axes: those of halves and thirds by the tabulated way, others by echelon form. */
function primitiveBasisOf(centring: readonly Vec3[]): Mat3 {
  const common = 5040;
  const lattice = new IntegerLattice();
  for (const v of [[1, 0, 0], [0, 1, 0], [0, 0, 1], ...centring] as Vec3[])
    lattice.add(toVec3(v.map((x) => Math.round(x * common))));
  const [u, v, w] = lattice.basis.map((r) => scale(r, 1 / common)) as [Vec3, Vec3, Vec3];
  return [u[0], v[0], w[0], u[1], v[1], w[1], u[2], v[2], w[2]];
}

/** Å by which atoms may miss the place a translation leads to. */
const SAME_ATOM = 0.02;

/** Translations that carry a crystal in P 1 to itself beside its axes, fractional, as multiples of 1/5040. */
export function hiddenTranslations(s: Structure): Vec3[] {
  const g = metricTensor(s.cell);
  const kinds = new Map<string, number[]>();
  s.sites.forEach((x, i) => {
    const key = `${x.element} ${x.occupancy.toFixed(3)}`;
    const list = kinds.get(key);
    if (list) list.push(i);
    else kinds.set(key, [i]);
  });
  const rarest = [...kinds.values()].sort((p, q) => p.length - q.length)[0] ?? [];
  const from = s.sites[rarest[0]!];
  if (!from) return [];
  const carries = (v: Vec3): boolean =>
    [...kinds.values()].every((list) =>
      list.every((i) => {
        const to = add(s.sites[i]!.position, v);
        return list.some((j) => separation(g, s.sites[j]!.position, to) < SAME_ATOM);
      }),
    );
  return rarest.slice(1).flatMap((i) => {
    const v = toVec3(subtract(s.sites[i]!.position, from.position).map((x) => Math.round(intoCell(x) * 5040) / 5040));
    return carries(v) ? [v] : [];
  });
}

/** A smaller cell of a crystal in P 1: what repeats itself becomes one. */
function shrunken(s: Structure, before: number, p: Mat3): CellAnswer {
  const moved = describeIn(wholeCell(s), { p, origin: ZERO }, spaceGroupFromSymbol('P 1'));
  const sites = moved.sites.map((x) => ({ ...x, position: toVec3(x.position.map(tidy)) }));
  const determinant = determinant3(p);
  const { structure } = mergeCoincident({ ...moved, sites });
  return proven(structure, before, determinant);
}

function inAxes(s: Structure, before: number, p: Mat3, origin: Vec3): CellAnswer {
  return proven(changeStructure(s, { p, origin }), before, determinant3(p));
}

/** The answer with its count; throws RangeError where the atoms are not as many as the determinant says. */
export function proven(structure: Structure, before: number, determinant: number): CellAnswer {
  const after = wholeCell(structure).sites.length;
  const product = `${before} atoms × ${Number(determinant.toFixed(4))}`;
  if (Math.abs(before * determinant - after) > 1e-3)
    throw new RangeError(`The new cell would hold ${after} atoms instead of ${product}.`);
  return { structure, before, after, determinant, merged: 0, words: `${product} = ${after}, as it should be.` };
}

/** Multiples of the axes as a matrix. */
export const multiples = (n: number, m: number, k: number): Mat3 => [n, 0, 0, 0, m, 0, 0, 0, k];

/** The smallest n × m × k whose axes are each at least `length` Å. */
export const multiplesReaching = (s: Structure, length: number): Mat3 =>
  multiples(
    ...([s.cell.a, s.cell.b, s.cell.c].map((x) => Math.max(1, Math.ceil(length / x - 1e-9))) as [
      number,
      number,
      number,
    ]),
  );
