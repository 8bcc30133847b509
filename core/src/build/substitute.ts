/** One element in the place of another, the cell made larger or smaller by their radii where that is wished. */
import { findElement, elementOf } from '../crystal/elements.ts';
import { ionicRadius, siteCharges } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { Surroundings } from '../geometry/coordination.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { withoutRules } from './whole-cell.ts';

export interface Substitution {
  readonly structure: Structure;
  readonly sites: readonly string[];
  /** Factor on a, b and c; 1 where the cell stays. */
  readonly factor: number;
  readonly words: string;
}

/** Sites that a name means: a label, or an element for all of its sites. */
function sitesNamed(s: Structure, name: string): number[] {
  const lower = name.trim().toLowerCase();
  const byLabel = s.sites.flatMap((x, i) => (x.label.toLowerCase() === lower ? [i] : []));
  if (byLabel.length) return byLabel;
  const byElement = s.sites.flatMap((x, i) => (x.element.toLowerCase() === lower ? [i] : []));
  if (byElement.length) return byElement;
  throw new RangeError(
    `No site is called "${name}". There are ${s.sites
      .slice(0, 12)
      .map((x) => x.label)
      .join(', ')}.`,
  );
}

/** Radius of an element where a site stands: ionic by charge and coordination where both are known, else covalent, Å. */
function radiusAt(element: string, charge: number | undefined, coordination: number): number {
  return (
    (charge === undefined ? undefined : ionicRadius(element, charge, coordination)) ?? elementOf(element).covalentRadius
  );
}

/**
 * The mean factor by which bonds to the changed sites grow, each bond weighed by how often the cell holds it, and bonds of
 * other sites kept: the edge follows the mean of all bonds, as in a series of isostructural compounds.
 */
function growth(before: Structure, after: Structure, changed: ReadonlySet<number>): number {
  const s = bonded(before);
  const around = new Surroundings(s);
  const charges = siteCharges(after);
  let old = 0,
    now = 0;
  s.sites.forEach((_, i) => {
    const list = around.around(i);
    for (const n of list) {
      const difference = [i, n.to].reduce((sum, k) => {
        if (!changed.has(k)) return sum;
        const number = around.around(k).length || list.length;
        const was = radiusAt(s.sites[k]!.element, around.charges[k], number);
        return sum + radiusAt(after.sites[k]!.element, charges[k], number) - was;
      }, 0);
      old += n.distance;
      now += n.distance + difference;
    }
  });
  return old > 0 ? now / old : 1;
}

/** Puts an element on the sites that a name means (a label, or an element for all of them). Throws RangeError where either is not there. */
export function substitute(s: Structure, name: string, by: string, rescale: boolean): Substitution {
  const element = findElement(by.trim())?.symbol;
  if (!element) throw new RangeError(`"${by}" is no element.`);
  const indices = sitesNamed(s, name);
  const changed = new Set(indices);
  const labels = renamed(s, changed, element);
  const sites = s.sites.map((x, i) => {
    if (!changed.has(i)) return x;
    const { charge, ...rest } = x;
    const kept = charge !== undefined && ionicRadius(element, charge, 6) !== undefined ? { charge } : {};
    return { ...rest, ...kept, element, label: labels[i]! };
  });
  const plain = withoutRules({ ...s, sites });
  const factor = rescale ? growth(withoutRules(s), plain, changed) : 1;
  const { su: _, ...cell } = s.cell;
  const structure =
    factor === 1 ? plain : { ...plain, cell: { ...cell, a: cell.a * factor, b: cell.b * factor, c: cell.c * factor } };
  const what = `${element} stands on ${indices.map((i) => s.sites[i]!.label).join(', ')}`;
  const size = factor === 1 ? '' : `; the axes are ${factor.toFixed(4)} times as long by the radii`;
  return { structure, sites: indices.map((i) => labels[i]!), factor, words: `${what}${size}.` };
}

/** Labels in which the new element stands for the old one, none of them twice. */
function renamed(s: Structure, changed: ReadonlySet<number>, element: string): string[] {
  const taken = new Set(s.sites.flatMap((x, i) => (changed.has(i) ? [] : [x.label])));
  return s.sites.map((x, i) => {
    if (!changed.has(i)) return x.label;
    const tail = x.label.startsWith(x.element) ? x.label.slice(x.element.length) : '1';
    let label = `${element}${tail}`;
    for (let n = 1; taken.has(label); n++) label = `${element}${n}`;
    taken.add(label);
    return label;
  });
}
