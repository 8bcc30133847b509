/** A crystal from its space group, the constants that are free and a table of sites; every origin or setting built and judged. */
import { isPlausibleCell, metricTensor, cellVolume, type Cell } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { formulaText, formulaWeight } from '../crystal/formula.ts';
import { siteCharges } from '../crystal/ionic.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { crystalClass } from '../crystal/point-group.ts';
import { findSetting, groupOfSetting, SETTINGS, type Setting } from '../crystal/settings.ts';
import { siteSymmetry, snapToSymmetry, type SpaceGroup } from '../crystal/space-group.ts';
import { cellContents, siteMultiplicity, type Site, type Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { Surroundings } from '../geometry/coordination.ts';
import { formulaUnit } from '../geometry/formula-unit.ts';
import { wyckoffLetters } from '../symmetry/wyckoff.ts';
import { norm, subtract, type Vec3 } from '../math/matrix3.ts';

/** Which constants of the cell a group leaves free, in the order in which they are asked. */
export type FreeConstant = 'a' | 'b' | 'c' | 'alpha' | 'beta' | 'gamma';

/** The system of a group in its own axes, told from what its rotations do to a skew metric. */
export function freeConstants(group: SpaceGroup): FreeConstant[] {
  const number = group.number ?? 1;
  if (number <= 2) return ['a', 'b', 'c', 'alpha', 'beta', 'gamma'];
  if (number <= 15) return ['a', 'b', 'c', uniqueAngle(group)];
  if (number <= 74) return ['a', 'b', 'c'];
  if (number <= 142) return ['a', 'c'];
  if (number <= 194) return isRhombohedral(group) ? ['a', 'alpha'] : ['a', 'c'];
  return ['a'];
}

/** Rhombohedral axes: a threefold axis that exchanges a, b and c, in a primitive cell of an R group. */
const isRhombohedral = (group: SpaceGroup): boolean =>
  group.representatives.some(({ r }) => r[0] === 0 && r[4] === 0 && r[8] === 0 && r[2] + r[3] + r[7] === 3) ||
  group.representatives.some(({ r }) => r.join() === '0,0,1,1,0,0,0,1,0');

function uniqueAngle(group: SpaceGroup): FreeConstant {
  for (const { r } of group.representatives) {
    const diagonal = [r[0], r[4], r[8]];
    if (diagonal.every((x) => x === diagonal[0])) continue;
    // A twofold axis or mirror along the axis whose sign stands alone.
    const alone = diagonal.findIndex((x, i) => diagonal.filter((y, j) => j !== i && y === x).length === 0);
    return (['alpha', 'beta', 'gamma'] as const)[alone] ?? 'beta';
  }
  return 'beta';
}

/** The cell of a group from its free constants, or from all six. Throws RangeError with what is asked for. */
export function cellFromFree(group: SpaceGroup, numbers: readonly number[]): Cell {
  const free = freeConstants(group);
  const asked = `${group.symbol ?? 'This group'} asks for ${free.length === 1 ? 'one constant' : `${free.length} constants`}: ${free.join(', ')}`;
  if (numbers.length === 6 && free.length !== 6) return checkedSix(group, numbers, asked);
  if (numbers.length !== free.length) throw new RangeError(`${asked}; ${numbers.length} were given.`);
  const given = Object.fromEntries(free.map((c, i) => [c, numbers[i]!])) as Partial<Record<FreeConstant, number>>;
  const a = given.a!;
  const number = group.number ?? 1;
  const hexagonal = number > 142 && number <= 194 && !free.includes('alpha');
  const alpha = given.alpha ?? 90;
  const rhombohedral = number > 142 && number <= 194 && free.includes('alpha');
  return checkedCell({
    a,
    b: given.b ?? a,
    c: given.c ?? a,
    alpha,
    beta: given.beta ?? (rhombohedral ? alpha : 90),
    gamma: given.gamma ?? (rhombohedral ? alpha : hexagonal ? 120 : 90),
  });
}

function checkedCell(cell: Cell): Cell {
  if (!isPlausibleCell(cell))
    throw new RangeError(
      'These constants make no cell: lengths are Å, angles degrees, and the volume must not vanish.',
    );
  return cell;
}

function checkedSix(group: SpaceGroup, numbers: readonly number[], asked: string): Cell {
  const [a, b, c, alpha, beta, gamma] = numbers as [number, number, number, number, number, number];
  const free = freeConstants(group);
  const forced = cellFromFree(
    group,
    free.map((k) => ({ a, b, c, alpha, beta, gamma })[k]),
  );
  const off =
    [a - forced.a, b - forced.b, c - forced.c].some((d) => Math.abs(d) > 1e-3 * a) ||
    [alpha - forced.alpha, beta - forced.beta, gamma - forced.gamma].some((d) => Math.abs(d) > 0.02);
  if (off) throw new RangeError(`These constants do not obey the symmetry. ${asked}.`);
  return forced;
}

/** Sites in their group: those within 0.02 Å of a special position stand exactly on it. */
export function crystalOf(group: SpaceGroup, cell: Cell, sites: readonly Site[]): Structure {
  const metric = metricTensor(cell);
  return {
    cell,
    spaceGroup: group,
    sites: sites.map((x) => ({ ...x, position: snapToSymmetry(group, metric, x.position) })),
  };
}

/** A site that stands near to a special position without being on it. */
export interface NearSpecial {
  readonly label: string;
  readonly position: Vec3;
  /** Å to the special position. */
  readonly away: number;
  /** Atoms in the cell as it stands, and on the special position. */
  readonly now: number;
  readonly then: number;
}

/** Å within which a special position is offered. */
const OFFERED = 0.35;

/** Sites that are probably meant to stand on a special position, with what snapping does to the count. */
export function nearSpecial(s: Structure): NearSpecial[] {
  const metric = metricTensor(s.cell);
  return s.sites.flatMap((x): NearSpecial[] => {
    const now = siteSymmetry(s.spaceGroup, metric, x.position).multiplicity;
    const position = snapToSymmetry(s.spaceGroup, metric, x.position, 2 * OFFERED);
    const then = siteSymmetry(s.spaceGroup, metric, position).multiplicity;
    if (then >= now) return [];
    const d = subtract(position, x.position);
    const away = Math.sqrt(d.reduce((sum, u, i) => sum + u * d.reduce((q, v, j) => q + metric[3 * i + j]! * v, 0), 0));
    return away > OFFERED || norm(d) === 0 ? [] : [{ label: x.label, position, away, now, then }];
  });
}

export interface PairContact {
  readonly pair: readonly [string, string];
  /** Å */
  readonly distance: number;
  /** Nearer than two atoms of their kind can be. */
  readonly absurd: boolean;
}

/** Of the sum of covalent radii: nearer than this nothing stands in a crystal. */
const ABSURD = 0.6;
/** Å that is looked for neighbours. */
const REACH = 4;

/** The shortest contact of every pair of elements, shortest first. */
export function shortestContacts(s: Structure): PairContact[] {
  const best = new Map<string, PairContact>();
  const list = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    REACH,
  );
  for (const n of list) {
    const [a, b] = [s.sites[n.from]!, s.sites[n.to]!];
    // Ions that share a place are not in contact.
    if (n.distance < 0.1 && a.occupancy + b.occupancy < 1.01) continue;
    const pair = [a.element, b.element].sort() as [string, string];
    const key = pair.join('–');
    if (n.distance >= (best.get(key)?.distance ?? Infinity)) continue;
    best.set(key, { pair, distance: n.distance, absurd: isAbsurd(pair, n.distance) });
  }
  return [...best.values()].sort((p, q) => p.distance - q.distance);
}

const isAbsurd = ([p, q]: readonly [string, string], d: number): boolean => {
  const sum = elementOf(p).covalentRadius + elementOf(q).covalentRadius;
  return d < (isHydrogen(p) && isHydrogen(q) ? 0.7 : ABSURD * sum);
};

export interface Judged {
  readonly setting: Setting;
  /** "1", "2", "H", "b1" …: the code of the tables; empty where there is one only. */
  readonly origin: string;
  readonly structure: Structure;
  /** Å */
  readonly shortest: number;
  /** Neighbours by element, as "Si 4, O 2". */
  readonly coordination: string;
  /** 0 impossible … 1 all that can be asked. */
  readonly score: number;
  readonly reason: string;
  /** Sites that stand near to a special position, as they were given. */
  readonly special: readonly NearSpecial[];
}

/** Mean number of neighbours of each element. */
function coordinationOf(s: Structure): Record<string, number> {
  const around = new Surroundings(bonded(s));
  const sums: Record<string, { n: number; count: number }> = {};
  s.sites.forEach((x, i) => {
    const count = siteMultiplicity(s, x);
    const entry = (sums[x.element] ??= { n: 0, count: 0 });
    entry.n += count * around.around(i).length;
    entry.count += count;
  });
  return Object.fromEntries(Object.entries(sums).map(([e, { n, count }]) => [e, n / count]));
}

/** How near the shortest contact of each pair may come, 1 where all stand as radii say and 0 where atoms fall together. */
function contactScore(contacts: readonly PairContact[], charges: ReadonlyMap<string, number>): number {
  return contacts.reduce((worst, { pair, distance }) => {
    const [p, q] = pair;
    const sum = elementOf(p).covalentRadius + elementOf(q).covalentRadius;
    const a = charges.get(p),
      b = charges.get(q);
    // Ions of one sign keep further apart than bonds are long.
    const least = a !== undefined && b !== undefined && a * b > 0 ? 1.15 * sum : 0.82 * sum;
    return Math.min(worst, Math.max(0, Math.min(1, (distance / least - 0.5) / 0.5)));
  }, 1);
}

/** How well valence sums meet the charges: 1 for a perfect crystal, ½ at 0.35; where nothing is known of them ½. */
function valenceScore(s: Structure): { score: number; instability?: number } {
  const instability = new Surroundings(bonded(s)).globalInstability();
  if (instability === undefined) return { score: 0.5 };
  return { score: 1 / (1 + (instability / 0.35) ** 2), instability };
}

/** The crystal with sites put on the special positions that were accepted, by label. */
function withSnapped(s: Structure, special: readonly NearSpecial[], accepted: ReadonlySet<string>): Structure {
  const to = new Map(special.filter((n) => accepted.has(n.label)).map((n) => [n.label, n.position]));
  if (!to.size) return s;
  return { ...s, sites: s.sites.map((x) => ({ ...x, position: to.get(x.label) ?? x.position })) };
}

function judge(setting: Setting, cell: Cell, sites: readonly Site[], snapped: ReadonlySet<string>): Judged {
  const given = crystalOf(groupOfSetting(setting), cell, sites);
  const special = nearSpecial(given);
  const structure = withSnapped(given, special, snapped);
  const contacts = shortestContacts(structure);
  const charges = new Map<string, number>();
  siteCharges(structure).forEach((q, i) => {
    if (q !== undefined) charges.set(structure.sites[i]!.element, q);
  });
  const near = contactScore(contacts, charges);
  const valence = valenceScore(structure);
  const shortest = contacts[0];
  const numbers = near > 0 ? coordinationOf(structure) : {};
  const coordination = Object.entries(numbers)
    .map(([e, n]) => `${e} ${Number(n.toFixed(2))}`)
    .join(', ');
  const why = [
    shortest
      ? `shortest ${shortest.pair.join('–')} ${shortest.distance.toFixed(3)} Å${shortest.absurd ? ', which cannot be' : ''}`
      : 'nothing within 4 Å',
    charges.size ? 'charges balance' : 'no usual charges balance',
    valence.instability === undefined ? undefined : `valence sums off by ${valence.instability.toFixed(2)}`,
  ].filter(Boolean);
  const known = charges.size ? 1 : 0.6;
  return {
    setting,
    origin: setting.code,
    structure,
    shortest: shortest?.distance ?? Infinity,
    coordination,
    score: near * (0.2 + 0.8 * valence.score * known),
    reason: `${why.join('; ')}.`,
    special,
  };
}

/** Settings that one symbol may mean: both origins of a group that has two; hexagonal and rhombohedral axes. */
export function settingsMeant(symbol: string): Setting[] {
  const found = findSetting(symbol);
  if (!found)
    throw new RangeError(
      `"${symbol}" is not a known space-group symbol. Write it like "F d -3 m", "P 21/c" or "-P 2ybc".`,
    );
  if (/:/.test(symbol)) return [found];
  return SETTINGS.filter((s) => s.symbol === found.symbol);
}

/**
 * Builds a crystal in every setting that the symbol may mean and the constants fit, the most sensible first. Throws
 * RangeError where the symbol is unknown or no setting takes the constants.
 */
export function buildAndJudge(
  symbol: string,
  constants: readonly number[],
  sites: readonly Site[],
  /** Labels of sites that go onto the special position they stand near to. */
  snapped: ReadonlySet<string> = new Set(),
): Judged[] {
  const problems: string[] = [];
  const built = settingsMeant(symbol).flatMap((setting): Judged[] => {
    try {
      return [judge(setting, cellFromFree(groupOfSetting(setting), constants), sites, snapped)];
    } catch (e) {
      problems.push((e as Error).message);
      return [];
    }
  });
  if (!built.length) throw new RangeError(problems[0] ?? 'Nothing could be built.');
  return built.sort((p, q) => q.score - p.score);
}

export interface Holdings {
  readonly formula: string;
  readonly z: number;
  readonly atoms: number;
  /** g/cm³ */
  readonly density: number;
  /** Charges of the cell; undefined where they are not known. */
  readonly charge?: number;
}

/** What a cell holds, in the figures that are looked at first. */
export function holdings(s: Structure): Holdings {
  const contents = cellContents(s);
  const { formula, z } = formulaUnit(bonded(s));
  const charges = siteCharges(s);
  const known = charges.every((q) => q !== undefined);
  const charge = s.sites.reduce((sum, x, i) => sum + (charges[i] ?? 0) * x.occupancy * siteMultiplicity(s, x), 0);
  return {
    formula: formulaText(formula),
    z,
    atoms: s.sites.reduce((n, x) => n + siteMultiplicity(s, x), 0),
    density: (formulaWeight(contents) * 1.66053907) / cellVolume(s.cell),
    ...(known ? { charge: Math.abs(charge) < 1e-6 ? 0 : charge } : {}),
  };
}

export interface SiteRow {
  readonly label: string;
  readonly multiplicity: number;
  /** Of the position; undefined where the group’s type is not known. */
  readonly letter?: string;
  readonly siteSymmetry: string;
  /** The nearest other atom, Å. */
  readonly nearest?: { readonly label: string; readonly distance: number };
}

/** Where each site stands: how often, by which letter, on what symmetry, and who is nearest. */
export function siteRows(s: Structure): SiteRow[] {
  const metric = metricTensor(s.cell);
  const letters = wyckoffLetters(s);
  const nearest = new Map<number, { label: string; distance: number }>();
  const positions = s.sites.map((x) => x.position);
  for (const n of neighbours(s.cell, s.spaceGroup, positions, REACH))
    if (n.distance < (nearest.get(n.from)?.distance ?? Infinity))
      nearest.set(n.from, { label: s.sites[n.to]!.label, distance: n.distance });
  return s.sites.map((x, i): SiteRow => {
    const { operators, multiplicity } = siteSymmetry(s.spaceGroup, metric, x.position);
    const letter = letters[i],
      next = nearest.get(i);
    return {
      label: x.label,
      multiplicity,
      siteSymmetry: crystalClass(operators.map((o) => o.r)),
      ...(letter === undefined ? {} : { letter }),
      ...(next ? { nearest: next } : {}),
    };
  });
}
