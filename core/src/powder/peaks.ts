/** Background estimate and peak search of a powder pattern. */
import { spacingAt, type Instrument, type Pattern } from '../crystal/pattern.ts';
import { choleskyInPlace, choleskyInverse, choleskySolve } from '../math/linear.ts';
import { DEGREES } from './engine.ts';
import { lowerBound } from './fitted-points.ts';
import { GAUSS_NORM, LORENTZ_NORM, pseudoVoigt } from './profile.ts';

export interface Peak {
  /** 2θ of the first line of the spectrum, degrees, as it lies on the pattern. */
  readonly position: number;
  readonly positionSu: number;
  /** Counts above the background. */
  readonly height: number;
  /** Full width at half maximum, degrees. */
  readonly width: number;
  readonly widthSu: number;
  /** Counts × degrees of the first line. */
  readonly area: number;
  readonly areaSu: number;
  /** Spacing, Å, the instrument's zero taken off. */
  readonly d: number;
}

/** Statistics-sensitive non-linear iterative clipping on √y with falling windows (Ryan et al. 1988, Nucl. Instrum. Meth. B34, 396; Morháč et al. 1997, A401, 113); `window` in degrees. */
export function estimateBackground(p: Pattern, window = 2.5): Float64Array {
  const n = p.intensity.length;
  const step = (p.twoTheta[n - 1]! - p.twoTheta[0]!) / Math.max(1, n - 1);
  let v = Float64Array.from(smooth(p.intensity, Math.max(2, Math.round(0.06 / step))), (y) =>
    Math.sqrt(Math.max(0, y) + 1),
  );
  const most = Math.max(3, Math.round(window / step));
  const next = new Float64Array(n);
  for (let w = most; w >= 1; w = w > 12 ? Math.floor(w * 0.88) : w - 1) {
    for (let i = 0; i < n; i++) {
      const a = v[Math.max(0, i - w)]!,
        b = v[Math.min(n - 1, i + w)]!;
      next[i] = Math.min(v[i]!, i < w || i >= n - w ? Math.min(v[i]!, Math.max(a, b)) : (a + b) / 2);
    }
    v = Float64Array.from(next);
  }
  return smooth(
    v.map((x) => x * x - 1),
    Math.max(2, Math.round(0.4 / step)),
  );
}

function smooth(y: Float64Array, half: number): Float64Array {
  const n = y.length,
    out = new Float64Array(n);
  let sum = 0,
    from = 0,
    to = 0;
  for (let i = 0; i < n; i++) {
    while (to < Math.min(n, i + half + 1)) sum += y[to++]!;
    while (from < i - half) sum -= y[from++]!;
    out[i] = sum / (to - from);
  }
  return out;
}

/** Points set by hand to follow an estimate: one every so many degrees. */
export function backgroundPoints(p: Pattern, count = 18): [number, number][] {
  const b = estimateBackground(p),
    n = b.length;
  return Array.from({ length: count }, (_, i) => {
    const at = Math.round((i * (n - 1)) / (count - 1));
    return [p.twoTheta[at]!, b[at]!] as [number, number];
  });
}

/** Savitzky & Golay (1964), Anal. Chem. 36, 1627: weights of the second derivative of a quadratic through 2m + 1 points. */
function secondDerivativeWeights(m: number): Float64Array {
  const n = 2 * m + 1,
    w = new Float64Array(n);
  const s2 = (m * (m + 1) * n) / 3;
  let norm = 0;
  for (let i = -m; i <= m; i++) {
    w[i + m] = i * i - s2 / n;
    norm += w[i + m]! * i * i;
  }
  return w.map((x) => (2 * x) / norm);
}

export interface PeakSearch {
  /** Significance in s.u. of the second derivative. */
  readonly significance: number;
  /** Usual width of a peak, degrees; found from the pattern when absent. */
  readonly width?: number;
}

/** A typical width: where the autocorrelation of what stands above the background falls to a half, over √2 for peaks between Gaussian and Lorentzian. */
export function typicalWidth(p: Pattern, background: Float64Array): number {
  const n = p.intensity.length,
    step = (p.twoTheta[n - 1]! - p.twoTheta[0]!) / (n - 1);
  const z = p.intensity.map((y, i) => Math.max(0, y - background[i]! - 2 * p.sigma[i]!));
  const at = (lag: number): number => {
    let s = 0;
    for (let i = 0; i + lag < n; i++) s += z[i]! * z[i + lag]!;
    return s;
  };
  const zero = at(1);
  let lag = 2;
  while (lag * step < 3 && at(lag) > zero / 2) lag++;
  return Math.max(3 * step, (2 * lag * step) / 1.7);
}

/** Peaks by smoothed second derivative, each then fitted as a pseudo-Voigt doublet together with its neighbours. */
export function findPeaks(p: Pattern, instrument: Instrument, options: PeakSearch = { significance: 4 }): Peak[] {
  const n = p.twoTheta.length;
  if (n < 20) return [];
  const background = estimateBackground(p);
  const step = (p.twoTheta[n - 1]! - p.twoTheta[0]!) / (n - 1);
  const width = options.width ?? typicalWidth(p, background);
  const m = Math.max(2, Math.round((0.55 * width) / step));
  const w = secondDerivativeWeights(m);
  const curve = new Float64Array(n),
    noise = new Float64Array(n);
  for (let i = m; i < n - m; i++) {
    let sum = 0,
      square = 0;
    for (let k = -m; k <= m; k++) {
      sum += w[k + m]! * p.intensity[i + k]!;
      square += (w[k + m]! * p.sigma[i + k]!) ** 2;
    }
    curve[i] = -sum;
    noise[i] = Math.sqrt(square);
  }
  const found: number[] = [];
  for (let i = m + 1; i < n - m - 1; i++) {
    if (curve[i]! < options.significance * noise[i]! || curve[i]! < curve[i - 1]! || curve[i]! <= curve[i + 1]!)
      continue;
    if (p.intensity[i]! - background[i]! < 2 * p.sigma[i]!) continue;
    // Where two maxima stand closer than half a width the higher is the peak.
    const last = found[found.length - 1];
    if (last !== undefined && p.twoTheta[i]! - p.twoTheta[last]! < 0.45 * width) {
      if (curve[i]! > curve[last]!) found[found.length - 1] = i;
      continue;
    }
    found.push(i);
  }
  const second = instrument.lines[1];
  const kept = second ? found.filter((i) => !isSecondLine(p, background, found, i, instrument, width)) : found;
  return fitPeaks(
    p,
    background,
    kept.map((i) => p.twoTheta[i]!),
    instrument,
    width,
  );
}

/** Where the second line of a peak at `position` lies. */
const secondPosition = (position: number, instrument: Instrument): number => {
  const s = (Math.sin(position / 2 / DEGREES) * instrument.lines[1]!.wavelength) / instrument.lines[0]!.wavelength;
  return s < 1 ? 2 * Math.asin(s) * DEGREES : NaN;
};

/** A maximum that is no more than the weaker line of a stronger peak. */
function isSecondLine(
  p: Pattern,
  background: Float64Array,
  found: readonly number[],
  i: number,
  instrument: Instrument,
  width: number,
): boolean {
  const weight = instrument.lines[1]!.weight;
  return found.some((j) => {
    if (j >= i) return false;
    const at = secondPosition(p.twoTheta[j]!, instrument);
    return (
      Math.abs(at - p.twoTheta[i]!) < Math.max(0.35 * width, 0.03) &&
      p.intensity[i]! - background[i]! < 1.35 * weight * (p.intensity[j]! - background[j]!) + 3 * p.sigma[i]!
    );
  });
}

/** Fits peaks at given positions; clusters of neighbours together. Peaks that come out with no area are left out. */
export function fitPeaks(
  p: Pattern,
  background: Float64Array,
  positions: readonly number[],
  instrument: Instrument,
  width: number,
): Peak[] {
  const sorted = [...positions].sort((a, b) => a - b);
  const clusters: number[][] = [];
  for (const x of sorted) {
    const last = clusters[clusters.length - 1];
    if (last && x - last[last.length - 1]! < 4 * width && last.length < 7) last.push(x);
    else clusters.push([x]);
  }
  return clusters.flatMap((c) => fitCluster(p, background, c, instrument, width));
}

function fitCluster(
  p: Pattern,
  background: Float64Array,
  positions: readonly number[],
  instrument: Instrument,
  width: number,
): Peak[] {
  const from = lowerBound(p.twoTheta, positions[0]! - 3 * width),
    to = lowerBound(p.twoTheta, positions[positions.length - 1]! + 3.5 * width);
  const count = to - from,
    k = positions.length;
  if (count < 3 * k + 4) return [];
  const lines = instrument.lines.slice(0, 2);
  const y = new Float64Array(count);
  for (let i = 0; i < count; i++) y[i] = p.intensity[from + i]! - background[from + i]!;
  // Per peak: position, area, width; then shared mixing and a straight remainder of the background.
  const n = 3 * k + 3;
  const v = new Float64Array(n);
  positions.forEach((x, i) => {
    const at = Math.min(count - 1, Math.max(0, lowerBound(p.twoTheta, x) - from));
    v[3 * i] = x;
    v[3 * i + 1] = Math.max(1, y[at]!) * width * 1.2;
    v[3 * i + 2] = width;
  });
  v[3 * k] = 0.6;
  const start = v.slice();
  const middle = (p.twoTheta[from]! + p.twoTheta[to - 1]!) / 2;
  const model = (q: Float64Array, out: Float64Array): void => {
    const eta = Math.min(1, Math.max(0, q[3 * k]!));
    for (let i = 0; i < count; i++) out[i] = q[3 * k + 1]! + q[3 * k + 2]! * (p.twoTheta[from + i]! - middle);
    for (let j = 0; j < k; j++)
      for (const [l, line] of lines.entries()) {
        const at = l ? secondPosition(q[3 * j]!, instrument) : q[3 * j]!;
        if (Number.isNaN(at)) continue;
        for (let i = 0; i < count; i++)
          out[i]! += q[3 * j + 1]! * line.weight * pseudoVoigt(p.twoTheta[from + i]! - at, q[3 * j + 2]!, eta);
      }
  };
  const f = new Float64Array(count),
    g = new Float64Array(count);
  const cost = (q: Float64Array): number => {
    model(q, g);
    let s = 0;
    for (let i = 0; i < count; i++) s += ((y[i]! - g[i]!) / p.sigma[from + i]!) ** 2;
    return s;
  };
  let damping = 0.01,
    now = cost(v),
    matrix = new Float64Array(n * n);
  for (let cycle = 0; cycle < 14; cycle++) {
    model(v, f);
    const columns = Array.from({ length: n }, (_, j) => {
      const step = j === 3 * k ? 1e-4 : j > 3 * k ? 1e-3 : j % 3 === 1 ? Math.max(1e-3, 1e-4 * Math.abs(v[j]!)) : 1e-5;
      const q = v.slice();
      q[j]! += step;
      model(q, g);
      return f.map((x, i) => (g[i]! - x) / step);
    });
    matrix = new Float64Array(n * n);
    const b = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      for (let j = 0; j <= i; j++) {
        let s = 0;
        for (let m = 0; m < count; m++) s += (columns[i]![m]! * columns[j]![m]!) / p.sigma[from + m]! ** 2;
        matrix[i * n + j] = matrix[j * n + i] = s;
      }
      for (let m = 0; m < count; m++) b[i]! += (columns[i]![m]! * (y[m]! - f[m]!)) / p.sigma[from + m]! ** 2;
    }
    const trial = matrix.slice();
    for (let i = 0; i < n; i++) trial[i * n + i] = trial[i * n + i]! * (1 + damping) + 1e-12;
    choleskyInPlace(trial, n);
    const shift = choleskySolve(trial, n, b);
    const q = v.map((x, i) => x + shift[i]!);
    for (let j = 0; j < k; j++) {
      q[3 * j] = Math.min(start[3 * j]! + 0.6 * width, Math.max(start[3 * j]! - 0.6 * width, q[3 * j]!));
      q[3 * j + 1] = Math.max(0, q[3 * j + 1]!);
      q[3 * j + 2] = Math.min(4 * width, Math.max(0.35 * width, q[3 * j + 2]!));
    }
    q[3 * k] = Math.min(1, Math.max(0, q[3 * k]!));
    const next = cost(q);
    if (next < now) {
      const quiet = now - next < 1e-3;
      v.set(q);
      now = next;
      damping /= 5;
      if (quiet) break;
    } else damping *= 8;
    if (damping > 1e6) break;
  }
  for (let i = 0; i < n; i++) matrix[i * n + i]! *= 1 + 1e-9;
  choleskyInPlace(matrix, n);
  const inverse = choleskyInverse(matrix, n),
    chi2 = Math.max(1, now / Math.max(1, count - n));
  const su = (i: number): number => Math.sqrt(Math.max(0, inverse[i * n + i]!) * chi2);
  const eta = v[3 * k]!;
  return positions.flatMap((_, j): Peak[] => {
    const area = v[3 * j + 1]!,
      areaSu = su(3 * j + 1);
    if (area <= 2 * areaSu) return [];
    const w = v[3 * j + 2]!;
    return [
      {
        position: v[3 * j]!,
        positionSu: su(3 * j),
        area,
        areaSu,
        width: w,
        widthSu: su(3 * j + 2),
        height: (area * (eta * LORENTZ_NORM + (1 - eta) * GAUSS_NORM)) / w,
        d: spacingAt(v[3 * j]! - instrument.zero, instrument.lines[0]!.wavelength),
      },
    ];
  });
}

/** One peak at a place the person pointed to: on the nearest maximum within half a degree. */
export function peakAt(p: Pattern, instrument: Instrument, twoTheta: number): Peak | undefined {
  const background = estimateBackground(p),
    width = typicalWidth(p, background);
  const from = lowerBound(p.twoTheta, twoTheta - 0.4 * width),
    to = lowerBound(p.twoTheta, twoTheta + 0.4 * width);
  let best = lowerBound(p.twoTheta, twoTheta);
  for (let i = from; i < to; i++) if (p.intensity[i]! > p.intensity[best]!) best = i;
  return fitPeaks(p, background, [p.twoTheta[best]!], instrument, width)[0];
}
