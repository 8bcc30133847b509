/** Which atoms a person takes as bonded, where that differs from what radii say. */
import type { AtomRef } from './atom-ref.ts';

/** The longest bond between two elements, Å; 0 where they are not bonded at all. */
export interface PairCut {
  readonly elements: readonly [string, string];
  readonly cut: number;
}

/** One bond of the model, with all its copies by symmetry: from a site as it stands to an atom of the crystal. */
export interface SingleBond {
  readonly from: string;
  readonly to: AtomRef;
}

export interface Bonding {
  /** Pairs that are not named follow the covalent radii. */
  readonly pairs: readonly PairCut[];
  readonly hidden: readonly SingleBond[];
  readonly added: readonly SingleBond[];
}

/** A pair's name, whichever element is named first. */
export const pairKey = (p: string, q: string): string => (p < q ? `${p} ${q}` : `${q} ${p}`);

const shaped = new WeakMap<object, WeakMap<Bonding, unknown>>();

/** The structure with a bonding of its own; the same object for the same two, so that what hangs on it is worked out once. */
export function withBonding<S extends object>(s: S, bonding: Bonding | undefined): S {
  if (!bonding) return s;
  let known = shaped.get(s);
  if (!known) shaped.set(s, (known = new WeakMap()));
  let out = known.get(bonding) as S | undefined;
  if (!out) known.set(bonding, (out = { ...s, bonding }));
  return out;
}
