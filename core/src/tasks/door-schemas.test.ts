import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { FileProblem } from '../formats/cif-parser.ts';
import { recognise, type Recognised } from '../formats/recognise.ts';
import { seededRandom } from '../math/random.ts';
import { indexOptionsSchema } from './powder-schemas.ts';
import { missedGroupSchema } from './symmetry-schemas.ts';
import { runTask } from './registry.ts';
import { recognisedSchema } from './data-schemas.ts';
import { vetReportSchema } from './report-schemas.ts';

const text = (path: string): string => readFileSync(new URL(`../../../demo/${path}`, import.meta.url), 'utf8');
const complaint = (r: Recognised): string | undefined => recognisedSchema.safeParse(r).error?.issues[0]?.message;

describe('what is recognised in a file', () => {
  it.each(['truth/kasumi.cif', 'truth/futago-1.cif', 'data/aobae.cif', 'data/frit-12.xy', 'data/frit-31.xye'])(
    'passes the door: %s',
    (path) => {
      const found = recognise(text(path), path);
      expect(found.length).toBeGreaterThan(0);
      for (const r of found) expect(complaint(r)).toBeUndefined();
    },
  );

  it('passes it, or is refused in a sentence, when any value of a model is missing or out of place', () => {
    const random = seededRandom(11);
    const words = text('truth/kasumi.cif').split(/(\s+)/);
    const values = words.flatMap((w, i) => (/^-?[\d.]/.test(w) ? [i] : []));
    let read = 0;
    for (let round = 0; round < 60; round++) {
      const broken = [...words];
      for (let n = 0; n < 3; n++)
        broken[values[Math.floor(values.length * random.next())]!] = ['?', '.', '1e999', '-', '99999'][
          Math.floor(5 * random.next())
        ]!;
      try {
        for (const r of recognise(broken.join(''), 'broken.cif')) {
          expect(complaint(r), `round ${round}`).toBeUndefined();
          read++;
        }
      } catch (e) {
        expect(e, `round ${round}`).toBeInstanceOf(FileProblem);
      }
    }
    expect(read).toBeGreaterThan(10);
  });
});

describe('an answer that came over the network', () => {
  it('is given back as it came, or refused with its place', async () => {
    const answer = { steps: [], stopped: false };
    await expect(runTask('answer', { task: 'series', answer })).resolves.toBe(answer);
    const broken = { steps: [{ pattern: 'a', at: 'warm' }], stopped: false };
    await expect(runTask('answer', { task: 'series', answer: broken })).rejects.toThrow(
      /The answer to "series" is not right: steps\.0\./,
    );
    await expect(runTask('answer', { task: 'dream', answer })).rejects.toThrow(/no task called "dream"/);
  });
});

describe('what a stranger sends', () => {
  it('is refused where a field is unknown, missing or of another kind', () => {
    const options = { wavelength: 1.54, tolerance: 0.03 };
    expect(indexOptionsSchema.safeParse(options).success).toBe(true);
    expect(indexOptionsSchema.safeParse({ ...options, colour: 'red' }).success).toBe(false);
    expect(indexOptionsSchema.safeParse({ ...options, systems: ['cubical'] }).success).toBe(false);
    expect(missedGroupSchema.safeParse({ index: 2 }).success).toBe(false);
    const finding = { check: 'a', key: 'a', family: 'data', severity: 'know', title: '', detail: '', sites: [] };
    const report = (remedy: object) => ({ findings: [{ ...finding, remedies: [remedy] }], ran: [], silent: [] });
    expect(vetReportSchema.safeParse(report({ words: 'Delete', act: 'delete', sites: [1] })).success).toBe(true);
    expect(vetReportSchema.safeParse(report({ words: 'Delete', act: 'delete', sites: ['C1'] })).success).toBe(false);
    expect(vetReportSchema.safeParse(report({ words: 'Explode', act: 'explode' })).success).toBe(false);
  });
});
