/** Constraints, restraints, twinning and solvent out of a CIF: the counterpart of publish/controls-cif. */
import {
  NO_CONTROLS,
  pruneControls,
  SHAPES,
  type Constraint,
  type Controls,
  type Hold,
  type HydrogenGroup,
  type HydrogenShape,
  type OccupancyTie,
  type Restraint,
} from '../crystal/controls.ts';
import { newId, type Structure } from '../crystal/structure.ts';
import type { SolventMask, Treatment, TwinComponent } from '../crystal/treatment.ts';
import { parseMeasured, type Measured } from '../crystal/uncertainty.ts';
import { determinant3, toMat3 } from '../math/matrix3.ts';
import { Asides } from './asides.ts';
import { FileProblem, INAPPLICABLE, itemText, loopWith, UNKNOWN, type CifBlock } from './cif-parser.ts';
import { LARGEST_INDEX } from './reflection-check.ts';
import { decimal } from './text.ts';

/** Refined shares may pass 0 and 1 by a few s.u. */
const LEAST_FRACTION = -0.2,
  LARGEST_FRACTION = 1.2;

type Row = { get(tag: string): string | undefined; readonly line: number };

function rows(block: CifBlock, tag: string): Row[] {
  const loop = loopWith(block, tag);
  if (!loop) return [];
  const width = loop.tags.length;
  return Array.from({ length: loop.values.length / width }, (_, i) => ({
    get line() {
      return loop.lineOf(i * width);
    },
    get(name: string) {
      const c = loop.tags.indexOf(name.toLowerCase());
      const v = c < 0 ? undefined : loop.values[i * width + c];
      return v === undefined || v === UNKNOWN || v === INAPPLICABLE ? undefined : v;
    },
  }));
}

/** A whole number of a reflection's indices. Throws FileProblem. */
function indexIn(row: Row, tag: string): number {
  const text = row.get(tag);
  const value = decimal(text ?? '');
  if (Number.isInteger(value) && Math.abs(value) <= LARGEST_INDEX) return value;
  throw new FileProblem(`${tag} is "${(text ?? '?').slice(0, 40)}", which is no index of a reflection.`, row.line);
}

/** A number that is needed. Throws FileProblem. */
function numberIn(row: Row, tag: string): number {
  const text = row.get(tag);
  const value = decimal(text ?? '');
  if (Number.isFinite(value)) return value;
  throw new FileProblem(`${tag} is "${(text ?? '?').slice(0, 40)}", which is not a number.`, row.line);
}

/** A number within its range, or what is usual, which is told. */
function numberOr(
  row: Row,
  tag: string,
  usual: number,
  [low, high]: readonly [number, number],
  asides: Asides,
): number {
  const text = row.get(tag);
  if (text === undefined) return usual;
  const value = decimal(text);
  if (value >= low && value <= high) return value;
  asides.add(`${tag} is "${text.slice(0, 40)}", not between ${low} and ${high}; ${usual} was taken.`, row.line);
  return usual;
}

const words = (text: string | undefined): string[] => (text ?? '').split(/\s+/).filter(Boolean);

type Fixable = 'position' | 'displacement' | 'occupancy';
const FIXABLE: readonly Fixable[] = ['position', 'displacement', 'occupancy'];

/** What a row holds fixed. Throws FileProblem for a word that names nothing. */
function fixedIn(row: Row): Fixable[] {
  return words(row.get('_nagare_constraint_what')).map((word) => {
    const found = FIXABLE.find((f) => f === word);
    if (found) return found;
    throw new FileProblem(`"${word.slice(0, 40)}" cannot be held fixed; write ${FIXABLE.join(', ')}.`, row.line);
  });
}

/** s.u. of a restraint where the file gives none that can be used. */
const USUAL_SU = 0.02;

/** The s.u. of a restraint: positive, or told and taken as usual. */
function restraintSu(text: string | undefined, row: Row, asides: Asides): number {
  if (text === undefined) return USUAL_SU;
  const su = decimal(text);
  if (su > 0 && su < 1000) return su;
  asides.add(
    `the s.u. of a restraint is "${text.slice(0, 40)}", which is not positive; ${USUAL_SU} was taken.`,
    row.line,
  );
  return USUAL_SU;
}

/**
 * The structure with the controls its file carries; numbers that cannot be are told to `asides`. Throws FileProblem where one
 * names an atom that is not there.
 */
export function readControls(block: CifBlock, s: Structure, asides = new Asides()): Structure {
  const byLabel = new Map(s.sites.map((x) => [x.label, x.id]));
  const id = (label: string, line: number): string => {
    const found = byLabel.get(label);
    if (!found)
      throw new FileProblem(
        `a restraint or constraint speaks of ${label}, which is not among the atom sites. Correct the label or remove the row.`,
        line,
      );
    return found;
  };
  const ids = (text: string | undefined, line: number): string[] => words(text).map((x) => id(x, line));
  const restraints: Restraint[] = rows(block, '_restr_distance_target').flatMap((r): Restraint[] => {
    const [p, q, target, su] = ['atom_site_label_1', 'atom_site_label_2', 'target', 'target_weight_param'].map((t) =>
      r.get(`_restr_distance_${t}`),
    );
    const value = parseMeasured(target ?? '')?.value;
    return p && q && value
      ? [
          {
            id: newId(),
            kind: 'distance',
            pairs: [[id(p, r.line), id(q, r.line)]],
            target: value,
            su: restraintSu(su, r, asides),
          },
        ]
      : [];
  });
  for (const r of rows(block, '_nagare_restraint_kind')) {
    const kind = r.get('_nagare_restraint_kind') as Restraint['kind'];
    const first = ids(r.get('_nagare_restraint_sites'), r.line),
      second = ids(r.get('_nagare_restraint_second_sites'), r.line);
    const target = (): number => numberIn(r, '_nagare_restraint_target');
    const why = r.get('_nagare_restraint_details');
    const base = {
      id: newId(),
      su: restraintSu(r.get('_nagare_restraint_su'), r, asides),
      ...(r.get('_nagare_restraint_active') === 'no' ? { off: true } : {}),
      ...(why ? { why } : {}),
    };
    const pairs = first.flatMap((x, i): [string, string][] => (second[i] ? [[x, second[i]!]] : []));
    switch (kind) {
      case 'distance':
      case 'distance 1,3':
      case 'keep apart':
        restraints.push({ ...base, kind, pairs, target: target() });
        break;
      case 'equal distance':
        restraints.push({ ...base, kind, pairs });
        break;
      case 'same geometry':
        restraints.push({ ...base, kind, first, second });
        break;
      case 'chiral volume':
        if (first.length === 4)
          restraints.push({ ...base, kind, sites: first as [string, string, string, string], target: target() });
        break;
      case 'planar':
      case 'rigid bond':
      case 'enhanced rigid bond':
      case 'similar displacement':
      case 'near isotropic':
        restraints.push({ ...base, kind, sites: first });
        break;
      case 'occupancy':
      case 'displacement':
        restraints.push({ ...base, kind, sites: first, target: target() });
        break;
      default:
        throw new FileProblem(`"${String(kind)}" is not a kind of restraint that Nagare knows.`, r.line);
    }
  }
  const constraints = rows(block, '_nagare_constraint_kind').map((r): Constraint => {
    const kind = r.get('_nagare_constraint_kind') as Constraint['kind'],
      sites = ids(r.get('_nagare_constraint_sites'), r.line),
      why = r.get('_nagare_constraint_details');
    const base = { id: newId(), sites, ...(why ? { why } : {}) };
    if (kind === 'fixed') return { ...base, kind, what: fixedIn(r) };
    if (kind !== 'shared displacement' && kind !== 'shared position' && kind !== 'rigid group')
      throw new FileProblem(`"${String(kind)}" is not a kind of constraint that Nagare knows.`, r.line);
    return { ...base, kind };
  });
  const occupancies = rows(block, '_nagare_occupancy_kind').map((r): OccupancyTie =>
    r.get('_nagare_occupancy_kind') === 'assembly'
      ? {
          id: newId(),
          kind: 'assembly',
          assembly: r.get('_nagare_occupancy_assembly') ?? 'A',
          groups: words(r.get('_nagare_occupancy_groups')),
          ...(r.get('_nagare_occupancy_held') === 'yes' ? { held: true } : {}),
        }
      : { id: newId(), kind: 'shared', sites: ids(r.get('_nagare_occupancy_sites'), r.line) },
  );
  const hydrogens = rows(block, '_nagare_hydrogen_parent').map((r): HydrogenGroup => {
    const shape = r.get('_nagare_hydrogen_shape') as HydrogenShape,
      hold = r.get('_nagare_hydrogen_hold') as Hold;
    return {
      id: newId(),
      parent: id(r.get('_nagare_hydrogen_parent') ?? '', r.line),
      hydrogens: ids(r.get('_nagare_hydrogen_sites'), r.line),
      shape: SHAPES.includes(shape) ? shape : 'chosen',
      hold: ['riding', 'rotating', 'restrained', 'free'].includes(hold) ? hold : 'riding',
      uFactor: numberOr(r, '_nagare_hydrogen_u_factor', 1.2, [0, 10], asides),
      length: numberOr(r, '_nagare_hydrogen_length', 0.95, [0.5, 2], asides),
    };
  });
  const controls: Controls = { hydrogens, occupancies, constraints, restraints };
  if (!hydrogens.length && !occupancies.length && !constraints.length && !restraints.length) return s;
  return { ...s, controls: pruneControls({ ...NO_CONTROLS, ...controls }, new Set(s.sites.map((x) => x.id))) };
}

/** The share of a twin component, with its s.u.; one that cannot be a share is told and taken as an equal one. */
function twinFraction(row: Row, components: number, asides: Asides): Measured | undefined {
  const text = row.get('_twin_individual_mass_fraction_refined');
  if (text === undefined) return undefined;
  const read = parseMeasured(text);
  if (read && read.value >= LEAST_FRACTION && read.value <= LARGEST_FRACTION) return read;
  const equal = 1 / components;
  asides.add(
    `the fraction of a twin component is "${text.slice(0, 40)}", which is no share of the crystal; ${equal.toFixed(2)} was taken.`,
    row.line,
  );
  return { value: equal, su: 0 };
}

/** Limits, exclusions, twin components, extinction and solvent of a file's refinement; undefined where it tells of none. */
export function readTreatment(block: CifBlock, asides = new Asides()): Treatment | undefined {
  const number = (tag: string): number | undefined => parseMeasured(itemText(block, tag) ?? '')?.value;
  const length = (tag: string): number | undefined => {
    const d = number(tag);
    return d !== undefined && d > 0 && d < 1000 ? d : undefined;
  };
  const own = itemText(block, '_audit_creation_method') === 'Nagare';
  // The limits of other programs' data are already in their reflection lists.
  const dMin = own ? length('_refine_ls_d_res_high') : undefined,
    dMax = own ? length('_refine_ls_d_res_low') : undefined;
  const overlaps = rows(block, '_nagare_overlap_component');
  const twinRows = rows(block, '_twin_individual_twin_matrix_11');
  const twins = twinRows.flatMap((r, i): TwinComponent[] => {
    const law = toMat3(
      [1, 2, 3].flatMap((a) => [1, 2, 3].map((b) => decimal(r.get(`_twin_individual_twin_matrix_${a}${b}`) ?? ''))),
    );
    const fraction = twinFraction(r, twinRows.length, asides);
    // The first component is the crystal itself.
    if (i === 0 || !fraction) return [];
    if (law.some((x) => !(Math.abs(x) < 100)) || Math.abs(determinant3(law)) < 1e-3) {
      asides.add(`the law of twin component ${i + 1} is no matrix that can be; the component was left out.`, r.line);
      return [];
    }
    const mine = overlaps.filter((o) => Number(o.get('_nagare_overlap_component')) === i + 1);
    const list = (tag: string): Int16Array => Int16Array.from(mine, (o) => indexIn(o, `_nagare_overlap_${tag}`));
    return [
      {
        law,
        ...(mine.length
          ? {
              overlaps: {
                h: list('index_h'),
                k: list('index_k'),
                l: list('index_l'),
                h2: list('second_h'),
                k2: list('second_k'),
                l2: list('second_l'),
              },
            }
          : {}),
        fraction: fraction.value,
        su: fraction.su,
        name: r.get('_nagare_twin_name') ?? `component ${i + 1}`,
      },
    ];
  });
  const excluded = rows(block, '_nagare_excluded_index_h').map((r) => ({
    h: indexIn(r, '_nagare_excluded_index_h'),
    k: indexIn(r, '_nagare_excluded_index_k'),
    l: indexIn(r, '_nagare_excluded_index_l'),
    reason: r.get('_nagare_excluded_reason') ?? '',
  }));
  const extinction = own && itemText(block, '_refine_ls_extinction_coef') !== undefined;
  const maskRows = rows(block, '_nagare_mask_index_h');
  const column = (tag: string): number[] => maskRows.map((r) => numberIn(r, tag));
  const indices = (tag: string): Int16Array => Int16Array.from(maskRows, (r) => indexIn(r, tag));
  const mask: SolventMask | undefined = maskRows.length
    ? {
        h: indices('_nagare_mask_index_h'),
        k: indices('_nagare_mask_index_k'),
        l: indices('_nagare_mask_index_l'),
        a: Float64Array.from(column('_nagare_mask_a')),
        b: Float64Array.from(column('_nagare_mask_b')),
        volume: number('_nagare_mask_volume') ?? 0,
        electrons: number('_nagare_mask_electrons') ?? 0,
        voids: rows(block, '_nagare_void_id').map((r) => ({
          centre: ['x', 'y', 'z'].map((c) => numberIn(r, `_nagare_void_fract_${c}`)) as unknown as [
            number,
            number,
            number,
          ],
          volume: numberIn(r, '_nagare_void_volume'),
          electrons: numberIn(r, '_nagare_void_electrons'),
        })),
      }
    : undefined;
  const out: Treatment = {
    ...(dMin ? { dMin } : {}),
    ...(dMax ? { dMax } : {}),
    ...(twins.length ? { twins } : {}),
    ...(excluded.length ? { excluded } : {}),
    ...(extinction ? { extinction } : {}),
    ...(mask ? { mask } : {}),
  };
  return Object.keys(out).length ? out : undefined;
}
