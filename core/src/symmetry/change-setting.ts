/** One crystal described in other axes: cell, operators, sites, displacements, indices, twin laws and solvent together (International Tables A, 1.5). */
import { reciprocalLengths, transformCell, type Cell } from '../crystal/cell.ts';
import { nameGroup } from '../crystal/identify.ts';
import { centringInBasis, primitiveBasis } from '../crystal/lattice.ts';
import { changeBasis, operatorToXyz, type Operator } from '../crystal/operator.ts';
import { transformReflections, type RawReflections } from '../crystal/reflections.ts';
import { spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { AnisotropicU, Displacement, Structure } from '../crystal/structure.ts';
import { isKept, type AsphericalAtoms } from '../crystal/form-factors.ts';
import type { Overlaps, Treatment } from '../crystal/treatment.ts';
import {
  apply3,
  determinant3,
  IDENTITY3,
  inverse3,
  multiply3,
  transpose3,
  type Mat3,
  type Vec3,
  toMat3,
  toVec3,
} from '../math/matrix3.ts';

/** New axes and origin in terms of the old ones: columns of p are a′, b′, c′; x = p x′ + origin. */
export interface AxesChange {
  readonly p: Mat3;
  readonly origin: Vec3;
}

/** First one change, then another described in the axes that the first one made. */
export function combineChanges(first: AxesChange, second: AxesChange): AxesChange {
  const o = apply3(first.p, second.origin);
  return {
    p: multiply3(first.p, second.p),
    origin: [o[0] + first.origin[0], o[1] + first.origin[1], o[2] + first.origin[2]],
  };
}

const near = (x: number): boolean => Math.abs(x - Math.round(x)) < 1e-6;

/** What a change of axes does to a group, or why it cannot be made. */
export type Consequence =
  | {
      readonly possible: true;
      readonly group: SpaceGroup;
      readonly cell: Cell;
      readonly determinant: number;
      readonly points: number;
      readonly words: string;
    }
  | { readonly possible: false; readonly reason: string };

/** Works out what new axes mean for a structure: determinant, lattice points of the new cell, group; or the reason why the axes are refused. */
export function consequenceOf(cell: Cell, group: SpaceGroup, change: AxesChange): Consequence {
  const no = (reason: string): Consequence => ({ possible: false, reason });
  const { p } = change;
  if (![...p, ...change.origin].every(Number.isFinite)) return no('Every entry has to be a number.');
  const det = determinant3(p);
  if (Math.abs(det) < 1e-6) return no('The determinant is 0: the three new axes lie in one plane.');
  if (det < 0)
    return no(
      `The determinant is ${det.toFixed(3)}: the new axes would be left-handed. Exchange two of them or reverse one.`,
    );
  const lattice = primitiveBasis(group.centring);
  const q = inverse3(lattice);
  const names = ['a′', 'b′', 'c′'];
  for (let j = 0; j < 3; j++) {
    const v = apply3(q, [p[j]!, p[3 + j]!, p[6 + j]!]);
    if (!v.every(near))
      return no(
        `${names[j]} = ${vectorWords([p[j]!, p[3 + j]!, p[6 + j]!])} is not a vector of the lattice, so the new cell would not repeat the crystal.`,
      );
  }
  const points = Math.round(det * group.centring.length);
  const ops = group.representatives.map((o): Operator => changeBasis(o, p, change.origin));
  const bad = ops.findIndex((o) => !o.r.every(near));
  if (bad >= 0)
    return no(
      `The operation ${operatorToXyz(group.representatives[bad]!)} would get fractional coefficients: these axes do not go with the symmetry. Take axes along the symmetry directions.`,
    );
  const centring = centringInBasis(lattice, p);
  let next: SpaceGroup;
  try {
    next = nameGroup(
      spaceGroupFromOperators([
        ...ops.map((o) => ({ r: toMat3(o.r.map((x) => Math.round(x) + 0)), t: o.t })),
        ...centring.map((t): Operator => ({ r: IDENTITY3, t })),
      ]),
    );
  } catch (e) {
    return no((e as Error).message);
  }
  const newCell = transformCell(cell, p);
  const same = Math.abs(det - 1) < 1e-6;
  const words = `Determinant ${Number(det.toFixed(4))}: ${same ? 'the volume stays' : `the cell becomes ${det > 1 ? `${Number(det.toFixed(3))} times as large` : `${Number((1 / det).toFixed(3))} times smaller`}`}; ${points === 1 ? 'a primitive cell' : `${points} lattice points a cell`}, ${next.representatives.length * next.centring.length} general positions.`;
  return { possible: true, group: next, cell: newCell, determinant: det, points, words };
}

/** "a + c", "−b", "½a + ½b". */
export function vectorWords(v: readonly number[]): string {
  const fractions: Record<string, string> = { '0.5': '½', '0.3333': '⅓', '0.6667': '⅔', '0.25': '¼', '0.75': '¾' };
  let text = '';
  v.forEach((x, i) => {
    if (Math.abs(x) < 1e-6) return;
    const size = Math.abs(x),
      key = String(Number(size.toFixed(4)));
    text += `${x < 0 ? (text ? ' − ' : '−') : text ? ' + ' : ''}${key === '1' ? '' : (fractions[key] ?? key)}${'abc'[i]}`;
  });
  return text || '0';
}

/** β_ij = U_ij a*_i a*_j goes as Q β Qᵀ with Q = P⁻¹. */
function changeDisplacement(from: Cell, to: Cell, q: Mat3, d: Displacement): Displacement {
  if (d.kind === 'iso') return d;
  const s = reciprocalLengths(from),
    n = reciprocalLengths(to);
  const tensor = (u: AnisotropicU): Mat3 => [
    u[0] * s[0] ** 2,
    u[3] * s[0] * s[1],
    u[4] * s[0] * s[2],
    u[3] * s[0] * s[1],
    u[1] * s[1] ** 2,
    u[5] * s[1] * s[2],
    u[4] * s[0] * s[2],
    u[5] * s[1] * s[2],
    u[2] * s[2] ** 2,
  ];
  const m = multiply3(q, multiply3(tensor(d.u), transpose3(q)));
  const out: AnisotropicU = [
    m[0] / n[0] ** 2,
    m[4] / n[1] ** 2,
    m[8] / n[2] ** 2,
    m[1] / (n[0] * n[1]),
    m[2] / (n[0] * n[2]),
    m[5] / (n[1] * n[2]),
  ];
  if (!d.su) return { kind: 'aniso', u: out };
  // Variances of independent components carried through the linear map, one at a time.
  const variance = [0, 0, 0, 0, 0, 0];
  d.su.forEach((su, i) => {
    if (!su) return;
    const unit = [0, 0, 0, 0, 0, 0];
    unit[i] = su;
    const moved = changeDisplacement(from, to, q, { kind: 'aniso', u: unit as unknown as AnisotropicU });
    (moved as { u: AnisotropicU }).u.forEach((x, k) => (variance[k]! += x * x));
  });
  return {
    kind: 'aniso',
    u: out,
    su: variance.map((x) => (Math.sqrt(x) < 1e-12 ? 0 : Math.sqrt(x))) as unknown as AnisotropicU,
  };
}

/** The structure in the new axes; constraints and restraints speak of sites and distances and stay as they are. Throws RangeError with the reason where the axes are impossible. */
export function changeStructure(s: Structure, change: AxesChange): Structure {
  const c = consequenceOf(s.cell, s.spaceGroup, change);
  if (!c.possible) throw new RangeError(c.reason);
  return describeIn(s, change, c.group);
}

/** Sites and cell carried to new axes with the group given: the group is the caller's word. */
export function describeIn(s: Structure, change: AxesChange, group: SpaceGroup): Structure {
  const q = inverse3(change.p);
  const cell = transformCell(s.cell, change.p);
  const { origin } = change;
  return {
    ...s,
    cell,
    spaceGroup: group,
    sites: s.sites.map((x) => ({
      ...x,
      position: apply3(q, [x.position[0] - origin[0], x.position[1] - origin[1], x.position[2] - origin[2]]),
      ...(x.positionSu
        ? {
            positionSu: toVec3(
              [0, 1, 2].map((i) =>
                Math.sqrt([0, 1, 2].reduce((sum, j) => sum + (q[3 * i + j]! * x.positionSu![j]!) ** 2, 0)),
              ),
            ),
          }
        : {}),
      displacement: changeDisplacement(s.cell, cell, q, x.displacement),
    })),
  };
}

/** Indices h′ = h P of several lists of equal length. */
function changeIndices(p: Mat3, h: Int16Array, k: Int16Array, l: Int16Array): [Int16Array, Int16Array, Int16Array] {
  const column = (j: number): Int16Array =>
    Int16Array.from(h, (x, i) => Math.round(x * p[j]! + k[i]! * p[3 + j]! + l[i]! * p[6 + j]!));
  return [column(0), column(1), column(2)];
}

const changeOverlaps = (p: Mat3, o: Overlaps): Overlaps => {
  const [h, k, l] = changeIndices(p, o.h, o.k, o.l),
    [h2, k2, l2] = changeIndices(p, o.h2, o.k2, o.l2);
  return { h, k, l, h2, k2, l2 };
};

/** Form factors about the sites hold at the new indices; those that are kept as the negatives are conjugated. */
/** Potentials and orbitals stand in the old Cartesian axes and are made anew with the next round. */
function changeAspherical(p: Mat3, { potentials: _, orbitals: _o, ...a }: AsphericalAtoms): AsphericalAtoms {
  const f = a.factors;
  const [h, k, l] = changeIndices(p, f.h, f.k, f.l);
  const imaginary = Float64Array.from(f.imaginary);
  const count = h.length;
  for (let i = 0; i < count; i++) {
    if (isKept(h[i]!, k[i]!, l[i]!)) continue;
    for (const list of [h, k, l]) list[i] = -list[i]!;
    for (let s = 0; s < f.sites.length; s++) imaginary[s * count + i] = -imaginary[s * count + i]!;
  }
  return { ...a, factors: { ...f, h, k, l, imaginary } };
}

/** Exclusions, twin laws, overlaps, form factors and solvent contribution in the new axes. */
export function changeTreatment(t: Treatment, change: AxesChange): Treatment {
  const { p, origin } = change;
  const det = determinant3(p),
    pt = transpose3(p),
    back = inverse3(pt);
  return {
    ...t,
    ...(t.excluded
      ? {
          excluded: t.excluded.map((e) => {
            const [h, k, l] = apply3(pt, [e.h, e.k, e.l]).map(Math.round);
            return { ...e, h: h!, k: k!, l: l! };
          }),
        }
      : {}),
    ...(t.twins
      ? {
          twins: t.twins.map((w) => ({
            ...w,
            law: toMat3(multiply3(pt, multiply3(w.law, back)).map((x) => (near(x) ? Math.round(x) + 0 : x))),
            ...(w.overlaps ? { overlaps: changeOverlaps(p, w.overlaps) } : {}),
          })),
        }
      : {}),
    ...(t.aspherical ? { aspherical: changeAspherical(p, t.aspherical) } : {}),
    ...(t.mask
      ? {
          mask: (() => {
            const m = t.mask!;
            const [h, k, l] = changeIndices(p, m.h, m.k, m.l);
            const q = inverse3(p);
            const a = new Float64Array(m.a.length),
              b = new Float64Array(m.b.length);
            for (let i = 0; i < a.length; i++) {
              // F′(hP) = F(h) exp(−2πi h·origin), counted for the new cell.
              const angle = -2 * Math.PI * (m.h[i]! * origin[0] + m.k[i]! * origin[1] + m.l[i]! * origin[2]);
              const c = Math.cos(angle),
                s = Math.sin(angle);
              a[i] = det * (m.a[i]! * c - m.b[i]! * s);
              b[i] = det * (m.a[i]! * s + m.b[i]! * c);
            }
            return {
              h,
              k,
              l,
              a,
              b,
              volume: m.volume * det,
              electrons: m.electrons * det,
              voids: m.voids.map((v) => ({
                ...v,
                centre: apply3(q, [v.centre[0] - origin[0], v.centre[1] - origin[1], v.centre[2] - origin[2]]),
              })),
            };
          })(),
        }
      : {}),
  };
}

/** Weights and extinction follow the scale of F² of the cell's contents. */
export const changeWeights = (w: { a: number; b: number }, change: AxesChange): { a: number; b: number } => ({
  a: w.a,
  b: w.b * determinant3(change.p) ** 2,
});
export const changeExtinction = (x: number, change: AxesChange): number => x / determinant3(change.p) ** 2;

/** Intensities in the new axes; those whose indices become fractional are left out and counted. */
export const changeReflections = (raw: RawReflections, change: AxesChange): { raw: RawReflections; dropped: number } =>
  transformReflections(raw, change.p);

/** "(a, b, c) → (−a − c, b, a), origin at ¼, 0, 0". */
export function changeWords(change: AxesChange): string {
  const axes = [0, 1, 2].map((j) => vectorWords([change.p[j]!, change.p[3 + j]!, change.p[6 + j]!])).join(', ');
  const moved = change.origin.some((x) => Math.abs(x) > 1e-6);
  return `(a′, b′, c′) = (${axes})${moved ? `, origin at ${change.origin.map((x) => Number(x.toFixed(4))).join(', ')}` : ''}`;
}

/** Reads "matrix; shift": new axes in terms of the old ("-a-c, b, a" or nine numbers by columns of axes a′ b′ c′), then the origin. Throws SyntaxError saying what may be written. */
export function parseChange(text: string): AxesChange {
  const [axes = '', shift = ''] = text.split(';').map((x) => x.trim());
  const help =
    'Write the new axes like "-a-c, b, a" or as nine numbers (a′ first, each in terms of a b c), then, if wanted, a semicolon and the new origin "0, 1/4, 0".';
  const number = (t: string): number => {
    const m = /^([+-]?(?:\d+\.?\d*|\.\d+))(?:\/(\d+))?$/.exec(t.trim());
    if (!m) throw new SyntaxError(`"${t.trim()}" is not a number. ${help}`);
    return Number(m[1]) / Number(m[2] ?? 1);
  };
  let rows: number[][];
  if (/[abc]/i.test(axes)) {
    const parts = axes.split(',');
    if (parts.length !== 3) throw new SyntaxError(`Three axes are needed, "${axes}" has ${parts.length}. ${help}`);
    rows = parts.map((part) => {
      const v = [0, 0, 0];
      const terms =
        part
          .replace(/\s|\*/g, '')
          .toLowerCase()
          .replace(/−/g, '-')
          .match(/[+-]?[^+-]+/g) ?? [];
      if (!terms.length) throw new SyntaxError(`An axis is empty. ${help}`);
      for (const term of terms) {
        const m = /^([+-]?)(\d+(?:\.\d*)?(?:\/\d+)?)?([abc])(?:\/(\d+))?$/.exec(term);
        if (!m) throw new SyntaxError(`"${term}" cannot be read as part of an axis. ${help}`);
        v['abc'.indexOf(m[3]!)]! += ((m[1] === '-' ? -1 : 1) * (m[2] ? number(m[2]) : 1)) / Number(m[4] ?? 1);
      }
      return v;
    });
  } else {
    const n = axes
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(number);
    if (n.length !== 9) throw new SyntaxError(`Nine numbers are needed, "${axes}" has ${n.length}. ${help}`);
    rows = [n.slice(0, 3), n.slice(3, 6), n.slice(6)];
  }
  const o = shift
    ? shift
        .replace(/[()]/g, '')
        .split(/[\s,]+/)
        .filter(Boolean)
        .map(number)
    : [0, 0, 0];
  if (o.length !== 3) throw new SyntaxError(`The origin needs three numbers, "${shift}" has ${o.length}. ${help}`);
  const [u, v, w] = rows as [number[], number[], number[]];
  return { p: [u[0]!, v[0]!, w[0]!, u[1]!, v[1]!, w[1]!, u[2]!, v[2]!, w[2]!], origin: toVec3(o) };
}
