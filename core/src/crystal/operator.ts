/** Symmetry operators x′ = R x + t on fractional coordinates. */
import {
  apply3,
  determinant3,
  IDENTITY3,
  inverse3,
  multiply3,
  trace3,
  type Mat3,
  type Vec3,
  toMat3,
  toVec3,
} from '../math/matrix3.ts';
import { greatestCommonDivisor } from '../math/integer.ts';

export interface Operator {
  readonly r: Mat3;
  readonly t: Vec3;
}

export const IDENTITY: Operator = { r: IDENTITY3, t: [0, 0, 0] };

/** Translations are multiples of 1/144 wherever a tabulated setting is meant; rounding to them removes drift. */
const GRAIN = 144;

/** Reduces to [0, 1), snapping to the nearest 1/144 within 1e−5. */
export function wrapTranslation(x: number): number {
  let y = x - Math.floor(x);
  const snapped = Math.round(y * GRAIN) / GRAIN;
  if (Math.abs(snapped - y) < 1e-5) y = snapped;
  return y >= 1 - 1e-9 ? 0 : y;
}

const wrap = (t: Vec3): Vec3 => [wrapTranslation(t[0]), wrapTranslation(t[1]), wrapTranslation(t[2])];

/** The product a∘b (b first), translation reduced to the cell. */
export function compose(a: Operator, b: Operator): Operator {
  const t = apply3(a.r, b.t);
  return { r: multiply3(a.r, b.r), t: wrap([t[0] + a.t[0], t[1] + a.t[1], t[2] + a.t[2]]) };
}

export const applyOperator = (o: Operator, x: Vec3): Vec3 => {
  const y = apply3(o.r, x);
  return [y[0] + o.t[0], y[1] + o.t[1], y[2] + o.t[2]];
};

/** What tells rotations apart. */
export type RotationKey = number | string;

/** Entries from −8 to 7 fill four bits each; nine of them are an exact number. */
const LOWEST_ENTRY = -8;
const ENTRIES = 16;

/** The same for matrices with the same entries, whichever zero is negative. */
export function rotationKey(r: Mat3): RotationKey {
  let key = 0;
  for (let i = 0; i < 9; i++) {
    const entry = r[i]! - LOWEST_ENTRY;
    if (!(entry >= 0 && entry < ENTRIES && Number.isInteger(entry))) return r.join(',');
    key = key * ENTRIES + entry;
  }
  return key;
}

export const operatorKey = (o: Operator): string =>
  o.r.join(',') + ';' + o.t.map((x) => Math.round(wrapTranslation(x) * 7200) % 7200).join(',');

/** Order and sense of a crystallographic rotation: ±1, ±2, ±3, ±4, ±6; throws for any other matrix. */
export function rotationType(r: Mat3): number {
  const det = Math.round(determinant3(r));
  const order = ({ 3: 1, [-1]: 2, 0: 3, 1: 4, 2: 6 } as Record<number, number>)[Math.round(trace3(r)) * det];
  if (Math.abs(det) !== 1 || order === undefined)
    throw new RangeError(`The matrix ${r.join(' ')} is not a crystallographic rotation.`);
  return det * order;
}

/** Direction [uvw] of the axis of a rotation or rotoinversion, smallest integers, first non-zero one positive from the right; [0,0,0] for ±1. */
export function rotationAxis(r: Mat3): Vec3 {
  const det = Math.round(determinant3(r));
  const proper = toMat3(r.map((x) => x * det));
  const type = rotationType(proper);
  if (type === 1) return [0, 0, 0];
  // The sum of all powers projects on the axis.
  let power: Mat3 = IDENTITY3;
  const sum = new Array<number>(9).fill(0);
  for (let k = 0; k < type; k++) {
    for (let i = 0; i < 9; i++) sum[i]! += power[i]!;
    power = multiply3(proper, power);
  }
  for (let column = 0; column < 3; column++) {
    const v = [sum[column]!, sum[3 + column]!, sum[6 + column]!].map(Math.round) as [number, number, number];
    const g = v.reduce((p, q) => greatestCommonDivisor(p, q), 0);
    if (!g) continue;
    const last = v[2] || v[1] || v[0];
    const k = Math.sign(last) / g;
    return [v[0] * k + 0, v[1] * k + 0, v[2] * k + 0];
  }
  throw new RangeError('A rotation without an axis.');
}

/** Intrinsic (screw or glide) part of the translation: (1/n) Σ Rᵏ t, n the order of R. */
export function intrinsicTranslation(o: Operator): Vec3 {
  const type = rotationType(o.r);
  const order = type > 0 ? type : type === -1 || type === -3 ? 2 * -type : type === -2 ? 2 : -type;
  let power: Mat3 = IDENTITY3;
  const sum = [0, 0, 0];
  for (let k = 0; k < order; k++) {
    const t = apply3(power, o.t);
    for (let i = 0; i < 3; i++) sum[i]! += t[i]!;
    power = multiply3(o.r, power);
  }
  return toVec3(sum.map((x) => x / order));
}

const AXES = ['x', 'y', 'z'];

function fractionText(x: number): string {
  for (const d of [1, 2, 3, 4, 6, 8, 12, 24, 5, 7, 9, 16, 48]) {
    const n = Math.round(x * d);
    if (Math.abs(n / d - x) < 1e-5) return d === 1 ? `${n}` : `${n}/${d}`;
  }
  return x.toFixed(5).replace(/0+$/, '');
}

/** "-x,y+1/2,-z+1/2" as in _space_group_symop_operation_xyz. */
export function operatorToXyz(o: Operator): string {
  return [0, 1, 2]
    .map((i) => {
      let text = '';
      for (let j = 0; j < 3; j++) {
        const c = o.r[3 * i + j]!;
        if (!c) continue;
        text += (c < 0 ? '-' : text ? '+' : '') + (Math.abs(c) === 1 ? '' : fractionText(Math.abs(c)) + '*') + AXES[j];
      }
      const t = o.t[i]!;
      if (Math.abs(t) > 1e-9) text += (t < 0 ? '-' : text ? '+' : '') + fractionText(Math.abs(t));
      return text || '0';
    })
    .join(',');
}

/** Denominators of the translations that occur between conventional axes, for decimals that stand for them. */
const DENOMINATORS = [3, 6, 12, 24, 7, 9, 8, 16];

/** A decimal of three digits or more that is a fraction cut short, such as 0.333 or 0.6667, as that fraction. */
function fractionMeant(text: string): number {
  const value = Number(text);
  const digits = text.split('.')[1]?.length ?? 0;
  if (digits < 3) return value;
  for (const d of DENOMINATORS) {
    const n = Math.round(value * d);
    if (n && Math.abs(n / d - value) < 10 ** -digits) return n / d;
  }
  return value;
}

/** Longest text of an operator that is read. */
const LONGEST_OPERATOR = 200;

/**
 * Reads an operator in x, y, z notation (blanks, decimals and fractions in any order); throws SyntaxError naming what it could
 * not read. Decimals that are fractions cut short count as these.
 */
export function parseXyz(text: string): Operator {
  if (text.length > LONGEST_OPERATOR)
    throw new SyntaxError(`"${text.slice(0, 40)}…" is too long for a symmetry operator.`);
  const parts = text
    .replace(/['"\s]/g, '')
    .toLowerCase()
    .split(',');
  if (parts.length !== 3)
    throw new SyntaxError(`A symmetry operator needs three comma-separated parts; "${text}" has ${parts.length}.`);
  const r: number[] = [];
  const t: number[] = [];
  for (const part of parts) {
    const row = [0, 0, 0];
    let shift = 0;
    const terms = part.match(/[+-]?[^+-]+/g);
    if (!terms) throw new SyntaxError(`The symmetry operator "${text}" has an empty part.`);
    for (const term of terms) {
      const match =
        /^([+-]?)(?:(\d+(?:\.\d*)?|\.\d+)(?:\/(\d+(?:\.\d*)?))?)?(?:\*(?=[xyz]))?([xyz])?(?:\/(\d+))?$/.exec(term);
      if (!match || (match[2] === undefined && match[4] === undefined))
        throw new SyntaxError(`"${term}" in the symmetry operator "${text}" cannot be read.`);
      const below = Number(match[3] ?? 1) * Number(match[5] ?? 1);
      if (!(below > 0)) throw new SyntaxError(`"${term}" in the symmetry operator "${text}" divides by zero.`);
      const above = match[2] === undefined ? 1 : fractionMeant(match[2]);
      const value = ((match[1] === '-' ? -1 : 1) * above) / below;
      if (match[4]) row[AXES.indexOf(match[4])]! += value;
      else shift += value;
    }
    r.push(...row);
    t.push(shift);
  }
  return { r: toMat3(r), t: toVec3(t) };
}

/** The operator in the basis whose axes are the columns of p with origin at s (both in the old basis): (P,s)⁻¹ W (P,s). */
export function changeBasis(o: Operator, p: Mat3, s: Vec3 = [0, 0, 0]): Operator {
  const q = inverse3(p);
  const r = toMat3(
    multiply3(q, multiply3(o.r, p)).map((x) => {
      const n = Math.round(x);
      return Math.abs(n - x) < 1e-6 ? n + 0 : x;
    }),
  );
  const rs = apply3(o.r, s);
  const t = apply3(q, [o.t[0] + rs[0] - s[0], o.t[1] + rs[1] - s[1], o.t[2] + rs[2] - s[2]]);
  return { r, t: wrap(t) };
}

/** Closes a set of generators under multiplication; throws RangeError beyond 192 operators, so a wrong set cannot run away. */
export function closeGroup(generators: readonly Operator[]): Operator[] {
  const members: Operator[] = [IDENTITY];
  const seen = new Set([operatorKey(IDENTITY)]);
  const useful = generators
    .map((g) => ({ r: g.r, t: wrap(g.t) }))
    .filter((g) => operatorKey(g) !== operatorKey(IDENTITY));
  // In a finite group every element is a word in the generators, so right multiplication reaches all of them.
  for (let i = 0; i < members.length; i++)
    for (const g of useful) {
      const product = compose(members[i]!, g);
      const key = operatorKey(product);
      if (seen.has(key)) continue;
      seen.add(key);
      members.push(product);
      if (members.length > 192)
        throw new RangeError('These operators do not close to a space group: more than 192 arise.');
    }
  return members;
}
