/** A figure as a file of its own, with the structures it draws, and back. */
import { z } from 'zod';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Figure } from '@nagare/core/depict/figure';
import { figureSchema } from '@nagare/core/tasks/figure-schemas';
import { structureSchema } from '@nagare/core/tasks/schemas';
import { issuePhrase } from '@nagare/core/formats/issue-words';

const FORMAT = 'nagare figure';
const fileSchema = z.strictObject({
  format: z.literal(FORMAT),
  version: z.literal(1),
  figure: figureSchema,
  /** By drawing. */
  structures: z.record(z.string(), structureSchema),
});

export interface FigureFile {
  readonly figure: Figure;
  readonly structures: Readonly<Record<string, Structure>>;
}

export function figureFile(figure: Figure, structures: Readonly<Record<string, Structure>>): string {
  // Marks are of this project; elsewhere they mean nothing.
  const drawings = figure.drawings.map(({ mark: _, ...d }) => d);
  return JSON.stringify({ format: FORMAT, version: 1, figure: { ...figure, drawings }, structures });
}

/** Whether a file says that it is a figure. */
export const isFigureFile = (text: string): boolean => text.slice(0, 200).includes(`"${FORMAT}"`);

/** The figure in a file. Throws Error in words where it is none, or damaged. */
export function readFigureFile(text: string, name: string): FigureFile {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new Error(`${name} is not a figure, or it was cut short. Save it again from where it came.`);
  }
  const read = fileSchema.safeParse(json);
  if (read.success) return read.data;
  throw new Error(`${name} cannot be taken as a figure: ${issuePhrase(read.error)}.`);
}
