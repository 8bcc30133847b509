/** Powder patterns and spectra from powder CIF (International Tables G, 3.3). */
import { anodeLines, ANODES, USUAL_INSTRUMENT, type SpectralLine } from '../crystal/pattern.ts';
import { parseMeasured, type Measured } from '../crystal/uncertainty.ts';
import { Asides } from './asides.ts';
import { isWavelength } from './cif-data.ts';
import { FileProblem, INAPPLICABLE, itemText, UNKNOWN, type CifBlock, type CifLoop } from './cif-parser.ts';
import { isEven, patternFrom, type Axis, type PatternColumns, type PatternFile } from './pattern-columns.ts';
import { decimal } from './text.ts';

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
    const isWeight = (x: number): boolean => x >= 0 && x <= 2;
    const weight = found.loop.tags.findIndex((t) => t.endsWith('wavelength_wt'));
    const weights = weight >= 0 ? columnOf(found.loop, weight).map((t) => decimal(t ?? '1')) : [];
    const lines = columnOf(found.loop, found.column).flatMap((t, i) => {
      const v = t && parseMeasured(t);
      if (!v || !isWavelength(v.value)) return [];
      return [{ wavelength: v.value, weight: isWeight(weights[i] ?? NaN) ? weights[i]! : i ? 0.5 : 1 }];
    });
    if (lines.length && lines[0]!.weight > 0) return lines.map((l) => ({ ...l, weight: l.weight / lines[0]!.weight }));
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
  if (value && isWavelength(value)) {
    // A mean Kα wavelength stands for the doublet.
    const doublet = ANODES.map((a) => anodeLines(a)).find(
      (l) => Math.abs((2 * l[0]!.wavelength + l[1]!.wavelength) / 3 - value) < 2e-4,
    );
    return doublet ?? [{ wavelength: value, weight: 1 }];
  }
  return anode ? anodeLines(anode) : undefined;
}

/** A column of numbers. Throws FileProblem with the line of what is none. */
function numbersIn({ loop, column, tag }: { loop: CifLoop; column: number; tag: string }): Measured[] {
  return columnOf(loop, column).map((text, row) => {
    const v = text === undefined ? undefined : parseMeasured(text);
    if (v) return v;
    throw new FileProblem(
      `${tag} is "${(text ?? '?').slice(0, 40)}" at point ${row + 1}, which is not a number.`,
      loop.lineOf(row * loop.tags.length + column),
    );
  });
}

const INTENSITIES = [
  '_pd_meas_counts_total',
  '_pd_meas_intensity_total',
  '_pd_proc_intensity_total',
  '_pd_proc_intensity_net',
  '_pd_meas_counts_net',
  '_pd_meas_intensity_net',
];
const ABSCISSAS = ['_pd_meas_2theta_scan', '_pd_proc_2theta_corrected', '_pd_proc_d_spacing', '_pd_proc_recip_len_q'];

/** The first column, from a loop or from a range with its step. Throws FileProblem. */
function abscissaOf(block: CifBlock, loop: CifLoop, points: number): { axis: Axis; x: number[] } {
  const x = loopOf(block, ABSCISSAS);
  if (x && x.loop === loop)
    return {
      axis: x.tag.endsWith('d_spacing') ? 'd' : x.tag.endsWith('len_q') ? 'Q' : '2θ',
      x: numbersIn(x).map((m) => m.value),
    };
  const [first, step] = ['min', 'inc'].map(
    (k) =>
      parseMeasured(itemText(block, `_pd_meas_2theta_range_${k}`, `_pd_proc_2theta_range_${k}`) ?? '')?.value ?? NaN,
  ) as [number, number];
  if (!(step > 0) || !Number.isFinite(first))
    throw new FileProblem(
      'the pattern has intensities but neither a column of 2θ nor a range with its step (_pd_meas_2theta_range_min and _inc).',
      loop.line,
    );
  return { axis: '2θ', x: Array.from({ length: points }, (_, i) => first + i * step) };
}

/** A measured pattern in a CIF block; undefined where there is none. Points that cannot be go to `asides`. Throws FileProblem. */
export function readPattern(
  block: CifBlock,
  name: string,
  asides = new Asides(),
): { file: PatternFile; lines?: SpectralLine[] } | undefined {
  const y = loopOf(block, INTENSITIES);
  if (!y) return undefined;
  const lines = readLines(block);
  const wavelength = lines?.[0]?.wavelength ?? USUAL_INSTRUMENT.lines[0]!.wavelength;
  const values = numbersIn(y);
  const { axis, x } = abscissaOf(block, y.loop, values.length);
  const su = loopOf(block, [`${y.tag}_su`]),
    ls = loopOf(block, ['_pd_proc_ls_weight']);
  const suText = su && columnOf(su.loop, su.column),
    weightText = ls && ls.loop === y.loop ? columnOf(ls.loop, ls.column) : undefined;
  const sus = values.map((v, i) => {
    const w = decimal(weightText?.[i] ?? '');
    return v.su || decimal(suText?.[i] ?? '') || (w > 0 ? 1 / Math.sqrt(w) : 0);
  });
  const given = sus.some((s) => s > 0);
  const columns: PatternColumns = {
    x,
    intensity: values.map((v) => v.value),
    ...(given ? { su: sus } : {}),
    lineOf: (row) => y.loop.lineOf(row * y.loop.tags.length + y.column),
  };
  const pattern = patternFrom(name, axis, columns, wavelength, asides);
  const temperature = parseMeasured(itemText(block, '_diffrn_ambient_temperature') ?? '')?.value;
  return {
    file: {
      pattern: temperature !== undefined && temperature > 0 ? { ...pattern, at: temperature } : pattern,
      axis,
      even: isEven(x),
      columns: given ? 3 : 2,
    },
    ...(lines ? { lines } : {}),
  };
}
