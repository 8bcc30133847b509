/**
 * Iterated stockholder atoms (Bultinck, Van Alsenoy, Ayers & Carbó-Dorca 2007, J. Chem. Phys. 126, 144111): each atom's share is that
 * of a free atom or ion with as many electrons as the share holds, which stands between two ions of whole charge.
 */
import { elementOf } from '../crystal/elements.ts';
import type { TaskContext } from '../task-context.ts';
import { shellsOf } from './basis-sets.ts';
import { atomDensity, sphericalAtom } from './spherical-atom.ts';
import {
  RadialDensity,
  shareOf,
  spheresAbout,
  USUAL_SHARES,
  type AtomShare,
  type ProAtom,
  type ShareFineness,
  type Spheres,
} from './stockholder.ts';
import type { Wavefunction } from './wavefunction.ts';

/** Shares have settled when none changes by more than this from one division to the next, electrons. */
const SETTLED = 1e-4;

/** Divisions after which what is left of the change is taken as it is. */
const MOST = 300;

/** The spheres of atoms whose shares are not asked for: only their electrons count. */
const COARSE: ShareFineness = { radial: 40, sphere: 110, order: 0 };

/** Averaged atoms and ions in the basis of a wavefunction, each worked out once. */
class Ions {
  private readonly known = new Map<string, RadialDensity | undefined>();

  constructor(private readonly w: Wavefunction) {}

  /** The atom of an element with a whole number of electrons; undefined where the basis has no room for them. */
  whole(element: string, electrons: number): RadialDensity | undefined {
    const key = `${element} ${electrons}`;
    if (!this.known.has(key)) this.known.set(key, this.made(element, electrons));
    return this.known.get(key);
  }

  private made(element: string, electrons: number): RadialDensity | undefined {
    if (electrons === 0) return RadialDensity.of(() => 0);
    try {
      const ion = sphericalAtom(elementOf(element).z, electrons, shellsOf(this.w.options.basis, element)!);
      return RadialDensity.of((r) => atomDensity(ion, r));
    } catch (e) {
      if (e instanceof RangeError) return undefined;
      throw e;
    }
  }

  /** An atom with any number of electrons, between its two neighbours of whole numbers; beyond the last ion that one, grown. */
  between(element: string, electrons: number): ProAtom {
    const lower = Math.max(0, Math.floor(electrons));
    const under = this.whole(element, lower),
      over = this.whole(element, lower + 1);
    if (under && over) {
      const f = electrons - lower;
      return { at: (r) => (1 - f) * under.at(r) + f * over.at(r) };
    }
    let most = lower;
    while (!this.whole(element, most)) most--;
    const last = this.whole(element, most)!;
    return { at: (r) => (electrons / most) * last.at(r) };
  }
}

/** Shares of the atoms asked for (all without `of`), the division repeated until no atom's electrons change any more. */
export async function iteratedShares(
  w: Wavefunction,
  context: TaskContext,
  of: readonly number[] = w.molecule.centres.map((_, i) => i),
  fineness: ShareFineness = USUAL_SHARES,
): Promise<AtomShare[]> {
  const { centres } = w.molecule;
  const ions = new Ions(w);
  const wanted = new Set(of);
  const all: Spheres[] = [];
  for (const [i, c] of centres.entries()) {
    await context.breath();
    // A negative ion reaches further than its atom.
    const widest = ions.between(c.element, elementOf(c.element).z + 0.5);
    all.push(
      await spheresAbout(
        { centres, basis: w.basis, total: w.total },
        widest,
        i,
        wanted.has(i) ? fineness : COARSE,
        context,
      ),
    );
  }
  let electrons = centres.map((c) => elementOf(c.element).z);
  for (let division = 0; division < MOST; division++) {
    await context.breath();
    const free = centres.map((c, i) => ions.between(c.element, electrons[i]!));
    const next = all.map((x) => shareOf(centres, free, x, 0).electrons);
    const change = Math.max(...next.map((n, i) => Math.abs(n - electrons[i]!)));
    electrons = next;
    if (change < SETTLED) break;
  }
  const free = centres.map((c, i) => ions.between(c.element, electrons[i]!));
  return of.map((i) => shareOf(centres, free, all[i]!, fineness.order));
}
