/** Refinement in settings drawn from all that are tabulated: what the symmetry holds is held, and what is free comes back. */
import { describe, expect, it } from 'vitest';
import { perfectData } from '../../../demo/src/perfect-data.ts';
import { randomStructure } from '../../../demo/src/random-structure.ts';
import { metricTensor, fractionalDistance } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { experiment } from '../crystal/experiment.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { polarDirections, siteSymmetry, snapToSymmetry } from '../crystal/space-group.ts';
import { rotateU, type AnisotropicU, type Site, type Structure } from '../crystal/structure.ts';
import type { Vec3 } from '../math/matrix3.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { quietContext } from '../task-context.ts';
import { compileConstraints } from './compile-constraints.ts';
import { refineStructure } from './single-crystal.ts';

const WAVELENGTH = 0.71075;
/** Å: atoms that are nearer than this to one another or to a copy share their density. */
const APART = 1.6;

/** A structure of full atoms that stand apart, some on symmetry elements. */
function apart(seed: number): Structure {
  for (let at = seed; ; at += 1000) {
    const random = seededRandom(at);
    const drawn = randomStructure(random, 4, { everything: true });
    const s = { ...drawn, sites: drawn.sites.map((x): Site => ({ ...x, occupancy: 1, element: heavyEnough(x) })) };
    const positions = s.sites.map((x) => x.position);
    if (!neighbours(s.cell, s.spaceGroup, positions, APART).length) return s;
  }
}

/** Beside uranium a hydrogen says nothing. */
const heavyEnough = (x: Site): string => (elementOf(x.element).z < 6 || elementOf(x.element).z > 30 ? 'S' : x.element);

/** Moved by some hundredths of an Å and swollen, as far as each site's symmetry lets it. */
function shaken(s: Structure, random: Random): Structure {
  const metric = metricTensor(s.cell);
  const { a, b, c } = s.cell;
  return {
    ...s,
    sites: s.sites.map((x): Site => {
      const { operators } = siteSymmetry(s.spaceGroup, metric, x.position);
      const moved = x.position.map((v, k) => v + (0.02 * random.normal()) / [a, b, c][k]!) as unknown as Vec3;
      if (x.displacement.kind === 'iso')
        return { ...x, position: held(s, moved), displacement: { kind: 'iso', u: 1.2 * x.displacement.u } };
      const noisy = x.displacement.u.map((u) => u + 0.003 * random.normal()) as unknown as AnisotropicU;
      const turned = operators.map((o) => rotateU(s.cell, o.r, noisy));
      const u = noisy.map((_, k) => turned.reduce((sum, t) => sum + t[k]!, 0) / turned.length);
      return { ...x, position: held(s, moved), displacement: { kind: 'aniso', u: u as unknown as AnisotropicU } };
    }),
  };
}

const held = (s: Structure, x: Vec3): Vec3 => snapToSymmetry(s.spaceGroup, metricTensor(s.cell), x, 0.12);

/** Free coordinates, tensor components and the scale: by the order of each site's symmetry alone, counted the long way. */
function countFree(s: Structure): number {
  const rank = (rows: number[][]): number => {
    let found = 0;
    for (let column = 0; column < rows[0]!.length; column++) {
      const pivot = rows.findIndex((r, i) => i >= found && Math.abs(r[column]!) > 1e-9);
      if (pivot < 0) continue;
      [rows[found], rows[pivot]] = [rows[pivot]!, rows[found]!];
      for (let i = 0; i < rows.length; i++)
        if (i !== found) {
          const f = rows[i]![column]! / rows[found]![column]!;
          rows[i] = rows[i]!.map((v, k) => v - f * rows[found]![k]!);
        }
      found++;
    }
    return found;
  };
  let free = 1;
  for (const x of s.sites) {
    const { operators } = siteSymmetry(s.spaceGroup, metricTensor(s.cell), x.position);
    const mean = (images: number[][]): number[] => images[0]!.map((_, k) => images.reduce((p, q) => p + q[k]!, 0));
    free += rank([0, 1, 2].map((k) => mean(operators.map(({ r }) => [0, 1, 2].map((i) => r[3 * i + k]!)))));
    if (x.displacement.kind === 'iso') free += 1;
    else
      free += rank(
        [0, 1, 2, 3, 4, 5].map((k) => {
          const unit = [0, 0, 0, 0, 0, 0].map((_, i) => (i === k ? 1 : 0)) as unknown as AnisotropicU;
          return mean(operators.map(({ r }) => [...rotateU(s.cell, r, unit)]));
        }),
      );
  }
  return free;
}

const SEEDS = Array.from({ length: 30 }, (_, i) => 3000 + i);

describe('in any setting', () => {
  it.each(SEEDS)('as many values are free as the symmetry of the sites leaves (seed %i)', (seed) => {
    const s = apart(seed);
    expect(compileConstraints(s, { extinction: false }).independent).toBe(countFree(s));
  });

  it.each(SEEDS)(
    'a shaken model comes back from exact data, nothing leaving its symmetry element (seed %i)',
    async (seed) => {
      const truth = apart(seed);
      const start = shaken(truth, seededRandom(seed));
      const { structure, readings } = await refineStructure(
        experiment(start, perfectData(truth, 0.9, WAVELENGTH), WAVELENGTH, { weights: { a: 0, b: 0 } }),
        { cycles: 30, optimizeWeights: false, settled: 1e-4 },
        quietContext(),
      );
      expect(readings.r1).toBeLessThan(2e-4);
      const metric = metricTensor(truth.cell);
      const polar = polarDirections(truth.spaceGroup).length > 0;
      structure.sites.forEach((x, i) => {
        const was = truth.sites[i]!;
        const before = siteSymmetry(truth.spaceGroup, metric, was.position);
        const after = siteSymmetry(truth.spaceGroup, metric, x.position, 1e-6);
        expect(after.operators.length).toBeGreaterThanOrEqual(before.operators.length);
        // Along a polar axis the model may drift as a whole.
        if (!polar) expect(fractionalDistance(metric, x.position, was.position)).toBeLessThan(5e-4);
        const [u, v] = [x.displacement, was.displacement].map((d) => [d.u].flat() as number[]);
        u!.forEach((value, k) => expect(Math.abs(value - v![k]!)).toBeLessThan(3e-4));
      });
    },
  );
});
