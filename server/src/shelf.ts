/** The shelf API: reference structures by search and by name. docs/shelf-api.md describes it, so that another collection can stand in its place. */
import type { Express, Request, Response } from 'express';
import { z } from 'zod';
import { shippedShelf, type ShelfEntry } from '@nagare/core/shelf/entry';
import { searchShelf } from '@nagare/core/shelf/search';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { findElement } from '@nagare/core/crystal/elements';
import { issuePhrase } from '@nagare/core/formats/issue-words';

const elements = z
  .string()
  .transform((t) => t.split(/[\s,;]+/).filter(Boolean))
  .refine((list) => list.every((e) => findElement(e)), {
    message: 'names something that is not an element. Write symbols separated by commas, such as Zn,Ti,O',
  });
const whole = z.coerce.number().int().positive();
const querySchema = z
  .object({
    present: elements.optional(),
    absent: elements.optional(),
    optional: elements.optional(),
    count: whole.optional(),
    formula: z.string().max(200).optional(),
    volumeMin: z.coerce.number().min(0).optional(),
    volumeMax: z.coerce.number().min(0).optional(),
    spaceGroup: z.string().max(40).optional(),
    text: z.string().max(200).optional(),
    page: whole.optional(),
    size: whole.max(200).optional(),
    structures: z.enum(['yes', 'no']).optional(),
  })
  .strict();

const cardOnly = ({ structure: _, ...card }: ShelfEntry): Omit<ShelfEntry, 'structure'> => card;

export function addShelf(app: Express): void {
  app.get('/api/shelf', (req: Request, res: Response) => {
    const parsed = querySchema.safeParse(req.query);
    if (!parsed.success) {
      const issue = parsed.error.issues[0]!;
      return void res.status(400).json({
        message:
          issue.code === 'unrecognized_keys'
            ? `The shelf does not know "${issue.keys.join('", "')}".`
            : `${issuePhrase(parsed.error)}.`,
      });
    }
    const { volumeMin, volumeMax, structures, ...rest } = parsed.data;
    const show = structures === 'yes' ? (e: ShelfEntry): Omit<ShelfEntry, 'structure'> => e : cardOnly;
    const query = Object.fromEntries(Object.entries(rest).filter(([, v]) => v !== undefined));
    try {
      const page = searchShelf(shippedShelf(), {
        ...query,
        ...(volumeMin !== undefined || volumeMax !== undefined
          ? { volume: [volumeMin ?? 0, volumeMax ?? Infinity] as const }
          : {}),
      });
      res.json({
        ...page,
        entries: page.entries.map(show),
        ...(page.nearest ? { nearest: page.nearest.map((n) => ({ ...n, entries: n.entries.map(show) })) } : {}),
      });
    } catch (e) {
      res.status(400).json({ message: (e as Error).message });
    }
  });
  app.get('/api/shelf/:id', (req: Request, res: Response) => {
    const name = String(req.params['id']);
    const entry = shippedShelf().find((e) => e.id === name.replace(/\.cif$/, ''));
    if (!entry) return void res.status(404).json({ message: `The shelf has no entry "${name}".` });
    if (!name.endsWith('.cif')) return void res.json(entry);
    const { structure } = entry;
    res.type('chemical/x-cif').send(
      structureCif({
        name: entry.id,
        structure,
        experiment: {
          kept: { _chemical_name_common: entry.name },
          ...(entry.temperature ? { temperature: entry.temperature } : {}),
        },
        date: '2026-11-23',
      }),
    );
  });
}
