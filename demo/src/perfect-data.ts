/** Measurements without errors, for tests that ask whether the truth is found again. */
import type { MergedReflections } from '@nagare/core/crystal/reflections';
import type { Structure } from '@nagare/core/crystal/structure';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { calculatedIntensities } from './simulate.ts';

/** Unique noise-free intensities to dMin (Å), with σ of 1 % and a floor. */
export function perfectData(s: Structure, dMin: number, wavelength: number): MergedReflections {
  const c = calculatedIntensities(s, dMin, wavelength);
  const mean = c.f2.reduce((p, q) => p + q, 0) / c.count;
  const sigma = Float64Array.from(c.f2, (x) => 0.01 * x + 0.002 * mean);
  const raw = { count: c.count, h: c.h, k: c.k, l: c.l, intensity: Float64Array.from(c.f2), sigma, merged: false };
  return mergeForGroup(raw, s.cell, s.spaceGroup).reflections;
}
