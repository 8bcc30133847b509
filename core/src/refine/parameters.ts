/** The physical parameters of a crystal in one vector: where each stands, and what it is called. */
import { metricTensor, reciprocalLengths, type Cell } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';

/** Overall scale, extinction, then per site x y z, occupancy, and six displacement values (the first alone for U_iso); twin fractions last. */
export const SCALE = 0;
export const EXTINCTION = 1;
const FIRST_SITE = 2;
const PER_SITE = 10;
export const siteOffset = (site: number): number => FIRST_SITE + PER_SITE * site;
export const OCCUPANCY = 3;
export const DISPLACEMENT = 4;
/** First of the twin fractions. */
export const twinOffset = (sites: number): number => siteOffset(sites);

/** What a physical parameter is. */
export type Parameter =
  | { readonly kind: 'scale' | 'extinction' }
  | { readonly kind: 'twin'; readonly component: number }
  | { readonly kind: 'position' | 'displacement'; readonly site: number; readonly component: number }
  | { readonly kind: 'occupancy'; readonly site: number };

/** The parameter at an index of the vector of a crystal with so many sites. */
export function parameterAt(index: number, sites: number): Parameter {
  if (index === SCALE) return { kind: 'scale' };
  if (index === EXTINCTION) return { kind: 'extinction' };
  if (index >= twinOffset(sites)) return { kind: 'twin', component: index - twinOffset(sites) };
  const site = Math.floor((index - FIRST_SITE) / PER_SITE);
  const part = (index - FIRST_SITE) % PER_SITE;
  if (part < OCCUPANCY) return { kind: 'position', site, component: part };
  return part === OCCUPANCY
    ? { kind: 'occupancy', site }
    : { kind: 'displacement', site, component: part - DISPLACEMENT };
}

const TENSOR = ['U11', 'U22', 'U33', 'U12', 'U13', 'U23'];

/** "x of C7", "U12 of O1", "overall scale". */
export function parameterWords(s: Structure, index: number): string {
  const p = parameterAt(index, s.sites.length);
  switch (p.kind) {
    case 'scale':
      return 'overall scale';
    case 'extinction':
      return 'extinction';
    case 'twin':
      return `twin fraction ${p.component + 2}`;
    case 'position':
      return `${['x', 'y', 'z'][p.component]} of ${s.sites[p.site]!.label}`;
    case 'occupancy':
      return `occupancy of ${s.sites[p.site]!.label}`;
    case 'displacement': {
      const site = s.sites[p.site]!;
      return `${site.displacement.kind === 'aniso' ? TENSOR[p.component] : 'U'} of ${site.label}`;
    }
  }
}

/** Which values are refined beside what the model's controls say. */
export interface FreeValues {
  extinction: boolean;
  /** Indices of sites whose occupancy is free on its own. */
  occupancies?: readonly number[];
  /** Indices of sites held entirely. */
  fixed?: ReadonlySet<number>;
  /** Number of twin fractions, refined when present. */
  twins?: number;
}

/** Coefficients of U_eq in the six CIF components. */
export function equivalentCoefficients(cell: Cell): readonly number[] {
  const g = metricTensor(cell),
    r = reciprocalLengths(cell);
  const c = (i: number, j: number): number => (r[i]! * r[j]! * g[3 * i + j]!) / 3;
  return [c(0, 0), c(1, 1), c(2, 2), 2 * c(0, 1), 2 * c(0, 2), 2 * c(1, 2)];
}

/** Physical values of a structure. */
export function physicalValues(
  s: Structure,
  overall: number,
  extinction: number,
  twins: readonly number[] = [],
): Float64Array {
  const p = new Float64Array(twinOffset(s.sites.length) + twins.length);
  p.set(twins, twinOffset(s.sites.length));
  p[SCALE] = overall;
  p[EXTINCTION] = extinction;
  s.sites.forEach((site, i) => {
    const at = siteOffset(i);
    site.position.forEach((x, k) => (p[at + k] = x));
    p[at + OCCUPANCY] = site.occupancy;
    if (site.displacement.kind === 'iso') p[at + DISPLACEMENT] = site.displacement.u;
    else site.displacement.u.forEach((x, k) => (p[at + DISPLACEMENT + k] = x));
  });
  return p;
}
