/** The parts of a project file, checked before any of them is stored. */
import { z } from 'zod';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { IntakeRow, PatternRow, PowderRow, Project, ResultRow, SolveRow } from './db.ts';
import type { Mark, ModelRow } from './marks.ts';
import { splitMark, type MarkBefore4 } from './upgrade.ts';

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
}

const headSchema = z.object({ format: z.literal('nagare project'), version: z.number() });

/** Checks the JSON parts of a project file. Throws Error naming what is wrong. */
export function readParts(json: Record<string, unknown>, fileName: string, newest: number): ProjectParts {
  const head = headSchema.safeParse(json['nagare.json']);
  if (!head.success) throw new Error(`${fileName} is a zip but not a Nagare project file.`);
  if (head.data.version > newest) throw new Error(`${fileName} was written by a newer Nagare. Update this one first.`);
  const old = head.data.version < 2;
  const split = old
    ? ((json['marks.json'] ?? []) as MarkBefore4[]).map((m) => splitMark(m, json['reflections.json'] !== undefined))
    : undefined;
  return {
    project: json['project.json'] as Project,
    marks: split?.map((x) => x.mark) ?? (json['marks.json'] as Mark[]),
    models: split?.map((x) => x.model) ?? (json['models.json'] as ModelRow[]),
    results: (json['results.json'] ?? []) as ResultRow[],
    raw: json['reflections.json'] as RawReflections | undefined,
    intake: json['intake.json'] as IntakeRow | undefined,
    solve: json['solve.json'] as SolveRow | undefined,
    patterns: (json['patterns.json'] ?? []) as PatternRow[],
    powder: json['powder.json'] as PowderRow | undefined,
  };
}
