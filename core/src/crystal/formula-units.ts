/** How many formula units a cell holds: by its volume, and by what the positions of a group can hold. */
import { formulaVolume, isMolecular, type Formula } from './formula.ts';
import { placesOf, type Places } from './fixed-positions.ts';
import { groupOrder, type SpaceGroup } from './space-group.ts';

/** Multiples of the group's order that molecules, mostly on general positions, come in. */
const MOLECULES = [1 / 24, 1 / 12, 1 / 8, 1 / 6, 0.25, 0.5, 1, 1.5, 2, 3, 4, 6, 8];
/** How far, as a factor either way, an average volume can be off. */
const REACH = 2.5;
/** What a number of units that the positions cannot hold has against it, against one that they can, as a factor of the volume. */
const MISFIT = Math.log(2);

/** Whether amounts of elements can be laid on the positions, fixed ones once each. */
function canHold({ fixed, free }: Places, amounts: readonly number[]): boolean {
  const lay = (n: number, left: number, from: number, used: ReadonlySet<number>): boolean => {
    if (left === 0) return n + 1 === amounts.length || lay(n + 1, amounts[n + 1]!, 0, used);
    if (sumsTo(free, left) && (n + 1 === amounts.length || lay(n + 1, amounts[n + 1]!, 0, used))) return true;
    for (let p = from; p < fixed.length; p++) {
      const { multiplicity } = fixed[p]!;
      if (multiplicity > left || used.has(p)) continue;
      if (lay(n, left - multiplicity, p + 1, new Set(used).add(p))) return true;
    }
    return false;
  };
  return !amounts.length || lay(0, amounts[0]!, 0, new Set());
}

/** Whether a number is a sum of some of the parts, each as often as wanted. */
function sumsTo(parts: readonly number[], total: number): boolean {
  const reached = new Uint8Array(total + 1);
  reached[0] = 1;
  for (let n = 1; n <= total; n++) if (parts.some((p) => p <= n && reached[n - p])) reached[n] = 1;
  return !!reached[total];
}

/** Formula units per cell (volume in Å³): the likely number that comes nearest to what the volume suggests. */
export function proposeZ(f: Formula, volume: number, group?: SpaceGroup): number {
  const ratio = volume / Math.max(1, formulaVolume(f));
  if (!group) return Math.max(1, Math.round(ratio));
  const off = (n: number): number => Math.abs(Math.log(n / ratio));
  const best = (choices: readonly number[], cost: (n: number) => number): number =>
    choices.reduce((p, q) => (cost(q) < cost(p) ? q : p), choices[0] ?? 1);
  if (isMolecular(f)) {
    const choices = MOLECULES.map((k) => k * groupOrder(group)).filter((n) => Number.isInteger(n) && n >= 1);
    return best(choices, off);
  }
  const places = placesOf(group);
  const fits = (n: number): boolean => {
    const amounts = Object.values(f).map((x) => n * x);
    const whole = amounts.map(Math.round);
    // Shared sites make broken numbers: then there is no telling.
    return amounts.some((x, i) => Math.abs(x - whole[i]!) > 0.02) || canHold(places, whole);
  };
  const least = Math.max(1, Math.floor(ratio / REACH));
  const choices = Array.from({ length: Math.ceil(ratio * REACH) - least + 1 }, (_, i) => least + i);
  return best(choices, (n) => off(n) + (fits(n) ? 0 : MISFIT));
}
