/** What is taken where nothing was said. */
import type { Structure } from '../crystal/structure.ts';
import { withFoundSymmetry } from './found-symmetry.ts';
import { namedCell, type CellAnswer, type NamedCell } from './supercell.ts';
import type { Termination } from './surface.ts';

/** A cell by its name. A conventional one has a symmetry to be conventional of: atoms in P 1 are looked at first. */
export function cellNamed(s: Structure, which: NamedCell): CellAnswer {
  const alone = s.spaceGroup.representatives.length === 1 && s.spaceGroup.centring.length === 1;
  if (which !== 'conventional' || !alone) return namedCell(s, which);
  const found = namedCell(withFoundSymmetry(s), which);
  const before = s.sites.length;
  const determinant = found.after / before;
  const symbol = found.structure.spaceGroup.symbol ?? 'Its symmetry';
  const words = `${symbol} was found: ${before} atoms × ${Number(determinant.toFixed(4))} = ${found.after}, as it should be.`;
  return { ...found, before, determinant, words };
}

/** Neutral before polar, alike on both sides before unlike, then the fewest bonds cut. */
export const preferredTermination = (list: readonly Termination[]): number =>
  [...list].sort(
    (p, q) =>
      Number(p.polar) - Number(q.polar) ||
      Number(q.symmetric) - Number(p.symmetric) ||
      p.brokenBonds - q.brokenBonds ||
      p.index - q.index,
  )[0]!.index;
