/** `contacts` of the terminal: who gives and who takes by a definition, and what that makes of the crystal. */
import { readFileSync } from 'node:fs';
import { definitionWords, SHIPPED, type Definition } from '@nagare/core/contacts/definition';
import type { Contact } from '@nagare/core/contacts/find-contacts';
import { siteOf, symmetryCode, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured, type Measured } from '@nagare/core/crystal/uncertainty';
import { contactsOf, definitionSchema } from '@nagare/core/tasks/contacts-task';
import { BadInput, rounded, type Answer } from './answers.ts';
import { issuePhrase } from '@nagare/core/formats/issue-words';

/** A definition from a file, or hydrogen bonds as they ship. */
function definitionOf(path: string | undefined): Definition {
  if (path === undefined) return SHIPPED[0]!;
  let parsed: unknown;
  try {
    parsed = JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    throw new BadInput(`${path} cannot be read as JSON.`);
  }
  const shipped = SHIPPED.find((d) => d.id === (parsed as { id?: unknown }).id);
  // What is left out is as in the definition of that name that ships, or as in hydrogen bonds.
  const found = definitionSchema.safeParse({ ...(shipped ?? SHIPPED[0]), ...(parsed as object) });
  if (!found.success) {
    throw new BadInput(`${path} is no definition: ${issuePhrase(found.error, 'the whole')}.`);
  }
  return found.data;
}

const value = (m: Measured | undefined): number | null => (m ? rounded(m.value, 6) : null);
const su = (m: Measured | undefined): number | null => (m ? rounded(m.su, 6) : null);

/** A contact as the terminal tells it. */
export function contactRow(s: Structure, c: Contact) {
  const label = (a: AtomRef): string => siteOf(s, a)!.label;
  return {
    donor: label(c.giver),
    hydrogen: c.hydrogen ? label(c.hydrogen) : null,
    acceptor: label(c.taker),
    symmetry: symmetryCode(c.taker),
    dh: value(c.dh),
    ha: value(c.ha),
    da: value(c.da),
    angle: value(c.angle),
    suDh: su(c.dh),
    suHa: su(c.ha),
    suDa: su(c.da),
    suAngle: su(c.angle),
    inside: c.inside,
    bondsBetween: c.bondsBetween ?? null,
    atAcceptor: c.atTaker === undefined ? null : rounded(c.atTaker, 3),
    outOfPlane: c.outOfPlane === undefined ? null : rounded(c.outOfPlane, 3),
    valence: c.valence === undefined ? null : rounded(c.valence, 4),
    likely: c.likely,
  };
}

export function contactsAnswer(s: Structure, definitionPath: string | undefined): Answer {
  const definition = definitionOf(definitionPath);
  const { contacts, unused, motifs, network } = contactsOf({ structure: s, definitions: [definition] });
  const left = unused[definition.id]!;
  const label = (a: AtomRef | undefined): string => (a ? siteOf(s, a)!.label : '');
  const line = (c: Contact): string => {
    const lengths = [
      c.ha && `H⋯A ${formatMeasured(c.ha.value, c.ha.su, 2)}`,
      `D⋯A ${formatMeasured(c.da.value, c.da.su, 3)} Å`,
    ];
    const bent = c.angle ? `, ${formatMeasured(c.angle.value, c.angle.su, 0)}°` : '';
    const via = c.hydrogen ? `–${label(c.hydrogen)}` : '';
    return `${label(c.giver)}${via}⋯${label(c.taker)} ${symmetryCode(c.taker)}: ${lengths.filter(Boolean).join(', ')}${bent}${c.inside ? ', inside' : ''}${c.likely ? ', likely' : ''}`;
  };
  const shape =
    network.dimension || network.coordination
      ? `The network is a ${network.shape}`
      : 'No contact leads to another molecule';
  return {
    json: {
      definition,
      contacts: contacts.map((c) => contactRow(s, c)),
      motifs: motifs.map((m) => ({
        kind: m.kind,
        direction: m.direction ?? null,
        period: m.period === undefined ? null : rounded(m.period, 4),
        graphSet: m.graphSet,
        contacts: m.contacts,
      })),
      dimensionality: network.dimension,
      network: network.shape,
      unusedDonors: left.givers,
      unusedAcceptors: left.takers,
    },
    text: [
      definitionWords(definition),
      ...contacts.map(line),
      ...(motifs.length ? [`Motifs: ${motifs.map((m) => m.graphSet).join(', ')}.`] : []),
      `${shape === 'The network is a finite' ? 'The network is finite' : shape}.`,
      `Left over: ${left.givers.join(', ') || 'no donor'}; ${left.takers.join(', ') || 'no acceptor'}.`,
    ].join('\n'),
  };
}
