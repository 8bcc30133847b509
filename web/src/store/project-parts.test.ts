import { readFileSync } from 'node:fs';
import { gunzipSync } from 'node:zlib';
import { strFromU8, unzipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { readParts } from './project-parts.ts';

type Rows = Record<string, Record<string, unknown>[]>;

/** The parts of a file of version 1, from what a browser of that time held. */
function oldParts(fixture: string): Record<string, unknown> {
  const packed = readFileSync(new URL(`./fixtures/${fixture}.json.gz`, import.meta.url));
  const rows = decodeWire(gunzipSync(packed).toString('utf8')) as Rows;
  const one = (table: string): unknown => rows[table]?.[0];
  const parts: Record<string, unknown> = {
    'nagare.json': { format: 'nagare project', version: 1 },
    'project.json': one('projects'),
    'marks.json': rows['marks'],
    'results.json': rows['results'],
    'reflections.json': rows['data']?.[0]?.['raw'],
    'intake.json': one('intake'),
    'solve.json': one('solves'),
    'patterns.json': rows['patterns'],
    'powder.json': one('powder'),
  };
  return Object.fromEntries(Object.entries(parts).filter(([, v]) => v !== undefined));
}

/** The same project as a file of version 2 holds it, through its text and back. */
function presentParts(fixture: string): Record<string, unknown> {
  const { raw, ...parts } = readParts(oldParts(fixture), 'old.nagare', 2).parts;
  const named: Record<string, unknown> = { 'nagare.json': { format: 'nagare project', version: 2 } };
  for (const [name, value] of Object.entries(parts)) if (value !== undefined) named[`${name}.json`] = value;
  if (raw) named['reflections.json'] = raw;
  return decodeWire(encodeWire(named)) as Record<string, unknown>;
}

const SETS = ['version-3-crystal', 'version-3-powder'];

describe('a project file', () => {
  it.each(SETS)('of the first version is read: %s', (set) => {
    const old = oldParts(set);
    const marks = old['marks.json'] as { id: string; title: string }[];
    const { parts, lost } = readParts(old, 'old.nagare', 2);
    expect(lost).toEqual([]);
    expect(parts.marks.map((m) => m.title)).toEqual(marks.map((m) => m.title));
    expect(new Set(parts.models.map((m) => m.id))).toEqual(new Set(parts.marks.map((m) => m.model)));
  });

  it.each(SETS)('of this version is read as it was written: %s', (set) => {
    const written = presentParts(set);
    const { parts, lost } = readParts(written, 'now.nagare', 2);
    expect(lost).toEqual([]);
    expect(parts.marks).toEqual(written['marks.json']);
    expect(parts.models).toEqual(written['models.json']);
    expect(parts.project).toEqual(written['project.json']);
    expect(parts.results).toEqual(written['results.json'] ?? []);
  });

  /** What is lost of a file that was changed: told with the rest taken, or refused. */
  const told = (change: (parts: Record<string, never>) => void): string => {
    const parts = presentParts('version-3-crystal');
    change(parts as Record<string, never>);
    try {
      const { lost } = readParts(parts, 'torn.nagare', 2);
      return lost.length ? lost.join(' | ') : 'taken';
    } catch (e) {
      return `refused: ${(e as Error).message}`;
    }
  };
  const courseAfter = (change: (parts: Record<string, never>) => void): ReturnType<typeof readParts>['parts'] => {
    const parts = presentParts('version-3-crystal');
    change(parts as Record<string, never>);
    return readParts(parts, 'torn.nagare', 2).parts;
  };
  type Mark = { id: string; parent?: string; model: string; title: string };
  const marksOf = (p: Record<string, never>): Mark[] => p['marks.json'] as unknown as Mark[];

  it('names a part that nobody knows, and takes the rest', () => {
    expect(told((p) => Object.assign(p, { 'dreams.json': [] }))).toBe(
      'The part dreams.json is not known to this Nagare.',
    );
  });

  it('names the part that is damaged, and where', () => {
    expect(told((p) => Object.assign(p['marks.json'][0], { created: 'yesterday' }))).toMatch(
      /A mark of the course is damaged \(marks\.json, row 1: created should be a number\)\./,
    );
    expect(told((p) => Object.assign(p['marks.json'][0], { mood: 'good' }))).toMatch(
      /marks\.json, row 1: it holds what is not known here: "mood"/,
    );
    expect(told((p) => Object.assign(p['models.json'][0]['structure']['sites'][2], { occupancy: null }))).toMatch(
      /models\.json, row 1: structure\.sites\.2\.occupancy should be a number/,
    );
    expect(told((p) => Object.assign(p['models.json'][0]['structure']['sites'][2], { element: 'Xx' }))).toMatch(
      /structure\.sites\.2\.element is not an element/,
    );
    expect(told((p) => Object.assign(p['reflections.json'], { sigma: [1, 2, 3] }))).toMatch(
      /reflections\.json: sigma should be a list of numbers/,
    );
    expect(told((p) => Object.assign(p['reflections.json'], { count: 7 }))).toMatch(
      /reflections\.json: it has columns of different lengths/,
    );
    expect(told((p) => Object.assign(p, { 'intake.json': {} }))).toMatch(/intake\.json: projectId should be a text/);
    expect(told((p) => Object.assign(p, { 'powder.json': {} }))).toMatch(/powder\.json: projectId should be a text/);
    expect(told((p) => Object.assign(p['marks.json'][0], { decisions: 5 }))).toMatch(/decisions should be a list/);
    expect(told((p) => Reflect.deleteProperty(p, 'project.json'))).toMatch(
      /^refused: torn\.nagare is damaged where it says what project it is\. The part project\.json is missing\./,
    );
  });

  it('leaves out a mark whose model is missing, and begins a branch with the one after it', () => {
    const gone = courseAfter((p) => (p['models.json'] as unknown[]).shift());
    const all = marksOf(presentParts('version-3-crystal') as Record<string, never>);
    expect(gone.marks.map((m) => m.title)).toEqual(all.slice(1).map((m) => m.title));
    expect(gone.marks.every((m) => m.parent === undefined || gone.marks.some((x) => x.id === m.parent))).toBe(true);
    expect(told((p) => (p['models.json'] as unknown[]).shift())).toMatch(
      /The model of the mark “.+” is missing, so the mark was left out\./,
    );
  });

  it('cuts a course that comes back to itself', () => {
    const own = (p: Record<string, never>): void => void (marksOf(p)[0]!.parent = marksOf(p)[0]!.id);
    const ring = (p: Record<string, never>): void => void (marksOf(p)[0]!.parent = marksOf(p).at(-1)!.id);
    for (const change of [own, ring]) {
      expect(told(change)).toMatch(/came after itself; it begins a branch of its own now/);
      const { marks } = courseAfter(change);
      for (const mark of marks) {
        let steps = 0;
        for (let at: (typeof marks)[number] | undefined = mark; at?.parent; steps++) {
          const { parent }: { parent?: string } = at;
          at = marks.find((m) => m.id === parent);
          expect(steps).toBeLessThan(marks.length);
        }
      }
    }
  });

  it.each(['Aobae', 'Benigara-2', 'Futago-1', 'Kasumi', 'Mizuasagi'])('that a person took home is read: %s', (name) => {
    const bytes = readFileSync(new URL(`../../../e2e/projects/${name}.nagare`, import.meta.url));
    const found = Object.entries(unzipSync(bytes)).filter(([part]) => part.endsWith('.json'));
    const { parts, lost } = readParts(
      Object.fromEntries(found.map(([part, content]) => [part, decodeWire(strFromU8(content))])),
      `${name}.nagare`,
      2,
    );
    expect(lost).toEqual([]);
    expect(parts.project.name).toBe(name);
    expect(parts.marks).toHaveLength(1);
    expect(parts.intake!.merge!.statistics.unique).toBe(parts.intake!.merge!.reflections.count);
    expect(parts.results[0]!.map!.peaks.length).toBeGreaterThan(0);
  });

  it('names the figure that is damaged, in results of our own', () => {
    expect(told((p) => Object.assign(p['intake.json']['merge']['statistics'], { rInt: 'small' }))).toMatch(
      /intake\.json: merge\.statistics\.rInt/,
    );
    expect(told((p) => Object.assign(p['intake.json']['merge'], { mood: 'good' }))).toMatch(
      /intake\.json: merge holds what is not known here: "mood"/,
    );
    expect(told((p) => Object.assign(p['intake.json'], { analysis: { lattice: 1, ranking: 2, cell: 3 } }))).toMatch(
      /intake\.json: analysis\.lattice should be a group of named values/,
    );
  });

  it('of a newer Nagare, and a zip of something else, are told apart', () => {
    expect(told((p) => Object.assign(p['nagare.json'], { version: 9 }))).toContain('written by a newer Nagare');
    for (const version of [0, -1])
      expect(told((p) => Object.assign(p['nagare.json'], { version }))).toContain('which there never was');
    expect(told((p) => Object.assign(p['nagare.json'], { format: 'holiday' }))).toContain('not a Nagare project file');
  });
});
