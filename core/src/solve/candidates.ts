/** Candidate models of a solving run, best first. */
import { metricTensor } from '../crystal/cell.ts';
import { groupOrder, siteFreedom, siteSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';

export interface Candidate {
  readonly seed: number;
  readonly structure: Structure;
  readonly r1: number;
  readonly completeness: number;
  readonly guessed: boolean;
  /** Mean phase agreement with the group's operators. */
  readonly agreement: number;
}

/** Good enough to stop: most of the contents found and an R1 that a false model does not reach. */
const GOOD_R1 = 0.22;

/** An R1 at which models stop telling groups apart: what is left is noise, more of it where less was merged. */
const NOISE_R1 = 0.01;

/** Coordinates and displacements of the sites in units of those of a general position. */
function sizeOf({ spaceGroup, cell, sites }: Structure): number {
  const metric = metricTensor(cell);
  return sites.reduce((sum, x) => sum + (1 + siteFreedom(siteSymmetry(spaceGroup, metric, x.position))) / 4, 0);
}

/**
 * Orders candidates, least first: a low R1 counts, contents left unexplained count against it, and a subgroup with twice the parameters
 * must lower R1 by a fifth to be preferred; among equals the more symmetric group is.
 */
export function candidateRank({
  r1,
  completeness,
  structure,
}: Pick<Candidate, 'r1' | 'completeness' | 'structure'>): number {
  const misfit = r1 + NOISE_R1 + 0.3 * Math.max(0, 0.97 - completeness);
  return (misfit * sizeOf(structure) ** 0.2) / groupOrder(structure.spaceGroup) ** 0.1;
}

/** The same model again and again, though its R1 stays high (disorder, a twin): more seeds would not change it. */
const sameAgain = (list: readonly Candidate[]): boolean => {
  const best = list[0];
  return (
    !!best &&
    best.completeness > 0.88 &&
    list.filter(
      (c) =>
        c.structure.spaceGroup.hall === best.structure.spaceGroup.hall &&
        Math.abs(c.r1 - best.r1) < 0.012 &&
        c.structure.sites.length === best.structure.sites.length,
    ).length >= 4
  );
};

/** The candidates found so far, kept in order. */
export class Candidates {
  private list: readonly Candidate[] = [];
  private readonly ranks = new Map<Candidate, number>();

  add(candidate: Candidate): void {
    this.ranks.set(candidate, candidateRank(candidate));
    this.list = [...this.list, candidate].sort((p, q) => this.ranks.get(p)! - this.ranks.get(q)!);
  }

  get best(): Candidate | undefined {
    return this.list[0];
  }

  first(count: number): Candidate[] {
    return this.list.slice(0, count);
  }

  /** Whether no more seeds are needed once this one is found. */
  isSolvedBy(c: Candidate): boolean {
    return (c.r1 < GOOD_R1 && c.completeness > 0.88) || sameAgain(this.list);
  }
}
