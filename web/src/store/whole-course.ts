/** What of a course holds together: every mark once, with its model, after a mark that is there, and no mark after itself. */
import type { PatternRow } from './db.ts';
import type { Mark, ModelRow } from './marks.ts';

const nameOf = (m: Mark): string => `“${(m.name ?? m.title).slice(0, 60)}”`;

/** The first of each identifier; further ones are told. */
function once<T extends { readonly id: string }>(rows: readonly T[], tell: (row: T) => void): T[] {
  const seen = new Set<string>();
  return rows.filter((row) => {
    if (!seen.has(row.id)) return !!seen.add(row.id);
    tell(row);
    return false;
  });
}

/** Fits whose patterns are all there, and structures. */
function wholeModels(models: readonly ModelRow[], patterns: readonly PatternRow[], lost: string[]): ModelRow[] {
  const known = new Set(patterns.map((p) => p.id));
  return models.filter((m) => {
    if (m.kind === 'structure' || m.fit.patterns.every((id) => known.has(id))) return true;
    lost.push('A fit was left out: a pattern that it is of is missing.');
    return false;
  });
}

/** Marks that a walk towards the root comes back to. */
function inCircles(marks: readonly Mark[]): Set<string> {
  const parent = new Map(marks.map((m) => [m.id, m.parent]));
  const ended = new Set<string>();
  const circles = new Set<string>();
  for (const start of marks) {
    const path = new Set<string>();
    let at: string | undefined = start.id;
    while (at !== undefined && !ended.has(at) && !path.has(at)) {
      path.add(at);
      at = parent.get(at);
    }
    if (at !== undefined && path.has(at)) circles.add(at);
    for (const id of path) ended.add(id);
  }
  return circles;
}

function withoutParent(m: Mark): Mark {
  const { parent: _, ...rest } = m;
  return rest as Mark;
}

/** The marks that stand on something, with their models; what was left out or cut is told to `lost`. */
export function wholeCourse(
  given: { readonly marks: readonly Mark[]; readonly models: readonly ModelRow[] },
  patterns: readonly PatternRow[],
  lost: string[],
): { marks: Mark[]; models: ModelRow[] } {
  const models = wholeModels(
    once(given.models, () => lost.push('A model that stood there twice was taken once.')),
    patterns,
    lost,
  );
  const kinds = new Map(models.map((m) => [m.id, m.kind]));
  const marks = once(given.marks, (m) =>
    lost.push(`The mark ${nameOf(m)} stood there twice; it was taken once.`),
  ).filter((m) => {
    const kind = kinds.get(m.model);
    if (kind && (kind === 'fit') === (m.type === 'fit')) return true;
    lost.push(`The model of the mark ${nameOf(m)} is missing, so the mark was left out.`);
    return false;
  });
  const known = new Set(marks.map((m) => m.id));
  const circles = inCircles(marks);
  const rooted = marks.map((m) => {
    if (m.parent === undefined) return m;
    if (circles.has(m.id)) {
      lost.push(`The mark ${nameOf(m)} came after itself; it begins a branch of its own now.`);
      return withoutParent(m);
    }
    if (known.has(m.parent)) return m;
    lost.push(`The mark before ${nameOf(m)} is missing; it begins a branch of its own now.`);
    return withoutParent(m);
  });
  const used = new Set(rooted.map((m) => m.model));
  return { marks: rooted, models: models.filter((m) => used.has(m.id)) };
}
