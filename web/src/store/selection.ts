/** Between atoms that are selected and the sites of the model. */
import { originalRef, siteIndices, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';

/** Indices of the sites that are selected, each once, in the order picked. */
export function selectedSites(s: Structure | undefined, selection: readonly AtomRef[]): number[] {
  if (!s) return [];
  const index = siteIndices(s);
  return [...new Set(selection.flatMap((a) => index.get(a.site) ?? []))];
}

/** Sites by index as atoms, where the model holds them. */
export const atomsOfSites = (s: Structure, sites: readonly number[]): AtomRef[] =>
  sites.flatMap((i) => (s.sites[i] ? [originalRef(s.sites[i]!.id)] : []));
