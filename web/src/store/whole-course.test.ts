/** Courses that lost something: what is left stands on something, and nothing whole is lost. */
import { seededRandom, type Random } from '@nagare/core/math/random';
import { describe, expect, it } from 'vitest';
import type { PatternRow } from './db.ts';
import type { Mark, ModelRow } from './marks.ts';
import { wholeCourse } from './whole-course.ts';

const mark = (id: string, parent: string | undefined, model: string, type: 'structure' | 'fit' = 'structure'): Mark =>
  ({
    id,
    projectId: 'p',
    ...(parent === undefined ? {} : { parent }),
    created: Number(id.slice(1)),
    revision: 0,
    kind: type === 'fit' ? 'fit' : 'edit',
    title: `step ${id}`,
    model,
    type,
    ...(type === 'fit' ? { phases: [] } : { sites: 1, group: 'P 1' }),
  }) as Mark;
const structureModel = (id: string): ModelRow => ({ id, projectId: 'p', kind: 'structure' }) as unknown as ModelRow;
const fitModel = (id: string, ...patterns: string[]): ModelRow =>
  ({ id, projectId: 'p', kind: 'fit', fit: { patterns } }) as unknown as ModelRow;
const pattern = (id: string): PatternRow => ({ id, projectId: 'p' }) as unknown as PatternRow;

interface Course {
  readonly marks: Mark[];
  readonly models: ModelRow[];
  readonly patterns: PatternRow[];
}

/** A sound course: every mark after an earlier one, structures and fits among them. */
function sound(random: Random, count: number): Course {
  const marks: Mark[] = [];
  const models: ModelRow[] = [];
  for (let i = 0; i < count; i++) {
    const fit = random.below(3) === 0;
    const id = `d${random.below(1 + i)}`;
    // Undo and renaming leave several marks with one model.
    const shared = models.find((m) => m.id === id && (m.kind === 'fit') === fit);
    if (!shared) models.push(fit ? fitModel(`d${i}`, 'one') : structureModel(`d${i}`));
    const parent = i && random.below(8) ? `m${random.below(i)}` : undefined;
    marks.push(mark(`m${i}`, parent, shared?.id ?? `d${i}`, fit ? 'fit' : 'structure'));
  }
  return { marks, models, patterns: [pattern('one')] };
}

/** Everything that a course must be. */
function expectWhole({ marks, models }: { marks: readonly Mark[]; models: readonly ModelRow[] }): void {
  const ids = new Set(marks.map((m) => m.id));
  expect(ids.size).toBe(marks.length);
  const kinds = new Map(models.map((m) => [m.id, m.kind]));
  expect(kinds.size).toBe(models.length);
  for (const m of marks) {
    if (m.parent !== undefined) expect(ids.has(m.parent)).toBe(true);
    expect(kinds.get(m.model)).toBe(m.type === 'fit' ? 'fit' : 'structure');
    const path = new Set<string>();
    for (let at: Mark | undefined = m; at; at = marks.find((x) => x.id === at!.parent)) {
      expect(path.has(at.id)).toBe(false);
      path.add(at.id);
    }
  }
  const used = new Set(marks.map((m) => m.model));
  expect(models.every((m) => used.has(m.id))).toBe(true);
}

describe('a sound course', () => {
  it('stays as it is, and nothing is said', () => {
    for (let seed = 1; seed <= 30; seed++) {
      const course = sound(seededRandom(seed), 2 + seed);
      const lost: string[] = [];
      const kept = wholeCourse(course, course.patterns, lost);
      expect(lost).toEqual([]);
      expect(kept.marks).toEqual(course.marks);
      expect(kept.models).toEqual(course.models);
      expectWhole(kept);
    }
  });
});

/** Damages: what each does, and whether something is to be said of it. */
const DAMAGES: Readonly<Record<string, (c: Course, random: Random) => Course>> = {
  'a model is gone': (c, r) => ({ ...c, models: c.models.filter((_, i) => i !== r.below(c.models.length)) }),
  'a mark is gone': (c, r) => {
    const gone = r.below(c.marks.length);
    return { ...c, marks: c.marks.filter((_, i) => i !== gone) };
  },
  'a mark stands there twice': (c, r) => ({ ...c, marks: [...c.marks, c.marks[r.below(c.marks.length)]!] }),
  'a model stands there twice': (c, r) => ({ ...c, models: [...c.models, c.models[r.below(c.models.length)]!] }),
  'a mark comes after itself': (c, r) => {
    const at = r.below(c.marks.length);
    return { ...c, marks: c.marks.map((m, i) => (i === at ? ({ ...m, parent: m.id } as Mark) : m)) };
  },
  'two marks come after one another': (c, r) => {
    const [a, b] = [r.below(c.marks.length), r.below(c.marks.length)];
    const ids = [c.marks[a]!.id, c.marks[b]!.id];
    return {
      ...c,
      marks: c.marks.map(
        (m, i) => (i === a ? { ...m, parent: ids[1]! } : i === b ? { ...m, parent: ids[0]! } : m) as Mark,
      ),
    };
  },
  'the pattern is gone': (c) => ({ ...c, patterns: [] }),
  'a mark names a model of another kind': (c, r) => {
    const at = r.below(c.marks.length);
    const other = c.models.find((m) => (m.kind === 'fit') !== (c.marks[at]!.type === 'fit'));
    return other ? { ...c, marks: c.marks.map((m, i) => (i === at ? { ...m, model: other.id } : m)) } : c;
  },
};

describe('a course where', () => {
  it.each(Object.entries(DAMAGES))('%s is whole again, in sentences', (_, damage) => {
    for (let seed = 1; seed <= 25; seed++) {
      const random = seededRandom(100 + seed);
      const course = damage(sound(random, 3 + random.below(20)), random);
      const lost: string[] = [];
      const kept = wholeCourse(course, course.patterns, lost);
      expectWhole(kept);
      for (const sentence of lost) expect(sentence).toMatch(/^(A|The) .{10,}\.$/);
      // Marks whose model is there in the right kind all stay.
      const there = new Map(course.models.map((m) => [m.id, m.kind]));
      const usable = course.marks.filter((m) => {
        const kind = there.get(m.model);
        return kind && (kind === 'fit') === (m.type === 'fit') && (kind === 'structure' || course.patterns.length);
      });
      expect(new Set(kept.marks.map((m) => m.id))).toEqual(new Set(usable.map((m) => m.id)));
      // What changed is said.
      const changed = kept.marks.length !== course.marks.length || kept.marks.some((m, i) => m !== course.marks[i]);
      if (changed) expect(lost.length).toBeGreaterThan(0);
    }
  });

  it('everything goes wrong at once is whole again too', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const random = seededRandom(1000 + seed);
      const all = Object.values(DAMAGES);
      let course = sound(random, 25);
      for (let i = 0; i < 6; i++) course = all[random.below(all.length)]!(course, random);
      const lost: string[] = [];
      expectWhole(wholeCourse(course, course.patterns, lost));
    }
  });

  it('a long line of marks ends in a circle is cut once, and quickly', () => {
    const count = 20_000;
    const marks = Array.from({ length: count }, (_, i) => mark(`m${i}`, `m${i ? i - 1 : count - 1}`, 'd'));
    const lost: string[] = [];
    const kept = wholeCourse({ marks, models: [structureModel('d')] }, [], lost);
    expect(lost).toEqual(['The mark “step m0” came after itself; it begins a branch of its own now.']);
    expect(kept.marks.filter((m) => m.parent === undefined)).toHaveLength(1);
  });
});
