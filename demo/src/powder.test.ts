/** The calculated pattern against a plain evaluation without cut-offs, the literature's figures, derivatives against differences, and fits against simulated truth. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { singleLine, USUAL_INSTRUMENT, type Instrument, type Pattern } from '@nagare/core/crystal/pattern';
import { seededRandom } from '@nagare/core/math/random';
import { FitProblem } from '@nagare/core/powder/assemble';
import { PatternCalculator } from '@nagare/core/powder/engine';
import { calculatedReflections } from '@nagare/core/powder/identify';
import { newPatternModel, newPhase, type FitModel, type PhaseModel } from '@nagare/core/powder/model';
import { pseudoVoigt, mixedShape } from '@nagare/core/powder/profile';
import { runRecipe, type RunResult } from '@nagare/core/powder/recipes';
import { linearScales } from '@nagare/core/powder/start';
import { parseInstrument } from '@nagare/core/formats/pattern-file';
import { recognise } from '@nagare/core/formats/recognise';
import { fitStage } from '@nagare/core/powder/least-squares';
import { readFit } from '@nagare/core/powder/results';
import { extractedReflections } from '@nagare/core/powder/extract';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { PhaseWork } from '@nagare/core/powder/engine';
import { freeTorsions, groupIntensities, looseMolecule, placeMolecule } from '@nagare/core/powder/place-molecule';
import { powderReflections } from '@nagare/core/powder/reflections';
import { add, normalize, subtract, turn } from '@nagare/core/math/matrix3';
import { testCrystal } from './test-crystals.ts';
import { quietContext, type TaskContext } from '@nagare/core/task-context';
import type { Structure } from '@nagare/core/crystal/structure';
import { directF2, directPattern, directProfile, measurePowder, type PowderPhase } from './powder.ts';
import { fromShelf, germanate, stretched, TRUE_INSTRUMENT } from './powder-sets.ts';

const quiet = <P>(): TaskContext<P> => quietContext() as TaskContext<P>;
const read = (name: string): string => readFileSync(new URL(`../data/${name}`, import.meta.url), 'utf8');
const demoPattern = (name: string): Pattern => recognise(read(name), name)[0]!.powder!.pattern;
const truth = (
  name: string,
): { phases: { name: string; weight: number; size: number; strain: number; cell: { a: number; c: number } }[] } =>
  JSON.parse(readFileSync(new URL(`../truth/${name}.json`, import.meta.url), 'utf8'));
const kiln = (): Instrument => parseInstrument(read('kiln-diffractometer.json'));
const flat = (x: Float64Array, y?: Float64Array): Pattern => ({
  name: 'made',
  twoTheta: x,
  intensity: y ?? new Float64Array(x.length),
  sigma: new Float64Array(x.length).fill(1),
  sigmaFrom: 'counts',
});
const range = (from: number, to: number, step: number): Float64Array =>
  Float64Array.from({ length: Math.round((to - from) / step) + 1 }, (_, i) => from + i * step);

async function quantify(
  pattern: Pattern,
  phases: [string, Structure][],
  instrument = kiln(),
  recipe = 'quantify',
): Promise<RunResult> {
  const model: FitModel = {
    phases: phases.map(([name, s]) => newPhase(name, name, s)),
    patterns: [newPatternModel(pattern, instrument, phases.length, 8)],
  };
  return runRecipe({ model, patterns: [pattern], recipe }, quiet());
}

describe('calculated patterns', () => {
  for (const heights of [0, 0.018])
    it(`agree with the plain sum to 1e-6 of the maximum (axial divergence ${heights})`, () => {
      const instrument: Instrument = {
        ...TRUE_INSTRUMENT,
        zero: 0.01,
        profile: { ...TRUE_INSTRUMENT.profile, sampleHeight: heights, detectorHeight: heights },
      };
      const s = fromShelf('quartz'),
        x = range(18, 60, 0.025);
      const phase: PowderPhase = {
        name: 'q',
        structure: s,
        weight: 1,
        size: 45,
        strain: 0.6,
        orientation: { axis: [1, 0, 1], r: 0.8 },
      };
      const direct = directPattern(
        phase,
        {
          from: 18,
          to: 62.2,
          step: 0.025,
          instrument,
          counts: 1,
          background: () => 0,
          displacement: 0.05,
          zero: 0.004,
        },
        x,
      );
      const model = {
        ...newPatternModel(flat(x), instrument, 1),
        background: { chebyshev: [], peaks: [], points: [] },
        scales: [1],
        displacement: 0.05,
        zero: 0.004,
      };
      const fast = new PatternCalculator(flat(x), model, [
        { ...newPhase('q', 'q', s), inverseSize: 1 / 45, strain: 0.6, orientation: { axis: [1, 0, 1], r: 0.8 } },
      ]).calculate().calculated;
      const top = direct.reduce((a, b) => Math.max(a, b), 0);
      let worst = 0;
      for (let i = 0; i < x.length; i++) worst = Math.max(worst, Math.abs(fast[i]! - direct[i]!) / top);
      expect(worst).toBeLessThan(1e-6);
    }, 120_000);

  it('has |F|² of the direct sum over all atoms, centric and not', () => {
    for (const id of [
      'silicon',
      'zincite',
      'quartz',
      'forsterite',
      'urea',
      'kurobane-blue',
      'baddeleyite',
      'calcite',
    ]) {
      const s = fromShelf(id);
      const list = calculatedReflections(s, singleLine(USUAL_INSTRUMENT, 1.5406), 10, 90);
      const top = Math.max(...list.map((r) => r.f2));
      for (const r of list.slice(0, 25))
        expect(Math.abs(r.f2 - directF2(s, r.h, r.k, r.l, 1.5406)) / top, `${id} ${r.h} ${r.k} ${r.l}`).toBeLessThan(
          1e-9,
        );
    }
  });

  it('puts the lines of silicon where the literature has them', () => {
    const list = calculatedReflections(fromShelf('silicon'), singleLine(USUAL_INSTRUMENT, 1.5406), 20, 90).filter(
      (r) => r.intensity > 1,
    );
    [28.443, 47.303, 56.123, 69.13, 76.377, 88.032].forEach((t, i) =>
      expect(Math.abs(list[i]!.twoTheta - t)).toBeLessThan(0.005),
    );
  });

  it('has the relative intensities of rock salt and fluorite types within the tabulated spread', () => {
    const relative = (id: string): Map<string, number> =>
      new Map(
        calculatedReflections(fromShelf(id), singleLine(USUAL_INSTRUMENT, 1.5406), 15, 90).map((r) => [
          `${r.h}${r.k}${r.l}`,
          r.intensity,
        ]),
      );
    const salt = relative('halite');
    expect(salt.get('200')).toBe(100);
    expect(salt.get('111')!).toBeGreaterThan(7.5);
    expect(salt.get('111')!).toBeLessThan(13.5);
    expect(salt.get('220')!).toBeGreaterThan(54);
    expect(salt.get('220')!).toBeLessThan(67);
    const ceria = relative('ceria');
    expect(ceria.get('111')).toBe(100);
    for (const [hkl, low, high] of [
      ['220', 44, 53],
      ['311', 33, 43],
      ['200', 26, 31],
    ] as const) {
      expect(ceria.get(hkl)!).toBeGreaterThan(low);
      expect(ceria.get(hkl)!).toBeLessThan(high);
    }
  });

  it('has profiles of unit area whose width and mixing follow from both widths', () => {
    const shape = { width: 0, eta: 0, widthG: 0, widthL: 0, etaG: 0, etaL: 0 };
    mixedShape(0.07, 0.05, shape);
    let area = 0;
    for (let u = -60; u < 60; u += 0.002) area += pseudoVoigt(u, shape.width, shape.eta) * 0.002;
    expect(Math.abs(area - 1)).toBeLessThan(2e-3);
    const step = 1e-6,
      up = { ...shape },
      down = { ...shape };
    mixedShape(0.07 + step, 0.05, up);
    mixedShape(0.07 - step, 0.05, down);
    expect((up.width - down.width) / (2 * step)).toBeCloseTo(shape.widthG, 5);
    expect((up.eta - down.eta) / (2 * step)).toBeCloseTo(shape.etaG, 4);
    mixedShape(1e-6, 0.1, shape);
    expect(shape.eta).toBeCloseTo(1, 4);
    // Asymmetry draws the profile to low angles below 90° and to high angles above.
    const lean = (theta: number): number => {
      const position = 2 * theta * 57.29578;
      const profile = directProfile(position, theta, 0.05, 0.02, 0.02, 0.02);
      return profile(position - 0.1) - profile(position + 0.1);
    };
    expect(lean(0.2)).toBeGreaterThan(0);
    expect(lean(1.3)).toBeLessThan(0);
  });
});

describe('derivatives of the fit', () => {
  const x = range(20, 70, 0.04);
  const phases: PhaseModel[] = [
    {
      ...newPhase('f', 'f', fromShelf('forsterite')),
      inverseSize: 0.02,
      strain: 0.8,
      orientation: { axis: [0, 1, 0], r: 0.8 },
      anisotropicSize: { axis: [0, 0, 1], inverseAcross: 0.03 },
    },
    {
      ...newPhase('z', 'z', fromShelf('zincite')),
      inverseSize: 0.015,
      strain: 0.4,
      stephens: [3, 3, 1, 5, 2, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0],
    },
  ];
  const pattern = flat(x);
  const model: FitModel = {
    phases,
    patterns: [
      {
        ...newPatternModel(
          pattern,
          { ...TRUE_INSTRUMENT, profile: { ...TRUE_INSTRUMENT.profile, sampleHeight: 0.01, detectorHeight: 0.01 } },
          2,
          4,
        ),
        scales: [3e-3, 2e-3],
        displacement: 0.03,
        background: { chebyshev: [50, 3, -2, 1], peaks: [{ position: 30, height: 20, width: 8 }], points: [] },
      },
    ],
  };
  const kinds = [
    'background',
    'scale',
    'zero',
    'displacement',
    'cell',
    'size',
    'strain',
    'strain by direction',
    'orientation',
    'positions',
    'U',
    'instrument widths',
    'overall U',
  ];
  for (const kind of kinds)
    it(`agree with differences: ${kind}`, () => {
      const problem = new FitProblem(model, [pattern], new Set([kind]));
      const n = problem.map.independent;
      expect(n).toBeGreaterThan(0);
      const base = problem.values.slice();
      const c = problem.calculators[0]!.calculate();
      const columns = problem.design(0, c);
      for (let q = 0; q < n; q++) {
        const direction = new Float64Array(problem.map.physical);
        let size = 0;
        for (let p = 0; p < problem.map.physical; p++)
          for (let e = problem.map.start[p]!; e < problem.map.start[p + 1]!; e++)
            if (problem.map.column[e] === q) {
              direction[p] = problem.map.value[e]!;
              size = Math.max(size, Math.abs(base[p]!));
            }
        const step =
          kind === 'cell' ? 1e-7 * Math.max(size, 1e-3) : kind === 'scale' ? 1e-7 : kind === 'positions' ? 1e-6 : 1e-5;
        const side = (sign: number): Float64Array => {
          problem.take(base.map((v, i) => v + sign * step * direction[i]!));
          return problem.calculators[0]!.calculate().calculated.slice();
        };
        const up = side(1),
          down = side(-1);
        problem.take(base);
        let top = 0,
          off = 0;
        for (let i = 0; i < x.length; i++) {
          const d = (up[i]! - down[i]!) / (2 * step);
          top = Math.max(top, Math.abs(d));
          off = Math.max(off, Math.abs(d - columns[q]![i]!));
        }
        // Derivatives are followed down to a thousandth of a peak's height; |F|² is taken to follow the cell too slowly to matter.
        expect(off / top, problem.nameOf(q)).toBeLessThan(kind === 'cell' ? 0.03 : 0.012);
      }
    });
});

describe('fits of the demo sets', () => {
  it('Frit 12: the weighed fractions, the stretched cell and the sizes', async () => {
    const run = await quantify(demoPattern('frit-12.xy'), [
      ['Yamabuki', fromShelf('yamabuki-frit')],
      ['Kurobane blue', fromShelf('kurobane-blue')],
    ]);
    const t = truth('frit-12'),
      w = run.result.patterns[0]!.weightFractions;
    expect(run.result.s).toBeLessThan(1.3);
    t.phases.forEach((p, i) => {
      expect(Math.abs(w[i]!.value - p.weight)).toBeLessThan(0.01);
      expect(Math.abs(w[i]!.value - p.weight)).toBeLessThan(3 * w[i]!.su);
      const f = run.result.phases[i]!;
      expect(Math.abs(f.cell.a - p.cell.a)).toBeLessThan(3 * f.cellSu[0]!);
      expect(Math.abs(f.cell.c - p.cell.c)).toBeLessThan(3 * f.cellSu[2]!);
    });
    expect(Math.abs(run.result.phases[0]!.size!.value / t.phases[0]!.size - 1)).toBeLessThan(0.1);
    expect(run.stages.every((s) => !s.undone)).toBe(true);
  }, 120_000);

  it(
    'Frit 31: four phases, the oriented one found, the minor one within 1.5 %',
    { tags: 'long', timeout: 240_000 },
    async () => {
      const run = await quantify(
        demoPattern('frit-31.xye'),
        ['corundum', 'zircon', 'brucite', 'rutile'].map((id) => [id, fromShelf(id)]),
      );
      const t = truth('frit-31');
      run.result.patterns[0]!.weightFractions.forEach((w, i) =>
        expect(Math.abs(w!.value - t.phases[i]!.weight)).toBeLessThan(0.015),
      );
      expect(run.model.phases[2]!.orientation!.axis).toEqual([0, 0, 1]);
      expect(Math.abs(run.result.phases[2]!.orientation!.value - 0.66)).toBeLessThan(0.03);
      expect(run.result.s).toBeLessThan(1.3);
    },
  );

  it('Bengara, fine: the size within a tenth', async () => {
    const run = await quantify(demoPattern('bengara-nano.xy'), [['Bengara', fromShelf('bengara')]], kiln(), 'size');
    expect(Math.abs(run.result.phases[0]!.size!.value / 11 - 1)).toBeLessThan(0.1);
  }, 120_000);

  it('the standard gives the instrument its zero and axial divergence', async () => {
    const start: Instrument = {
      ...TRUE_INSTRUMENT,
      zero: 0,
      profile: { u: 0.004, v: -0.003, w: 0.005, x: 0.01, y: 0.02, sampleHeight: 0.015, detectorHeight: 0.015 },
    };
    const run = await quantify(demoPattern('standard.xy'), [['Silicon', fromShelf('silicon')]], start, 'instrument');
    expect(Math.abs(run.model.patterns[0]!.zero - TRUE_INSTRUMENT.zero)).toBeLessThan(0.001);
    expect(Math.abs(run.model.patterns[0]!.instrument.profile.sampleHeight - 0.018)).toBeLessThan(0.001);
    expect(run.result.s).toBeLessThan(1.1);
  }, 120_000);

  it(
    'converges from cells half a percent off, one up and one down, and a phase that is not there ends at nothing',
    { tags: 'long', timeout: 240_000 },
    async () => {
      const pattern = demoPattern('titania-06.xy'),
        t = truth('titania-06');
      const run = await quantify(pattern, [
        ['Anatase', stretched(fromShelf('anatase'), 1.005)],
        ['Rutile', stretched(fromShelf('rutile'), 0.995)],
        ['Zinc oxide', fromShelf('zincite')],
      ]);
      const w = run.result.patterns[0]!.weightFractions;
      expect(Math.abs(w[0]!.value - t.phases[0]!.weight)).toBeLessThan(0.01);
      expect(Math.abs(w[2]!.value)).toBeLessThan(3 * w[2]!.su);
      expect(Math.abs(run.result.phases[0]!.cell.a / t.phases[0]!.cell.a - 1)).toBeLessThan(2e-4);
    },
  );

  it(
    'an instrument nobody has calibrated: its zero and widths follow the pattern, amounts and cells are right within their s.u.',
    { tags: 'long' },
    async () => {
      const sharp: Instrument = {
        ...TRUE_INSTRUMENT,
        zero: 0.03,
        profile: { u: 0.002, v: -0.001, w: 0.0015, x: 0, y: 0, sampleHeight: 0, detectorHeight: 0 },
      };
      const rutile = stretched(fromShelf('rutile'), 1.003),
        random = seededRandom(4);
      const pattern = measurePowder(
        'm',
        [
          { name: 'r', structure: rutile, weight: 0.3, size: 60, strain: 0.4 },
          { name: 'p', structure: fromShelf('periclase'), weight: 0.7, size: 90, strain: 0.2 },
        ],
        {
          from: 20,
          to: 105,
          step: 0.025,
          instrument: sharp,
          counts: 8000,
          background: () => 150,
          displacement: 0,
          zero: 0,
        },
        random,
      );
      const run = await quantify(
        pattern,
        [
          ['Rutile', fromShelf('rutile')],
          ['Periclase', fromShelf('periclase')],
        ],
        USUAL_INSTRUMENT,
      );
      expect(run.result.s).toBeLessThan(1.3);
      expect(run.stages.find((s) => s.title === 'Widths')!.note).toMatch(/not calibrated/);
      const w = run.result.patterns[0]!.weightFractions[0]!,
        f = run.result.phases[0]!;
      expect(Math.abs(w.value - 0.3)).toBeLessThan(0.01);
      expect(Math.abs(f.cell.a - rutile.cell.a)).toBeLessThan(3 * f.cellSu[0]!);
    },
  );

  it('scales a factor of ten off come back in one step', () => {
    const pattern = demoPattern('frit-12.xy');
    const phases = [newPhase('b', 'b', fromShelf('kurobane-blue'))];
    const once = linearScales(pattern, newPatternModel(pattern, kiln(), 1, 6), phases);
    const again = linearScales(pattern, { ...once, scales: [10 * once.scales[0]!] }, phases);
    expect(again.scales[0]! / once.scales[0]!).toBeCloseTo(1, 9);
  });
});

describe('without a structure', () => {
  it('Le Bail and Pawley give intensities of the true structure; a cancelled run keeps its stages', async () => {
    const g = germanate(),
      random = seededRandom(3);
    const instrument: Instrument = {
      ...TRUE_INSTRUMENT,
      profile: { ...TRUE_INSTRUMENT.profile, sampleHeight: 0, detectorHeight: 0 },
    };
    const pattern = measurePowder(
      'u',
      [{ name: 'u', structure: g, weight: 1, size: 200, strain: 0.1 }],
      { from: 15, to: 60, step: 0.02, instrument, counts: 20000, background: () => 120, displacement: 0, zero: 0 },
      random,
    );
    for (const extraction of ['Le Bail', 'Pawley'] as const) {
      const phase: PhaseModel = {
        ...newPhase('u', 'u', { ...g, sites: [] }),
        extraction,
        inverseSize: 1 / 200,
        strain: 0.1,
      };
      const base: FitModel = {
        phases: [phase],
        patterns: [{ ...newPatternModel(pattern, instrument, 1, 3), scales: [1] }],
      };
      const out = await fitStage(
        base,
        [pattern],
        {
          free: new Set(['background', ...(extraction === 'Pawley' ? ['intensities:u'] : [])]),
          cycles: extraction === 'Pawley' ? 8 : 25,
        },
        quiet(),
      );
      expect(out.figures.s, extraction).toBeLessThan(1.4);
      const raw = extractedReflections(out.model, 0, pattern);
      let top = 0,
        bottom = 0,
        sum = 0,
        direct = 0;
      const rows: [number, number][] = [];
      for (let i = 0; i < raw.count; i++)
        if (raw.h[i]! >= 0 && raw.k[i]! >= 0 && raw.l[i]! >= 0) {
          const f2 = directF2(g, raw.h[i]!, raw.k[i]!, raw.l[i]!, 1.54059);
          rows.push([raw.intensity[i]!, f2]);
          sum += raw.intensity[i]!;
          direct += f2;
        }
      for (const [a, b] of rows) {
        top += Math.abs(a - (b * sum) / direct);
        bottom += a;
      }
      expect(rows.length).toBeGreaterThan(40);
      expect(top / bottom, extraction).toBeLessThan(0.12);
    }
    let stage = 0;
    const stopping: TaskContext<{ stage: number; done?: unknown }> = {
      progress: (r) => {
        if (r.done) stage = r.stage;
      },
      breath: async () => {
        if (stage >= 2) {
          const { Cancelled } = await import('@nagare/core/task-context');
          throw new Cancelled();
        }
      },
      parallel: 1,
    };
    const stopped = await runRecipe(
      {
        model: { phases: [newPhase('u', 'u', g)], patterns: [newPatternModel(pattern, instrument, 1, 3)] },
        patterns: [pattern],
        recipe: 'cell',
      },
      stopping as never,
    );
    expect(stopped.stopped).toBe(true);
    expect(stopped.stages.length).toBeGreaterThanOrEqual(2);
    expect(stopped.stages.length).toBeLessThan(6);
  }, 120_000);
});

describe('a molecule', () => {
  it('is turned, moved and twisted to where it stands, from its shape alone', { tags: 'long' }, async () => {
    const { structure: s } = testCrystal('OCc1ccc(Cl)nc1', 'P 21 21 21', 14, { dMin: 1.5, repeats: 1 });
    const molecule = looseMolecule(s);
    expect(molecule.elements.length).toBe(s.sites.length);
    const torsions = freeTorsions(molecule);
    expect(torsions.length).toBe(1);
    // Twisted by a radian, so that the shape itself is not given away.
    const t = torsions[0]!,
      axis = normalize(subtract(molecule.positions[t.to]!, molecule.positions[t.from]!));
    const twisted = {
      ...molecule,
      positions: molecule.positions.map((p, i) =>
        t.moving.includes(i)
          ? add(molecule.positions[t.to]!, turn(subtract(p, molecule.positions[t.to]!), axis, 1))
          : p,
      ),
    };
    const list = powderReflections(s.cell, s.spaceGroup, 1.6),
      work = new PhaseWork(newPhase('x', 'x', s), 1.54, 1.6, list);
    const position = Float64Array.from({ length: list.count }, (_, i) => i * 0.1);
    const intensities = groupIntensities({
      ...list,
      position,
      width: position.map((_, i) => (i % 5 ? 0.12 : 0.2)),
      f2: work.f2,
    });
    expect(intensities.observed.length).toBeLessThan(list.count);
    const found = await placeMolecule(
      { cell: s.cell, spaceGroup: s.spaceGroup, molecule: twisted, intensities, seed: 3, seconds: 60 },
      quiet(),
    );
    expect(found.r).toBeLessThan(0.15);
    expect(found.torsions).toBe(1);
    await expect(
      placeMolecule(
        {
          cell: s.cell,
          spaceGroup: s.spaceGroup,
          molecule: { elements: ['H'], positions: [[0, 0, 0]], bonds: [] },
          intensities,
          seed: 1,
          seconds: 1,
        },
        quiet(),
      ),
    ).rejects.toThrow(/no molecule/);
    expect(() => looseMolecule(fromShelf('quartz'))).toThrow(/framework/);
  });
});

describe('several patterns at once', () => {
  it('share one cell and give each its own scale', async () => {
    const random = seededRandom(9),
      s = stretched(fromShelf('periclase'), 1.001);
    const one = (counts: number): Pattern =>
      measurePowder(
        'p',
        [{ name: 'p', structure: s, weight: 1, size: 60, strain: 0.3 }],
        {
          from: 30,
          to: 90,
          step: 0.03,
          instrument: {
            ...TRUE_INSTRUMENT,
            profile: { ...TRUE_INSTRUMENT.profile, sampleHeight: 0, detectorHeight: 0 },
          },
          counts,
          background: () => 60,
          displacement: 0,
          zero: 0,
        },
        random,
      );
    const patterns = [one(4000), one(1500)],
      instrument = { ...TRUE_INSTRUMENT, profile: { ...TRUE_INSTRUMENT.profile, sampleHeight: 0, detectorHeight: 0 } };
    const model: FitModel = {
      phases: [{ ...newPhase('p', 'p', s), inverseSize: 1 / 60, strain: 0.3 }],
      patterns: patterns.map((p) => linearScales(p, newPatternModel(p, instrument, 1, 3), [newPhase('p', 'p', s)])),
    };
    const out = await fitStage(
      model,
      patterns,
      { free: new Set(['background', 'scale', 'cell']), cycles: 10 },
      quiet(),
    );
    const { result } = await readFit(out.problem, quietContext());
    expect(Math.abs(result.phases[0]!.cell.a - s.cell.a)).toBeLessThan(3.5 * result.phases[0]!.cellSu[0]!);
    expect(out.model.patterns[0]!.scales[0]! / out.model.patterns[1]!.scales[0]!).toBeGreaterThan(2);
    expect(result.s).toBeLessThan(1.2);
  }, 60_000);
});

describe('the shelf', () => {
  it('has sound structures: no implausible contacts, densities that fit their cells', () => {
    const all = shippedShelf();
    expect(all.length).toBeGreaterThanOrEqual(80);
    expect(new Set(all.map((e) => e.id)).size).toBe(all.length);
    for (const e of all)
      expect(
        e.warnings.filter((w) => w.startsWith('implausibly')),
        e.id,
      ).toEqual([]);
  });
});
