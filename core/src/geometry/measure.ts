/** Distances, angles, torsions and planes with s.u. from the covariances of the refinement and of the cell. */
import {
  apply3,
  cross,
  dot,
  eigenSymmetric3,
  norm,
  normalize,
  subtract,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { cellParameters, orthogonalization, type Cell } from '../crystal/cell.ts';
import { IDENTITY, type Operator } from '../crystal/operator.ts';
import type { Measured } from '../crystal/uncertainty.ts';
import type { Structure } from '../crystal/structure.ts';
import { covarianceOf, type CovarianceData } from '../refine/covariance.ts';
import { siteOffset } from '../refine/parameters.ts';

/** A site and the operator that makes the copy meant. */
export interface Place {
  readonly site: number;
  readonly operator?: Operator;
}

const DEG = 180 / Math.PI;

export const distanceOf = (p: readonly Vec3[]): number => norm(subtract(p[1]!, p[0]!));

export function angleOf(p: readonly Vec3[]): number {
  const u = subtract(p[0]!, p[1]!),
    v = subtract(p[2]!, p[1]!);
  return Math.atan2(norm(cross(u, v)), dot(u, v)) * DEG;
}

/** Signed torsion in degrees, positive clockwise looking from the second to the third point (IUPAC 1974). */
export function torsionOf(p: readonly Vec3[]): number {
  const b1 = subtract(p[1]!, p[0]!),
    b2 = subtract(p[2]!, p[1]!),
    b3 = subtract(p[3]!, p[2]!);
  const n1 = cross(b1, b2),
    n2 = cross(b2, b3);
  return Math.atan2(dot(cross(n1, n2), normalize(b2)), dot(n1, n2)) * DEG;
}

export interface Plane {
  centre: Vec3;
  normal: Vec3;
  /** Signed distance of each point, Å. */
  deviations: number[];
  rms: number;
}

/** Least-squares plane of three or more Cartesian points (Schomaker et al. 1959, Acta Cryst. 12, 600; unit weights). */
export function planeOf(points: readonly Vec3[]): Plane {
  const n = points.length;
  const centre = [0, 1, 2].map((k) => points.reduce((s, p) => s + p[k]!, 0) / n) as unknown as Vec3;
  const m = new Array<number>(9).fill(0);
  for (const p of points) {
    const d = subtract(p, centre);
    for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) m[3 * i + j]! += d[i]! * d[j]!;
  }
  const normal = eigenSymmetric3(m as unknown as Mat3).vectors[0];
  const deviations = points.map((p) => dot(subtract(p, centre), normal));
  return { centre, normal, deviations, rms: Math.sqrt(deviations.reduce((s, d) => s + d * d, 0) / n) };
}

const positionsOf = (cell: Cell, places: readonly Place[], coordinates: (site: number) => Vec3): Vec3[] => {
  const m = orthogonalization(cell);
  return places.map(({ site, operator }) => {
    const x = coordinates(site);
    if (!operator || operator === IDENTITY) return apply3(m, x);
    const y = apply3(operator.r, x);
    return apply3(m, [y[0] + operator.t[0], y[1] + operator.t[1], y[2] + operator.t[2]]);
  });
};

/**
 * Value and s.u. of any function of placed sites. Derivatives are central differences of 1e−5 Å; covariances between
 * all coordinates enter, with the s.u. of the cell as independent contributions. Zero where no site has an s.u.
 */
export function measure(
  s: Structure,
  places: readonly Place[],
  f: (points: readonly Vec3[]) => number,
  covariance?: CovarianceData,
): Measured {
  const base = (site: number): Vec3 => s.sites[site]!.position;
  const value = f(positionsOf(s.cell, places, base));
  const sites = [...new Set(places.map((p) => p.site))];
  // A model that was never refined has no s.u. at all; the cell's alone would pretend to a precision that is not there.
  if (!covariance && !s.sites.some((x) => x.positionSu?.some((u) => u > 0))) return { value, su: 0 };
  const step = [s.cell.a, s.cell.b, s.cell.c].map((len) => 1e-5 / len);
  const wrap = (d: number): number => (d > 180 ? d - 360 : d < -180 ? d + 360 : d);
  const gradient = sites.map((site) =>
    [0, 1, 2].map((k) => {
      const at = (sign: number): number =>
        f(
          positionsOf(s.cell, places, (i) =>
            i === site ? (base(i).map((x, q) => x + (q === k ? sign * step[k]! : 0)) as unknown as Vec3) : base(i),
          ),
        );
      return wrap(at(1) - at(-1)) / (2 * step[k]!);
    }),
  );
  let variance = 0;
  const rows = covariance ? sites.map((site) => covariance.siteIds.indexOf(s.sites[site]!.id)) : [];
  sites.forEach((site, p) =>
    sites.forEach((other, q) => {
      if (covariance && rows[p]! >= 0 && rows[q]! >= 0) {
        for (let i = 0; i < 3; i++)
          for (let j = 0; j < 3; j++)
            variance +=
              gradient[p]![i]! *
              gradient[q]![j]! *
              covarianceOf(covariance, siteOffset(rows[p]!) + i, siteOffset(rows[q]!) + j);
      } else if (site === other)
        for (let i = 0; i < 3; i++) variance += (gradient[p]![i]! * (s.sites[site]!.positionSu?.[i] ?? 0)) ** 2;
    }),
  );
  s.cell.su?.forEach((su, k) => {
    if (!su) return;
    const parameters = cellParameters(s.cell);
    const h = su * 0.5;
    const at = (sign: number): number => {
      const moved = parameters.map((x, i) => x + (i === k ? sign * h : 0)) as [
        number,
        number,
        number,
        number,
        number,
        number,
      ];
      return f(
        positionsOf(
          { a: moved[0], b: moved[1], c: moved[2], alpha: moved[3], beta: moved[4], gamma: moved[5] },
          places,
          base,
        ),
      );
    };
    variance += ((wrap(at(1) - at(-1)) / (2 * h)) * su) ** 2;
  });
  return { value, su: Math.sqrt(Math.max(0, variance)) };
}
