/** Contacts of a structure by several definitions, what they make together, and who is left over. */
import { z } from 'zod';
import { CONTACT_KINDS, LINE_STYLES, type Definition } from '../contacts/definition.ts';
import { ContactSearch, type Contact } from '../contacts/find-contacts.ts';
import { Motifs, networkOf, type ContactNetwork, type Motif } from '../contacts/motifs.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { covarianceSchema, figure } from './result-schemas.ts';
import type { AllTrue, SameType } from './same-type.ts';
import { atomRefSchema, structureSchema, vec3Schema } from './schemas.ts';
import { task } from './task.ts';

export interface ContactsWish {
  readonly structure: Structure;
  readonly definitions: readonly Definition[];
  readonly covariance?: CovarianceData;
}

export interface FoundContacts {
  readonly contacts: readonly Contact[];
  /** Labels of what could give and does not, and of what could take and does not; of each definition by its id. */
  readonly unused: Readonly<Record<string, { readonly givers: readonly string[]; readonly takers: readonly string[] }>>;
  readonly motifs: readonly Motif[];
  readonly network: ContactNetwork;
}

/** Pairs of kinds of contact grow with the square: beyond this many single motifs are told alone. */
const MOST_PAIRED = 24;

const limitSchema = z.union([
  z.strictObject({ by: z.literal('length'), from: z.number().min(0).max(20), to: z.number().min(0).max(20) }),
  z.strictObject({ by: z.literal('radii'), beyond: z.number().min(-3).max(3) }),
]);
export const definitionSchema = z.strictObject({
  id: z.string().min(1),
  name: z.string().min(1),
  kind: z.enum(CONTACT_KINDS),
  givers: z.array(z.string()).min(1),
  takers: z.array(z.string()).min(1),
  far: limitSchema.optional(),
  near: limitSchema.optional(),
  leastAngle: z.number().min(0).max(180),
  where: z.enum(['anywhere', 'inside', 'between']),
  leastBonds: z.number().int().min(0).max(12),
  hydrogens: z.enum(['asked for', 'where there are any']),
  line: z.enum(LINE_STYLES),
});
const measuredSchema = z.strictObject({ value: figure, su: figure });
export const contactSchema = z.strictObject({
  definition: z.string(),
  giver: atomRefSchema,
  hydrogen: atomRefSchema.optional(),
  taker: atomRefSchema,
  giverRing: z.array(atomRefSchema).optional(),
  takerRing: z.array(atomRefSchema).optional(),
  dh: measuredSchema.optional(),
  ha: measuredSchema.optional(),
  da: measuredSchema,
  angle: measuredSchema.optional(),
  inside: z.boolean(),
  bondsBetween: figure.optional(),
  atTaker: figure.optional(),
  outOfPlane: figure.optional(),
  valence: figure.optional(),
  likely: z.boolean(),
});
const motifSchema = z.strictObject({
  kind: z.enum(['inside', 'ring', 'chain', 'discrete']),
  graphSet: z.string(),
  direction: vec3Schema.optional(),
  period: figure.optional(),
  contacts: z.array(figure),
});
const foundSchema = z.strictObject({
  contacts: z.array(contactSchema),
  unused: z.record(z.string(), z.strictObject({ givers: z.array(z.string()), takers: z.array(z.string()) })),
  motifs: z.array(motifSchema),
  network: z.strictObject({
    dimension: z.union([z.literal(0), z.literal(1), z.literal(2), z.literal(3)]),
    shape: z.enum(['finite', 'ring', 'chain', 'ladder', 'layer', 'framework']),
    directions: z.array(vec3Schema),
    coordination: figure,
  }),
});

/** What was found of one structure, by definition. */
class ContactBook {
  readonly search: ContactSearch;
  private readonly known = new Map<string, readonly Contact[]>();

  constructor(
    readonly key: string,
    structure: Structure,
    covariance: CovarianceData | undefined,
  ) {
    this.search = new ContactSearch(bonded(structure), covariance);
  }

  find(d: Definition): readonly Contact[] {
    const key = JSON.stringify(d);
    let found = this.known.get(key);
    if (!found) this.known.set(key, (found = this.search.find(d)));
    return found;
  }
}

let lastBook: ContactBook | undefined;

/** The book of the structure asked for last is kept: while a definition is changed only that one is looked for again. */
function bookOf(structure: Structure, covariance: CovarianceData | undefined): ContactBook {
  const spread = covariance ? [...covariance.packed.subarray(0, 60)] : [];
  const key = JSON.stringify([structure, spread]);
  if (lastBook?.key !== key) lastBook = new ContactBook(key, structure, covariance);
  return lastBook;
}

/** Contacts of every definition, in their order; motifs of directed ones; the network of all that lead to other molecules. */
export function contactsOf({ structure, definitions, covariance }: ContactsWish): FoundContacts {
  const book = bookOf(structure, covariance);
  const { search } = book;
  const contacts: Contact[] = [];
  const unused: Record<string, { givers: string[]; takers: string[] }> = {};
  for (const d of definitions) {
    const found = book.find(d);
    contacts.push(...found);
    const left = search.unused(d, found);
    const labels = (list: readonly number[]): string[] => list.map((i) => structure.sites[i]!.label);
    unused[d.id] = { givers: labels(left.givers), takers: labels(left.takers) };
  }
  const directed = new Set(definitions.filter((d) => d.kind === 'hydrogen' || d.kind === 'sigma').map((d) => d.id));
  const motifs = new Motifs(search, contacts, MOST_PAIRED).all((c) => directed.has(c.definition));
  return { contacts, unused, motifs, network: networkOf(search.s, contacts) };
}

export const contactsTask = task<ContactsWish, FoundContacts, never>({
  input: z.strictObject({
    structure: structureSchema,
    definitions: z.array(definitionSchema).max(20),
    covariance: covarianceSchema.optional(),
  }),
  output: foundSchema,
  run: async (wish) => contactsOf(wish),
});

/** Types and schemas say the same; this line compiles only then. */
export type Checked = AllTrue<
  [SameType<typeof definitionSchema, Definition>, SameType<typeof foundSchema, FoundContacts>]
>;
