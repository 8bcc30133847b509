/** `wishes` of the terminal: what a molecule would like around itself and what its crystal grants. */
import { findProbe, PROBE_TRAITS, PROBES, type Probe } from '@nagare/core/contacts/probes';
import type { JudgedContact, Wish } from '@nagare/core/contacts/wishes';
import { originalRef, siteOf, symmetryCode } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { wishesOf } from '@nagare/core/tasks/wishes-task';
import { BadInput, rounded, type Answer } from './answers.ts';
import { contactRow } from './contacts.ts';

const USUAL: readonly Probe[] = ['donor', 'acceptor', 'halogen'];

function probesNamed(text: string | undefined): readonly Probe[] {
  if (text === undefined) return USUAL;
  return text
    .split(',')
    .filter((name) => name.trim())
    .map((name) => {
      const probe = findProbe(name);
      if (!probe) throw new BadInput(`"${name.trim()}" is not a probe. There are: ${PROBES.join(', ')}.`);
      return probe;
    });
}

const GRANTED = { granted: true, 'half granted': 'half', 'not granted': false } as const;

export function wishesAnswer(s: Structure, probeNames: string | undefined, label: string | undefined): Answer {
  const probes = probesNamed(probeNames);
  if (!probes.length) throw new BadInput(`--probes needs a name. There are: ${PROBES.join(', ')}.`);
  const site = label === undefined ? undefined : s.sites.find((x) => x.label === label);
  if (label !== undefined && !site) throw new BadInput(`There is no site "${label}" in the model.`);
  const { wishes } = wishesOf({ structure: s, probes, ...(site ? { molecule: originalRef(site.id) } : {}) });
  const spot = (w: Wish) => ({
    probe: w.probe,
    position: w.position.map((x) => rounded(x, 5)),
    cartesian: w.at.map((x) => rounded(x, 4)),
    score: rounded(w.score, 3),
    of: w.of ?? null,
    group: w.group ?? null,
    granted: GRANTED[w.grant],
    by: w.by ? siteOf(s, w.by)!.label : null,
    symmetry: w.by ? symmetryCode(w.by) : null,
    distance: w.distance === undefined ? null : rounded(w.distance, 4),
    strength: w.strength === undefined ? null : rounded(w.strength, 3),
  });
  const contact = (c: JudgedContact) => ({
    definition: c.contact.definition,
    ...contactRow(s, c.contact),
    probe: c.probe,
    score: rounded(c.score, 3),
    expected: c.expected,
  });
  const line = (w: Wish): string => {
    const by = w.by ? ` by ${siteOf(s, w.by)!.label} ${symmetryCode(w.by)}, ${w.distance!.toFixed(2)} Å away` : '';
    return `${w.probe} at ${w.of ?? 'no group'} (${w.group ?? ''}), ${w.score.toFixed(0)} times chance: ${w.grant}${by}`;
  };
  const odd = wishes.contacts.filter((c) => !c.expected);
  const served = wishes.served === undefined ? null : rounded(wishes.served, 4);
  return {
    json: {
      molecule: wishes.molecule.formula,
      probes: probes.map((p) => ({ probe: p, words: PROBE_TRAITS[p].words })),
      spots: wishes.spots.map(spot),
      contacts: wishes.contacts.map(contact),
      served,
      remarks: wishes.remarks,
    },
    text: [
      ...wishes.spots.map(line),
      `${wishes.contacts.length} contacts, ${odd.length} of them surprising.`,
      served === null
        ? 'It wishes for nothing of these.'
        : `The crystal serves ${wishes.molecule.formula} with ${Math.round(100 * served)} % of its wishes.`,
      ...wishes.remarks,
    ].join('\n'),
  };
}
