/** Tables as programs and people write them: the same numbers in every layout are the same data. */
import { describe, expect, it } from 'vitest';
import type { RawReflections } from '../crystal/reflections.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { FileProblem } from './cif-parser.ts';
import { recognise, type Recognised } from './recognise.ts';
import { decodeText } from './text.ts';

const only = (text: string): Recognised => {
  const all = recognise(text, 'table.txt');
  expect(all).toHaveLength(1);
  return all[0]!;
};

interface Row {
  readonly hkl: readonly [number, number, number];
  readonly intensity: number;
  readonly sigma: number;
  readonly batch: number;
}

const rowsOf = (random: Random, count: number): Row[] =>
  Array.from({ length: count }, () => ({
    hkl: [random.below(25) - 12, random.below(25) - 12, 1 + random.below(20)] as const,
    intensity: Number((1200 * random.next() - 60).toFixed(2)),
    sigma: Number((0.5 + 9 * random.next()).toFixed(2)),
    batch: 1 + random.below(3),
  }));

const fixed = (x: number, width: number, digits = 0): string => x.toFixed(digits).padStart(width);
const columns = (r: Row): string =>
  r.hkl.map((x) => fixed(x, 4)).join('') + fixed(r.intensity, 8, 2) + fixed(r.sigma, 8, 2);

/** Layouts of a list of reflections; those with batches say so. */
const LISTS: Readonly<Record<string, { readonly write: (rows: readonly Row[]) => string; readonly batches?: true }>> = {
  'columns without blanks between them': { write: (rows) => rows.map(columns).join('\n') },
  'columns with batches': {
    write: (rows) => rows.map((r) => columns(r) + fixed(r.batch, 4)).join('\n'),
    batches: true,
  },
  'columns, ended by zeros and followed by words': {
    write: (rows) => [...rows.map(columns), '   0   0   0    0.00    0.00', 'data of the crystal', '1 2 3'].join('\n'),
  },
  blanks: { write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join(' ')).join('\n') },
  'blanks with batches': {
    write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma, r.batch].join('   ')).join('\n'),
    batches: true,
  },
  tabs: { write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join('\t')).join('\n') },
  'tabs and decimal commas': {
    write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join('\t').replace(/\./g, ',')).join('\n'),
  },
  commas: { write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join(',')).join('\n') },
  'commas and blanks': { write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join(', ')).join('\n') },
  semicolons: { write: (rows) => rows.map((r) => [...r.hkl, r.intensity, r.sigma].join(';')).join('\n') },
  'powers of ten': {
    write: (rows) =>
      rows.map((r) => [...r.hkl, r.intensity.toExponential(8), r.sigma.toExponential(8)].join(' ')).join('\n'),
  },
  'powers of ten with a D': {
    write: (rows) =>
      rows
        .map((r) => [...r.hkl, r.intensity.toExponential(8), r.sigma.toExponential(8)].join(' ').replace(/e/g, 'D'))
        .join('\n'),
  },
  'comments and empty lines': {
    write: (rows) =>
      ['# one crystal', '', ...rows.flatMap((r, i) => [...(i % 9 ? [] : ['#', '']), columns(r)]), '', ''].join('\n'),
  },
  'plus signs': {
    write: (rows) =>
      rows.map((r) => [...r.hkl.map((x) => (x > 0 ? `+${x}` : x)), r.intensity, r.sigma].join(' ')).join('\n'),
  },
};

/** The same text as other systems keep it. */
const ENCODINGS: Readonly<Record<string, (text: string) => string>> = {
  'lines ended by LF': (t) => t,
  'lines ended by CR LF': (t) => t.replace(/\n/g, '\r\n'),
  'lines ended by CR': (t) => t.replace(/\n/g, '\r'),
  'a byte-order mark': (t) => `\ufeff${t}`,
  'UTF-16': (t) => {
    const bytes = new Uint8Array(2 + 2 * t.length);
    bytes.set([0xff, 0xfe]);
    for (let i = 0; i < t.length; i++) bytes[2 + 2 * i] = t.charCodeAt(i) & 0xff;
    return decodeText(bytes);
  },
};

function expectRows(raw: RawReflections, rows: readonly Row[], batches: boolean): void {
  expect(raw.count).toBe(rows.length);
  rows.forEach((r, i) => {
    expect([raw.h[i], raw.k[i], raw.l[i]]).toEqual(r.hkl);
    expect(raw.intensity[i]).toBeCloseTo(r.intensity, 6);
    expect(raw.sigma[i]).toBeCloseTo(r.sigma, 6);
    if (batches) expect(raw.batch![i]).toBe(r.batch);
  });
}

describe('lists of reflections', () => {
  describe.each(Object.entries(LISTS))('%s', (_, { write, batches }) => {
    it.each(Object.entries(ENCODINGS))('with %s', (_name, encode) => {
      for (let seed = 1; seed <= 4; seed++) {
        const rows = rowsOf(seededRandom(seed), 60);
        const { raw, asides } = only(encode(write(rows)));
        expect(asides).toBeUndefined();
        expectRows(raw!, rows, !!batches);
      }
    });
  });

  it.each(Object.entries(LISTS))('a torn row is refused with its line: %s', (_, { write }) => {
    const text = write(rowsOf(seededRandom(9), 40));
    const lines = text.split('\n');
    const at = 21;
    lines.splice(at, 0, '  7   x   3   12.10    3.40');
    expect(() => only(lines.join('\n'))).toThrow(new RegExp(`^Line ${at + 1}: `));
  });
});

/** Counts along 2θ; the numbers are whole, so that every layout can hold them. */
const counts = (random: Random, count: number): number[] =>
  Array.from({ length: count }, (_, i) => Math.round(300 + 200 * Math.sin(i / 7) + 50 * random.next()));

interface Scan {
  readonly first: number;
  readonly step: number;
  readonly y: readonly number[];
}
const angle = ({ first, step }: Scan, i: number): number => Number((first + step * i).toFixed(4));
const last = (s: Scan): number => angle(s, s.y.length - 1);
const inRows = (y: readonly number[], perRow: number, join: string): string[] =>
  Array.from({ length: Math.ceil(y.length / perRow) }, (_, i) => y.slice(i * perRow, (i + 1) * perRow).join(join));

const PATTERNS: Readonly<Record<string, (s: Scan) => string>> = {
  'two columns': (s) => s.y.map((v, i) => `${angle(s, i)} ${v}`).join('\n'),
  'two columns beneath words': (s) => ['2-theta Intensity', ...s.y.map((v, i) => `${angle(s, i)}\t${v}`)].join('\n'),
  'columns with commas': (s) => s.y.map((v, i) => `${angle(s, i)},${v}`).join('\n'),
  'columns with semicolons and decimal commas': (s) =>
    s.y.map((v, i) => `${String(angle(s, i)).replace('.', ',')};${v}`).join('\n'),
  'falling angles': (s) =>
    [...s.y.keys()]
      .reverse()
      .map((i) => `${angle(s, i)} ${s.y[i]}`)
      .join('\n'),
  'a range and eight counts a row': (s) =>
    ['a sample, 300 s a step', `${s.first} ${s.step} ${last(s)}`, ...inRows(s.y, 8, '  ')].join('\n'),
  'a range and ten counts a row in columns': (s) =>
    [
      `${fixed(s.first, 8, 3)}${fixed(s.step, 8, 3)}${fixed(last(s), 8, 3)}`,
      ...inRows(s.y, 10, '').map((_, r) =>
        s.y
          .slice(10 * r, 10 * r + 10)
          .map((v) => fixed(v, 8))
          .join(''),
      ),
    ].join('\n'),
  'a range with its end before its step, one count a row': (s) =>
    [`${s.first}, ${last(s)}, ${s.step}`, ...s.y].join('\n'),
  'a range and all counts on one line': (s) => `${s.first} ${s.step} ${last(s)}\n${s.y.join(' ')}\n`,
};

describe('powder patterns', () => {
  describe.each(Object.entries(PATTERNS))('%s', (_, write) => {
    it.each(Object.entries(ENCODINGS))('with %s', (_name, encode) => {
      for (const [seed, first, step, count] of [
        [1, 10, 0.2, 400],
        [2, 5.01, 0.5, 123],
        [3, 7.5, 0.213, 301],
      ] as const) {
        const scan: Scan = { first, step, y: counts(seededRandom(seed), count) };
        const { powder, asides } = only(encode(write(scan)));
        expect(asides).toBeUndefined();
        const { twoTheta, intensity, sigmaFrom } = powder!.pattern;
        expect(sigmaFrom).toBe('counts');
        expect([...intensity]).toEqual(scan.y);
        twoTheta.forEach((t, i) => expect(t).toBeCloseTo(angle(scan, i), 6));
      }
    });
  });

  const scan: Scan = { first: 10, step: 0.02, y: counts(seededRandom(4), 200) };

  it('a range that promises more or fewer points than follow is refused with its line', () => {
    const text = PATTERNS['a range and eight counts a row']!(scan);
    const lines = text.split('\n');
    const lost = [...lines.slice(0, 6), ...lines.slice(7)].join('\n');
    expect(() => only(lost)).toThrow(
      'Line 2: the range 10 to 13.98° in steps of 0.02° has 200 points, but 192 intensities follow.',
    );
    expect(() => only([...lines, lines[4]].join('\n'))).toThrow(/has 200 points, but 208 intensities follow/);
  });

  it('rows of counts are no list of reflections, and a list is no range', () => {
    expect(only(PATTERNS['a range and eight counts a row']!(scan)).raw).toBeUndefined();
    const list = only(LISTS['blanks']!.write(rowsOf(seededRandom(3), 60)));
    expect([list.raw?.count, list.powder]).toEqual([60, undefined]);
    // Three numbers that could be a range, before a table with angles of its own.
    const table = `# 10 to 20\n10 0.5 20\n${scan.y.map((v, i) => `${10.5 + 0.5 * i} ${v} 3`).join('\n')}`;
    expect(only(table).powder!.pattern.twoTheta).toHaveLength(201);
  });

  it('a word among the counts is refused', () => {
    const text = PATTERNS['a range and eight counts a row']!(scan).replace(/\n(\d+) /, '\nmany ');
    expect(() => only(text)).toThrow(FileProblem);
  });
});
