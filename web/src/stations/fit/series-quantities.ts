/** What can be followed along a series of fitted patterns. */
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import type { SeriesStep } from '@nagare/core/powder/series';

export const QUANTITIES = [
  { id: 'weight', name: 'weight fraction / %' },
  { id: 'a', name: 'a / Å' },
  { id: 'b', name: 'b / Å' },
  { id: 'c', name: 'c / Å' },
  { id: 'beta', name: 'β / °' },
  { id: 'volume', name: 'volume / Å³' },
  { id: 'size', name: 'size / nm' },
  { id: 'strain', name: 'strain / 10⁻³' },
  { id: 'rwp', name: 'Rwp / %' },
] as const;

export type Quantity = (typeof QUANTITIES)[number]['id'];

/** A value with its standard uncertainty; 0 where it has none. */
export interface Measured {
  readonly v: number;
  readonly su: number;
}

const CONSTANTS: readonly string[] = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'];

/** Below so many s.u. of its weight a phase is hardly there, and says nothing about its cell or grains. */
const HARDLY_THERE = 4;

/** A quantity of one pattern's phase `i` (per cent, Å, °, Å³, nm, 10⁻³); undefined where it was not found. */
export function quantityOf(step: SeriesStep, i: number, quantity: Quantity): Measured | undefined {
  const pattern = step.result.patterns[0]!;
  const phase = step.result.phases[i];
  if (quantity === 'rwp') return i === 0 ? { v: 100 * pattern.rwp, su: 0 } : undefined;
  if (!phase) return undefined;
  const weight = pattern.weightFractions[i];
  if (quantity === 'weight') return weight && { v: 100 * weight.value, su: 100 * weight.su };
  if (weight && weight.value < HARDLY_THERE * weight.su) return undefined;
  if (quantity === 'size') return phase.size && { v: phase.size.value, su: phase.size.su };
  if (quantity === 'strain') return { v: phase.strain.value, su: phase.strain.su };
  if (quantity === 'volume') return { v: cellVolume(phase.cell), su: 0 };
  const k = CONSTANTS.indexOf(quantity);
  return { v: cellParameters(phase.cell)[k]!, su: phase.cellSu[k]! };
}

const PER_PHASE = ['weight', 'su', 'a', 'su a', 'c', 'su c', 'size nm', 'su', 'strain', 'su'];

/** The series as a table: a line a pattern; weights as fractions, lengths in Å. */
export function seriesCsv(steps: readonly SeriesStep[]): string {
  const phases = steps[0]?.result.phases ?? [];
  const head = phases.flatMap((f) => PER_PHASE.map((word, k) => (k === 0 ? `${f.name} ${word}` : word)));
  const line = ({ pattern, at, result }: SeriesStep): (string | number)[] => [
    pattern,
    at,
    result.rwp,
    ...result.phases.flatMap((f, i) => {
      const weight = result.patterns[0]!.weightFractions[i];
      return [
        weight?.value ?? '',
        weight?.su ?? '',
        f.cell.a,
        f.cellSu[0]!,
        f.cell.c,
        f.cellSu[2]!,
        f.size?.value ?? '',
        f.size?.su ?? '',
        f.strain.value,
        f.strain.su,
      ];
    }),
  ];
  return [['pattern', 'at', 'Rwp', ...head], ...steps.map(line)].map((cells) => cells.join(',')).join('\n');
}
