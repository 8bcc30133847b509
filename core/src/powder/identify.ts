/**
 * Which phases explain a list of peaks: by spacing and intensity, one after another on what is left.
 *
 * The figure of merit of a phase is 100 · found · agree · √share, where
 * found = Σ c (1 − (Δ/t)²) / Σ c over its reflections in range that would be seen (c: calculated intensity, Δ: distance to the nearest peak, t: tolerance; 0 beyond it),
 * agree = Σ min(o, k c) / Σ k c with o the intensity still unexplained at that peak and k the scale that serves best,
 * share = Σ min(o, k c) / Σ o, what the phase explains of all that is left.
 */
import type { Instrument } from '../crystal/pattern.ts';
import type { Structure } from '../crystal/structure.ts';
import type { ShelfCard, ShelfEntry } from '../shelf/entry.ts';
import { DEGREES, PhaseWork } from './engine.ts';
import { absorptionFactor, lorentzPolarization } from './intensity-factors.ts';
import { newPhase, quadraticForm } from './model.ts';
import type { Peak } from './peaks.ts';

export interface CalculatedReflection {
  readonly h: number;
  readonly k: number;
  readonly l: number;
  readonly d: number;
  readonly twoTheta: number;
  readonly multiplicity: number;
  readonly f2: number;
  /** Relative to the strongest, 100. */
  readonly intensity: number;
}

/** Reflections of a structure between two 2θ, with |F|² and relative intensity (multiplicity, Lorentz and polarisation included). */
export function calculatedReflections(
  s: Structure,
  instrument: Instrument,
  from: number,
  to: number,
): CalculatedReflection[] {
  const wavelength = instrument.lines[0]!.wavelength;
  const work = new PhaseWork(
    newPhase('x', 'x', s),
    wavelength,
    wavelength / (2 * Math.sin(Math.min(89.99, to / 2) / DEGREES)) - 1e-9,
  );
  const q = quadraticForm(s.cell),
    cos2m = Math.cos(instrument.monochromator / DEGREES) ** 2;
  const out: CalculatedReflection[] = [];
  let top = 0;
  for (let i = 0; i < work.list.count; i++) {
    const h = work.list.h[i]!,
      k = work.list.k[i]!,
      l = work.list.l[i]!;
    const d =
      1 / Math.sqrt(h * h * q[0]! + k * k * q[1]! + l * l * q[2]! + k * l * q[3]! + h * l * q[4]! + h * k * q[5]!);
    const theta = Math.asin(Math.min(1, wavelength / (2 * d))),
      twoTheta = 2 * theta * DEGREES;
    if (twoTheta < from - 1e-9 || twoTheta > to + 1e-9) continue;
    const intensity =
      work.list.multiplicity[i]! *
      work.f2[i]! *
      lorentzPolarization(theta, cos2m) *
      absorptionFactor(instrument.geometry, 0, theta);
    top = Math.max(top, intensity);
    out.push({ h, k, l, d, twoTheta, multiplicity: work.list.multiplicity[i]!, f2: work.f2[i]!, intensity });
  }
  return out.map((r) => ({ ...r, intensity: top ? (100 * r.intensity) / top : 0 }));
}

export interface Match {
  readonly id: string;
  readonly name: string;
  readonly formula: string;
  readonly merit: number;
  readonly found: number;
  readonly agree: number;
  readonly share: number;
  /** Stretch of all lengths that fits best, fraction. */
  readonly stretch: number;
  /** Observed intensity per calculated unit. */
  readonly scale: number;
  /** Share of what it explains that lies in peaks of which more than a third was unexplained. */
  readonly fresh: number;
  /** Indices of the peaks it explains. */
  readonly peaks: readonly number[];
  readonly quality: ShelfCard['quality'];
  readonly warnings: readonly string[];
}

export interface IdentifyOptions {
  readonly instrument: Instrument;
  /** Elements that may be there; a phase with any other is left out. Empty: all. */
  readonly elements?: readonly string[];
  /** Elements that must be there in each phase. */
  readonly required?: readonly string[];
  /** Largest stretch of the cell tried, fraction. */
  readonly stretch?: number;
  /** Degrees. */
  readonly tolerance?: number;
}

interface Candidate {
  readonly entry: ShelfEntry;
  readonly d: Float64Array;
  readonly intensity: Float64Array;
}

/** Lines of the candidates that fall in the range of the peaks, overlaps summed. */
function candidates(entries: readonly ShelfEntry[], o: IdentifyOptions, from: number, to: number): Candidate[] {
  const allowed = new Set(o.elements ?? []);
  return entries
    .filter((e) => {
      const own = Object.keys(e.contents);
      return (!allowed.size || own.every((x) => allowed.has(x))) && (o.required ?? []).every((x) => own.includes(x));
    })
    .map((entry) => {
      const lines = calculatedReflections(
        entry.structure,
        o.instrument,
        Math.max(1, from - 1.5),
        Math.min(170, to + 1.5),
      ).filter((r) => r.intensity > 0.3);
      const d: number[] = [],
        intensity: number[] = [];
      for (const r of lines) {
        const last = d.length - 1;
        if (last >= 0 && Math.abs(d[last]! - r.d) < 0.0015 * r.d) {
          d[last] = (d[last]! * intensity[last]! + r.d * r.intensity) / (intensity[last]! + r.intensity);
          intensity[last]! += r.intensity;
        } else {
          d.push(r.d);
          intensity.push(r.intensity);
        }
      }
      return { entry, d: Float64Array.from(d), intensity: Float64Array.from(intensity) };
    })
    .filter((c) => c.d.length > 0);
}

/** Scores one candidate against what is left of the peaks. */
function score(
  c: Candidate,
  x: Float64Array,
  left: Float64Array,
  whole: Float64Array,
  seen: number,
  o: IdentifyOptions,
  from: number,
  to: number,
): Match | undefined {
  const tolerance = o.tolerance ?? 0.15,
    wavelength = o.instrument.lines[0]!.wavelength,
    most = o.stretch ?? 0.01;
  const total = left.reduce((p, q) => p + q, 0);
  if (!(total > 0)) return undefined;
  const steps = most > 0 ? Math.max(1, Math.round(most / 0.0005)) : 0;
  let best: Match | undefined;
  for (let s = -steps; s <= steps; s++) {
    const stretch = steps ? (most * s) / steps : 0;
    const hit: { peak: number; c: number; close: number }[] = [];
    let sum = 0;
    for (let i = 0; i < c.d.length; i++) {
      const sine = wavelength / (2 * c.d[i]! * (1 + stretch));
      if (sine >= 1) continue;
      const t = 2 * Math.asin(sine) * DEGREES + o.instrument.zero;
      if (t < from || t > to) continue;
      sum += c.intensity[i]!;
      let lo = 0,
        hi = x.length;
      while (lo < hi) {
        const mid = (lo + hi) >> 1;
        if (x[mid]! < t) lo = mid + 1;
        else hi = mid;
      }
      const near = lo > 0 && (lo === x.length || t - x[lo - 1]! < x[lo]! - t) ? lo - 1 : lo;
      const delta = near < x.length ? Math.abs(x[near]! - t) : Infinity;
      hit.push({
        peak: delta < tolerance ? near : -1,
        c: c.intensity[i]!,
        close: delta < tolerance ? 1 - (delta / tolerance) ** 2 : 0,
      });
    }
    if (!(sum > 0)) continue;
    const at = new Map<number, number>();
    for (const h of hit) if (h.peak >= 0) at.set(h.peak, (at.get(h.peak) ?? 0) + h.c);
    const ratios = [...at].map(([p, v]) => left[p]! / v).filter((r) => r > 0);
    for (const k of ratios) {
      // Reflections too weak to be seen at this scale neither speak for a phase nor against it.
      let expected = 0,
        close = 0,
        shared = 0;
      for (const h of hit)
        if (k * h.c >= seen || h.peak >= 0) {
          expected += h.c;
          close += h.c * h.close;
        }
      let fresh = 0;
      for (const [p, v] of at) {
        const part = Math.min(left[p]!, k * v);
        shared += part;
        if (left[p]! > 0.35 * whole[p]!) fresh += part;
      }
      const found = close / expected,
        agree = shared / (k * expected),
        share = shared / total;
      if (found < 0.5) continue;
      // A stretched cell needs a reason: a tenth less merit at the edge.
      const merit = 100 * found * agree * Math.sqrt(share) * (1 - (0.1 * Math.abs(stretch)) / (most || 1));
      if (!best || merit > best.merit) {
        const e = c.entry;
        best = {
          id: e.id,
          name: e.name,
          formula: e.formula,
          merit,
          found,
          agree,
          share,
          stretch,
          scale: k,
          fresh: shared ? fresh / shared : 0,
          peaks: [...at.keys()].sort((p, q) => p - q),
          quality: e.quality,
          warnings: e.warnings,
        };
      }
    }
  }
  return best;
}

/** Candidates ranked by merit on what `explained` phases leave of the peaks. */
export function rankPhases(
  peaks: readonly Peak[],
  entries: readonly ShelfEntry[],
  o: IdentifyOptions,
  explained: readonly Match[] = [],
): { ranked: Match[]; left: Float64Array } {
  const x = Float64Array.from(peaks, (p) => p.position);
  const from = (x[0] ?? 0) - 0.3,
    to = (x[x.length - 1] ?? 0) + 0.3;
  const whole = Float64Array.from(peaks, (p) => p.area),
    left = whole.slice();
  const all = candidates(entries, o, from, to);
  for (const m of explained) {
    const c = all.find((k) => k.entry.id === m.id);
    if (c) takeOff(c, m, x, left, o);
  }
  const taken = new Set(explained.map((m) => m.id));
  // The weakest peak that was found tells what can be seen.
  const seen = peaks.reduce((s, p) => Math.min(s, p.area), Infinity);
  const ranked = all
    .filter((c) => !taken.has(c.entry.id))
    .flatMap((c) => score(c, x, left, whole, seen, o, from, to) ?? [])
    .sort((p, q) => q.merit - p.merit || 'ABC'.indexOf(p.quality) - 'ABC'.indexOf(q.quality));
  return { ranked, left };
}

function takeOff(c: Candidate, m: Match, x: Float64Array, left: Float64Array, o: IdentifyOptions): void {
  const tolerance = o.tolerance ?? 0.15,
    wavelength = o.instrument.lines[0]!.wavelength;
  for (let i = 0; i < c.d.length; i++) {
    const sine = wavelength / (2 * c.d[i]! * (1 + m.stretch));
    if (sine >= 1) continue;
    const t = 2 * Math.asin(sine) * DEGREES + o.instrument.zero;
    let near = -1;
    for (let k = 0; k < x.length; k++)
      if (Math.abs(x[k]! - t) < tolerance && (near < 0 || Math.abs(x[k]! - t) < Math.abs(x[near]! - t))) near = k;
    if (near >= 0) left[near] = Math.max(0, left[near]! - m.scale * c.intensity[i]!);
  }
}

/** Phases one after another until what is left is noise or nothing fits: half of what is expected found, and in peaks that were not explained before. */
export function identify(
  peaks: readonly Peak[],
  entries: readonly ShelfEntry[],
  o: IdentifyOptions,
  most = 6,
): { phases: Match[]; unexplained: number[]; left: number; alternatives: Match[][] } {
  const phases: Match[] = [],
    alternatives: Match[][] = [];
  let left = Float64Array.from(peaks, (p) => p.area);
  const total = left.reduce((p, q) => p + q, 0);
  while (phases.length < most) {
    const r = rankPhases(peaks, entries, o, phases);
    left = Float64Array.from(r.left);
    const best = r.ranked.find((m) => m.fresh >= 0.4);
    const share = best ? (best.share * left.reduce((p, q) => p + q, 0)) / total : 0;
    if (!best || best.found * best.agree < 0.36 || best.fresh < 0.4 || share < 0.008 || best.peaks.length < 2) break;
    phases.push(best);
    alternatives.push(r.ranked.slice(1, 6));
  }
  left = Float64Array.from(rankPhases(peaks, [...entries], o, phases).left);
  const unexplained = peaks.flatMap((p, i) =>
    left[i]! > 0.4 * p.area && !phases.some((m) => m.peaks.includes(i)) ? [i] : [],
  );
  return { phases, unexplained, left: left.reduce((p, q) => p + q, 0) / total, alternatives };
}
