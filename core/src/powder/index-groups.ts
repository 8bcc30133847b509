/** Which space groups a list of indexed lines leaves possible, and how many lines each would show. */
import type { Cell } from '../crystal/cell.ts';
import { crystalSystem, laueClass, type CrystalSystem } from '../crystal/point-group.ts';
import { groupOfSetting, SETTINGS } from '../crystal/settings.ts';
import { reflectionSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { quadraticForm } from './model.ts';
import { powderReflections } from './reflections.ts';

export type IndexSystem = 'cubic' | 'tetragonal' | 'hexagonal' | 'orthorhombic' | 'monoclinic' | 'triclinic';
export const INDEX_SYSTEMS: readonly IndexSystem[] = [
  'cubic',
  'tetragonal',
  'hexagonal',
  'orthorhombic',
  'monoclinic',
  'triclinic',
];

export interface IndexedLine {
  readonly line: number;
  readonly h: number;
  readonly k: number;
  readonly l: number;
  /** Observed less calculated 2θ, degrees. */
  readonly delta: number;
}

/** Observed lines: 1/d², its error, and where they lie. */
export interface Lines {
  readonly q: Float64Array;
  readonly error: Float64Array;
  readonly twoTheta: readonly number[];
}

/** Different calculated 1/d² up to a limit under a lattice and group. */
export function possibleLines(cell: Cell, group: SpaceGroup, top: number): number[] {
  const list = powderReflections(cell, group, 1 / Math.sqrt(top));
  const q = quadraticForm(cell);
  const out: number[] = [];
  for (let i = 0; i < list.count; i++) {
    const h = list.h[i]!,
      k = list.k[i]!,
      l = list.l[i]!;
    const v = h * h * q[0]! + k * k * q[1]! + l * l * q[2]! + k * l * q[3]! + h * l * q[4]! + h * k * q[5]!;
    if (!out.length || v - out[out.length - 1]! > 1e-7) out.push(v);
  }
  return out;
}

export const LAUE_SYMBOL: Readonly<Record<IndexSystem, string>> = {
  cubic: 'm-3m',
  tetragonal: '4/mmm',
  hexagonal: '6/mmm',
  orthorhombic: 'mmm',
  monoclinic: '2/m',
  triclinic: '-1',
};
export const CENTRINGS: Readonly<Record<IndexSystem, readonly string[]>> = {
  cubic: ['F', 'I', 'P'],
  tetragonal: ['I', 'P'],
  hexagonal: ['R', 'P'],
  orthorhombic: ['F', 'I', 'C', 'A', 'B', 'P'],
  monoclinic: ['C', 'A', 'I', 'P'],
  triclinic: ['P'],
};
const systemOfClass = (laue: string): IndexSystem => {
  const s: CrystalSystem = crystalSystem(laue);
  return s === 'trigonal' ? 'hexagonal' : s;
};

let byClass: Map<string, { group: SpaceGroup; symbol: string }[]> | undefined;
/** Groups by system and centring letter, one setting of a type and monoclinic settings with b unique. */
export function groupsOf(system: IndexSystem, centring: string): { group: SpaceGroup; symbol: string }[] {
  if (!byClass) {
    byClass = new Map();
    const seen = new Set<string>();
    for (const s of SETTINGS) {
      const group = groupOfSetting(s);
      const laue = laueClass(group),
        sys = systemOfClass(laue);
      if (sys === 'monoclinic' && !/^.\s1\s\S+\s1$/.test(s.symbol)) continue;
      if (/:R|:1/i.test(`:${s.code}`)) continue;
      const key = `${sys}|${s.symbol[0]}`;
      const name = `${key}|${s.symbol}`;
      if (seen.has(name)) continue;
      seen.add(name);
      byClass.set(key, [...(byClass.get(key) ?? []), { group, symbol: s.symbol }]);
    }
  }
  return byClass.get(`${system}|${centring}`) ?? [];
}

export const obeys = (
  group: SpaceGroup,
  lines: readonly (IndexedLine | undefined)[],
  L: Lines,
  cell: Cell,
): boolean => {
  // A line may have another index that is allowed at the same place.
  const allowed = new Set<number>();
  const top = L.q[lines.length - 1]! * 1.02;
  const list = possibleLines(cell, group, top);
  for (const x of lines) {
    if (!x) continue;
    if (!reflectionSymmetry(group, x.h, x.k, x.l).absent) {
      allowed.add(x.line);
      continue;
    }
    const error = L.error[x.line]! * 1.15;
    if (list.some((v) => Math.abs(v - L.q[x.line]!) < error)) {
      allowed.add(x.line);
      continue;
    }
    return false;
  }
  return true;
};

/** Groups that all lines obey, those with the fewest possible lines first. */
export function groupHints(
  L: Lines,
  c: { cell: Cell; lines: number; system: IndexSystem; centring: string; indexed: readonly IndexedLine[] },
): { readonly symbol: string; readonly possible: number }[] {
  const last = L.q[c.lines - 1]! + L.error[c.lines - 1]!;
  const lines = Array.from({ length: c.lines }, (_, i) => c.indexed.find((x) => x.line === i));
  const seen = new Map<string, { symbol: string; possible: number; order: number }>();
  for (const { group, symbol } of groupsOf(c.system, c.centring)) {
    if (!obeys(group, lines, L, c.cell)) continue;
    const found = possibleLines(c.cell, group, last);
    const key = found.map((v) => v.toFixed(6)).join();
    const known = seen.get(key);
    // Among groups with the same conditions the one of highest order stands for them.
    if (!known) seen.set(key, { symbol, possible: found.length, order: group.representatives.length });
    else if (group.representatives.length > known.order)
      seen.set(key, { symbol, possible: found.length, order: group.representatives.length });
  }
  return [...seen.values()]
    .sort((p, r) => p.possible - r.possible)
    .slice(0, 6)
    .map(({ symbol, possible: count }) => ({ symbol, possible: count }));
}
