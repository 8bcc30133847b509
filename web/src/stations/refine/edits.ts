/** Changes of a model, each with the words its mark will carry. A string instead says why it cannot be done. */
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { snapToSymmetry } from '@nagare/core/crystal/space-group';
import { metricTensor } from '@nagare/core/crystal/cell';
import type { ResidualPeak } from '@nagare/core/maps/residual';
import { findElement } from '@nagare/core/crystal/elements';

export type Change = { structure: Structure; title: string } | string;

const listOf = (s: Structure, sites: readonly number[]): string => (sites.length <= 3 ? sites.map((i) => s.sites[i]!.label).join(', ') : `${sites.length} sites`);

/** The first free label of an element: C1, C2 … */
export function freeLabel(s: Structure, element: string): string {
  const taken = new Set(s.sites.map((x) => x.label));
  for (let n = 1; ; n++) if (!taken.has(`${element}${n}`)) return `${element}${n}`;
}

export function changeElement(s: Structure, sites: readonly number[], element: string): Change {
  if (!findElement(element)) return `"${element}" is not an element symbol. Write it like C, Cl or Fe.`;
  let next = s;
  for (const i of sites) {
    const label = freeLabel({ ...next, sites: next.sites.filter((_, j) => j !== i) }, element);
    next = { ...next, sites: next.sites.map((x, j) => (j === i ? { ...x, element, label } : x)) };
  }
  return { structure: next, title: `${listOf(s, sites)} made ${element}` };
}

export function deleteSites(s: Structure, sites: readonly number[]): Change {
  const gone = new Set(sites);
  return { structure: { ...s, sites: s.sites.filter((_, i) => !gone.has(i)) }, title: `${listOf(s, sites)} deleted` };
}

export function renameSite(s: Structure, site: number, label: string): Change {
  if (!/^[A-Za-z][^\s]{0,11}$/.test(label)) return `"${label}" cannot be a label. Begin with the element symbol and use no blanks.`;
  if (s.sites.some((x, i) => i !== site && x.label === label)) return `${label} is already taken by another site.`;
  if (s.sites[site]!.label === label) return 'The label is the same as before.';
  return { structure: { ...s, sites: s.sites.map((x, i) => (i === site ? { ...x, label } : x)) }, title: `${s.sites[site]!.label} renamed ${label}` };
}

/** Turns residual peaks into atoms. */
export function promotePeaks(s: Structure, peaks: readonly ResidualPeak[], element: string): Change {
  if (!findElement(element)) return `"${element}" is not an element symbol. Write it like C, Cl or Fe.`;
  let next = s;
  const metric = metricTensor(s.cell);
  for (const p of peaks)
    next = { ...next, sites: [...next.sites, { id: newId(), label: freeLabel(next, element), element, position: snapToSymmetry(s.spaceGroup, metric, p.position, 0.2), occupancy: 1, displacement: { kind: 'iso', u: element === 'H' ? 0.03 : 0.04 } }] };
  return { structure: next, title: `${peaks.length <= 3 ? peaks.map((p) => p.name).join(', ') : `${peaks.length} peaks`} made ${element}` };
}
