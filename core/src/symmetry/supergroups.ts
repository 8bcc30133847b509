/** Space groups that the found operations make together with the present one, exact operators and origin included. */
import { metricTensor, type Cell } from '../crystal/cell.ts';
import { nameGroup } from '../crystal/identify.ts';
import { changeBasis, rotationKey, rotationType, type Operator } from '../crystal/operator.ts';
import { allOperators, groupOrder, spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, IDENTITY3, multiply3, type Vec3, toVec3 } from '../math/matrix3.ts';
import { combineChanges, type AxesChange } from './change-setting.ts';
import { latticePart, searchOperations, type FoundOperation } from './search.ts';
import { settingsOf } from './settings-of.ts';

export interface MissedGroup {
  /** In its standard setting. */
  readonly group: SpaceGroup;
  /** From the present axes to those of the group. */
  readonly change: AxesChange;
  readonly cell: Cell;
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
  /** Operators of the supergroup in the present axes (before any shift of origin). */
  readonly operators: readonly Operator[];
  readonly added: readonly FoundOperation[];
}

interface Loose {
  operators: Operator[];
  centring: Vec3[];
  used: FoundOperation[];
}

const RATIONAL = [0, 1 / 6, 1 / 4, 1 / 3, 1 / 2, 2 / 3, 3 / 4, 5 / 6, 1];
const rational = (x: number, slack: number): number | undefined =>
  RATIONAL.find((r) => Math.abs(x - Math.floor(x) - r) < slack);

/** Closes operators whose translations are known only roughly; undefined where a product was not found in the model. */
function closeLoosely(
  start: readonly Operator[],
  centring: readonly Vec3[],
  found: readonly FoundOperation[],
  cell: Cell,
  reach: number,
): Loose | undefined {
  const g = metricTensor(cell);
  const length = (d: Vec3): number => {
    const w = apply3(g, d);
    return Math.sqrt(Math.max(0, d[0] * w[0] + d[1] * w[1] + d[2] * w[2]));
  };
  const split = latticePart(centring);
  const members: Operator[] = [];
  const at = new Map<string, Operator>();
  const used = new Set<FoundOperation>();
  for (const o of start)
    if (!at.has(rotationKey(o.r))) {
      at.set(rotationKey(o.r), o);
      members.push(o);
    }
  for (let i = 0; i < members.length; i++)
    for (let j = 0; j < members.length; j++) {
      const a = members[i]!,
        b = members[j]!;
      const u = apply3(a.r, b.t);
      const r = multiply3(a.r, b.r),
        t: Vec3 = [a.t[0] + u[0], a.t[1] + u[1], a.t[2] + u[2]];
      const key = rotationKey(r);
      const known = at.get(key);
      if (known) {
        const { rest } = split([t[0] - known.t[0], t[1] - known.t[1], t[2] - known.t[2]]);
        if (length(rest) < reach) continue;
        // A product that differs by a translation: the lattice itself would have to be finer.
        const match = found.find(
          (f) =>
            rotationKey(f.operator.r) === rotationKey(IDENTITY3) &&
            length(split([f.operator.t[0] - rest[0], f.operator.t[1] - rest[1], f.operator.t[2] - rest[2]]).rest) <
              reach,
        );
        const exact = match && rest.map((x) => rational(x, 0.04));
        if (!match || !exact || exact.some((x) => x === undefined)) return undefined;
        const finer = spaceGroupFromOperators(
          [...centring, toVec3(exact.map((x) => x! % 1))].map((c): Operator => ({ r: IDENTITY3, t: c })),
        );
        if (finer.centring.length > 8 || finer.centring.length === centring.length) return undefined;
        const deeper = closeLoosely(members, finer.centring, found, cell, reach);
        deeper?.used.push(match, ...used);
        return deeper;
      }
      const near = found.find(
        (f) =>
          rotationKey(f.operator.r) === key &&
          length(split([f.operator.t[0] - t[0], f.operator.t[1] - t[1], f.operator.t[2] - t[2]]).rest) < reach,
      );
      if (!near) return undefined;
      used.add(near);
      const o = { r, t };
      at.set(key, o);
      members.push(o);
      if (members.length > 48) return undefined;
    }
  return { operators: members, centring: [...centring], used: [...used] };
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

/** Every supergroup the found operations allow, the most symmetric first. Geometry only; the data are asked elsewhere. */
export function missedGroups(
  s: Structure,
  tolerance = 0.25,
  found: readonly FoundOperation[] = searchOperations(s, tolerance),
): MissedGroup[] {
  const own = allOperators(s.spaceGroup).slice(0, s.spaceGroup.representatives.length);
  const reach = Math.max(0.8, 3 * tolerance);
  const closed: Loose[] = [];
  const keyOf = (l: Loose): string =>
    `${l.centring.length}|${l.operators
      .map((o) => rotationKey(o.r))
      .sort()
      .join(
        ';',
      )}|${l.used.map((f) => f.operator.t.map((x) => Math.round((x - Math.floor(x)) * 12) % 12).join()).sort()[0] ?? ''}`;
  const seen = new Set<string>();
  const offer = (
    start: readonly Operator[],
    centring: readonly Vec3[],
    with_: readonly FoundOperation[],
  ): Loose | undefined => {
    const l = closeLoosely(start, centring, found, s.cell, reach);
    if (!l) return undefined;
    const all: Loose = { ...l, used: [...new Set([...with_, ...l.used])] };
    const key = keyOf(all);
    if (!seen.has(key)) {
      seen.add(key);
      closed.push(all);
    }
    return all;
  };
  for (const f of found) {
    if (rotationKey(f.operator.r) === rotationKey(IDENTITY3)) {
      const t = f.operator.t.map((x) => rational(x, 0.04));
      if (t.some((x) => x === undefined)) continue;
      const finer = spaceGroupFromOperators(
        [...s.spaceGroup.centring, toVec3(t.map((x) => x! % 1))].map((c): Operator => ({
          r: IDENTITY3,
          t: c,
        })),
      );
      if (finer.centring.length <= 8) offer(own, finer.centring, [f]);
    } else if (!own.some((o) => rotationKey(o.r) === rotationKey(f.operator.r)))
      offer([...own, f.operator], s.spaceGroup.centring, [f]);
  }
  // One after another into a group as large as they make: pairs alone would come to an end before the highest ones.
  let largest = closed[0];
  for (const c of [...closed]) {
    if (!largest || c.centring.length !== largest.centring.length) continue;
    largest = offer([...largest.operators, ...c.operators], c.centring, [...largest.used, ...c.used]) ?? largest;
  }
  const most = Math.max(40, closed.length + 8);
  for (let i = 0; i < closed.length && closed.length < most; i++)
    for (let j = 0; j < i && closed.length < most; j++) {
      const a = closed[i]!,
        b = closed[j]!;
      if (a.centring.length !== b.centring.length) continue;
      offer([...a.operators, ...b.operators], a.centring, [...a.used, ...b.used]);
    }
  const out: MissedGroup[] = [];
  for (const l of closed) {
    const made = finish(s, l);
    if (
      made &&
      !out.some(
        (o) =>
          o.group.hall === made.group.hall &&
          o.index === made.index &&
          o.change.origin.every(
            (x, i) => Math.abs(x - made.change.origin[i]! - Math.round(x - made.change.origin[i]!)) < 0.02,
          ),
      )
    )
      out.push(made);
  }
  return out.sort((p, q) => q.index - p.index || q.fit - p.fit || p.rms - q.rms);
}

function finish(s: Structure, l: Loose): MissedGroup | undefined {
  const exact = exactOperators(l.operators, l.centring);
  const origin = rationalOrigin(exact);
  try {
    const shifted = exact
      .map((o) => changeBasis(o, IDENTITY3, origin))
      .map((o) => ({
        r: o.r,
        t: toVec3(o.t.map((x) => (Math.abs(x * 24 - Math.round(x * 24)) < 1e-3 ? (Math.round(x * 24) / 24) % 1 : x))),
      }));
    const group = nameGroup(
      spaceGroupFromOperators([...shifted, ...l.centring.map((t): Operator => ({ r: IDENTITY3, t }))]),
    );
    if (groupOrder(group) !== l.operators.length * l.centring.length) return undefined;
    const { metric, misfit } = averagedMetric(s.cell, group);
    const standard = settingsOf(metric, group).find((c) => c.standard);
    if (!standard) return undefined;
    const change = combineChanges({ p: IDENTITY3, origin }, standard.change);
    const worst = l.used.reduce((p, q) => (q.maxDeviation > p.maxDeviation ? q : p), l.used[0]!);
    return {
      group: standard.group,
      change,
      cell: standard.cell,
      index: groupOrder(group) / groupOrder(s.spaceGroup),
      maxDeviation: worst.maxDeviation,
      rms: Math.max(...l.used.map((f) => f.rms)),
      fit: Math.min(...l.used.map((f) => f.fit)),
      misfits: l.used.reduce((p, q) => (q.misfits.length > p.misfits.length ? q : p), l.used[0]!).misfits,
      metricMisfit: misfit,
      operators: exact.flatMap((o) =>
        l.centring.map((c) => ({ r: o.r, t: [o.t[0] + c[0], o.t[1] + c[1], o.t[2] + c[2]] as Vec3 })),
      ),
      added: l.used,
    };
  } catch {
    // Not a space group after all: the operations only seemed to close.
    return undefined;
  }
}

/** The cell whose metric the group's rotations keep exactly, and how far the given one was from it (relative). */
export function averagedMetric(cell: Cell, group: SpaceGroup): { metric: Cell; misfit: number } {
  const g = metricTensor(cell);
  const sum = new Array<number>(9).fill(0);
  const n = group.representatives.length;
  for (const { r } of group.representatives)
    multiply3([r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]], multiply3(g, r)).forEach(
      (x, i) => (sum[i]! += x / n),
    );
  let misfit = 0;
  sum.forEach(
    (x, i) => (misfit = Math.max(misfit, Math.abs(x - g[i]!) / Math.sqrt(g[4 * Math.floor(i / 3)]! * g[4 * (i % 3)]!))),
  );
  const [a, b, c] = [Math.sqrt(sum[0]!), Math.sqrt(sum[4]!), Math.sqrt(sum[8]!)];
  const angle = (x: number): number => {
    const d = (Math.acos(Math.max(-1, Math.min(1, x))) * 180) / Math.PI;
    return Math.abs(d - Math.round(d)) < 1e-7 ? Math.round(d) : d;
  };
  return {
    metric: {
      a,
      b,
      c,
      alpha: angle(sum[5]! / (b * c)),
      beta: angle(sum[2]! / (a * c)),
      gamma: angle(sum[1]! / (a * b)),
      ...(cell.su ? { su: cell.su } : {}),
    },
    misfit,
  };
}
