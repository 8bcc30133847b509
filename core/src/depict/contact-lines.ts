/** Contacts as lines of a picture. */
import type { Definition, LineStyle } from '../contacts/definition.ts';
import type { Contact } from '../contacts/find-contacts.ts';
import type { SceneColours } from '../draw/colours.ts';
import type { DrawnContact } from '../draw/contact-layers.ts';

/** Å */
const RADII: Readonly<Record<LineStyle, number>> = {
  dots: 0.03,
  'short dashes': 0.05,
  'long dashes': 0.07,
  full: 0.04,
};
const DASHES: Readonly<Record<LineStyle, number>> = { dots: 0.05, 'short dashes': 0.14, 'long dashes': 0.34, full: 0 };
const HUES: readonly (keyof SceneColours)[] = ['indigo', 'gold', 'vermilion', 'pine', 'water'];

/** The colour of the n-th definition that is shown. */
export const hueOf = (n: number): keyof SceneColours => HUES[n % HUES.length]!;

/** Lines of contacts, those of each definition in its colour and dashes. */
export function drawnContacts(
  found: { readonly contacts: readonly Contact[] },
  definitions: readonly Definition[],
  colours: SceneColours,
): DrawnContact[] {
  const order = new Map(definitions.map((d, i) => [d.id, { d, colour: colours[hueOf(i)] }]));
  return found.contacts.flatMap((c): DrawnContact[] => {
    const style = order.get(c.definition);
    if (!style) return [];
    return [
      {
        from: c.giverRing ?? [c.hydrogen ?? c.giver],
        to: c.takerRing ?? [c.taker],
        colour: style.colour,
        radius: RADII[style.d.line],
        dash: DASHES[style.d.line],
      },
    ];
  });
}
