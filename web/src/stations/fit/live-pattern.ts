/** The pattern calculated as its parameters change: what a worker of its own does for the Fit station. */
import type { Pattern } from '@nagare/core/crystal/pattern';
import { cellVolume } from '@nagare/core/crystal/cell';
import { agreement, PatternCalculator, type Figures } from '@nagare/core/powder/engine';
import type { PatternModel, PhaseModel } from '@nagare/core/powder/model';
import { linearScales } from '@nagare/core/powder/start';
import { phaseReflections, type Tick } from './reflections.ts';

export interface LiveOrder {
  readonly turn: number;
  /** Tells patterns apart; the data come with the first order that names one. */
  readonly patternId: string;
  readonly pattern?: Pattern;
  readonly own: PatternModel;
  readonly phases: readonly PhaseModel[];
  /** Refined parameters, for the expected agreement. */
  readonly parameters: number;
  /** Scales are found by linear least squares first, as for a phase on trial. */
  readonly scale: boolean;
}

/** Curves at the fitted points. */
export interface LiveCurves {
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly calculated: Float64Array;
  readonly background: Float64Array;
  readonly phases: readonly Float64Array[];
}

export interface LiveAnswer {
  readonly turn: number;
  /** Absent where nothing could be calculated, such as for a cell that is none. */
  readonly found?: {
    readonly own: PatternModel;
    readonly curves: LiveCurves;
    readonly figures: Figures;
    readonly ticks: readonly Tick[][];
  };
}

/** Reflections are listed anew when phases come or go, symmetry or fitted points change, or a cell has grown out of its list. */
function listKey({ patternId, own, phases }: LiveOrder): string {
  return [
    patternId,
    own.range?.join(),
    own.excluded.join(),
    own.instrument.lines.map((l) => l.wavelength).join(),
    ...phases.map(
      (p) =>
        `${p.id}${p.structure.spaceGroup.hall}${p.structure.sites.length}${p.extraction ?? ''}${Math.round(80 * Math.log(cellVolume(p.structure.cell)))}`,
    ),
  ].join('|');
}

/** Keeps the calculator of the last pattern and set of phases, and changes only what changed. */
export class LivePattern {
  private pattern: { readonly id: string; readonly data: Pattern } | undefined;
  private calculator: { readonly key: string; readonly work: PatternCalculator } | undefined;

  answer(order: LiveOrder): LiveAnswer {
    const { turn } = order;
    if (order.pattern) this.pattern = { id: order.patternId, data: order.pattern };
    if (this.pattern?.id !== order.patternId) return { turn };
    try {
      return { turn, found: this.calculate(order, this.pattern.data) };
    } catch {
      this.calculator = undefined;
      return { turn };
    }
  }

  private calculate(order: LiveOrder, pattern: Pattern): NonNullable<LiveAnswer['found']> {
    const { phases, parameters } = order;
    if (!phases.every((p) => cellVolume(p.structure.cell) > 0)) throw new RangeError('A cell has no volume.');
    const own = order.scale ? linearScales(pattern, order.own, phases) : order.own;
    const key = listKey(order);
    if (this.calculator?.key !== key) this.calculator = { key, work: new PatternCalculator(pattern, own, phases) };
    const { work } = this.calculator;
    work.update(own, phases);
    const c = work.calculate();
    return {
      own,
      curves: {
        x: work.points.x,
        y: work.points.y,
        calculated: c.calculated,
        background: c.background,
        phases: c.phases,
      },
      figures: agreement(work.points, c.calculated, parameters),
      ticks: phases.map((p, i) => phaseReflections(p, work.works[i]!, c.tables[i]!, i)),
    };
  }
}
