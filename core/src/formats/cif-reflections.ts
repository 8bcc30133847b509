/** Measured intensities of a data block: a measured loop, a merged loop or an embedded list. */
import { parseMeasured } from '../crystal/uncertainty.ts';
import { limitingSphere } from '../crystal/reach.ts';
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { Asides } from './asides.ts';
import { readCell, readWavelength } from './cif-data.ts';
import { FileProblem, INAPPLICABLE, itemText, loopWith, UNKNOWN, type CifBlock, type CifLoop } from './cif-parser.ts';
import { looksLikeReflectionList, parseReflectionList } from './reflection-list.ts';
import { readWithinReach, type RowLimits, setAsideBecause } from './reflection-check.ts';
import { decimal } from './text.ts';

const column = (loop: CifLoop, ...names: string[]): number => {
  for (const n of names) {
    const i = loop.tags.indexOf(n);
    if (i >= 0) return i;
  }
  return -1;
};

const isAbsentValue = (text: string): boolean => text === UNKNOWN || text === INAPPLICABLE;

/** Plain numbers take the fast way; "12(3)" the thorough one; NaN when it is neither. */
function numberIn(text: string): number {
  const direct = decimal(text);
  return direct === direct ? direct : (parseMeasured(text)?.value ?? NaN);
}

export interface ReadReflections {
  raw: RawReflections;
  /** Where they came from, in words. */
  origin: string;
}

const MEASURED_VALUES = ['_refln_f_squared_meas', '_refln_intensity_meas', '_refln_f_meas', '_refln_f_meas_au'];

/** Letters of a text item below which it is no list. */
const SHORTEST_LIST = 200;

/**
 * Reflections of a block from a measured loop, a merged loop or an embedded list; undefined when there are none. Those that
 * cannot be data go to `asides`. Throws FileProblem.
 */
export function readReflections(block: CifBlock, asides = new Asides()): ReadReflections | undefined {
  const cell = readCell(block);
  const inside = cell && limitingSphere(cell, readWavelength(block));
  const unmerged = loopWith(block, '_diffrn_refln_index_h');
  if (unmerged) {
    const beams = beamsOf(block, unmerged);
    const raw = readWithinReach({ asides, inside }, (limits) =>
      reflectionLoop(unmerged, '_diffrn_refln', limits, beams),
    );
    return { raw, origin: raw.beams ? 'unmerged intensities with their beam directions' : 'unmerged intensities' };
  }
  const merged = loopWith(block, '_refln_index_h');
  if (merged && column(merged, ...MEASURED_VALUES) >= 0)
    return {
      raw: readWithinReach({ asides, inside }, (limits) => reflectionLoop(merged, '_refln', limits)),
      origin: 'a merged list',
    };
  for (const [, item] of block.items) {
    if (item.value.length < SHORTEST_LIST || !item.value.includes('\n') || !looksLikeReflectionList(item.value))
      continue;
    const list = item.value.replace(/^\r?\n/, '');
    const first = item.valueLine + (list.length < item.value.length ? 1 : 0);
    return {
      raw: readWithinReach(
        { asides, inside },
        (limits) => parseReflectionList(list, { firstLine: first, ...limits }).raw,
      ),
      origin: 'an embedded reflection list',
    };
  }
  return undefined;
}

/** Unit vectors towards the source and along the diffracted beam of a row of the loop. */
type Beams = (row: number, h: number, k: number, l: number) => number[] | undefined;

/**
 * Beam directions in the crystal from four-circle angles and the orientation matrix (Busing & Levy 1967, Acta Cryst. 22, 457):
 * in the θ frame the scattering vector lies along x and the primary beam runs along (−sin θ, cos θ, 0); ΩΧΦ turns the crystal into it.
 * Undefined where the file gives no angles.
 */
function beamsOf(block: CifBlock, loop: CifLoop): Beams | undefined {
  const [omega, chi, phi] = ['omega', 'chi', 'phi'].map((n) => column(loop, `_diffrn_refln_angle_${n}`)) as [
    number,
    number,
    number,
  ];
  const ub = [1, 2, 3].flatMap((i) =>
    [1, 2, 3].map((j) => parseMeasured(itemText(block, `_diffrn_orient_matrix_ub_${i}${j}`) ?? '')?.value),
  );
  const wavelength = readWavelength(block);
  if (omega < 0 || chi < 0 || phi < 0 || !wavelength || ub.some((x) => x === undefined)) return undefined;
  const m = ub as number[],
    rad = Math.PI / 180;
  return (row, h, k, l) => {
    const [w, c, p] = [omega, chi, phi].map((col) => numberIn(loop.values[row + col]!) * rad) as [
      number,
      number,
      number,
    ];
    if (![w, c, p].every(Number.isFinite)) return undefined;
    const invD = Math.hypot(...[0, 1, 2].map((i) => m[3 * i]! * h + m[3 * i + 1]! * k + m[3 * i + 2]! * l));
    const sin = (wavelength * invD) / 2;
    if (sin > 1) return undefined;
    const cos = Math.sqrt(1 - sin * sin);
    const cw = Math.cos(w),
      sw = Math.sin(w),
      cc = Math.cos(c),
      sc = Math.sin(c),
      cp = Math.cos(p),
      sp = Math.sin(p);
    // Rows of ΩΧΦ.
    const r = [
      cw * cc * cp - sw * sp,
      cw * cc * sp + sw * cp,
      cw * sc,
      -sw * cc * cp - cw * sp,
      -sw * cc * sp + cw * cp,
      -sw * sc,
      -sc * cp,
      -sc * sp,
      cc,
    ];
    const back = (x: number, y: number): number[] => [0, 1, 2].map((i) => r[i]! * x + r[3 + i]! * y);
    return [...back(sin, -cos), ...back(sin, cos)];
  };
}

interface ValueColumns {
  readonly value: number;
  readonly sigma: number;
  /** The values are amplitudes and not intensities. */
  readonly amplitudes: boolean;
}

function valueColumns(loop: CifLoop, prefix: string): ValueColumns {
  const of = (...names: string[]): number => column(loop, ...names.map((n) => `${prefix}_${n}`));
  const value = of('intensity_net', 'counts_net', 'f_squared_meas', 'intensity_meas');
  if (value >= 0)
    return {
      value,
      sigma: of(
        'intensity_sigma',
        'intensity_u',
        'intensity_net_su',
        'intensity_su',
        'f_squared_sigma',
        'f_squared_meas_su',
        'f_squared_u',
        'intensity_meas_su',
        'intensity_meas_sigma',
      ),
      amplitudes: false,
    };
  return {
    value: of('f_meas', 'f_meas_au'),
    sigma: of('f_sigma', 'f_meas_su', 'f_meas_sigma', 'f_meas_sigma_au', 'f_meas_u'),
    amplitudes: true,
  };
}

/** s.u. of a row: its own column, the value's parentheses, or that of counting. */
function sigmaOf(value: string, sigma: string | undefined, x: number): number {
  const given = sigma === undefined || isAbsentValue(sigma) ? NaN : numberIn(sigma);
  if (given === given) return given;
  return parseMeasured(value)?.su || Math.sqrt(Math.max(1, Math.abs(x)));
}

function reflectionLoop(
  loop: CifLoop,
  prefix: '_refln' | '_diffrn_refln',
  limits: RowLimits,
  beams?: Beams,
): RawReflections {
  const merged = prefix === '_refln';
  const width = loop.tags.length;
  const [ih, ik, il] = ['h', 'k', 'l'].map((x) => column(loop, `${prefix}_index_${x}`)) as [number, number, number];
  if (ik < 0 || il < 0)
    throw new FileProblem(`the reflection loop lacks ${prefix}_index_${ik < 0 ? 'k' : 'l'}.`, loop.line);
  const { value, sigma, amplitudes } = valueColumns(loop, prefix);
  if (value < 0)
    throw new FileProblem(
      `the reflection loop has indices but no intensities. Expected ${prefix}_intensity_net${merged ? ' or _refln_F_squared_meas' : ''}.`,
      loop.line,
    );
  const batch = column(
    loop,
    `${prefix}_standard_code`,
    `${prefix}_crystal_id`,
    `${prefix}_scan_id`,
    `${prefix}_scale_group_code`,
  );
  const out = new RawBuilder();
  const v = loop.values;
  const checked = setAsideBecause(limits);
  for (let i = 0; i < v.length; i += width) {
    if (isAbsentValue(v[i + value]!)) continue;
    const h = numberIn(v[i + ih]!),
      k = numberIn(v[i + ik]!),
      l = numberIn(v[i + il]!),
      x = numberIn(v[i + value]!);
    if (!Number.isInteger(h) || !Number.isInteger(k) || !Number.isInteger(l) || x !== x)
      throw new FileProblem(
        `row ${i / width + 1} of the reflection loop, "${v
          .slice(i, i + width)
          .join(' ')
          .slice(0, 80)
          .replace(/\u0000/g, '')}", does not hold whole indices and a number. Correct or remove it.`,
        loop.lineOf(i),
      );
    if (!h && !k && !l) continue;
    const s = sigmaOf(v[i + value]!, sigma < 0 ? undefined : v[i + sigma], x);
    if (!checked(h, k, l, x, s, () => loop.lineOf(i))) continue;
    const b = batch < 0 ? NaN : Number(v[i + batch]);
    const code = Number.isInteger(b) && Math.abs(b) < 32768 ? b : undefined;
    // F to F²: σ(F²) = 2FσF, with the floor that a zero amplitude needs (French & Wilson 1978 discuss the bias).
    if (amplitudes) out.push(h, k, l, x * Math.abs(x), Math.max(2 * Math.abs(x) * s, s * s), code);
    else out.push(h, k, l, x, s, code, beams?.(i, h, k, l));
  }
  if (!out.count) throw new FileProblem('the reflection loop holds no measured values that can be used.', loop.line);
  return out.build(merged);
}
