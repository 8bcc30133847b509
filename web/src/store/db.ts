/** What the browser keeps: projects, their data, marks, models and results, in Dexie with a versioned schema. */
import Dexie, { type Table } from 'dexie';
import type { BatchReading, ScalingWish } from '@nagare/core/data/scaling';
import type { Cell } from '@nagare/core/crystal/cell';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { SampleRecord } from '@nagare/core/formats/cif-data';
import type { IntakeAnalysis } from '@nagare/core/solve/prepare';
import type { Candidate } from '@nagare/core/solve/candidates';
import type { CovarianceData } from '@nagare/core/refine/covariance';
import { invertedGroup } from '@nagare/core/refine/absolute-structure';
import type { Instrument } from '@nagare/core/crystal/pattern';
import type { PatternFile } from '@nagare/core/formats/pattern-columns';
import type { Match } from '@nagare/core/powder/identify';
import type { IndexedCell } from '@nagare/core/powder/index-cells';
import type { Peak } from '@nagare/core/powder/peaks';
import type { SeriesStep } from '@nagare/core/powder/series';
import type { ShelfEntry } from '@nagare/core/shelf/entry';
import type { MapResult } from '@nagare/core/settle/stage';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';
import type { Aside } from '@nagare/core/formats/asides';
import type { LooksRow } from './looks.ts';
import type { Mark, ModelRow } from './marks.ts';
import { modelsBesideMarks } from './upgrade.ts';

export interface Explanation {
  title: string;
  family: string;
  text: string;
}

export interface Project {
  id: string;
  name: string;
  created: number;
  updated: number;
  /** Mark last continued from; a tab keeps its own once it has moved. */
  head?: string;
  /** What the file said, before anything was made of it. */
  source?: {
    fileName: string;
    sentence: string;
    items?: Readonly<Record<string, string>>;
    /** What was not taken as it was written. */
    asides?: readonly Aside[];
  };
  /** What the person says of findings, by the finding's key; goes into the CIF. */
  explanations?: Record<string, Explanation>;
  cell?: Cell;
  experiment: SampleRecord;
  /** The group the person or the ranking chose. */
  group?: SpaceGroup;
}

/** Raw intensities as they came in. */
export interface DataRow {
  projectId: string;
  raw: RawReflections;
}

export interface Correction {
  /** Tells merges made before it from those after. */
  stamp: number;
  wish: ScalingWish;
  rIntBefore: number;
  rIntAfter: number;
  parameters: number;
  used: number;
  batches: readonly BatchReading[];
  directionRange?: readonly [number, number];
  /** By the faces. */
  transmission?: readonly [number, number];
  /** Rings left out, Å. */
  rings?: readonly number[];
}

/** What intake made of them: large, and only read where it is shown. */
export interface IntakeRow {
  projectId: string;
  analysis?: Omit<IntakeAnalysis, 'raw'>;
  /** In the conventional cell. */
  raw: RawReflections;
  merge?: MergeTaskResult;
  /** Hall symbol the merge was made for. */
  mergedFor?: string;
  /** The axes of a model that came with the data were kept, though others are conventional: the ranking speaks of those others. */
  keptAxes?: boolean;
  /** The correction that `raw` has had, and the data as they were before it. */
  correction?: Correction;
  uncorrected?: RawReflections;
}

/** A measured pattern of a project. */
export interface PatternRow {
  id: string;
  projectId: string;
  order: number;
  fileName: string;
  file: PatternFile;
}

/** What was found on the way from a pattern to its phases. */
export interface PowderRow {
  projectId: string;
  instrument: Instrument;
  /** The person has seen and confirmed it. */
  instrumentKnown?: boolean;
  /** By pattern id. */
  peaks?: Record<string, Peak[]>;
  elements?: string[];
  matches?: Match[];
  cells?: IndexedCell[];
  /** Weight fractions that were weighed, by phase id. */
  weighed?: Record<string, number>;
  series?: SeriesStep[];
}

/** Data merged for a mark whose group or axes are not those of Intake. */
export interface MergeRow {
  /** Project, Hall symbol and axes. */
  key: string;
  projectId: string;
  merge: MergeTaskResult;
}

/** Large results of a mark. */
export interface ResultRow {
  markId: string;
  projectId: string;
  map?: MapResult;
  covariance?: CovarianceData;
}

export interface SolveRow {
  projectId: string;
  candidates: Candidate[];
  nextSeed: number;
  chosen?: string;
  message?: string;
}

/** The small picture of a project on Home; made again when the project stands elsewhere. */
export interface PictureRow {
  projectId: string;
  /** What it was made of. */
  of: string;
  svg: string;
}

export class NagareDatabase extends Dexie {
  projects!: Table<Project, string>;
  data!: Table<DataRow, string>;
  intake!: Table<IntakeRow, string>;
  marks!: Table<Mark, string>;
  models!: Table<ModelRow, string>;
  results!: Table<ResultRow, string>;
  solves!: Table<SolveRow, string>;
  merges!: Table<MergeRow, string>;
  patterns!: Table<PatternRow, string>;
  powder!: Table<PowderRow, string>;
  instruments!: Table<Instrument, string>;
  shelf!: Table<ShelfEntry, string>;
  looks!: Table<LooksRow, string>;
  pictures!: Table<PictureRow, string>;

  constructor(name = 'nagare') {
    super(name);
    this.version(1).stores({
      projects: 'id, updated',
      data: 'projectId',
      intake: 'projectId',
      marks: 'id, projectId, created',
      results: 'markId, projectId',
      solves: 'projectId',
    });
    this.version(2).stores({ merges: 'key, projectId' });
    this.version(3).stores({ patterns: 'id, projectId', powder: 'projectId', instruments: 'name', shelf: 'id' });
    this.version(4).stores({ models: 'id, projectId' }).upgrade(modelsBesideMarks);
    this.version(5).stores({ looks: 'projectId', pictures: 'projectId' });
  }
}

export const db = new NagareDatabase();

/** Whether the merge at hand serves a model of this group: merged for it, or for the group of the other hand. */
export const mergeServes = (intake: IntakeRow | undefined, group: SpaceGroup): boolean =>
  !!intake?.merge &&
  (intake.mergedFor === group.hall || (!group.centric && invertedGroup(group).hall === intake.mergedFor));
