/** Powder work from a terminal: calculated patterns, fits, indexing, identification. */
import { readFileSync } from 'node:fs';
import { cellParameters } from '@nagare/core/crystal/cell';
import { singleLine, USUAL_INSTRUMENT, type Instrument, type Pattern } from '@nagare/core/crystal/pattern';
import { findElement } from '@nagare/core/crystal/elements';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { parseInstrument } from '@nagare/core/formats/pattern-file';
import { FileProblem } from '@nagare/core/formats/cif-parser';
import type { Recognised } from '@nagare/core/formats/recognise';
import { calculatedReflections } from '@nagare/core/powder/identify';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import { findPeaks, type Peak } from '@nagare/core/powder/peaks';
import { RECIPES, type RunReport } from '@nagare/core/powder/recipes';
import { fitCif } from '@nagare/core/publish/pattern-cif';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { breathingContext } from '@nagare/core/task-context';
import { doubtsTask, fitTask, identifyTask, indexTask } from '@nagare/core/tasks/powder-tasks';
import { writeOut } from './answer-file.ts';
import { BadInput, quiet, rounded, type Answer, type Say } from './answers.ts';

type Options = Record<string, string | boolean | undefined | string[]>;

function number(options: Options, name: string, fallback: number): number {
  const text = options[name];
  if (text === undefined) return fallback;
  const value = Number(text);
  if (!Number.isFinite(value) || value <= 0)
    throw new BadInput(`--${name} needs a positive number, not "${String(text)}".`);
  return value;
}

function instrumentOf(options: Options, file?: Recognised): Instrument {
  let instrument = USUAL_INSTRUMENT;
  if (typeof options['instrument'] === 'string') {
    let text: string;
    try {
      text = readFileSync(options['instrument'], 'utf8');
    } catch {
      throw new BadInput(`${options['instrument']} cannot be read: there is no such file.`);
    }
    try {
      instrument = parseInstrument(text);
    } catch (e) {
      if (e instanceof FileProblem) throw new BadInput(`${options['instrument']}: ${e.message}`);
      throw e;
    }
  } else if (file?.powder?.lines) instrument = { ...instrument, lines: file.powder.lines };
  return options['wavelength'] === undefined ? instrument : singleLine(instrument, number(options, 'wavelength', 1));
}

function patternOf(read: (path: string) => Recognised[], path: string): { pattern: Pattern; file: Recognised } {
  const file = read(path).find((r) => r.powder);
  if (!file?.powder)
    throw new BadInput(
      `${path} holds no powder pattern. Give two or three columns (2θ, intensity, s.u.) or a powder CIF.`,
    );
  return { pattern: file.powder.pattern, file };
}

/** Reflections of a model. */
export function patternAnswer(paths: string[], options: Options, read: (path: string) => Recognised[]): Answer {
  const model = read(paths[0] ?? '').find((r) => r.structure);
  if (!model?.structure) throw new BadInput(`${paths[0]} holds no atom sites.`);
  const wavelength = number(options, 'wavelength', 1.5406),
    from = number(options, 'from', 5),
    to = number(options, 'to', 120);
  if (to <= from || to > 180)
    throw new BadInput(`The range must run upwards and end at 180° or before; it was ${from} to ${to}.`);
  const reflections = calculatedReflections(model.structure, singleLine(USUAL_INSTRUMENT, wavelength), from, to);
  return {
    json: {
      wavelength,
      from,
      to,
      reflections: reflections.map((r) => ({
        h: r.h,
        k: r.k,
        l: r.l,
        d: rounded(r.d, 6),
        twoTheta: rounded(r.twoTheta, 5),
        multiplicity: r.multiplicity,
        f2: rounded(r.f2, 4),
        intensity: rounded(r.intensity, 4),
      })),
    },
    text: [
      '   h   k   l       d/Å      2θ/°   m        |F|²       I',
      ...reflections.map(
        (r) =>
          `${[r.h, r.k, r.l].map((x) => String(x).padStart(4)).join('')} ${r.d.toFixed(5).padStart(10)} ${r.twoTheta.toFixed(4).padStart(9)} ${String(r.multiplicity).padStart(3)} ${r.f2.toFixed(2).padStart(11)} ${r.intensity.toFixed(2).padStart(7)}`,
      ),
    ].join('\n'),
  };
}

/** A staged fit. */
export async function fitAnswer(
  paths: string[],
  options: Options,
  read: (path: string) => Recognised[],
  say: Say,
): Promise<Answer> {
  const started = performance.now();
  const { pattern, file } = patternOf(read, paths[0] ?? '');
  const names = (options['phase'] as string[] | undefined) ?? [];
  if (!names.length) throw new BadInput('fit needs at least one --phase model.cif.');
  const recipe = (options['recipe'] as string | undefined) ?? 'quantify';
  if (!RECIPES.some((r) => r.name === recipe))
    throw new BadInput(`There is no recipe "${recipe}". Known are ${RECIPES.map((r) => r.name).join(', ')}.`);
  const phases = names.map((path, i) => {
    const entry = read(path).find((r) => r.structure) ?? read(path).find((r) => r.cell && r.spaceGroup);
    const structure =
      entry?.structure ??
      (entry?.cell && entry.spaceGroup ? { cell: entry.cell, spaceGroup: entry.spaceGroup, sites: [] } : undefined);
    if (!entry || !structure) throw new BadInput(`${path} holds no structure.`);
    return newPhase(`phase-${i + 1}`, entry.items?.['_chemical_name_common'] ?? entry.name, structure);
  });
  const instrument = instrumentOf(options, file);
  const model = { phases, patterns: [newPatternModel(pattern, instrument, phases.length, 8)] };
  const context = breathingContext<RunReport>(
    { aborted: false },
    (r) => {
      if (r.done && !options['json'])
        say(
          `${r.done.title}: Rwp ${(100 * r.done.figures.rwp).toFixed(2)} %, S ${r.done.figures.s.toFixed(2)}${r.done.undone ? ` (${r.done.undone})` : ''}`,
        );
    },
    {},
    1e9,
  );
  let run = await fitTask.run({ model, patterns: [pattern], recipe }, context);
  let radiation = '';
  // Nobody said whether the second line was there: where the doublet fits badly one line is tried.
  if (run.result.s > 1.5 && instrument.lines.length > 1 && options['instrument'] === undefined && !file.powder?.lines) {
    const single = { ...instrument, lines: instrument.lines.slice(0, 1) };
    const other = await fitTask.run(
      {
        model: { phases, patterns: [newPatternModel(pattern, single, phases.length, 8)] },
        patterns: [pattern],
        recipe,
      },
      context,
    );
    if (other.result.rwp < 0.8 * run.result.rwp) {
      run = other;
      radiation = ` One line of ${single.lines[0]!.wavelength.toFixed(5)} Å fits better than a doublet and was taken; give --instrument to decide it.`;
    }
  }
  const doubts = await doubtsTask.run({ model: run.model, patterns: [pattern], result: run.result }, context);
  const date = new Date().toISOString();
  if (typeof options['out'] === 'string') writeOut(options['out'], fitCif(run.model, run.result, [pattern], date));
  const p = run.result.patterns[0]!;
  const list = run.result.phases.map((f, i) => ({
    name: f.name,
    weightFraction: p.weightFractions[i]?.value ?? null,
    su: p.weightFractions[i]?.su ?? null,
    cell: cellParameters(f.cell).map((x) => rounded(x, 6)),
    cellSu: f.cellSu.map((x) => rounded(x, 6)),
    size: f.size?.value ?? null,
    sizeSu: f.size?.su ?? null,
    strain: f.strain.value,
    strainSu: f.strain.su,
    density: rounded(f.density, 4),
    rBragg: p.rBragg[i]!,
    against: doubts.find((d) => d.id === f.id)?.against ?? [],
    ...(f.orientation ? { orientation: f.orientation } : {}),
  }));
  return {
    json: {
      rwp: run.result.rwp,
      rp: run.result.rp,
      rexp: run.result.rExp,
      s: run.result.s,
      parameters: run.result.parameters,
      phases: list,
      displacement: p.displacement,
      zero: p.zero,
      stages: run.stages.map((s) => ({
        title: s.title,
        rwp: s.figures.rwp,
        cycles: s.cycles,
        ...(s.undone ? { undone: s.undone } : {}),
        ...(s.note ? { note: s.note } : {}),
      })),
      message: run.message + radiation,
      seconds: rounded((performance.now() - started) / 1000, 2),
    },
    text: [
      run.message + radiation,
      ...run.result.phases.map((f, i) => {
        const w = p.weightFractions[i];
        const against = doubts.find((d) => d.id === f.id)?.against ?? [];
        return `${f.name}: ${w ? `${formatMeasured(100 * w.value, 100 * w.su)} % by weight, ` : ''}a ${formatMeasured(f.cell.a, f.cellSu[0])} b ${formatMeasured(f.cell.b, f.cellSu[1])} c ${formatMeasured(f.cell.c, f.cellSu[2])} Å${f.size ? `, size ${formatMeasured(f.size.value, f.size.su)} nm` : ''}, strain ${formatMeasured(f.strain.value, f.strain.su)} × 10⁻³, R_Bragg ${(100 * p.rBragg[i]!).toFixed(2)} %${against.map((x) => `\n  against it: ${x}`).join('')}`;
      }),
    ].join('\n'),
  };
}

/** Peaks of a pattern, or 2θ of a list: one number a line, what follows it ignored. */
function linesFrom(
  path: string,
  read: (path: string) => Recognised[],
  options: Options,
): { twoTheta: number[]; wavelength: number; peaks?: Peak[] } {
  let text = '';
  try {
    text = readFileSync(path, 'utf8');
  } catch {
    throw new BadInput(`${path} cannot be read: there is no such file.`);
  }
  const rows = text.split(/\r?\n/).filter((l) => l.trim() && !/^\s*[#!%]/.test(l));
  const first = rows.map((l) => Number(l.trim().split(/[\s,;]+/)[0]));
  if (rows.length && rows.length < 200 && first.every((x) => Number.isFinite(x)))
    return { twoTheta: first, wavelength: number(options, 'wavelength', instrumentOf(options).lines[0]!.wavelength) };
  const { pattern, file } = patternOf(read, path);
  const instrument = instrumentOf(options, file);
  const peaks = findPeaks(pattern, instrument);
  return {
    twoTheta: peaks.map((p) => p.position - instrument.zero),
    wavelength: instrument.lines[0]!.wavelength,
    peaks,
  };
}

export async function indexAnswer(
  paths: string[],
  options: Options,
  read: (path: string) => Recognised[],
): Promise<Answer> {
  const started = performance.now();
  const { twoTheta, wavelength } = linesFrom(paths[0] ?? '', read, options);
  const cells = await indexTask.run(
    {
      twoTheta,
      options: { wavelength, tolerance: number(options, 'tolerance', 0.03), seconds: number(options, 'seconds', 55) },
    },
    quiet(),
  );
  const list = cells.map((c) => ({
    ...Object.fromEntries((['a', 'b', 'c', 'alpha', 'beta', 'gamma'] as const).map((k) => [k, rounded(c.cell[k], 4)])),
    volume: rounded(c.volume, 2),
    m20: rounded(c.m20, 2),
    f20: rounded(c.f20, 2),
    system: c.system,
    centring: c.centring,
    indexed: c.indexed.length,
    lines: c.lines,
    spaceGroups: c.groups.map((g) => g.symbol),
  }));
  return {
    json: { cells: list, lines: twoTheta.length, seconds: rounded((performance.now() - started) / 1000, 2) },
    text: cells.length
      ? cells
          .map(
            (c) =>
              `${c.system} ${c.centring}: ${cellParameters(c.cell)
                .map((x, i) => x.toFixed(i < 3 ? 4 : 2))
                .join(
                  ' ',
                )}, V ${c.volume.toFixed(1)} Å³, M${c.lines} ${c.m20.toFixed(1)}, F ${c.f20.toFixed(1)}; ${c.groups.map((g) => g.symbol).join(', ')}`,
          )
          .join('\n')
      : 'No cell was found. Leave out doubtful lines, or allow larger errors with --tolerance.',
  };
}

export async function identifyAnswer(
  paths: string[],
  options: Options,
  read: (path: string) => Recognised[],
): Promise<Answer> {
  const { pattern, file } = patternOf(read, paths[0] ?? '');
  const instrument = instrumentOf(options, file);
  const elements = typeof options['elements'] === 'string' ? options['elements'].split(/[\s,;]+/).filter(Boolean) : [];
  const unknown = elements.find((e) => !findElement(e));
  if (unknown)
    throw new BadInput(`"${unknown}" is not an element. Write symbols separated by commas, such as Zn,Ti,O.`);
  const peaks = findPeaks(pattern, instrument);
  const found = await identifyTask.run(
    { peaks, entries: [...shippedShelf()], options: { instrument, elements } },
    quiet(),
  );
  const row = (m: (typeof found.phases)[number]) => ({
    id: m.id,
    name: m.name,
    formula: m.formula,
    merit: rounded(m.merit, 2),
    found: rounded(m.found, 3),
    agree: rounded(m.agree, 3),
    share: rounded(m.share, 3),
    stretch: rounded(m.stretch, 5),
    quality: m.quality,
    peaks: m.peaks.length,
  });
  return {
    json: {
      peaks: peaks.map((p) => ({
        twoTheta: rounded(p.position, 4),
        su: rounded(p.positionSu, 4),
        d: rounded(p.d, 5),
        height: rounded(p.height, 1),
        width: rounded(p.width, 4),
        area: rounded(p.area, 2),
      })),
      phases: found.phases.map(row),
      alternatives: found.ranked.slice(0, 10).map(row),
      unexplained: found.unexplained.map((i) => rounded(peaks[i]!.position, 3)),
      left: rounded(found.left, 4),
    },
    text: [
      `${peaks.length} peaks; ${found.phases.length ? 'phases one after another on what was left:' : 'no phase of the shelf explains them.'}`,
      ...found.phases.map(
        (m) =>
          `${m.name} (${m.formula}): merit ${m.merit.toFixed(1)}, ${(100 * m.found).toFixed(0)} % of its intensity found, cell ${(100 * m.stretch).toFixed(2)} % off`,
      ),
      `${found.unexplained.length} peaks are left unexplained (${(100 * found.left).toFixed(1)} % of the intensity).`,
    ].join('\n'),
  };
}
