/** A model with its data: what refining, maps, vetting and publishing take. The defaults stand here and nowhere else. */
import type { MergedReflections } from './reflections.ts';
import type { Structure } from './structure.ts';
import type { Treatment } from './treatment.ts';

/** w = 1/[σ²(Fo²) + (aP)² + bP] */
export interface Weights {
  readonly a: number;
  readonly b: number;
}

/** Until a refinement has found its own. */
export const USUAL_WEIGHTS: Weights = { a: 0.1, b: 0 };

export interface Experiment {
  readonly structure: Structure;
  /** Merged for the structure's group, in its axes. */
  readonly reflections: MergedReflections;
  /** Å */
  readonly wavelength: number;
  /** Limits, exclusions, twins, solvent, and whether extinction is refined. */
  readonly treatment: Treatment;
  readonly weights: Weights;
  /** Extinction coefficient; 0 where there is none. */
  readonly extinction: number;
}

/** What may be said beside model, data and wavelength. */
export type ExperimentChoices = Partial<Pick<Experiment, 'treatment' | 'weights' | 'extinction'>>;

/** Completes an experiment with the defaults. */
export const experiment = (
  structure: Structure,
  reflections: MergedReflections,
  wavelength: number,
  choices: { readonly [K in keyof ExperimentChoices]: ExperimentChoices[K] | undefined } = {},
): Experiment => ({
  structure,
  reflections,
  wavelength,
  treatment: choices.treatment ?? {},
  weights: choices.weights ?? USUAL_WEIGHTS,
  extinction: choices.extinction ?? 0,
});
