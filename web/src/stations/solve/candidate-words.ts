/** What a candidate model is called and how small it is drawn. */
import { cellVolume } from '@nagare/core/crystal/cell';
import { formulaText, scaleFormula } from '@nagare/core/crystal/formula';
import { proposeZ } from '@nagare/core/crystal/formula-units';
import { groupOrder } from '@nagare/core/crystal/space-group';
import { cellContents, type Structure } from '@nagare/core/crystal/structure';
import { buildScene } from '@nagare/core/draw/build-scene';
import { paintSvg } from '@nagare/core/draw/svg';
import type { Project } from '../../store/db.ts';

const SIZE = { width: 96, height: 72 };
/** More atoms than this are dots in so small a picture. */
const MOST_ATOMS = 150;

/** Formula units in the cell: as they were given, or as volume and group have it; undefined where no formula is known. */
export function unitsOf({
  experiment,
  cell,
  group,
}: Pick<Project, 'experiment' | 'cell' | 'group'>): number | undefined {
  const { formula, z } = experiment;
  return z ?? (formula && cell ? proposeZ(formula, cellVolume(cell), group) : undefined);
}

/** What was found of a formula unit, or of an asymmetric unit where nobody knows the units. */
export function contentsText(s: Structure, units?: number): string {
  return formulaText(scaleFormula(cellContents(s), 1 / (units ?? groupOrder(s.spaceGroup))));
}

/** The unique part of molecules, the cell of what has no carbon, as the source of an image. */
export function candidatePicture(s: Structure): string {
  const contents = cellContents(s);
  const atoms = Object.values(contents).reduce((sum, n) => sum + n, 0);
  // Of molecules the hydrogens are not there yet: carbon tells them.
  const isWhole = !contents['C'] && atoms <= MOST_ATOMS;
  const wish = isWhole ? ({ extent: { kind: 'cell' } } as const) : {};
  return `data:image/svg+xml;utf8,${encodeURIComponent(paintSvg(buildScene(s, wish, SIZE), SIZE))}`;
}
