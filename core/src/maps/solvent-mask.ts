/** Solvent that cannot be modelled: voids, the electrons in them, and their part of the structure factors (van der Sluis & Spek 1990, Acta Cryst. A46, 194). */
import { experiment } from '../crystal/experiment.ts';
import { cellVolume, orthogonalization } from '../crystal/cell.ts';
import { elementOf } from '../crystal/elements.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { allOperators } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import type { SolventMask, Treatment } from '../crystal/treatment.ts';
import { RealFft3, gridSize, halfSize, type Grid } from '../math/fft.ts';
import { apply3 } from '../math/matrix3.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import type { TaskContext } from '../task-context.ts';
import { gridFor, reach } from './fourier.ts';
import { modelMap } from './residual.ts';

export interface Voids {
  readonly grid: Grid;
  /** 0 outside, else the number of the void. */
  readonly label: Uint8Array;
  readonly list: readonly {
    readonly centre: readonly [number, number, number];
    /** One of its places, where the probe's middle may be. */
    readonly inside: readonly [number, number, number];
    readonly volume: number;
    readonly points: number;
  }[];
  /** Å³ per cell. */
  readonly volume: number;
}

/** Å³: a smaller void holds nothing that could be told from noise. */
export const LEAST_VOID = 15;

/** Voids where a probe of the given radius (Å) fits between van der Waals spheres, shell included; ones below `least` Å³ are passed over. */
export function findVoids(s: Structure, grid: Grid, probe = 1.2, least = LEAST_VOID): Voids {
  const { nx, ny, nz } = grid;
  const total = nx * ny * nz,
    m = orthogonalization(s.cell),
    volume = cellVolume(s.cell);
  const free = new Uint8Array(total).fill(1);
  const mark = (target: Uint8Array, centre: readonly number[], radius: number, value: number): void => {
    const range = [radius / s.cell.a, radius / s.cell.b, radius / s.cell.c].map((x, i) =>
      Math.ceil(
        (x / Math.abs(Math.sin(((i === 0 ? s.cell.beta : i === 1 ? s.cell.gamma : s.cell.alpha) * Math.PI) / 180)) +
          0.02) *
          [nx, ny, nz][i]! *
          1.15,
      ),
    );
    const base = [Math.round(centre[0]! * nx), Math.round(centre[1]! * ny), Math.round(centre[2]! * nz)];
    const r2 = radius * radius;
    for (let k = -range[2]!; k <= range[2]!; k++)
      for (let j = -range[1]!; j <= range[1]!; j++)
        for (let i = -range[0]!; i <= range[0]!; i++) {
          const x = base[0]! + i,
            y = base[1]! + j,
            z = base[2]! + k;
          const d = apply3(m, [x / nx - centre[0]!, y / ny - centre[1]!, z / nz - centre[2]!]);
          if (d[0] * d[0] + d[1] * d[1] + d[2] * d[2] > r2) continue;
          target[(((x % nx) + nx) % nx) + nx * ((((y % ny) + ny) % ny) + ny * (((z % nz) + nz) % nz))] = value;
        }
  };
  for (const site of s.sites)
    for (const { r, t } of allOperators(s.spaceGroup)) {
      const [x, y, z] = site.position;
      mark(
        free,
        [
          r[0] * x + r[1] * y + r[2] * z + t[0],
          r[3] * x + r[4] * y + r[5] * z + t[1],
          r[6] * x + r[7] * y + r[8] * z + t[2],
        ],
        elementOf(site.element).vdwRadius + probe,
        0,
      );
    }
  // Where the probe's centre may stand, its whole ball is free.
  const open = new Uint8Array(total);
  for (let i = 0; i < total; i++)
    if (free[i]) {
      const x = i % nx,
        y = Math.floor(i / nx) % ny,
        z = Math.floor(i / (nx * ny));
      const edge = [
        [1, 0, 0],
        [-1, 0, 0],
        [0, 1, 0],
        [0, -1, 0],
        [0, 0, 1],
        [0, 0, -1],
      ].some(([a, b, c]) => !free[((x + a! + nx) % nx) + nx * (((y + b! + ny) % ny) + ny * ((z + c! + nz) % nz))]);
      if (edge) mark(open, [x / nx, y / ny, z / nz], probe, 1);
      else open[i] = 1;
    }
  const label = new Uint8Array(total);
  const list: Voids['list'][number][] = [];
  const stack: number[] = [];
  for (let i = 0; i < total; i++) {
    if (!open[i] || !free[i] || label[i]) continue;
    const inside = [(i % nx) / nx, (Math.floor(i / nx) % ny) / ny, Math.floor(i / (nx * ny)) / nz] as const;
    const id = Math.min(250, list.length + 1);
    let points = 0;
    const sum = [0, 0, 0, 0, 0, 0];
    stack.push(i);
    label[i] = id;
    while (stack.length) {
      const p = stack.pop()!;
      const x = p % nx,
        y = Math.floor(p / nx) % ny,
        z = Math.floor(p / (nx * ny));
      points++;
      [x / nx, y / ny, z / nz].forEach((f, k) => {
        sum[2 * k]! += Math.cos(2 * Math.PI * f);
        sum[2 * k + 1]! += Math.sin(2 * Math.PI * f);
      });
      for (const [a, b, c] of [
        [1, 0, 0],
        [-1, 0, 0],
        [0, 1, 0],
        [0, -1, 0],
        [0, 0, 1],
        [0, 0, -1],
      ]) {
        const q = ((x + a! + nx) % nx) + nx * (((y + b! + ny) % ny) + ny * ((z + c! + nz) % nz));
        if (open[q] && !label[q]) {
          label[q] = id;
          stack.push(q);
        }
      }
    }
    const size = (points * volume) / total;
    if (size < least) {
      for (let p = 0; p < total; p++) if (label[p] === id) label[p] = 255;
      continue;
    }
    const centre = [0, 1, 2].map((k) => {
      const f = Math.atan2(sum[2 * k + 1]!, sum[2 * k]!) / (2 * Math.PI);
      return f - Math.floor(f);
    }) as unknown as [number, number, number];
    list.push({ centre, inside, volume: size, points });
  }
  for (let p = 0; p < total; p++) if (label[p] === 255) label[p] = 0;
  return { grid, label, list, volume: list.reduce((t, v) => t + v.volume, 0) };
}

/** Fourier coefficients (electrons, A + iB) of a density given on a grid for the wanted indices. */
export function gridStructureFactors(
  density: Float64Array,
  grid: Grid,
  volume: number,
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
): { a: Float64Array; b: Float64Array } {
  const re = new Float64Array(halfSize(grid)),
    im = new Float64Array(halfSize(grid));
  new RealFft3(grid).forward(density, re, im);
  const { nx, ny, nz } = grid,
    half = (nx >> 1) + 1,
    f = volume / gridSize(grid);
  const a = new Float64Array(hkl.count),
    b = new Float64Array(hkl.count);
  for (let i = 0; i < hkl.count; i++) {
    let h = hkl.h[i]!,
      k = hkl.k[i]!,
      l = hkl.l[i]!;
    const turned = h < 0;
    if (turned) {
      h = -h;
      k = -k;
      l = -l;
    }
    const at = h + half * ((((k % ny) + ny) % ny) + ny * (((l % nz) + nz) % nz));
    // The transform's kernel is e^{−}; structure factors take e^{+}, its conjugate.
    a[i] = re[at]! * f;
    b[i] = (turned ? 1 : -1) * im[at]! * f;
  }
  return { a, b };
}

/** Voids on the grid that the density within them is worked out on. */
export function voidsForData(s: Structure, reflections: MergedReflections, probe: number): Voids {
  const { limits, dMin } = reach(s.cell, reflections);
  return findVoids(s, gridFor(s.cell, Math.min(0.25, dMin / 3), limits), probe);
}

/** Works out a mask by repeated back-transformation of the difference density inside the voids. Throws RangeError where there is no void. */
export async function solventMask(
  s: Structure,
  reflections: MergedReflections,
  wavelength: number,
  treatment: Treatment,
  context: TaskContext<string>,
  probe = 1.2,
  known?: Voids,
): Promise<SolventMask> {
  const { dMin } = reach(s.cell, reflections);
  context.progress('Looking for voids');
  await context.breath();
  const voids = known ?? voidsForData(s, reflections, probe);
  const { grid } = voids;
  if (!voids.list.length)
    throw new RangeError(
      `There is no void that a sphere of ${probe.toFixed(1)} Å radius enters and that holds more than 15 Å³. Delete the atoms of the solvent first, if it was modelled.`,
    );
  const volume = cellVolume(s.cell),
    n = gridSize(grid);
  const inside = voids.label.reduce((t, x) => t + (x ? 1 : 0), 0);
  const hkl = { count: reflections.count, h: reflections.h, k: reflections.k, l: reflections.l };
  let mask: SolventMask = {
    h: reflections.h.slice(),
    k: reflections.k.slice(),
    l: reflections.l.slice(),
    a: new Float64Array(reflections.count),
    b: new Float64Array(reflections.count),
    volume: voids.volume,
    electrons: 0,
    voids: [],
  };
  let solvent = new Float64Array(n);
  let last = Infinity;
  for (let cycle = 1; cycle <= 25; cycle++) {
    await context.breath();
    const { mask: _old, ...rest } = treatment;
    const e = evaluateStructure(
      experiment(s, reflections, wavelength, { weights: { a: 0.1, b: 0 }, treatment: { ...rest, mask } }),
    );
    const difference = modelMap('difference', s, reflections, e.data, Math.min(0.25, dMin / 3)).values;
    // F(000) is not measured: the density outside the voids has to average to nothing.
    let outside = 0;
    for (let i = 0; i < n; i++) if (!voids.label[i]) outside += difference[i]!;
    const shift = outside / Math.max(1, n - inside);
    const next = new Float64Array(n),
      per = voids.list.map(() => 0);
    let electrons = 0;
    for (let i = 0; i < n; i++) {
      const v = voids.label[i]!;
      if (!v) continue;
      next[i] = solvent[i]! + difference[i]! - shift;
      electrons += (next[i]! * volume) / n;
      per[v - 1] = (per[v - 1] ?? 0) + (next[i]! * volume) / n;
    }
    solvent = next;
    const { a, b } = gridStructureFactors(solvent, grid, volume, hkl);
    mask = {
      ...mask,
      a,
      b,
      electrons,
      voids: voids.list.map((v, i) => ({ centre: v.centre, volume: v.volume, electrons: per[i]! })),
    };
    context.progress(
      `cycle ${cycle}: ${electrons.toFixed(0)} electrons in ${voids.volume.toFixed(0)} Å³, R1 ${(100 * e.figures.r1).toFixed(2)} %`,
    );
    if (Math.abs(electrons - last) < 0.2) break;
    last = electrons;
  }
  return mask;
}
