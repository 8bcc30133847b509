/** The accepted Laue group in the axes that solving works in. */
import { inverse3, multiply3, type Mat3, toMat3 } from '../math/matrix3.ts';
import type { LatticeAnalysis } from '../data/lattice-analysis.ts';

/** Rotations of the accepted Laue group in the conventional basis. */
export function laueRotationsOf(lattice: LatticeAnalysis): Mat3[] {
  const q = inverse3(lattice.p);
  return lattice.laue.map((r) => toMat3(multiply3(q, multiply3(r, lattice.p)).map((x) => Math.round(x) + 0)));
}
