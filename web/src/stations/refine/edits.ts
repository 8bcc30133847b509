/** Changes of a model, each with the words its mark will carry. A string instead says why it cannot be done. */
import { chargeOf, typeSymbol } from '@nagare/core/crystal/charge';
import { equivalentU, isotropicTensor, newId, type Structure } from '@nagare/core/crystal/structure';
import { withSites } from '@nagare/core/model/place-hydrogens';
import { snapToSymmetry } from '@nagare/core/crystal/space-group';
import { metricTensor } from '@nagare/core/crystal/cell';
import type { ResidualPeak } from '@nagare/core/maps/residual';
import { findElement } from '@nagare/core/crystal/elements';
import { assignOccupancy, assignPosition } from '@nagare/core/refine/holds';

export type Change = { structure: Structure; title: string } | string;

const listOf = (s: Structure, sites: readonly number[]): string =>
  sites.length <= 3 ? sites.map((i) => s.sites[i]!.label).join(', ') : `${sites.length} sites`;

/** The first free label of an element: C1, C2 … */
export function freeLabel(s: Structure, element: string): string {
  const taken = new Set(s.sites.map((x) => x.label));
  for (let n = 1; ; n++) if (!taken.has(`${element}${n}`)) return `${element}${n}`;
}

/** `symbol` is that of an element, with a formal charge where there is one: Fe, Fe3+, Cl1-. */
export function changeElement(s: Structure, sites: readonly number[], symbol: string): Change {
  const charge = chargeOf(symbol);
  const element = charge === undefined ? symbol : symbol.replace(/[\d+-]+$/, '');
  if (!findElement(element))
    return `"${symbol}" is not an element symbol. Write it like C, Cl or Fe, with a charge like Fe3+.`;
  let next = s;
  for (const i of sites) {
    const { charge: _, ...site } = next.sites[i]!;
    const others = { ...next, sites: next.sites.filter((_x, j) => j !== i) };
    const label = site.element === element ? site.label : freeLabel(others, element);
    const made = { ...site, element, label, ...(charge === undefined ? {} : { charge }) };
    next = { ...next, sites: next.sites.map((x, j) => (j === i ? made : x)) };
  }
  return { structure: next, title: `${listOf(s, sites)} made ${typeSymbol(element, charge)}` };
}

export function deleteSites(s: Structure, sites: readonly number[]): Change {
  const gone = new Set(sites);
  return {
    structure: withSites(
      s,
      s.sites.filter((_, i) => !gone.has(i)),
    ),
    title: `${listOf(s, sites)} deleted`,
  };
}

export function renameSite(s: Structure, site: number, label: string): Change {
  if (!/^[A-Za-z][^\s]{0,11}$/.test(label))
    return `"${label}" cannot be a label. Begin with the element symbol and use no blanks.`;
  if (s.sites.some((x, i) => i !== site && x.label === label)) return `${label} is already taken by another site.`;
  if (s.sites[site]!.label === label) return 'The label is the same as before.';
  return {
    structure: { ...s, sites: s.sites.map((x, i) => (i === site ? { ...x, label } : x)) },
    title: `${s.sites[site]!.label} renamed ${label}`,
  };
}

/** Turns residual peaks into atoms. */
export function promotePeaks(s: Structure, peaks: readonly ResidualPeak[], element: string): Change {
  if (!findElement(element)) return `"${element}" is not an element symbol. Write it like C, Cl or Fe.`;
  let next = s;
  const metric = metricTensor(s.cell);
  for (const p of peaks)
    next = {
      ...next,
      sites: [
        ...next.sites,
        {
          id: newId(),
          label: freeLabel(next, element),
          element,
          position: snapToSymmetry(s.spaceGroup, metric, p.position, 0.2),
          occupancy: 1,
          displacement: { kind: 'iso', u: element === 'H' ? 0.03 : 0.04 },
        },
      ],
    };
  return {
    structure: next,
    title: `${peaks.length <= 3 ? peaks.map((p) => p.name).join(', ') : `${peaks.length} peaks`} made ${element}`,
  };
}

/** Two maxima taken as one atom halfway between them. */
export function mergePeaks(
  s: Structure,
  peaks: readonly ResidualPeak[],
  element: string,
  snap: (x: readonly [number, number, number]) => readonly [number, number, number],
): Change {
  if (peaks.length !== 2) return 'Choose two maxima to merge them.';
  const [one, other] = peaks as [ResidualPeak, ResidualPeak];
  const x = [0, 1, 2].map(
    (k) =>
      one.position[k]! +
      (other.position[k]! - one.position[k]! - Math.round(other.position[k]! - one.position[k]!)) / 2,
  ) as [number, number, number];
  return {
    structure: {
      ...s,
      sites: [
        ...s.sites,
        {
          id: newId(),
          label: freeLabel(s, element),
          element,
          position: snap(x) as [number, number, number],
          occupancy: 1,
          displacement: { kind: 'iso', u: 0.05 },
        },
      ],
    },
    title: `${one.name} and ${other.name} merged to one ${element}`,
  };
}

/** Several sites merged into the first of them, at their mean place. */
export function mergeSites(s: Structure, sites: readonly number[]): Change {
  if (sites.length < 2) return 'Select at least two sites to merge.';
  const first = s.sites[sites[0]!]!;
  const position = first.position.map(
    (v, k) =>
      sites.reduce((sum, i) => sum + v + (s.sites[i]!.position[k]! - v - Math.round(s.sites[i]!.position[k]! - v)), 0) /
      sites.length,
  ) as unknown as Structure['sites'][number]['position'];
  const { disorder: _d, occupancySu: _o, ...plain } = first;
  const gone = new Set(sites.slice(1));
  const merged = withSites(
    s,
    s.sites
      .map((x, i) =>
        i === sites[0]
          ? {
              ...plain,
              position,
              occupancy: Math.min(
                1,
                sites.reduce((t, k) => t + s.sites[k]!.occupancy, 0),
              ),
            }
          : x,
      )
      .filter((_, i) => !gone.has(i)),
  );
  return { structure: merged, title: `${listOf(s, sites)} merged` };
}

/** One occupancy for several sites, and for all that share theirs. */
export function setOccupancy(s: Structure, sites: readonly number[], occupancy: number): Change {
  if (!(occupancy > 0 && occupancy <= 1)) return 'An occupancy lies above 0 and not above 1.';
  return {
    structure: assignOccupancy(s, sites, occupancy),
    title: `occupancy of ${listOf(s, sites)} set to ${occupancy}`,
  };
}

/** Isotropic or anisotropic for several sites. */
export function setDisplacementKind(s: Structure, sites: readonly number[], kind: 'iso' | 'aniso'): Change {
  const set = new Set(sites);
  return {
    structure: {
      ...s,
      sites: s.sites.map((x, i) => {
        if (!set.has(i) || x.displacement.kind === kind) return x;
        const u = equivalentU(s.cell, x.displacement);
        return { ...x, displacement: kind === 'iso' ? { kind, u } : { kind, u: isotropicTensor(s.cell, u) } };
      }),
    },
    title: `${listOf(s, sites)} ${kind === 'iso' ? 'isotropic' : 'anisotropic'}`,
  };
}

/** A site moved to other fractional coordinates. */
export function moveSiteTo(s: Structure, site: number, position: readonly [number, number, number]): Change {
  if (position.some((x) => !Number.isFinite(x) || Math.abs(x) > 20))
    return 'Fractional coordinates are plain numbers near 0 to 1.';
  return {
    structure: assignPosition(s, site, snapToSymmetry(s.spaceGroup, metricTensor(s.cell), position, 0.05)),
    title: `${s.sites[site]!.label} moved`,
  };
}
