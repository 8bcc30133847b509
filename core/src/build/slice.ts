/** Slices of a crystal along an axis, and other origins of its cell. */
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import { IDENTITY3, toVec3, type Vec3 } from '../math/matrix3.ts';
import { changeStructure } from '../symmetry/change-setting.ts';
import { plainSite } from './surface.ts';
import { proven, type CellAnswer } from './supercell.ts';
import { wholeCell, withOwnLabels } from './whole-cell.ts';

export interface Slice {
  readonly axis: 0 | 1 | 2;
  /** Fractions of the axis; what stands at the upper end is no longer in it. */
  readonly from: number;
  readonly to: number;
  /** The axis becomes as long as the slice is thick; else the cell stays (or grows to hold it) and the rest is empty. */
  readonly close: boolean;
}

/** Fractions by which an atom may miss an end of the slice. */
const AT_END = 1e-6;

/** The atoms between two heights along an axis, in P 1. Throws RangeError where there are none. */
export function slice(s: Structure, { axis, from, to, close }: Slice): CellAnswer {
  if (!(to - from > 1e-3)) throw new RangeError('A slice goes from one fraction to a larger one, as from 0 to 0.5.');
  const whole = wholeCell(s);
  const thick = to - from;
  const long = close ? thick : Math.max(1, thick);
  const stretched = (position: Vec3, step: number): Vec3 =>
    toVec3(position.map((x, k) => (k === axis ? (x + step - from) / long : x)));
  const sites = whole.sites.flatMap((x): Site[] => {
    const out: Site[] = [];
    const at = x.position[axis]!;
    for (let step = Math.ceil(from - at - AT_END); at + step < to - AT_END; step++)
      out.push({ ...plainSite(s.cell, x), id: newId(), position: stretched(x.position, step) });
    return out;
  });
  if (!sites.length) throw new RangeError(`No atom stands between ${from} and ${to} of ${'abc'[axis]}.`);
  const name = (['a', 'b', 'c'] as const)[axis];
  const { su: _, ...cell } = s.cell;
  const structure: Structure = {
    cell: { ...cell, [name]: cell[name] * long },
    spaceGroup: whole.spaceGroup,
    sites: withOwnLabels(sites),
  };
  const before = whole.sites.length;
  const words = `${sites.length} atoms stand between ${Number(from.toFixed(4))} and ${Number(to.toFixed(4))} of ${name}; the whole cell holds ${before}.`;
  return { structure, before, after: sites.length, determinant: long, merged: 0, words };
}

/** The same crystal with its origin at another place, fractions of the present axes. The count is proven. */
export function movedOrigin(s: Structure, origin: Vec3): CellAnswer {
  if (!origin.every(Number.isFinite)) throw new RangeError('An origin is three fractions.');
  const before = wholeCell(s).sites.length;
  return proven(changeStructure(s, { p: IDENTITY3, origin }), before, 1);
}
