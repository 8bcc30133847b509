/** Hydrogen bonds D–H···A by distance and angle (Steiner 2002, Angew. Chem. Int. Ed. 41, 48): H···A within the sum of van der Waals radii less 0.12 Å for O, N and F, and more than 110° at the hydrogen. */
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { neighbours } from '../crystal/neighbours.ts';
import type { Operator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { bonds } from './bonds.ts';
import { angleOf, distanceOf, measure } from './measure.ts';
import { meets } from './parents.ts';

export interface HydrogenBond {
  readonly donor: number;
  readonly hydrogen: number;
  readonly acceptor: number;
  readonly operator: Operator;
  readonly dh: Measured;
  readonly ha: Measured;
  readonly da: Measured;
  readonly angle: Measured;
}

const DONORS = new Set(['N', 'O', 'F', 'S']);
const ACCEPTORS = new Set(['N', 'O', 'F', 'Cl', 'Br', 'I', 'S']);

/** Every hydrogen bond that starts in the asymmetric unit, donors in the order of the sites. */
export function hydrogenBonds(s: Structure, covariance?: CovarianceData): HydrogenBond[] {
  const parent = new Map<number, number>();
  for (const b of bonds(s))
    if (
      isHydrogen(s.sites[b.from]!.element) &&
      DONORS.has(s.sites[b.to]!.element) &&
      b.operator.r.every((x, i) => x === (i % 4 ? 0 : 1))
    )
      parent.set(b.from, b.to);
  const reach = (i: number, j: number): number => {
    const acceptor = s.sites[j]!;
    if (
      !parent.has(i) ||
      !ACCEPTORS.has(acceptor.element) ||
      parent.get(i) === j ||
      !meets(s.sites[i]!.disorder, acceptor.disorder)
    )
      return 0;
    return elementOf('H').vdwRadius + elementOf(acceptor.element).vdwRadius - 0.12;
  };
  const out: HydrogenBond[] = [];
  for (const n of neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    reach,
  )) {
    const donor = parent.get(n.from)!;
    const places = [{ site: donor }, { site: n.from }, { site: n.to, operator: n.operator }];
    const angle = measure(s, places, angleOf, covariance);
    if (angle.value < 110) continue;
    out.push({
      donor,
      hydrogen: n.from,
      acceptor: n.to,
      operator: n.operator,
      dh: measure(s, places.slice(0, 2), distanceOf, covariance),
      ha: measure(s, places.slice(1), distanceOf, covariance),
      da: measure(s, [places[0]!, places[2]!], distanceOf, covariance),
      angle,
    });
  }
  return out.sort((p, q) => p.donor - q.donor || p.hydrogen - q.hydrogen || p.ha.value - q.ha.value);
}
