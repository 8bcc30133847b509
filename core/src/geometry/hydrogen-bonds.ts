/** Hydrogen bonds D–H⋯A by distance and angle (Steiner 2002, Angew. Chem. Int. Ed. 41, 48): H⋯A within the sum of van der Waals radii less 0.12 Å for O, N and F, and more than 110° at the hydrogen. */
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import { originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { bonds, neighbourRef } from './bonds.ts';
import { angle, distance } from './figures.ts';
import { measure } from './measure.ts';
import { meets } from './parents.ts';

export interface HydrogenBond {
  readonly donor: AtomRef;
  /** Where the model holds it. */
  readonly hydrogen: AtomRef;
  readonly acceptor: AtomRef;
  readonly dh: Measured;
  readonly ha: Measured;
  readonly da: Measured;
  readonly angle: Measured;
}

const DONORS = new Set(['N', 'O', 'F', 'S']);
const ACCEPTORS = new Set(['N', 'O', 'F', 'Cl', 'Br', 'I', 'S']);

/** Every hydrogen bond that starts in the asymmetric unit, donors in the order of the sites. */
export function hydrogenBonds(s: Structure, covariance?: CovarianceData): HydrogenBond[] {
  const parent = new Map<number, Neighbour>();
  for (const b of bonds(s))
    if (isHydrogen(s.sites[b.from]!.element) && DONORS.has(s.sites[b.to]!.element)) parent.set(b.from, b);
  const reach = (i: number, j: number): number => {
    const acceptor = s.sites[j]!;
    if (
      !parent.has(i) ||
      !ACCEPTORS.has(acceptor.element) ||
      parent.get(i)!.to === j ||
      !meets(s.sites[i]!.disorder, acceptor.disorder)
    )
      return 0;
    return elementOf('H').vdwRadius + elementOf(acceptor.element).vdwRadius - 0.12;
  };
  const found: { order: readonly [donor: number, hydrogen: number]; bond: HydrogenBond }[] = [];
  for (const n of neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    {
      widest: elementOf('H').vdwRadius + Math.max(0, ...s.sites.map((x) => elementOf(x.element).vdwRadius)),
      of: reach,
    },
  )) {
    const donor = neighbourRef(s, parent.get(n.from)!);
    const hydrogen = originalRef(s.sites[n.from]!.id);
    const acceptor = neighbourRef(s, n);
    const bent = measure(s, [donor, hydrogen, acceptor], angle, covariance);
    if (bent.value < 110) continue;
    found.push({
      order: [parent.get(n.from)!.to, n.from],
      bond: {
        donor,
        hydrogen,
        acceptor,
        dh: measure(s, [donor, hydrogen], distance, covariance),
        ha: measure(s, [hydrogen, acceptor], distance, covariance),
        da: measure(s, [donor, acceptor], distance, covariance),
        angle: bent,
      },
    });
  }
  return found
    .sort((p, q) => p.order[0] - q.order[0] || p.order[1] - q.order[1] || p.bond.ha.value - q.bond.ha.value)
    .map((f) => f.bond);
}
