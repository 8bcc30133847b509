import { describe, expect, it } from 'vitest';
import { seededRandom } from '../math/random.ts';
import { quietContext } from '../task-context.ts';
import { exactRepulsion } from './exact-repulsion.ts';
import { Crew } from './crew.ts';
import { correlationPlan, CorrelationWorkshop, exchangeCorrelation } from './exchange-correlation.ts';
import { functionalOf, type MethodName, type PointEnergy } from './functionals.ts';
import { basisOf, type Centre } from './gaussian.ts';
import { eigen, orthogonaliser, within } from './matrices.ts';
import { molecularGrid } from './molecular-grid.ts';
import { attractionMatrix, kineticMatrix, overlapMatrix } from './one-electron.ts';
import { product } from '../math/dense-product.ts';
import { selfConsistentField, USUAL_FIELD } from './self-consistent-field.ts';
import { shellPairs } from './shell-pairs.ts';
import { fromOrbitals } from './spin-density.ts';

const nothing = (): PointEnergy => ({ energy: 0, alpha: 0, beta: 0, aa: 0, ab: 0, bb: 0 });

describe.each(['lda', 'gga', 'hybrid'] as const)('the functional %s', (method) => {
  const functional = functionalOf(method)!;

  it('has the slopes that differences give', () => {
    const random = seededRandom(8);
    for (let n = 0; n < 40; n++) {
      const a = 10 ** (2 - 5 * random.next()),
        b = a * 10 ** (2 * random.next() - 1);
      const [ga, gb] = [a ** (4 / 3) * 3 * random.next(), b ** (4 / 3) * 3 * random.next()];
      const x = [a, b, ga * ga, ga * gb * (2 * random.next() - 1), gb * gb] as const;
      const here = nothing();
      functional.at(...x, here);
      const slopes = [here.alpha, here.beta, here.aa, here.ab, here.bb];
      slopes.forEach((slope, k) => {
        const h = 1e-4 * (k < 2 ? x[k]! : Math.sqrt(x[2] * x[4]));
        const at = (sign: number): number => {
          const out = nothing();
          functional.at(
            ...(x.map((v, i) => (i === k ? v + sign * h : v)) as [number, number, number, number, number]),
            out,
          );
          return out.energy;
        };
        const difference = (at(1) - at(-1)) / (2 * h);
        expect(Math.abs(difference - slope), `slope ${k} of ${x.join(' ')}`).toBeLessThan(1e-5 * (1 + Math.abs(slope)));
      });
    }
  });

  it('treats both spins alike', () => {
    const [one, other] = [nothing(), nothing()];
    functional.at(0.3, 0.1, 0.05, 0.01, 0.02, one);
    functional.at(0.1, 0.3, 0.02, 0.01, 0.05, other);
    expect(other.energy).toBeCloseTo(one.energy, 14);
    expect(other.beta).toBeCloseTo(one.alpha, 14);
    expect(other.bb).toBeCloseTo(one.aa, 14);
  });
});

/** Energy of an atom in many even-tempered s functions. */
async function atomEnergy(charge: number, occupied: readonly number[], method: MethodName): Promise<number> {
  const centres: readonly Centre[] = [{ element: charge === 1 ? 'H' : 'He', charge, position: [0, 0, 0] }];
  const basis = basisOf(centres, () =>
    Array.from({ length: 16 }, (_, i) => ({ l: 0, exponents: [0.03 * 2.3 ** i], coefficients: [1] })),
  );
  const pairs = shellPairs(basis.shells),
    { size } = basis;
  const overlap = overlapMatrix(pairs, size);
  const attraction = attractionMatrix(pairs, size, centres);
  const core = kineticMatrix(basis).map((x, i) => x + attraction[i]!);
  const { x, kept } = orthogonaliser(overlap, size);
  const start = product(x, eigen(within(core, x, size, kept), kept).vectors, size, kept, kept);
  const functional = functionalOf(method)!;
  const grid = await molecularGrid(centres, { radial: 120, sphere: 26 }, quietContext());
  const workshop = new CorrelationWorkshop(correlationPlan(basis, grid, method, occupied.length));
  const crew = new Crew<unknown>([{ plan: workshop.plan, workshop }]);
  const result = await selfConsistentField(
    {
      size,
      overlap,
      core,
      nuclear: 0,
      repulsion: exactRepulsion(pairs, size),
      exactExchange: functional.exactExchange,
      correlation: exchangeCorrelation(workshop, crew),
      occupied,
    },
    occupied.map((n) => fromOrbitals(start, size, kept, n)),
    USUAL_FIELD,
    quietContext(),
  );
  expect(result.converged).toBe(true);
  return result.energy;
}

describe('energies of atoms with functionals, as published', () => {
  // Kotochigova et al. 1997, Phys. Rev. A 55, 191: local density.
  it.each([
    ['hydrogen, local', 1, [1, 0], 'lda', -0.478671],
    ['helium, local', 2, [1], 'lda', -2.834836],
    // Perdew, Burke & Ernzerhof 1996, Phys. Rev. Lett. 77, 3865 (and its erratum): 0.49999 and 2.8929 hartree.
    ['hydrogen, gradient-corrected', 1, [1, 0], 'gga', -0.49999],
    ['helium, gradient-corrected', 2, [1], 'gga', -2.892935],
  ] as const)('%s', async (_name, charge, occupied, method, energy) => {
    expect(Math.abs((await atomEnergy(charge, occupied, method)) - energy)).toBeLessThan(1e-5);
  });
});
