/** The workshop's glazes and frits as powder patterns, with the truth behind them. Run with `npm run demo -- powder`. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { anodeLines, type Instrument, type Pattern } from '@nagare/core/crystal/pattern';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import type { Structure } from '@nagare/core/crystal/structure';
import { instrumentText } from '@nagare/core/formats/pattern-file';
import { seededRandom } from '@nagare/core/math/random';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import { runRecipe } from '@nagare/core/powder/recipes';
import { CifWriter } from '@nagare/core/publish/cif-writer';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { quietContext } from '@nagare/core/task-context';
import { measurePowder, type PowderMeasurement, type PowderPhase } from './powder.ts';

const here = new URL('..', import.meta.url).pathname;

/** The workshop's diffractometer as it truly is. */
export const TRUE_INSTRUMENT: Instrument = {
  name: 'Kiln diffractometer',
  lines: anodeLines('Cu'),
  geometry: 'flat specimen',
  monochromator: 0,
  radius: 217.5,
  zero: 0.023,
  profile: { u: 0.0035, v: -0.0028, w: 0.0042, x: 0.008, y: 0.021, sampleHeight: 0.018, detectorHeight: 0.018 },
};

export const fromShelf = (id: string): Structure => {
  const entry = shippedShelf().find((e) => e.id === id);
  if (!entry) throw new RangeError(`The shelf has no "${id}".`);
  return entry.structure;
};

export const stretched = (s: Structure, a: number, c = a): Structure => ({
  ...s,
  cell: { ...s.cell, a: s.cell.a * a, b: s.cell.b * a, c: s.cell.c * c },
});

/** A made-up germanate of the olivine type: what the unknown turns out to be. */
export function germanate(): Structure {
  const base = fromShelf('forsterite');
  const element: Record<string, string> = { Mg1: 'Zn', Mg2: 'Mg', Si1: 'Ge' };
  return {
    cell: { a: 4.9312, b: 10.3874, c: 6.0731, alpha: 90, beta: 90, gamma: 90 },
    spaceGroup: spaceGroupFromSymbol('P b n m'),
    sites: base.sites.map((x) => ({
      ...x,
      element: element[x.label] ?? x.element,
      label: x.label === 'Mg1' ? 'Zn1' : x.label === 'Mg2' ? 'Mg1' : x.label === 'Si1' ? 'Ge1' : x.label,
    })),
  };
}

export interface PowderSet {
  file: string;
  name: string;
  phases: PowderPhase[];
  measurement: Partial<PowderMeasurement>;
  seed: number;
  glass?: number;
  format: 'xy' | 'xye' | 'cif';
}

export const usual: PowderMeasurement = {
  from: 15,
  to: 110,
  step: 0.02,
  instrument: TRUE_INSTRUMENT,
  counts: 9000,
  background: (x) => 150 + 900 / x - 0.4 * x,
  displacement: 0.04,
  zero: 0,
};

export const SETS: PowderSet[] = [
  {
    file: 'frit-12',
    name: 'Frit 12',
    seed: 101,
    glass: 120,
    format: 'xy',
    measurement: { displacement: 0.05 },
    phases: [
      {
        name: 'Yamabuki',
        structure: stretched(fromShelf('yamabuki-frit'), 1.0045, 1.005),
        weight: 0.58,
        size: 45,
        strain: 0.6,
      },
      { name: 'Kurobane blue', structure: fromShelf('kurobane-blue'), weight: 0.42, size: 80, strain: 0.3 },
    ],
  },
  {
    file: 'frit-31',
    name: 'Frit 31',
    seed: 103,
    glass: 60,
    format: 'xye',
    measurement: { counts: 14000, displacement: -0.03 },
    phases: [
      { name: 'Corundum', structure: fromShelf('corundum'), weight: 0.41, size: 150, strain: 0.2 },
      { name: 'Zircon', structure: fromShelf('zircon'), weight: 0.37, size: 120, strain: 0.3 },
      {
        name: 'Brucite',
        structure: fromShelf('brucite'),
        weight: 0.2,
        size: 60,
        strain: 0.5,
        orientation: { axis: [0, 0, 1], r: 0.66 },
      },
      { name: 'Rutile', structure: fromShelf('rutile'), weight: 0.02, size: 100, strain: 0.2 },
    ],
  },
  {
    file: 'bengara-nano',
    name: 'Bengara, fine',
    seed: 107,
    format: 'xy',
    measurement: { from: 18, step: 0.03, counts: 2600 },
    phases: [{ name: 'Bengara', structure: fromShelf('bengara'), weight: 1, size: 11, strain: 1.2 }],
  },
  {
    file: 'hatsuyuki',
    name: 'Hatsuyuki',
    seed: 109,
    format: 'cif',
    measurement: { from: 10, to: 120, counts: 22000, displacement: 0 },
    phases: [{ name: 'Hatsuyuki', structure: germanate(), weight: 1, size: 300, strain: 0.1 }],
  },
  {
    file: 'standard',
    name: 'Silicon standard',
    seed: 113,
    format: 'xy',
    measurement: { from: 20, to: 130, counts: 30000, displacement: 0, background: (x) => 90 - 0.2 * x },
    phases: [{ name: 'Silicon', structure: fromShelf('silicon'), weight: 1, size: 2000, strain: 0 }],
  },
];

/** Twelve temperatures: anatase turns to rutile and both expand. */
export function seriesPhases(k: number): { phases: PowderPhase[]; temperature: number } {
  const temperature = 300 + 50 * k,
    dt = temperature - 295;
  const share = 1 / (1 + Math.exp((temperature - 620) / 55));
  return {
    temperature,
    phases: [
      {
        name: 'Anatase',
        structure: stretched(fromShelf('anatase'), 1 + 7.6e-6 * dt, 1 + 8.2e-6 * dt),
        weight: share,
        size: 28 + 0.02 * dt,
        strain: 0.5,
      },
      {
        name: 'Rutile',
        structure: stretched(fromShelf('rutile'), 1 + 8.2e-6 * dt, 1 + 9.8e-6 * dt),
        weight: 1 - share,
        size: 90,
        strain: 0.2,
      },
    ].filter((p) => p.weight > 0.002),
  };
}

const columns = (p: Pattern, format: 'xy' | 'xye', head: string): string =>
  `${head}${Array.from(p.twoTheta, (t, i) => `${t.toFixed(4)} ${p.intensity[i]}${format === 'xye' ? ` ${p.sigma[i]!.toFixed(3)}` : ''}`).join('\n')}\n`;

function patternCif(name: string, p: Pattern, i: Instrument): string {
  const w = new CifWriter(name);
  w.item('_audit_creation_method', 'Nagare demo generator: made-up specimen, simulated counts')
    .item('_pd_instr_geometry', 'flat specimen, reflection')
    .item('_diffrn_radiation_type', 'CuK\\a')
    .blank();
  w.loop(
    ['_diffrn_radiation_wavelength_id', '_diffrn_radiation_wavelength', '_diffrn_radiation_wavelength_wt'],
    i.lines.map((l, k) => [k + 1, l.wavelength.toFixed(5), l.weight]),
  );
  w.loop(
    ['_pd_meas_2theta_scan', '_pd_meas_counts_total'],
    Array.from(p.twoTheta, (t, k) => [t.toFixed(4), p.intensity[k]!]),
  );
  return w.toString();
}

export async function writePowderSets(): Promise<void> {
  mkdirSync(`${here}data`, { recursive: true });
  mkdirSync(`${here}truth`, { recursive: true });
  const say = (text: string): void => void process.stdout.write(`${text}\n`);
  for (const set of SETS) {
    const m = { ...usual, ...set.measurement };
    const p = measurePowder(set.file, set.phases, m, seededRandom(set.seed), set.glass ?? 0);
    const head = `# ${set.name}, Kurobane Kiln archive (made up)\n# 2theta  counts${set.format === 'xye' ? '  s.u.' : ''}\n`;
    writeFileSync(
      `${here}data/${set.file}.${set.format}`,
      set.format === 'cif' ? patternCif(set.file, p, m.instrument) : columns(p, set.format, head),
    );
    writeFileSync(
      `${here}truth/${set.file}.json`,
      `${JSON.stringify({ phases: set.phases.map(({ structure, ...x }) => ({ ...x, cell: structure.cell })), displacement: m.displacement }, null, 1)}\n`,
    );
    say(`${set.name}: ${p.twoTheta.length} points`);
    if (set.file === 'hatsuyuki')
      writeFileSync(
        `${here}truth/hatsuyuki.cif`,
        structureCif({
          name: 'hatsuyuki-truth',
          structure: set.phases[0]!.structure,
          experiment: { kept: {} },
          date: '2026-11-23',
        }),
      );
    if (set.file === 'standard') {
      // The workshop's instrument is what its own standard says it is.
      const start: Instrument = {
        ...TRUE_INSTRUMENT,
        zero: 0,
        profile: { u: 0.004, v: -0.003, w: 0.005, x: 0.01, y: 0.02, sampleHeight: 0.015, detectorHeight: 0.015 },
      };
      const run = await runRecipe(
        {
          model: {
            phases: [newPhase('si', 'Silicon', fromShelf('silicon'))],
            patterns: [newPatternModel(p, start, 1, 6)],
          },
          patterns: [p],
          recipe: 'instrument',
        },
        quietContext() as never,
      );
      const pm = run.model.patterns[0]!;
      const r6 = (x: number): number => Number(x.toFixed(6));
      const profile = Object.fromEntries(
        Object.entries(pm.instrument.profile).map(([k, v]) => [k, r6(v)]),
      ) as unknown as Instrument['profile'];
      writeFileSync(
        `${here}data/kiln-diffractometer.json`,
        instrumentText({ ...start, zero: r6(pm.zero), profile, calibrated: 'the silicon standard of the archive' }),
      );
      say(`instrument: ${run.message}`);
    }
  }
  for (let k = 0; k < 12; k++) {
    const { phases, temperature } = seriesPhases(k);
    const p = measurePowder(
      `titania-${temperature}K`,
      phases,
      { ...usual, from: 22, to: 80, step: 0.025, counts: 6000, displacement: 0.02 },
      seededRandom(200 + k),
    );
    writeFileSync(
      `${here}data/titania-${String(k + 1).padStart(2, '0')}.xy`,
      columns(
        p,
        'xy',
        `# Titania series, Kurobane Kiln archive (made up)\n# temperature ${temperature} K\n# 2theta  counts\n`,
      ),
    );
    writeFileSync(
      `${here}truth/titania-${String(k + 1).padStart(2, '0')}.json`,
      `${JSON.stringify({ temperature, phases: phases.map(({ structure, ...x }) => ({ ...x, cell: structure.cell })) }, null, 1)}\n`,
    );
  }
  say('Titania: 12 patterns');
}
