/** Leaving with certainty: what a file will hold, the file itself, and the file read back and compared. */
import { axisVectors, cellVolume, metricTensor, orthogonalization, reciprocalLengths } from '../crystal/cell.ts';
import { formulaText, type Formula } from '../crystal/formula.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { cellContents, siteMultiplicity, type Site, type Structure } from '../crystal/structure.ts';
import { recognise } from '../formats/recognise.ts';
import { writeXyz } from '../formats/xyz.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { formulaUnit } from '../geometry/formula-unit.ts';
import { apply3, inverse3, norm, subtract, type Vec3, toVec3 } from '../math/matrix3.ts';
import { structureCif } from '../publish/structure-cif.ts';
import { intoCell, separation, wholeCell } from './whole-cell.ts';

export const FILE_KINDS = ['cif', 'p1 cif', 'extended xyz', 'xyz', 'csv'] as const;
export type FileKind = (typeof FILE_KINDS)[number];

/** The ending of a file of a kind. */
export const FILE_ENDINGS: Readonly<Record<FileKind, string>> = {
  cif: 'cif',
  'p1 cif': 'cif',
  'extended xyz': 'xyz',
  xyz: 'xyz',
  csv: 'csv',
};

export interface BoundaryContact {
  readonly axis: 'a' | 'b' | 'c';
  /** Shortest distance to a copy beyond the boundary, Å; Infinity where nothing is within 12 Å. */
  readonly distance: number;
  readonly pair: readonly [string, string];
  /** Widest layer without atoms along the normal of the boundary, Å. */
  readonly empty: number;
}

export interface Certainty {
  /** Atoms of one cell by element, partly occupied ones counted by their share. */
  readonly atoms: Formula;
  readonly total: number;
  readonly formula: string;
  readonly z: number;
  readonly symmetry: string;
  /** Å, Cartesian: the axes. */
  readonly vectors: readonly [Vec3, Vec3, Vec3];
  readonly boundaries: readonly BoundaryContact[];
  /** Sites that are held still. */
  readonly fixed: number;
}

const AXES = ['a', 'b', 'c'] as const;
/** Å: what is emptier than this along a normal is a vacuum. */
export const VACUUM = 5;
const FURTHEST = 12;

/** The widest gap between heights along an axis' normal, Å. */
function emptyLayer(s: Structure, axis: number): number {
  const spacing = 1 / reciprocalLengths(s.cell)[axis]!;
  const heights = s.sites.map((x) => intoCell(x.position[axis]!)).sort((p, q) => p - q);
  const gaps = heights.map((h, i) => (i ? h - heights[i - 1]! : h + 1 - heights.at(-1)!));
  return spacing * Math.max(0, ...gaps);
}

function boundaryContacts(whole: Structure): BoundaryContact[] {
  const best = AXES.map((): { distance: number; pair: [string, string] } => ({ distance: Infinity, pair: ['', ''] }));
  const positions = whole.sites.map((x) => toVec3(x.position.map(intoCell)));
  for (let reach = 3; reach <= FURTHEST; reach *= 2) {
    for (const n of neighbours(whole.cell, whole.spaceGroup, positions, reach))
      n.shift.forEach((step, axis) => {
        if (!step || n.distance >= best[axis]!.distance) return;
        best[axis] = { distance: n.distance, pair: [whole.sites[n.from]!.label, whole.sites[n.to]!.label] };
      });
    if (best.every((b) => b.distance <= reach)) break;
  }
  return AXES.map((axis, k) => ({ axis, ...best[k]!, empty: emptyLayer(whole, k) }));
}

/** Everything a person wants to be sure of before a structure leaves. */
export function certainty(s: Structure, fixed: ReadonlySet<string> = new Set()): Certainty {
  const whole = wholeCell(s);
  const { formula, z } = formulaUnit(bonded(s));
  return {
    atoms: cellContents(s),
    total: s.sites.reduce((n, x) => n + siteMultiplicity(s, x), 0),
    formula: formulaText(formula),
    z,
    symmetry: s.spaceGroup.symbol ?? 'a group without a tabulated name',
    vectors: axisVectors(s.cell),
    boundaries: boundaryContacts(whole),
    fixed: s.sites.filter((x) => fixed.has(x.id)).length,
  };
}

export interface FileWish {
  readonly kind: FileKind;
  readonly name: string;
  /** Sites held still, by id. */
  readonly fixed?: ReadonlySet<string>;
  /** ISO date. */
  readonly date: string;
}

/** The text of a file. */
export function writeStructure(s: Structure, { kind, name, fixed, date }: FileWish): string {
  const whole = kind === 'cif' ? s : wholeCell(s);
  if (kind === 'cif' || kind === 'p1 cif')
    return structureCif({ name, structure: whole, experiment: { kept: {} }, date, exact: true });
  const m = orthogonalization(s.cell);
  const held = heldSites(s, whole, fixed);
  if (kind === 'csv') return csv(whole, m, held);
  const atoms = whole.sites.map((x) => ({
    element: x.element,
    at: apply3(m, x.position),
    ...(held.size ? { fixed: held.has(x.id) } : {}),
  }));
  if (kind === 'xyz') return writeXyz(atoms, name);
  const empty = AXES.map((_, k) => emptyLayer(whole, k) > VACUUM);
  return writeXyz(atoms, name, s.cell, empty.map((e) => !e) as unknown as [boolean, boolean, boolean]);
}

/** Ids of the atoms of the whole cell that are held: copies where their site is. */
function heldSites(s: Structure, whole: Structure, fixed: ReadonlySet<string> | undefined): ReadonlySet<string> {
  if (!fixed?.size) return new Set();
  // Of a crystal in P 1 the whole cell is the crystal, with the same sites.
  if (whole.sites.every((x, i) => x.id === s.sites[i]?.id)) return fixed;
  const labels = new Set(s.sites.filter((x) => fixed.has(x.id)).map((x) => x.label));
  return new Set(whole.sites.filter((x) => labels.has(x.label.replace(/_\d+$/, ''))).map((x) => x.id));
}

function csv(whole: Structure, m: Parameters<typeof apply3>[0], held: ReadonlySet<string>): string {
  const rows = whole.sites.map((x) =>
    [
      x.label,
      x.element,
      ...x.position.map((v) => v.toFixed(8)),
      ...apply3(m, x.position).map((v) => v.toFixed(6)),
      x.occupancy,
      held.has(x.id) ? 'fixed' : '',
    ].join(','),
  );
  return `label,element,x,y,z,X (Å),Y (Å),Z (Å),occupancy,held\n${rows.join('\n')}\n`;
}

export interface Proof {
  readonly same: boolean;
  /** "98 B, 98 N, as it should be", or what differs. */
  readonly words: string;
}

const countWords = (f: Formula): string =>
  Object.entries(f)
    .sort(([p], [q]) => (p < q ? -1 : 1))
    .map(([e, n]) => `${Number(n.toFixed(3))} ${e}`)
    .join(', ');

/** Atoms of a text as it will be read by others: element and Cartesian place. */
function atomsOfText(text: string, kind: FileKind): { element: string; at: Vec3; occupancy: number }[] {
  if (kind === 'csv')
    return text
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => {
        const w = line.split(',');
        return { element: w[1]!, at: [Number(w[5]), Number(w[6]), Number(w[7])] as Vec3, occupancy: Number(w[8]) };
      });
  const read = recognise(text, `file.${FILE_ENDINGS[kind]}`)[0]?.structure;
  if (!read) return [];
  const whole = wholeCell(read);
  const m = orthogonalization(whole.cell);
  return whole.sites.map((x: Site) => ({ element: x.element, at: apply3(m, x.position), occupancy: x.occupancy }));
}

/** Å by which a place may differ after writing and reading: the digits of the formats leave less. */
const SAME_PLACE = 0.002;

/** Reads a written file back and compares it with the structure, atom by atom. */
export function proveText(s: Structure, text: string, kind: FileKind): Proof {
  const whole = wholeCell(s);
  const m = orthogonalization(whole.cell);
  const atoms = atomsOfText(text, kind);
  const counts: Record<string, number> = {};
  for (const a of atoms) counts[a.element] = (counts[a.element] ?? 0) + (kind.includes('cif') ? a.occupancy : 1);
  if (atoms.length !== whole.sites.length)
    return { same: false, words: `The file holds ${atoms.length} atoms; there should be ${whole.sites.length}.` };
  // Without a lattice the atoms may stand elsewhere as a whole.
  const shift = kind === 'xyz' ? subtract(atoms[0]!.at, apply3(m, whole.sites[0]!.position)) : ([0, 0, 0] as Vec3);
  const missing = kind === 'xyz' ? missedInOrder(whole, m, atoms, shift) : missedModuloCells(whole, atoms);
  if (missing) return { same: false, words: `${missing} does not stand in the file where it should.` };
  return { same: true, words: `${countWords(counts)}, as it should be.` };
}

type Placed = readonly { readonly element: string; readonly at: Vec3 }[];

function missedInOrder(
  whole: Structure,
  m: Parameters<typeof apply3>[0],
  atoms: Placed,
  shift: Vec3,
): string | undefined {
  return whole.sites.find((x, i) => {
    const a = atoms[i]!;
    return a.element !== x.element || norm(subtract(subtract(a.at, apply3(m, x.position)), shift)) > SAME_PLACE;
  })?.label;
}

/** The first site without an atom of its element in its place, copies by whole cells included. */
function missedModuloCells(whole: Structure, atoms: Placed): string | undefined {
  const g = metricTensor(whole.cell);
  const back = inverse3(orthogonalization(whole.cell));
  // Boxes of some four Å.
  const boxes = Math.max(1, Math.floor(Math.cbrt(cellVolume(whole.cell)) / 4));
  const boxOf = (x: Vec3): number[] => x.map((v) => Math.floor(intoCell(v) * boxes) % boxes);
  const places = new Map<string, { element: string; x: Vec3 }[]>();
  for (const a of atoms) {
    const x = apply3(back, a.at);
    const key = boxOf(x).join();
    const list = places.get(key);
    if (list) list.push({ element: a.element, x });
    else places.set(key, [{ element: a.element, x }]);
  }
  const near = (k: number): number[] => [...new Set([-1, 0, 1].map((d) => (k + d + boxes) % boxes))];
  return whole.sites.find((site) => {
    const [p, q, r] = boxOf(site.position) as [number, number, number];
    for (const i of near(p))
      for (const j of near(q))
        for (const k of near(r))
          for (const a of places.get([i, j, k].join()) ?? [])
            if (a.element === site.element && separation(g, a.x, site.position) < SAME_PLACE) return false;
    return true;
  })?.label;
}
