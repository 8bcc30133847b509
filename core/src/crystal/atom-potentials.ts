/**
 * The electrostatic potential of atoms in harmonics about their nuclei: what a molecule does to its neighbours, without the
 * wavefunction that it came from (Stone 2013, The Theory of Intermolecular Forces, ch. 2).
 */
import { apply3, inverse3, multiply3, toMat3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { sphericalHarmonics } from '../math/spherical-harmonics.ts';
import { BOHR, KJ_PER_HARTREE } from '../math/units.ts';
import { operatorOf, positionOf, type AtomRef } from './atom-ref.ts';
import { orthogonalization } from './cell.ts';
import { elementOf } from './elements.ts';
import type { AtomPotentials } from './form-factors.ts';
import type { Structure } from './structure.ts';

/** Highest order that is kept, and parts of one radius. */
export const POTENTIAL_ORDER = 3,
  POTENTIAL_PARTS = (POTENTIAL_ORDER + 1) ** 2;

const Y00 = 1 / Math.sqrt(4 * Math.PI);

/** All harmonics up to that order in a direction, the constant one first. */
export const potentialHarmonics = ([x, y, z]: Vec3): number[] => [Y00, ...sphericalHarmonics(x, y, z, POTENTIAL_ORDER)];

/** What one atom's electrons do, by the distance from its nucleus. */
export interface RadialPotential {
  /** bohr, rising. */
  readonly radii: Float64Array;
  /** r^(l+1) V_lm(r), hartree bohr^(l+1)/e: constant beyond the density. */
  readonly parts: Float64Array;
}

/** Potential of one atom, nucleus and electrons, at a place relative to it (bohr), hartree/e. */
export function potentialOf({ radii, parts }: RadialPotential, charge: number, [x, y, z]: Vec3): number {
  const r = Math.hypot(x, y, z);
  const last = radii.length - 1;
  let n = 0;
  while (n < last && radii[n + 1]! < r) n++;
  const next = Math.min(last, n + 1);
  const f = next === n ? 0 : Math.max(0, Math.min(1, (r - radii[n]!) / (radii[next]! - radii[n]!)));
  const y3 = potentialHarmonics([x / r, y / r, z / r]);
  let sum = charge / r,
    power = r;
  for (let l = 0, m = 0; l <= POTENTIAL_ORDER; l++, power *= r)
    for (const end = (l + 1) ** 2; m < end; m++) {
      const [low, high] = [parts[n * POTENTIAL_PARTS + m]!, parts[next * POTENTIAL_PARTS + m]!];
      sum += ((low + f * (high - low)) * y3[m]!) / power;
    }
  return sum;
}

/** Rotation of an operator in Cartesian axes. */
export function cartesianRotation(s: Structure, a: AtomRef): Mat3 {
  const m = orthogonalization(s.cell);
  return multiply3(m, multiply3(toMat3(operatorOf(s.spaceGroup, a).r), inverse3(m)));
}

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
