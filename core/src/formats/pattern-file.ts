/** Powder patterns from text of two or three columns and from powder CIF (International Tables G, 3.3), and instruments from JSON. */
import { z } from 'zod';
import {
  anodeLines,
  ANODES,
  twoThetaOf,
  USUAL_INSTRUMENT,
  type Instrument,
  type Pattern,
  type SpectralLine,
} from '../crystal/pattern.ts';
import { parseMeasured } from '../crystal/uncertainty.ts';
import { FileProblem, INAPPLICABLE, itemText, UNKNOWN, type CifBlock, type CifLoop } from './cif-parser.ts';

export type Axis = '2θ' | 'd' | 'Q';

export interface PatternFile {
  readonly pattern: Pattern;
  readonly axis: Axis;
  /** Steps are all alike. */
  readonly even: boolean;
  readonly columns: 2 | 3;
}

const NUMBER = /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eEdD][+-]?\d+)?$/;
const isComment = (line: string): boolean => /^\s*(?:[#!%"'/*]|[A-Za-zθΘ_@])/.test(line);

/** Numbers of one line whatever separates them; a comma may be the decimal sign where something else separates. */
function numbersOf(line: string): number[] | undefined {
  let text = line.trim();
  if (!text) return undefined;
  const hardSeparator = /[;\t]/.test(text) || (/\s/.test(text) && !/,\s/.test(text));
  if (hardSeparator && /\d,\d/.test(text)) text = text.replace(/(\d),(\d)/g, '$1.$2');
  const tokens = text.split(/[\s;,]+/).filter(Boolean);
  if (!tokens.every((t) => NUMBER.test(t))) return undefined;
  return tokens.map((t) => Number(t.replace(/[dD]/, 'e')));
}

/** True when most of the first lines are two or three numbers and the first column runs one way. */
export function looksLikePattern(text: string): boolean {
  const rows: number[][] = [];
  let other = 0;
  for (const line of text.slice(0, 20000).split(/\r?\n/).slice(0, 200)) {
    if (!line.trim()) continue;
    const n = numbersOf(line);
    if (n && (n.length === 2 || n.length === 3)) rows.push(n);
    else if (!isComment(line)) other++;
  }
  if (rows.length < 12 || other > rows.length * 0.2 + 2) return false;
  const falling = rows.filter((r, i) => i && r[0]! < rows[i - 1]![0]!).length,
    rising = rows.filter((r, i) => i && r[0]! > rows[i - 1]![0]!).length;
  return Math.max(falling, rising) > 0.9 * (rows.length - 1);
}

/** 2θ (rising), intensity and s.u. from columns on any axis. Throws FileProblem when the wavelength cannot reach what stands there. */
export function patternFrom(
  name: string,
  axis: Axis,
  x: ArrayLike<number>,
  y: ArrayLike<number>,
  su: ArrayLike<number> | undefined,
  wavelength: number,
): Pattern {
  const n = x.length;
  const rows = Array.from({ length: n }, (_, i) => {
    const value = x[i]!;
    return { t: axis === '2θ' ? value : twoThetaOf(axis === 'd' ? value : (2 * Math.PI) / value, wavelength), i };
  })
    .filter((r) => Number.isFinite(r.t))
    .sort((p, q) => p.t - q.t);
  if (rows.length < 12)
    throw new FileProblem(
      `the ${axis} values do not fit the wavelength ${wavelength} Å. Choose what the first column is, or another wavelength.`,
    );
  const given = su !== undefined && rows.some((r) => su[r.i]! > 0);
  return {
    name,
    twoTheta: Float64Array.from(rows, (r) => r.t),
    intensity: Float64Array.from(rows, (r) => y[r.i]!),
    sigma: Float64Array.from(rows, (r) => (given ? su[r.i]! : Math.sqrt(Math.max(1, y[r.i]!)))),
    sigmaFrom: given ? 'file' : 'counts',
  };
}

/** The same points read on another axis: what was taken for `from` is `to`. */
export function withAxis(p: Pattern, from: Axis, to: Axis, wavelength: number): Pattern {
  const original = p.twoTheta.map((t) => {
    if (from === '2θ') return t;
    const d = wavelength / (2 * Math.sin((t * Math.PI) / 360));
    return from === 'd' ? d : (2 * Math.PI) / d;
  });
  return { ...patternFrom(p.name, to, original, p.intensity, p.sigma, wavelength), sigmaFrom: p.sigmaFrom };
}

/** Reads columns. Throws FileProblem with the line of the first row that is not two or three numbers. */
export function parsePattern(
  text: string,
  name: string,
  wavelength = USUAL_INSTRUMENT.lines[0]!.wavelength,
): PatternFile {
  const x: number[] = [],
    y: number[] = [],
    s: number[] = [];
  let head = '',
    columns: 2 | 3 = 2;
  let at: number | undefined;
  const lines = text.split(/\r?\n/);
  for (const [i, line] of lines.entries()) {
    const t = line.trim();
    if (!t) continue;
    const n = numbersOf(line);
    if (!n) {
      const value = /(?:temperature|T|at)\s*[=:]?\s*([\d.]+)\s*K\b/i.exec(t);
      if (value && at === undefined) at = Number(value[1]);
      if (isComment(line) || (!x.length && /[A-Za-zθ]{2}/.test(t))) {
        if (!x.length) head += ` ${t}`;
        continue;
      }
      throw new FileProblem(
        `expected two or three numbers (2θ, intensity and its s.u.) but found "${t.slice(0, 60)}". Correct or remove this line; nothing was taken.`,
        i + 1,
      );
    }
    if (n.length !== 2 && n.length !== 3) {
      if (!x.length && n.length === 1) {
        head += ` ${t}`;
        continue;
      }
      throw new FileProblem(
        `this line holds ${n.length} numbers where two or three (2θ, intensity, s.u.) are expected: "${t.slice(0, 60)}".`,
        i + 1,
      );
    }
    if (x.length && n.length === 2 && columns === 3)
      throw new FileProblem(`the third column (s.u.) is missing here: "${t.slice(0, 60)}".`, i + 1);
    if (x.length && n[0] === x[x.length - 1])
      throw new FileProblem(`the first column stands still at ${n[0]}. Each point needs its own 2θ.`, i + 1);
    if (x.length > 1 && Math.sign(n[0]! - x[x.length - 1]!) !== Math.sign(x[1]! - x[0]!))
      throw new FileProblem(
        `the first column turns back from ${x[x.length - 1]} to ${n[0]}. Two scans in one file? Give each its own file.`,
        i + 1,
      );
    if (n.length === 3) columns = 3;
    x.push(n[0]!);
    y.push(n[1]!);
    if (n.length === 3) s.push(n[2]!);
  }
  if (x.length < 12)
    throw new FileProblem(
      `there are only ${x.length} points. A pattern needs a column of 2θ and a column of intensities.`,
    );
  const axis = guessAxis(x, head);
  const step = (x[x.length - 1]! - x[0]!) / (x.length - 1);
  const even = x.every((v, i) => Math.abs(v - x[0]! - i * step) < 0.02 * Math.abs(step) + 1e-9);
  return {
    pattern: {
      ...patternFrom(name, axis, x, y, columns === 3 ? s : undefined, wavelength),
      ...(at !== undefined ? { at } : {}),
    },
    axis,
    even,
    columns,
  };
}

function guessAxis(x: readonly number[], head: string): Axis {
  if (/(?:^|[\s(,;#])Q\b|1\/(?:Å|A|Ang)/.test(head)) return 'Q';
  if (/\bd[ -_(]?(?:spacing|\/|\(|[ÅA])/i.test(head)) return 'd';
  if (/2\s*[-_ ]?th|2θ|two ?theta/i.test(head)) return '2θ';
  const top = Math.max(...x),
    low = Math.min(...x);
  if (x[0]! > x[x.length - 1]! && top < 60) return 'd';
  // Spacings rarely start below 0.4 Å, and 2θ scans rarely end below 25°.
  return top < 25 && low > 0.2 && top / Math.max(low, 0.01) > 8 ? 'Q' : '2θ';
}

const loopOf = (
  block: CifBlock,
  tags: readonly string[],
): { loop: CifLoop; column: number; tag: string } | undefined => {
  for (const tag of tags)
    for (const loop of block.loops) {
      const column = loop.tags.indexOf(tag);
      if (column >= 0) return { loop, column, tag };
    }
  return undefined;
};

const columnOf = (loop: CifLoop, column: number): (string | undefined)[] => {
  const out: (string | undefined)[] = [];
  for (let i = column; i < loop.values.length; i += loop.tags.length) {
    const v = loop.values[i]!;
    out.push(v === UNKNOWN || v === INAPPLICABLE ? undefined : v);
  }
  return out;
};

/** The spectrum that a block describes. */
export function readLines(block: CifBlock): SpectralLine[] | undefined {
  const found = loopOf(block, [
    '_diffrn_radiation_wavelength',
    '_diffrn_radiation_wavelength_wavelength',
    '_diffrn_radiation_wavelength_value',
  ]);
  if (found) {
    const weight = found.loop.tags.findIndex((t) => t.endsWith('wavelength_wt'));
    const weights = weight >= 0 ? columnOf(found.loop, weight).map((t) => Number(t ?? 1)) : [];
    const lines = columnOf(found.loop, found.column).flatMap((t, i) => {
      const v = t && parseMeasured(t);
      return v ? [{ wavelength: v.value, weight: weights[i] ?? (i ? 0.5 : 1) }] : [];
    });
    if (lines.length) return lines.map((l) => ({ ...l, weight: l.weight / lines[0]!.weight }));
  }
  const one = itemText(
    block,
    '_diffrn_radiation_wavelength',
    '_diffrn_radiation_wavelength_wavelength',
    '_diffrn_radiation_wavelength_value',
  );
  const value = one && parseMeasured(one)?.value;
  const anode = ANODES.find((a) =>
    new RegExp(`^${a}`, 'i').test(itemText(block, '_diffrn_radiation_type', '_diffrn_source_target') ?? ''),
  );
  if (value) {
    // A mean Kα wavelength stands for the doublet.
    const doublet = ANODES.map((a) => anodeLines(a)).find(
      (l) => Math.abs((2 * l[0]!.wavelength + l[1]!.wavelength) / 3 - value) < 2e-4,
    );
    return doublet ?? [{ wavelength: value, weight: 1 }];
  }
  return anode ? anodeLines(anode) : undefined;
}

/** A measured pattern in a CIF block; undefined where there is none. */
export function readPattern(block: CifBlock, name: string): { file: PatternFile; lines?: SpectralLine[] } | undefined {
  const y = loopOf(block, [
    '_pd_meas_counts_total',
    '_pd_meas_intensity_total',
    '_pd_proc_intensity_total',
    '_pd_proc_intensity_net',
    '_pd_meas_counts_net',
    '_pd_meas_intensity_net',
  ]);
  if (!y) return undefined;
  const lines = readLines(block);
  const wavelength = lines?.[0]?.wavelength ?? USUAL_INSTRUMENT.lines[0]!.wavelength;
  const texts = columnOf(y.loop, y.column);
  const x = loopOf(block, [
    '_pd_meas_2theta_scan',
    '_pd_proc_2theta_corrected',
    '_pd_proc_d_spacing',
    '_pd_proc_recip_len_q',
  ]);
  let axis: Axis = '2θ',
    xs: number[];
  if (x && x.loop === y.loop) {
    axis = x.tag.endsWith('d_spacing') ? 'd' : x.tag.endsWith('len_q') ? 'Q' : '2θ';
    xs = columnOf(x.loop, x.column).map((t, i) => {
      const v = t && parseMeasured(t);
      if (!v)
        throw new FileProblem(`${x.tag} is "${t ?? '?'}" at point ${i + 1}, which is not a number.`, x.loop.line + i);
      return v.value;
    });
  } else {
    const range = ['min', 'max', 'inc'].map((k) =>
      Number(itemText(block, `_pd_meas_2theta_range_${k}`, `_pd_proc_2theta_range_${k}`)),
    );
    if (!(range[2]! > 0) || !Number.isFinite(range[0]!))
      throw new FileProblem(
        'the pattern has intensities but neither a column of 2θ nor a range with its step (_pd_meas_2theta_range_min and _inc).',
        y.loop.line,
      );
    xs = texts.map((_, i) => range[0]! + i * range[2]!);
  }
  const su = loopOf(block, [`${y.tag}_su`]),
    ls = loopOf(block, ['_pd_proc_ls_weight']);
  const suText = su && columnOf(su.loop, su.column),
    weightText = ls && ls.loop === y.loop ? columnOf(ls.loop, ls.column) : undefined;
  const values: number[] = [],
    sus: number[] = [];
  texts.forEach((t, i) => {
    const v = t === undefined ? undefined : parseMeasured(t);
    if (!v)
      throw new FileProblem(`${y.tag} is "${t ?? '?'}" at point ${i + 1}, which is not a number.`, y.loop.line + i);
    values.push(v.value);
    const w = Number(weightText?.[i]);
    sus.push(v.su || Number(suText?.[i]) || (w > 0 ? 1 / Math.sqrt(w) : 0));
  });
  const given = sus.some((s) => s > 0);
  const temperature = Number(itemText(block, '_diffrn_ambient_temperature')?.replace(/\(.*/, ''));
  const pattern = patternFrom(name, axis, xs, values, given ? sus : undefined, wavelength);
  const step = (xs[xs.length - 1]! - xs[0]!) / (xs.length - 1);
  return {
    file: {
      pattern: Number.isFinite(temperature) ? { ...pattern, at: temperature } : pattern,
      axis,
      even: xs.every((v, i) => Math.abs(v - xs[0]! - i * step) < 0.02 * Math.abs(step) + 1e-9),
      columns: given ? 3 : 2,
    },
    ...(lines ? { lines } : {}),
  };
}

const lineSchema = z.strictObject({ wavelength: z.number().min(0.1).max(5), weight: z.number().min(0).max(2) });
export const instrumentSchema = z.strictObject({
  name: z.string(),
  lines: z.array(lineSchema).min(1),
  geometry: z.enum(['flat specimen', 'capillary']),
  monochromator: z.number().min(0).max(90),
  radius: z.number().positive(),
  zero: z.number().min(-2).max(2),
  calibrated: z.string().optional(),
  profile: z.strictObject({
    u: z.number(),
    v: z.number(),
    w: z.number(),
    x: z.number(),
    y: z.number(),
    sampleHeight: z.number().min(0),
    detectorHeight: z.number().min(0),
  }),
});

/** Reads an instrument written by `instrumentText`. Throws FileProblem with what is not right. */
export function parseInstrument(text: string): Instrument {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new FileProblem('this is not JSON, so it is no instrument that Nagare wrote.');
  }
  const parsed = instrumentSchema.safeParse(value);
  if (!parsed.success)
    throw new FileProblem(
      `this is not an instrument: ${parsed.error.issues[0]?.path.join('.') ?? ''} ${parsed.error.issues[0]?.message ?? ''}.`,
    );
  const { calibrated, ...rest } = parsed.data;
  return { ...rest, ...(calibrated ? { calibrated } : {}) };
}

export const instrumentText = (i: Instrument): string => `${JSON.stringify(i, null, 2)}\n`;
