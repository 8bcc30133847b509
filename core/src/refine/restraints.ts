/** Restraints: observations of functions of the physical parameters, each a row of the normal equations. */
import { polarDirections } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { metricTensor } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import { apply3, type Vec3 } from '../math/matrix3.ts';
import { siteOffset } from './parameters.ts';

export interface RestraintRow {
  /** What it says, for people. */
  readonly text: string;
  readonly target: number;
  readonly su: number;
  /** Value at the physical parameters and its derivatives as (index, ∂) pairs. */
  evaluate(p: Float64Array): { value: number; gradient: [number, number][] };
  /** Not counted among the restraints people set: it only fixes what the data cannot. */
  readonly silent?: boolean;
}

/** Σ c·p held at a target. */
export const linearRestraint = (
  text: string,
  terms: readonly (readonly [number, number])[],
  target: number,
  su: number,
  silent = false,
): RestraintRow => ({
  text,
  target,
  su,
  silent,
  evaluate: (p) => ({
    value: terms.reduce((sum, [i, c]) => sum + c * p[i]!, 0),
    gradient: terms.map(([i, c]) => [i, c]),
  }),
});

/** Distance between two sites (the second moved by an operator's rotation and translation if given), Å. */
export function distanceRestraint(
  s: Structure,
  first: number,
  second: number,
  target: number,
  su: number,
  image: { r: readonly number[]; t: Vec3 } = { r: [1, 0, 0, 0, 1, 0, 0, 0, 1], t: [0, 0, 0] },
): RestraintRow {
  const g = metricTensor(s.cell);
  const a = siteOffset(first),
    b = siteOffset(second);
  return {
    text: `distance ${s.sites[first]!.label}–${s.sites[second]!.label}`,
    target,
    su,
    evaluate(p) {
      const y = [0, 1, 2].map(
        (i) =>
          image.r[3 * i]! * p[b]! + image.r[3 * i + 1]! * p[b + 1]! + image.r[3 * i + 2]! * p[b + 2]! + image.t[i]!,
      );
      const d: Vec3 = [y[0]! - p[a]!, y[1]! - p[a + 1]!, y[2]! - p[a + 2]!];
      const gd = apply3(g, d);
      const value = Math.sqrt(d[0] * gd[0] + d[1] * gd[1] + d[2] * gd[2]);
      const unit = gd.map((x) => x / value);
      const gradient: [number, number][] = [];
      for (let k = 0; k < 3; k++) {
        gradient.push([a + k, -unit[k]!]);
        gradient.push([b + k, unit[0]! * image.r[k]! + unit[1]! * image.r[3 + k]! + unit[2]! * image.r[6 + k]!]);
      }
      return { value, gradient };
    },
  };
}

/** Holds the origin of a polar group by the electron-weighted mean shift along each free direction (Flack & Schwarzenbach 1988, Acta Cryst. A44, 499). */
export function floatingOrigin(s: Structure): RestraintRow[] {
  return polarDirections(s.spaceGroup).map((v) => {
    const axis = v.findIndex((x) => Math.abs(x) > 1e-6);
    const weights = s.sites.map((site) => elementOf(site.element).z ** 2 * site.occupancy);
    const total = weights.reduce((p, q) => p + q, 0) || 1;
    const terms = s.sites.map((_, i) => [siteOffset(i) + axis, weights[i]! / total] as const);
    const target = s.sites.reduce((sum, site, i) => sum + (weights[i]! / total) * site.position[axis]!, 0);
    return linearRestraint(`origin along ${'abc'[axis]}`, terms, target, 1e-5, true);
  });
}
