/** Displacement tensors that cannot be, and ones that ask for two sites. */
import { orthogonalization } from '../crystal/cell.ts';
import { NO_CONTROLS, type Restraint } from '../crystal/controls.ts';
import { displacementToCartesian, equivalentU, isotropicTensor, newId, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { add, apply3, eigenSymmetric3, inverse3, scale, subtract, type Vec3 } from '../math/matrix3.ts';

export interface EllipsoidFinding {
  readonly site: number;
  readonly kind: 'impossible' | 'long' | 'small' | 'large';
  /** Principal mean-square displacements, Å², ascending. */
  readonly principal: readonly [number, number, number];
  readonly text: string;
}

/** Sites whose displacement is impossible or conspicuous, the worst first. Bonded neighbours set the measure. */
export function judgeEllipsoids(s: Structure): EllipsoidFinding[] {
  const list = bonds(s).filter((b) => s.sites[b.from]!.element !== 'H' && s.sites[b.to]!.element !== 'H');
  const out: EllipsoidFinding[] = [];
  s.sites.forEach((x, site) => {
    if (x.element === 'H' || x.element === 'D') return;
    const u = equivalentU(s.cell, x.displacement);
    const e =
      x.displacement.kind === 'aniso'
        ? eigenSymmetric3(displacementToCartesian(s.cell, x.displacement.u)).values
        : ([u, u, u] as const);
    const near = list.filter((b) => b.from === site).map((b) => equivalentU(s.cell, s.sites[b.to]!.displacement));
    const mean = near.length ? near.reduce((p, q) => p + q, 0) / near.length : undefined;
    const principal: [number, number, number] = [e[0], e[1], e[2]];
    if (e[0] <= 0)
      out.push({
        site,
        kind: 'impossible',
        principal,
        text: `${x.label}: the mean-square displacement along one axis is ${e[0].toFixed(3)} Å², which cannot be. A wrong element, two places taken for one, or too few data are the usual reasons.`,
      });
    // What already has a place of several is not asked for another.
    else if (!x.disorder && e[2] / Math.max(e[0], 0.004) > 6 && e[2] > 0.08)
      out.push({
        site,
        kind: 'long',
        principal,
        text: `${x.label} is drawn out ${Math.sqrt(e[2] / Math.max(1e-4, e[0])).toFixed(1)} : 1 (${Math.sqrt(e[2]).toFixed(2)} Å along its long axis): it may have two places.`,
      });
    else if (mean && u < 0.45 * mean)
      out.push({
        site,
        kind: 'small',
        principal,
        text: `${x.label} moves less than half as much as its neighbours (${u.toFixed(3)} against ${mean.toFixed(3)} Å²): it may be a heavier element.`,
      });
    else if (!x.disorder && mean && u > 2.6 * mean)
      out.push({
        site,
        kind: 'large',
        principal,
        text: `${x.label} moves much more than its neighbours (${u.toFixed(3)} against ${mean.toFixed(3)} Å²): it may be a lighter element, not fully occupied, or in two places.`,
      });
  });
  const rank = { impossible: 0, small: 1, large: 2, long: 3 };
  return out.sort((p, q) => rank[p.kind] - rank[q.kind]);
}

/** Remedy for impossible ellipsoids: isotropic start, and restraints that keep the tensor sensible. */
export function mendEllipsoids(s: Structure, sites: readonly number[]): Structure {
  const set = new Set(sites);
  const controls = s.controls ?? NO_CONTROLS;
  const list = bonds(s);
  const around = new Set<number>(sites);
  for (const b of list) if (set.has(b.from) && s.sites[b.to]!.element !== 'H') around.add(b.to);
  const typical =
    median(s.sites.flatMap((x, i) => (set.has(i) || x.element === 'H' ? [] : [equivalentU(s.cell, x.displacement)]))) ||
    0.03;
  const restraints: Restraint[] = [
    ...controls.restraints,
    {
      id: newId(),
      kind: 'near isotropic',
      sites: sites.map((i) => s.sites[i]!.id),
      su: 0.01,
      why: 'an ellipsoid was impossible',
    },
    ...(around.size > 1
      ? [
          {
            id: newId(),
            kind: 'enhanced rigid bond' as const,
            sites: [...around].map((i) => s.sites[i]!.id),
            su: 0.004,
            why: 'an ellipsoid was impossible',
          },
        ]
      : []),
  ];
  return {
    ...s,
    controls: { ...controls, restraints },
    sites: s.sites.map((x, i) =>
      set.has(i) && x.displacement.kind === 'aniso'
        ? {
            ...x,
            displacement: {
              kind: 'aniso' as const,
              u: isotropicTensor(
                s.cell,
                Math.max(0.6 * typical, Math.min(2 * typical, equivalentU(s.cell, x.displacement))),
              ),
            },
          }
        : x,
    ),
  };
}

const median = (v: number[]): number => [...v].sort((a, b) => a - b)[Math.floor(v.length / 2)] ?? 0;

/** The two positions (fractional) that an elongated ellipsoid suggests: half the excess of its longest axis to either side. */
export function splitAlong(s: Structure, site: number): [Vec3, Vec3] {
  const x = s.sites[site]!;
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  const e =
    x.displacement.kind === 'aniso' ? eigenSymmetric3(displacementToCartesian(s.cell, x.displacement.u)) : undefined;
  const axis: Vec3 = e ? e.vectors[2] : [1, 0, 0];
  const length = e ? Math.sqrt(Math.max(0.03, e.values[2] - (e.values[0] + e.values[1]) / 2)) : 0.3;
  const p = apply3(m, x.position);
  return [apply3(inverse, add(p, scale(axis, length))), apply3(inverse, subtract(p, scale(axis, length)))];
}
