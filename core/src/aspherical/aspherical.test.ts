import { beforeAll, describe, expect, it } from 'vitest';
import { waveCrystal, type WaveCrystal } from '../../../demo/src/wave-crystal.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { experiment, type Experiment } from '../crystal/experiment.ts';
import { isKept, tripleKey } from '../crystal/form-factors.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { moveSite } from '../geometry/bonds.ts';
import { allOperators } from '../crystal/neighbours.ts';
import { seededRandom } from '../math/random.ts';
import { deformationMap } from '../maps/deformation.ts';
import { densityAt } from '../maps/sample.ts';
import { keptFactors } from '../model/kept-factors.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { changeTreatment, type AxesChange } from '../symmetry/change-setting.ts';
import { quietContext } from '../task-context.ts';
import { alternatives, clustersOf } from './cluster.ts';
import { crystalFactors } from './crystal-factors.ts';
import { surroundingsOf } from './crystal-field.ts';
import { forecastOf } from './forecast.ts';
import { hydrogenLengths } from './free-hydrogens.ts';
import { wavefunctionOptions } from './levels.ts';
import { asphericalRefinement, type AsphericalResult } from './rounds.ts';

/** Quick enough for tests: made and refined with different functionals. */
const QUICK = { wavefunction: wavefunctionOptions('6-31G(d,p)', 'lda'), neighbours: 'none' as const };
const TRUE = { wavefunction: wavefunctionOptions('6-31G(d,p)', 'hf'), neighbours: 'none' as const };
const words = { basis: 'b', method: 'm', neighbours: 'n' };

describe('a crystal of water whose data come of a wavefunction', () => {
  let made: WaveCrystal, start: Experiment, result: AsphericalResult;
  beforeAll(async () => {
    const measurement = {
      dMin: 0.62,
      wavelength: 0.71075,
      coverage: 0.95,
      repeats: 2,
      meanCounts: 2000,
      systematic: 0.01,
      outliers: 0,
    };
    const { structure } = testCrystal('O', 'P 21 21 21', 3);
    made = await waveCrystal(structure, measurement, seededRandom(5), TRUE);
    const { reflections } = mergeForGroup(made.raw, structure.cell, structure.spaceGroup);
    start = experiment({ ...made.truth, sites: structure.sites }, reflections, 0.71075, { weights: { a: 0.02, b: 0 } });
    result = await asphericalRefinement(start, { ...QUICK, hydrogens: 'free', rounds: 8, words }, quietContext());
  }, 120_000);

  it('is refined until model and wavefunction agree, better than with spherical atoms', () => {
    expect(result.settled, result.message).toBe(true);
    const { readings, map } = result.rounds.at(-1)!.stage;
    expect(readings.r1).toBeLessThan(0.75 * result.spherical.r1);
    expect(map.peaks[0]!.height).toBeLessThan((2 / 3) * result.spherical.peak);
  });

  it('has its hydrogens where they are, 0.1 Å from where spherical atoms put them', () => {
    const truth = new Map(hydrogenLengths(made.truth).map((x) => [x.hydrogen, x.length]));
    const before = new Map(result.spherical.lengths.map((x) => [x.hydrogen, x.length]));
    for (const { hydrogen, length } of hydrogenLengths(result.rounds.at(-1)!.stage.structure)) {
      expect(Math.abs(length - truth.get(hydrogen)!)).toBeLessThan(0.02);
      expect(truth.get(hydrogen)! - before.get(hydrogen)!).toBeGreaterThan(0.06);
    }
  });

  it('goes on from where it stopped, the comparison kept', { tags: 'long' }, async () => {
    const { stage } = result.rounds[0]!;
    const again = await asphericalRefinement(
      { ...start, structure: stage.structure, treatment: stage.treatment, weights: stage.readings.weights },
      { ...QUICK, hydrogens: 'free', rounds: 8, words },
      quietContext(),
    );
    expect(again.sphericalStage).toBeUndefined();
    expect(again.spherical).toEqual(result.spherical);
    expect(again.rounds.at(-1)!.stage.readings.r1).toBeCloseTo(result.rounds.at(-1)!.stage.readings.r1, 4);
  });

  it('keeps where a field got to that had not settled, and goes on from there', { tags: 'long' }, async () => {
    const { field } = QUICK.wavefunction;
    const short = { ...QUICK, wavefunction: { ...QUICK.wavefunction, field: { ...field, cycles: 6 } } };
    const lost = await asphericalRefinement(start, { ...short, hydrogens: 'free', rounds: 3, words }, quietContext());
    expect([lost.settled, lost.rounds.length]).toEqual([false, 1]);
    expect(lost.message).toMatch(/did not become self-consistent in 6 iterations\. Where it got to is kept/);
    const { stage } = lost.rounds[0]!;
    const again = await asphericalRefinement(
      { ...start, structure: stage.structure, treatment: stage.treatment, weights: stage.readings.weights },
      { ...QUICK, hydrogens: 'free', rounds: 1, words },
      quietContext(),
    );
    const iterations = (r: AsphericalResult): number =>
      r.rounds[0]!.stage.treatment.aspherical!.molecules[0]!.iterations;
    expect(again.rounds[0]!.stage.treatment.aspherical!.molecules[0]!.converged).toBe(true);
    expect(iterations(again)).toBeLessThan(iterations(result));
  });

  it('is evaluated alike in other axes, and its factors go with atoms that are moved away', () => {
    const { stage } = result.rounds.at(-1)!;
    const e = { ...start, structure: stage.structure, treatment: stage.treatment, weights: stage.readings.weights };
    const here = evaluateStructure(e).figures.r1;
    // a, b, c → b, c, a: a group that holds the same operators in other places keeps its name here.
    const change: AxesChange = { p: [0, 0, 1, 1, 0, 0, 0, 1, 0], origin: [0, 0, 0] } as never;
    const turned = changeTreatment(stage.treatment, change).aspherical!.factors;
    const f = stage.treatment.aspherical!.factors;
    expect(turned.real).toEqual(f.real);
    expect(Array.from(turned.h)).not.toEqual(Array.from(f.h));
    const oxygen = stage.structure.sites.findIndex((x) => x.element === 'O');
    const moved = (o: number): Structure => ({
      ...stage.structure,
      sites: stage.structure.sites.map((x, i) =>
        i === oxygen ? moveSite(stage.structure, x, allOperators(e.structure.spaceGroup)[o]!) : x,
      ),
    });
    const kept = keptFactors(stage.treatment, stage.structure, moved(1));
    expect(kept.aspherical!.factors.sites).not.toContain(stage.structure.sites[oxygen]!.id);
    expect(kept.aspherical!.factors.sites).toHaveLength(2);
    expect(keptFactors(stage.treatment, stage.structure, moved(0))).toBe(stage.treatment);
    const without = evaluateStructure({ ...e, treatment: {} }).figures.r1;
    expect(here).toBeLessThan(without);
  });

  it('scatters as each part of a twin does', () => {
    const { structure, treatment } = result.rounds.at(-1)!.stage;
    const { factors } = treatment.aspherical!;
    const known = new Set(Array.from(factors.h, (h, i) => tripleKey(h, factors.k[i]!, factors.l[i]!)));
    const isKnown = (h: number, k: number, l: number): boolean =>
      known.has(isKept(h, k, l) ? tripleKey(h, k, l) : tripleKey(-h, -k, -l));
    const { reflections: r } = start;
    const both = Array.from(r.h.keys()).filter((i) => isKnown(r.k[i]!, r.h[i]!, -r.l[i]!));
    expect(both.length).toBeGreaterThan(50);
    const shorts = (of: (i: number) => number): Int16Array => Int16Array.from(both, of);
    const some = {
      ...r,
      count: both.length,
      h: shorts((i) => r.h[i]!),
      k: shorts((i) => r.k[i]!),
      l: shorts((i) => r.l[i]!),
      fsq: Float64Array.from(both, (i) => r.fsq[i]!),
      sigma: Float64Array.from(both, (i) => r.sigma[i]!),
      multiplicity: Uint16Array.from(both, (i) => r.multiplicity[i]!),
    };
    const turned = { ...some, h: some.k, k: some.h, l: some.l.map((x) => -x) };
    const e = { ...start, structure };
    const of = (reflections: typeof some, more: Treatment): Float64Array =>
      evaluateStructure({ ...e, reflections, treatment: { ...treatment, ...more } }, 1).data.fc2;
    const [one, other] = [of(some, {}), of(turned, {})];
    const law = [0, 1, 0, 1, 0, 0, 0, 0, -1] as const;
    const twin = of(some, { twins: [{ law, fraction: 0.3, name: 'two-fold about a + b' }] });
    twin.forEach((f, i) => expect(Math.abs(f - 0.7 * one[i]! - 0.3 * other[i]!)).toBeLessThan(1e-9 * (1 + f)));
    // It does matter: the parts differ, and so do spherical atoms.
    expect(one.filter((f, i) => Math.abs(f - other[i]!) > 0.1 * f).length).toBeGreaterThan(20);
  });

  it('shows what binding does: density between oxygen and hydrogen, as much taken as given in all', () => {
    const { stage } = result.rounds.at(-1)!;
    const e = { ...start, structure: stage.structure, treatment: stage.treatment };
    const { values, grid } = deformationMap(e);
    expect(Math.abs(values.reduce((sum, x) => sum + x, 0) / values.length)).toBeLessThan(1e-3);
    const [o, h] = ['O', 'H'].map((element) => stage.structure.sites.find((x) => x.element === element)!.position);
    const at = (share: number): number =>
      densityAt(
        { values, grid },
        ...([0, 1, 2].map((k) => o![k]! + share * (h![k]! - o![k]!)) as [number, number, number]),
      );
    expect(at(0.5)).toBeGreaterThan(0);
    expect(at(0.5)).toBeGreaterThan(at(1.6));
    expect(() => deformationMap({ ...e, treatment: {} })).toThrow(/refine with them first/);
  });

  it('has the same structure factors when its molecule is made of other copies', async () => {
    const { structure } = result.rounds.at(-1)!.stage;
    const h = structure.sites.findIndex((x) => x.element === 'H');
    const other: Structure = {
      ...structure,
      sites: structure.sites.map((x, i) =>
        i === h ? moveSite(structure, x, allOperators(structure.spaceGroup)[2]!) : x,
      ),
    };
    const triples = result.rounds.at(-1)!.stage.treatment.aspherical!.factors;
    const values = async (s: Structure): Promise<Float64Array> => {
      const { factors } = await crystalFactors(s, triples, TRUE, quietContext());
      const aspherical = { ...result.rounds.at(-1)!.stage.treatment.aspherical!, factors };
      return evaluateStructure({ ...start, structure: s, treatment: { aspherical } }).data.fc2;
    };
    const [one, two] = [await values(structure), await values(other)];
    let most = 0;
    one.forEach((x, i) => (most = Math.max(most, Math.abs(x - two[i]!) / (1 + x))));
    expect(most).toBeLessThan(2e-3);
  });
});

describe('what shares a wavefunction', () => {
  const { structure } = testCrystal('NC(=O)CO.O', 'P 21 21 21', 9);

  it('is each molecule, whole; with its neighbours where they are asked for', () => {
    const alone = clustersOf(structure, 'none');
    expect(alone.map((c) => c.atoms.length).sort((a, b) => a - b)).toEqual([3, 10]);
    const bound = clustersOf(structure, 'hydrogen-bonded');
    for (const [i, c] of bound.entries()) {
      expect(c.own).toBe(alone[i]!.own);
      expect(c.atoms.length).toBeGreaterThan(c.own);
    }
  });

  it('is one alternative of what is disordered at a time, the main one first', () => {
    const sites = structure.sites.map((x, i) =>
      i < 2 ? { ...x, occupancy: i ? 0.7 : 0.3, disorder: { assembly: 'A', group: i ? '2' : '1' } } : x,
    );
    const [first, second, ...more] = alternatives({ ...structure, sites });
    expect(more).toEqual([]);
    expect(first!.sites.map((x) => x.id)).toContain(sites[1]!.id);
    expect(first!.sites.map((x) => x.id)).not.toContain(sites[0]!.id);
    expect(second!.sites.map((x) => x.id)).toContain(sites[0]!.id);
  });

  it('stands in the same crystal in whichever place it lies', { tags: 'long' }, async () => {
    const waters = testCrystal('O.O', 'P 21 21 21', 4).structure;
    const [first, second] = [waters.sites.slice(0, 3), waters.sites.slice(3)];
    // A second place so near that only what is around could make a difference.
    const placed = (group: string, by: number) =>
      second.map((x) => ({
        ...x,
        id: `${x.id}${group}`,
        occupancy: 0.5 + (group === '1' ? 0.1 : -0.1),
        position: [x.position[0] + by, x.position[1], x.position[2]] as const,
        disorder: { assembly: 'A', group },
      }));
    const s = { ...waters, sites: [...first, ...placed('1', 0), ...placed('2', 0.0005)] };
    const none = { h: new Int16Array(0), k: new Int16Array(0), l: new Int16Array(0) };
    const wavefunction = { ...wavefunctionOptions('STO-3G', 'hf'), grid: { radial: 30, sphere: 50 as const } };
    const { molecules } = await crystalFactors(s, none, { wavefunction, neighbours: 'field' }, quietContext());
    const alone = await crystalFactors(s, none, { wavefunction, neighbours: 'none' }, quietContext());
    expect(molecules.length).toBe(3);
    const oxygen = (m: (typeof molecules)[number]): number => m.charges[0]!;
    const off = (m: (typeof molecules)[number]): number => Math.abs(oxygen(m) - oxygen(molecules[1]!));
    expect(off(alone.molecules[2]!)).toBeGreaterThan(0.02);
    expect(off(molecules[2]!)).toBeLessThan(0.2 * off(alone.molecules[2]!));
  });

  it('stands among whole molecules, none of them itself', () => {
    const clusters = clustersOf(structure, 'none');
    const moments = clusters.map((c) =>
      c.atoms.map((_, i) => ({ charge: i ? 0.1 : -0.1 * (c.own - 1), dipole: [0, 0, 0] as const })),
    );
    const around = surroundingsOf(structure, clusters[0]!, clusters, moments);
    expect(around.reduce((sum, x) => sum + x.charge, 0)).toBeCloseTo(0, 8);
    expect(around.length).toBeGreaterThan(100);
    const nearest = Math.min(
      ...around.map((x) =>
        Math.min(...clusters[0]!.centres.map((c) => Math.hypot(...c.position.map((v, k) => v - x.position[k]!)))),
      ),
    );
    // bohr: nothing nearer than a hydrogen bond.
    expect(nearest).toBeGreaterThan(2.5);
  });

  it('is forecast before it is made, a larger basis longer', () => {
    const quick = forecastOf(structure, QUICK, 1000);
    const long = forecastOf(
      structure,
      { wavefunction: wavefunctionOptions('triple-zeta', 'hybrid'), neighbours: 'field' },
      1000,
    );
    expect(quick.molecules.map((m) => m.electrons).sort((a, b) => a - b)).toEqual([10, 40]);
    expect(long.work).toBeGreaterThan(3 * quick.work);
    expect(long.megabytes).toBeGreaterThan(quick.megabytes);
  });
});
