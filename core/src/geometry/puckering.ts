/**
 * Puckering of rings: amplitudes and phases of the displacements from the mean plane (Cremer & Pople 1975, J. Am. Chem.
 * Soc. 97, 1354), and the form in words (Boeyens 1978, J. Cryst. Mol. Struct. 8, 317).
 */
import { cross, dot, norm, normalize, scale, subtract, type Vec3, add } from '../math/matrix3.ts';

const DEGREES = 180 / Math.PI;

export interface Puckering {
  /** Total amplitude Q, Å. */
  readonly q: number;
  /** Degrees, 0–360; of the first pair of coordinates. Undefined for rings of four, which have none. */
  readonly phi?: number;
  /** Degrees, 0–180; rings of six: 0 and 180 are chairs, 90 boats and twists. */
  readonly theta?: number;
  /** Amplitude of each pair m = 2, 3, … with its phase (degrees), and of the single coordinate of even rings, signed, Å. */
  readonly pairs: readonly { readonly q: number; readonly phi: number }[];
  readonly single?: number;
  /** Displacement of each atom from the mean plane, Å. */
  readonly heights: readonly number[];
  /** "chair", "envelope with C3 at the flap": the atom by its number in the ring, 0 first. */
  readonly form: string;
  /** Atom that the form is named for. */
  readonly flap?: number;
}

/** Å: a ring whose amplitude stays below is called flat. */
export const FLAT = 0.1;

/** Heights over the mean plane of Cremer and Pople, whose normal is R′ × R″. */
function heightsOf(points: readonly Vec3[]): number[] {
  const n = points.length;
  const centre = scale(points.reduce<Vec3>(add, [0, 0, 0]), 1 / n);
  const r = points.map((p) => subtract(p, centre));
  const weighted = (f: (x: number) => number): Vec3 =>
    r.reduce<Vec3>((sum, p, j) => add(sum, scale(p, f((2 * Math.PI * j) / n))), [0, 0, 0]);
  const across = cross(weighted(Math.sin), weighted(Math.cos));
  const normal = norm(across) > 1e-12 ? normalize(across) : ([0, 0, 1] as Vec3);
  return r.map((p) => dot(p, normal));
}

const turned = (x: number): number => ((x % 360) + 360) % 360;

/** Puckering of a ring of four or more Cartesian points, in their order around it. Throws RangeError below four. */
export function puckering(points: readonly Vec3[]): Puckering {
  const n = points.length;
  if (n < 4) throw new RangeError('A ring of three atoms is always flat.');
  const z = heightsOf(points);
  const pairs = Array.from({ length: Math.max(0, Math.ceil(n / 2) - 2) }, (_, k) => {
    const m = k + 2;
    let c = 0,
      s = 0;
    z.forEach((h, j) => {
      const x = (2 * Math.PI * m * j) / n;
      c += h * Math.cos(x);
      s -= h * Math.sin(x);
    });
    const f = Math.sqrt(2 / n);
    return { q: f * Math.hypot(c, s), phi: turned(Math.atan2(s, c) * DEGREES) };
  });
  const single = n % 2 ? undefined : z.reduce((sum, h, j) => sum + (j % 2 ? -h : h), 0) / Math.sqrt(n);
  const q = Math.sqrt(z.reduce((sum, h) => sum + h * h, 0));
  const phi = pairs[0]?.phi;
  const theta = n === 6 && single !== undefined ? Math.atan2(pairs[0]!.q, single) * DEGREES : undefined;
  return {
    q,
    ...(phi === undefined ? {} : { phi }),
    ...(theta === undefined ? {} : { theta }),
    pairs,
    ...(single === undefined ? {} : { single }),
    heights: z,
    ...formOf(n, q, phi, theta),
  };
}

/** The nearest ideal form. Phases of rings of five stand every 18°, those of six every 30°. */
function formOf(
  n: number,
  q: number,
  phi: number | undefined,
  theta: number | undefined,
): { form: string; flap?: number } {
  if (q < FLAT) return { form: 'flat' };
  if (n === 4) return { form: 'folded' };
  if (n === 5) return formOfFive(phi!);
  if (n === 6) return formOfSix(phi!, theta!);
  return { form: 'puckered' };
}

/** Envelopes at even multiples of 18°, twists between (phase of the height at atom 1: z_j ∝ cos(φ + 4π j/5)). */
function formOfFive(phi: number): { form: string; flap?: number } {
  const step = Math.round(phi / 18) % 20;
  const height = (j: number): number => Math.cos(((step * 18 + 144 * j) * Math.PI) / 180);
  const of = [0, 1, 2, 3, 4];
  if (step % 2 === 0)
    return { form: 'envelope', flap: of.reduce((a, b) => (Math.abs(height(b)) > Math.abs(height(a)) ? b : a)) };
  // The twofold axis passes through the atom that stays in the plane.
  return { form: 'twist', flap: of.reduce((a, b) => (Math.abs(height(b)) < Math.abs(height(a)) ? b : a)) };
}

/** Polar angle 0 a chair, 54.7 an envelope, 67.5 a half-chair or screw-boat, 90 a boat or twist-boat. */
function formOfSix(phi: number, theta: number): { form: string } {
  const polar = Math.min(theta, 180 - theta);
  const even = Math.round(phi / 30) % 2 === 0;
  // Equator and chairs are told first; between them the phase says which of the two stands nearer.
  if (polar < 27) return { form: 'chair' };
  if (polar > 79) return { form: even ? 'boat' : 'twist-boat' };
  return even ? { form: 'envelope' } : { form: polar < 59 ? 'half-chair' : 'screw-boat' };
}
