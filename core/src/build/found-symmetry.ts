/** The symmetry that the atoms of a built structure have, whatever it was written with. */
import type { Structure } from '../crystal/structure.ts';
import { raiseSymmetry } from '../symmetry/raise.ts';
import { missedWithOpinion } from '../symmetry/report.ts';
import { namedCell } from './supercell.ts';

/** Å by which atoms may miss their images. */
const EXACT = 0.02;

/**
 * The same crystal with every operation that carries its atoms onto one another within 0.02 Å, in the axes of its group;
 * itself where there are no further ones. Of a cell in P 1 the repeat is found first.
 */
export function withFoundSymmetry(s: Structure): Structure {
  let found = namedCell(s, 'primitive').structure;
  // From P 1 the highest groups are reached in steps: the axes of the first make the second one plain.
  for (let step = 0; step < 4; step++) {
    const higher = missedWithOpinion(found, EXACT).find((m) => m.likely && m.fit > 0.999);
    if (!higher) break;
    found = raiseSymmetry(found, higher, 2 * EXACT).structure;
  }
  return found;
}
