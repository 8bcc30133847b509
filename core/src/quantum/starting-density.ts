/** Where a molecule starts from: the sum of its atoms’ densities (Almlöf, Fægri & Korsell 1982). */
import { elementOf } from '../crystal/elements.ts';
import { functionCount, type Basis, type Centre, type ShellRecipe } from './gaussian.ts';
import { fromDensity, type SpinDensity } from './spin-density.ts';
import { sphericalAtom, type SphericalAtom } from './spherical-atom.ts';

/** The neutral averaged atoms of the elements of a molecule, each in its own shells. */
export function atomsOf(
  centres: readonly Centre[],
  recipes: (element: string) => readonly ShellRecipe[],
): ReadonlyMap<string, SphericalAtom> {
  const elements = new Set(centres.map((c) => c.element));
  return new Map(
    [...elements].map((e) => {
      const { z } = elementOf(e);
      return [e, sphericalAtom(z, z, recipes(e))] as const;
    }),
  );
}

/**
 * Densities of each spin with `occupied` electrons: the atoms' densities over their m, scaled to the number of electrons.
 */
export function startingDensity(
  basis: Basis,
  centres: readonly Centre[],
  atoms: ReadonlyMap<string, SphericalAtom>,
  occupied: readonly number[],
): SpinDensity[] {
  const { size, shells } = basis;
  const half = new Float64Array(size * size);
  centres.forEach(({ element }, centre) => {
    const own = shells.filter((s) => s.centre === centre);
    for (const { l, density } of atoms.get(element)!.blocks) {
      const list = own.filter((s) => s.l === l);
      // Cartesian d shells hold an s function besides; atoms that fill d shells have pure ones.
      const each = 1 / (2 * (2 * l + 1));
      list.forEach((a, p) =>
        list.forEach((b, q) => {
          for (let m = 0; m < functionCount(a); m++)
            half[(a.first + m) * size + b.first + m] = each * density[p * list.length + q]!;
        }),
      );
    }
  });
  const electrons = centres.reduce((sum, c) => sum + elementOf(c.element).z, 0);
  return occupied.map((n) =>
    fromDensity(
      half.map((x) => (x * 2 * n) / electrons),
      size,
    ),
  );
}
