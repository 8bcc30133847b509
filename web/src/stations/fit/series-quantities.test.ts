import { describe, expect, it } from 'vitest';
import type { SeriesStep } from '@nagare/core/powder/series';
import { QUANTITIES, quantityOf, seriesCsv } from './series-quantities.ts';

interface PhaseSaid {
  readonly weight: [value: number, su: number];
  readonly a: number;
  readonly size?: number;
}

/** One pattern of a series with two phases, as far as the chart and the table read it. */
function step(pattern: string, at: number, phases: readonly PhaseSaid[]): SeriesStep {
  return {
    pattern,
    at,
    message: '',
    model: { phases: [], patterns: [] },
    result: {
      rwp: 0.081,
      phases: phases.map((p, i) => ({
        id: `p${i}`,
        name: `Phase ${i + 1}`,
        cell: { a: p.a, b: 5, c: 6, alpha: 90, beta: 104.5, gamma: 90 },
        cellSu: [0.0002, 0.0003, 0.0004, 0, 0.005, 0],
        density: 2.6,
        ...(p.size ? { size: { value: p.size, su: 1.5 } } : {}),
        strain: { value: 0.4, su: 0.03 },
        reflections: 40,
      })),
      patterns: [{ rwp: 0.081, weightFractions: phases.map(({ weight: [value, su] }) => ({ value, su })) }],
    },
  } as unknown as SeriesStep;
}

const STEP = step('at 25', 25, [
  { weight: [0.62, 0.004], a: 4.1, size: 41 },
  { weight: [0.38, 0.004], a: 7.9 },
]);

describe('what is followed along a series', () => {
  it('has its s.u. in the units of its name', () => {
    expect(quantityOf(STEP, 0, 'weight')).toEqual({ v: 62, su: 0.4 });
    expect(quantityOf(STEP, 1, 'a')).toEqual({ v: 7.9, su: 0.0002 });
    expect(quantityOf(STEP, 0, 'beta')).toEqual({ v: 104.5, su: 0.005 });
    expect(quantityOf(STEP, 0, 'size')).toEqual({ v: 41, su: 1.5 });
    expect(quantityOf(STEP, 0, 'strain')).toEqual({ v: 0.4, su: 0.03 });
  });

  it('takes the volume from the whole cell', () => {
    const volume = 4.1 * 5 * 6 * Math.sin((104.5 * Math.PI) / 180);
    expect(quantityOf(STEP, 0, 'volume')!.v).toBeCloseTo(volume, 9);
  });

  it('says Rwp once a pattern, not once a phase', () => {
    expect(quantityOf(STEP, 0, 'rwp')!.v).toBeCloseTo(8.1, 9);
    expect(quantityOf(STEP, 1, 'rwp')).toBeUndefined();
  });

  it('leaves out what was not found', () => {
    expect(quantityOf(STEP, 1, 'size')).toBeUndefined();
    expect(quantityOf(STEP, 2, 'a')).toBeUndefined();
  });

  it('lets a phase that is hardly there say its weight, and nothing else', () => {
    const faint = step('at 400', 400, [
      { weight: [0.99, 0.004], a: 4.1 },
      { weight: [0.01, 0.004], a: 8.4, size: 3 },
    ]);
    expect(quantityOf(faint, 1, 'weight')).toEqual({ v: 1, su: 0.4 });
    for (const { id } of QUANTITIES)
      if (id !== 'weight') expect([id, quantityOf(faint, 1, id)]).toEqual([id, undefined]);
    expect(quantityOf(faint, 0, 'a')).toBeDefined();
  });
});

describe('the table of a series', () => {
  const next = step('at 50', 50, [
    { weight: [0.7, 0.003], a: 4.2, size: 44 },
    { weight: [0.3, 0.003], a: 8 },
  ]);

  it('has a line a pattern and as many cells in every line', () => {
    const lines = seriesCsv([STEP, next])
      .split('\n')
      .map((line) => line.split(','));
    expect(lines).toHaveLength(3);
    expect(new Set(lines.map((cells) => cells.length))).toEqual(new Set([3 + 2 * 10]));
    expect(lines[0]!.slice(0, 5)).toEqual(['pattern', 'at', 'Rwp', 'Phase 1 weight', 'su']);
    expect(lines[2]!.slice(0, 7)).toEqual(['at 50', '50', '0.081', '0.7', '0.003', '4.2', '0.0002']);
  });

  it('leaves a cell empty where there is no number', () => {
    const [, line] = seriesCsv([STEP]).split('\n');
    const second = line!.split(',').slice(13);
    expect(second).toEqual(['0.38', '0.004', '7.9', '0.0002', '6', '0.0004', '', '', '0.4', '0.03']);
  });

  it('of no patterns is its head alone', () => expect(seriesCsv([])).toBe('pattern,at,Rwp'));
});
