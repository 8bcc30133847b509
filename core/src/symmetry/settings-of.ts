/** Every tabulated setting in which a structure can be described, with the shortest cell for each: candidates from axis directions and the lattice itself. */
import { cellFromMetric, metricTensor, transformCell, type Cell } from '../crystal/cell.ts';
import { identifyGroup, originShift } from '../crystal/identify.ts';
import { centringInBasis, congruence, niggliReduce, primitiveBasis } from '../crystal/lattice.ts';
import { changeBasis, rotationAxis, rotationKey, rotationType, type Operator } from '../crystal/operator.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import { groupOfSetting, referenceSetting, SETTINGS, type Setting } from '../crystal/settings.ts';
import { spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import {
  apply3,
  determinant3,
  IDENTITY3,
  inverse3,
  multiply3,
  type Mat3,
  type Vec3,
  toVec3,
  toMat3,
} from '../math/matrix3.ts';
import { vectorWords, type AxesChange } from './change-setting.ts';

export interface SettingChoice {
  readonly setting: Setting;
  readonly group: SpaceGroup;
  readonly change: AxesChange;
  readonly cell: Cell;
  /** The setting the structure is in already. */
  readonly present: boolean;
  /** The standard one of International Tables, in its best cell. */
  readonly standard: boolean;
  /** Why one may prefer it. */
  readonly reasons: readonly string[];
}

const columns = (u: Vec3, v: Vec3, w: Vec3): Mat3 => [u[0], v[0], w[0], u[1], v[1], w[1], u[2], v[2], w[2]];
const key = (v: Vec3): string => v.map((x) => Math.round(x * 144)).join();
const whole = (m: Mat3): boolean => m.every((x) => Math.abs(x - Math.round(x)) < 1e-6);

/** Lattice vectors that can serve as axes: the given and the reference ones, the shortest along every rotation axis, and the short ones of the plane where only a plane is fixed. */
function axisCandidates(cell: Cell, group: SpaceGroup, reference: Mat3): Vec3[] {
  const g = metricTensor(cell);
  const length = (v: Vec3): number => {
    const w = apply3(g, v);
    return Math.sqrt(v[0] * w[0] + v[1] * w[1] + v[2] * w[2]);
  };
  const lattice = primitiveBasis(group.centring);
  const reduced = multiply3(lattice, niggliReduce(congruence(g, lattice)).p);
  const short: Vec3[] = [];
  for (let i = -3; i <= 3; i++)
    for (let j = -3; j <= 3; j++) for (let k = -3; k <= 3; k++) if (i || j || k) short.push(apply3(reduced, [i, j, k]));
  short.sort((p, q) => length(p) - length(q));
  const out = new Map<string, Vec3>();
  const offer = (v: Vec3): void => {
    for (const s of [1, -1]) {
      const w = toVec3(v.map((x) => s * x + 0));
      out.set(key(w), w);
    }
  };
  for (const m of [IDENTITY3, reference]) for (let j = 0; j < 3; j++) offer([m[j]!, m[3 + j]!, m[6 + j]!]);
  const rotations = rotationsOf(group);
  const axes = rotations.filter((r) => Math.abs(rotationType(r)) > 1).map(rotationAxis);
  const parallel = (u: Vec3, v: Vec3): boolean =>
    [0, 1, 2].every((i) => Math.abs(u[(i + 1) % 3]! * v[(i + 2) % 3]! - u[(i + 2) % 3]! * v[(i + 1) % 3]!) < 1e-6);
  const distinct = axes.filter((a, i) => axes.findIndex((b) => parallel(a, b)) === i);
  for (const a of distinct) {
    const along = short.find((v) => parallel(v, a));
    if (along) offer(along);
  }
  if (distinct.length === 1 && Math.abs(Math.max(...rotations.map((r) => rotationType(r)))) <= 2) {
    // One axis only: its plane is free, and the shortest four directions of it hold every usual choice.
    const r = rotations.find((x) => Math.abs(rotationType(x)) === 2)!;
    const sign = determinant3(r) > 0 ? -1 : 1;
    const plane = short.filter((v) => apply3(r, v).every((x, i) => Math.abs(x - sign * v[i]!) < 1e-6));
    const kept: Vec3[] = [];
    for (const v of plane) if (kept.length < 5 && !kept.some((k) => parallel(k, v))) kept.push(v);
    kept.forEach(offer);
  }
  if (group.centring.length === 3) for (const v of short.slice(0, 2)) for (const r of rotations) offer(apply3(r, v));
  return [...out.values()];
}

/** Which axis of a monoclinic symbol is the unique one; −1 elsewhere. */
const uniqueAxis = (symbol: string): number => {
  const parts = symbol.split(' ').slice(1);
  return parts.length === 3 && parts.filter((x) => x === '1').length === 2 ? parts.findIndex((x) => x !== '1') : -1;
};

const spread = (c: Cell): number => c.a + c.b + c.c;
const skew = (c: Cell): number => Math.abs(c.alpha - 90) + Math.abs(c.beta - 90) + Math.abs(c.gamma - 90);
/** Angles of 90° or more are the habit; of equal cells the one nearest to the given axes. */
const cost = (c: Cell, p: Mat3): number =>
  spread(c) +
  0.02 * skew(c) +
  [c.alpha, c.beta, c.gamma].filter((x) => x < 90 - 1e-6).length * 0.5 +
  p.reduce((n, x, i) => n + Math.abs(x - (i % 4 ? 0 : 1)), 0) * 1e-3;

/** Settings of a structure's space group, the present one first, then the standard one, each in the shortest cell that has its symbol. */
export function settingsOf(cell: Cell, group: SpaceGroup): SettingChoice[] {
  const found = identifyGroup(group);
  const number = found.setting.number;
  const tabulated = SETTINGS.filter((s) => s.number === number).map((s) => ({
    s,
    g: groupOfSetting(s),
    keys: new Set(groupOfSetting(s).representatives.map((o) => rotationKey(o.r))),
  }));
  const lattice = primitiveBasis(group.centring);
  const inverseLattice = inverse3(lattice);
  const best = new Map<string, { change: AxesChange; cell: Cell; cost: number; setting: Setting; group: SpaceGroup }>();
  const consider = (p: Mat3): void => {
    const det = determinant3(p);
    if (det < 1e-6) return;
    const points = Math.round(det * group.centring.length);
    if (Math.abs(points - det * group.centring.length) > 1e-6 || points > 4 || !whole(multiply3(inverseLattice, p)))
      return;
    const q = inverse3(p);
    const rotations: Mat3[] = [];
    for (const o of group.representatives) {
      const r = multiply3(q, multiply3(o.r, p));
      if (!whole(r)) return;
      rotations.push(toMat3(r.map((x) => Math.round(x) + 0)));
    }
    const fitting = tabulated.filter(
      (t) => t.g.centring.length === points && rotations.every((r) => t.keys.has(rotationKey(r))),
    );
    if (!fitting.length) return;
    const next = transformCell(cell, p);
    const price = cost(next, p);
    const open = fitting.filter((t) => !best.has(t.s.hall) || best.get(t.s.hall)!.cost > price + 1e-9);
    if (!open.length) return;
    const here = spaceGroupFromOperators([
      ...group.representatives.map((o) => changeBasis(o, p)),
      ...centringInBasis(lattice, p).map((t): Operator => ({ r: IDENTITY3, t })),
    ]);
    const centring = new Set(here.centring.map(key));
    for (const t of open) {
      if (!t.g.centring.every((c) => centring.has(key(c)))) continue;
      const shift = originShift(here, t.g);
      if (!shift) continue;
      best.set(t.s.hall, {
        change: { p: toMat3(p.map((x) => x + 0)), origin: centred(apply3(p, shift)) },
        cell: next,
        cost: price,
        setting: t.s,
        group: t.g,
      });
    }
  };
  consider(IDENTITY3);
  consider(found.p);
  if (group.representatives.length <= 2 && rotationsOf(group).every((r) => Math.abs(rotationType(r)) === 1)) {
    // Without an axis every basis will do; the reduced one is the one to compare by.
    consider(multiply3(lattice, niggliReduce(congruence(metricTensor(cell), lattice)).p));
  } else {
    const v = axisCandidates(cell, group, found.p);
    for (const a of v) for (const b of v) for (const c of v) consider(columns(a, b, c));
  }
  const standardHall = referenceSetting(number).hall;
  // The setting at hand stays in the list even where a shorter cell has the same symbol, or no table names it.
  const asItIs = {
    setting: SETTINGS.find((s) => s.hall === group.hall) ?? { ...found.setting, hall: group.hall, code: '*' },
    change: { p: IDENTITY3, origin: [0, 0, 0] as Vec3 },
    cell,
    group,
  };
  const isPresent = (b: { change: AxesChange; setting: Setting }): boolean =>
    b.setting.hall === group.hall &&
    b.change.p.every((x, i) => x === IDENTITY3[i]) &&
    b.change.origin.every((x) => Math.abs(x) < 1e-6);
  const entries = [...best.values()];
  const choices = (entries.some(isPresent) ? entries : [asItIs, ...entries]).map(
    ({ setting, change, cell: c, group: g }): SettingChoice => ({
      setting,
      change,
      cell: c,
      group: g,
      present: isPresent({ change, setting }),
      standard: setting.hall === standardHall,
      reasons: [],
    }),
  );
  const reference = referenceSetting(number);
  const usual = (c: SettingChoice): number => Number(uniqueAxis(c.setting.symbol) === uniqueAxis(reference.symbol));
  choices.sort(
    (p, q) =>
      Number(q.present) - Number(p.present) ||
      Number(q.standard) - Number(p.standard) ||
      usual(q) - usual(p) ||
      spread(p.cell) - spread(q.cell),
  );
  // Of settings that only exchange the axes the first one speaks for all.
  const first = (test: (c: SettingChoice) => boolean): SettingChoice | undefined => choices.find(test);
  const shortest = Math.min(...choices.map((c) => spread(c.cell))),
    straight = Math.min(...choices.map((c) => skew(c.cell)));
  const told = choices.map((c) => ({
    ...c,
    reasons: [
      ...(c.present ? ['the setting it is in'] : []),
      ...(c.standard
        ? [
            `the standard symbol of International Tables${c.present ? '' : choices.some((d) => d.present && d.standard) ? ', in a shorter cell' : ''}`,
          ]
        : []),
      ...(choices.length > 1 && c === first((d) => spread(d.cell) < shortest + 1e-6) ? ['shortest axes'] : []),
      ...(choices.length > 1 && straight > 1e-6 && c === first((d) => skew(d.cell) < straight + 1e-6)
        ? ['angle nearest to 90°']
        : []),
      ...(c.group.centricAtOrigin && choices.some((d) => !d.group.centricAtOrigin)
        ? ['origin on an inversion centre']
        : []),
      ...(c.group.centring.length === 1 && choices.some((d) => d.group.centring.length > 1) ? ['primitive cell'] : []),
    ],
  }));
  return told;
}

/** Shifts in (−½, ½]. */
const centred = (v: Vec3): Vec3 =>
  toVec3(
    v.map((x) => {
      const y = x - Math.round(x);
      return Math.abs(y) < 1e-9 ? 0 : y <= -0.5 + 1e-9 ? y + 1 : y;
    }),
  );

/** The reduced (Niggli) cell, for comparing with other crystals. */
export function reducedCell(cell: Cell, group: SpaceGroup): { cell: Cell; words: string } {
  const lattice = primitiveBasis(group.centring);
  const { p, metric } = niggliReduce(congruence(metricTensor(cell), lattice));
  const m = multiply3(lattice, p);
  return {
    cell: cellFromMetric(metric),
    words: [0, 1, 2].map((j) => vectorWords([m[j]!, m[3 + j]!, m[6 + j]!])).join(', '),
  };
}
