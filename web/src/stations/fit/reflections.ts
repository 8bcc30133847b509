/** Reflections as they are drawn and pointed at: where they lie and which cell constants move them. */
import {
  quadraticForm,
  freeConstants,
  withConstant,
  type CellConstant,
  type PhaseModel,
} from '@nagare/core/powder/model';
import type { PeakTable, PhaseWork } from '@nagare/core/powder/engine';
import type { Cell } from '@nagare/core/crystal/cell';

export interface Tick {
  phase: number;
  phaseId: string;
  name: string;
  h: number;
  k: number;
  l: number;
  d: number;
  /** On the pattern, degrees, of the first line. */
  x: number;
  /** Area of the first line, counts × degrees. */
  intensity: number;
  multiplicity: number;
}

export function phaseReflections(p: PhaseModel, work: PhaseWork, t: PeakTable, phase: number): Tick[] {
  const q = quadraticForm(p.structure.cell),
    { list } = work;
  const out: Tick[] = [];
  for (let i = 0; i < list.count; i++) {
    const at = i * t.lines;
    if (Number.isNaN(t.theta[at]!)) continue;
    const h = list.h[i]!,
      k = list.k[i]!,
      l = list.l[i]!;
    out.push({
      phase,
      phaseId: p.id,
      name: p.name,
      h,
      k,
      l,
      d: 1 / Math.sqrt(h * h * q[0]! + k * k * q[1]! + l * l * q[2]! + k * l * q[3]! + h * l * q[4]! + h * k * q[5]!),
      x: t.position[at]!,
      intensity: t.area[at]!,
      multiplicity: list.multiplicity[i]!,
    });
  }
  return out;
}

const twoTheta = (cell: Cell, t: Pick<Tick, 'h' | 'k' | 'l'>, wavelength: number): number => {
  const q = quadraticForm(cell);
  const v =
    t.h * t.h * q[0]! +
    t.k * t.k * q[1]! +
    t.l * t.l * q[2]! +
    t.k * t.l * q[3]! +
    t.h * t.l * q[4]! +
    t.h * t.k * q[5]!;
  return (360 / Math.PI) * Math.asin(Math.min(1, (wavelength * Math.sqrt(v)) / 2));
};

export interface Sensitivity {
  constant: CellConstant;
  /** Degrees of 2θ per Å or per degree. */
  slope: number;
}

/** ∂2θ by every free cell constant, largest effect of a like relative change first. */
export function sensitivities(p: PhaseModel, t: Pick<Tick, 'h' | 'k' | 'l'>, wavelength: number): Sensitivity[] {
  const { cell, spaceGroup } = p.structure;
  return freeConstants(spaceGroup)
    .map(({ constant }) => {
      const step = constant.length === 1 ? 1e-4 : 1e-3;
      const up = withConstant(cell, spaceGroup, constant, cell[constant] + step),
        down = withConstant(cell, spaceGroup, constant, cell[constant] - step);
      return { constant, slope: (twoTheta(up, t, wavelength) - twoTheta(down, t, wavelength)) / (2 * step) };
    })
    .sort((a, b) => Math.abs(b.slope) * weight(cell, b.constant) - Math.abs(a.slope) * weight(cell, a.constant));
}

const weight = (cell: Cell, c: CellConstant): number => (c.length === 1 ? cell[c] : 20);

/** Whether a reflection moves with one constant only. */
export function dependsAlone(
  p: PhaseModel,
  t: Pick<Tick, 'h' | 'k' | 'l'>,
  constant: CellConstant,
  wavelength: number,
): boolean {
  const all = sensitivities(p, t, wavelength);
  return all.every((s) => (s.constant === constant ? Math.abs(s.slope) > 1e-6 : Math.abs(s.slope) < 1e-6));
}

/** Value of a constant that puts a reflection at a 2θ (zero and displacement taken as they are). */
export function constantFor(
  p: PhaseModel,
  t: Tick,
  constant: CellConstant,
  target: number,
  wavelength: number,
): number {
  const { cell, spaceGroup } = p.structure;
  const shift = t.x - twoTheta(cell, t, wavelength);
  let value = cell[constant];
  for (let i = 0; i < 8; i++) {
    const now = withConstant(cell, spaceGroup, constant, value);
    const step = constant.length === 1 ? 1e-4 : 1e-3;
    const slope =
      (twoTheta(withConstant(cell, spaceGroup, constant, value + step), t, wavelength) - twoTheta(now, t, wavelength)) /
      step;
    if (Math.abs(slope) < 1e-9) break;
    const move = (target - shift - twoTheta(now, t, wavelength)) / slope;
    value += Math.max(-0.02 * cell[constant], Math.min(0.02 * cell[constant], move));
    if (Math.abs(move) < 1e-7) break;
  }
  return value;
}
