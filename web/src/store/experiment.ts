/** The present mark as what refining, maps and vetting take: its model with its data. */
import { experiment, type Experiment } from '@nagare/core/crystal/experiment';
import { facesInAxes } from '@nagare/core/crystal/faces';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SampleRecord } from '@nagare/core/formats/cif-data';
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { Head } from './marks.ts';

/** What is known of the crystal, with its faces in the axes of a mark. */
export const recordInAxes = (record: SampleRecord, basis: Mat3 | undefined): SampleRecord =>
  basis && record.faces ? { ...record, faces: facesInAxes(record.faces, basis) } : record;

/** Throws RangeError for a mark without a structure. */
export function experimentOf(head: Head, merged: MergeTaskResult, wavelength: number): Experiment {
  if (!head.structure) throw new RangeError('This mark holds no structure.');
  return experimentWith(head, head.structure, merged, wavelength);
}

/** Another model in the place of the mark's, judged as that was. */
export const experimentWith = (
  head: Head,
  structure: Structure,
  merged: MergeTaskResult,
  wavelength: number,
): Experiment =>
  experiment(structure, merged.reflections, wavelength, {
    treatment: head.treatment,
    weights: head.readings?.weights,
    extinction: head.readings?.extinction?.value,
  });
