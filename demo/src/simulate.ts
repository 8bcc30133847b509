/** Crystals from packed molecules: sites with rigid-body motion, and intensities as a diffractometer would give them. */
import {
  indexLimits,
  inverseSpacing,
  orthogonalization,
  reciprocalLengths,
  reciprocalMetric,
  type Cell,
} from '@nagare/core/crystal/cell';
import { RawBuilder, type RawReflections } from '@nagare/core/crystal/reflections';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import { equivalentU, type AnisotropicU, type Site, type Structure } from '@nagare/core/crystal/structure';
import { inverse3, multiply3, transpose3, type Mat3, toMat3 } from '@nagare/core/math/matrix3';
import type { Random } from '@nagare/core/math/random';
import { siteArrays, elementsOf } from '@nagare/core/refine/single-crystal-problem';
import {
  scatteringTable,
  structureFactors,
  type ScatteringProvider,
  type ScatteringTable,
} from '@nagare/core/scattering/structure-factors';
import { twinIndices } from '@nagare/core/refine/treatment';
import type { Molecule } from './molecule.ts';
import type { Packed } from './packing.ts';

/** Sites with anisotropic displacements from translation and libration of each molecule (Schomaker & Trueblood 1968) and a little internal motion towards its ends; hydrogens ride. */
export function crystalSites(
  molecules: readonly Molecule[],
  packed: Packed,
  group: SpaceGroup,
  random: Random,
  size = 1,
): Structure {
  const { cell } = packed;
  const M = orthogonalization(cell);
  const gs = reciprocalLengths(cell);
  const inv = inverse3(multiply3(M, [gs[0], 0, 0, 0, gs[1], 0, 0, 0, gs[2]]));
  const counters: Record<string, number> = {};
  const sites: Site[] = [];
  molecules.forEach((m, k) => {
    const T = [0.018 + 0.012 * random.next(), 0.016 + 0.012 * random.next(), 0.02 + 0.014 * random.next()].map(
      (x) => x * size,
    );
    const f = packed.fractional[k]!;
    const n = m.atoms.length;
    const xyz = (i: number): number[] =>
      [0, 1, 2].map((r) => M[3 * r]! * f[3 * i]! + M[3 * r + 1]! * f[3 * i + 1]! + M[3 * r + 2]! * f[3 * i + 2]!);
    const centre = [0, 1, 2].map((r) => Array.from({ length: n }, (_, i) => xyz(i)[r]!).reduce((p, q) => p + q, 0) / n);
    // Long molecules librate less, or their ends would smear out.
    const reach = Math.max(
      3,
      ...Array.from({ length: n }, (_, i) => Math.hypot(...xyz(i).map((x, r) => x - centre[r]!))),
    );
    const L = [0, 0, 0].map(() => ((0.012 + 0.028 * random.next()) / reach ** 2) * size);
    const ueq: number[] = [];
    // The molecule as a whole sits inside the cell; its atoms may reach out.
    const shift = [0, 1, 2].map(
      (r) => -Math.floor(Array.from({ length: n }, (_, i) => f[3 * i + r]!).reduce((p, q) => p + q, 0) / n),
    );
    m.atoms.forEach((atom, i) => {
      const r = xyz(i).map((x, q) => x - centre[q]!) as [number, number, number];
      const A: Mat3 = [0, r[2], -r[1], -r[2], 0, r[0], r[1], -r[0], 0];
      const libration = multiply3(A, multiply3([L[0]!, 0, 0, 0, L[1]!, 0, 0, 0, L[2]!], transpose3(A)));
      const extra = 0.004 * random.next() * size;
      const U = toMat3(libration.map((x, q) => x + (q % 4 === 0 ? T[q / 4]! + extra : 0)));
      const u = multiply3(inv, multiply3(U, transpose3(inv)));
      const tensor: AnisotropicU = [u[0], u[4], u[8], u[1], u[2], u[5]];
      const number = (counters[atom.element] = (counters[atom.element] ?? 0) + 1);
      const position: [number, number, number] = [
        f[3 * i]! + shift[0]!,
        f[3 * i + 1]! + shift[1]!,
        f[3 * i + 2]! + shift[2]!,
      ];
      ueq[i] = equivalentU(cell, { kind: 'aniso', u: tensor });
      if (atom.element === 'H') {
        const parent = m.bonds.find((b) => b.i === i || b.j === i)!;
        const p = parent.i === i ? parent.j : parent.i;
        sites.push({
          id: `t${sites.length}`,
          label: `H${number}`,
          element: 'H',
          position,
          occupancy: 1,
          displacement: { kind: 'iso', u: 1.2 * ueq[p]! },
        });
      } else
        sites.push({
          id: `t${sites.length}`,
          label: `${atom.element}${number}`,
          element: atom.element,
          position,
          occupancy: 1,
          displacement: { kind: 'aniso', u: tensor },
        });
    });
  });
  return { cell, spaceGroup: group, sites };
}

/** What atoms scatter, where they are not spherical. */
export type Scattering = (t: ScatteringTable) => ScatteringProvider;

/** Every index triple of the whole sphere to dMin that the lattice allows. */
export function sphereOf(s: Structure, dMin: number): { count: number; h: Int16Array; k: Int16Array; l: Int16Array } {
  const g = reciprocalMetric(s.cell);
  const [hm, km, lm] = indexLimits(s.cell, dMin);
  const h: number[] = [],
    k: number[] = [],
    l: number[] = [];
  for (let i = -hm; i <= hm; i++)
    for (let j = -km; j <= km; j++)
      for (let m = -lm; m <= lm; m++) {
        if (!i && !j && !m) continue;
        if (
          s.spaceGroup.centring.some(
            (c) => Math.abs(i * c[0] + j * c[1] + m * c[2] - Math.round(i * c[0] + j * c[1] + m * c[2])) > 1e-3,
          )
        )
          continue;
        if (inverseSpacing(g, i, j, m) <= 1 / dMin) {
          h.push(i);
          k.push(j);
          l.push(m);
        }
      }
  return { count: h.length, h: Int16Array.from(h), k: Int16Array.from(k), l: Int16Array.from(l) };
}

/** |F|² of every index triple of the sphere to dMin. */
export function calculatedIntensities(
  s: Structure,
  dMin: number,
  wavelength: number,
  scattering?: Scattering,
): { count: number; h: Int16Array; k: Int16Array; l: Int16Array; f2: Float64Array } {
  const hkl = sphereOf(s, dMin);
  const elements = elementsOf(s);
  const table = scatteringTable(s.cell, s.spaceGroup, hkl, elements, wavelength);
  const { a, b } = structureFactors(table, siteArrays(s, elements), scattering?.(table));
  return { ...hkl, f2: a.map((x, i) => x * x + b[i]! * b[i]!) };
}

export interface Measurement {
  dMin: number;
  wavelength: number;
  /** Chance that a given index triple is measured at all, and how often then on average. */
  coverage: number;
  repeats: number;
  /** Counts of the mean intensity. */
  meanCounts: number;
  /** Relative systematic error per observation. */
  systematic: number;
  outliers: number;
}

/** Observations in random order of the sphere, each with counting noise over a background, a systematic error, and the odd outlier. */
export function measure(
  s: Structure,
  m: Measurement,
  random: Random,
  twin?: { law: Mat3; fraction: number },
  scattering?: Scattering,
): RawReflections {
  const c = calculatedIntensities(s, m.dMin, m.wavelength, scattering);
  if (twin) {
    const at = new Map(Array.from(c.h, (h, i) => [`${h} ${c.k[i]} ${c.l[i]}`, i]));
    const own = c.f2.slice();
    for (let i = 0; i < c.count; i++) {
      const image = twinIndices(twin.law, c.h[i]!, c.k[i]!, c.l[i]!);
      c.f2[i] = (1 - twin.fraction) * own[i]! + twin.fraction * (own[at.get(image!.join(' ')) ?? -1] ?? own[i]!);
    }
  }
  const mean = c.f2.reduce((p, q) => p + q, 0) / c.count;
  const out = new RawBuilder();
  const g = reciprocalMetric(s.cell);
  for (let i = 0; i < c.count; i++) {
    const invD = inverseSpacing(g, c.h[i]!, c.k[i]!, c.l[i]!);
    // Behind the beam stop nothing is seen.
    if (invD < 1 / 14) continue;
    if (random.next() > m.coverage) continue;
    const times = Math.max(1, Math.floor(m.repeats + random.next()));
    for (let r = 0; r < times; r++) {
      const counts = (c.f2[i]! / mean) * m.meanCounts;
      const background = 30 + 60 * Math.exp(-((invD - 0.27) ** 2) / 0.02);
      let value = counts * (1 + m.systematic * random.normal()) + Math.sqrt(counts + 2 * background) * random.normal();
      const sigma =
        Math.sqrt(Math.max(counts, 0) + 2 * background + (0.6 * m.systematic * counts) ** 2) *
        (1 + 0.03 * random.normal());
      if (random.next() < m.outliers) value = random.next() < 0.5 ? value * 0.3 : value * 1.8 + 40 * sigma;
      out.push(c.h[i]!, c.k[i]!, c.l[i]!, value / 10, sigma / 10);
    }
  }
  return out.build(false);
}

export const withSu = (cell: Cell): Cell => {
  const su = [cell.a, cell.b, cell.c].map((x) => Number((x * 4e-5).toPrecision(1)));
  const free = (x: number): number => (x === 90 || x === 120 ? 0 : 0.003);
  return { ...cell, su: [su[0]!, su[1]!, su[2]!, free(cell.alpha), free(cell.beta), free(cell.gamma)] };
};
