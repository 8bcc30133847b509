/** What the colours of atoms tell: their element, or something else about them. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { siteIndices } from '../crystal/atom-ref.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { equivalentU, type Site, type Structure } from '../crystal/structure.ts';
import { netsOf } from '../geometry/nets.ts';
import { mixColours, type SceneColours } from './colours.ts';
import { elementColour } from './palette.ts';
import { groupName } from './style.ts';

export const COLOUR_RULES = ['element', 'site', 'molecule', 'group', 'charge', 'occupancy', 'displacement'] as const;
export type ColourRule = (typeof COLOUR_RULES)[number];

/** Hues for things without an order, told apart in the light and the dark theme. */
const APART = [
  '#2b7f8c',
  '#c8722b',
  '#7a5a9e',
  '#5b8f3f',
  '#b0476a',
  '#3f66b0',
  '#a9922a',
  '#5e7480',
  '#8c5a2b',
  '#3f8f72',
  '#8f3f8a',
  '#c8452b',
];
const ofMany = (i: number): string => APART[i % APART.length]!;

/** From little to much, through the ground's middle. */
const between = (share: number, colours: SceneColours): string =>
  share < 0.5
    ? mixColours(colours.indigo, '#c9c3b4', 2 * share)
    : mixColours('#c9c3b4', colours.vermilion, 2 * share - 1);

const ordered = (value: number, from: number, to: number, colours: SceneColours): string =>
  between(to > from ? (value - from) / (to - from) : 0.5, colours);

/** The plain colour of each atom by a rule; made once for a structure. */
export function colouring(s: Structure, rule: ColourRule, colours: SceneColours): (ref: AtomRef, site: Site) => string {
  const index = siteIndices(s);
  switch (rule) {
    case 'element':
      return (_, site) => elementColour(site.element);
    case 'site':
      return (ref) => ofMany(index.get(ref.site)!);
    case 'molecule': {
      const nets = netsOf(s);
      const order = new Map<string, number>();
      return (ref) => {
        const name = nets.nameOf(ref);
        if (!order.has(name)) order.set(name, order.size);
        return ofMany(order.get(name)!);
      };
    }
    case 'group': {
      const groups = [...new Set(s.sites.flatMap((x) => groupName(x) ?? []))].sort();
      return (_, site) => {
        const group = groupName(site);
        return group === undefined ? colours.soft : ofMany(groups.indexOf(group));
      };
    }
    case 'charge': {
      const charges = siteCharges(s);
      const most = Math.max(1, ...charges.map((q) => Math.abs(q ?? 0)));
      return (ref) => ordered(-(charges[index.get(ref.site)!] ?? 0), -most, most, colours);
    }
    case 'occupancy':
      return (_, site) => ordered(1 - site.occupancy, 0, 1, colours);
    case 'displacement': {
      const u = s.sites.map((x) => equivalentU(s.cell, x.displacement));
      const least = Math.min(...u),
        most = Math.max(...u);
      return (ref) => ordered(u[index.get(ref.site)!]!, least, most, colours);
    }
  }
}
