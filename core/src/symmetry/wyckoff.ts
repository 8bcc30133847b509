/** Letters of positions (Wyckoff letters) as International Tables give them in the standard settings, carried to all others. */
import { metricTensor } from '../crystal/cell.ts';
import { exactSetting, identifyGroup, originShift } from '../crystal/identify.ts';
import { changeBasis, parseXyz, rotationKey } from '../crystal/operator.ts';
import { groupOfSetting, referenceSetting } from '../crystal/settings.ts';
import { allOperators, groupOrder, siteSymmetry, spaceGroupOfClosed, type SpaceGroup } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, multiply3, toMat3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { flatKeys, flatOf, keepers, type Flat } from './positions.ts';
import { WYCKOFF_TABLE } from './wyckoff-table.ts';

export interface LetteredPosition {
  readonly letter: string;
  readonly multiplicity: number;
  /** As the table writes it; "x,y,z" for the general one. */
  readonly coordinates: string;
}

/** Letters in order; the twenty-seventh of P m m m is a capital A. */
const LETTERS = 'abcdefghijklmnopqrstuvwxyzA';
/** A point that lies on no further element. */
const GENERIC: Vec3 = [0.1387213, 0.2291731, 0.0713279];

/** The positions of a reference group by letter, and the letter of every kind. */
interface Letters {
  readonly group: SpaceGroup;
  readonly positions: readonly LetteredPosition[];
  readonly byKey: ReadonlyMap<string, string>;
  readonly keyOf: (f: Flat) => string;
}

const known = new Map<number, Letters>();

function lettersOf(number: number): Letters {
  let letters = known.get(number);
  if (!letters) known.set(number, (letters = makeLetters(number)));
  return letters;
}

function makeLetters(number: number): Letters {
  const group = groupOfSetting(referenceSetting(number));
  const all = allOperators(group);
  const keyOf = flatKeys(group);
  const byKey = new Map<string, string>();
  const special = WYCKOFF_TABLE[number]?.split(' ') ?? [];
  const positions = [...special, 'x,y,z'].map((coordinates, i): LetteredPosition => {
    const { r, t } = parseXyz(coordinates);
    const at = apply3(r, GENERIC);
    const kept = keepers(all, [at[0] + t[0], at[1] + t[1], at[2] + t[2]]);
    const letter = LETTERS[i]!;
    byKey.set(keyOf(flatOf(kept)), letter);
    return { letter, multiplicity: groupOrder(group) / kept.length, coordinates };
  });
  return { group, positions, byKey, keyOf };
}

/** The positions of a type in its standard setting, from a upwards. Throws RangeError for numbers beyond 1–230. */
export const letteredPositions = (number: number): readonly LetteredPosition[] => lettersOf(number).positions;

/** Columns: axes of the standard setting in the given ones; and its origin there. */
interface Change {
  readonly p: Mat3;
  readonly origin: Vec3;
}

const NO_CHANGE: Change = { p: [1, 0, 0, 0, 1, 0, 0, 0, 1], origin: [0, 0, 0] };

/** Axes renamed, with as many turned round as keep the hand; and the other cell choices of a monoclinic lattice. */
function simpleBases(): Mat3[] {
  const orders = [
    [0, 1, 2],
    [2, 0, 1],
    [1, 2, 0],
    [1, 0, 2],
    [0, 2, 1],
    [2, 1, 0],
  ];
  const renamed = orders.map((order, i): Mat3 => {
    const m = [0, 0, 0, 0, 0, 0, 0, 0, 0];
    // An odd exchange needs one axis turned round: the last of them.
    order.forEach((from, to) => (m[3 * from + to] = i > 2 && to === 2 ? -1 : 1));
    return toMat3(m);
  });
  const cellChoices: Mat3[] = [
    [1, 0, 0, 0, 1, 0, 0, 0, 1],
    [-1, 0, 1, 0, 1, 0, -1, 0, 0],
    [0, 0, -1, 0, 1, 0, 1, 0, -1],
    [1, 0, 1, 0, 1, 0, 0, 0, 1],
    [1, 0, 0, 0, 1, 0, 1, 0, 1],
  ];
  return renamed.flatMap((m) => cellChoices.map((c) => multiply3(m, c)));
}

/** The change of the fewest words: axes renamed without another origin where that will do. */
function changeToReference(g: SpaceGroup, reference: SpaceGroup): Change {
  const exact = exactSetting(g);
  if (exact && exact.hall === referenceSetting(exact.number).hall) return NO_CHANGE;
  let moved: Change | undefined;
  // Of a cube all axes are alike: renaming them leaves a group or takes it to its mirror image.
  const bases = simpleBases();
  for (const p of reference.number > 194 ? [bases[0]!] : bases) {
    const inBasis = groupInBasis(g, p, reference);
    const shift = inBasis && originShift(inBasis, reference);
    if (!shift) continue;
    if (shift.every((x) => Math.abs(x) < 1e-6)) return { p, origin: [0, 0, 0] };
    moved ??= { p, origin: apply3(p, shift) };
  }
  if (moved) return moved;
  const { p, origin } = identifyGroup(g);
  return { p, origin };
}

const centringKey = (g: SpaceGroup): string =>
  g.centring
    .map((c) => c.map((x) => Math.round((x - Math.floor(x + 1e-6)) * 12)).join())
    .sort()
    .join(' ');
/** The group in other axes of the same volume; undefined where they do not bring it to the reference's rotations and lattice. */
function groupInBasis(g: SpaceGroup, p: Mat3, reference: SpaceGroup): SpaceGroup | undefined {
  const all = allOperators(g).map((o) => changeBasis(o, p, [0, 0, 0]));
  const rotations = new Set(allOperators(reference).map((o) => rotationKey(o.r)));
  if (!all.every((o) => rotations.has(rotationKey(o.r)))) return undefined;
  const group = spaceGroupOfClosed(all);
  return centringKey(group) === centringKey(reference) ? group : undefined;
}

const changes = new WeakMap<SpaceGroup, { letters: Letters; change: Change }>();

function standardOf(g: SpaceGroup): { letters: Letters; change: Change } {
  let found = changes.get(g);
  if (!found) {
    const number = g.number || identifyGroup(g).setting.number;
    const letters = lettersOf(number);
    changes.set(g, (found = { letters, change: changeToReference(g, letters.group) }));
  }
  return found;
}

/** The letter of each site of a structure; undefined where its group is of no type the table knows. */
export function wyckoffLetters(s: Structure): (string | undefined)[] {
  const { letters, change } = standardOf(s.spaceGroup);
  const q = inverse3(change.p);
  const metric = multiply3(transpose3(change.p), multiply3(metricTensor(s.cell), change.p));
  return s.sites.map(({ position: x }) => {
    const o = change.origin;
    const at = apply3(q, [x[0] - o[0], x[1] - o[1], x[2] - o[2]]);
    const { operators } = siteSymmetry(letters.group, metric, at);
    return letters.byKey.get(letters.keyOf(flatOf(operators)));
  });
}
