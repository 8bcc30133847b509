/** Crystal classes, Laue classes and systems from rotation parts alone. */
import { IDENTITY3, multiply3, type Mat3, toMat3, negative3 } from '../math/matrix3.ts';
import { rotationKey, type RotationKey, rotationType } from './operator.ts';
import type { SpaceGroup } from './space-group.ts';

export type CrystalSystem =
  'triclinic' | 'monoclinic' | 'orthorhombic' | 'tetragonal' | 'trigonal' | 'hexagonal' | 'cubic';

/** Counts of the types −6 −4 −3 −2 −1 | 1 2 3 4 6 characterise the 32 classes (International Tables A, 3.2). */
const CLASS_COUNTS: Record<string, string> = {
  '0,0,0,0,0,1,0,0,0,0': '1',
  '0,0,0,0,1,1,0,0,0,0': '-1',
  '0,0,0,0,0,1,1,0,0,0': '2',
  '0,0,0,1,0,1,0,0,0,0': 'm',
  '0,0,0,1,1,1,1,0,0,0': '2/m',
  '0,0,0,0,0,1,3,0,0,0': '222',
  '0,0,0,2,0,1,1,0,0,0': 'mm2',
  '0,0,0,3,1,1,3,0,0,0': 'mmm',
  '0,0,0,0,0,1,1,0,2,0': '4',
  '0,2,0,0,0,1,1,0,0,0': '-4',
  '0,2,0,1,1,1,1,0,2,0': '4/m',
  '0,0,0,0,0,1,5,0,2,0': '422',
  '0,0,0,4,0,1,1,0,2,0': '4mm',
  '0,2,0,2,0,1,3,0,0,0': '-42m',
  '0,2,0,5,1,1,5,0,2,0': '4/mmm',
  '0,0,0,0,0,1,0,2,0,0': '3',
  '0,0,2,0,1,1,0,2,0,0': '-3',
  '0,0,0,0,0,1,3,2,0,0': '32',
  '0,0,0,3,0,1,0,2,0,0': '3m',
  '0,0,2,3,1,1,3,2,0,0': '-3m',
  '0,0,0,0,0,1,1,2,0,2': '6',
  '2,0,0,1,0,1,0,2,0,0': '-6',
  '2,0,2,1,1,1,1,2,0,2': '6/m',
  '0,0,0,0,0,1,7,2,0,2': '622',
  '0,0,0,6,0,1,1,2,0,2': '6mm',
  '2,0,0,4,0,1,3,2,0,0': '-62m',
  '2,0,2,7,1,1,7,2,0,2': '6/mmm',
  '0,0,0,0,0,1,3,8,0,0': '23',
  '0,0,8,3,1,1,3,8,0,0': 'm-3',
  '0,0,0,0,0,1,9,8,6,0': '432',
  '0,6,0,6,0,1,3,8,0,0': '-43m',
  '0,6,8,9,1,1,9,8,6,0': 'm-3m',
};
const TYPES = [-6, -4, -3, -2, -1, 1, 2, 3, 4, 6];

/** Symbol of the crystal class; throws RangeError when the matrices are not one of the 32 classes. */
export function crystalClass(rotations: readonly Mat3[]): string {
  const counts = TYPES.map(() => 0);
  for (const r of rotations) counts[TYPES.indexOf(rotationType(r))]!++;
  const found = CLASS_COUNTS[counts.join(',')];
  if (!found) throw new RangeError('These rotations do not form a crystallographic point group.');
  return found;
}

export const rotationsOf = (g: SpaceGroup): Mat3[] => g.representatives.map((o) => o.r);

/** Rotations of the Laue group: those of the class and their products with the inversion. */
export function laueRotations(rotations: readonly Mat3[]): Mat3[] {
  const out = new Map<RotationKey, Mat3>();
  for (const r of rotations) {
    out.set(rotationKey(r), r);
    const n = negative3(r);
    out.set(rotationKey(n), n);
  }
  return [...out.values()];
}

export const laueClass = (g: SpaceGroup): string => crystalClass(laueRotations(rotationsOf(g)));

export function crystalSystem(classSymbol: string): CrystalSystem {
  const c = classSymbol;
  if (c === '1' || c === '-1') return 'triclinic';
  if (['2', 'm', '2/m'].includes(c)) return 'monoclinic';
  if (['222', 'mm2', 'mmm'].includes(c)) return 'orthorhombic';
  if (c.includes('6')) return 'hexagonal';
  if (['23', 'm-3', '432', '-43m', 'm-3m'].includes(c)) return 'cubic';
  return c.includes('4') ? 'tetragonal' : 'trigonal';
}

/** Closes a set of rotations; throws RangeError beyond 48. */
export function closeRotations(generators: readonly Mat3[]): Mat3[] {
  const members: Mat3[] = [IDENTITY3];
  const seen = new Set([rotationKey(IDENTITY3)]);
  for (let i = 0; i < members.length; i++)
    for (const g of generators) {
      const a = members[i]!;
      const product = toMat3(
        [0, 1, 2].flatMap((p) =>
          [0, 1, 2].map((q) => a[3 * p]! * g[q]! + a[3 * p + 1]! * g[3 + q]! + a[3 * p + 2]! * g[6 + q]! + 0),
        ),
      );
      const key = rotationKey(product);
      if (seen.has(key)) continue;
      seen.add(key);
      members.push(product);
      if (members.length > 48) throw new RangeError('These rotations do not close to a crystallographic point group.');
    }
  return members;
}

/** Every proper subgroup of a group of rotations, each once, by the table of its products. Three generators are enough for every crystallographic class. */
export function properSubgroups(rotations: readonly Mat3[]): Mat3[][] {
  const at = new Map(rotations.map((r, i) => [rotationKey(r), i]));
  const product = rotations.map((a) => rotations.map((b) => at.get(rotationKey(multiply3(a, b)))!));
  const identity = at.get(rotationKey(IDENTITY3))!;
  /** Indices of the group that some of the rotations make. */
  const closed = (generators: readonly number[]): number[] => {
    const members = [identity];
    const has = new Set(members);
    for (let i = 0; i < members.length; i++)
      for (const g of generators) {
        const p = product[members[i]!]![g]!;
        if (has.has(p)) continue;
        has.add(p);
        members.push(p);
      }
    return members.sort((p, q) => p - q);
  };
  const found = new Map<string, number[]>();
  const offer = (generators: readonly number[]): void => {
    const members = closed(generators);
    if (members.length < rotations.length) found.set(members.join(), members);
  };
  offer([]);
  rotations.forEach((_, a) => rotations.forEach((__, b) => offer([a, b])));
  for (const members of [...found.values()]) rotations.forEach((_, a) => offer([...members, a]));
  return [...found.values()].map((members) => members.map((i) => rotations[i]!));
}
