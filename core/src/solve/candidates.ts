/** Candidate models of a solving run, best first. */
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

/** Orders candidates: a low R1 counts, contents left unexplained count against it, and a subgroup with twice the atoms must lower R1 by a fifth to be preferred. */
export const candidateRank = (c: Pick<Candidate, 'r1' | 'completeness' | 'structure'>): number =>
  (c.r1 + 0.3 * Math.max(0, 0.97 - c.completeness)) * c.structure.sites.length ** 0.29;

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
  private readonly list: Candidate[] = [];

  add(candidate: Candidate): void {
    this.list.push(candidate);
    this.list.sort((p, q) => candidateRank(p) - candidateRank(q));
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
