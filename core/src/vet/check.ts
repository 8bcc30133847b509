/** What a check is, and what it finds. Plain data: findings pass to the page, the terminal and the CIF unchanged. */
import type { Formula } from '../crystal/formula.ts';
import type { VetContext } from './context.ts';

/** Must be mended; must be explained; worth knowing. */
export type Severity = 'mend' | 'explain' | 'know';

export type Family = 'data' | 'contents' | 'refinement' | 'displacement' | 'geometry' | 'symmetry' | 'file';

/** A way out: an action that can be done at once, or the place where it is done. */
export type Remedy = { readonly words: string } & (
  | { readonly act: 'element'; readonly site: number; readonly element: string }
  | { readonly act: 'delete'; readonly sites: readonly number[] }
  | { readonly act: 'sensible displacement' | 'anisotropic'; readonly sites: readonly number[] }
  | { readonly act: 'rigid bonds'; readonly sites: readonly number[] }
  | { readonly act: 'second place'; readonly sites: readonly number[] }
  | { readonly act: 'turn hydrogen' | 'place hydrogens'; readonly sites: readonly number[] }
  | { readonly act: 'formula'; readonly formula: Formula; readonly z: number }
  | {
      readonly act: 'exclude';
      readonly reflections: readonly (readonly [number, number, number])[];
      readonly reason: string;
    }
  | { readonly act: 'refine' | 'settle' | 'invert' | 'connect' | 'extinction' | 'cell' }
  | { readonly act: 'go'; readonly station: 'intake' | 'refine' | 'symmetry' | 'publish'; readonly sheet?: string }
);

export interface Finding {
  /** Check that made it. */
  readonly check: string;
  /** Stays the same while the model changes, so that an explanation stays with it. */
  readonly key: string;
  readonly family: Family;
  readonly severity: Severity;
  /** One line. */
  readonly title: string;
  /** What it means, with the numbers. */
  readonly detail: string;
  readonly value?: number;
  readonly unit?: string;
  /** Indices of the sites concerned. */
  readonly sites: readonly number[];
  readonly reflections?: readonly (readonly [number, number, number])[];
  /** Fractional place, where there is one without a site. */
  readonly at?: readonly [number, number, number];
  readonly remedies: readonly Remedy[];
}

export interface Check {
  readonly id: string;
  readonly family: Family;
  /** Name in words. */
  readonly name: string;
  /** What it looks at and by which limits. */
  readonly looks: string;
  /** Without these it has nothing to say. */
  readonly needs?: readonly ('refinement' | 'merged data' | 'raw data' | 'map' | 'file')[];
  run(c: VetContext): Draft[];
}

export type Draft = Omit<Finding, 'check' | 'family' | 'key' | 'remedies' | 'sites'> & {
  readonly key?: string;
  readonly sites?: readonly number[];
  readonly remedies?: readonly Remedy[];
};
