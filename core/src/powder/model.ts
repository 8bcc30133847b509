/** What is fitted to powder patterns: phases and, for each pattern, its background, corrections and scales. Plain data. */
import {
  cellFromMetric,
  cellParameters,
  cellVolume,
  metricTensor,
  reciprocalMetric,
  type Cell,
} from '../crystal/cell.ts';
import { formulaWeight } from '../crystal/formula.ts';
import type { Instrument, Pattern } from '../crystal/pattern.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { cellContents, type Structure } from '../crystal/structure.ts';
import { inverse3, multiply3, transpose3, type Mat3, type Vec3, toMat3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';

/** A broad hump under the pattern. */
export interface BackgroundPeak {
  readonly position: number;
  readonly height: number;
  /** Full width at half maximum, degrees. */
  readonly width: number;
}

export interface Background {
  /** Coefficients of Chebyshev polynomials of the first kind over the fitted range. */
  readonly chebyshev: readonly number[];
  readonly peaks: readonly BackgroundPeak[];
  /** Points set by hand, joined by straight lines; they are never refined. */
  readonly points: readonly (readonly [twoTheta: number, value: number])[];
}

/** Everything of one pattern that is not the phases' own. */
export interface PatternModel {
  readonly instrument: Instrument;
  readonly background: Background;
  /** Degrees, added to the instrument's own zero. */
  readonly zero: number;
  /** Specimen displacement, mm. */
  readonly displacement: number;
  /** μR of a capillary, or μt of a thin flat specimen; 0 for none or a thick one. */
  readonly absorption: number;
  readonly excluded: readonly (readonly [from: number, to: number])[];
  readonly range?: readonly [number, number];
  /** One per phase. */
  readonly scales: readonly number[];
}

export interface PreferredOrientation {
  /** Normal of the plates or axis of the needles in reciprocal-lattice indices. */
  readonly axis: Vec3;
  /** March coefficient: below 1 for plates, above 1 for needles in reflection; 1 for none. */
  readonly r: number;
}

export interface PhaseModel {
  readonly id: string;
  readonly name: string;
  readonly structure: Structure;
  /** 1/size in nm⁻¹; 0 for crystallites too large to see. */
  readonly inverseSize: number;
  /** Along and across a direction: the size above is along it. */
  readonly anisotropicSize?: { readonly axis: Vec3; readonly inverseAcross: number };
  /** Microstrain ε = Δd/d in 10⁻³, Γ = 4 ε tan θ. */
  readonly strain: number;
  /** Coefficients S_HKL in 10⁻⁸ Å⁻⁴ of strain that depends on direction (Stephens 1999), in the order of `stephensTerms`. */
  readonly stephens?: readonly number[];
  readonly orientation?: PreferredOrientation;
  /** Intensities are taken from the pattern, not from sites. */
  readonly extraction?: 'Le Bail' | 'Pawley';
  /** Intensities of an extraction: h k l and |F|² as first guess or result. */
  readonly extracted?: {
    readonly h: Int16Array;
    readonly k: Int16Array;
    readonly l: Int16Array;
    readonly f2: Float64Array;
    readonly su?: Float64Array;
  };
  /** Weighed-in amount of a standard, as a fraction of the whole, from which amorphous content follows. */
  readonly weighed?: number;
}

export interface FitModel {
  readonly phases: readonly PhaseModel[];
  readonly patterns: readonly PatternModel[];
}

/** Coefficients of 1/d² = Q·(h², k², l², kl, hl, hk). */
export function quadraticForm(cell: Cell): number[] {
  const g = reciprocalMetric(cell);
  return [g[0], g[4], g[8], 2 * g[5], 2 * g[2], 2 * g[1]];
}

export function cellOfQuadratic(q: ArrayLike<number>): Cell {
  return cellFromMetric(
    inverse3([q[0]!, q[5]! / 2, q[4]! / 2, q[5]! / 2, q[1]!, q[3]! / 2, q[4]! / 2, q[3]! / 2, q[2]!]),
  );
}

/** A metric tensor averaged over the rotations of a group: the nearest cell that has its symmetry. */
export function symmetricCell(cell: Cell, group: SpaceGroup): Cell {
  const g = metricTensor(cell);
  const sum = new Array<number>(9).fill(0);
  const rotations = rotationsOf(group);
  for (const r of rotations)
    multiply3(transpose3(r), multiply3(g, r)).forEach((x, i) => (sum[i]! += x / rotations.length));
  return cellFromMetric(toMat3(sum));
}

export const CONSTANTS = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'] as const;
export type CellConstant = (typeof CONSTANTS)[number];
export const CONSTANT_SIGNS: Readonly<Record<CellConstant, string>> = {
  a: 'a',
  b: 'b',
  c: 'c',
  alpha: 'α',
  beta: 'β',
  gamma: 'γ',
};

/** The cell constants that symmetry leaves free; each carries those that follow it. */
export function freeConstants(group: SpaceGroup): { constant: CellConstant; with: CellConstant[] }[] {
  const random = seededRandom(11);
  // Averages of arbitrary metrics show which lengths are tied and which angles are held.
  const samples = Array.from({ length: 3 }, () =>
    cellParameters(
      symmetricCell(
        {
          a: 5 + 3 * random.next(),
          b: 6 + 4 * random.next(),
          c: 7 + 5 * random.next(),
          alpha: 80 + 25 * random.next(),
          beta: 80 + 25 * random.next(),
          gamma: 80 + 25 * random.next(),
        },
        group,
      ),
    ),
  );
  const same = (i: number, j: number): boolean => samples.every((s) => Math.abs(s[i]! - s[j]!) < 1e-6);
  const held = (i: number): boolean => samples.every((s) => Math.abs(s[i]! - samples[0]![i]!) < 1e-6);
  const out: { constant: CellConstant; with: CellConstant[] }[] = [];
  const taken = new Set<number>();
  for (let i = 0; i < 6; i++) {
    if (taken.has(i) || held(i)) continue;
    const group = i < 3 ? [0, 1, 2] : [3, 4, 5];
    const tied = group.filter((j) => j > i && !taken.has(j) && same(i, j));
    tied.forEach((j) => taken.add(j));
    out.push({ constant: CONSTANTS[i]!, with: tied.map((j) => CONSTANTS[j]!) });
  }
  return out;
}

/** The cell with one constant (and those tied to it) set. */
export function withConstant(cell: Cell, group: SpaceGroup, constant: CellConstant, value: number): Cell {
  const found = freeConstants(group).find((f) => f.constant === constant || f.with.includes(constant));
  if (!found) return cell;
  const next = { ...cell };
  for (const c of [found.constant, ...found.with]) next[c] = value;
  return next;
}

/** Exponents (H, K, L), H + K + L = 4, of strain that depends on direction. */
export const QUARTICS: readonly Vec3[] = [
  [4, 0, 0],
  [0, 4, 0],
  [0, 0, 4],
  [2, 2, 0],
  [2, 0, 2],
  [0, 2, 2],
  [3, 1, 0],
  [3, 0, 1],
  [1, 3, 0],
  [0, 3, 1],
  [1, 0, 3],
  [0, 1, 3],
  [2, 1, 1],
  [1, 2, 1],
  [1, 1, 2],
];

/** How the fifteen quartic terms change under a rotation of the indices: column j holds the image of term j. */
export function quarticRotation(r: Mat3): number[] {
  const out = new Array<number>(225).fill(0);
  const index = new Map(QUARTICS.map((q, i) => [q.join(), i]));
  QUARTICS.forEach((powers, column) => {
    // (h r)ᴴ… multiplied out.
    let poly = new Map<string, number>([['0,0,0', 1]]);
    powers.forEach((n, i) => {
      for (let k = 0; k < n; k++) {
        const next = new Map<string, number>();
        for (const [key, c] of poly)
          for (let j = 0; j < 3; j++) {
            const f = r[3 * j + i]!;
            if (!f) continue;
            const e = key.split(',').map(Number);
            e[j]!++;
            next.set(e.join(), (next.get(e.join()) ?? 0) + c * f);
          }
        poly = next;
      }
    });
    for (const [key, c] of poly) out[15 * index.get(key)! + column]! += c;
  });
  return out;
}

/** Mass of the cell's contents times its volume: what scales are multiplied by to give weights (Hill & Howard 1987, J. Appl. Cryst. 20, 467). */
export function zmv(s: Structure): number {
  return formulaWeight(cellContents(s)) * cellVolume(s.cell);
}

/** Density of a structure in g cm⁻³. */
export const densityOf = (s: Structure): number => (1.66053907 * formulaWeight(cellContents(s))) / cellVolume(s.cell);

/** A new phase as it enters a fit. */
export const newPhase = (id: string, name: string, structure: Structure): PhaseModel => ({
  id,
  name,
  structure,
  inverseSize: 0,
  strain: 0,
  ...(structure.sites.length ? {} : { extraction: 'Le Bail' as const }),
});

/** A first model of a pattern: flat background at the level of its lowest parts. */
export function newPatternModel(pattern: Pattern, instrument: Instrument, phases: number, terms = 6): PatternModel {
  const sorted = Float64Array.from(pattern.intensity).sort();
  const level = sorted[Math.floor(sorted.length * 0.15)] ?? 0;
  return {
    instrument,
    background: { chebyshev: [level, ...new Array<number>(terms - 1).fill(0)], peaks: [], points: [] },
    zero: 0,
    displacement: 0,
    absorption: 0,
    excluded: [],
    scales: new Array<number>(phases).fill(0),
  };
}
