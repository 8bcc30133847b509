/**
 * The electrostatic potential of stockholder atoms, each about its own nucleus in harmonics: what a molecule does to its
 * neighbours, without the wavefunction that it came from (Stone 2013, The Theory of Intermolecular Forces, ch. 2; within the
 * density by the radial integrals of Poisson's equation).
 */
import { operatorOf, positionOf, type AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import type { AtomPotentials } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, multiply3, toMat3, toVec3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import { BOHR } from '../quantum/gaussian.ts';
import { spherePoints } from '../quantum/sphere-points.ts';
import type { AtomShare } from '../quantum/stockholder.ts';

/** Highest order that is kept, and parts of one radius. */
const ORDER = 3,
  WIDTH = (ORDER + 1) ** 2;

const Y00 = 1 / Math.sqrt(4 * Math.PI);

/** kJ mol⁻¹ e⁻¹ in one hartree/e. */
export const KJ_PER_HARTREE = 2625.4996;

/** All harmonics to ORDER in a direction, the constant one first. */
const harmonics = ([x, y, z]: Vec3): number[] => [Y00, ...sphericalHarmonics(x, y, z, ORDER)];

/** What one atom's electrons do, by the distance from its nucleus. */
export interface RadialPotential {
  /** bohr, rising. */
  readonly radii: Float64Array;
  /** r^(l+1) V_lm(r), hartree bohr^(l+1)/e: constant beyond the density. */
  readonly parts: Float64Array;
}

/**
 * The potential of the electrons of a share: −4π/(2l+1) [∫₀ʳ ρ_lm s^(l+2) ds + r^(2l+1) ∫ᵣ^∞ ρ_lm s^(1−l) ds], times what makes it
 * constant far away. Sums run over the share's own grid, its last point counted by half.
 */
export function radialPotential(share: AtomShare): RadialPotential {
  const rising = Array.from(share.radii.keys()).sort((p, q) => share.radii[p]! - share.radii[q]!);
  const wide = (share.order + 1) ** 2;
  const radii = Float64Array.from(rising, (k) => share.radii[k]!);
  const parts = new Float64Array(radii.length * WIDTH);
  for (let l = 0, m = 0; l <= Math.min(ORDER, share.order); l++)
    for (const end = (l + 1) ** 2; m < end; m++) {
      const inner = rising.map((k) => share.weights[k]! * share.moments[k * wide + m]! * share.radii[k]! ** l);
      const outer = rising.map((k) => share.weights[k]! * share.moments[k * wide + m]! * share.radii[k]! ** (-l - 1));
      let within = 0,
        beyond = outer.reduce((sum, x) => sum + x, 0);
      for (let n = 0; n < radii.length; n++) {
        beyond -= outer[n]!;
        const sum = within + inner[n]! / 2 + radii[n]! ** (2 * l + 1) * (beyond + outer[n]! / 2);
        within += inner[n]!;
        parts[n * WIDTH + m] = ((-4 * Math.PI) / (2 * l + 1)) * sum;
      }
    }
  return { radii, parts };
}

/** The same in axes turned by a rotation: what was seen along R u is seen along u. */
export function turnedPotential({ radii, parts }: RadialPotential, rotation: Mat3): RadialPotential {
  const sphere = spherePoints(50);
  const turn = new Float64Array(WIDTH * WIDTH);
  sphere.points.forEach((u, i) => {
    const there = harmonics(toVec3(u)),
      here = harmonics(apply3(rotation, toVec3(u)));
    for (let p = 0; p < WIDTH; p++)
      for (let q = 0; q < WIDTH; q++) turn[p * WIDTH + q]! += 4 * Math.PI * sphere.weights[i]! * there[p]! * here[q]!;
  });
  const out = new Float64Array(parts.length);
  for (let n = 0; n < radii.length; n++)
    for (let p = 0; p < WIDTH; p++)
      for (let q = 0; q < WIDTH; q++) out[n * WIDTH + p]! += turn[p * WIDTH + q]! * parts[n * WIDTH + q]!;
  return { radii, parts: out };
}

/** Potential of one atom, nucleus and electrons, at a place relative to it (bohr), hartree/e. */
export function potentialOf({ radii, parts }: RadialPotential, charge: number, [x, y, z]: Vec3): number {
  const r = Math.hypot(x, y, z);
  const last = radii.length - 1;
  let n = 0;
  while (n < last && radii[n + 1]! < r) n++;
  const next = Math.min(last, n + 1);
  const f = next === n ? 0 : Math.max(0, Math.min(1, (r - radii[n]!) / (radii[next]! - radii[n]!)));
  const y3 = harmonics([x / r, y / r, z / r]);
  let sum = charge / r,
    power = r;
  for (let l = 0, m = 0; l <= ORDER; l++, power *= r)
    for (const end = (l + 1) ** 2; m < end; m++) {
      const [low, high] = [parts[n * WIDTH + m]!, parts[next * WIDTH + m]!];
      sum += ((low + f * (high - low)) * y3[m]!) / power;
    }
  return sum;
}

/** Rotation of an operator in Cartesian axes. */
function cartesianRotation(s: Structure, a: AtomRef): Mat3 {
  const m = orthogonalization(s.cell);
  return multiply3(m, multiply3(toMat3(operatorOf(s.spaceGroup, a).r), inverse3(m)));
}

/** A share of the atom `a` as the potential of its site. */
export const sitePotential = (s: Structure, a: AtomRef, share: AtomShare): RadialPotential =>
  turnedPotential(radialPotential(share), cartesianRotation(s, a));

/**
 * Potential of a group of atoms (kJ mol⁻¹ e⁻¹) at points (Å, Cartesian, three numbers each). Throws RangeError where an atom has no
 * potential.
 */
export function potentialAt(
  s: Structure,
  potentials: AtomPotentials,
  atoms: readonly AtomRef[],
  points: Float32Array,
): Float32Array {
  const index = new Map(potentials.sites.map((id, i) => [id, i]));
  const elements = new Map(s.sites.map((x) => [x.id, x.element]));
  const toCartesian = orthogonalization(s.cell);
  const out = new Float32Array(points.length / 3);
  for (const a of atoms) {
    const i = index.get(a.site);
    if (i === undefined) throw new RangeError('Not every atom of this molecule has an aspherical form factor.');
    const one: RadialPotential = { radii: potentials.radii[i]!, parts: potentials.parts[i]! };
    const charge = elementOf(elements.get(a.site)!).z;
    const middle = apply3(toCartesian, positionOf(s, a));
    const back = transpose3(cartesianRotation(s, a));
    for (let p = 0; p < out.length; p++) {
      const way: Vec3 = [points[3 * p]! - middle[0], points[3 * p + 1]! - middle[1], points[3 * p + 2]! - middle[2]];
      const [x, y, z] = apply3(back, way);
      out[p]! += KJ_PER_HARTREE * potentialOf(one, charge, [x / BOHR, y / BOHR, z / BOHR]);
    }
  }
  return out;
}
