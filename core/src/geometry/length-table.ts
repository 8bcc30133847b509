/** Bond lengths and angles as rows of a table, and what kinds of them have in common. */
import {
  invertPlacement,
  isHome,
  originalRef,
  placeKey,
  siteOf,
  symmetryCode,
  type AtomRef,
} from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import type { CovarianceData } from '../refine/covariance.ts';
import { bondAngles, listedBonds, neighbourRef } from './bonds.ts';
import { angle, distance, type Figure } from './figures.ts';
import { measure } from './measure.ts';

export interface LengthRow {
  readonly atoms: readonly AtomRef[];
  /** "Ti1–O2 (3_655)". */
  readonly name: string;
  /** "Ti–O", "O–Ti–O". */
  readonly kind: string;
  readonly value: number;
  readonly su: number;
}

const named = (s: Structure, a: AtomRef): string => {
  const label = siteOf(s, a)!.label;
  return isHome(a) ? label : `${label} (${symmetryCode(a)})`;
};

/** Elements named after all others, in this order: those that take electrons, then hydrogen. */
const LATER = ['C', 'P', 'Se', 'S', 'I', 'Br', 'N', 'Cl', 'O', 'F', 'H', 'D'];

/** Elements of a bond, or the ends of an angle, in one order. */
function kindOf(elements: readonly string[]): string {
  const [first, last] = [elements[0]!, elements.at(-1)!];
  const d = LATER.indexOf(first) - LATER.indexOf(last);
  return (d > 0 || (d === 0 && first > last) ? [...elements].reverse() : elements).join('–');
}

function row(s: Structure, atoms: readonly AtomRef[], figure: Figure, covariance?: CovarianceData): LengthRow {
  const { value, su } = measure(s, atoms, figure, covariance);
  return {
    atoms,
    name: atoms.map((a) => named(s, a)).join('–'),
    kind: kindOf(atoms.map((a) => siteOf(s, a)!.element)),
    value,
    su,
  };
}

/** Each bond once, Å: one that leads to a copy is listed from one of its ends. */
export function bondTable(s: Structure, covariance?: CovarianceData): LengthRow[] {
  const seen = new Set<string>();
  const key = (from: string, to: AtomRef): string => `${from} ${placeKey(s, to)}`;
  return listedBonds(s).flatMap((b) => {
    const from = originalRef(s.sites[b.from]!.id),
      to = neighbourRef(s, b);
    const turned = { site: from.site, ...invertPlacement(s.spaceGroup, to) };
    if (from.site !== to.site && seen.has(key(to.site, turned))) return [];
    seen.add(key(from.site, to));
    return [row(s, [from, to], distance, covariance)];
  });
}

/** Every angle between two bonds of a site, degrees. */
export const angleTable = (s: Structure, covariance?: CovarianceData): LengthRow[] =>
  bondAngles(s).map(({ atoms }) => row(s, atoms, angle, covariance));

/** Rows that symmetry makes equal, told once. */
export interface CountedRow extends LengthRow {
  readonly times: number;
}

/** Å or degrees: values that symmetry makes equal differ by rounding alone. */
const EQUAL = 1e-5;

/** Rows between the same sites with the same value as one, in the order of their first. */
export function countedRows(rows: readonly LengthRow[]): CountedRow[] {
  const out = new Map<string, CountedRow>();
  for (const r of rows) {
    const sites = r.atoms.map((a) => a.site);
    const ends = sites[0]! > sites.at(-1)! ? [...sites].reverse() : sites;
    const key = `${ends.join(' ')} ${Math.round(r.value / EQUAL)}`;
    const known = out.get(key);
    out.set(key, known ? { ...known, times: known.times + 1 } : { ...r, times: 1 });
  }
  return [...out.values()];
}

export interface KindSummary {
  readonly kind: string;
  readonly count: number;
  readonly mean: number;
  /** Standard deviation of the sample; 0 of a single one. */
  readonly spread: number;
  readonly least: number;
  readonly most: number;
  /** Names of rows that stand apart from the others. */
  readonly outliers: readonly string[];
}

/** Median absolute deviations that make an outlier, and s.u. it must exceed too. */
const FAR = 3.5,
  SURE = 3;
/** A median absolute deviation in terms of a normal distribution's σ. */
const TO_SIGMA = 1.4826;
/** Fewer than this say nothing of what is usual. */
const FEWEST = 5;

const median = (list: readonly number[]): number => {
  const sorted = [...list].sort((a, b) => a - b);
  const n = sorted.length;
  return (sorted[(n - 1) >> 1]! + sorted[n >> 1]!) / 2;
};

function outliersOf(rows: readonly LengthRow[]): string[] {
  if (rows.length < FEWEST) return [];
  const middle = median(rows.map((r) => r.value));
  const spread = TO_SIGMA * median(rows.map((r) => Math.abs(r.value - middle)));
  // Lengths that symmetry makes equal have no spread; the last digit shown is then the measure.
  const limit = Math.max(FAR * spread, 1e-3 * Math.abs(middle));
  return rows.filter((r) => Math.abs(r.value - middle) > Math.max(limit, SURE * r.su)).map((r) => r.name);
}

/** Rows gathered by kind, most frequent first. */
export function kindSummaries(rows: readonly LengthRow[]): KindSummary[] {
  const kinds = new Map<string, LengthRow[]>();
  for (const r of rows) {
    const list = kinds.get(r.kind);
    if (list) list.push(r);
    else kinds.set(r.kind, [r]);
  }
  return [...kinds]
    .map(([kind, list]): KindSummary => {
      const values = list.map((r) => r.value);
      const mean = values.reduce((a, b) => a + b, 0) / values.length;
      const square = values.reduce((sum, v) => sum + (v - mean) ** 2, 0);
      return {
        kind,
        count: list.length,
        mean,
        spread: list.length > 1 ? Math.sqrt(square / (list.length - 1)) : 0,
        least: Math.min(...values),
        most: Math.max(...values),
        outliers: outliersOf(list),
      };
    })
    .sort((p, q) => q.count - p.count || p.kind.localeCompare(q.kind));
}
