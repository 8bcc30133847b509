/** What a structure lets expect of a measurement: its powder pattern, its structure factors, layers of its reciprocal lattice. */
import { indexLimits, orthogonalization, reciprocalMetric } from '../crystal/cell.ts';
import type { Instrument } from '../crystal/pattern.ts';
import { singleLine, USUAL_INSTRUMENT } from '../crystal/pattern.ts';
import { reflectionSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, cross, dot, inverse3, norm, normalize, toVec3, transpose3, type Vec3 } from '../math/matrix3.ts';
import { elementsOf, siteArrays } from '../refine/single-crystal-problem.ts';
import { scatteringTable, structureFactors } from '../scattering/structure-factors.ts';
import { calculatedReflections, type CalculatedReflection } from './identify.ts';
import { powderReflections } from './reflections.ts';

export interface ExpectedPattern {
  readonly lines: readonly CalculatedReflection[];
  /** Intensity at even steps of 2θ, the highest point 100. */
  readonly curve: { readonly from: number; readonly step: number; readonly values: Float32Array };
}

/** Degrees between points of a curve at least, and points at most. */
const FINEST = 0.005,
  MOST_POINTS = 20_000;

/**
 * Pattern at one wavelength (Å) between two 2θ (degrees), lines as wide as `width` (degrees, full at half height): half Gaussian, half
 * Lorentzian. Throws RangeError for a range or a wavelength that is none.
 */
export function expectedPattern(
  s: Structure,
  { wavelength, from, to, width }: { wavelength: number; from: number; to: number; width: number },
): ExpectedPattern {
  if (!(wavelength > 0.1 && wavelength < 10))
    throw new RangeError(`A wavelength is from 0.1 to 10 Å, not ${wavelength}.`);
  if (!(from >= 0 && to > from && to <= 180))
    throw new RangeError(`The range must run upwards and end at 180° or before; it was ${from} to ${to}.`);
  const instrument: Instrument = singleLine(USUAL_INSTRUMENT, wavelength);
  const lines = calculatedReflections(s, instrument, Math.max(0.5, from), to);
  const step = Math.max(FINEST, width / 8, (to - from) / MOST_POINTS);
  const values = new Float32Array(Math.ceil((to - from) / step) + 1);
  for (const { twoTheta, intensity } of lines) addLine(values, from, step, twoTheta, intensity, width);
  const most = values.reduce((p, q) => Math.max(p, q), 0);
  if (most > 0) for (let i = 0; i < values.length; i++) values[i]! *= 100 / most;
  return { lines, curve: { from, step, values } };
}

/** Widths from a line's middle up to which its tails are drawn. */
const TAILS = 25;

function addLine(out: Float32Array, from: number, step: number, at: number, intensity: number, width: number): void {
  const first = Math.max(0, Math.ceil((at - TAILS * width - from) / step));
  const last = Math.min(out.length - 1, Math.floor((at + TAILS * width - from) / step));
  for (let i = first; i <= last; i++) {
    const u = (2 * (from + i * step - at)) / width;
    const lorentz = 2 / (Math.PI * width * (1 + u * u));
    const gauss = (2 / width) * Math.sqrt(Math.LN2 / Math.PI) * Math.exp(-Math.LN2 * u * u);
    out[i]! += (intensity * (lorentz + gauss)) / 2;
  }
}

export interface StructureFactor {
  readonly h: number;
  readonly k: number;
  readonly l: number;
  /** Å */
  readonly d: number;
  /** Electrons, of one cell; and the phase, degrees from 0 to 360. */
  readonly f: number;
  readonly phase: number;
}

function factorsAt(s: Structure, hkl: readonly Vec3[], wavelength: number): { f: number; phase: number }[] {
  const list = {
    count: hkl.length,
    h: Int16Array.from(hkl, (x) => x[0]),
    k: Int16Array.from(hkl, (x) => x[1]),
    l: Int16Array.from(hkl, (x) => x[2]),
  };
  const elements = elementsOf(s);
  const { a, b } = structureFactors(
    scatteringTable(s.cell, s.spaceGroup, list, elements, wavelength),
    siteArrays(s, elements),
  );
  return hkl.map((_, i) => {
    const phase = (Math.atan2(b[i]!, a[i]!) * 180) / Math.PI;
    return { f: Math.hypot(a[i]!, b[i]!), phase: phase < -1e-9 ? phase + 360 : Math.max(0, phase) };
  });
}

/**
 * Structure factors of the reflections that symmetry does not make of one another, largest spacing first, down to `dMin` Å; wavelength in
 * Å, 0 for no dispersion. Throws RangeError where they are too many to be listed.
 */
export function expectedFactors(s: Structure, dMin: number, wavelength: number): StructureFactor[] {
  assertResolution(s, dMin);
  const unique = powderReflections(s.cell, s.spaceGroup, dMin);
  const hkl = Array.from({ length: unique.count }, (_, i): Vec3 => [unique.h[i]!, unique.k[i]!, unique.l[i]!]);
  const g = reciprocalMetric(s.cell);
  return factorsAt(s, hkl, wavelength).map((x, i) => ({
    h: hkl[i]![0],
    k: hkl[i]![1],
    l: hkl[i]![2],
    d: 1 / Math.sqrt(dot(hkl[i]!, apply3(g, hkl[i]!))),
    ...x,
  }));
}

/** Reciprocal-lattice points up to which lists are made. */
const MOST_REFLECTIONS = 2_000_000;

function assertResolution(s: Structure, dMin: number): void {
  if (!(dMin >= 0.25 && dMin <= 50)) throw new RangeError(`A resolution is from 0.25 to 50 Å, not ${dMin}.`);
  const points = indexLimits(s.cell, dMin).reduce((n, x) => n * (2 * x + 1), 1);
  if (points > MOST_REFLECTIONS)
    throw new RangeError(`Down to ${dMin} Å this cell has more than a million reflections. Ask for a larger spacing.`);
}

export interface LayerSpot {
  readonly hkl: Vec3;
  /** In the plane of the layer, Å⁻¹; the first reciprocal axis of the layer to the right. */
  readonly x: number;
  readonly y: number;
  /** Electrons; 0 where the group forbids the reflection. */
  readonly f: number;
  readonly isForbidden: boolean;
}

export interface ReciprocalLayer {
  readonly spots: readonly LayerSpot[];
  /** In the plane, Å⁻¹: where the two reciprocal axes that span it end, after which indices run. */
  readonly axes: readonly [readonly [number, number], readonly [number, number]];
  /** Å⁻¹: the length of the longest vector in the plane. */
  readonly radius: number;
}

export type LayerAxis = 0 | 1 | 2;

/**
 * One layer of the reciprocal lattice as a precession camera sees it, without distortion: the index of `axis` held at `level`, down to
 * `dMin` Å. Throws RangeError for a resolution that is none.
 */
export function reciprocalLayer(
  s: Structure,
  { axis, level, dMin, wavelength }: { axis: LayerAxis; level: number; dMin: number; wavelength: number },
): ReciprocalLayer {
  assertResolution(s, dMin);
  const star = transpose3(inverse3(orthogonalization(s.cell)));
  const along = (v: Vec3): Vec3 => apply3(star, v);
  const unit = (k: number): Vec3 => toVec3([0, 1, 2].map((i) => (i === k ? 1 : 0)));
  const [first, second] = ([0, 1, 2] as const).filter((k) => k !== axis) as [number, number];
  const right = normalize(along(unit(first)));
  const up = normalize(cross(normalize(cross(right, along(unit(second)))), right));
  const limits = indexLimits(s.cell, dMin);
  const hkl: Vec3[] = [];
  for (let p = -limits[first]!; p <= limits[first]!; p++)
    for (let q = -limits[second]!; q <= limits[second]!; q++) {
      const at: [number, number, number] = [0, 0, 0];
      at[first] = p;
      at[second] = q;
      at[axis] = level;
      if (norm(along(at)) <= 1 / dMin) hkl.push(at);
    }
  const factors = factorsAt(s, hkl, wavelength);
  const spots = hkl.flatMap((h, i): LayerSpot[] => {
    if (h.every((x) => x === 0)) return [];
    const v = along(h);
    const isForbidden = reflectionSymmetry(s.spaceGroup, ...h).absent;
    return [{ hkl: h, x: dot(v, right), y: dot(v, up), f: isForbidden ? 0 : factors[i]!.f, isForbidden }];
  });
  const flat = (k: number): [number, number] => [dot(along(unit(k)), right), dot(along(unit(k)), up)];
  return { spots, axes: [flat(first), flat(second)], radius: 1 / dMin };
}
