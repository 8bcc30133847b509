/** Marks of the course: light rows of three types. What a mark holds, its model, lies beside them, stored once and never rewritten. */
import type { Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import type { Mat3 } from '@nagare/core/math/matrix3';
import type { FitModel } from '@nagare/core/powder/model';
import type { FitResult } from '@nagare/core/powder/results';
import type { AbsoluteStructure } from '@nagare/core/refine/absolute-structure';
import type { Readings } from '@nagare/core/refine/single-crystal';

/** How a mark came to be. */
export type MarkKind = 'import' | 'solve' | 'refine' | 'settle' | 'edit' | 'fit';

interface MarkBase {
  readonly id: string;
  readonly projectId: string;
  readonly parent?: string;
  /** ms since 1970; the order of the course. */
  readonly created: number;
  /** Counts the changes of this row, so that an unchanged row can be told without looking into it. */
  readonly revision: number;
  readonly kind: MarkKind;
  /** What changed, in words. */
  readonly title: string;
  /** How the step ended. */
  readonly message?: string;
  /** A name the person gave it. */
  readonly name?: string;
  /** Identifier of the model. */
  readonly model: string;
}

/** Minimum and maximum of the residual density and its noise, e Å⁻³. */
export interface ResidualFigures {
  readonly peak: number;
  readonly hole: number;
  readonly sigma: number;
}

interface OfStructure extends MarkBase {
  readonly sites: number;
  /** Symbol of the space group. */
  readonly group: string;
  /** Axes of this model in terms of those the data are kept in (columns); absent where they are the same. */
  readonly basis?: Mat3;
}

/** A crystal with the intensities it is refined against. */
export interface CrystalMark extends OfStructure {
  readonly type: 'crystal';
  readonly r1?: number;
  readonly wr2?: number;
  readonly readings?: Readings;
  readonly residual?: ResidualFigures;
  readonly absolute?: AbsoluteStructure;
  /** What a run left for the person to decide. */
  readonly decisions?: readonly string[];
}

/** A structure without data of its own. */
export interface StructureMark extends OfStructure {
  readonly type: 'structure';
}

/** Phases against powder patterns. */
export interface FitMark extends MarkBase {
  readonly type: 'fit';
  readonly rwp?: number;
  readonly phases: readonly string[];
  /** Refined parameters and goodness of fit, where it was refined. */
  readonly parameters?: number;
  readonly s?: number;
}

export type Mark = CrystalMark | StructureMark | FitMark;

/** A fit as a mark keeps it: its model, the patterns it is of (by id, in the model's order), and what came out. */
export interface FitState {
  readonly model: FitModel;
  readonly patterns: readonly string[];
  readonly result?: FitResult;
  /** Kinds (or kind:phase) that the last run freed. */
  readonly free?: readonly string[];
}

/** What a mark holds. */
export type Content =
  | { readonly kind: 'structure'; readonly structure: Structure; readonly treatment?: Treatment }
  | { readonly kind: 'fit'; readonly fit: FitState };

export type ModelRow = Content & { readonly id: string; readonly projectId: string };

/** R1 or Rwp, by which the course is drawn. */
export const agreementOf = (m: Mark): number | undefined =>
  m.type === 'crystal' ? m.r1 : m.type === 'fit' ? m.rwp : undefined;

/** What the name of a mark is on screen. */
export const nameOfMark = (m: Mark): string => m.name || m.title;

export const NO_TREATMENT: Treatment = {};

/** The structure to look at: the model's, or a fit's first phase. */
export const structureOfContent = (c: Content): Structure | undefined =>
  c.kind === 'structure' ? c.structure : c.fit.model.phases[0]?.structure;

/** A mark with what it holds, as the stations work on it. What does not belong to its type is absent. */
export interface Head {
  readonly mark: Mark;
  readonly id: string;
  readonly parent: string | undefined;
  readonly kind: MarkKind;
  readonly title: string;
  readonly message: string | undefined;
  readonly structure: Structure | undefined;
  readonly fit: FitState | undefined;
  readonly treatment: Treatment;
  readonly basis: Mat3 | undefined;
  readonly r1: number | undefined;
  readonly wr2: number | undefined;
  readonly readings: Readings | undefined;
  readonly residual: ResidualFigures | undefined;
  readonly absolute: AbsoluteStructure | undefined;
  readonly decisions: readonly string[] | undefined;
}

export function headOf(mark: Mark, content: Content): Head {
  const crystal = mark.type === 'crystal' ? mark : undefined;
  return {
    mark,
    id: mark.id,
    parent: mark.parent,
    kind: mark.kind,
    title: mark.title,
    message: mark.message,
    structure: structureOfContent(content),
    fit: content.kind === 'fit' ? content.fit : undefined,
    treatment: (content.kind === 'structure' ? content.treatment : undefined) ?? NO_TREATMENT,
    basis: mark.type === 'fit' ? undefined : mark.basis,
    r1: agreementOf(mark),
    wr2: crystal?.wr2,
    readings: crystal?.readings,
    residual: crystal?.residual,
    absolute: crystal?.absolute,
    decisions: crystal?.decisions,
  };
}
