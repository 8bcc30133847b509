/**
 * Structures of atoms that cannot move: elements, salts and oxides of a handful of atoms, whose few and nearly equal amplitudes phase
 * badly. All ways to lay the contents on the fixed positions of a group are compared with the data instead.
 */
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { placesOf, type FixedPosition } from '../crystal/fixed-positions.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Peak } from '../maps/peaks.ts';
import { siteArrays } from '../refine/single-crystal-problem.ts';
import { scatteringTable, structureFactors } from '../scattering/structure-factors.ts';
import { siteFromPeak, type BuildInput } from './build-model.ts';

/** Arrangements that are compared at most. */
const MOST = 4000;
/** Displacements tried for all atoms, Å². */
const DISPLACEMENTS = [0.004, 0.01, 0.02];
/** An arrangement that misses the amplitudes by more is none. */
const WORST_R = 0.3;
/** Arrangements handed on to be refined. */
const KEPT = 2;

/** Which element lies on which position; positions by number. */
type Arrangement = readonly { readonly element: string; readonly position: number }[];

/** All ways to lay elements on positions, each used once, so that their numbers come out. */
function arrangementsOf(
  contents: readonly (readonly [string, number])[],
  positions: readonly FixedPosition[],
): Arrangement[] {
  const out: Arrangement[] = [];
  const lay = (n: number, left: number, from: number, used: Arrangement): void => {
    if (out.length >= MOST) return;
    if (left < 0.5) {
      const next = contents[n + 1];
      if (next) lay(n + 1, next[1], 0, used);
      else out.push(used);
      return;
    }
    for (let p = from; p < positions.length; p++) {
      if (positions[p]!.multiplicity > left + 0.5 || used.some((u) => u.position === p)) continue;
      lay(n, left - positions[p]!.multiplicity, p + 1, [...used, { element: contents[n]![0], position: p }]);
    }
  };
  if (contents.length) lay(0, contents[0]![1], 0, []);
  return out;
}

/** Σ||Fo|−k|Fc||/Σ|Fo| at the best scale. */
function misfit(observed: Float64Array, a: Float64Array, b: Float64Array): number {
  let oc = 0,
    cc = 0;
  const calculated = a.map((x, i) => Math.hypot(x, b[i]!));
  for (let i = 0; i < observed.length; i++) {
    oc += observed[i]! * calculated[i]!;
    cc += calculated[i]! ** 2;
  }
  const scale = cc ? oc / cc : 0;
  let top = 0,
    bottom = 0;
  for (let i = 0; i < observed.length; i++) {
    top += Math.abs(observed[i]! - scale * calculated[i]!);
    bottom += observed[i]!;
  }
  return top / bottom;
}

interface Waves {
  readonly a: Float64Array;
  readonly b: Float64Array;
}

/** What each element scatters from each position, by element and number of the position. */
function wavesOf(
  input: BuildInput,
  elements: readonly string[],
  positions: readonly FixedPosition[],
  u: number,
): Map<string, Waves> {
  const table = scatteringTable(input.cell, input.group, input.reflections, elements, input.wavelength);
  const one = (element: string, { x }: FixedPosition): Structure => ({
    cell: input.cell,
    spaceGroup: input.group,
    sites: [siteFromPeak(input, { position: x }, element, u)],
  });
  return new Map(
    elements.flatMap((element) =>
      positions.map((position, p) => [
        `${element} ${p}`,
        structureFactors(table, siteArrays(one(element, position), elements)),
      ]),
    ),
  );
}

/**
 * The best ways to lay the contents on fixed positions, as peaks that a model can be built from; empty where there are none, where the
 * contents are not known, or where nothing fits.
 */
export function fixedArrangements(input: BuildInput): Peak[][] {
  const contents = Object.entries(input.contents ?? {})
    .filter(([e]) => !isHydrogen(e))
    .sort(([p], [q]) => elementOf(q).z - elementOf(p).z);
  const positions = placesOf(input.group).fixed;
  const arrangements = arrangementsOf(contents, positions);
  if (!arrangements.length) return [];
  const { fsq, count } = input.reflections;
  const observed = fsq.map((x) => Math.sqrt(Math.max(0, x)));
  const elements = contents.map(([e]) => e);
  const best = new Map<Arrangement, number>();
  for (const u of DISPLACEMENTS) {
    const waves = wavesOf(input, elements, positions, u);
    for (const arrangement of arrangements) {
      const a = new Float64Array(count),
        b = new Float64Array(count);
      for (const { element, position } of arrangement) {
        const w = waves.get(`${element} ${position}`)!;
        for (let i = 0; i < count; i++) {
          a[i]! += w.a[i]!;
          b[i]! += w.b[i]!;
        }
      }
      best.set(arrangement, Math.min(best.get(arrangement) ?? Infinity, misfit(observed, a, b)));
    }
  }
  return [...best]
    .filter(([, r]) => r < WORST_R)
    .sort(([, p], [, q]) => p - q)
    .slice(0, KEPT)
    .map(([arrangement]) =>
      arrangement.map(({ element, position }) => ({ position: positions[position]!.x, height: elementOf(element).z })),
    );
}
