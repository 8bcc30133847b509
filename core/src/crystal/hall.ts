/** Hall symbols (Hall 1981, Acta Cryst. A37, 517; International Tables B, 1.4) to generators. */
import { multiply3, transpose3, type Mat3, type Vec3, toVec3, negative3 } from '../math/matrix3.ts';
import { closeGroup, changeBasis, parseXyz, type Operator } from './operator.ts';

const h = 1 / 2,
  q = 1 / 4,
  t = 1 / 3;

/** Centring translations beyond the origin by lattice symbol. */
export const LATTICE_TRANSLATIONS: Readonly<Record<string, readonly Vec3[]>> = {
  P: [],
  A: [[0, h, h]],
  B: [[h, 0, h]],
  C: [[h, h, 0]],
  I: [[h, h, h]],
  R: [
    [2 * t, t, t],
    [t, 2 * t, 2 * t],
  ],
  F: [
    [0, h, h],
    [h, 0, h],
    [h, h, 0],
  ],
};

const ALONG_Z: Record<string, Mat3> = {
  1: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  2: [-1, 0, 0, 0, -1, 0, 0, 0, 1],
  3: [0, -1, 0, 1, -1, 0, 0, 0, 1],
  4: [0, -1, 0, 1, 0, 0, 0, 0, 1],
  6: [1, -1, 0, 1, 0, 0, 0, 0, 1],
};
const PRIME_Z: Mat3 = [0, -1, 0, -1, 0, 0, 0, 0, -1];
const DOUBLE_PRIME_Z: Mat3 = [0, 1, 0, 1, 0, 0, 0, 0, -1];
const STAR: Mat3 = [0, 0, 1, 1, 0, 0, 0, 1, 0];
/** Cyclic permutation x → y → z → x. */
const CYCLE: Mat3 = [0, 0, 1, 1, 0, 0, 0, 1, 0];

function turnTo(axis: 'x' | 'y' | 'z', r: Mat3): Mat3 {
  const c = axis === 'z' ? undefined : axis === 'x' ? CYCLE : multiply3(CYCLE, CYCLE);
  return c ? multiply3(c, multiply3(r, transpose3(c))) : r;
}

const SHIFTS: Record<string, Vec3> = {
  a: [h, 0, 0],
  b: [0, h, 0],
  c: [0, 0, h],
  n: [h, h, h],
  u: [q, 0, 0],
  v: [0, q, 0],
  w: [0, 0, q],
  d: [q, q, q],
};

export interface HallGenerators {
  lattice: string;
  centric: boolean;
  generators: Operator[];
}

/** Generators of a Hall symbol, centring included; throws SyntaxError where it cannot be read. */
export function hallGenerators(symbol: string): HallGenerators {
  const fail = (what: string): never => {
    throw new SyntaxError(`"${symbol}" is not a Hall symbol: ${what}.`);
  };
  const shift = /\(([^)]*)\)\s*$/.exec(symbol);
  const tokens = symbol
    .replace(/\([^)]*\)\s*$/, '')
    .trim()
    .replace(/_/g, ' ')
    .split(/\s+/);
  const head = tokens.shift() ?? '';
  const match = /^(-?)([PABCIRF])$/i.exec(head);
  if (!match) return fail(`"${head}" is not a lattice symbol`);
  const lattice = match[2]!.toUpperCase();
  const generators: Operator[] = LATTICE_TRANSLATIONS[lattice]!.map((v) => ({ r: ALONG_Z['1']!, t: v }));
  if (match[1]) generators.push({ r: [-1, 0, 0, 0, -1, 0, 0, 0, -1], t: [0, 0, 0] });
  let first = 0;
  let firstAxis: 'x' | 'y' | 'z' = 'z';
  tokens.forEach((token, index) => {
    const m = /^(-?)([12346])([xyz]?)(['"*=]?)([xyz]?)(['"*=]?)([abcnuvwd12345]*)$/.exec(token);
    if (!m) return fail(`"${token}" is not a rotation with its translations`);
    const order = m[2]!;
    let axis = (m[3] || m[5] || '') as '' | 'x' | 'y' | 'z';
    let mark = m[4] || m[6] || '';
    if (!axis && !mark) {
      if (index === 0 || order === '1') axis = 'z';
      else if (index === 1 && order === '2') {
        if (first === 2 || first === 4) axis = 'x';
        else if (first === 3 || first === 6) mark = "'";
      } else if (index >= 2 && order === '3') mark = '*';
      else axis = 'z';
    }
    let r: Mat3;
    if (mark === '*') r = order === '3' ? STAR : fail('only a threefold axis may carry *');
    else if (mark === "'" || mark === '"') r = turnTo(axis || firstAxis, mark === "'" ? PRIME_Z : DOUBLE_PRIME_Z);
    else r = turnTo(axis || 'z', ALONG_Z[order]!);
    if (m[1]) r = negative3(r);
    const translation = [0, 0, 0];
    for (const letter of m[7]!) {
      const v = SHIFTS[letter];
      if (v) v.forEach((x, i) => (translation[i]! += x));
      else translation[(axis || 'z') === 'x' ? 0 : (axis || 'z') === 'y' ? 1 : 2]! += Number(letter) / Number(order);
    }
    if (index === 0) {
      first = Number(order);
      firstAxis = axis || 'z';
    }
    generators.push({ r, t: toVec3(translation) });
  });
  if (!shift) return { lattice, centric: !!match[1], generators };
  // A trailing origin shift is in twelfths; a full change of basis is written in x, y, z.
  const text = shift[1]!.trim();
  let p: Mat3 = ALONG_Z['1']!;
  let s: Vec3;
  if (/[xyz]/i.test(text)) {
    const op = parseXyz(text);
    p = op.r;
    s = op.t;
  } else {
    const n = text.split(/[\s,]+/).map(Number);
    if (n.length !== 3 || n.some((x) => !Number.isFinite(x))) return fail(`"(${text})" is not an origin shift`);
    s = toVec3(n.map((x) => x / 12));
  }
  // The symbol's operator V takes coordinates of the unshifted description to those of the new one: S′ = V S V⁻¹.
  const inverse = invertAffine(p, s);
  return { lattice, centric: !!match[1], generators: generators.map((g) => changeBasis(g, inverse.r, inverse.t)) };
}

function invertAffine(r: Mat3, s: Vec3): Operator {
  const det =
    r[0] * (r[4] * r[8] - r[5] * r[7]) - r[1] * (r[3] * r[8] - r[5] * r[6]) + r[2] * (r[3] * r[7] - r[4] * r[6]);
  const k = 1 / det;
  const inv: Mat3 = [
    (r[4] * r[8] - r[5] * r[7]) * k,
    (r[2] * r[7] - r[1] * r[8]) * k,
    (r[1] * r[5] - r[2] * r[4]) * k,
    (r[5] * r[6] - r[3] * r[8]) * k,
    (r[0] * r[8] - r[2] * r[6]) * k,
    (r[2] * r[3] - r[0] * r[5]) * k,
    (r[3] * r[7] - r[4] * r[6]) * k,
    (r[1] * r[6] - r[0] * r[7]) * k,
    (r[0] * r[4] - r[1] * r[3]) * k,
  ];
  return {
    r: inv,
    t: toVec3([0, 1, 2].map((i) => -(inv[3 * i]! * s[0] + inv[3 * i + 1]! * s[1] + inv[3 * i + 2]! * s[2]))),
  };
}

/** All operators of a Hall symbol, identity first, centring included. */
export const hallOperators = (symbol: string): Operator[] => closeGroup(hallGenerators(symbol).generators);
