/** The parameters of a powder fit in one vector, their names in words, and what is free: rows of the same sparse constraint map as on the single-crystal side. */
import { cellParameters, type Cell } from '../crystal/cell.ts';
import { rotationsOf } from '../crystal/point-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { isotropicTensor } from '../crystal/structure.ts';
import { compileConstraints } from '../refine/compile-constraints.ts';
import { ConstraintBuilder, type ConstraintMap } from '../refine/constraint-map.ts';
import { invariantBasis } from '../refine/invariants.ts';
import {
  DISPLACEMENT,
  parameterAt,
  parameterWords,
  physicalValues,
  SCALE,
  siteOffset,
  twinOffset,
} from '../refine/parameters.ts';
import { structureFromPhysical } from '../refine/single-crystal.ts';
import type { Mat3 } from '../math/matrix3.ts';
import {
  cellOfQuadratic,
  quadraticForm,
  quarticRotation,
  type FitModel,
  type PatternModel,
  type PhaseModel,
} from './model.ts';

/** Kinds of parameters that are freed together; "kind:phase id" frees them for one phase only. */
export const KINDS = [
  'background',
  'scale',
  'zero',
  'displacement',
  'absorption',
  'cell',
  'size',
  'strain',
  'strain by direction',
  'orientation',
  'overall U',
  'positions',
  'U',
  'occupancies',
  'intensities',
  'instrument widths',
  'Gaussian widths',
  'axial divergence',
] as const;
export type Kind = (typeof KINDS)[number];
export type Free = ReadonlySet<string>;

export const isFree = (free: Free, kind: Kind, phase?: string): boolean =>
  free.has(kind) || (phase !== undefined && free.has(`${kind}:${phase}`));

/** Offsets within a phase's block, after the site layout. */
export const QUADRATIC = 0,
  SIZE = 6,
  ACROSS = 7,
  STRAIN = 8,
  MARCH = 9,
  QUARTIC = 10,
  PHASE_EXTRA = 25;
/** Offsets within a pattern's block; the scales follow, then the background. */
export const ZERO = 0,
  SHIFT = 1,
  ABSORPTION = 2,
  WIDTHS = 3,
  SAMPLE = 8,
  DETECTOR = 9,
  SCALES = 10;

export interface Layout {
  readonly total: number;
  /** First parameter of each phase (its site layout), of its own values, and of its intensities. */
  readonly phase: readonly number[];
  readonly extra: readonly number[];
  readonly intensity: readonly number[];
  readonly pattern: readonly number[];
  readonly background: readonly number[];
}

/** Pawley intensities are counted by `intensities[phase]`. */
export function layoutOf(m: FitModel, intensities: readonly number[]): Layout {
  let at = 0;
  const phase: number[] = [],
    extra: number[] = [],
    intensity: number[] = [],
    pattern: number[] = [],
    background: number[] = [];
  m.phases.forEach((p, i) => {
    phase.push(at);
    at += twinOffset(p.structure.sites.length);
    extra.push(at);
    at += PHASE_EXTRA;
    intensity.push(at);
    at += intensities[i] ?? 0;
  });
  for (const p of m.patterns) {
    pattern.push(at);
    at += SCALES + m.phases.length;
    background.push(at);
    at += p.background.chebyshev.length + 3 * p.background.peaks.length;
  }
  return { total: at, phase, extra, intensity, pattern, background };
}

export function valuesOf(m: FitModel, l: Layout, pawley: readonly (Float64Array | undefined)[]): Float64Array {
  const v = new Float64Array(l.total);
  m.phases.forEach((p, i) => {
    v.set(physicalValues(p.structure, 1, 0), l.phase[i]!);
    const e = l.extra[i]!;
    v.set(quadraticForm(p.structure.cell), e + QUADRATIC);
    v[e + SIZE] = p.inverseSize;
    v[e + ACROSS] = p.anisotropicSize?.inverseAcross ?? 0;
    v[e + STRAIN] = p.strain;
    v[e + MARCH] = p.orientation?.r ?? 1;
    if (p.stephens) v.set(p.stephens, e + QUARTIC);
    if (pawley[i]) v.set(pawley[i]!, l.intensity[i]!);
  });
  m.patterns.forEach((p, i) => {
    const at = l.pattern[i]!,
      w = p.instrument.profile;
    v[at + ZERO] = p.zero;
    v[at + SHIFT] = p.displacement;
    v[at + ABSORPTION] = p.absorption;
    v.set([w.u, w.v, w.w, w.x, w.y, w.sampleHeight, w.detectorHeight], at + WIDTHS);
    v.set(p.scales, at + SCALES);
    v.set(p.background.chebyshev, l.background[i]!);
    p.background.peaks.forEach((b, k) =>
      v.set([b.position, b.height, b.width], l.background[i]! + p.background.chebyshev.length + 3 * k),
    );
  });
  return v;
}

/** The phase at new values; its sites share identity with the old ones. */
export function phaseAt(p: PhaseModel, v: Float64Array, l: Layout, i: number, su?: Float64Array): PhaseModel {
  const e = l.extra[i]!,
    from = l.phase[i]!;
  const cell = cellOfQuadratic(v.subarray(e, e + 6));
  const sites = v.subarray(from, e);
  const structure: Structure = p.structure.sites.length
    ? {
        ...structureFromPhysical(p.structure, sites as Float64Array, su?.subarray(from, e) as Float64Array | undefined),
        cell,
      }
    : { ...p.structure, cell };
  return {
    ...p,
    structure,
    inverseSize: v[e + SIZE]!,
    strain: v[e + STRAIN]!,
    ...(p.anisotropicSize ? { anisotropicSize: { ...p.anisotropicSize, inverseAcross: v[e + ACROSS]! } } : {}),
    ...(p.orientation ? { orientation: { ...p.orientation, r: v[e + MARCH]! } } : {}),
    ...(p.stephens ? { stephens: Array.from(v.subarray(e + QUARTIC, e + QUARTIC + 15)) } : {}),
  };
}

export function patternAt(p: PatternModel, v: Float64Array, l: Layout, i: number): PatternModel {
  const at = l.pattern[i]!,
    b = l.background[i]!,
    n = p.background.chebyshev.length;
  const [u, vv, w, x, y, sampleHeight, detectorHeight] = v.subarray(at + WIDTHS, at + SCALES) as unknown as number[];
  return {
    ...p,
    zero: v[at + ZERO]!,
    displacement: v[at + SHIFT]!,
    absorption: v[at + ABSORPTION]!,
    instrument: {
      ...p.instrument,
      profile: { u: u!, v: vv!, w: w!, x: x!, y: y!, sampleHeight: sampleHeight!, detectorHeight: detectorHeight! },
    },
    scales: Array.from(v.subarray(at + SCALES, b)),
    background: {
      ...p.background,
      chebyshev: Array.from(v.subarray(b, b + n)),
      peaks: p.background.peaks.map((_, k) => ({
        position: v[b + n + 3 * k]!,
        height: v[b + n + 3 * k + 1]!,
        width: v[b + n + 3 * k + 2]!,
      })),
    },
  };
}

export const modelAt = (m: FitModel, v: Float64Array, l: Layout, su?: Float64Array): FitModel => ({
  phases: m.phases.map((p, i) => phaseAt(p, v, l, i, su)),
  patterns: m.patterns.map((p, i) => patternAt(p, v, l, i)),
});

/** How 1/d² coefficients change under a rotation of the indices: column j is the image of coefficient j. */
function quadraticRotation(r: Mat3): number[] {
  const pairs = [
    [0, 0],
    [1, 1],
    [2, 2],
    [1, 2],
    [0, 2],
    [0, 1],
  ] as const;
  const out = new Array<number>(36).fill(0);
  pairs.forEach(([p, q], column) => {
    // h′ = h r: h′_p h′_q = Σ h_a h_b r_ap r_bq.
    for (let a = 0; a < 3; a++)
      for (let b = 0; b < 3; b++) {
        const row = a === b ? a : a + b === 3 ? 3 : a + b === 2 ? 4 : 5;
        out[6 * row + column]! += r[3 * a + p]! * r[3 * b + q]!;
      }
  });
  return out;
}

/** The map from independent to all parameters for what is free. */
export function fitMap(m: FitModel, l: Layout, free: Free, intensities: readonly number[]): ConstraintMap {
  const b = new ConstraintBuilder(l.total);
  const single = (i: number): number => b.add([[i, 1]]);
  m.phases.forEach((p, i) => {
    const is = (kind: Kind): boolean => isFree(free, kind, p.id);
    const e = l.extra[i]!;
    const rotations = rotationsOf(p.structure.spaceGroup);
    if (is('cell'))
      for (const row of invariantBasis(rotations.map(quadraticRotation), 6))
        b.add(row.map((x, k) => [e + QUADRATIC + k, x] as const));
    if (is('size')) {
      single(e + SIZE);
      if (p.anisotropicSize) single(e + ACROSS);
    }
    if (is('strain')) single(e + STRAIN);
    if (is('strain by direction') && p.stephens)
      for (const row of invariantBasis(rotations.map(quarticRotation), 15))
        b.add(row.map((x, k) => [e + QUARTIC + k, x] as const));
    if (is('orientation') && p.orientation) single(e + MARCH);
    if (p.extraction === 'Pawley' && is('intensities'))
      for (let k = 0; k < (intensities[i] ?? 0); k++) single(l.intensity[i]! + k);
    if (!p.extraction) siteColumns(p, l.phase[i]!, is, b);
  });
  m.patterns.forEach((p, i) => {
    const at = l.pattern[i]!,
      w = p.instrument.profile;
    if (isFree(free, 'zero')) single(at + ZERO);
    if (isFree(free, 'displacement')) single(at + SHIFT);
    if (isFree(free, 'absorption')) single(at + ABSORPTION);
    const widths = isFree(free, 'instrument widths') ? 5 : isFree(free, 'Gaussian widths') ? 3 : 0;
    for (let k = 0; k < widths; k++) single(at + WIDTHS + k);
    if (isFree(free, 'axial divergence') && w.sampleHeight + w.detectorHeight > 0)
      b.add([
        [at + SAMPLE, 1],
        [at + DETECTOR, 1],
      ]);
    // The scale of a Pawley phase is one with its intensities, that of a Le Bail phase with its extraction.
    m.phases.forEach((phase, k) => {
      if (!phase.extraction && isFree(free, 'scale', phase.id)) single(at + SCALES + k);
    });
    if (isFree(free, 'background'))
      for (let k = 0; k < p.background.chebyshev.length + 3 * p.background.peaks.length; k++)
        single(l.background[i]! + k);
  });
  return b.build();
}

/** Columns of the sites that the freed kinds ask for, taken from the single-crystal map with its constraints. */
function siteColumns(p: PhaseModel, base: number, is: (kind: Kind) => boolean, b: ConstraintBuilder): void {
  const s = p.structure;
  const positions = is('positions'),
    us = is('U'),
    occupancies = is('occupancies');
  if (is('overall U') && !us) {
    const tensor = isotropicTensor(s.cell, 1);
    b.add(
      s.sites.flatMap((site, j) =>
        site.displacement.kind === 'iso'
          ? [[base + siteOffset(j) + DISPLACEMENT, 1] as const]
          : tensor.map((x, k) => [base + siteOffset(j) + DISPLACEMENT + k, x] as const),
      ),
    );
  }
  if (!positions && !us && !occupancies) return;
  const map = compileConstraints(s, {
    extinction: false,
    ...(occupancies
      ? { occupancies: s.sites.flatMap((site, j) => (site.occupancy < 1 && !site.disorder ? [j] : [])) }
      : {}),
  });
  const columns: (readonly [number, number])[][] = Array.from({ length: map.independent }, () => []);
  for (let i = 0; i < map.physical; i++)
    for (let e = map.start[i]!; e < map.start[i + 1]!; e++) columns[map.column[e]!]!.push([i, map.value[e]!]);
  for (const column of columns) {
    const { kind } = parameterAt(column[0]?.[0] ?? SCALE, s.sites.length);
    if ((kind === 'position' && positions) || (kind === 'occupancy' && occupancies) || (kind === 'displacement' && us))
      b.add(column.map(([i, x]) => [base + i, x] as const));
  }
}

/** What a parameter is, in words. */
export function parameterName(m: FitModel, l: Layout, index: number): string {
  const many = m.patterns.length > 1;
  for (let i = m.patterns.length - 1; i >= 0; i--) {
    const of = many ? ` of pattern ${i + 1}` : '';
    const b = l.background[i]!,
      at = l.pattern[i]!;
    if (index >= b) {
      const k = index - b,
        n = m.patterns[i]!.background.chebyshev.length;
      return k < n
        ? `background term ${k}${of}`
        : `${['position', 'height', 'width'][(k - n) % 3]} of background hump ${Math.floor((k - n) / 3) + 1}${of}`;
    }
    if (index >= at) {
      const k = index - at;
      return (
        (k >= SCALES
          ? `scale of ${m.phases[k - SCALES]!.name}`
          : [
              'zero',
              'specimen displacement',
              'absorption',
              'width U',
              'width V',
              'width W',
              'width X',
              'width Y',
              'axial divergence',
              'axial divergence',
            ][k]!) + of
      );
    }
  }
  for (let i = m.phases.length - 1; i >= 0; i--) {
    const name = m.phases[i]!.name;
    if (index >= l.intensity[i]! && l.intensity[i] !== (l.phase[i + 1] ?? l.pattern[0]))
      return `intensity ${index - l.intensity[i]! + 1} of ${name}`;
    if (index >= l.extra[i]!) {
      const k = index - l.extra[i]!;
      return `${k < 6 ? 'cell' : k === SIZE ? 'size' : k === ACROSS ? 'size across' : k === STRAIN ? 'strain' : k === MARCH ? 'orientation' : 'strain by direction'} of ${name}`;
    }
    if (index >= l.phase[i]!) {
      return `${parameterWords(m.phases[i]!.structure, index - l.phase[i]!)} (${name})`;
    }
  }
  return `parameter ${index}`;
}

/** S.u. of the six cell constants from the covariance of the coefficients of 1/d². */
export function cellUncertainty(cell: Cell, covariance: (i: number, j: number) => number): number[] {
  const q = quadraticForm(cell);
  const jacobian: number[][] = [];
  for (let k = 0; k < 6; k++) {
    const step = 1e-6 * Math.max(Math.abs(q[k]!), q[0]! * 0.01);
    const up = [...q],
      down = [...q];
    up[k]! += step;
    down[k]! -= step;
    const p = cellParameters(cellOfQuadratic(up)),
      m = cellParameters(cellOfQuadratic(down));
    jacobian.push(p.map((x, i) => (x - m[i]!) / (2 * step)));
  }
  return [0, 1, 2, 3, 4, 5].map((c) => {
    let sum = 0;
    for (let i = 0; i < 6; i++)
      for (let j = 0; j < 6; j++) sum += jacobian[i]![c]! * jacobian[j]![c]! * covariance(i, j);
    return Math.sqrt(Math.max(0, sum));
  });
}
