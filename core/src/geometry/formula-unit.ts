/** The formula unit of a model and how many of them one cell holds. */
import { originalRef, siteIndices } from '../crystal/atom-ref.ts';
import { formulaText, scaleFormula, type Formula } from '../crystal/formula.ts';
import { cellContents, siteMultiplicity, type Structure } from '../crystal/structure.ts';
import { greatestCommonDivisor } from '../math/integer.ts';
import { bonds, connectedUnit } from './bonds.ts';

export interface FormulaUnit {
  readonly formula: Formula;
  /** Formula units in one cell. */
  readonly z: number;
}

/** A connected unit with more atoms than this is taken for a network. */
const LARGEST_MOLECULE = 600;

/** Molecules of each composition in one cell; undefined where something is connected without end. */
function moleculesOfCell(s: Structure): Map<string, number> | undefined {
  const list = bonds(s),
    index = siteIndices(s);
  const seen = new Set<number>();
  const counts = new Map<string, number>();
  for (const [i, site] of s.sites.entries()) {
    if (seen.has(i)) continue;
    const unit = connectedUnit(s, list, originalRef(site.id), LARGEST_MOLECULE);
    if (unit.length >= LARGEST_MOLECULE) return undefined;
    const atoms = unit.map((a) => index.get(a.site)!);
    const own = new Set(atoms);
    for (const j of own) seen.add(j);
    // A molecule that lies two ways is two units, each there for its share.
    const share = Math.max(...atoms.map((j) => s.sites[j]!.occupancy));
    const formula: Record<string, number> = {};
    for (const j of atoms) {
      const { element, occupancy } = s.sites[j]!;
      formula[element] = (formula[element] ?? 0) + occupancy / share;
    }
    const perCell = [...own].reduce((sum, j) => sum + siteMultiplicity(s, s.sites[j]!), 0) / unit.length;
    const name = formulaText(formula);
    counts.set(name, (counts.get(name) ?? 0) + perCell * share);
  }
  return counts;
}

const isWhole = (x: number): boolean => x > 0.5 && Math.abs(x - Math.round(x)) < 0.02;
const commonDivisor = (list: readonly number[]): number =>
  list.map(Math.round).reduce((a, b) => greatestCommonDivisor(a, b), 0) || 1;

/**
 * Of molecules: as many units as the numbers of all kinds of molecules have in common. Of networks and salts: the smallest
 * whole formula or, where ions replace one another, what the multiplicities of the sites have in common.
 */
export function formulaUnit(s: Structure): FormulaUnit {
  const contents = cellContents(s);
  const molecules = moleculesOfCell(s);
  const candidates = [molecules ? [...molecules.values()] : undefined, Object.values(contents)];
  const whole = candidates.find((list) => list?.length && list.every(isWhole));
  const z = commonDivisor(whole ?? s.sites.map((x) => siteMultiplicity(s, x)));
  return { formula: scaleFormula(contents, 1 / z), z };
}
