/** Files that commands are given: read, and refused in a sentence where they hold something else. */
import { readFileSync } from 'node:fs';
import { asideText } from '@nagare/core/formats/asides';
import { decodeText } from '@nagare/core/formats/text';
import { cellParameters, type Cell } from '@nagare/core/crystal/cell';
import { transformReflections, type MergedReflections, type RawReflections } from '@nagare/core/crystal/reflections';
import type { Structure } from '@nagare/core/crystal/structure';
import type { MergeResult, MergeStatistics } from '@nagare/core/data/merge';
import type { SampleRecord } from '@nagare/core/formats/cif-data';
import { FileProblem } from '@nagare/core/formats/cif-parser';
import { recognise, type Recognised } from '@nagare/core/formats/recognise';
import { analyseIntake as analyse, mergeForGroup } from '@nagare/core/solve/prepare';
import { BadInput } from './answers.ts';

const sameCell = (p: Cell, q: Cell): boolean =>
  cellParameters(p).every((x, i) => Math.abs(x - cellParameters(q)[i]!) < (i < 3 ? 0.01 * x : 0.5));

export function read(path: string): Recognised[] {
  let text: string;
  try {
    text = decodeText(readFileSync(path));
  } catch (e) {
    throw new BadInput(
      `${path.slice(0, 200)} cannot be read: ${(e as NodeJS.ErrnoException).code === 'ENOENT' ? 'there is no such file' : (e as Error).message.slice(0, 200)}.`,
    );
  }
  try {
    const found = recognise(text, path);
    for (const aside of found.flatMap((r) => r.asides ?? [])) process.stderr.write(`${path}: ${asideText(aside)}\n`);
    return found;
  } catch (e) {
    if (e instanceof FileProblem) throw new BadInput(`${path}: ${e.message}`);
    throw e;
  }
}

export interface Measured {
  name: string;
  raw: RawReflections;
  cell: Cell;
  wavelength: number;
  entry: Recognised;
}

export function measured(path: string): Measured {
  const entry = read(path).find((r) => r.raw);
  if (!entry?.raw) throw new BadInput(`${path} holds no reflections.`);
  if (!entry.cell)
    throw new BadInput(
      `${path} holds reflections but no cell. Give it as a CIF with _cell_length_a … _cell_angle_gamma.`,
    );
  if (!entry.experiment.wavelength)
    throw new BadInput(`${path} gives no wavelength. Add _diffrn_radiation_wavelength.`);
  return { name: entry.name, raw: entry.raw, cell: entry.cell, wavelength: entry.experiment.wavelength, entry };
}

export function onePath(paths: string[]): string {
  if (paths.length !== 1) throw new BadInput(`One data file is needed.`);
  return paths[0]!;
}

/** Merged data in the cell and group of a structure, re-indexed when the file's cell was not the conventional one. */
export function mergedFor(raw: RawReflections, cell: Cell, s: Structure): MergeResult {
  return mergeForGroup(inCellOf(raw, cell, s.cell), s.cell, s.spaceGroup);
}

export function inCellOf(raw: RawReflections, cell: Cell, target: Cell): RawReflections {
  if (sameCell(cell, target)) return raw;
  const { lattice } = analyse(raw, cell);
  if (sameCell(lattice.cell, target)) return transformReflections(raw, lattice.p).raw;
  throw new BadInput(
    `The model's cell (${cellParameters(target)
      .map((x) => x.toFixed(3))
      .join(' ')}) is not the cell of the reflections (${cellParameters(cell)
      .map((x) => x.toFixed(3))
      .join(' ')}).`,
  );
}

/** A model with the data it is refined against, as `refine` and `settle` take them. */
export interface ModelJob {
  readonly started: number;
  readonly model: Recognised;
  readonly structure: Structure;
  readonly source: Measured;
  readonly reflections: MergedReflections;
  /** Absent where the file held a merged list. */
  readonly statistics?: MergeStatistics;
  readonly experiment: SampleRecord;
}

export function modelJob(command: string, [modelPath, dataPath]: string[]): ModelJob {
  const started = performance.now();
  if (!modelPath) throw new BadInput(`${command} needs a model.`);
  const model = read(modelPath).find((r) => r.structure);
  if (!model?.structure) throw new BadInput(`${modelPath} holds no atom sites to refine.`);
  const source = measured(dataPath ?? modelPath);
  const merged = mergedFor(source.raw, source.cell, model.structure);
  return {
    started,
    model,
    structure: model.structure,
    source,
    reflections: merged.reflections,
    ...(source.raw.merged ? {} : { statistics: merged.statistics }),
    experiment: { ...model.experiment, ...source.entry.experiment },
  };
}

/** A model and, where there are any, its reflections in its own axes. */
export function modelWithData(
  command: string,
  [modelPath, dataPath]: string[],
): { model: Recognised; raw?: RawReflections } {
  if (!modelPath) throw new BadInput(`${command} needs a model.`);
  const model = read(modelPath).find((r) => r.structure);
  if (!model?.structure) throw new BadInput(`${modelPath} holds no atom sites.`);
  const source = dataPath ? read(dataPath).find((r) => r.raw) : model.raw ? model : undefined;
  if (dataPath && !source?.raw) throw new BadInput(`${dataPath} holds no reflections.`);
  const { wavelength } = { ...source?.experiment, ...model.experiment };
  return {
    model: { ...model, experiment: { ...model.experiment, ...(wavelength ? { wavelength } : {}) } },
    ...(source?.raw ? { raw: inCellOf(source.raw, source.cell ?? model.structure.cell, model.structure.cell) } : {}),
  };
}
