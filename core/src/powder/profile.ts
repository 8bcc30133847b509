/**
 * Peak shapes: the pseudo-Voigt of Thompson, Cox & Hastings (1987), J. Appl. Cryst. 20, 79, whose width and mixing follow from a Gaussian
 * and a Lorentzian width, and the axial divergence of Finger, Cox & Jephcoat (1994), J. Appl. Cryst. 27, 892. Widths are full widths at
 * half maximum in degrees of 2θ.
 */

/** Height, relative to the maximum, below which derivatives and shares of single reflections are not followed. Calculated patterns have no such limit. */
export const TAIL = 1e-3;
const LN2 = Math.LN2;
export const GAUSS_NORM = 2 * Math.sqrt(LN2 / Math.PI);
export const LORENTZ_NORM = 2 / Math.PI;

export interface Shape {
  /** Full width of the mixed profile. */
  width: number;
  /** Lorentzian share. */
  eta: number;
  /** ∂width/∂Γ_G, ∂width/∂Γ_L, ∂eta/∂Γ_G, ∂eta/∂Γ_L. */
  widthG: number;
  widthL: number;
  etaG: number;
  etaL: number;
}

/** Width and mixing of a Gaussian and a Lorentzian width, with derivatives, written into `out`. */
export function mixedShape(gauss: number, lorentz: number, out: Shape): void {
  const g = Math.max(gauss, 1e-6),
    l = Math.max(lorentz, 0);
  const g2 = g * g,
    g3 = g2 * g,
    g4 = g3 * g,
    l2 = l * l,
    l3 = l2 * l,
    l4 = l3 * l;
  const fifth = g4 * g + 2.69269 * g4 * l + 2.42843 * g3 * l2 + 4.47163 * g2 * l3 + 0.07842 * g * l4 + l4 * l;
  const width = fifth ** 0.2;
  const k = width / (5 * fifth);
  out.width = width;
  out.widthG = k * (5 * g4 + 4 * 2.69269 * g3 * l + 3 * 2.42843 * g2 * l2 + 2 * 4.47163 * g * l3 + 0.07842 * l4);
  out.widthL = k * (2.69269 * g4 + 2 * 2.42843 * g3 * l + 3 * 4.47163 * g2 * l2 + 4 * 0.07842 * g * l3 + 5 * l4);
  const q = l / width;
  out.eta = 1.36603 * q - 0.47719 * q * q + 0.11116 * q * q * q;
  const slope = 1.36603 - 2 * 0.47719 * q + 3 * 0.11116 * q * q;
  out.etaG = (slope * (-q * out.widthG)) / width;
  out.etaL = (slope * (1 - q * out.widthL)) / width;
}

/** Distance from the maximum, in degrees, at which a profile falls to TAIL of its height. */
export const reachOf = (width: number, eta: number): number => width * Math.max(2.2, 0.5 * Math.sqrt(eta / TAIL));

/** Unit-area pseudo-Voigt at a distance x from its centre; the form the fast loops are tested against. */
export function pseudoVoigt(x: number, width: number, eta: number): number {
  const u = x / width;
  return ((eta * LORENTZ_NORM) / (1 + 4 * u * u) + (1 - eta) * GAUSS_NORM * Math.exp(-4 * LN2 * u * u)) / width;
}

const NODES = new Map<number, { x: Float64Array; w: Float64Array }>();
/** Gauss–Legendre nodes and weights on [0, 1] (Newton iteration on the Legendre recurrence). */
export function gaussLegendre(n: number): { x: Float64Array; w: Float64Array } {
  const known = NODES.get(n);
  if (known) return known;
  const x = new Float64Array(n),
    w = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    let z = Math.cos((Math.PI * (i + 0.75)) / (n + 0.5)),
      slope = 1;
    for (let it = 0; it < 60; it++) {
      let p = 1,
        q = 0;
      for (let k = 1; k <= n; k++) [p, q] = [((2 * k - 1) * z * p - (k - 1) * q) / k, p];
      slope = (n * (z * p - q)) / (z * z - 1);
      const step = p / slope;
      z -= step;
      if (Math.abs(step) < 1e-15) break;
    }
    x[i] = (1 - z) / 2;
    w[i] = 1 / ((1 - z * z) * slope * slope);
  }
  const made = { x, w };
  NODES.set(n, made);
  return made;
}

export interface Spread {
  count: number;
  /** Shifts from the unspread position, degrees. */
  shift: Float64Array;
  /** Weights that sum to one. */
  weight: Float64Array;
}

export const newSpread = (): Spread => ({ count: 1, shift: new Float64Array(64), weight: new Float64Array(64) });

/**
 * Axial divergence as a sum of shifted profiles. With the height h above the plane as the variable of integration the weight
 * W(h)/[(1 + h²) sin 2φ] has no singularity (h in units of the radius): W = 2 min(H, S) up to |H − S|, then H + S − h.
 * `fineness` is the profile's width: the wider the peak, the fewer terms.
 */
export function axialSpread(twoTheta: number, sample: number, detector: number, fineness: number, out: Spread): void {
  out.count = 1;
  out.shift[0] = 0;
  out.weight[0] = 1;
  const top = sample + detector;
  if (!(top > 1e-6) || !(sample > 0) || !(detector > 0)) return;
  const t = (twoTheta * Math.PI) / 180,
    c = Math.cos(t);
  if (Math.abs(c) < 1e-4) return;
  const positionOf = (h: number): number =>
    (Math.acos(Math.max(-1, Math.min(1, c * Math.sqrt(1 + h * h)))) * 180) / Math.PI;
  const extent = Math.abs(positionOf(top) - twoTheta);
  if (extent < 1e-6) return;
  const each = Math.max(6, Math.min(24, Math.ceil((14 * extent) / fineness)));
  const { x, w } = gaussLegendre(each);
  const flat = Math.abs(sample - detector),
    level = 2 * Math.min(sample, detector);
  let n = 0,
    sum = 0;
  for (const [from, to] of [
    [0, flat],
    [flat, top],
  ] as const) {
    if (to - from < 1e-9) continue;
    for (let i = 0; i < each; i++) {
      const h = from + (to - from) * x[i]!;
      const at = positionOf(h);
      const weight =
        ((to - from) * w[i]! * (h < flat ? level : top - h)) / ((1 + h * h) * Math.sin((at * Math.PI) / 180));
      out.shift[n] = at - twoTheta;
      out.weight[n] = weight;
      sum += weight;
      n++;
    }
  }
  out.count = n;
  for (let i = 0; i < n; i++) out.weight[i]! /= sum;
}
