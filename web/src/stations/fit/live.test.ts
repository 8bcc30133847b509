import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { agreement, PatternCalculator } from '@nagare/core/powder/engine';
import { decodeWire } from '@nagare/core/tasks/wire';
import type { PatternRow, PowderRow } from '../../store/db.ts';
import type { FitMark, FitState, Mark } from '../../store/marks.ts';
import { fitFor, lastFitMark } from './fit-store.ts';
import { LiveCalculation, type LiveHost, type LiveWish } from './live.ts';
import { LivePattern, type LiveAnswer, type LiveOrder } from './live-pattern.ts';

interface Rows {
  readonly patterns: PatternRow[];
  readonly powder: PowderRow[];
  readonly marks: { readonly fit: FitState }[];
}
const rows = decodeWire(
  gunzipSync(readFileSync(new URL('../../store/fixtures/version-3-powder.json.gz', import.meta.url))).toString('utf8'),
) as Rows;
const row = rows.patterns[0]!;
const fit = rows.marks.at(-1)!.fit;
const wish: LiveWish = {
  patternId: row.id,
  pattern: row.file.pattern,
  own: fit.model.patterns[0]!,
  phases: fit.model.phases,
  parameters: 12,
  scale: false,
};
const order = (change: Partial<LiveOrder> = {}): LiveOrder => ({ ...wish, turn: 1, ...change });

const stretched = (by: number): LiveWish['phases'] =>
  wish.phases.map((p) => {
    const { cell } = p.structure;
    return { ...p, structure: { ...p.structure, cell: { ...cell, a: cell.a * by, b: cell.b * by, c: cell.c * by } } };
  });

describe('the live pattern', () => {
  it('is what the engine calculates, and stays so through changes of the cell', () => {
    const live = new LivePattern();
    const first = live.answer(order()).found!;
    const fresh = new PatternCalculator(wish.pattern, wish.own, wish.phases);
    const { calculated } = fresh.calculate();
    expect(Array.from(first.curves.calculated)).toEqual(Array.from(calculated));
    expect(first.figures).toEqual(agreement(fresh.points, calculated, 12));
    expect(first.ticks.map((t) => t.length > 0)).toEqual(wish.phases.map(() => true));
    // Without the data: they were given once.
    for (const by of [1.0004, 1.0009, 0.9995]) {
      const { pattern: _, ...again } = order({ turn: 2, phases: stretched(by) });
      const found = live.answer(again).found!;
      const direct = new PatternCalculator(wish.pattern, wish.own, stretched(by)).calculate().calculated;
      const largest = Math.max(...direct);
      found.curves.calculated.forEach((y, i) => expect(Math.abs(y - direct[i]!)).toBeLessThan(1e-3 * largest));
      expect(found.figures.rwp).toBeGreaterThan(first.figures.rwp);
    }
  });

  it('has nothing for data that were never given, or a cell that is none, and goes on after', () => {
    const live = new LivePattern();
    const { pattern: _, ...bare } = order();
    expect(live.answer(bare)).toEqual({ turn: 1 });
    live.answer(order());
    expect(live.answer({ ...bare, phases: stretched(NaN) })).toEqual({ turn: 1 });
    expect(live.answer(bare).found!.figures.rwp).toBeGreaterThan(0);
  });
});

/** A worker that answers when it is told to. */
class PatientHost implements LiveHost {
  readonly orders: LiveOrder[] = [];
  private heard: ((answer: LiveAnswer) => void) | undefined;
  ended = false;
  post(o: LiveOrder): void {
    this.orders.push(o);
  }
  listen(heard: (answer: LiveAnswer) => void): void {
    this.heard = heard;
  }
  terminate(): void {
    this.ended = true;
  }
  answer(turn = this.orders.at(-1)!.turn): void {
    this.heard!({ turn });
  }
}

describe('asking for the live pattern', () => {
  const parts = (): { hosts: PatientHost[]; live: LiveCalculation } => {
    const hosts: PatientHost[] = [];
    const live = new LiveCalculation(() => {
      hosts.push(new PatientHost());
      return hosts.at(-1)!;
    });
    return { hosts, live };
  };

  it('has one order out at a time, and of those that wait sends the newest', () => {
    const { hosts, live } = parts();
    const taken: string[] = [];
    for (const name of ['first', 'second', 'third', 'fourth'])
      live.ask({ ...wish, parameters: name.length }, () => taken.push(name));
    expect(hosts[0]!.orders).toHaveLength(1);
    hosts[0]!.answer();
    expect(taken).toEqual(['first']);
    expect(hosts[0]!.orders.map((o) => o.parameters)).toEqual([5, 6]);
    // An answer to an order that is not out is nobody's.
    hosts[0]!.answer(1);
    expect(taken).toEqual(['first']);
    hosts[0]!.answer();
    expect(taken).toEqual(['first', 'fourth']);
  });

  it('hands the data over once for each pattern', () => {
    const { hosts, live } = parts();
    const ask = (patternId: string): void => {
      live.ask({ ...wish, patternId }, () => undefined);
      hosts[0]!.answer();
    };
    ['a', 'a', 'b', 'b', 'a'].forEach(ask);
    expect(hosts[0]!.orders.map((o) => o.pattern !== undefined)).toEqual([true, false, true, false, true]);
  });

  it('asks a worker of its own where one answer is wanted whatever comes, and ends it', async () => {
    const { hosts, live } = parts();
    live.ask(wish, () => undefined);
    const one = live.once(wish);
    expect(hosts).toHaveLength(2);
    hosts[1]!.answer();
    await expect(one).resolves.toBeUndefined();
    expect(hosts.map((h) => h.ended)).toEqual([false, true]);
    live.close();
    expect(hosts[0]!.ended).toBe(true);
  });
});

describe('the fit that goes on', () => {
  const mark = (id: string, type: 'fit' | 'crystal', parent?: string): Mark =>
    ({ id, type, ...(parent ? { parent } : {}) }) as FitMark;
  const marks = [mark('1', 'fit'), mark('2', 'crystal', '1'), mark('3', 'fit', '1'), mark('4', 'crystal')];

  it('is the nearest before the mark, else the last of the project', () => {
    expect(lastFitMark(marks, marks[2])?.id).toBe('3');
    expect(lastFitMark(marks, marks[1])?.id).toBe('1');
    expect(lastFitMark(marks, marks[3])?.id).toBe('3');
    expect(lastFitMark(marks, undefined)).toBeUndefined();
  });

  it('keeps its phases for a pattern it is not of, on a background of that pattern', () => {
    const powder = rows.powder[0]!;
    expect(fitFor(row, powder, fit)).toBe(fit);
    const other = { ...row, id: 'another' };
    const moved = fitFor(other, powder, fit)!;
    expect(moved.patterns).toEqual(['another']);
    expect(moved.model.phases.map((p) => p.id)).toEqual(fit.model.phases.map((p) => p.id));
    expect(fitFor(other, powder, undefined)!.model.phases).toEqual([]);
    expect(fitFor(undefined, powder, fit)).toBeUndefined();
  });
});
