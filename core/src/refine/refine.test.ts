import { experiment } from '../crystal/experiment.ts';
import { beforeAll, describe, expect, it } from 'vitest';
import { perfectData } from '../../../demo/src/perfect-data.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import type { Structure } from '../crystal/structure.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { elementOf } from '../crystal/elements.ts';
import { seededRandom } from '../math/random.ts';
import type { ScatteringProvider } from '../scattering/structure-factors.ts';
import { quietContext, Cancelled } from '../task-context.ts';
import { compileConstraints } from './compile-constraints.ts';
import { displacementBasis, invariantBasis } from './invariants.ts';
import { physicalValues, siteOffset } from './parameters.ts';
import { distanceRestraint, linearRestraint } from './restraints.ts';
import { NormalEquations } from './normal-equations.ts';
import { refineStructure } from './single-crystal.ts';
import { SingleCrystalProblem, evaluateStructure } from './single-crystal-problem.ts';
import { optimizeWeights, weightOf } from './weights.ts';
import { covarianceOf } from './covariance.ts';

const unit = { a: 0.0, b: 0 };
const base = { cycles: 12, optimizeWeights: false };

const shaken = (s: Structure, size: number, seed: number): Structure => {
  const random = seededRandom(seed);
  return {
    ...s,
    sites: s.sites.map((x) => ({
      ...x,
      position: x.position.map((v, k) => v + (size * random.normal()) / [s.cell.a, s.cell.b, s.cell.c][k]!) as never,
      displacement:
        x.displacement.kind === 'iso'
          ? { kind: 'iso' as const, u: x.displacement.u * (1 + 0.2 * random.next()) }
          : { kind: 'aniso' as const, u: x.displacement.u.map((v) => v * (1 + 0.1 * random.normal())) as never },
    })),
  };
};

/** Mean shift of the whole model, atoms counting by Z² as in the origin restraint. */
function driftOf(found: Structure, truth: Structure): number[] {
  const w = found.sites.map((x) => elementOf(x.element).z ** 2),
    total = w.reduce((p, q) => p + q, 0);
  return [0, 1, 2].map((k) =>
    found.sites.reduce((sum, x, i) => sum + (w[i]! / total) * (x.position[k]! - truth.sites[i]!.position[k]!), 0),
  );
}

/** Complex form factors that differ by site, operator and reflection, without meaning. */
const aspherical = (sites: number, covered: readonly number[]): ScatteringProvider => ({
  covers: Uint8Array.from({ length: sites }, (_, j) => (covered.includes(j) ? 1 : 0)),
  factor(j, o, i, out) {
    out[0] = 4 + Math.cos(0.7 * i + 2 * o + j);
    out[1] = 0.8 * Math.sin(1.3 * i - o + 2 * j);
  },
});

describe.each(['P 1 21/c 1', 'P n a 21', 'P 1'])('a crystal in %s', (symbol) => {
  const crystal = testCrystal('CC(O)c1ccccc1Cl', symbol, 21, {
    dMin: 0.8,
    repeats: 1.5,
    systematic: 0,
    meanCounts: 900,
  });
  const heavy: Structure = { ...crystal.structure, sites: crystal.structure.sites };

  it.each([
    ['spherical atoms', undefined],
    ['a provider of complex factors for some of the sites', aspherical(6, [0, 1, 4])],
  ])('has derivatives that agree with finite differences: %s', async (_, scattering) => {
    const start = { ...heavy, sites: heavy.sites.slice(0, 6).map((x, i) => ({ ...x, occupancy: i === 1 ? 0.7 : 1 })) };
    const data = perfectData(crystal.structure, 1.1, crystal.wavelength);
    const problem = new SingleCrystalProblem(
      experiment(start, data, crystal.wavelength, { weights: unit, extinction: 0.02, treatment: { extinction: true } }),
      { ...base, occupancies: [1], ...(scattering ? { scattering } : {}) },
    );
    const n = problem.map.independent;
    const { normal } = await problem.assemble(quietContext());
    const gradient = normal.complete() && normal.vector.slice();
    // The right-hand side Σ w Δ ∂Fc²/∂q is minus half the slope of Σ wΔ² at fixed weights.
    const here = problem.physical;
    for (let q = 0; q < n; q += 3) {
      const at = Array.from({ length: problem.map.physical }, (_, p) => p).filter((p) => {
        for (let e = problem.map.start[p]!; e < problem.map.start[p + 1]!; e++)
          if (problem.map.column[e] === q) return true;
        return false;
      });
      const coefficient = (p: number): number => {
        for (let e = problem.map.start[p]!; e < problem.map.start[p + 1]!; e++)
          if (problem.map.column[e] === q) return problem.map.value[e]!;
        return 0;
      };
      const h = 2e-5 * Math.max(0.05, Math.abs(here[at[0]!]!));
      const cost = (f: number): number =>
        problem.try(here.map((x, p) => x + (at.includes(p) ? f * h * coefficient(p) : 0)));
      const slope = (8 * (cost(1) - cost(-1)) - (cost(2) - cost(-2))) / (12 * h);
      const scale = Math.max(Math.abs(gradient[q]!), 1e-3 * Math.max(...Array.from(gradient, Math.abs)));
      expect(Math.abs(-0.5 * slope - gradient[q]!) / scale, problem.nameOf(q)).toBeLessThan(1e-6);
    }
  });

  it('returns the truth from noise-free data to 1e-4', async () => {
    const data = perfectData(crystal.structure, 0.85, crystal.wavelength);
    const { structure, readings, state } = await refineStructure(
      experiment(shaken(heavy, 0.02, 2), data, crystal.wavelength, { weights: unit }),
      { ...base, cycles: 25, settled: 1e-4 },
      quietContext(),
    );
    expect(state).toBe('settled');
    expect(readings.r1).toBeLessThan(1e-4);
    // A polar origin may float; the mean shift along it is taken out.
    const mean = driftOf(structure, crystal.structure);
    structure.sites.forEach((x, i) =>
      x.position.forEach((v, k) =>
        expect(Math.abs(v - crystal.structure.sites[i]!.position[k]! - mean[k]!)).toBeLessThan(1e-4),
      ),
    );
    structure.sites.forEach((x, i) =>
      [x.displacement.u]
        .flat()
        .forEach((v, k) =>
          expect(Math.abs(v - ([crystal.structure.sites[i]!.displacement.u].flat() as number[])[k]!)).toBeLessThan(
            1e-4,
          ),
        ),
    );
  });

  it('returns it from noisy data within three s.u. for 99 % of the parameters', async () => {
    const data = mergeForGroup(crystal.raw, crystal.structure.cell, crystal.structure.spaceGroup).reflections;
    const { structure, readings } = await refineStructure(
      experiment(shaken(heavy, 0.01, 3), data, crystal.wavelength, { weights: unit }),
      { ...base, cycles: 20, optimizeWeights: true },
      quietContext(),
    );
    expect(readings.s).toBeGreaterThan(0.8);
    expect(readings.s).toBeLessThan(1.25);
    const mean = driftOf(structure, crystal.structure);
    const polar =
      symbol === 'P 1' ? [true, true, true] : symbol === 'P n a 21' ? [false, false, true] : [false, false, false];
    let within = 0,
      all = 0;
    structure.sites.forEach((x, i) => {
      const truth = crystal.structure.sites[i]!;
      x.position.forEach((v, k) => {
        all++;
        if (Math.abs(v - truth.position[k]! - (polar[k] ? mean[k]! : 0)) < 3 * x.positionSu![k]!) within++;
      });
      const [u, su, t] = [x.displacement.u, x.displacement.su!, truth.displacement.u].map(
        (v) => [v].flat() as number[],
      ) as [number[], number[], number[]];
      u.forEach((v, k) => {
        all++;
        if (Math.abs(v - t[k]!) < 3 * su[k]!) within++;
      });
    });
    expect(within / all).toBeGreaterThanOrEqual(0.98);
  });
});

describe('constraints', () => {
  const hexagonal = { a: 9, b: 9, c: 12, alpha: 90, beta: 90, gamma: 120 };
  it('follow from the site symmetry', () => {
    const monoclinic = { a: 8, b: 9, c: 10, alpha: 90, beta: 105, gamma: 90 };
    const twofold = displacementBasis(monoclinic, spaceGroupFromSymbol('P 2'), [0, 0.3, 0]);
    expect(twofold).toHaveLength(4);
    for (const t of twofold) expect([t[3], t[5]]).toEqual([0, 0]);
    const mirror = displacementBasis(monoclinic, spaceGroupFromSymbol('P m'), [0.2, 0, 0.4]);
    for (const t of mirror) expect([t[3], t[5]]).toEqual([0, 0]);
    const threefold = displacementBasis(hexagonal, spaceGroupFromSymbol('P 3'), [0, 0, 0.2]);
    expect(threefold).toHaveLength(2);
    for (const t of threefold) {
      expect(t[0]).toBeCloseTo(t[1]!, 12);
      expect(t[0]).toBeCloseTo(2 * t[3]!, 12);
      expect([t[4], t[5]]).toEqual([0, 0]);
    }
    expect(displacementBasis(hexagonal, spaceGroupFromSymbol('P 3'), [0.1, 0.2, 0.3])).toHaveLength(6);
  });

  it('hold coordinates on their element', () => {
    // x, −x, z: one parameter drives two coordinates.
    expect(
      invariantBasis(
        [
          [1, 0, 0, 0, 1, 0, 0, 0, 1],
          [0, -1, 0, -1, 0, 0, 0, 0, 1],
        ],
        3,
      ),
    ).toEqual([
      [1, -1, 0],
      [0, 0, 1],
    ]);
    const s: Structure = {
      cell: hexagonal,
      spaceGroup: spaceGroupFromSymbol('R -3 m'),
      sites: [
        {
          id: 'a',
          label: 'C1',
          element: 'C',
          position: [0, 0, 0],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.03 },
        },
        {
          id: 'b',
          label: 'C2',
          element: 'C',
          position: [0.2, -0.2, 0.1],
          occupancy: 1,
          displacement: { kind: 'aniso', u: [0.03, 0.03, 0.03, 0.015, 0, 0] },
        },
      ],
    };
    const map = compileConstraints(s, { extinction: false });
    // scale; U of C1; x, z and four U components of C2
    expect(map.independent).toBe(1 + 1 + 2 + 4);
    expect(map.start[siteOffset(0) + 3]! - map.start[siteOffset(0)]!).toBe(0);
  });

  it('keep a special position where it is through a refinement', async () => {
    const s: Structure = {
      cell: { a: 5.4, b: 5.4, c: 5.4, alpha: 90, beta: 90, gamma: 90 },
      spaceGroup: spaceGroupFromSymbol('F m -3 m'),
      sites: [
        {
          id: 'a',
          label: 'Ce',
          element: 'Ce',
          position: [0, 0, 0],
          occupancy: 1,
          displacement: { kind: 'aniso', u: [0.004, 0.004, 0.004, 0, 0, 0] },
        },
        {
          id: 'b',
          label: 'O',
          element: 'O',
          position: [0.25, 0.25, 0.25],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.006 },
        },
      ],
    };
    const { structure, readings } = await refineStructure(
      experiment(
        {
          ...s,
          sites: s.sites.map((x) => ({
            ...x,
            displacement:
              x.displacement.kind === 'iso'
                ? { kind: 'iso' as const, u: 0.012 }
                : { kind: 'aniso' as const, u: [0.008, 0.008, 0.008, 0, 0, 0] as const },
          })),
        },
        perfectData(s, 0.5, 0.71075),
        0.71075,
        { weights: unit },
      ),
      { ...base, settled: 1e-5 },
      quietContext(),
    );
    expect(readings.parameters).toBe(3);
    expect(structure.sites[1]!.position).toEqual([0.25, 0.25, 0.25]);
    expect(structure.sites[1]!.displacement.u).toBeCloseTo(0.006, 6);
    expect((structure.sites[0]!.displacement.u as readonly number[]).map((x) => Number(x.toFixed(6)))).toEqual([
      0.004, 0.004, 0.004, 0, 0, 0,
    ]);
  });
});

describe('the solver', () => {
  let crystal: ReturnType<typeof testCrystal>;
  let data: MergedReflections;
  beforeAll(() => {
    crystal = testCrystal('CC(O)c1ccccc1Cl', 'P -1', 8, { dMin: 0.85 });
    data = mergeForGroup(crystal.raw, crystal.structure.cell, crystal.structure.spaceGroup).reflections;
  });

  it('gathers the same normal equations as the plain sums', () => {
    const n = 11,
      rows = 130;
    const random = seededRandom(1);
    const normal = new NormalEquations(n);
    const g = Array.from({ length: rows }, () => Array.from({ length: n }, () => random.normal()));
    const r = g.map(() => random.normal());
    g.forEach((row, i) => {
      normal.row.set(row);
      normal.push(r[i]!);
    });
    const matrix = normal.complete();
    for (let i = 0; i < n; i++) {
      expect(normal.vector[i]).toBeCloseTo(
        g.reduce((s, row, k) => s + row[i]! * r[k]!, 0),
        10,
      );
      for (let j = 0; j < n; j++)
        expect(matrix[i * n + j]).toBeCloseTo(
          g.reduce((s, row) => s + row[i]! * row[j]!, 0),
          10,
        );
    }
  });

  it('obeys restraints', async () => {
    const s = crystal.structure;
    const target = 1.8;
    const restraint = distanceRestraint(s, 0, 1, target, 1e-5);
    const { structure } = await refineStructure(
      experiment(s, data, crystal.wavelength, { weights: unit }),
      { ...base, cycles: 30, restraints: [restraint] },
      quietContext(),
    );
    expect(restraint.evaluate(physicalValues(structure, 1, 0)).value).toBeCloseTo(target, 3);
    const held = linearRestraint('x of C1', [[siteOffset(0), 1]], 0.123, 1);
    expect(
      held.evaluate(
        physicalValues({ ...s, sites: s.sites.map((x) => ({ ...x, position: [0.5, 0, 0] as const })) }, 1, 0),
      ),
    ).toEqual({ value: 0.5, gradient: [[siteOffset(0), 1]] });
  });

  it('finds the extinction it was given', async () => {
    const s = crystal.structure;
    const clean = perfectData(s, 0.9, crystal.wavelength);
    const { data: calc } = evaluateStructure(
      experiment(s, clean, crystal.wavelength, { weights: unit, extinction: 0.05 }),
    );
    const faded = {
      ...clean,
      fsq: clean.fsq.map((x, i) => {
        const at = calc.used.indexOf(i);
        return at < 0 ? x : calc.fc2[at]!;
      }),
    };
    const { readings } = await refineStructure(
      experiment(s, faded, crystal.wavelength, { weights: unit, treatment: { extinction: true } }),
      { ...base, settled: 1e-4, cycles: 30 },
      quietContext(),
    );
    expect(readings.extinction!.value).toBeCloseTo(0.05, 3);
  });

  it('names what the data do not determine, and diverges in words rather than numbers', async () => {
    const s = crystal.structure;
    const twice = {
      ...s,
      sites: [
        ...s.sites.map((x) => ({ ...x, occupancy: 0.5 })),
        ...s.sites.slice(0, 1).map((x) => ({ ...x, id: 'copy', label: 'X9', occupancy: 0.5 })),
      ],
    };
    const { undetermined } = await refineStructure(
      experiment(twice, data, crystal.wavelength, { weights: unit }),
      { ...base, cycles: 1, occupancies: [0, twice.sites.length - 1] },
      quietContext(),
    );
    expect(undetermined.some((x) => x.endsWith('X9'))).toBe(true);
    await expect(
      refineStructure(
        experiment({ ...s, sites: [] }, data, crystal.wavelength, { weights: unit }),
        base,
        quietContext(),
      ),
    ).rejects.toThrow(/no atoms to refine/);
    const few = {
      ...data,
      count: 20,
      h: data.h.slice(0, 20),
      k: data.k.slice(0, 20),
      l: data.l.slice(0, 20),
      fsq: data.fsq.slice(0, 20),
      sigma: data.sigma.slice(0, 20),
    };
    await expect(
      refineStructure(experiment(s, few, crystal.wavelength, { weights: unit }), base, quietContext()),
    ).rejects.toThrow(/cannot be refined against 20/);
  });

  it('stops when asked to', async () => {
    const stop = {
      ...quietContext(),
      breath: async () => {
        throw new Cancelled();
      },
    };
    await expect(
      refineStructure(experiment(crystal.structure, data, crystal.wavelength, { weights: unit }), base, stop),
    ).rejects.toBeInstanceOf(Cancelled);
  });

  it('gives covariances whose diagonal is the square of the s.u.', async () => {
    const { structure, covariance } = await refineStructure(
      experiment(crystal.structure, data, crystal.wavelength, { weights: unit }),
      { ...base, optimizeWeights: true },
      quietContext(),
    );
    structure.sites
      .slice(0, 4)
      .forEach((x, i) =>
        x.positionSu!.forEach((su, k) =>
          expect(Math.sqrt(covarianceOf(covariance!, siteOffset(i) + k, siteOffset(i) + k)) / su).toBeCloseTo(1, 4),
        ),
      );
  });
});

it('weights flatten the variance', () => {
  const random = seededRandom(6);
  const n = 6000;
  const fc2 = Float64Array.from({ length: n }, () => -200 * Math.log(1 - random.next()));
  const sigma = Float64Array.from(fc2, (x) => 1 + 0.01 * Math.sqrt(x));
  const fo2 = fc2.map((x, i) => x + Math.hypot(sigma[i]!, 0.06 * x) * random.normal());
  const w = optimizeWeights(fo2, fc2, sigma, 100);
  expect(w.a).toBeGreaterThan(0.045);
  expect(w.a).toBeLessThan(0.075);
  const chi = fo2.reduce((s, f, i) => s + weightOf(w, f, fc2[i]!, sigma[i]!) * (f - fc2[i]!) ** 2, 0) / (n - 100);
  expect(chi).toBeCloseTo(1, 1);
});
