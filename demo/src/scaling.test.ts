import { experiment } from '@nagare/core/crystal/experiment';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { RawBuilder, type RawReflections } from '@nagare/core/crystal/reflections';
import { laueRotations, rotationsOf } from '@nagare/core/crystal/point-group';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { anisotropy, compareSets, findRings, joinSets, withoutRings } from '@nagare/core/data/diagnostics';
import { lTest } from '@nagare/core/data/intensity-statistics';
import { mergeReflections } from '@nagare/core/data/merge';
import { scaleObservations, withoutBatches } from '@nagare/core/data/scaling';
import { cellVolume, reciprocalMetric } from '@nagare/core/crystal/cell';
import type { GivenFace } from '@nagare/core/crystal/faces';
import { absorptionCoefficient } from '@nagare/core/scattering/form-factor';
import { apply3, dot, norm, normalize, scale, toMat3, type Vec3 } from '@nagare/core/math/matrix3';
import { recognise } from '@nagare/core/formats/recognise';
import { sphericalHarmonics } from '@nagare/core/math/spherical-harmonics';
import { seededRandom } from '@nagare/core/math/random';
import { evaluateStructure } from '@nagare/core/refine/single-crystal-problem';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { measureAbsorbing, TO_PLATE } from './absorption.ts';
import { testCrystal } from './test-crystals.ts';

const read = (folder: string, name: string) =>
  recognise(readFileSync(new URL(`../${folder}/${name}.cif`, import.meta.url), 'utf8'), name)[0]!;
const laue = laueRotations(rotationsOf(spaceGroupFromSymbol('P 1 21/c 1')));
const FULL = { batches: true, decay: false, harmonics: 6 };

describe('spherical harmonics', () => {
  it('are orthonormal over the sphere and as the closed forms of order 1 and 2', () => {
    // Gauss–Legendre in z (12 points suffice for order 8) and even steps in φ integrate products exactly.
    const n = 12,
      nodes: [number, number][] = [];
    for (let i = 1; i <= n; i++) {
      let x = Math.cos((Math.PI * (i - 0.25)) / (n + 0.5)),
        slope = 0;
      for (let k = 0; k < 50; k++) {
        let a = 1,
          b = x;
        for (let j = 2; j <= n; j++) [a, b] = [b, ((2 * j - 1) * x * b - (j - 1) * a) / j];
        slope = (n * (x * b - a)) / (x * x - 1);
        x -= b / slope;
      }
      nodes.push([x, 2 / ((1 - x * x) * slope * slope)]);
    }
    const size = 5 ** 2 - 1,
      overlap = Array.from({ length: size }, () => new Array<number>(size).fill(0));
    for (const [z, w] of nodes)
      for (let k = 0; k < 20; k++) {
        const f = (2 * Math.PI * k) / 20,
          r = Math.sqrt(1 - z * z),
          y = sphericalHarmonics(r * Math.cos(f), r * Math.sin(f), z, 4);
        for (let i = 0; i < size; i++)
          for (let j = 0; j < size; j++) overlap[i]![j]! += ((w * 2 * Math.PI) / 20) * y[i]! * y[j]!;
      }
    overlap.forEach((row, i) => row.forEach((v, j) => expect(v).toBeCloseTo(i === j ? 1 : 0, 10)));
    const y = sphericalHarmonics(0.6, 0, 0.8, 2);
    expect(y[1]).toBeCloseTo(Math.sqrt(3 / (4 * Math.PI)) * 0.8, 12);
    expect(y[5]).toBeCloseTo(Math.sqrt(5 / (16 * Math.PI)) * (3 * 0.64 - 1), 12);
  });
});

describe('scaling', () => {
  const data = read('data', 'enju-6'),
    raw = data.raw!;

  it('reads beam directions from angles and orientation as the diffractometer had them', () => {
    const crystal = testCrystal('Clc1ccccc1O', 'P 1 21/c 1', 5).structure;
    const m = measureAbsorbing(
      crystal,
      { dMin: 1.4, wavelength: 0.71, coverage: 0.4, repeats: 1, meanCounts: 300, systematic: 0.01, outliers: 0 },
      [0.2, 0.2, 0.05],
      seededRandom(3),
    );
    const rows = Array.from(
      { length: m.raw.count },
      (_, i) =>
        `${m.raw.h[i]} ${m.raw.k[i]} ${m.raw.l[i]} ${m.raw.intensity[i]!.toFixed(2)} ${m.raw.sigma[i]!.toFixed(2)} ${m.angles[3 * i]!.toFixed(3)} ${m.angles[3 * i + 1]!.toFixed(3)} ${m.angles[3 * i + 2]!.toFixed(3)}`,
    ).join('\n');
    const { cell } = crystal;
    const text = `data_x\n_cell_length_a ${cell.a}\n_cell_length_b ${cell.b}\n_cell_length_c ${cell.c}\n_cell_angle_alpha 90\n_cell_angle_beta ${cell.beta}\n_cell_angle_gamma 90\n_diffrn_radiation_wavelength 0.71\n${m.ub.map((x, i) => `_diffrn_orient_matrix_UB_${Math.floor(i / 3) + 1}${(i % 3) + 1} ${x.toFixed(8)}`).join('\n')}\nloop_\n_diffrn_refln_index_h\n_diffrn_refln_index_k\n_diffrn_refln_index_l\n_diffrn_refln_intensity_net\n_diffrn_refln_intensity_u\n_diffrn_refln_angle_omega\n_diffrn_refln_angle_chi\n_diffrn_refln_angle_phi\n${rows}\n`;
    const back = recognise(text, 'x.cif')[0]!.raw!;
    expect(back.beams).toHaveLength(6 * m.raw.count);
    let worst = 1;
    for (let i = 0; i < back.count; i++)
      for (const k of [0, 3])
        worst = Math.min(
          worst,
          [0, 1, 2].reduce((s, j) => s + back.beams![6 * i + k + j]! * m.raw.beams![6 * i + k + j]!, 0),
        );
    expect(worst).toBeGreaterThan(0.99999);
  });

  it('halves R_int of Enju-6, finds the run scales and the run that spoils the merge', () => {
    const s = scaleObservations(raw, data.cell!, laue, FULL);
    expect(s.after.rInt).toBeLessThan(0.65 * s.before.rInt);
    expect(s.batches.filter((b) => b.spoils).map((b) => b.batch)).toEqual([4]);
    const truth = [1, 0.86, 1.17, 0.94, 1.08, 0.79];
    const ratio = s.batches.map((b, i) => b.scale * truth[i]!);
    for (const i of [1, 2, 4, 5]) expect(ratio[i]! / ratio[0]!).toBeCloseTo(1, 1);
    const rest = scaleObservations(raw, data.cell!, laue, { ...FULL, without: [4] });
    expect(rest.after.rInt).toBeLessThan(0.06);
    expect(rest.raw.count).toBe(withoutBatches(raw, new Set([4])).count);
    expect(rest.directionRange![1] / rest.directionRange![0]).toBeGreaterThan(1.5);
  });

  it('brings the intensities nearer to the truth', () => {
    const truth = read('truth', 'enju-6').structure!;
    const r1 = (r: RawReflections): number =>
      evaluateStructure(
        experiment(truth, mergeForGroup(r, data.cell!, truth.spaceGroup).reflections, data.experiment.wavelength!, {
          weights: { a: 0.05, b: 0 },
        }),
      ).figures.r1;
    expect(r1(scaleObservations(raw, data.cell!, laue, { ...FULL, without: [4] }).raw)).toBeLessThan(0.6 * r1(raw));
  });

  /** Faces of the plate by the lattice planes that lie nearest to them, distances in mm. */
  const plateFaces = (): GivenFace[] => {
    const text = readFileSync(new URL('../data/enju-6.cif', import.meta.url), 'utf8');
    const ub = toMat3([...text.matchAll(/_diffrn_orient_matrix_UB_\d\d\s+(\S+)/g)].map((x) => Number(x[1])));
    const planes: Vec3[] = [];
    for (let h = -9; h <= 9; h++) for (let k = -9; k <= 9; k++) for (let l = -9; l <= 9; l++) planes.push([h, k, l]);
    return [0, 1, 2].flatMap((i) => {
      const normal: Vec3 = [TO_PLATE[3 * i]!, TO_PLATE[3 * i + 1]!, TO_PLATE[3 * i + 2]!];
      const cosine = (hkl: Vec3): number => (norm(hkl) ? dot(normalize(apply3(ub, hkl)), normal) : 0);
      const hkl = planes.reduce((p, q) => (cosine(q) > cosine(p) + 1e-9 ? q : p));
      expect(cosine(hkl)).toBeGreaterThan(Math.cos((2 * Math.PI) / 180));
      const distance = [0.5, 0.36, 0.04][i]! / 2;
      return [hkl, scale(hkl, -1)].map((face) => ({ hkl: face, distance }));
    });
  };

  it(
    'by the faces of the plate brings equivalents together as the fitted harmonics do, with nothing fitted but the runs',
    { tags: 'long', timeout: 240_000 },
    () => {
      const mu = absorptionCoefficient(
        data.experiment.formula!,
        4,
        cellVolume(data.cell!),
        data.experiment.wavelength!,
      );
      const faces = { faces: plateFaces(), mu };
      const runs = { batches: true, decay: false, harmonics: 0, without: [4] };
      const plain = scaleObservations(raw, data.cell!, laue, runs);
      const placed = scaleObservations(raw, data.cell!, laue, { ...runs, faces });
      expect(placed.parameters).toBe(plain.parameters);
      expect(placed.after.rInt).toBeLessThan(0.7 * plain.after.rInt);
      expect(placed.after.rInt).toBeLessThan(0.06);
      const [low, high] = placed.transmission!;
      expect(low).toBeGreaterThan(Math.exp(-mu * 0.55));
      expect(high).toBeLessThan(Math.exp(-mu * 0.02));
      // A plate that stands another way makes it worse.
      const turned = faces.faces.map((f) => ({ ...f, hkl: [f.hkl[1], f.hkl[2], f.hkl[0]] as Vec3 }));
      const wrong = scaleObservations(raw, data.cell!, laue, { ...runs, faces: { faces: turned, mu } });
      expect(wrong.after.rInt).toBeGreaterThan(plain.after.rInt);
    },
  );

  it('says why when directions are not known, and leaves good data as they are', () => {
    const plain = read('data', 'aobae');
    expect(() => scaleObservations(plain.raw!, plain.cell!, laue, FULL)).toThrow(
      'from where each reflection was measured',
    );
    const same = scaleObservations(plain.raw!, plain.cell!, laue, { batches: true, decay: false, harmonics: 0 });
    expect(same.parameters).toBe(0);
    expect(same.after.rInt).toBeCloseTo(same.before.rInt, 10);
  });
});

describe('neighbouring intensities', () => {
  it('tell a twin from an untwinned crystal', () => {
    const of = (name: string) => {
      const d = read('data', name),
        g = read('truth', name).structure!.spaceGroup;
      return lTest(mergeForGroup(d.raw!, d.cell!, g).reflections, g);
    };
    const plain = of('tsuyukusa-7'),
      twin = of('futago-1');
    expect(plain.pairs).toBeGreaterThan(2000);
    expect(plain.meanL).toBeGreaterThan(0.465);
    expect(plain.meanL).toBeLessThan(0.54);
    expect(twin.meanL).toBeLessThan(0.46);
    expect(twin.meanL2).toBeLessThan(plain.meanL2 - 0.03);
  });
});

describe('diagnosis', () => {
  it('finds the ring of frost and no other, and takes it out', () => {
    const data = read('data', 'enju-6');
    const s = scaleObservations(data.raw!, data.cell!, laue, { ...FULL, without: [4] });
    const rings = findRings(s.raw, data.cell!, laue);
    expect(rings).toHaveLength(1);
    expect(Math.abs(rings[0]!.d - 1.918)).toBeLessThan(0.03);
    expect(rings[0]!.ice).toBe(true);
    const left = withoutRings(s.raw, data.cell!, rings);
    expect(left.count).toBeLessThan(s.raw.count);
    expect(left.beams).toHaveLength(6 * left.count);
    for (const name of ['mizuasagi', 'kasumi']) {
      const d = read('data', name);
      expect(findRings(d.raw!, d.cell!, laueRotations(rotationsOf(read('truth', name).structure!.spaceGroup)))).toEqual(
        [],
      );
    }
  });

  it('measures a planted anisotropy', () => {
    const { structure, raw } = testCrystal('Clc1ccccc1O', 'P 1 21/c 1', 5);
    const b = new RawBuilder(),
      g = reciprocalMetric(structure.cell);
    // Along b* the intensities fall as with a further B of 3 Å².
    for (let i = 0; i < raw.count; i++)
      b.push(
        raw.h[i]!,
        raw.k[i]!,
        raw.l[i]!,
        raw.intensity[i]! * Math.exp(-1.5 * raw.k[i]! ** 2 * g[4]),
        raw.sigma[i]!,
      );
    const merged = (r: RawReflections) => mergeReflections(r, structure.cell, laue, { shells: 1 }).reflections;
    const one = anisotropy(merged(raw), structure.cell),
      two = anisotropy(merged(b.build(false)), structure.cell);
    expect(two.spread).toBeGreaterThan(one.spread + 1);
    expect(two.spread).toBeGreaterThan(3 * two.su);
    // The strongest fall is along b.
    expect(Math.abs(two.axes[2][1])).toBeGreaterThan(0.9);
    expect(two.directions.find((d) => d.name === 'b*')!.meanIOverSigma).toBeLessThan(
      one.directions.find((d) => d.name === 'b*')!.meanIOverSigma,
    );
  });

  it('compares and joins data sets', () => {
    const crystal = testCrystal('Clc1ccccc1O', 'P 1 21/c 1', 5),
      { structure, raw } = crystal;
    const half = (odd: number, k: number): RawReflections => {
      const b = new RawBuilder();
      for (let i = 0; i < raw.count; i++)
        if (i % 3 !== odd) b.push(raw.h[i]!, raw.k[i]!, raw.l[i]!, k * raw.intensity[i]!, k * raw.sigma[i]!);
      return b.build(false);
    };
    const one = half(0, 1),
      two = half(1, 2.5);
    const merged = (r: RawReflections) => mergeReflections(r, structure.cell, laue, { shells: 1 }).reflections;
    const c = compareSets(merged(one), merged(two));
    expect(c.scale).toBeCloseTo(1 / 2.5, 1);
    expect(c.correlation).toBeGreaterThan(0.99);
    const joined = joinSets(one, two);
    expect(joined.count).toBe(one.count + two.count);
    expect(new Set(joined.batch)).toEqual(new Set([1, 2]));
    const scaled = scaleObservations(joined, structure.cell, laue, { batches: true, decay: false, harmonics: 0 });
    expect(scaled.batches[0]!.scale / scaled.batches[1]!.scale).toBeCloseTo(2.5, 1);
    expect(scaled.after.rInt).toBeLessThan(0.6 * scaled.before.rInt);
  });
});
