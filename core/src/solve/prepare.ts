/** What solving needs from raw data: the conventional cell, candidate groups, and the expanded set. */
import { cellVolume, type Cell } from '../crystal/cell.ts';
import { withinReach, type Beyond } from '../crystal/reach.ts';
import { laueRotationsOf } from './laue-rotations.ts';
import { transformReflections, type MergedReflections, type RawReflections } from '../crystal/reflections.ts';
import { groupOfSetting } from '../crystal/settings.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import { analyseLattice, type LatticeAnalysis } from '../data/lattice-analysis.ts';
import { mergeReflections, type MergeResult } from '../data/merge.ts';
import { rankSpaceGroups, type Ranking } from '../data/space-group-ranking.ts';

export interface IntakeAnalysis {
  lattice: LatticeAnalysis;
  ranking: Ranking;
  /** Data in the conventional cell. */
  raw: RawReflections;
  cell: Cell;
  /** Observations lost because they do not fit the new cell. */
  dropped: number;
  volume: number;
  /** Observations that cell and wavelength do not allow, set aside. */
  beyond?: Beyond;
}

/** Lattice, Laue class and ranked space groups of a raw set, without what cell and wavelength (Å) do not allow. */
export function analyseIntake(given: RawReflections, cell: Cell, wavelength?: number): IntakeAnalysis {
  const { raw, beyond } = withinReach(given, cell, wavelength);
  const lattice = analyseLattice(raw, cell);
  const moved = lattice.changed ? transformReflections(raw, lattice.p) : { raw, dropped: 0 };
  const rotations = laueRotationsOf(lattice);
  const ranking = rankSpaceGroups(moved.raw, lattice.cell, {
    agreements: lattice.agreements,
    laueClass: lattice.laueClass,
    laueRotations: rotations,
  });
  return {
    lattice,
    ranking,
    raw: moved.raw,
    cell: lattice.cell,
    dropped: moved.dropped,
    volume: cellVolume(lattice.cell),
    ...(beyond ? { beyond } : {}),
  };
}

/** Merges in the point group of a space group, leaving out what it forbids. */
export function mergeForGroup(
  raw: RawReflections,
  cell: Cell,
  group: SpaceGroup,
  progress?: (f: number) => void,
): MergeResult {
  return mergeReflections(raw, cell, rotationsOf(group), {
    isAbsent: (h, k, l) => reflectionSymmetry(group, h, k, l).absent,
    ...(progress ? { progress } : {}),
  });
}

/** Merges in the Laue group of a space group, forbidden reflections kept. */
export const mergeForLaue = (raw: RawReflections, cell: Cell, group: SpaceGroup): MergedReflections =>
  mergeReflections(raw, cell, laueRotations(rotationsOf(group)), { shells: 1 }).reflections;

/** Candidate groups worth trying: the ranked ones near the top, one for each set of operators. */
export function candidateGroups(ranking: Ranking, most = 8): SpaceGroup[] {
  const top = ranking.groups[0]!;
  return ranking.groups
    .filter((g) => g.score > top.score - 25)
    .slice(0, most)
    .map((g) => groupOfSetting(g.setting));
}
