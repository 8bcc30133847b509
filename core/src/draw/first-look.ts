/** How a crystal that nobody has looked at yet is shown, by what it is. */
import { cellVolume } from '../crystal/cell.ts';
import { siteCharges } from '../crystal/ionic.ts';
import type { Structure } from '../crystal/structure.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { bonds } from '../geometry/bonds.ts';
import { dimensionOf, NET_WORDS, netsOf, type Dimension } from '../geometry/nets.ts';
import { apply3, cross, norm, toMat3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { bestRotation, lookAlong } from './camera.ts';
import { atomsOfExtent, atomsPerCell, type ExtentKind } from './extent.ts';
import type { AtomLook } from './style.ts';
import { cartesianOf } from '../geometry/measure.ts';

export interface FirstLook {
  readonly dimension: Dimension;
  /** Ions without molecules among them. */
  readonly salt: boolean;
  readonly extent: Extract<ExtentKind, 'molecules' | 'closed cell' | 'packed cell'>;
  readonly look: AtomLook;
  /** Rows: right, up, towards the viewer. */
  readonly rotation: Mat3;
  /** Elements around which polyhedra are worth drawing. */
  readonly polyhedra: readonly string[];
  /** What the crystal is, in words. */
  readonly sentence: string;
}

/** Fewest and most corners of a polyhedron that says something. */
const FEWEST = 4,
  MOST = 9;

/** Cations with a closed set of corners: drawn as polyhedra they show how a framework hangs together. */
function polyhedronCentres(s: Structure): string[] {
  const charges = siteCharges(s);
  const count = s.sites.map(() => 0);
  for (const b of bonds(s)) count[b.from]!++;
  const names = s.sites.flatMap((x, i) =>
    (charges[i] ?? 0) > 0 && count[i]! >= FEWEST && count[i]! <= MOST ? [x.element] : [],
  );
  return [...new Set(names)];
}

const isSalt = (s: Structure): boolean => siteCharges(s).every((q) => q !== undefined);

/** Layers edge-on with their normal up, chains lying across, anything else with its flattest side forward. */
function firstRotation(s: Structure, dimension: Dimension, extent: FirstLook['extent']): Mat3 {
  const m = orthogonalization(s.cell);
  const net = netsOf(s).list.find((n) => n.dimension === dimension)!;
  const [u, v] = net.translations.map((t) => apply3(m, t));
  const camera = { rotation: [1, 0, 0, 0, 1, 0, 0, 0, 1] as Mat3, target: [0, 0, 0] as Vec3, scale: 1 };
  if (dimension === 2) return lookAlong(camera, u!, cross(u!, v!)).rotation;
  if (dimension === 1) {
    const other = [0, 1, 2].map((k) => apply3(m, [0, 1, 2].map((i) => (i === k ? 1 : 0)) as never));
    const across = other.map((w) => cross(u!, w)).sort((p, q) => norm(q) - norm(p))[0]!;
    return lookAlong(camera, across, cross(across, u!)).rotation;
  }
  const rotation = bestRotation(cartesianOf(s, atomsOfExtent(s, { kind: extent })));
  // A framework is seen a little from the side, or its planes of atoms hide one another.
  return dimension === 3 ? tilted(rotation) : rotation;
}

/** Turned by some degrees about the vertical and the horizontal of the screen. */
function tilted(r: Mat3): Mat3 {
  const [cy, sy, cx, sx] = [Math.cos(0.32), Math.sin(0.32), Math.cos(0.2), Math.sin(0.2)];
  const turnUp = (v: readonly number[]): number[] => [cy * v[0]! + sy * v[2]!, v[1]!, -sy * v[0]! + cy * v[2]!];
  const turnRight = (v: readonly number[]): number[] => [v[0]!, cx * v[1]! - sx * v[2]!, sx * v[1]! + cx * v[2]!];
  const columns = [0, 1, 2].map((k) => turnRight(turnUp([r[k]!, r[3 + k]!, r[6 + k]!])));
  return toMat3([0, 1, 2].flatMap((row) => columns.map((c) => c[row]!)));
}

/** How a structure is best seen first. Bonds as the structure says, else as they are proposed. */
export function firstLook(plain: Structure): FirstLook {
  const s = bonded(plain);
  const dimension = dimensionOf(s);
  const salt = isSalt(s);
  const extent =
    dimension >= 2 || (salt && dimension === 0) ? 'closed cell' : dimension === 1 ? 'packed cell' : 'molecules';
  const anisotropic = s.sites.some((x) => x.displacement.kind === 'aniso');
  const polyhedra = salt ? polyhedronCentres(s) : [];
  const what =
    dimension === 0 && salt ? 'Ions' : `${NET_WORDS[dimension][0]!.toUpperCase()}${NET_WORDS[dimension].slice(1)}s`;
  return {
    dimension,
    salt,
    extent,
    look: anisotropic && !salt ? 'ellipsoids' : 'balls',
    rotation: firstRotation(s, dimension, extent),
    polyhedra,
    sentence: `${what}; a cell of ${cellVolume(s.cell).toFixed(0)} Å³ holds ${atomsPerCell(s)} atoms.`,
  };
}
