/** What the rest of the crystal does to a molecule: charges and dipoles on the atoms around it. */
import {
  moveRef,
  operatorOf,
  placeKey,
  positionOf,
  symmetryTable,
  type AtomRef,
  type Placement,
} from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, inverse3, multiply3, toVec3, type Vec3 } from '../math/matrix3.ts';
import type { Cluster } from './cluster.ts';
import { BOHR } from '../math/units.ts';
import type { PointCharge } from '../quantum/shell-pairs.ts';
import type { AtomShare } from '../quantum/stockholder.ts';

/** Net charge and dipole of one atom, electrons and electron bohr. */
export interface AtomMoments {
  readonly charge: number;
  readonly dipole: Vec3;
}

/** Moments of a share about its nucleus of charge z. */
export function momentsOf(share: AtomShare, z: number): AtomMoments {
  const width = (share.order + 1) ** 2;
  const sums = [0, 0, 0];
  // Harmonics of order 1 stand as y, z, x; ∫ x ρ = √(4π/3) ∫ ρ_1x r³ dr.
  share.radii.forEach((r, k) =>
    [1, 2, 3].forEach((m, c) => (sums[c]! += share.weights[k]! * r * share.moments[k * width + m]!)),
  );
  const f = -Math.sqrt((4 * Math.PI) / 3);
  return { charge: z - share.electrons, dipole: [f * sums[2]!, f * sums[0]!, f * sums[1]!] };
}

/** Molecules with an atom this near to one of the cluster are around it, Å. */
const REACH = 9;

/** Charges and dipoles of whole molecules around a cluster; `moments` are those of the own atoms of every cluster. */
export function surroundingsOf(
  s: Structure,
  target: Cluster,
  clusters: readonly Cluster[],
  moments: readonly (readonly AtomMoments[])[],
): PointCharge[] {
  const toCartesian = orthogonalization(s.cell),
    back = inverse3(toCartesian);
  const taken = new Set([...target.atoms, ...target.replaced].map((a) => placeKey(s, a)));
  const out: PointCharge[] = [];
  clusters.forEach((cluster, c) => {
    const own = cluster.atoms.slice(0, cluster.own);
    for (const p of imagesNear(s, own, target)) {
      const turn = multiply3(toCartesian, multiply3(operatorOf(s.spaceGroup, p).r, back));
      own.forEach((a, i) => {
        const image = moveRef(s.spaceGroup, p, a),
          key = placeKey(s, image);
        if (taken.has(key)) return;
        taken.add(key);
        const { charge, dipole } = moments[c]![i]!;
        out.push({
          charge,
          dipole: apply3(turn, dipole),
          position: toVec3(apply3(toCartesian, positionOf(s, image)).map((x) => x / BOHR)),
        });
      });
    }
  });
  return out;
}

/** Operations that bring a molecule within reach of a cluster. */
function imagesNear(s: Structure, own: readonly AtomRef[], target: Cluster): Placement[] {
  const toCartesian = orthogonalization(s.cell),
    back = inverse3(toCartesian);
  const goals = target.centres.map((x) => toVec3(x.position.map((v) => v * BOHR)));
  const middle = apply3(back, average(goals));
  const atoms = own.map((a) => positionOf(s, a));
  const size = radiusOf(goals) + radiusOf(atoms.map((x) => apply3(toCartesian, x))) + REACH;
  // Rows of the inverse are the reciprocal axes: their lengths bound the cells within a sphere.
  const cells = [0, 1, 2].map((k) => Math.ceil(size * Math.hypot(back[3 * k]!, back[3 * k + 1]!, back[3 * k + 2]!)));
  const out: Placement[] = [];
  symmetryTable(s.spaceGroup).operators.forEach((o, operator) => {
    const moved = atoms.map((x) => toVec3(apply3(o.r, x).map((v, k) => v + o.t[k]!)));
    const home = average(moved).map((x, k) => Math.round(middle[k]! - x));
    for (let a = -cells[0]!; a <= cells[0]!; a++)
      for (let b = -cells[1]!; b <= cells[1]!; b++)
        for (let c = -cells[2]!; c <= cells[2]!; c++) {
          const shift: Vec3 = [home[0]! + a, home[1]! + b, home[2]! + c];
          const near = moved.some((x) => {
            const p = apply3(toCartesian, toVec3(x.map((v, k) => v + shift[k]!)));
            return goals.some((g) => Math.hypot(p[0] - g[0], p[1] - g[1], p[2] - g[2]) < REACH);
          });
          if (near) out.push({ operator, shift });
        }
  });
  return out;
}

const average = (points: readonly Vec3[]): Vec3 =>
  toVec3([0, 1, 2].map((k) => points.reduce((sum, p) => sum + p[k]!, 0) / points.length));

const radiusOf = (points: readonly Vec3[]): number => {
  const m = average(points);
  return Math.max(...points.map((p) => Math.hypot(p[0] - m[0], p[1] - m[1], p[2] - m[2])));
};
