import { describe, expect, it } from 'vitest';
import type { CrystalMark, FitMark, Mark, StructureMark } from '../store/marks.ts';
import {
  contentsOf,
  drawnParent,
  figuresOf,
  folded,
  lengthOf,
  lineHeight,
  pathTo,
  placed,
  stagesOfRuns,
} from './course-line.ts';

const base = (id: string, parent?: string) => ({
  id,
  projectId: 'p',
  created: 1,
  revision: 0,
  kind: 'edit' as const,
  title: id,
  model: `model of ${id}`,
  ...(parent ? { parent } : {}),
});
const crystal = (id: string, r1?: number, parent?: string): CrystalMark => ({
  ...base(id, parent),
  type: 'crystal',
  sites: 12,
  group: 'P -1',
  ...(r1 === undefined ? {} : { r1, wr2: 2 * r1 }),
});
const fit = (id: string, more: Partial<FitMark> = {}): FitMark => ({
  ...base(id),
  type: 'fit',
  phases: ['one'],
  ...more,
});
const alone: StructureMark = { ...base('alone'), type: 'structure', sites: 3, group: 'F m -3 m' };

describe('where marks stand', () => {
  const heights = (marks: Mark[], height = 100): number[] => placed(marks, height).map((p) => p.y);

  it('is one after another, the better the lower', () => {
    const marks = [crystal('a', 0.3), crystal('b', 0.08), crystal('c', 0.02)];
    const points = placed(marks, 100);
    expect(points.map((p) => p.x)).toEqual([70, 116, 162]);
    expect(heights(marks)).toEqual([...heights(marks)].sort((p, q) => p - q));
  });

  it('is as far apart for a halving wherever it happens', () => {
    const [a, b, c] = heights([crystal('a', 0.32), crystal('b', 0.16), crystal('c', 0.08)]);
    expect(b! - a!).toBeCloseTo(c! - b!, 9);
  });

  it('is the edge for what is beyond, and the top for what was not judged', () => {
    const [worst, beyond, unknown, best, better] = heights([
      crystal('a', 0.5),
      crystal('b', 0.9),
      crystal('c'),
      crystal('d', 0.012),
      crystal('e', 0.001),
    ]);
    expect([beyond, unknown]).toEqual([worst, worst]);
    expect(better).toBe(best);
  });

  it('does not grow beyond what can be read', () => {
    expect(lineHeight(400)).toBe(170);
    expect(heights([crystal('a', 0.012)], 400)).toEqual(heights([crystal('a', 0.012)], 170));
    expect(lengthOf(0)).toBe(400);
    expect(lengthOf(20)).toBe(70 + 20 * 46 + 20);
  });
});

describe('the marks that led to one', () => {
  const marks = [crystal('a'), crystal('b', 0.2, 'a'), crystal('branch', 0.3, 'a'), crystal('c', 0.1, 'b')];

  it('are its parents up to the first', () => {
    expect([...pathTo(marks, 'c')]).toEqual(['c', 'b', 'a']);
    expect([...pathTo(marks, 'branch')]).toEqual(['branch', 'a']);
  });

  it('are none of what is not there', () => {
    expect([...pathTo(marks, undefined)]).toEqual([]);
    expect([...pathTo(marks, 'gone')]).toEqual([]);
    expect([...pathTo([crystal('d', 0.1, 'gone')], 'd')]).toEqual(['d']);
  });

  it('end where a damaged course runs in a circle', () => {
    expect([...pathTo([crystal('x', 0.1, 'y'), crystal('y', 0.1, 'x')], 'x')]).toEqual(['x', 'y']);
  });
});

describe('what is said of a mark', () => {
  it('are its figures', () => {
    expect(figuresOf(crystal('a', 0.0412))).toBe('R1 4.12 %  wR2 8.24 %');
    expect(figuresOf({ ...crystal('a', 0.04), residual: { peak: 0.31, hole: -0.25, sigma: 0.05 } })).toContain(
      '0.31/−0.25 e Å⁻³',
    );
    expect(figuresOf(crystal('a'))).toBe('not evaluated');
    expect(figuresOf(fit('f', { rwp: 0.081, s: 1.234 }))).toBe('Rwp 8.10 %  S 1.23');
    expect(figuresOf(fit('f'))).toBe('not evaluated');
    expect(figuresOf(alone)).toBe('a structure without data');
  });

  it('are its contents', () => {
    expect(contentsOf(crystal('a', 0.04))).toBe('12 sites');
    expect(contentsOf(alone)).toBe('3 sites');
    expect(contentsOf(fit('f', { parameters: 17 }))).toBe('1 phase · 17 parameters');
    expect(contentsOf(fit('f', { phases: ['one', 'two'] }))).toBe('2 phases');
  });
});

describe('stages of a run', () => {
  const stage = (id: string, parent: string): CrystalMark => ({ ...crystal(id, 0.1, parent), kind: 'settle' });
  const run = [crystal('a', 0.3), stage('s1', 'a'), stage('s2', 's1'), stage('s3', 's2'), stage('s4', 's3')];
  const NONE: ReadonlySet<string> = new Set();
  const ids = (marks: readonly Mark[]): string[] => marks.map((m) => m.id);

  it('are folded into the last, and come out again', () => {
    const shut = folded(run, NONE, NONE);
    expect(ids(shut.marks)).toEqual(['a', 's4']);
    expect(ids(shut.stages.get('s4')!)).toEqual(['s1', 's2', 's3']);
    expect(ids(folded(run, new Set(['s4']), NONE).marks)).toEqual(ids(run));
    expect(drawnParent(run, new Set(['a', 's4']), run[4]!)).toBe('a');
  });

  it('stay where one is looked at, named, or something branches off it', () => {
    expect(ids(folded(run, NONE, new Set(['s2'])).marks)).toEqual(['a', 's2', 's4']);
    const branched = [...run, crystal('edit', 0.2, 's1')];
    expect(ids(folded(branched, NONE, NONE).marks)).toEqual(['a', 's1', 's4', 'edit']);
    const named = run.map((m) => (m.id === 's3' ? { ...m, name: 'to keep' } : m));
    expect(ids(folded(named, NONE, NONE).marks)).toEqual(['a', 's3', 's4']);
  });

  it('of two runs are two, and a short run is no fold', () => {
    const again = { ...stage('t1', 's4'), title: 's1' };
    const two = [...run, again, { ...stage('t2', 't1'), title: 's2' }];
    expect([...stagesOfRuns(two)].map(([last, earlier]) => [last, earlier.length])).toEqual([
      ['s4', 3],
      ['t2', 1],
    ]);
    expect(ids(folded(two, NONE, NONE).marks)).toEqual(['a', 's4', 't1', 't2']);
  });
});
