/** What the sheet of wishes says, and what it draws. */
import { PROBES, type Probe } from '@nagare/core/contacts/probes';
import type { JudgedContact, Wish, Wishes } from '@nagare/core/contacts/wishes';
import { siteOf, symmetryCode } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SceneColours } from '@nagare/core/draw/colours';
import { ball } from '@nagare/core/draw/balls';
import type { Layer, PointPrimitive } from '@nagare/core/draw/scene';
import type { Surface } from '@nagare/core/maps/isosurface';
import type { PlainTable } from '@nagare/core/publish/tables';
import { contactName } from './contact-words.ts';

const HUES: Readonly<Record<Probe, keyof SceneColours>> = {
  donor: 'gold',
  'charged donor': 'gold',
  acceptor: 'water',
  'charged acceptor': 'water',
  water: 'vermilion',
  aromatic: 'pine',
  aliphatic: 'soft',
  fluorine: 'indigo',
  chlorine: 'indigo',
  bromine: 'indigo',
  iodine: 'indigo',
  halogen: 'indigo',
};
export const hueOfProbe = (p: Probe): keyof SceneColours => HUES[p];

/** Probes that can be chosen: the halogens by themselves, not together. */
export const OFFERED = PROBES.filter((p) => p !== 'halogen');

const GRANT_WORDS = { granted: 'granted', 'half granted': 'half', 'not granted': 'not' } as const;
export const grantWord = (w: Wish): string => GRANT_WORDS[w.grant];

/** One name for a spot, whatever else is told of it. */
export const spotName = (w: Wish): string => `${w.probe} ${w.position.map((x) => x.toFixed(3)).join(' ')}`;

export const byWords = (s: Structure, w: Wish): string => {
  if (!w.by) return '';
  const code = symmetryCode(w.by);
  return `${siteOf(s, w.by)?.label ?? '?'}${code === '.' ? '' : ` ${code}`}`;
};

export const times = (x: number): string => (x < 9.95 ? x.toFixed(1) : x.toFixed(0));

export function servedWords(w: Wishes): string {
  if (w.served === undefined) return `${w.molecule.formula} wishes for none of these.`;
  return `The crystal serves ${w.molecule.formula} with ${Math.round(100 * w.served)} % of its wishes.`;
}

/** How many of a probe's wishes are granted, half granted and not. */
export function grantCounts(w: Wishes, probe: Probe): readonly [granted: number, half: number, not: number] {
  const own = w.spots.filter((x) => x.probe === probe);
  const count = (g: Wish['grant']): number => own.filter((x) => x.grant === g).length;
  return [count('granted'), count('half granted'), count('not granted')];
}

export function surpriseWords(list: readonly JudgedContact[]): string {
  const odd = list.filter((c) => !c.expected).length;
  if (!list.length) return 'The molecule makes no contact by the definitions that ship.';
  return `${list.length} contacts, of which ${odd ? `${odd} ${odd === 1 ? 'is' : 'are'}` : 'none is'} surprising.`;
}

/** Å: marks of spots, and those that another mark stands for. */
const SPOT = 0.17,
  UNSEEN = 0.02;

/** Fields as surfaces and hot spots over them: granted ones are full balls, half granted ones cubes, the others open. */
export function wishLayers(
  spots: readonly Wish[],
  surfaces: readonly { readonly probe: Probe; readonly surface: Surface }[],
  picked: string | undefined,
  colours: SceneColours,
): Layer[] {
  const films = surfaces
    .filter((x) => x.surface.indices.length)
    .map(({ probe, surface }) => ({ ...surface, colour: colours[hueOfProbe(probe)], opacity: 0.28, mesh: 0.2 }));
  const points = spots.map((w): PointPrimitive => {
    const name = spotName(w);
    return {
      name,
      position: w.at,
      colour: colours[hueOfProbe(w.probe)],
      // Where something solid marks the place, only the picked one gets a ball around it.
      radius: name === picked ? 2 * SPOT : w.grant === 'not granted' ? SPOT : UNSEEN,
    };
  });
  const solid = spots
    .filter((w) => w.grant !== 'not granted')
    .map((w) => {
      const colour = colours[hueOfProbe(w.probe)];
      return w.grant === 'granted' ? ball(w.at, 1.3 * SPOT, colour) : ball(w.at, SPOT, colour, 1, 'cube');
    });
  return [
    { kind: 'surfaces', name: 'wishes', items: films },
    { kind: 'points', name: 'wishes', items: points },
    { kind: 'atoms', name: 'wishes', items: solid },
  ];
}

export function wishTable(s: Structure, w: Wishes): PlainTable {
  return {
    title: 'Wishes of the molecule',
    columns: ['wish', 'of', 'group', 'times chance', 'x', 'y', 'z', 'granted', 'by', 'Å away', 'times chance there'],
    rows: w.spots.map((x) => [
      x.probe,
      x.of ?? '',
      x.group ?? '',
      times(x.score),
      ...x.position.map((v) => v.toFixed(4)),
      x.grant,
      byWords(s, x),
      x.distance === undefined ? '' : x.distance.toFixed(2),
      x.strength === undefined ? '' : times(x.strength),
    ]),
    notes: [servedWords(w), ...w.remarks],
  };
}

export function judgedTable(s: Structure, list: readonly JudgedContact[]): PlainTable {
  return {
    title: 'Contacts against the wishes',
    columns: ['contact', 'the other is', 'times chance', ''],
    rows: list.map((c) => [contactName(s, c.contact), c.probe, times(c.score), c.expected ? 'expected' : 'surprising']),
    notes: [],
  };
}
