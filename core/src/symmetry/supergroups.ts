/** Space groups that the found operations make together with the present one, exact operators and origin included. */
import { metricTensor, type Cell } from '../crystal/cell.ts';
import { averagedMetric } from '../crystal/group-cell.ts';
import { nameGroup } from '../crystal/identify.ts';
import { changeBasis, rotationKey, type RotationKey, rotationType, type Operator } from '../crystal/operator.ts';
import { groupOrder, spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, inverse3, multiply3, type Mat3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { lengthOf, shortest } from './cell-lookup.ts';
import { combineChanges, type AxesChange } from './change-setting.ts';
import { latticesOf, type Lattice } from './finer-lattices.ts';
import {
  latticePart,
  operationsOf,
  rotationsOfView,
  viewThrough,
  type FoundOperation,
  type LatticeView,
} from './search.ts';
import { settingsOf } from './settings-of.ts';

/** A supergroup as the operations found make it, before it has a name. */
export interface Supergroup {
  /** Operations per cell against those of the present group. */
  readonly index: number;
  /** Å. */
  readonly maxDeviation: number;
  readonly rms: number;
  /** Smallest share of the model that any of the new operations fits. */
  readonly fit: number;
  readonly misfits: FoundOperation['misfits'];
  /** Largest relative change of the metric that the new lattice symmetry asks for. */
  readonly metricMisfit: number;
  /** Operators of the supergroup in the present axes (before any shift of origin), those of a present cell. */
  readonly operators: readonly Operator[];
}

export interface MissedGroup extends Supergroup {
  /** In its standard setting. */
  readonly group: SpaceGroup;
  /** From the present axes to those of the group. */
  readonly change: AxesChange;
  readonly cell: Cell;
}

/** Operations in the axes of a view, one of each rotation; their translations are known only roughly. */
interface Loose {
  readonly operators: readonly Operator[];
  readonly used: readonly FoundOperation[];
}

const isIdentity = (r: Mat3): boolean => rotationKey(r) === rotationKey(IDENTITY3);

/** The product a∘b with its translation as it comes. */
function composed(a: Operator, b: Operator): Operator {
  const u = apply3(a.r, b.t);
  return { r: multiply3(a.r, b.r), t: [a.t[0] + u[0], a.t[1] + u[1], a.t[2] + u[2]] };
}

/** Closes operators whose translations are known only roughly; undefined where a product was not found in the model. */
function closeLoosely(
  start: readonly Operator[],
  found: ReadonlyMap<RotationKey, readonly FoundOperation[]>,
  view: LatticeView,
): Loose | undefined {
  const apart = (a: Vec3, b: Vec3): number =>
    lengthOf(view.lookup.g, shortest([a[0] - b[0], a[1] - b[1], a[2] - b[2]]));
  const members: Operator[] = [];
  const at = new Map<RotationKey, Operator>();
  const used = new Set<FoundOperation>();
  const take = (o: Operator): void => {
    at.set(rotationKey(o.r), o);
    members.push(o);
  };
  /** Takes a product in; false where it belongs to no group of this lattice. */
  const admit = (product: Operator): boolean => {
    const key = rotationKey(product.r);
    const known = at.get(key);
    // A product that differs by a translation would need a finer lattice.
    if (known) return apart(product.t, known.t) < view.reach;
    const near = found.get(key)?.find((f) => apart(f.operator.t, product.t) < view.reach);
    if (!near || members.length >= 48) return false;
    used.add(near);
    take(product);
    return true;
  };
  for (const o of start) if (!at.has(rotationKey(o.r))) take(o);
  for (let i = 0; i < members.length; i++)
    for (let j = 0; j <= i; j++)
      if (!admit(composed(members[i]!, members[j]!)) || !admit(composed(members[j]!, members[i]!))) return undefined;
  return { operators: members, used: [...used] };
}

/**
 * Makes roughly known translations exact. The defects e(a,b) = u(a) + R(a)u(b) − u(ab) − n form a cocycle of a finite group with
 * values in R³, which is the boundary of its average over b; taking that away leaves an exact group.
 */
export function exactOperators(loose: readonly Operator[], centring: readonly Vec3[]): Operator[] {
  const split = latticePart(centring);
  const at = new Map(loose.map((o) => [rotationKey(o.r), o]));
  return loose.map((a) => {
    const mean = [0, 0, 0];
    for (const b of loose) {
      const u = apply3(a.r, b.t),
        c = at.get(rotationKey(multiply3(a.r, b.r)))!;
      split([a.t[0] + u[0] - c.t[0], a.t[1] + u[1] - c.t[1], a.t[2] + u[2] - c.t[2]]).rest.forEach(
        (x, i) => (mean[i]! += x / loose.length),
      );
    }
    return { r: a.r, t: [a.t[0] - mean[0]!, a.t[1] - mean[1]!, a.t[2] - mean[2]!] as Vec3 };
  });
}

/** An origin about which all translations are multiples of simple fractions: on the operation that fixes most, then along what it leaves free. */
export function rationalOrigin(operators: readonly Operator[]): Vec3 {
  let origin: Vec3 = [0, 0, 0];
  // The mean of the orbit of a point under the finite part is fixed as far as the group fixes anything.
  const n = operators.length;
  const inversion = operators.find((o) => rotationType(o.r) === -1);
  if (inversion) return toVec3(inversion.t.map((x) => x / 2));
  const rounds = [...operators].filter((o) => rotationType(o.r) !== 1).sort((p, q) => freedom(p) - freedom(q));
  const fixed: Operator[] = [];
  for (const o of rounds.slice(0, n)) {
    // Moves only along directions that every operation dealt with so far leaves free.
    let free = IDENTITY3 as readonly number[];
    for (const f of fixed) free = multiply3(free as never, projector(f));
    const shifted = changeBasis(o, IDENTITY3, origin);
    const d = locate(shifted);
    const step = apply3(free as never, d);
    origin = [origin[0] + step[0], origin[1] + step[1], origin[2] + step[2]];
    fixed.push(o);
  }
  return origin;
}

/** Projects on what an operation leaves where it is. */
function projector(o: Operator): readonly [number, number, number, number, number, number, number, number, number] {
  const sum = new Array<number>(9).fill(0);
  let r = IDENTITY3 as typeof o.r;
  for (let k = 0; k < 12; k++) {
    r.forEach((x, i) => (sum[i]! += x / 12));
    r = multiply3(o.r, r);
  }
  return sum as never;
}
const freedom = (o: Operator): number => {
  const p = projector(o);
  return Math.round(p[0] + p[4] + p[8]);
};

/** A fixed point of the operation without its gliding part. */
function locate(o: Operator): Vec3 {
  const p = projector(o);
  const w = apply3(p, o.t);
  const t: Vec3 = [o.t[0] - w[0], o.t[1] - w[1], o.t[2] - w[2]];
  let x: Vec3 = [0, 0, 0];
  const sum = [0, 0, 0];
  for (let k = 0; k < 12; k++) {
    x.forEach((v, i) => (sum[i]! += v / 12));
    const y = apply3(o.r, x);
    x = [y[0] + t[0], y[1] + t[1], y[2] + t[2]];
  }
  return toVec3(sum);
}

/** How many supergroups of one lattice are looked for beyond those that single operations make, and how many pairs are tried for them. */
const MOST_JOINED = 40,
  MOST_TRIES = 400;
/** Share of the electrons that has to fit for an operation to be spoken of. */
const LEAST_FIT = 0.8;

/** Groups that the operations found in a view make with the present one: of each operation alone, of as many as go together, and of pairs of these. */
function closedGroups(view: LatticeView, found: readonly FoundOperation[], finer: boolean): Loose[] {
  const byRotation = new Map<RotationKey, FoundOperation[]>();
  for (const f of found) {
    const key = rotationKey(f.operator.r);
    byRotation.set(key, [...(byRotation.get(key) ?? []), f]);
  }
  const closed = new Map<string, Loose>();
  const offer = (start: readonly Operator[], with_: readonly FoundOperation[]): Loose | undefined => {
    const made = closeLoosely(start, byRotation, view);
    if (!made) return undefined;
    const all: Loose = { ...made, used: [...new Set([...with_, ...made.used])] };
    const key = keyOf(all);
    if (!closed.has(key)) closed.set(key, all);
    return all;
  };
  if (finer) offer(view.own, []);
  const singles = found.flatMap((f) => (isIdentity(f.operator.r) ? [] : (offer([...view.own, f.operator], [f]) ?? [])));
  // One after another into a group as large as they make: pairs alone would come to an end before the highest ones.
  let largest = singles[0];
  for (const c of singles)
    largest = largest && (offer([...largest.operators, ...c.operators], [...largest.used, ...c.used]) ?? largest);
  const most = closed.size + MOST_JOINED;
  let tries = MOST_TRIES;
  const list = [...closed.values()];
  for (let i = 0; i < list.length; i++)
    for (let j = 0; j < i && tries > 0 && closed.size < most; j++) {
      tries--;
      const before = closed.size;
      const made = offer([...list[i]!.operators, ...list[j]!.operators], [...list[i]!.used, ...list[j]!.used]);
      if (made && closed.size > before) list.push(made);
    }
  return list;
}

/** The same rotations with the same translations, to a twelfth of the cell. */
const keyOf = (l: Loose): string =>
  l.operators
    .map((o) => `${rotationKey(o.r)}:${o.t.map((x) => Math.round((x - Math.floor(x)) * 12) % 12).join()}`)
    .sort()
    .join(';');

/** A supergroup with what its name is worked out from. */
export interface Candidate extends Supergroup {
  readonly basis: Mat3;
  readonly metric: Cell;
  /** One of each rotation, in the axes of the basis. */
  readonly exact: readonly Operator[];
}

/** Every supergroup that the model comes near to, the most symmetric first: on its own lattice, and on finer ones. Geometry only; the data are asked elsewhere. */
export function supergroupsFound(s: Structure, tolerance = 0.25): Candidate[] {
  const out = latticesOf(s, tolerance).flatMap((lattice): Candidate[] => {
    const view = viewThrough(s, lattice.centring, tolerance);
    const found = operationsOf(view, rotationsOfView(view), tolerance, LEAST_FIT);
    return closedGroups(view, found, lattice.used.length > 0).flatMap((l) => candidateOf(s, view, lattice, l) ?? []);
  });
  return out.sort((p, q) => q.index - p.index || q.fit - p.fit || p.rms - q.rms);
}

/** The same with names, each group once. */
export function missedGroups(s: Structure, tolerance = 0.25): MissedGroup[] {
  const out: MissedGroup[] = [];
  for (const m of supergroupsFound(s, tolerance)) {
    if (out.some((o) => o.index === m.index && containsGroup(s, o, m))) continue;
    const named = namedGroup(m);
    if (named) out.push(named);
  }
  return out;
}

/**
 * Whether the geometry speaks for a group without reserve: nearly all of the model fits, on the average within half of the tolerance,
 * and the cell keeps to it within what cells are measured to. Distortions that a crystal has by nature fail in one of them.
 */
export const isWhole = (m: Supergroup, tolerance: number): boolean =>
  m.fit > 0.97 && m.rms <= 0.5 * tolerance && m.metricMisfit < 0.006;

/** Whether one group has all operations of the other (both of one structure). */
export function containsGroup(s: Structure, large: Supergroup, small: Supergroup): boolean {
  if (large.operators.length % small.operators.length) return false;
  const g = metricTensor(s.cell);
  const within = (o: Operator): boolean =>
    large.operators.some(
      (p) =>
        rotationKey(p.r) === rotationKey(o.r) &&
        lengthOf(g, shortest([p.t[0] - o.t[0], p.t[1] - o.t[1], p.t[2] - o.t[2]])) < 0.5,
    );
  return small.operators.every(within);
}

/** The exact operations of a group that is known loosely, in the present axes, and how well the model keeps to them. */
function candidateOf(s: Structure, view: LatticeView, lattice: Lattice, l: Loose): Candidate | undefined {
  const used = [...lattice.used, ...l.used];
  if (!used.length) return undefined;
  const exact = exactOperators(l.operators, [[0, 0, 0]]);
  const { metric, misfit } = averagedMetric(
    view.cell,
    exact.map((o) => o.r),
  );
  const back = inverse3(view.basis);
  return {
    index: (l.operators.length * lattice.centring.length) / groupOrder(s.spaceGroup),
    maxDeviation: Math.max(...used.map((f) => f.maxDeviation)),
    rms: Math.max(...used.map((f) => f.rms)),
    fit: Math.min(...used.map((f) => f.fit)),
    misfits: used.reduce((p, q) => (q.misfits.length > p.misfits.length ? q : p), used[0]!).misfits,
    metricMisfit: misfit,
    operators: exact
      .map((o) => changeBasis(o, back, [0, 0, 0]))
      .flatMap((o) =>
        lattice.centring.map((c) => ({ r: o.r, t: [o.t[0] + c[0], o.t[1] + c[1], o.t[2] + c[2]] as Vec3 })),
      ),
    basis: view.basis,
    metric,
    exact,
  };
}

/** A supergroup that was found, in its standard setting; undefined where the operations only seemed to close. */
export function namedGroup(m: Candidate): MissedGroup | undefined {
  const { basis, metric, exact, ...plain } = m;
  const origin = rationalOrigin(exact);
  try {
    const shifted = exact
      .map((o) => changeBasis(o, IDENTITY3, origin))
      .map((o) => ({
        r: o.r,
        t: toVec3(o.t.map((x) => (Math.abs(x * 24 - Math.round(x * 24)) < 1e-3 ? (Math.round(x * 24) / 24) % 1 : x))),
      }));
    const group = nameGroup(spaceGroupFromOperators(shifted));
    if (groupOrder(group) !== exact.length) return undefined;
    const standard = settingsOf(metric, group).find((c) => c.standard);
    if (!standard) return undefined;
    const change = combineChanges(
      { p: basis, origin: [0, 0, 0] },
      combineChanges({ p: IDENTITY3, origin }, standard.change),
    );
    return { ...plain, group: standard.group, change, cell: standard.cell };
  } catch {
    return undefined;
  }
}
