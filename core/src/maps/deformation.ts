/** What binding does to the density: aspherical less spherical atoms, both with the displacements of the model. */
import type { Experiment } from '../crystal/experiment.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { gridFor, reach, synthesize, type DensityMap } from './fourier.ts';

/** Å between points of the map: bonds are narrower than residual density is. */
const SPACING = 0.12;

/**
 * Synthesis of F(aspherical) − F(spherical), to the resolution of the data; noise and phases of the data have no part in it.
 * Throws RangeError where the model has spherical atoms only.
 */
export function deformationMap(e: Experiment): DensityMap {
  const { aspherical, ...plain } = e.treatment;
  if (!aspherical)
    throw new RangeError(
      'Deformation density is what aspherical atoms add: refine with them first (Aspherical atoms).',
    );
  const full = evaluateStructure(e).data,
    { a, b } = evaluateStructure({ ...e, treatment: plain }).data;
  const pick = (source: Int16Array): Int16Array => Int16Array.from(full.used, (i) => source[i]!);
  const { h, k, l } = e.reflections;
  const hkl = { count: full.used.length, h: pick(h), k: pick(k), l: pick(l) };
  const { cell, spaceGroup } = e.structure;
  return synthesize(
    cell,
    spaceGroup,
    gridFor(cell, SPACING, reach(cell, hkl).limits),
    hkl,
    full.a.map((x, i) => x - a[i]!),
    full.b.map((x, i) => x - b[i]!),
  );
}
