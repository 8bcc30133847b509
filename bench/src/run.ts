/** Benchmarks: each prints a ratio against a reference measured in the same run, so that machines can be compared. `npm run bench`. */
import { experiment } from '@nagare/core/crystal/experiment';
import { NormalEquations } from '@nagare/core/refine/normal-equations';
import { siteArrays, SingleCrystalProblem } from '@nagare/core/refine/single-crystal-problem';
import { quietContext } from '@nagare/core/task-context';
import { RealFft3, gridSize, halfSize } from '@nagare/core/math/fft';
import { choleskyInPlace, choleskySolve } from '@nagare/core/math/linear';
import { seededRandom } from '@nagare/core/math/random';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { rotationsOf } from '@nagare/core/crystal/point-group';
import { RawBuilder } from '@nagare/core/crystal/reflections';
import type { Cell } from '@nagare/core/crystal/cell';
import type { Structure } from '@nagare/core/crystal/structure';
import { mergeReflections } from '@nagare/core/data/merge';
import { positionOf } from '@nagare/core/crystal/atom-ref';
import { atomsOfExtent } from '@nagare/core/draw/extent';
import { bonds } from '@nagare/core/geometry/bonds';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { Surroundings } from '@nagare/core/geometry/coordination';
import { readRing, ringRelations } from '@nagare/core/geometry/ring-readings';
import { findRings } from '@nagare/core/geometry/rings';
import { parseCif } from '@nagare/core/formats/cif-parser';
import { buildScene } from '@nagare/core/draw/build-scene';
import { readFileSync } from 'node:fs';
import { laueRotations } from '@nagare/core/crystal/point-group';
import { neighbours } from '@nagare/core/crystal/neighbours';
import { scatteringTable, SiteSums, type ScatteringProvider } from '@nagare/core/scattering/structure-factors';
import { recognise } from '@nagare/core/formats/recognise';
import { scaleObservations } from '@nagare/core/data/scaling';
import { residualOf } from '@nagare/core/settle/stage';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { symmetryReport } from '@nagare/core/symmetry/report';
import type { VetInput } from '@nagare/core/vet/context';
import { vet } from '@nagare/core/vet/registry';
import { USUAL_INSTRUMENT } from '@nagare/core/crystal/pattern';
import { FitProblem } from '@nagare/core/powder/assemble';
import { PatternCalculator } from '@nagare/core/powder/engine';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { buildLines } from './build-lines.ts';
import { cage } from './cage.ts';
import { contactLines } from './contact-lines.ts';
import { depictLines } from './depict-lines.ts';
import { spaceLines } from './space-lines.ts';
import { waveLines } from './wave-lines.ts';

const random = seededRandom(1);
/** Best of several, ms. */
async function time(f: () => unknown, times = 3): Promise<number> {
  let best = Infinity;
  for (let i = 0; i < times; i++) {
    const t = performance.now();
    await f();
    best = Math.min(best, performance.now() - t);
  }
  return best;
}
const say = (what: string, ms: number, reference: string, base: number): void =>
  void process.stdout.write(
    `${what.padEnd(52)} ${ms.toFixed(1).padStart(8)} ms = ${(ms / base).toFixed(2).padStart(6)} × ${reference}\n`,
  );
const cubic = (a: number): Cell => ({ a, b: a, c: a, alpha: 90, beta: 90, gamma: 90 });
const site = (i: number, position: readonly [number, number, number]): Structure['sites'][number] => ({
  id: `${i}`,
  label: `C${i}`,
  element: i % 4 ? 'C' : 'O',
  position,
  occupancy: 1,
  displacement: { kind: 'aniso', u: [0.03, 0.03, 0.04, 0, 0, 0.004] },
});

/** Multiply-adds per ms of a plain typed-array loop: the yardstick. */
const a = Float64Array.from({ length: 1000 }, () => random.next()),
  b = Float64Array.from({ length: 1000 }, () => random.next()),
  out = new Float64Array(1000);
const rate =
  1e6 /
  (await time(() => {
    for (let k = 0; k < 1000; k++) {
      const f = a[k]!;
      for (let i = 0; i < 1000; i++) out[i]! += f * b[i]!;
    }
  }, 20));
process.stdout.write(`bare multiply-add loop: ${(rate / 1e6).toFixed(2)} G/s\n`);

/** One cycle (design matrix, normal equations, solution) against the arithmetic of the normal matrix alone. */
async function leastSquares(atoms: number, reflections: number, held: boolean): Promise<void> {
  const b = atoms * 0.42;
  const s: Structure = {
    cell: { a: 9.1, b, c: 9.3, alpha: 90, beta: 105, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
    sites: Array.from({ length: atoms }, (_, i) => site(i, [random.next(), random.next(), random.next()])),
  };
  const h: number[] = [],
    k: number[] = [],
    l: number[] = [];
  for (let i = -18; i <= 18; i++)
    for (let j = 1; j <= 60; j++)
      for (let m = 1; m <= 18; m++)
        if (h.length < reflections) {
          h.push(i);
          k.push(j);
          l.push(m);
        }
  const merged = {
    count: h.length,
    h: Int16Array.from(h),
    k: Int16Array.from(k),
    l: Int16Array.from(l),
    fsq: Float64Array.from(h, () => 100 * random.next()),
    sigma: new Float64Array(h.length).fill(1),
    multiplicity: new Uint16Array(h.length).fill(1),
  };
  const ids = s.sites.map((x) => x.id);
  const controls = {
    hydrogens: [],
    occupancies: [],
    constraints: [{ id: 'c', kind: 'rigid group' as const, sites: ids.slice(0, 6) }],
    restraints: [
      { id: 'r', kind: 'similar displacement' as const, sites: ids.slice(6, 30), su: 0.02 },
      {
        id: 'd',
        kind: 'distance' as const,
        pairs: ids.slice(30, 50).map((x, n) => [x, ids[n]!] as const),
        target: 1.5,
        su: 0.02,
      },
    ],
  };
  const problem = new SingleCrystalProblem(
    experiment(held ? { ...s, controls } : s, merged, 0.71075, { weights: { a: 0.1, b: 0 } }),
    { cycles: 1, optimizeWeights: false },
  );
  const n = problem.map.independent;
  const arithmetic = (((n * (n + 1)) / 2) * problem.used.length) / rate;
  const cycle = await time(
    async () => {
      const { normal } = await problem.assemble(quietContext());
      const m = normal.complete();
      choleskyInPlace(m, n);
      choleskySolve(m, n, normal.vector);
    },
    atoms > 60 ? 2 : 3,
  );
  say(
    `least-squares cycle, ${n} parameters × ${problem.used.length} reflections${held ? `, ${problem.restraints.length} restraints` : ''}`,
    cycle,
    'normal-matrix arithmetic at the bare rate (aim: at most 2)',
    arithmetic,
  );
}
await leastSquares(50, 8000, false);
await leastSquares(111, 20_000, false);
await leastSquares(111, 20_000, true);
{
  const normal = new NormalEquations(451);
  say(
    '  of which the normal matrix (451 × 8 000)',
    await time(() => {
      for (let r = 0; r < 8000; r++) {
        normal.row.fill(0.5);
        normal.push(1);
      }
      normal.complete();
    }, 1),
    'its arithmetic',
    (((451 * 452) / 2) * 8000) / rate,
  );
}
{
  const fft = new RealFft3({ nx: 96, ny: 96, nz: 96 });
  const rho = Float64Array.from({ length: gridSize(fft.grid) }, () => random.normal());
  const re = new Float64Array(halfSize(fft.grid)),
    im = new Float64Array(halfSize(fft.grid));
  say(
    'real Fourier transform, 96³',
    await time(() => fft.forward(rho, re, im), 5),
    '2.5 N log₂N operations at the bare rate',
    (2.5 * 96 ** 3 * Math.log2(96 ** 3)) / rate,
  );
}
{
  const builder = new RawBuilder();
  const index = (): number => Math.floor(random.next() * 41) - 20;
  for (let i = 0; i < 500_000; i++) builder.push(index(), index(), index(), 100 * random.next(), 2);
  const raw = builder.build(false);
  say(
    'merging 500 000 reflections in mmm',
    await time(() => mergeReflections(raw, cubic(18), rotationsOf(spaceGroupFromSymbol('P m m m'))), 2),
    'sorting as many numbers',
    await time(() => raw.intensity.slice().sort(), 2),
  );
}
{
  const rows = [
    'data_big',
    'loop_',
    '_diffrn_refln_index_h',
    '_diffrn_refln_index_k',
    '_diffrn_refln_index_l',
    '_diffrn_refln_intensity_net',
    '_diffrn_refln_intensity_u',
  ];
  while (rows.length < 820_000)
    rows.push(`${rows.length % 30} ${rows.length % 17} ${rows.length % 23} ${(rows.length * 1.37).toFixed(2)} 12.50`);
  const text = rows.join('\n');
  say(
    `parsing a CIF of ${(text.length / 1e6).toFixed(0)} MB`,
    await time(() => parseCif(text), 2),
    'splitting it at blanks',
    await time(() => text.split(/\s+/).length, 2),
  );
}
{
  const s: Structure = {
    cell: cubic(50),
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: Array.from({ length: 10_000 }, (_, i) =>
      site(i, [(i % 22) / 22.1, (Math.floor(i / 22) % 22) / 22.1, Math.floor(i / 484) / 22.1]),
    ),
  };
  say(
    'scene of 10 000 atoms with ellipsoids and bonds',
    await time(
      () =>
        buildScene(
          { ...s },
          { rules: [{ which: { kind: 'all' }, style: { look: 'ellipsoids' } }], showCell: true },
          { width: 800, height: 600 },
        ),
      5,
    ),
    'copying the structure through JSON',
    await time(() => JSON.parse(JSON.stringify(s)) as unknown, 2),
  );
}

/** A framework of 810 atoms in the cell, without symmetry: what is bonded, drawn as polyhedra, and around each centre. */
{
  const quartz = shippedShelf().find((e) => e.id === 'quartz')!.structure;
  const times = [6, 5, 3] as const;
  const cell = {
    ...quartz.cell,
    a: quartz.cell.a * times[0],
    b: quartz.cell.b * times[1],
    c: quartz.cell.c * times[2],
  };
  const places = atomsOfExtent(quartz, { kind: 'cell' });
  const inCell = places.map((p) => ({ site: quartz.sites.find((x) => x.id === p.site)!, at: positionOf(quartz, p) }));
  const sites = Array.from({ length: times[0] * times[1] * times[2] }, (_, k) => [
    k % times[0],
    Math.floor(k / times[0]) % times[1],
    Math.floor(k / (times[0] * times[1])),
  ]).flatMap((shift, k) =>
    inCell.map(({ site: x, at }, i) => ({
      ...x,
      id: `${k}-${i}`,
      label: `${x.element}${k}-${i}`,
      position: at.map((v, axis) => (v + shift[axis]!) / times[axis]!) as never,
    })),
  );
  const framework = (): Structure => ({ cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites });
  const centre = { kind: 'element', element: 'Si' } as const;
  const base = await time(() => JSON.parse(JSON.stringify(framework())) as unknown, 3);
  const spent = async (what: string, f: (s: Structure) => unknown): Promise<void> =>
    say(
      `framework of ${sites.length} atoms: ${what}`,
      // As in a worker that has drawn before.
      await time(() => f(framework()), 15),
      'copying it through JSON',
      base,
    );
  await spent('bonds proposed and found', (s) => bonds(bonded(s)));
  await spent('the same, and drawn with polyhedra', (s) =>
    buildScene(
      s,
      { extent: { kind: 'closed cell' }, polyhedra: [{ centre, opacity: 0.7, edges: true, showCentre: true }] },
      { width: 800, height: 600 },
    ),
  );
  await spent('what surrounds every centre', (s) => {
    const around = new Surroundings(bonded(s));
    return around.centres().map((i) => around.read(i));
  });
}

await buildLines(time, say);
await contactLines(time, say);
await depictLines(time, say);
await spaceLines(time, say);
await waveLines(time, say);

/** Neighbours of a crystal of organic density without symmetry, each with bond-like reach, against a copy of the structure. */
for (const n of [1000, 10_000]) {
  const side = Math.cbrt(n * 10.5);
  const s: Structure = {
    cell: cubic(side),
    spaceGroup: spaceGroupFromSymbol('P 1'),
    sites: Array.from({ length: n }, (_, i) => site(i, [random.next(), random.next(), random.next()])),
  };
  const positions = s.sites.map((x) => x.position);
  say(
    `neighbours within 2.2 Å of ${n} sites in P 1`,
    await time(() => neighbours(s.cell, s.spaceGroup, positions, 2.2), 5),
    'copying the structure through JSON',
    await time(() => JSON.parse(JSON.stringify(s)) as unknown, 5),
  );
}

/** Rings of a cage of sixty atoms with their planes, and how every two within 7 Å lie to one another. */
{
  const s = cage(spaceGroupFromSymbol('P 1'));
  const fresh = (): Structure => ({ ...s, sites: [...s.sites] });
  const copying = await time(() => JSON.parse(JSON.stringify(s)) as unknown, 20);
  say(
    'rings and planes of a cage of 60',
    await time(() => {
      const own = fresh();
      findRings(own).forEach((r) => readRing(own, r));
    }, 5),
    'copying the structure through JSON',
    copying,
  );
  const rings = findRings(s);
  say(
    `  their relations within 7 Å (${ringRelations(s, rings, 7).length})`,
    await time(() => ringRelations(s, rings, 7), 3),
    'copying the structure through JSON',
    copying,
  );
}

/** Structure factors with derivatives as they are, and with a provider that speaks of one site in fifty: the fast case must not pay for it. */
{
  const s: Structure = {
    cell: { a: 9.1, b: 21, c: 9.3, alpha: 90, beta: 105, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P 1 21/c 1'),
    sites: Array.from({ length: 50 }, (_, i) => site(i, [random.next(), random.next(), random.next()])),
  };
  const indices = Array.from({ length: 4000 }, () => Array.from({ length: 3 }, () => Math.floor(30 * random.next())));
  const [h, k, l] = [0, 1, 2].map((c) => Int16Array.from(indices, (x) => x[c]!));
  const elements = ['C', 'O'];
  const table = scatteringTable(s.cell, s.spaceGroup, { count: 4000, h: h!, k: k!, l: l! }, elements, 0.71075);
  const sites = siteArrays(s, elements);
  const sums = (provider?: ScatteringProvider) => (): void => {
    const all = new SiteSums(table, sites, provider);
    for (let i = 0; i < table.count; i++) all.at(i, true);
  };
  const plain = await time(sums(), 8);
  const provider: ScatteringProvider = {
    covers: Uint8Array.from(s.sites, (_, j) => (j % 50 ? 0 : 1)),
    factor: (_j, _o, i, to) => {
      to[0] = table.f[i]!;
      to[1] = 0;
    },
  };
  say(
    'sums with derivatives, 50 sites × 4 000 reflections',
    plain,
    'normal-matrix arithmetic of as many',
    7.2e8 / rate,
  );
  say('  with a provider for one site in fifty', await time(sums(provider), 8), 'the same without', plain);
}

/** The vet and the symmetry report of a hundred atoms, against the bare loop's time for 10⁸ multiply-adds. */
{
  const base = 1e8 / rate;
  const crystal = recognise(
    readFileSync(new URL('../../demo/data/kihada-2.cif', import.meta.url), 'utf8'),
    'kihada-2',
  )[0]!;
  const s = crystal.structure!,
    merged = mergeForGroup(crystal.raw!, s.cell, s.spaceGroup);
  const { map } = residualOf(
    experiment(s, merged.reflections, crystal.experiment.wavelength!, { weights: { a: 0.1, b: 0 } }),
  );
  // A fresh structure each time: bonds are remembered for as long as one lives.
  const input = (): VetInput => ({
    structure: { ...s },
    experiment: crystal.experiment,
    wavelength: crystal.experiment.wavelength!,
    reflections: merged.reflections,
    statistics: merged.statistics,
    raw: crystal.raw!,
    peaks: map.peaks,
    holes: map.holes,
    residualSigma: map.sigma,
  });
  say(
    `vet of ${s.sites.length} atoms with ${merged.reflections.count} reflections`,
    await time(() => vet(input())),
    '10⁸ multiply-adds',
    base,
  );
  say(
    'symmetry report of the same',
    await time(() => symmetryReport({ ...s }, 0.25, crystal.raw!, quietContext() as never)),
    '10⁸ multiply-adds',
    base,
  );
  const plate = recognise(readFileSync(new URL('../../demo/data/enju-6.cif', import.meta.url), 'utf8'), 'enju-6')[0]!;
  say(
    `scaling of ${plate.raw!.count} observations, 53 parameters`,
    await time(() =>
      scaleObservations(plate.raw!, plate.cell!, laueRotations(rotationsOf(spaceGroupFromSymbol('P 1 21/c 1'))), {
        batches: true,
        decay: false,
        harmonics: 6,
      }),
    ),
    '10⁸ multiply-adds',
    base,
  );
}

/** The powder pattern as a constant is stepped, against as many bare exponentials as there are values of peaks on points; one least-squares cycle. */
{
  const x = Float64Array.from({ length: 8000 }, (_, i) => 10 + i * 0.0125);
  const pattern = {
    name: 'bench',
    twoTheta: x,
    intensity: x.map(() => 100),
    sigma: x.map(() => 10),
    sigmaFrom: 'counts' as const,
  };
  const structure = (id: string): Structure => shippedShelf().find((e) => e.id === id)!.structure;
  let phases = ['baddeleyite', 'forsterite', 'quartz'].map((id) => ({
    ...newPhase(id, id, structure(id)),
    inverseSize: 0.02,
    strain: 0.5,
  }));
  const whole = { ...newPatternModel(pattern, USUAL_INSTRUMENT, 3, 8), scales: [1e-3, 1e-3, 1e-3] };
  const calculator = new PatternCalculator(pattern, whole, phases);
  const reflections = calculator.works.reduce((n, w) => n + w.list.count, 0);
  const exponentials = Float64Array.from({ length: 1_000_000 }, (_, i) => -i / 1e6),
    sink = new Float64Array(1_000_000);
  const base = await time(() => {
    for (let i = 0; i < 1_000_000; i++) sink[i] = Math.exp(exponentials[i]!);
  }, 8);
  const step = (): void => {
    phases = phases.map((p) => ({
      ...p,
      structure: { ...p.structure, cell: { ...p.structure.cell, c: p.structure.cell.c + 1e-4 } },
    }));
    calculator.update(whole, phases);
    calculator.calculate();
  };
  say(
    `8 000 points, 3 phases, ${reflections} reflections, changed cells`,
    await time(step, 20),
    '10⁶ bare exponentials',
    base,
  );
  const problem = new FitProblem(
    { phases, patterns: [whole] },
    [pattern],
    new Set([
      'background',
      'scale',
      'zero',
      'displacement',
      'cell',
      'size',
      'strain',
      'overall U',
      'positions:quartz',
      'U:quartz',
      'positions:forsterite',
    ]),
  );
  const n = problem.map.independent;
  say(
    `least-squares cycle with ${n} parameters`,
    await time(async () => {
      const { normal } = await problem.assemble(quietContext());
      const m = normal.complete();
      choleskyInPlace(m, n);
      choleskySolve(m, n, normal.vector);
    }, 6),
    '10⁶ bare exponentials',
    base,
  );
}
