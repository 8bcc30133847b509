/** What a residual maximum or minimum may be, with the numbers that suggest it. */
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { displacementToCartesian, equivalentU, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { apply3, dot, eigenSymmetric3, normalize, subtract, type Vec3 } from '../math/matrix3.ts';
import type { ResidualPeak } from './residual.ts';

export interface PeakReading {
  readonly kind:
    'hydrogen' | 'second place' | 'wrong element' | 'heavy atom' | 'solvent' | 'missing atom' | 'bond' | 'noise';
  /** One sentence. */
  readonly text: string;
  /** Angle at the nearest atom to the peak and the atom's bonded neighbour nearest in direction, degrees. */
  readonly angle?: number;
}

const DEG = 180 / Math.PI;

/** Reads each peak. `sigma` is the map's r.m.s.; `sign` −1 for minima. */
export function readPeaks(
  s: Structure,
  peaks: readonly ResidualPeak[],
  sigma: number,
  sign: 1 | -1 = 1,
): PeakReading[] {
  const m = orthogonalization(s.cell);
  const list = bonds(s);
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    [...s.sites.map((x) => x.position), ...peaks.map((p) => p.position as Vec3)],
    { widest: 3.4, of: (i, j) => (i >= s.sites.length && j < s.sites.length ? 3.4 : 0) },
    peaks.map((_, i) => s.sites.length + i),
  );
  return peaks.map((p, k): PeakReading => {
    const around = near
      .filter((n) => n.from === s.sites.length + k && !isHydrogen(s.sites[n.to]!.element))
      .sort((a, b) => a.distance - b.distance);
    const strength = Math.abs(p.height) / (sigma || 1);
    const first = around[0] ?? undefined;
    const zero = p.near[0];
    if (!zero) return { kind: 'noise', text: 'no atom near' };
    const site = s.sites[zero.site]!,
      d = zero.distance,
      label = site.label;
    const z = elementOf(site.element).z;
    const bonded = list.filter((b) => b.from === zero.site && !isHydrogen(s.sites[b.to]!.element));
    const at = apply3(m, p.position as Vec3),
      c = apply3(m, site.position);
    const angles = bonded.map(
      (b) =>
        Math.acos(
          Math.max(-1, Math.min(1, dot(normalize(subtract(at, c)), normalize(subtract(apply3(m, b.position), c))))),
        ) * DEG,
    );
    const angle = angles.length ? Math.min(...angles) : undefined;
    const withAngle = angle === undefined ? {} : { angle };
    const u = equivalentU(s.cell, site.displacement);
    const mean = bonded.length
      ? bonded.reduce((t, b) => t + equivalentU(s.cell, s.sites[b.to]!.displacement), 0) / bonded.length
      : undefined;
    if (sign < 0) {
      if (d < 0.35)
        return {
          kind: 'wrong element',
          ...withAngle,
          text: `too many electrons on ${label}${mean && u > 1.4 * mean ? ` (U ${u.toFixed(3)} against ${mean.toFixed(3)} around it)` : ''}: a lighter element or not fully occupied`,
        };
      if (z > 20 && d < 1.5) return { kind: 'heavy atom', text: `ripple or absorption near ${label}` };
      return { kind: 'noise', ...withAngle, text: `${strength.toFixed(1)}σ, ${d.toFixed(2)} Å from ${label}` };
    }
    // At the end of a good refinement even the highest maxima are nothing to model.
    if (strength < 3 || p.height < 0.2) return { kind: 'noise', text: `${strength.toFixed(1)}σ: no more than noise` };
    if (z > 20 && d < 1.4)
      return {
        kind: 'heavy atom',
        ...withAngle,
        text: `${d.toFixed(2)} Å from ${label}: ripple, absorption or anharmonic motion of a heavy atom`,
      };
    if (d < 0.45) {
      if (mean && u < 0.75 * mean)
        return {
          kind: 'wrong element',
          text: `on ${label}, which moves too little (U ${u.toFixed(3)}, around it ${mean.toFixed(3)}): a heavier element than ${site.element}`,
        };
      return {
        kind: 'wrong element',
        text: `on ${label}: more electrons than ${site.element} has, or a displacement not yet refined`,
      };
    }
    const halfway = bonded.some((b) => {
      const q = apply3(m, b.position),
        mid: Vec3 = [(q[0] + c[0]) / 2, (q[1] + c[1]) / 2, (q[2] + c[2]) / 2];
      return Math.hypot(...subtract(mid, at)) < 0.3;
    });
    if (halfway && p.height < 0.6)
      return { kind: 'bond', text: `in the middle of a bond of ${label}: bonding density` };
    const free = isHydrogen(site.element) ? undefined : angle === undefined || (angle > 85 && angle < 150);
    if (d > 0.7 && d < 1.25 && p.height < 1.3 && free && ['C', 'N', 'O', 'B', 'S'].includes(site.element))
      return {
        kind: 'hydrogen',
        ...withAngle,
        text: `hydrogen on ${label}: ${d.toFixed(2)} Å${angle === undefined ? '' : `, ${angle.toFixed(0)}° from its bond`}`,
      };
    if (
      d < 1.1 ||
      (site.displacement.kind === 'aniso' &&
        eigenSymmetric3(displacementToCartesian(s.cell, site.displacement.u)).values[2] > 0.12 &&
        d < 1.4)
    )
      return {
        kind: 'second place',
        ...withAngle,
        text: `second place of ${label}, ${d.toFixed(2)} Å away${mean && u > 1.4 * mean ? ` (U ${u.toFixed(3)}, around it ${mean.toFixed(3)})` : ''}`,
      };
    if (first && first.distance < 1.95)
      return {
        kind: 'missing atom',
        ...withAngle,
        text: `${first.distance.toFixed(2)} Å from ${s.sites[first.to]!.label}${angle === undefined ? '' : `, ${angle.toFixed(0)}°`}: an atom not yet in the model, or part of a second place`,
      };
    return {
      kind: 'solvent',
      text: `${d.toFixed(2)} Å from ${label}, bonded to nothing: solvent or a missing ion (about ${Math.max(1, Math.round(p.height * 1.3))} e)`,
    };
  });
}
