/** The parts of a project file, each checked before any of them is stored; what is whole of a damaged file is kept apart from what is not. */
import { z } from 'zod';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import { issuePhrase } from '@nagare/core/formats/issue-words';
import { rawSchema } from '@nagare/core/tasks/schemas';
import type { IntakeRow, PatternRow, PowderRow, Project, ResultRow, SolveRow } from './db.ts';
import { looksRowSchema, type LooksRow } from './looks.ts';
import type { Mark, ModelRow } from './marks.ts';
import {
  intakeSchema,
  markBefore4Schema,
  markSchema,
  modelSchema,
  patternRowSchema,
  powderSchema,
  projectSchema,
  resultSchema,
  solveSchema,
} from './part-schemas.ts';
import { splitMark } from './upgrade.ts';
import { wholeCourse } from './whole-course.ts';

export interface ProjectParts {
  readonly project: Project;
  readonly marks: readonly Mark[];
  readonly models: readonly ModelRow[];
  readonly results: readonly ResultRow[];
  readonly raw: RawReflections | undefined;
  readonly intake: IntakeRow | undefined;
  readonly solve: SolveRow | undefined;
  readonly patterns: readonly PatternRow[];
  readonly powder: PowderRow | undefined;
  readonly looks: LooksRow | undefined;
}

/** What could be read of a project file. */
export interface ReadProject {
  readonly parts: ProjectParts;
  /** What is damaged and was left out, a sentence each; empty where the file is whole. */
  readonly lost: readonly string[];
}

const KNOWN = [
  ...['nagare.json', 'project.json', 'marks.json', 'models.json', 'results.json', 'reflections.json'],
  ...['intake.json', 'solve.json', 'patterns.json', 'powder.json', 'looks.json'],
];

/** What a part is, for people. */
const PART_WORDS: Readonly<Record<string, string>> = {
  'project.json': 'What project it is',
  'marks.json': 'A mark of the course',
  'models.json': 'A model of the course',
  'results.json': 'The map of a mark',
  'reflections.json': 'The list of reflections',
  'intake.json': 'What Intake made of the data',
  'solve.json': 'The candidates of Solve',
  'patterns.json': 'A powder pattern',
  'powder.json': 'The instrument and the phases found',
  'looks.json': 'How the crystal is shown',
};
const damaged = (name: string, row: number | undefined, what: string): string =>
  `${PART_WORDS[name] ?? 'A part'} is damaged (${name}${row === undefined ? '' : `, row ${row}`}: ${what}).`;

const headSchema = z.object({ format: z.literal('nagare project'), version: z.number().int() });

/** Reads parts one by one, noting what is damaged. */
class PartReader {
  readonly lost: string[] = [];

  constructor(private readonly json: Readonly<Record<string, unknown>>) {}

  /** A part of one value; undefined where it is not there or damaged. */
  one<T>(name: string, schema: z.ZodType<T>): T | undefined {
    if (!Object.hasOwn(this.json, name)) return undefined;
    const found = schema.safeParse(this.json[name]);
    if (found.success) return found.data;
    this.lost.push(damaged(name, undefined, issuePhrase(found.error)));
    return undefined;
  }

  /** The whole rows of a part that is a list; `needed` where a file without it is damaged. */
  rows<T>(name: string, schema: z.ZodType<T>, needed = false): T[] {
    const list = this.one(name, z.array(z.unknown()));
    if (!list) {
      if (needed && !Object.hasOwn(this.json, name)) this.lost.push(`The part ${name} is missing.`);
      return [];
    }
    return list.flatMap((row, i): T[] => {
      const found = schema.safeParse(row);
      if (found.success) return [found.data];
      this.lost.push(damaged(name, i + 1, issuePhrase(found.error)));
      return [];
    });
  }
}

interface Course {
  readonly marks: readonly Mark[];
  readonly models: readonly ModelRow[];
}

function courseOf(reader: PartReader, version: number, hasData: boolean): Course {
  if (version >= 2)
    return {
      marks: reader.rows('marks.json', markSchema, true),
      models: reader.rows('models.json', modelSchema, true),
    };
  const split = reader.rows('marks.json', markBefore4Schema).map((m) => splitMark(m, hasData));
  return { marks: split.map((x) => x.mark), models: split.map((x) => x.model) };
}

/** Throws Error in a sentence where the head of a file is not that of a project this Nagare reads. */
function versionOf(json: Readonly<Record<string, unknown>>, fileName: string, newest: number): number {
  const head = headSchema.safeParse(json['nagare.json']);
  if (!head.success) throw new Error(`${fileName} is a zip but not a Nagare project file.`);
  const { version } = head.data;
  if (version > newest) throw new Error(`${fileName} was written by a newer Nagare. Update this one first.`);
  if (version < 1) throw new Error(`${fileName} says it is of version ${version}, which there never was.`);
  return version;
}

/**
 * Checks the JSON parts of a project file, of this version or an older one, row by row. What is damaged is told and left out;
 * throws Error where nothing can be kept.
 */
export function readParts(json: Record<string, unknown>, fileName: string, newest: number): ReadProject {
  const version = versionOf(json, fileName, newest);
  const reader = new PartReader(json);
  const project = reader.one('project.json', projectSchema);
  if (!project)
    throw new Error(
      `${fileName} is damaged where it says what project it is. ${reader.lost[0] ?? 'The part project.json is missing.'} Nothing of it was taken in; export it again from where it came.`,
    );
  const raw = reader.one('reflections.json', rawSchema);
  const patterns = reader.rows('patterns.json', patternRowSchema);
  const course = wholeCourse(courseOf(reader, version, raw !== undefined), patterns, reader.lost);
  const known = new Set(course.marks.map((m) => m.id));
  const parts: ProjectParts = {
    project,
    ...course,
    results: reader.rows('results.json', resultSchema).filter((r) => known.has(r.markId)),
    raw,
    intake: reader.one('intake.json', intakeSchema),
    solve: reader.one('solve.json', solveSchema),
    patterns,
    powder: reader.one('powder.json', powderSchema),
    looks: reader.one('looks.json', looksRowSchema),
  };
  for (const name of Object.keys(json))
    if (!KNOWN.includes(name)) reader.lost.push(`The part ${name.slice(0, 60)} is not known to this Nagare.`);
  return { parts, lost: reader.lost };
}
