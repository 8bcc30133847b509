/** What the sheet of energies says, and what it draws. */
import { invertPlacement, moveRef, siteOf, type AtomRef, type Placement } from '@nagare/core/crystal/atom-ref';
import { isHydrogen } from '@nagare/core/crystal/elements';
import type { Structure } from '@nagare/core/crystal/structure';
import type { CrystalEnergies, PairEnergy } from '@nagare/core/contacts/energies';
import type { SceneColours } from '@nagare/core/draw/colours';
import type { DrawnContact } from '@nagare/core/draw/contact-layers';
import type { PlainTable } from '@nagare/core/publish/tables';
import { decimal } from '@nagare/core/math/decimal';

export const ENERGY_SOURCE =
  'An estimate. Field: Mayo, Olafson & Goddard 1990; charges equalised after Rappé & Goddard 1991; hydrogens at neutron distances.';

const sameOf = (a: Placement, b: Placement): boolean =>
  a.operator === b.operator && a.shift.every((x, k) => x === b.shift[k]);

/** Each contact of two molecules once: what is seen from the other side is left out. */
export function distinctPairs(s: Structure, pairs: readonly PairEnergy[]): PairEnergy[] {
  const kept: PairEnergy[] = [];
  for (const p of pairs) {
    const back = invertPlacement(s.spaceGroup, p.placement);
    if (!kept.some((k) => k.from === p.to && k.to === p.from && sameOf(k.placement, back))) kept.push(p);
  }
  return kept;
}

/** Atoms of the neighbour that a pair names. */
export const neighbourAtoms = (s: Structure, e: CrystalEnergies, p: PairEnergy): AtomRef[] =>
  e.molecules[p.to]!.atoms.map((a) => moveRef(s.spaceGroup, p.placement, a));

const heavy = (s: Structure, atoms: readonly AtomRef[]): AtomRef[] => {
  const list = atoms.filter((a) => !isHydrogen(siteOf(s, a)?.element ?? 'H'));
  return list.length ? list : [...atoms];
};

/** Å of the thickest tube and of the thinnest. */
const THICK = 0.2,
  THIN = 0.03;

/** Tubes between centroids, thick as the energy is large; what repels in another colour. Weaker ones than `least` are left out. */
export function energyTubes(s: Structure, e: CrystalEnergies, least: number, colours: SceneColours): DrawnContact[] {
  const shown = distinctPairs(s, e.pairs).filter((p) => Math.abs(p.energy) >= least);
  const largest = Math.max(1, ...shown.map((p) => Math.abs(p.energy)));
  return shown.map((p) => ({
    from: heavy(s, e.molecules[p.from]!.atoms),
    to: heavy(s, neighbourAtoms(s, e, p)),
    colour: p.energy < 0 ? colours.pine : colours.vermilion,
    radius: THIN + (THICK - THIN) * Math.abs(p.energy / largest),
    dash: p.energy < 0 ? 0 : 0.14,
  }));
}

export const energyText = (x: number): string => decimal(x, 1);

export function energyState(e: CrystalEnergies): string {
  if (!e.lattice) return 'Not everything here is a molecule: pairs are told, the lattice is not.';
  return `The lattice gains ${energyText(-e.lattice.energy)} kJ per mol of ${e.lattice.formula}.`;
}

/** "1⋯2" where there are several molecules, and the symmetry code. */
export const pairName = (e: CrystalEnergies, p: PairEnergy): string =>
  e.molecules.length > 1 ? `${p.from + 1}⋯${p.to + 1} ${p.symmetry}` : p.symmetry;

export function energyTable(e: CrystalEnergies): PlainTable {
  return {
    title: 'Energies of pairs of molecules (kJ/mol)',
    columns: ['pair', 'Å', 'energy', 'dispersion', 'repulsion', 'electrostatic'],
    rows: e.pairs.map((p) => [
      pairName(e, p),
      p.distance.toFixed(2),
      ...[p.energy, p.dispersion, p.repulsion, p.electrostatic].map(energyText),
    ]),
    notes: [ENERGY_SOURCE, ...e.remarks],
  };
}
