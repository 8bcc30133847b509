/** The parts of a project file, checked before any of them is stored. */
import { z } from 'zod';
import type { RawReflections } from '@nagare/core/crystal/reflections';
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

const headSchema = z.object({ format: z.literal('nagare project'), version: z.number() });
const common = {
  'nagare.json': headSchema,
  'project.json': projectSchema,
  'results.json': z.array(resultSchema).default([]),
  'reflections.json': rawSchema.optional(),
  'intake.json': intakeSchema.optional(),
  'solve.json': solveSchema.optional(),
  'patterns.json': z.array(patternRowSchema).default([]),
  'powder.json': powderSchema.optional(),
  'looks.json': looksRowSchema.optional(),
};
const partsOfVersion1 = z.strictObject({ ...common, 'marks.json': z.array(markBefore4Schema).default([]) });
const partsOfVersion2 = z.strictObject({
  ...common,
  'marks.json': z.array(markSchema),
  'models.json': z.array(modelSchema),
});
type Common = Omit<z.infer<typeof partsOfVersion1>, 'marks.json'>;

/** What is wrong in one sentence: which part, where in it, and what. */
function complaint(fileName: string, error: z.ZodError): string {
  const issue = error.issues[0]!;
  const ends = 'Nothing of it was taken in; export it again from where it came.';
  if (issue.code === 'unrecognized_keys' && !issue.path.length)
    return `${fileName} holds a part that this Nagare does not know: ${issue.keys.join(', ')}. ${ends}`;
  const [part, ...rest] = issue.path;
  const where = rest.length ? `, at ${rest.join('.')}` : '';
  return `${fileName} is damaged in its part ${String(part)}${where}: ${issue.message}. ${ends}`;
}

function checked<T>(schema: z.ZodType<T>, json: unknown, fileName: string): T {
  const found = schema.safeParse(json);
  if (!found.success) throw new Error(complaint(fileName, found.error));
  return found.data;
}

const withRows = (json: Common, marks: readonly Mark[], models: readonly ModelRow[]): ProjectParts => ({
  project: json['project.json'],
  marks,
  models,
  results: json['results.json'],
  raw: json['reflections.json'],
  intake: json['intake.json'],
  solve: json['solve.json'],
  patterns: json['patterns.json'],
  powder: json['powder.json'],
  looks: json['looks.json'],
});

/** Every mark has its model. Throws Error with the one that has not. */
function refuseGaps({ marks, models }: ProjectParts, fileName: string): void {
  const known = new Set(models.map((m) => m.id));
  const bare = marks.find((m) => !known.has(m.model));
  if (bare)
    throw new Error(
      `${fileName} is damaged: the model of the mark “${bare.title}” is missing. Nothing of it was taken in.`,
    );
}

/**
 * Checks the JSON parts of a project file, of this version or an older one. Throws Error naming the part that is unknown
 * or damaged, where in it, and what is wrong.
 */
export function readParts(json: Record<string, unknown>, fileName: string, newest: number): ProjectParts {
  const head = headSchema.safeParse(json['nagare.json']);
  if (!head.success) throw new Error(`${fileName} is a zip but not a Nagare project file.`);
  if (head.data.version > newest) throw new Error(`${fileName} was written by a newer Nagare. Update this one first.`);
  if (head.data.version < 2) {
    const old = checked(partsOfVersion1, json, fileName);
    const split = old['marks.json'].map((m) => splitMark(m, old['reflections.json'] !== undefined));
    return withRows(
      old,
      split.map((x) => x.mark),
      split.map((x) => x.model),
    );
  }
  const now = checked(partsOfVersion2, json, fileName);
  const parts = withRows(now, now['marks.json'], now['models.json']);
  refuseGaps(parts, fileName);
  return parts;
}
