/** Tables for a paper: crystal data, sites, bonds, angles, torsions, hydrogen bonds, displacements; with symmetry codes in the footer. */
import { cellParameters, cellVolume } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { formulaElectrons, formulaText, formulaWeight } from '../crystal/formula.ts';
import { operatorToXyz } from '../crystal/operator.ts';
import { crystalClass, crystalSystem, rotationsOf } from '../crystal/point-group.ts';
import { prettySymbol } from '../crystal/settings.ts';
import { equivalentU } from '../crystal/structure.ts';
import { formatMeasured } from '../crystal/uncertainty.ts';
import { bondAngles, bondsBySite, listedBonds, neighbourRef } from '../geometry/bonds.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { hydrogenBonds } from '../geometry/hydrogen-bonds.ts';
import { angle, distance, torsion } from '../geometry/figures.ts';
import { measure } from '../geometry/measure.ts';
import {
  isHome,
  operatorOf,
  originalRef,
  siteIndices,
  siteOf,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { decimal } from '../math/decimal.ts';
import { absorptionCoefficient, anodeFor } from '../scattering/form-factor.ts';
import { torsionAtoms } from './torsions.ts';
import { formulaUnits, volumeSu, type CifInput } from './structure-cif.ts';

export const TABLE_KINDS = [
  'crystal data',
  'sites',
  'bonds',
  'angles',
  'torsions',
  'hydrogen bonds',
  'displacements',
] as const;
export type TableKind = (typeof TABLE_KINDS)[number];

/** What is copied and saved. */
export interface PlainTable {
  readonly title: string;
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** Row numbers of the table before anything was left out: what a choice of rows refers to. */
  readonly notes: readonly string[];
}

export interface Table extends PlainTable {
  readonly kind: TableKind;
}

export interface TableOptions {
  hydrogens: boolean;
  /** Coordinates × 10⁴ and displacements × 10³, as journals print them. */
  scaled: boolean;
  order: 'as in the model' | 'by label' | 'by value';
  /** Lengths in pm instead of Å. */
  picometres?: boolean;
}

export const TABLE_DEFAULTS: TableOptions = { hydrogens: false, scaled: false, order: 'as in the model' };

const ROMAN = [
  'i',
  'ii',
  'iii',
  'iv',
  'v',
  'vi',
  'vii',
  'viii',
  'ix',
  'x',
  'xi',
  'xii',
  'xiii',
  'xiv',
  'xv',
  'xvi',
  'xvii',
  'xviii',
  'xix',
  'xx',
];

/** Numbers operators i, ii, iii in the order they first appear. */
class Codes {
  private readonly seen = new Map<string, { code: string; words: string }>();
  constructor(private readonly group: SpaceGroup) {}

  of(p: Placement): string {
    if (isHome(p)) return '';
    const key = operatorToXyz(operatorOf(this.group, p));
    let found = this.seen.get(key);
    if (!found)
      this.seen.set(
        key,
        (found = {
          code: ROMAN[this.seen.size] ?? String(this.seen.size + 1),
          words: key.replace(/-/g, '−').replace(/,/g, ', '),
        }),
      );
    return found.code;
  }
  notes(): string[] {
    return this.seen.size
      ? [`Symmetry codes: ${[...this.seen.values()].map((c) => `(${c.code}) ${c.words}`).join('; ')}.`]
      : [];
  }
}

const natural = new Intl.Collator('en', { numeric: true });
interface Entry {
  name: string;
  value: number;
  cells: string[];
}
function ordered(entries: Entry[], order: TableOptions['order']): string[][] {
  if (order === 'by label') entries.sort((p, q) => natural.compare(p.name, q.name));
  if (order === 'by value') entries.sort((p, q) => p.value - q.value);
  return entries.map((e) => e.cells);
}

const scaledMeasured = (value: number, su: number | undefined, power: number, digits: number): string =>
  formatMeasured(value * 10 ** power, su === undefined ? undefined : su * 10 ** power, Math.max(0, digits - power));

/** One table of a structure. */
export function makeTable(kind: TableKind, input: CifInput, options: TableOptions = TABLE_DEFAULTS): Table {
  const s = input.structure;
  const shown = (i: number): boolean => options.hydrogens || !isHydrogen(s.sites[i]!.element);
  const codes = new Codes(s.spaceGroup);
  const ref = (site: number): AtomRef => originalRef(s.sites[site]!.id);
  const label = (p: AtomRef): string => {
    const c = codes.of(p);
    return `${siteOf(s, p)!.label}${c ? ` (${c})` : ''}`;
  };
  const covariance = input.covariance;
  const unit = options.picometres ? 'pm' : 'Å',
    power = options.picometres ? 2 : 0;
  const long = (m: { value: number; su: number }, digits: number): string =>
    scaledMeasured(m.value, m.su, power, digits);
  switch (kind) {
    case 'crystal data':
      return {
        kind,
        title: 'Crystal data and structure refinement',
        columns: ['', ''],
        rows: crystalData(input),
        notes: [],
      };
    case 'sites': {
      const p = options.scaled ? 4 : 0,
        q = options.scaled ? 3 : 0;
      const entries = s.sites.flatMap((x, i): Entry[] => {
        if (!shown(i)) return [];
        const u = equivalentU(s.cell, x.displacement),
          su =
            x.displacement.kind === 'iso'
              ? x.displacement.su
              : x.displacement.su && Math.hypot(...x.displacement.su.slice(0, 3)) / 3;
        return [
          {
            name: x.label,
            value: u,
            cells: [
              x.label,
              ...x.position.map((v, k) => scaledMeasured(v, x.positionSu?.[k], p, 5)),
              scaledMeasured(u, su, q, 4),
              x.occupancy === 1 ? '' : formatMeasured(x.occupancy, x.occupancySu, 3),
            ],
          },
        ];
      });
      const partial = entries.some((e) => e.cells[5]);
      const rows = ordered(entries, options.order);
      return {
        kind,
        title: `Fractional coordinates${options.scaled ? ' (× 10⁴)' : ''} and isotropic or equivalent isotropic displacements (Å²${options.scaled ? ' × 10³' : ''})`,
        columns: ['', 'x', 'y', 'z', 'U iso/eq', ...(partial ? ['occupancy'] : [])],
        rows: partial ? rows : rows.map((r) => r.slice(0, 5)),
        notes: ['U eq is a third of the trace of the orthogonalised tensor U ij.'],
      };
    }
    case 'displacements': {
      const p = options.scaled ? 3 : 0;
      const entries = s.sites.flatMap((x): Entry[] =>
        x.displacement.kind === 'aniso'
          ? [
              {
                name: x.label,
                value: equivalentU(s.cell, x.displacement),
                cells: [
                  x.label,
                  ...x.displacement.u.map((v, k) =>
                    scaledMeasured(v, (x.displacement as { su?: readonly number[] }).su?.[k], p, 4),
                  ),
                ],
              },
            ]
          : [],
      );
      return {
        kind,
        title: `Anisotropic displacement parameters (Å²${options.scaled ? ' × 10³' : ''})`,
        columns: ['', 'U11', 'U22', 'U33', 'U12', 'U13', 'U23'],
        rows: ordered(entries, options.order),
        notes: ['The factor is exp[−2π²(h²a*²U11 + … + 2hka*b*U12 + …)].'],
      };
    }
    case 'bonds': {
      const list = listedBonds(s).filter((b) => shown(b.from) && shown(b.to));
      const entries = list.map((b): Entry => {
        const m = measure(s, [ref(b.from), neighbourRef(s, b)], distance, covariance);
        const name = `${s.sites[b.from]!.label}–${label(neighbourRef(s, b))}`;
        return { name, value: m.value, cells: [name, long(m, 3)] };
      });
      return {
        kind,
        title: `Bond lengths (${unit})`,
        columns: ['bond', `length, ${unit}`],
        rows: ordered(entries, options.order),
        notes: codes.notes(),
      };
    }
    case 'angles': {
      const near = bondsBySite(s).map((all, at) =>
        shown(at) ? all.filter((b) => shown(b.to)).sort((p, q) => p.distance - q.distance) : [],
      );
      const entries = bondAngles(s, near).map(({ centre, atoms }): Entry => {
        const m = measure(s, atoms, angle, covariance);
        const name = `${label(atoms[0])}–${s.sites[centre]!.label}–${label(atoms[2])}`;
        return { name, value: m.value, cells: [name, formatMeasured(m.value, m.su, 1)] };
      });
      return {
        kind,
        title: 'Bond angles (°)',
        columns: ['angle', 'value, °'],
        rows: ordered(entries, options.order),
        notes: codes.notes(),
      };
    }
    case 'torsions': {
      const index = siteIndices(s);
      const entries = torsionAtoms(s)
        .filter((p) => p.every((x) => shown(index.get(x.site)!)))
        .map((atoms): Entry => {
          const m = measure(s, atoms, torsion, covariance);
          const name = atoms.map(label).join('–');
          return { name, value: m.value, cells: [name, formatMeasured(m.value, m.su, 1).replace(/^-/, '−')] };
        });
      return {
        kind,
        title: 'Torsion angles (°)',
        columns: ['torsion', 'value, °'],
        rows: ordered(entries, options.order),
        notes: codes.notes(),
      };
    }
    case 'hydrogen bonds': {
      const entries = hydrogenBonds(s, covariance).map((h): Entry => {
        const name = `${siteOf(s, h.donor)!.label}–${siteOf(s, h.hydrogen)!.label}⋯${label(h.acceptor)}`;
        return {
          name,
          value: h.ha.value,
          cells: [name, long(h.dh, 2), long(h.ha, 2), long(h.da, 3), formatMeasured(h.angle.value, h.angle.su, 0)],
        };
      });
      return {
        kind,
        title: `Hydrogen bonds (${unit}, °)`,
        columns: ['D–H⋯A', 'D–H', 'H⋯A', 'D⋯A', 'D–H⋯A'],
        rows: ordered(entries, options.order),
        notes: codes.notes(),
      };
    }
  }
}

const percent = (x: number, d = 2): string => `${(100 * x).toFixed(d)} %`;

function crystalData(input: CifInput): string[][] {
  const { structure: s, experiment: e, wavelength, statistics: m, readings: r } = input;
  const { z, formula } = formulaUnits(s, e);
  const volume = cellVolume(s.cell),
    p = cellParameters(s.cell),
    su = s.cell.su ?? [0, 0, 0, 0, 0, 0];
  const system = crystalSystem(crystalClass(rotationsOf(s.spaceGroup)));
  const cell = (i: number): string =>
    i > 2 && !su[i] ? String(Number(p[i]!.toFixed(3))) : formatMeasured(p[i]!, su[i], 4);
  const theta = (d: number): string => ((Math.asin(Math.min(1, wavelength! / (2 * d))) * 180) / Math.PI).toFixed(2);
  const anode = wavelength ? anodeFor(wavelength) : undefined;
  const rows: (string | number | undefined)[][] = [
    ['Formula', formulaText(formula)],
    ['Formula weight, g/mol', formulaWeight(formula).toFixed(2)],
    ['Temperature, K', e.temperature === undefined ? undefined : String(e.temperature)],
    ['Radiation, λ, Å', wavelength && `${anode ? `${anode} Kα, ` : ''}${wavelength.toFixed(5)}`],
    ['Crystal system, space group', `${system}, ${prettySymbol(s.spaceGroup.symbol)}`],
    ['a, b, c, Å', [0, 1, 2].map(cell).join(', ')],
    ['α, β, γ, °', [3, 4, 5].map(cell).join(', ')],
    ['V, Å³', formatMeasured(volume, volumeSu(s), 1)],
    ['Z', String(z)],
    ['Density, Mg m⁻³', ((formulaWeight(formula) * z * 1.66053907) / volume).toFixed(3)],
    ['μ, mm⁻¹', wavelength && absorptionCoefficient(formula, z, volume, wavelength).toFixed(3)],
    ['F(000)', String(Math.round(formulaElectrons(formula) * z))],
    ['Crystal', [e.colour, e.habit].filter(Boolean).join(' ') || undefined],
    ['Crystal size, mm', e.size?.every((x) => x > 0) ? e.size.join(' × ') : undefined],
    ['Absorption correction', e.kept['_exptl_absorpt_correction_type']],
    ['θ range, °', m && wavelength && `${theta(m.dMax)} to ${theta(m.dMin)}`],
    ['Reflections measured, unique', m && `${m.measured - m.absent - m.rejected}, ${m.unique}`],
    ['R_int', m && Number.isFinite(m.rInt) ? m.rInt.toFixed(4) : undefined],
    ['Completeness', m && percent(m.completeness, 1)],
    ['Data, restraints, parameters', r && `${r.reflections}, ${r.restraints}, ${r.parameters}`],
    ['S', r?.s.toFixed(3)],
    ['R1 [I > 2σ(I)], wR2 (all data)', r && `${r.r1.toFixed(4)}, ${r.wr2.toFixed(4)}`],
    ['R1 (all data)', r?.r1All.toFixed(4)],
    ['Largest shift/s.u.', r?.maxShiftOverSu.toFixed(3)],
    [
      'Residual density, e Å⁻³',
      input.residual && `${input.residual.peak.toFixed(2)}, ${decimal(input.residual.hole, 2)}`,
    ],
    ['Flack parameter', input.absolute && formatMeasured(input.absolute.x, input.absolute.su, 3)],
    [
      'Twin fractions',
      r?.twins?.map((t) => `${formatMeasured(t.fraction, t.su, 3)} (${t.name})`).join(', ') || undefined,
    ],
  ];
  return rows.filter((x): x is string[] => typeof x[1] === 'string' && x[1] !== '');
}

const quote = (x: string): string => (/[",\n]/.test(x) ? `"${x.replace(/"/g, '""')}"` : x);
export const escapeHtml = (x: string): string =>
  x.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');

/** Comma-separated values, notes last. */
export const tableCsv = (t: PlainTable): string =>
  [...(t.columns.some(Boolean) ? [t.columns] : []), ...t.rows, ...t.notes.map((n) => [n])]
    .map((r) => r.map(quote).join(','))
    .join('\r\n') + '\r\n';

/** Tab-separated, for pasting into a sheet. */
export const tableText = (t: PlainTable): string =>
  [
    t.title,
    ...(t.columns.some(Boolean) ? [t.columns.join('\t')] : []),
    ...t.rows.map((r) => r.join('\t')),
    ...t.notes,
  ].join('\n');

/** An HTML table with its caption and footer; word processors take it as a table of theirs. */
export const tableHtml = (t: PlainTable): string =>
  `<table><caption>${escapeHtml(t.title)}</caption>${t.columns.some(Boolean) ? `<thead><tr>${t.columns.map((c) => `<th>${escapeHtml(c)}</th>`).join('')}</tr></thead>` : ''}<tbody>${t.rows.map((r) => `<tr>${r.map((c) => `<td>${escapeHtml(c)}</td>`).join('')}</tr>`).join('')}</tbody>${t.notes.length ? `<tfoot>${t.notes.map((n) => `<tr><td colspan="${Math.max(1, t.columns.length)}">${escapeHtml(n)}</td></tr>`).join('')}</tfoot>` : ''}</table>`;
