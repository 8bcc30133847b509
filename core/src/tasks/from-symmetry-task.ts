/** A crystal built while its symmetry and its sites are typed. */
import { z } from 'zod';
import {
  buildAndJudge,
  holdings,
  shortestContacts,
  siteRows,
  type Holdings,
  type NearSpecial,
  type PairContact,
  type SiteRow,
} from '../build/from-symmetry.ts';
import { readSiteTable } from '../build/site-table.ts';
import type { Structure } from '../crystal/structure.ts';
import { figure } from './result-schemas.ts';
import type { AllTrue, SameBut } from './same-type.ts';
import { structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

/** A crystal as it is typed. */
export interface SymmetryWish {
  readonly symbol: string;
  readonly constants: readonly number[];
  readonly table: string;
  /** Labels of sites that go onto the special position they stand near to. */
  readonly snapped: readonly string[];
}
export interface JudgedCrystal {
  readonly origin: string;
  readonly structure: Structure;
  readonly score: number;
  readonly coordination: string;
  readonly reason: string;
  readonly holdings: Holdings;
  readonly contacts: readonly PairContact[];
  readonly special: readonly NearSpecial[];
  readonly rows: readonly SiteRow[];
}
export interface FromSymmetry {
  /** The most sensible first. */
  readonly judged: readonly JudgedCrystal[];
  readonly understood: string;
  readonly problems: readonly { readonly line: number; readonly text: string; readonly reason: string }[];
}
const judgedSchema = z.strictObject({
  origin: z.string(),
  structure: structureSchema,
  score: figure,
  coordination: z.string(),
  reason: z.string(),
  holdings: z.strictObject({
    formula: z.string(),
    z: figure,
    atoms: figure,
    density: figure,
    charge: figure.optional(),
  }),
  contacts: z.array(z.strictObject({ pair: z.tuple([z.string(), z.string()]), distance: figure, absurd: z.boolean() })),
  rows: z.array(
    z.strictObject({
      label: z.string(),
      multiplicity: figure,
      letter: z.string().optional(),
      siteSymmetry: z.string(),
      nearest: z.strictObject({ label: z.string(), distance: figure }).optional(),
    }),
  ),
  special: z.array(
    z.strictObject({ label: z.string(), position: vec3Schema, away: figure, now: figure, then: figure }),
  ),
});
const fromSymmetrySchema = z.strictObject({
  judged: z.array(judgedSchema),
  understood: z.string(),
  problems: z.array(z.strictObject({ line: figure, text: z.string(), reason: z.string() })),
});

export const fromSymmetryTask = task<SymmetryWish, FromSymmetry, never>({
  input: z.strictObject({
    symbol: z.string(),
    constants: z.array(z.number()),
    table: z.string(),
    snapped: z.array(z.string()),
  }),
  output: fromSymmetrySchema,
  run: async ({ symbol, constants, table, snapped }) => {
    const { sites, problems, understood } = readSiteTable(table);
    const judged = sites.length
      ? buildAndJudge(
          symbol,
          constants,
          sites.map((r) => r.site),
          new Set(snapped),
        )
      : [];
    return {
      understood,
      problems: [...problems],
      judged: judged.map(({ origin, structure, score, coordination, reason, special }) => ({
        origin,
        structure,
        score,
        coordination,
        reason,
        holdings: holdings(structure),
        contacts: shortestContacts(structure),
        special,
        rows: siteRows(structure),
      })),
    };
  },
});

/** The answers and their schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [SameBut<typeof judgedSchema, JudgedCrystal, 'structure'>, SameBut<typeof fromSymmetrySchema, FromSymmetry, 'judged'>]
>;
