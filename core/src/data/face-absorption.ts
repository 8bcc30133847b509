/**
 * Absorption by a crystal with plane faces, integrated exactly. Where both ways through the crystal end at one pair of faces, their
 * length is linear in the place of scattering; such regions are convex polyhedra (Busing & Levy 1957, Acta Cryst. 10, 180; de
 * Meulenaer & Tompa 1965, Acta Cryst. 19, 1014). The mean of an exponential of a linear function over a tetrahedron is six times its
 * third divided difference at the corners (Hermite & Genocchi).
 */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import type { GivenFace } from '../crystal/faces.ts';
import type { RawReflections } from '../crystal/reflections.ts';
import { choleskyInPlace, choleskySolve } from '../math/linear.ts';
import {
  apply3,
  dot,
  inverse3,
  multiply3,
  norm,
  scale,
  subtract,
  toMat3,
  transpose3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import {
  cutPolyhedron,
  eachTetrahedron,
  polyhedronWithin,
  volumeWithin,
  type HalfSpace,
  type Polyhedron,
} from '../math/polyhedron.ts';

/** Faces (distances in mm) and what the crystal absorbs. */
export interface FaceAbsorption {
  readonly faces: readonly GivenFace[];
  /** Linear absorption coefficient, mm⁻¹. */
  readonly mu: number;
}

export interface Transmission {
  /** Share of the intensity that leaves the crystal, of every observation. */
  readonly shares: Float64Array;
  readonly lowest: number;
  readonly highest: number;
  /** mm³. */
  readonly volume: number;
}

/** Below this spread of its arguments a divided difference is summed as a series. */
const NEAR = 0.2;

/** Terms of that series: the next one is below 1e-15 of the sum. */
const TERMS = 11;

/** Space of the series, used by one call at a time. */
const symmetric = new Float64Array(TERMS);

/**
 * Divided difference of exp at the sorted arguments from `first` to `last`. Where they lie near one another, the sum of complete
 * homogeneous symmetric polynomials h_k/(n + k)! of their deviations from the mean, which loses no digits.
 */
export function dividedExponential(sorted: ArrayLike<number>, first = 0, last = sorted.length - 1): number {
  if (first === last) return Math.exp(sorted[first]!);
  const spread = sorted[last]! - sorted[first]!;
  if (spread > NEAR)
    return (dividedExponential(sorted, first + 1, last) - dividedExponential(sorted, first, last - 1)) / spread;
  const n = last - first;
  let mean = 0;
  for (let i = first; i <= last; i++) mean += sorted[i]! / (n + 1);
  symmetric.fill(0);
  symmetric[0] = 1;
  for (let i = first; i <= last; i++) {
    const x = sorted[i]! - mean;
    for (let k = 1; k < TERMS; k++) symmetric[k]! += x * symmetric[k - 1]!;
  }
  let factorial = 1;
  for (let k = 2; k <= n; k++) factorial *= k;
  let sum = 0;
  for (let k = 0; k < TERMS; k++) {
    sum += symmetric[k]! / factorial;
    factorial *= n + k + 1;
  }
  return Math.exp(mean) * sum;
}

/** A half-space with a normal of unit length. */
type Plane = HalfSpace;

/** Where a ray in a direction leaves: the planes it may meet, each with the cosine to its normal. */
interface Exit {
  readonly plane: Plane;
  readonly cosine: number;
}

const exitsOf = (planes: readonly Plane[], direction: Vec3): Exit[] =>
  planes
    .map((plane) => ({ plane, cosine: dot(plane.normal, direction) }))
    .filter((e) => e.cosine > 1e-9)
    .sort((p, q) => q.cosine - p.cosine);

/** The part of a body from which the ray leaves by one of its exits. */
function partLeavingBy(body: Polyhedron, exit: Exit, exits: readonly Exit[]): Polyhedron {
  let part = body;
  for (const other of exits) {
    if (other === exit) continue;
    part = cutPolyhedron(part, {
      normal: subtract(scale(other.plane.normal, 1 / other.cosine), scale(exit.plane.normal, 1 / exit.cosine)),
      distance: other.plane.distance / other.cosine - exit.plane.distance / exit.cosine,
    });
    if (!part.length) break;
  }
  return part;
}

const lengthTo = ({ plane, cosine }: Exit, x: Vec3): number => (plane.distance - dot(plane.normal, x)) / cosine;

/** ∫ exp(−μ (way in + way out)) over a body where both ways end at one face each. */
function integral(body: Polyhedron, mu: number, one: Exit, other: Exit): number {
  let sum = 0;
  eachTetrahedron(body, (corners, volume) => {
    const exponents = corners.map((x) => -mu * (lengthTo(one, x) + lengthTo(other, x))).sort((p, q) => p - q);
    sum += 6 * volume * dividedExponential(exponents);
  });
  return sum;
}

/** A crystal by its planes, for the transmission of many pairs of beams. */
export class AbsorbingCrystal {
  readonly volume: number;
  private readonly body: Polyhedron;

  /** Planes in mm with normals of unit length, in the axes of the beams; μ in mm⁻¹. Throws RangeError where they do not close. */
  constructor(
    private readonly planes: readonly Plane[],
    private readonly mu: number,
  ) {
    this.body = polyhedronWithin(planes, FAR * Math.max(...planes.map((p) => p.distance)));
    this.volume = volumeWithin(this.body);
  }

  /** Share of the intensity that is left, for unit vectors towards the source and along the diffracted beam. */
  transmission(towardsSource: Vec3, diffracted: Vec3): number {
    const [ins, outs] = [exitsOf(this.planes, towardsSource), exitsOf(this.planes, diffracted)];
    let sum = 0;
    for (const one of ins) {
      const lit = partLeavingBy(this.body, one, ins);
      if (!lit.length) continue;
      for (const other of outs) sum += integral(partLeavingBy(lit, other, outs), this.mu, one, other);
    }
    return sum / this.volume;
  }
}

/** A crystal that is this many times longer than its furthest face lies off is not closed. */
const FAR = 100;

/** The matrix M that takes indices to scattering vectors (in units of 1/λ), by least squares; undefined where indices lie in a plane. */
function orientationOf(raw: RawReflections, list: readonly number[]): Mat3 | undefined {
  const normal = new Float64Array(9),
    right = new Float64Array(9);
  for (const i of list) {
    const hkl = [raw.h[i]!, raw.k[i]!, raw.l[i]!];
    for (let p = 0; p < 3; p++) {
      for (let q = 0; q < 3; q++) normal[3 * p + q]! += hkl[p]! * hkl[q]!;
      for (let q = 0; q < 3; q++) right[3 * p + q]! += hkl[p]! * scatteringVector(raw.beams!, i)[q]!;
    }
  }
  try {
    choleskyInPlace(normal, 3);
  } catch {
    return undefined;
  }
  const rows = [0, 1, 2].map((q) => [
    ...choleskySolve(normal, 3, Float64Array.of(right[q]!, right[3 + q]!, right[6 + q]!)),
  ]);
  return toMat3(rows.flat());
}

/** Diffracted less incident beam, both of unit length. */
const scatteringVector = (beams: Float32Array, i: number): Vec3 => [
  beams[6 * i + 3]! + beams[6 * i]!,
  beams[6 * i + 4]! + beams[6 * i + 1]!,
  beams[6 * i + 5]! + beams[6 * i + 2]!,
];

/** How far scattering vectors may lie from where the orientation puts them, as a share of their length. */
const LOOSE = 0.02;

/** Throws RangeError where an orientation does not lead from the indices to the beams, or is not that of the cell. */
function checkOrientation(raw: RawReflections, list: readonly number[], m: Mat3, cell: Cell): void {
  let off = 0,
    all = 0;
  for (const i of list) {
    const q = scatteringVector(raw.beams!, i);
    const d = subtract(q, apply3(m, [raw.h[i]!, raw.k[i]!, raw.l[i]!]));
    off += dot(d, d);
    all += dot(q, q);
  }
  if (off > LOOSE ** 2 * all)
    throw new RangeError(
      'The angles of these data do not go with one orientation of the crystal, so its faces cannot be found in the beam. Correct by direction instead.',
    );
  const back = inverse3(orthogonalization(cell));
  const star = multiply3(back, transpose3(back)),
    found = multiply3(transpose3(m), m);
  // The metric of M is that of the reciprocal cell times λ².
  const ratio = found[0] / star[0];
  const isAlike = found.every((x, k) => Math.abs(x / ratio - star[k]!) < 0.05 * Math.max(star[0], star[4], star[8]));
  if (!isAlike)
    throw new RangeError(
      'The angles of these data belong to another cell than the indices: the faces cannot be placed.',
    );
}

/** Observations by batch: each was measured on one mount. */
function byBatch(raw: RawReflections): number[][] {
  const lists = new Map<number, number[]>();
  for (let i = 0; i < raw.count; i++) {
    const code = raw.batch?.[i] ?? 0;
    const list = lists.get(code);
    if (list) list.push(i);
    else lists.set(code, [i]);
  }
  return [...lists.values()];
}

/** Faces as planes in the axes of the beams. */
function planesIn(m: Mat3, faces: readonly GivenFace[]): Plane[] {
  return faces.map(({ hkl, distance }) => {
    const n = apply3(m, hkl);
    return { normal: scale(n, 1 / norm(n)), distance };
  });
}

/**
 * Transmission of every observation. The orientation is found anew from indices and beams, batch by batch (a batch too flat for that
 * takes the orientation of all), so that data in any axes and from several mounts can be corrected.
 * Throws RangeError where the data have no beams, the faces do not close, or the orientation does not go with the cell.
 */
export function transmissionByFaces(
  raw: RawReflections,
  cell: Cell,
  { faces, mu }: FaceAbsorption,
  tell?: (share: number) => void,
): Transmission {
  if (!raw.beams)
    throw new RangeError(
      'These data do not say from where each reflection was measured (no angles and orientation matrix), so absorption by the faces cannot be worked out.',
    );
  if (!(mu > 0))
    throw new RangeError('The absorption coefficient is not known: give the formula, Z and the wavelength.');
  const shares = new Float64Array(raw.count);
  const all = Array.from(shares.keys());
  let whole: Mat3 | undefined;
  let volume = 0,
    done = 0;
  for (const list of byBatch(raw)) {
    const m = orientationOf(raw, list) ?? (whole ??= orientationOf(raw, all));
    if (!m)
      throw new RangeError('These data lie in one plane of the reciprocal lattice: the crystal cannot be oriented.');
    checkOrientation(raw, list, m, cell);
    const crystal = new AbsorbingCrystal(planesIn(m, faces), mu);
    volume = crystal.volume;
    for (const i of list) {
      const b = raw.beams.subarray(6 * i, 6 * i + 6);
      shares[i] = crystal.transmission([b[0]!, b[1]!, b[2]!], [b[3]!, b[4]!, b[5]!]);
      if (++done % 64 === 0) tell?.(done / raw.count);
    }
  }
  let [lowest, highest] = [Infinity, 0];
  for (const x of shares) {
    lowest = Math.min(lowest, x);
    highest = Math.max(highest, x);
  }
  return { shares, lowest, highest, volume };
}

/** Observations as they would be without absorption, and the transmission of each. Throws as `transmissionByFaces`. */
export function withoutAbsorption(
  raw: RawReflections,
  cell: Cell,
  absorption: FaceAbsorption,
  tell?: (share: number) => void,
): { readonly raw: RawReflections; readonly transmission: Transmission } {
  const transmission = transmissionByFaces(raw, cell, absorption, tell);
  const { shares } = transmission;
  const corrected: RawReflections = {
    ...raw,
    intensity: raw.intensity.map((x, i) => x / shares[i]!),
    sigma: raw.sigma.map((x, i) => x / shares[i]!),
  };
  return { raw: corrected, transmission };
}
