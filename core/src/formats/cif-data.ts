/** From a CIF data block to measured data, experiment and structure. Core dictionary names in old and new form. */
import { chargeOf } from '../crystal/charge.ts';
import { isPlausibleCell, metricTensor, type Cell } from '../crystal/cell.ts';
import { nameGroup } from '../crystal/identify.ts';
import { parseXyz } from '../crystal/operator.ts';
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { findSetting, groupOfSetting } from '../crystal/settings.ts';
import { snapToSymmetry, spaceGroupFromOperators, type SpaceGroup } from '../crystal/space-group.ts';
import { newId, type AnisotropicU, type Displacement, type Site, type Structure } from '../crystal/structure.ts';
import { parseMeasured, type Measured } from '../crystal/uncertainty.ts';
import { elementFromLabel, findElement } from '../crystal/elements.ts';
import { meanWavelength } from '../scattering/form-factor.ts';
import { parseFormula, type Formula } from '../crystal/formula.ts';
import { DICTIONARY_ITEMS } from './dictionary-items.ts';
import {
  FileProblem,
  INAPPLICABLE,
  itemText,
  loopWith,
  normalizeTag,
  UNKNOWN,
  type CifBlock,
  type CifLoop,
} from './cif-parser.ts';
import { looksLikeReflectionList, parseReflectionList } from './reflection-list.ts';

/** What is known of the crystal and the measurement beside the intensities. */
export interface SampleRecord {
  readonly wavelength?: number;
  readonly formula?: Formula;
  readonly z?: number;
  /** K. */
  readonly temperature?: number;
  readonly colour?: string;
  readonly habit?: string;
  /** mm, largest first. */
  readonly size?: readonly [number, number, number];
  /** Further items kept word for word for the final CIF: data name → text. */
  readonly kept: Readonly<Record<string, string>>;
}

/** Items only a person knows, kept word for word under the dictionary's spelling. */
const KEPT = DICTIONARY_ITEMS.filter(
  (d) =>
    d.group !== 'computed' &&
    !['_exptl_crystal_description', '_exptl_crystal_colour', '_diffrn_ambient_temperature'].includes(d.tag) &&
    !d.tag.startsWith('_exptl_crystal_size_'),
).map((d) => d.tag);

const measured = (block: CifBlock, ...tags: string[]): Measured | undefined => {
  const text = itemText(block, ...tags);
  return text === undefined ? undefined : parseMeasured(text);
};

/** The cell of a block; undefined when no cell items are present. Throws FileProblem for values that cannot be a cell. */
export function readCell(block: CifBlock): Cell | undefined {
  const names = ['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'];
  const values = names.map((n) => measured(block, `_cell_${n}`));
  if (names.every((n) => itemText(block, `_cell_${n}`) === undefined)) return undefined;
  names.forEach((n, i) => {
    if (values[i]) return;
    const item = block.items.get(`_cell_${n}`);
    throw new FileProblem(
      item
        ? `_cell_${n} is "${item.value.replace('\u0000', '')}", which is not a number.`
        : `_cell_${n} is missing while other cell items are given.`,
      item?.line ?? block.line,
    );
  });
  const v = values.map((x) => x!.value),
    su = values.map((x) => x!.su);
  const given = names.map((n) => block.items.get(`_cell_${n}_su`)?.value).map((t) => (t ? Number(t) || 0 : 0));
  const cell: Cell = {
    a: v[0]!,
    b: v[1]!,
    c: v[2]!,
    alpha: v[3]!,
    beta: v[4]!,
    gamma: v[5]!,
    su: su.map((s, i) => s || given[i]!) as unknown as Cell['su'] & object,
  };
  if (!isPlausibleCell(cell))
    throw new FileProblem(
      `the cell ${v.join(' ')} is not possible. Check the lengths (Å) and angles (degrees).`,
      block.items.get('_cell_length_a')?.line,
    );
  return cell;
}

export function readWavelength(block: CifBlock): number | undefined {
  const w = measured(
    block,
    '_diffrn_radiation_wavelength',
    '_diffrn_radiation_wavelength_wavelength',
    '_diffrn_radiation_wavelength_value',
  );
  if (w && w.value > 0.1 && w.value < 5) return w.value;
  const type = itemText(block, '_diffrn_radiation_type', '_diffrn_radiation_probe', '_diffrn_source_target');
  const anode = type && /(Cr|Fe|Co|Cu|Ga|Mo|Ag|In)/.exec(type)?.[1];
  return anode ? meanWavelength(anode) : undefined;
}

export function readExperiment(block: CifBlock): SampleRecord {
  const formulaText = itemText(block, '_chemical_formula_sum', '_chemical_formula_moiety');
  let formula: Formula | undefined;
  if (formulaText) {
    try {
      formula = parseFormula(formulaText);
    } catch (e) {
      throw new FileProblem((e as Error).message, block.items.get('_chemical_formula_sum')?.line);
    }
  }
  const size = ['max', 'mid', 'min'].map((n) => measured(block, `_exptl_crystal_size_${n}`)?.value);
  const kept: Record<string, string> = {};
  for (const tag of KEPT) {
    const text = itemText(block, normalizeTag(tag));
    if (text) kept[tag] = text;
  }
  const wavelength = readWavelength(block),
    z = measured(block, '_cell_formula_units_z')?.value;
  const temperature = measured(block, '_diffrn_ambient_temperature', '_cell_measurement_temperature')?.value;
  const colour = itemText(block, '_exptl_crystal_colour'),
    habit = itemText(block, '_exptl_crystal_description');
  return {
    ...(wavelength ? { wavelength } : {}),
    ...(formula ? { formula } : {}),
    ...(z ? { z } : {}),
    ...(temperature ? { temperature } : {}),
    ...(colour ? { colour } : {}),
    ...(habit ? { habit } : {}),
    ...(size.every((s) => s) ? { size: size as [number, number, number] } : {}),
    kept,
  };
}

/** The space group of a block from its operators or, failing those, its symbols; undefined when neither is given. */
export function readSpaceGroup(block: CifBlock): SpaceGroup | undefined {
  const loop = loopWith(block, '_space_group_symop_operation_xyz', '_symmetry_equiv_pos_as_xyz');
  if (loop) {
    const column = loop.tags.findIndex(
      (t) => t === '_space_group_symop_operation_xyz' || t === '_symmetry_equiv_pos_as_xyz',
    );
    const texts = loop.values.filter((_, i) => i % loop.tags.length === column);
    try {
      return nameGroup(spaceGroupFromOperators(texts.map(parseXyz)));
    } catch (e) {
      throw new FileProblem((e as Error).message, loop.line);
    }
  }
  for (const tag of [
    '_space_group_name_hall',
    '_symmetry_space_group_name_hall',
    '_space_group_name_h-m_alt',
    '_symmetry_space_group_name_h-m',
    '_space_group_name_h-m_full',
  ]) {
    const text = itemText(block, tag);
    const setting = text && findSetting(text);
    if (setting) return groupOfSetting(setting);
  }
  return undefined;
}

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
  const direct = +text;
  if (direct === direct && text !== '') return direct;
  return parseMeasured(text)?.value ?? NaN;
}

export interface ReadReflections {
  raw: RawReflections;
  /** Where they came from, in words. */
  origin: string;
}

/** Reflections of a block from a measured loop, a merged loop or an embedded list; undefined when there are none. */
export function readReflections(block: CifBlock): ReadReflections | undefined {
  const unmerged = loopWith(block, '_diffrn_refln_index_h');
  if (unmerged) {
    const raw = reflectionLoop(unmerged, '_diffrn_refln', false, beamsOf(block, unmerged));
    return { raw, origin: raw.beams ? 'unmerged intensities with their beam directions' : 'unmerged intensities' };
  }
  const merged = loopWith(block, '_refln_index_h');
  if (
    merged &&
    column(merged, '_refln_f_squared_meas', '_refln_intensity_meas', '_refln_f_meas', '_refln_f_meas_au') >= 0
  )
    return { raw: reflectionLoop(merged, '_refln', true), origin: 'a merged list' };
  for (const [, item] of block.items) {
    if (item.value.length < 200 || !item.value.includes('\n') || !looksLikeReflectionList(item.value)) continue;
    return {
      raw: parseReflectionList(item.value.replace(/^\r?\n/, ''), undefined, item.line + 1).raw,
      origin: 'an embedded reflection list',
    };
  }
  return undefined;
}

/**
 * Beam directions in the crystal from four-circle angles and the orientation matrix (Busing & Levy 1967, Acta Cryst. 22, 457):
 * in the θ frame the scattering vector lies along x and the primary beam runs along (−sin θ, cos θ, 0); ΩΧΦ turns the crystal into it.
 * Undefined where the file gives no angles.
 */
function beamsOf(
  block: CifBlock,
  loop: CifLoop,
): ((row: number, h: number, k: number, l: number) => number[] | undefined) | undefined {
  const [omega, chi, phi] = ['omega', 'chi', 'phi'].map((n) => column(loop, `_diffrn_refln_angle_${n}`)) as [
    number,
    number,
    number,
  ];
  const ub = [1, 2, 3].flatMap((i) =>
    [1, 2, 3].map((j) => measured(block, `_diffrn_orient_matrix_ub_${i}${j}`)?.value),
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

function reflectionLoop(
  loop: CifLoop,
  prefix: string,
  merged: boolean,
  beams?: ReturnType<typeof beamsOf>,
): RawReflections {
  const width = loop.tags.length;
  const [ih, ik, il] = ['h', 'k', 'l'].map((x) => column(loop, `${prefix}_index_${x}`)) as [number, number, number];
  if (ik < 0 || il < 0)
    throw new FileProblem(`the reflection loop lacks ${prefix}_index_${ik < 0 ? 'k' : 'l'}.`, loop.line);
  let value = column(
    loop,
    `${prefix}_intensity_net`,
    `${prefix}_counts_net`,
    `${prefix}_f_squared_meas`,
    `${prefix}_intensity_meas`,
  );
  let sigma = column(
    loop,
    `${prefix}_intensity_sigma`,
    `${prefix}_intensity_u`,
    `${prefix}_intensity_net_su`,
    `${prefix}_intensity_su`,
    `${prefix}_f_squared_sigma`,
    `${prefix}_f_squared_meas_su`,
    `${prefix}_f_squared_u`,
    `${prefix}_intensity_meas_su`,
    `${prefix}_intensity_meas_sigma`,
  );
  const amplitudes = value < 0;
  if (amplitudes) {
    value = column(loop, `${prefix}_f_meas`, `${prefix}_f_meas_au`);
    sigma = column(
      loop,
      `${prefix}_f_sigma`,
      `${prefix}_f_meas_su`,
      `${prefix}_f_meas_sigma`,
      `${prefix}_f_meas_sigma_au`,
      `${prefix}_f_meas_u`,
    );
  }
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
  for (let i = 0; i < v.length; i += width) {
    if (isAbsentValue(v[i + value]!)) continue;
    const h = numberIn(v[i + ih]!),
      k = numberIn(v[i + ik]!),
      l = numberIn(v[i + il]!),
      x = numberIn(v[i + value]!);
    let s = sigma < 0 || isAbsentValue(v[i + sigma]!) ? NaN : numberIn(v[i + sigma]!);
    if (sigma < 0 || s !== s) {
      const own = parseMeasured(v[i + value]!)?.su;
      s = own || Math.sqrt(Math.max(1, Math.abs(x)));
    }
    if (!Number.isInteger(h) || !Number.isInteger(k) || !Number.isInteger(l) || x !== x)
      throw new FileProblem(
        `row ${i / width + 1} of the reflection loop, "${v
          .slice(i, i + width)
          .join(' ')
          .replace(/\u0000/g, '')}", does not hold whole indices and a number. Correct or remove it.`,
        loop.line + i / width,
      );
    if (!h && !k && !l) continue;
    const b = batch < 0 ? NaN : Number(v[i + batch]);
    const code = Number.isInteger(b) ? b : undefined;
    // F to F²: σ(F²) = 2FσF, with the floor that a zero amplitude needs (French & Wilson 1978 discuss the bias).
    if (amplitudes) out.push(h, k, l, x * Math.abs(x), Math.max(2 * Math.abs(x) * s, s * s), code);
    else out.push(h, k, l, x, s, code, beams?.(i, h, k, l));
  }
  if (!out.count) throw new FileProblem('the reflection loop holds no measured values.', loop.line);
  return out.build(merged);
}

const FRACT = ['_atom_site_fract_x', '_atom_site_fract_y', '_atom_site_fract_z'];

/** The structure of a block; undefined when it has no cell, symmetry or coordinates. Throws FileProblem for unreadable sites. */
export function readStructure(block: CifBlock): Structure | undefined {
  const loop = loopWith(block, FRACT[0]!);
  const cell = readCell(block);
  if (!loop || !cell) return undefined;
  const spaceGroup = readSpaceGroup(block);
  if (!spaceGroup)
    throw new FileProblem(
      'the file has atom sites but neither symmetry operators nor a space-group symbol that can be read.',
      loop.line,
    );
  const aniso = new Map<string, { u: AnisotropicU; su: AnisotropicU }>();
  const anisoLoop = loopWith(block, '_atom_site_aniso_label');
  if (anisoLoop) {
    const width = anisoLoop.tags.length;
    const label = column(anisoLoop, '_atom_site_aniso_label');
    const parts = ['11', '22', '33', '12', '13', '23'];
    let columns = parts.map((p) => column(anisoLoop, `_atom_site_aniso_u_${p}`));
    const factor = columns[0]! < 0 ? 1 / (8 * Math.PI ** 2) : 1;
    if (columns[0]! < 0) columns = parts.map((p) => column(anisoLoop, `_atom_site_aniso_b_${p}`));
    if (columns.every((c) => c >= 0))
      for (let i = 0; i < anisoLoop.values.length; i += width) {
        const values = columns.map((c) => parseMeasured(anisoLoop.values[i + c]!));
        if (values.some((m) => !m)) continue;
        aniso.set(anisoLoop.values[i + label]!, {
          u: values.map((m) => m!.value * factor) as unknown as AnisotropicU,
          su: values.map((m) => m!.su * factor) as unknown as AnisotropicU,
        });
      }
  }
  const width = loop.tags.length;
  const at = (name: string): number => column(loop, `_atom_site_${name}`);
  const cols = {
    label: at('label'),
    type: at('type_symbol'),
    x: FRACT.map((f) => column(loop, f)),
    uiso: at('u_iso_or_equiv'),
    biso: at('b_iso_or_equiv'),
    occupancy: at('occupancy'),
    assembly: at('disorder_assembly'),
    group: at('disorder_group'),
  };
  const sites: Site[] = [];
  const g = metricTensor(cell);
  for (let i = 0; i < loop.values.length; i += width) {
    const value = (c: number): string | undefined =>
      c < 0 || isAbsentValue(loop.values[i + c]!) ? undefined : loop.values[i + c]!;
    const label = value(cols.label) ?? `X${i / width + 1}`;
    const xyz = cols.x.map((c) => value(c)).map((t) => (t === undefined ? undefined : parseMeasured(t)));
    if (xyz.some((m) => m === undefined)) {
      if (cols.x.every((c) => value(c) === undefined)) continue;
      throw new FileProblem(`the coordinates of ${label} cannot be read.`, loop.line + i / width);
    }
    const typed = value(cols.type);
    const element = (typed && (findElement(typed)?.symbol ?? elementFromLabel(typed))) || elementFromLabel(label);
    if (!element)
      throw new FileProblem(`the element of ${label} cannot be told from "${typed ?? label}".`, loop.line + i / width);
    const charge = typed === undefined ? undefined : chargeOf(typed);
    const tensor = aniso.get(label);
    const uiso =
      parseMeasured(value(cols.uiso) ?? '') ??
      (() => {
        const b = parseMeasured(value(cols.biso) ?? '');
        return b && { value: b.value / (8 * Math.PI ** 2), su: b.su / (8 * Math.PI ** 2) };
      })();
    const displacement: Displacement = tensor
      ? { kind: 'aniso', ...tensor }
      : uiso
        ? { kind: 'iso', u: uiso.value, su: uiso.su }
        : { kind: 'iso', u: 0.04, su: 0, assumed: true };
    const occupancy = parseMeasured(value(cols.occupancy) ?? '1') ?? { value: 1, su: 0 };
    const group = value(cols.group);
    const position = xyz.map((m) => m!.value) as unknown as Site['position'];
    sites.push({
      id: newId(),
      label,
      element,
      position: snapToSymmetry(spaceGroup, g, position),
      positionSu: xyz.map((m) => m!.su) as unknown as Site['position'],
      occupancy: occupancy.value,
      occupancySu: occupancy.su,
      displacement,
      ...(charge === undefined ? {} : { charge }),
      ...(group ? { disorder: { assembly: value(cols.assembly) ?? 'A', group } } : {}),
    });
  }
  if (!sites.length) return undefined;
  return { cell, spaceGroup, sites };
}
