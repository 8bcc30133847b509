/** Rings by what they are made of, and their relations in the order that is asked for. */
import { ELEMENT_NAMES } from '@nagare/core/model/selection';
import type { RingReading, RingRelation } from '@nagare/core/geometry/ring-readings';

export interface RingGroup {
  readonly key: string;
  /** "six carbon, flat". */
  readonly words: string;
  /** Indices of its rings. */
  readonly rings: readonly number[];
}

const NUMBERS = [
  'no',
  'one',
  'two',
  'three',
  'four',
  'five',
  'six',
  'seven',
  'eight',
  'nine',
  'ten',
  'eleven',
  'twelve',
];

const nameOf = (symbol: string): string =>
  Object.keys(ELEMENT_NAMES).find((n) => ELEMENT_NAMES[n] === symbol) ?? symbol;

/** "one nitrogen and four carbon" of "C4N". */
export function membersWords(members: string): string {
  const parts = [...members.matchAll(/([A-Z][a-z]?)(\d*)/g)]
    .map((m) => ({ name: nameOf(m[1]!), n: Number(m[2] || 1) }))
    .sort((p, q) => p.n - q.n)
    .map((p) => `${NUMBERS[p.n] ?? p.n} ${p.name}`);
  if (parts.length < 2) return parts.join('');
  return `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)}`;
}

const isFlat = (r: RingReading): boolean => !r.puckering || r.puckering.form === 'flat';

export function ringGroups(rings: readonly RingReading[]): RingGroup[] {
  const groups = new Map<string, number[]>();
  rings.forEach((r, i) => {
    const key = `${r.members}|${isFlat(r) ? 'flat' : 'puckered'}`;
    const list = groups.get(key);
    if (list) list.push(i);
    else groups.set(key, [i]);
  });
  return [...groups].map(([key, list]) => {
    const [members, flat] = key.split('|') as [string, string];
    return { key, words: `${membersWords(members)}, ${flat}`, rings: list };
  });
}

export const RELATION_COLUMNS = ['rings', 'angle', 'centroids', 'plane', 'offset'] as const;
export type RelationColumn = (typeof RELATION_COLUMNS)[number];

const VALUES: Readonly<Record<RelationColumn, (r: RingRelation) => number>> = {
  rings: (r) => r.first * 1000 + r.second,
  angle: (r) => r.angle.value,
  centroids: (r) => r.centroidDistance.value,
  plane: (r) => r.perpendicular1.value,
  offset: (r) => r.offset,
};

/** Relations between rings that are chosen (all where none is), in the order of a column. */
export function chosenRelations(
  relations: readonly RingRelation[],
  chosen: ReadonlySet<number> | undefined,
  column: RelationColumn,
  falling: boolean,
): RingRelation[] {
  const value = VALUES[column];
  const list = relations.filter((r) => !chosen || (chosen.has(r.first) && chosen.has(r.second)));
  return list.sort((p, q) => (falling ? value(q) - value(p) : value(p) - value(q)));
}
