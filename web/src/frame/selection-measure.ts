/** What a selection measures at once. */
import { isHome, operatorOf, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { operatorToXyz } from '@nagare/core/crystal/operator';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { angle, distance, torsion } from '@nagare/core/geometry/figures';
import { cartesianOf, measure } from '@nagare/core/geometry/measure';
import { planeOf } from '@nagare/core/geometry/points';
import type { CovarianceData } from '@nagare/core/refine/covariance';

/** Label with a prime for copies made by symmetry. */
export const atomName = (s: Structure, a: AtomRef): string => `${siteOf(s, a)?.label ?? '?'}${isHome(a) ? '' : '′'}`;

/** So many primes can be told apart at a glance; beyond, their number stands beside one. */
const MOST_PRIMES = 3;
const primes = (number: number): string => (number > MOST_PRIMES ? `′${number}` : '′'.repeat(number));

const placementKey = ({ operator, shift }: AtomRef): string => `${operator} ${shift.join(' ')}`;

/** Placements that copies among some atoms have, in order of appearance. */
function placementsOf(atoms: readonly AtomRef[]): readonly AtomRef[] {
  const seen = new Map<string, AtomRef>();
  for (const a of atoms) if (!isHome(a) && !seen.has(placementKey(a))) seen.set(placementKey(a), a);
  return [...seen.values()];
}

/** Labels of atoms that are named together: copies by one operation have a prime, those by another two, and so on. */
export function atomNames(s: Structure, atoms: readonly AtomRef[]): string[] {
  const marks = new Map(placementsOf(atoms).map((a, i) => [placementKey(a), primes(i + 1)]));
  return atoms.map((a) => `${siteOf(s, a)?.label ?? '?'}${isHome(a) ? '' : marks.get(placementKey(a))}`);
}

/** By which operation each of those primes was made; empty where nothing is a copy. */
export const primeWords = (s: Structure, atoms: readonly AtomRef[]): string =>
  placementsOf(atoms)
    .map((a, i) => `${primes(i + 1)} by ${operatorToXyz(operatorOf(s.spaceGroup, a))}`)
    .join('; ');

/** More atoms than this are counted, not measured. */
export const MOST_IN_PLANE = 60;

/** What a selection measures, in words. */
export function selectionMeasure(s: Structure, atoms: readonly AtomRef[], covariance?: CovarianceData): string {
  const said = (name: string, figure: typeof distance, digits: number, unit: string): string => {
    const m = measure(s, atoms, figure, covariance);
    return `${name} ${formatMeasured(m.value, m.su, digits)}${unit}`;
  };
  switch (atoms.length) {
    case 1:
      return isHome(atoms[0]!) ? 'one site' : `copy by ${operatorToXyz(operatorOf(s.spaceGroup, atoms[0]!))}`;
    case 2:
      return said('distance', distance, 3, ' Å');
    case 3:
      return said('angle', angle, 1, '°');
    case 4:
      return said('torsion', torsion, 1, '°');
  }
  if (atoms.length > MOST_IN_PLANE) return '';
  const plane = planeOf(cartesianOf(s, atoms));
  const largest = Math.max(...plane.deviations.map(Math.abs));
  return `plane, r.m.s. deviation ${plane.rms.toFixed(3)} Å, largest ${largest.toFixed(3)} Å`;
}
