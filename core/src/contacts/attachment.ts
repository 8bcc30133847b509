/**
 * Attachment energies: what a layer gains when it lies down on a face. A face grows the faster the more it gains (Hartman & Bennema
 * 1980, J. Cryst. Growth 49, 145); layers are cut where the gain is least, so that they hold together best. By the pair energies of
 * whole molecules, which the electrostatics far away are not part of.
 */
import { symmetryTable } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { applyOperator, type Operator } from '../crystal/operator.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, dot, inverse3, type Vec3 } from '../math/matrix3.ts';
import { growthPlanes, shapeWithin, type CrystalFace, type GrowthPlane } from '../space/crystal-shape.ts';
import { EnergySearch, type PairEnergy } from './energies.ts';

export interface AttachmentEnergy {
  readonly hkl: Vec3;
  /** Å, of the layer. */
  readonly spacing: number;
  /** kJ per mol of molecules, below 0 where something is gained. */
  readonly energy: number;
  /** Where the layers are cut, h x + k y + l z modulo one layer. */
  readonly cut: number;
}

/** A pair by the fractional places of its two molecules, with its weight among all molecules of the cell. */
interface Bond {
  readonly from: Vec3;
  readonly to: Vec3;
  /** kJ/mol, times the share that molecules of this kind have. */
  readonly energy: number;
}

function bondsOf(search: EnergySearch, pairs: readonly PairEnergy[]): Bond[] {
  const { s, copies } = search.crystal;
  const back = inverse3(orthogonalization(s.cell));
  const all = copies.reduce((sum, n) => sum + n, 0);
  return pairs.map(({ from, ends, energy }) => ({
    from: apply3(back, ends[0]),
    to: apply3(back, ends[1]),
    energy: (energy * copies[from]!) / all,
  }));
}

/** Two places this near in units of a layer lie on one height. */
const LEVEL = 1e-6;

/** Heights over the layers at which the middles of molecules lie, with what each pair gains. */
function heightsOf(bonds: readonly Bond[], operators: readonly Operator[], plane: GrowthPlane) {
  const { hkl, layers } = plane;
  return bonds.flatMap(({ from, to, energy }) =>
    operators.map((o) => ({
      from: layers * dot(hkl, applyOperator(o, from)),
      to: layers * dot(hkl, applyOperator(o, to)),
      energy: energy / operators.length,
    })),
  );
}

/** What a layer gains on the crystal beneath it, for the cut that takes least apart. */
export function attachmentOf(
  bonds: readonly Bond[],
  operators: readonly Operator[],
  plane: GrowthPlane,
): AttachmentEnergy {
  const pairs = heightsOf(bonds, operators, plane);
  const levels = [...new Set(pairs.map((p) => Number((p.from - Math.floor(p.from + LEVEL)).toFixed(5))))].sort(
    (p, q) => p - q,
  );
  let best: { energy: number; cut: number } | undefined;
  levels.forEach((level, i) => {
    // Between one height and the next.
    const next = levels[i + 1] ?? levels[0]! + 1;
    const cut = (level + next) / 2;
    const energy = pairs.reduce(
      (sum, p) => (Math.floor(p.from - cut) < Math.floor(p.to - cut) ? sum + p.energy : sum),
      0,
    );
    if (!best || energy > best.energy + 1e-9) best = { energy, cut: cut - Math.floor(cut) };
  });
  return { hkl: plane.hkl, spacing: plane.spacing, ...(best ?? { energy: 0, cut: 0 }) };
}

/** Of the most that any layer gains: less grows no slower, or a face would be without end. */
const LEAST_SHARE = 0.03;

export interface EnergyShape {
  readonly faces: readonly CrystalFace[];
  readonly energies: readonly AttachmentEnergy[];
  readonly remarks: readonly string[];
}

/**
 * The shape that attachment energies let expect, of a structure whose bonds are known. Throws RangeError where there is no molecule,
 * or where something else goes on without end.
 */
export function attachmentShape(s: Structure): EnergyShape {
  const search = new EnergySearch(s);
  if (search.crystal.dimension)
    throw new RangeError(
      'Not everything here is a molecule: bonds go on without end, and no layer comes free. Take the shape from the spacings.',
    );
  const { pairs, remarks } = search.all();
  const bonds = bondsOf(search, pairs);
  const { operators } = symmetryTable(s.spaceGroup);
  const planes = growthPlanes(s);
  const energies = planes.map((p) => attachmentOf(bonds, operators, p));
  const most = Math.max(...energies.map((e) => -e.energy));
  if (!(most > 0))
    throw new RangeError(
      'No layer gains anything by these energies: the contacts of this model are too short to be judged.',
    );
  const faces = shapeWithin(
    planes.map(({ hkl, normal }, i) => ({ hkl, normal, distance: Math.max(LEAST_SHARE * most, -energies[i]!.energy) })),
  );
  return { faces, energies, remarks };
}
