/** Wavefunctions and form factors against the bare rate of multiplications. */
import { wavefunctionOptions } from '@nagare/core/aspherical/levels';
import { addProduct, addProductPlainly } from '@nagare/core/math/dense-product';
import { seededRandom } from '@nagare/core/math/random';
import { elementOf } from '@nagare/core/crystal/elements';
import { BOHR } from '@nagare/core/math/units';
import type { Centre } from '@nagare/core/quantum/gaussian';
import { freeAtoms, ShareTransform, stockholderShares } from '@nagare/core/quantum/stockholder';
import { wavefunctionOf, type Wavefunction } from '@nagare/core/quantum/wavefunction';
import { quietContext } from '@nagare/core/task-context';
import { buildMolecule } from '../../demo/src/molecule.ts';

type Time = (f: () => unknown, times?: number) => Promise<number>;
type Say = (what: string, ms: number, reference: string, base: number) => void;

/** Order of the matrices whose product is the measure. */
const ORDER = 256;

function centresOf(line: string): readonly Centre[] {
  const { atoms, xyz } = buildMolecule(line, seededRandom(3), 4);
  return atoms.map(({ element }, i) => ({
    element,
    charge: elementOf(element).z,
    position: [xyz[3 * i]! / BOHR, xyz[3 * i + 1]! / BOHR, xyz[3 * i + 2]! / BOHR],
  }));
}

export async function waveLines(time: Time, say: Say): Promise<void> {
  const n = ORDER,
    a = new Float64Array(n * n).fill(0.5),
    out = new Float64Array(n * n);
  const against = `a product of matrices of order ${n}, one element after another`;
  const base = await time(() => addProductPlainly(a, a, n, n, n, out), 5);
  say(against, base, against, base);
  say('the same by the kernel', await time(() => addProduct(a, a, n, n, n, out), 20), against, base);
  const centres = centresOf('CC(O)C(=O)N');
  const molecule = { centres, charge: 0, multiplicity: 1 };
  let w: Wavefunction | undefined;
  for (const [basis, method] of [
    ['6-31G(d,p)', 'gga'],
    ['6-31G(d,p)', 'hybrid'],
  ] as const)
    say(
      `field of ${centres.length} atoms, ${method}, ${basis}`,
      await time(
        async () => (w = await wavefunctionOf(molecule, wavefunctionOptions(basis, method), quietContext())),
        1,
      ),
      against,
      base,
    );
  const free = freeAtoms(w!.atoms);
  const all = centres.map((c) => free.get(c.element)!);
  const shares = await stockholderShares(w!, all, quietContext());
  say('its stockholder atoms', await time(() => stockholderShares(w!, all, quietContext()), 1), against, base);
  const value = new Float64Array(2);
  const factors = (): void => {
    for (const share of shares) {
      const transform = new ShareTransform(share);
      for (let i = 0; i < 3000; i++) transform.factor([0.001 * i, 0.3, -0.2], value);
    }
  };
  say('their factors at 3 000 reflections', await time(factors, 1), against, base);
}
