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
  const { raw, ...parts } = readParts(oldParts(fixture), 'old.nagare', 2);
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
    const parts = readParts(old, 'old.nagare', 2);
    expect(parts.marks.map((m) => m.title)).toEqual(marks.map((m) => m.title));
    expect(new Set(parts.models.map((m) => m.id))).toEqual(new Set(parts.marks.map((m) => m.model)));
  });

  it.each(SETS)('of this version is read as it was written: %s', (set) => {
    const written = presentParts(set);
    const parts = readParts(written, 'now.nagare', 2);
    expect(parts.marks).toEqual(written['marks.json']);
    expect(parts.models).toEqual(written['models.json']);
    expect(parts.project).toEqual(written['project.json']);
    expect(parts.results).toEqual(written['results.json'] ?? []);
  });

  const told = (change: (parts: Record<string, never>) => void): string => {
    const parts = presentParts('version-3-crystal');
    change(parts as Record<string, never>);
    try {
      readParts(parts, 'torn.nagare', 2);
      return 'taken';
    } catch (e) {
      return (e as Error).message;
    }
  };

  it('is refused with the name of a part that nobody knows', () => {
    expect(told((p) => Object.assign(p, { 'dreams.json': [] }))).toMatch(
      /torn\.nagare holds a part that this Nagare does not know: dreams\.json\..*Nothing of it was taken in/,
    );
  });

  it('is refused with the part that is damaged, and where', () => {
    expect(told((p) => Object.assign(p['marks.json'][0], { created: 'yesterday' }))).toMatch(
      /damaged in its part marks\.json, at 0\.created/,
    );
    expect(told((p) => Object.assign(p['marks.json'][0], { mood: 'good' }))).toMatch(/marks\.json, at 0: .*mood/);
    expect(told((p) => Object.assign(p['models.json'][0]['structure']['sites'][2], { occupancy: null }))).toMatch(
      /models\.json, at 0\.structure\.sites\.2\.occupancy/,
    );
    expect(told((p) => Object.assign(p['reflections.json'], { sigma: [1, 2, 3] }))).toMatch(
      /reflections\.json, at sigma/,
    );
    expect(told((p) => Reflect.deleteProperty(p, 'project.json'))).toMatch(/damaged in its part project\.json/);
    expect(told((p) => (p['models.json'] as unknown[]).pop())).toMatch(/the model of the mark “.+” is missing/);
  });

  it.each(['Aobae', 'Benigara-2', 'Futago-1', 'Kasumi', 'Mizuasagi'])('that a person took home is read: %s', (name) => {
    const bytes = readFileSync(new URL(`../../../e2e/projects/${name}.nagare`, import.meta.url));
    const found = Object.entries(unzipSync(bytes)).filter(([part]) => part.endsWith('.json'));
    const parts = readParts(
      Object.fromEntries(found.map(([part, content]) => [part, decodeWire(strFromU8(content))])),
      `${name}.nagare`,
      2,
    );
    expect(parts.project.name).toBe(name);
    expect(parts.marks).toHaveLength(1);
    expect(parts.intake!.merge!.statistics.unique).toBe(parts.intake!.merge!.reflections.count);
    expect(parts.results[0]!.map!.peaks.length).toBeGreaterThan(0);
  });

  it('is refused with the figure that is damaged, in results of our own', () => {
    expect(told((p) => Object.assign(p['intake.json']['merge']['statistics'], { rInt: 'small' }))).toMatch(
      /intake\.json, at merge\.statistics\.rInt/,
    );
    expect(told((p) => Object.assign(p['intake.json']['merge'], { mood: 'good' }))).toMatch(
      /intake\.json, at merge: .*mood/,
    );
  });

  it('of a newer Nagare, and a zip of something else, are told apart', () => {
    expect(told((p) => Object.assign(p['nagare.json'], { version: 9 }))).toContain('written by a newer Nagare');
    expect(told((p) => Object.assign(p['nagare.json'], { format: 'holiday' }))).toContain('not a Nagare project file');
  });
});
