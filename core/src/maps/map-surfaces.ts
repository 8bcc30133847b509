/** Surfaces of a map above and below a level, kept to the surroundings of given places. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import { apply3, inverse3, type Vec3 } from '../math/matrix3.ts';
import { contourSurface, type Region, type Surface } from './isosurface.ts';
import type { SampledMap } from './sample.ts';

/** Å from an atom to which density is drawn. */
export const DENSITY_REACH = 2.2;

export interface MapSurfaces {
  readonly excess: Surface;
  readonly deficit: Surface;
}

/** The part of the crystal (fractional) that holds everything within a distance of places (Cartesian, Å). */
export function regionAround(cell: Cell, places: readonly Vec3[], reach: number): Region {
  const inverse = inverse3(orthogonalization(cell));
  const fractional = places.map((x) => apply3(inverse, x));
  const pad = [cell.a, cell.b, cell.c].map((length) => reach / length);
  const bound = (pick: (...v: number[]) => number, sign: number): [number, number, number] => [
    pick(...fractional.map((f) => f[0])) + sign * pad[0]!,
    pick(...fractional.map((f) => f[1])) + sign * pad[1]!,
    pick(...fractional.map((f) => f[2])) + sign * pad[2]!,
  ];
  return { min: bound(Math.min, -1), max: bound(Math.max, 1) };
}

/** Where a map is `level` and where it is −`level` (e Å⁻³), within `reach` of the points of `around` (Cartesian triples, Å). */
export function mapSurfaces(
  map: SampledMap,
  cell: Cell,
  region: Region,
  level: number,
  around: ArrayLike<number>,
  reach: number,
): MapSurfaces {
  const keep = (x: number, y: number, z: number): boolean => {
    for (let i = 0; i < around.length; i += 3)
      if ((around[i]! - x) ** 2 + (around[i + 1]! - y) ** 2 + (around[i + 2]! - z) ** 2 < reach * reach) return true;
    return false;
  };
  return {
    excess: contourSurface(map, cell, region, level, 1, keep),
    deficit: contourSurface(map, cell, region, level, -1, keep),
  };
}
