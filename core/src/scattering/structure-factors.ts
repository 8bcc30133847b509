/**
 * Structure factors and their derivatives (Hamilton, International Tables IV; Giacovazzo et al., Fundamentals of
 * Crystallography, ch. 2): F(h) = Σ_sites w Σ_operators (f0 + f′ + if″) T exp 2πi h·(Rx + t).
 * Hot loops over typed arrays; the readable direct sum stands in the tests.
 */
import { reciprocalLengths, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { dispersion, formFactor, gaussianFactor } from './form-factor.ts';
import { indexReach, PhaseTables } from './phase-tables.ts';

const TWO_PI = 2 * Math.PI;

/** Reflections with what depends on them alone, for one cell, group and set of elements. */
export interface ScatteringTable {
  readonly count: number;
  /** Indices, integers. */
  readonly h: ArrayLike<number>;
  readonly k: ArrayLike<number>;
  readonly l: ArrayLike<number>;
  /** (sin θ/λ)² of each reflection, Å⁻². */
  readonly s2: Float64Array;
  readonly elements: readonly string[];
  /** f0 + f′ of element e at reflection i: index e·count + i. */
  readonly f: Float64Array;
  /** f′ and f″ of each element. */
  readonly f1: Float64Array;
  readonly f2: Float64Array;
  /** Rotations of the operators summed explicitly, 9 each, and their translations, 3 each. */
  readonly rotations: Float64Array;
  readonly translations: Float64Array;
  readonly operators: number;
  /** Largest |index| along each axis that the rotations make of the reflections. */
  readonly reach: readonly [number, number, number];
  /** Copies every explicit term stands for: centring, and the inversion when it lies at the origin. */
  readonly factor: number;
  readonly centric: boolean;
  /** 0 where the centring forbids the reflection. */
  readonly allowed: Uint8Array;
  readonly reciprocal: readonly [number, number, number];
}

/** Builds the table; `elements` lists every symbol a site may have. Wavelength in Å; 0 leaves dispersion out. */
export function scatteringTable(
  cell: Cell,
  group: SpaceGroup,
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
  elements: readonly string[],
  wavelength: number,
): ScatteringTable {
  const n = hkl.count;
  const g = reciprocalMetric(cell);
  const s2 = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const h = hkl.h[i]!,
      k = hkl.k[i]!,
      l = hkl.l[i]!;
    s2[i] = (h * h * g[0] + k * k * g[4] + l * l * g[8] + 2 * (h * k * g[1] + h * l * g[2] + k * l * g[5])) / 4;
  }
  const f = new Float64Array(elements.length * n);
  const f1 = new Float64Array(elements.length);
  const f2 = new Float64Array(elements.length);
  elements.forEach((symbol, e) => {
    const factor = gaussianFactor(symbol);
    const d = wavelength ? dispersion(symbol, wavelength) : { f1: 0, f2: 0 };
    f1[e] = d.f1;
    f2[e] = d.f2;
    for (let i = 0; i < n; i++) f[e * n + i] = formFactor(factor, Math.sqrt(s2[i]!)) + d.f1;
  });
  const allowed = new Uint8Array(n).fill(1);
  for (const c of group.centring)
    for (let i = 0; i < n; i++) {
      const phase = hkl.h[i]! * c[0] + hkl.k[i]! * c[1] + hkl.l[i]! * c[2];
      if (Math.abs(phase - Math.round(phase)) > 1e-3) allowed[i] = 0;
    }
  const used = group.centricAtOrigin
    ? group.representatives.slice(0, group.representatives.length / 2)
    : group.representatives;
  const rotations = Float64Array.from(used.flatMap((o) => [...o.r]));
  return {
    count: n,
    h: hkl.h,
    k: hkl.k,
    l: hkl.l,
    s2,
    elements,
    f,
    f1,
    f2,
    rotations,
    translations: Float64Array.from(used.flatMap((o) => [...o.t])),
    operators: used.length,
    reach: indexReach(hkl, rotations),
    factor: group.centring.length * (group.centricAtOrigin ? 2 : 1),
    centric: group.centricAtOrigin,
    allowed,
    reciprocal: reciprocalLengths(cell),
  };
}

/** Sites as typed arrays: what the loops read. */
export interface SiteArrays {
  readonly count: number;
  /** Index into the table's elements. */
  readonly element: Int32Array;
  /** x, y, z of each site. */
  readonly x: Float64Array;
  /** Occupancy × multiplicity / group order. */
  readonly weight: Float64Array;
  /** 1 when the six values are a tensor, 0 when the first is U_iso. */
  readonly aniso: Uint8Array;
  readonly u: Float64Array;
}

/**
 * What sites scatter where that is more than the table of their element says: complex, by site and by operator, such as the
 * transform of an aspherical atom. Sites it does not cover keep the spherical table, which is the fast case of the loop.
 */
export interface ScatteringProvider {
  /** 1 for the sites it speaks of. */
  readonly covers: Uint8Array;
  /**
   * Form factor of site j, dispersion left out, at the indices h′ = h R that the table's operator o makes of reflection i;
   * real and imaginary part, electrons, go to out[0] and out[1].
   */
  factor(j: number, o: number, i: number, out: Float64Array): void;
}

/** Calculated A and B of all reflections. */
export function structureFactors(
  t: ScatteringTable,
  s: SiteArrays,
  provider?: ScatteringProvider,
): { a: Float64Array; b: Float64Array } {
  const a = new Float64Array(t.count),
    b = new Float64Array(t.count);
  const sum = new SiteSums(t, s, provider);
  for (let i = 0; i < t.count; i++) {
    sum.at(i, false);
    a[i] = sum.a;
    b[i] = sum.b;
  }
  return { a, b };
}

/** Values per site kept by SiteSums: C and S, then their derivatives by x, y, z and by the displacement values. */
export const STRIDE = 20;

/**
 * Sums over operators of one reflection at a time. After `at(i, true)`, for site j (j·STRIDE in `terms`):
 * 0, 1: C = ΣT cos, S = ΣT sin; 2–4: ∂C/∂x,y,z; 5–7: ∂S/∂x,y,z; 8–13: ∂C/∂U; 14–19: ∂S/∂U (only the first of six for U_iso).
 * For sites that a provider covers, `own` holds the same of P + iQ = ΣT f exp iφ, f being complex and different by operator.
 */
export class SiteSums {
  a = 0;
  b = 0;
  readonly terms: Float64Array;
  /** Empty without a provider. */
  readonly own: Float64Array;
  private readonly hr: Float64Array;
  private readonly phases: PhaseTables;
  /** Cosine and sine of 2πh·(Rx + t) of site j under operator o, at 2(o·sites + j). */
  private readonly waves: Float64Array;
  private readonly factor = new Float64Array(2);

  constructor(
    private readonly t: ScatteringTable,
    private readonly s: SiteArrays,
    readonly provider?: ScatteringProvider,
  ) {
    this.terms = new Float64Array(s.count * STRIDE);
    this.own = new Float64Array(provider ? s.count * STRIDE : 0);
    // Per operator: 2πh′, 2πk′, 2πl′, 2πh·t and the six quadratic factors −2π²(…).
    this.hr = new Float64Array(t.operators * 10);
    this.phases = new PhaseTables(s.count, s.x, t.reach);
    this.waves = new Float64Array(2 * s.count * t.operators);
  }

  /** Fills `waves` for one operator that makes h1, k1, l1 of the reflection; `shift` is 2πh·t. */
  private turn(o: number, h1: number, k1: number, l1: number, shift: number): void {
    const { waves } = this,
      { values } = this.phases,
      cos = Math.cos(shift),
      sin = Math.sin(shift),
      x = this.phases.offset(0, h1),
      y = this.phases.offset(1, k1),
      z = this.phases.offset(2, l1);
    const end = 2 * this.s.count,
      to = o * end;
    for (let j = 0; j < end; j += 2) {
      const cx = values[x + j]!,
        sx = values[x + j + 1]!,
        cy = values[y + j]!,
        sy = values[y + j + 1]!,
        cz = values[z + j]!,
        sz = values[z + j + 1]!;
      const cxy = cx * cy - sx * sy,
        sxy = sx * cy + cx * sy,
        cs = cz * cos - sz * sin,
        ss = sz * cos + cz * sin;
      waves[to + j] = cxy * cs - sxy * ss;
      waves[to + j + 1] = sxy * cs + cxy * ss;
    }
  }

  at(i: number, derivatives: boolean): void {
    const t = this.t,
      s = this.s,
      hr = this.hr,
      terms = this.terms,
      waves = this.waves,
      step = 2 * s.count;
    const h = t.h[i]!,
      k = t.k[i]!,
      l = t.l[i]!;
    const nOps = t.operators,
      rot = t.rotations,
      tr = t.translations;
    const [as, bs, cs] = t.reciprocal;
    const q = -TWO_PI * Math.PI;
    for (let o = 0; o < nOps; o++) {
      const r = 9 * o,
        p = 10 * o;
      const h1 = h * rot[r]! + k * rot[r + 3]! + l * rot[r + 6]!;
      const k1 = h * rot[r + 1]! + k * rot[r + 4]! + l * rot[r + 7]!;
      const l1 = h * rot[r + 2]! + k * rot[r + 5]! + l * rot[r + 8]!;
      hr[p] = h1 * TWO_PI;
      hr[p + 1] = k1 * TWO_PI;
      hr[p + 2] = l1 * TWO_PI;
      hr[p + 3] = TWO_PI * (h * tr[3 * o]! + k * tr[3 * o + 1]! + l * tr[3 * o + 2]!);
      this.turn(o, h1, k1, l1, hr[p + 3]!);
      hr[p + 4] = q * h1 * h1 * as * as;
      hr[p + 5] = q * k1 * k1 * bs * bs;
      hr[p + 6] = q * l1 * l1 * cs * cs;
      hr[p + 7] = 2 * q * h1 * k1 * as * bs;
      hr[p + 8] = 2 * q * h1 * l1 * as * cs;
      hr[p + 9] = 2 * q * k1 * l1 * bs * cs;
    }
    const isoFactor = 4 * q * t.s2[i]!;
    const centric = t.centric,
      provider = this.provider;
    let A = 0,
      B = 0;
    for (let j = 0; j < s.count; j++) {
      const base = j * STRIDE,
        uj = 6 * j;
      const aniso = s.aniso[j] === 1;
      const T0 = aniso ? 1 : Math.exp(isoFactor * s.u[uj]!);
      const u0 = s.u[uj]!,
        u1 = s.u[uj + 1]!,
        u2 = s.u[uj + 2]!,
        u3 = s.u[uj + 3]!,
        u4 = s.u[uj + 4]!,
        u5 = s.u[uj + 5]!;
      let C = 0,
        S = 0;
      if (!derivatives) {
        for (let p = 0, at = 2 * j; p < 10 * nOps; p += 10, at += step) {
          const T = aniso
            ? Math.exp(
                hr[p + 4]! * u0 +
                  hr[p + 5]! * u1 +
                  hr[p + 6]! * u2 +
                  hr[p + 7]! * u3 +
                  hr[p + 8]! * u4 +
                  hr[p + 9]! * u5,
              )
            : T0;
          C += T * waves[at]!;
          if (!centric) S += T * waves[at + 1]!;
        }
      } else {
        let cx = 0,
          cy = 0,
          cz = 0,
          sx = 0,
          sy = 0,
          sz = 0;
        let c0 = 0,
          c1 = 0,
          c2 = 0,
          c3 = 0,
          c4 = 0,
          c5 = 0,
          s0 = 0,
          s1 = 0,
          s2 = 0,
          s3 = 0,
          s4 = 0,
          s5 = 0;
        for (let p = 0, at = 2 * j; p < 10 * nOps; p += 10, at += step) {
          const h1 = hr[p]!,
            k1 = hr[p + 1]!,
            l1 = hr[p + 2]!;
          const q0 = hr[p + 4]!,
            q1 = hr[p + 5]!,
            q2 = hr[p + 6]!,
            q3 = hr[p + 7]!,
            q4 = hr[p + 8]!,
            q5 = hr[p + 9]!;
          const T = aniso ? Math.exp(q0 * u0 + q1 * u1 + q2 * u2 + q3 * u3 + q4 * u4 + q5 * u5) : T0;
          const c = T * waves[at]!,
            w = T * waves[at + 1]!;
          C += c;
          cx -= h1 * w;
          cy -= k1 * w;
          cz -= l1 * w;
          if (aniso) {
            c0 += q0 * c;
            c1 += q1 * c;
            c2 += q2 * c;
            c3 += q3 * c;
            c4 += q4 * c;
            c5 += q5 * c;
          }
          if (!centric) {
            S += w;
            sx += h1 * c;
            sy += k1 * c;
            sz += l1 * c;
            if (aniso) {
              s0 += q0 * w;
              s1 += q1 * w;
              s2 += q2 * w;
              s3 += q3 * w;
              s4 += q4 * w;
              s5 += q5 * w;
            }
          }
        }
        if (!aniso) {
          c0 = isoFactor * C;
          s0 = isoFactor * S;
        }
        terms[base] = C;
        terms[base + 1] = S;
        terms[base + 2] = cx;
        terms[base + 3] = cy;
        terms[base + 4] = cz;
        terms[base + 5] = sx;
        terms[base + 6] = sy;
        terms[base + 7] = sz;
        terms[base + 8] = c0;
        terms[base + 9] = c1;
        terms[base + 10] = c2;
        terms[base + 11] = c3;
        terms[base + 12] = c4;
        terms[base + 13] = c5;
        terms[base + 14] = s0;
        terms[base + 15] = s1;
        terms[base + 16] = s2;
        terms[base + 17] = s3;
        terms[base + 18] = s4;
        terms[base + 19] = s5;
      }
      const e = s.element[j]!;
      const w = s.weight[j]! * t.factor;
      if (provider !== undefined && provider.covers[j] === 1) {
        this.ownSums(provider, j, i, T0, derivatives);
        const f1 = t.f1[e]! * w,
          f2 = t.f2[e]! * w;
        A += w * this.own[base]! + f1 * C - f2 * S;
        B += w * this.own[base + 1]! + f1 * S + f2 * C;
        continue;
      }
      const f1 = t.f[e * t.count + i]! * w,
        f2 = t.f2[e]! * w;
      A += f1 * C - f2 * S;
      B += f1 * S + f2 * C;
    }
    this.a = t.allowed[i] ? A : 0;
    this.b = t.allowed[i] ? B : 0;
  }

  /** P + iQ of a covered site and, where asked for, their derivatives. `isotropic` is T of an isotropic site. */
  private ownSums(provider: ScatteringProvider, j: number, i: number, isotropic: number, derivatives: boolean): void {
    const { s, t, hr, own, factor, waves } = this;
    const base = j * STRIDE,
      aniso = s.aniso[j] === 1,
      u = 6 * j;
    own.fill(0, base, base + STRIDE);
    for (let o = 0; o < t.operators; o++) {
      const p = 10 * o,
        at = 2 * (o * s.count + j);
      let exponent = 0;
      if (aniso) for (let k = 0; k < 6; k++) exponent += hr[p + 4 + k]! * s.u[u + k]!;
      const T = aniso ? Math.exp(exponent) : isotropic;
      provider.factor(j, o, i, factor);
      const cos = T * waves[at]!,
        sin = T * waves[at + 1]!;
      const real = factor[0]! * cos - factor[1]! * sin;
      // The copy by the inversion at the origin brings the conjugate.
      const imaginary = t.centric ? 0 : factor[0]! * sin + factor[1]! * cos;
      own[base]! += real;
      own[base + 1]! += imaginary;
      if (!derivatives) continue;
      const turned = factor[0]! * sin + factor[1]! * cos;
      for (let k = 0; k < 3; k++) {
        own[base + 2 + k]! -= hr[p + k]! * turned;
        if (!t.centric) own[base + 5 + k]! += hr[p + k]! * real;
      }
      if (aniso)
        for (let k = 0; k < 6; k++) {
          own[base + 8 + k]! += hr[p + 4 + k]! * real;
          own[base + 14 + k]! += hr[p + 4 + k]! * imaginary;
        }
    }
    if (!aniso) {
      const slope = -4 * TWO_PI * Math.PI * t.s2[i]!;
      own[base + 8] = slope * own[base]!;
      own[base + 14] = slope * own[base + 1]!;
    }
  }
}
