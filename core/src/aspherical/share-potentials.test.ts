import { beforeAll, describe, expect, it } from 'vitest';
import { originalRef } from '../crystal/atom-ref.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { apply3, turn, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { BOHR } from '../math/units.ts';
import { attractionMatrix } from '../quantum/one-electron.ts';
import { shellPairs } from '../quantum/shell-pairs.ts';
import { freeAtoms, stockholderShares, type AtomShare } from '../quantum/stockholder.ts';
import { water } from '../quantum/test-molecules.ts';
import { USUAL_WAVEFUNCTION, wavefunctionOf, type Wavefunction } from '../quantum/wavefunction.ts';
import { quietContext } from '../task-context.ts';
import { potentialAt, potentialOf } from '../crystal/atom-potentials.ts';
import { KJ_PER_HARTREE } from '../math/units.ts';
import { radialPotential, turnedPotential } from './share-potentials.ts';

/** Σ Z/r less the electrons' own, from the integrals of the wavefunction; hartree/e. */
function direct(w: Wavefunction, position: Vec3): number {
  const matrix = attractionMatrix(shellPairs(w.basis.shells), w.basis.size, [{ charge: 1, position }]);
  const electrons = matrix.reduce((sum, v, k) => sum + v * w.total[k]!, 0);
  const nuclei = w.molecule.centres.reduce(
    (sum, c) => sum + c.charge / Math.hypot(...c.position.map((x, k) => x - position[k]!)),
    0,
  );
  return nuclei + electrons;
}

/** bohr, from near the surface of the molecule to far away. */
const PLACES: readonly Vec3[] = [
  [0, 0, 4.2],
  [0, 3.6, -1.5],
  [3.2, 0, 0.3],
  [-2.5, 2.5, 1],
  [1.2, -3, -3.1],
  [0, 0, -9],
  [7, 7, 7],
];

let w: Wavefunction, shares: AtomShare[];
beforeAll(async () => {
  w = await wavefunctionOf(water(0.9576, 104.5), { ...USUAL_WAVEFUNCTION, method: 'hf' }, quietContext());
  const free = freeAtoms(w.atoms);
  const own = w.molecule.centres.map((c) => free.get(c.element)!);
  shares = await stockholderShares(w, own, quietContext());
});

describe('the potential of stockholder atoms', () => {
  it('adds up to that of the wavefunction, at the surface of the molecule and far away', () => {
    const atoms = shares.map(radialPotential);
    for (const at of PLACES) {
      const sum = atoms.reduce((total, p, i) => {
        const { charge, position } = w.molecule.centres[i]!;
        return total + potentialOf(p, charge, at.map((x, k) => x - position[k]!) as unknown as Vec3);
      }, 0);
      expect(Math.abs(sum - direct(w, at)) * KJ_PER_HARTREE, at.join()).toBeLessThan(3);
    }
    // The surface of water goes from some −150 to some 200 kJ/mol: 3 is little.
    expect(Math.max(...PLACES.slice(0, 5).map((p) => direct(w, p))) * KJ_PER_HARTREE).toBeGreaterThan(60);
  });

  it('is the same about turned axes', () => {
    const one = radialPotential(shares[1]!);
    const columns = (
      [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ] as const
    ).map((e) => turn(e, [0.6, 0, 0.8], 0.9));
    const r = [0, 1, 2].flatMap((i) => columns.map((c) => c[i]!)) as unknown as Mat3;
    const turned = turnedPotential(one, r);
    for (const at of PLACES) expect(potentialOf(turned, 1, at)).toBeCloseTo(potentialOf(one, 1, apply3(r, at)), 9);
  });

  it('is found for a molecule of a crystal in kJ mol⁻¹ e⁻¹, and refused for atoms that have none', () => {
    const a = 20;
    const sites = w.molecule.centres.map((c, i): Site => ({
      id: `s${i}`,
      label: `${c.element}${i}`,
      element: c.element,
      position: c.position.map((x) => (x * BOHR) / a) as unknown as Vec3,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.02 },
    }));
    const s: Structure = {
      cell: { a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('P -1'),
      sites,
    };
    const all = shares.map(radialPotential);
    const potentials = {
      sites: sites.map((x) => x.id),
      radii: all.map((x) => x.radii),
      parts: all.map((x) => x.parts),
    };
    const points = Float32Array.from(PLACES.flatMap((p) => p.map((x) => x * BOHR)));
    const found = potentialAt(
      s,
      potentials,
      sites.map((x) => originalRef(x.id)),
      points,
    );
    PLACES.forEach((p, i) => expect(Math.abs(found[i]! - KJ_PER_HARTREE * direct(w, p))).toBeLessThan(3));
    // The copy by the inversion has the potential of the inverted place.
    const copies = sites.map((x) => ({ ...originalRef(x.id), operator: 1 }));
    const inverted = potentialAt(
      s,
      potentials,
      copies,
      points.map((x) => -x),
    );
    found.forEach((v, i) => expect(inverted[i]).toBeCloseTo(v, 3));
    expect(() => potentialAt(s, { ...potentials, sites: ['s0', 's1', 'x'] }, copies, points)).toThrow('Not every atom');
  });
});
