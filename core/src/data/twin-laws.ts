/** Twin laws that the metric allows: rotations of the lattice that are not among the crystal's own (Donnay & Donnay 1974, Can. Mineral. 12, 422). */
import { metricTensor, type Cell } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import type { SpaceGroup } from '../crystal/space-group.ts';
import { determinant3, multiply3, transpose3, trace3, type Mat3, toMat3 } from '../math/matrix3.ts';

export interface TwinLaw {
  /** Acts on indices: h′ = M h. */
  readonly law: Mat3;
  readonly name: string;
  /** Largest misfit of the metric, degrees or 0.01 relative lengths, whichever is larger. */
  readonly misfit: number;
}

const axisName = (r: Mat3, direct: boolean): string => {
  const proper = determinant3(r) > 0 ? r : toMat3(r.map((x) => -x));
  const order = { 3: 1, 2: 6, 1: 4, 0: 3, '-1': 2 }[String(Math.round(trace3(proper))) as '3'] ?? 0;
  const m = proper.map((x, i) => x - (i % 4 === 0 ? 1 : 0));
  // The null vector of R − 1 is the axis.
  const rows = [
    [m[0]!, m[1]!, m[2]!],
    [m[3]!, m[4]!, m[5]!],
    [m[6]!, m[7]!, m[8]!],
  ];
  let axis = [0, 0, 0];
  for (let i = 0; i < 3; i++)
    for (let j = i + 1; j < 3; j++) {
      const a = rows[i]!,
        b = rows[j]!;
      const c = [a[1]! * b[2]! - a[2]! * b[1]!, a[2]! * b[0]! - a[0]! * b[2]!, a[0]! * b[1]! - a[1]! * b[0]!];
      if (Math.hypot(...c) > Math.hypot(...axis)) axis = c;
    }
  const smallest = Math.min(...axis.map(Math.abs).filter((x) => x > 1e-6));
  const whole = axis.map((x) => Math.round(x / (smallest || 1)));
  const sign = whole.find((x) => x !== 0) ?? 1;
  return `${['', '', 'two', 'three', 'four', '', 'six'][order] ?? ''}-fold about [${whole.map((x) => (sign < 0 ? -x : x) + 0).join(' ')}]${direct ? '' : '*'}`;
};

/** Candidate laws, one of each coset of the crystal's point group (inversion added), best metric fit first. */
export function twinLaws(cell: Cell, group: SpaceGroup, tolerance = 0.02): TwinLaw[] {
  const g = toMat3(metricTensor(cell));
  const own = rotationsOf(group);
  const laue = new Set(
    [...own, ...own.map((r) => toMat3(r.map((x) => -x + 0)))].map((r) => r.map((x) => x + 0).join()),
  );
  const found: { r: Mat3; misfit: number }[] = [];
  const values = [-1, 0, 1];
  const misfitOf = (r: Mat3): number => {
    const q = multiply3(transpose3(r), multiply3(g, r));
    let worst = 0;
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        worst = Math.max(worst, Math.abs(q[3 * i + j]! - g[3 * i + j]!) / Math.sqrt(g[4 * i]! * g[4 * j]!));
    return worst;
  };
  // Reduced and conventional cells need no entries beyond ±1; centred monoclinic ones may, up to 2 off the diagonal.
  const entry = (n: number): number[] => Array.from({ length: 9 }, (_, i) => values[Math.floor(n / 3 ** i) % 3]!);
  for (let n = 0; n < 19683; n++) {
    const r = toMat3(entry(n));
    if (determinant3(r) !== 1) continue;
    const misfit = misfitOf(r);
    if (misfit > tolerance || laue.has(r.map((x) => x + 0).join())) continue;
    found.push({ r, misfit });
  }
  found.sort((p, q) => p.misfit - q.misfit || trace3(q.r) - trace3(p.r));
  const kept: TwinLaw[] = [];
  const covered = new Set<string>();
  const orderOf = (r: Mat3): number => {
    let p = r,
      k = 1;
    while (k < 7 && p.some((x, i) => x !== (i % 4 ? 0 : 1))) {
      p = multiply3(p, r);
      k++;
    }
    return k;
  };
  for (const f of found.sort((p, q) => Math.round(1000 * (p.misfit - q.misfit)) || orderOf(p.r) - orderOf(q.r))) {
    if (covered.has(f.r.map((x) => x + 0).join())) continue;
    for (const r of own)
      for (const sign of [1, -1])
        covered.add(
          multiply3(f.r, r)
            .map((x) => sign * x + 0)
            .join(),
        );
    // Indices are row vectors of the direct rotation: h′ = h R, as a column matrix its transpose.
    kept.push({
      law: toMat3(transpose3(f.r).map((x) => x + 0)),
      name: axisName(f.r, true),
      misfit: f.misfit * 100,
    });
  }
  return kept;
}

export const INVERSION_TWIN: Mat3 = [-1, 0, 0, 0, -1, 0, 0, 0, -1];
