/** Quadrature over a molecule: spheres about every nucleus, shared out between the nuclei (Becke 1988). */
import { elementOf } from '../crystal/elements.ts';
import type { TaskContext } from '../task-context.ts';
import { Crew, sharedDoubles, type Workshop } from './crew.ts';
import { BOHR } from '../math/units.ts';
import type { Centre } from './gaussian.ts';
import { radialGrid } from './radial-grid.ts';
import { spherePoints, type SphereSize } from './sphere-points.ts';

export interface MolecularGrid {
  readonly count: number;
  /** Three each, bohr. */
  readonly points: Float64Array;
  readonly weights: Float64Array;
  /** Index of the nucleus each belongs to. */
  readonly owner: Int32Array;
}

/** How fine: points along a radius for the first row, and on the sphere. */
export interface GridFineness {
  readonly radial: number;
  readonly sphere: SphereSize;
}

/** Points on the sphere by the share of the atom's size that the radius is: near the nucleus everything is round. */
function sphereAt(share: number, full: SphereSize): SphereSize {
  if (share < 0.25) return 26;
  if (share < 0.5) return full > 110 ? 110 : 50;
  return full;
}

/** Becke's step, iterated three times. */
function step(mu: number): number {
  let x = mu;
  for (let i = 0; i < 3; i++) x *= 1.5 - 0.5 * x * x;
  return 0.5 * (1 - x);
}

/** Shifts the border between two atoms of different size (Becke's appendix). */
function borderShift(a: number, b: number): number {
  const chi = a / b,
    u = (chi - 1) / (chi + 1);
  return Math.max(-0.5, Math.min(0.5, u / (u * u - 1)));
}

const sizeOf = (element: string): number => elementOf(element).covalentRadius / BOHR;

/** What every thread needs to weigh the points of a grid. */
export interface GridPlan {
  readonly kind: 'grid';
  readonly centres: readonly Centre[];
  readonly fineness: GridFineness;
  /** Of every point of every nucleus in turn. */
  readonly weights: Float64Array;
}

/** Calls with the points of one nucleus, each with its weight before it is shared out. */
function eachPoint(
  { element, position }: Centre,
  { radial, sphere }: GridFineness,
  visit: (x: number, y: number, z: number, weight: number) => void,
): void {
  const size = sizeOf(element);
  const rows = element === 'H' || element === 'He' ? radial - 10 : radial;
  const { r, weights: along } = radialGrid(rows, Math.max(0.8, size));
  r.forEach((radius, k) => {
    const around = spherePoints(sphereAt(radius / size, sphere));
    around.points.forEach((u, i) => {
      const [x, y, z] = u.map((v, d) => position[d]! + radius * v) as [number, number, number];
      visit(x, y, z, around.weights[i]! * 4 * Math.PI * radius * radius * along[k]!);
    });
  });
}

function countPoints(centre: Centre, fineness: GridFineness): number {
  let count = 0;
  eachPoint(centre, fineness, () => count++);
  return count;
}

export const gridPlan = (centres: readonly Centre[], fineness: GridFineness): GridPlan => ({
  kind: 'grid',
  centres,
  fineness,
  weights: sharedDoubles(centres.reduce((sum, c) => sum + countPoints(c, fineness), 0)),
});

/** Weighs the points of one nucleus a part. */
export class GridWorkshop implements Workshop {
  private readonly share: ReturnType<typeof sharing>;
  /** Where the points of each nucleus begin, and where the last ends. */
  private readonly first: number[];

  constructor(readonly plan: GridPlan) {
    const { centres, fineness } = plan;
    this.share = sharing(
      centres,
      centres.map((c) => sizeOf(c.element)),
    );
    this.first = [0];
    for (const c of centres) this.first.push(this.first.at(-1)! + countPoints(c, fineness));
  }

  async part(_step: number, index: number, context: TaskContext): Promise<void> {
    await context.breath();
    const { centres, fineness, weights } = this.plan;
    let at = this.first[index]!;
    eachPoint(centres[index]!, fineness, (x, y, z, weight) => {
      weights[at++] = weight * this.share(index, x, y, z);
    });
  }
}

/** Centres whose points are weighed before a thread has begun. */
const FEW_CENTRES = 6;

/** Points below this weight are left out. */
const WEIGHTLESS = 1e-14;

/** Points with weights that integrate over all space; those whose weight vanishes are left out. */
export async function molecularGrid(
  centres: readonly Centre[],
  fineness: GridFineness,
  context: TaskContext,
): Promise<MolecularGrid> {
  const workshop = new GridWorkshop(gridPlan(centres, fineness));
  const crew = new Crew<GridPlan>([{ plan: workshop.plan, workshop }], centres.length > FEW_CENTRES);
  await crew.during(context, () => crew.run(workshop, 0, centres.length, context));
  const { weights: all } = workshop.plan;
  const points: number[] = [],
    weights: number[] = [],
    owner: number[] = [];
  let at = 0;
  centres.forEach((centre, c) =>
    eachPoint(centre, fineness, (x, y, z) => {
      const w = all[at++]!;
      if (!(w > WEIGHTLESS)) return;
      points.push(x, y, z);
      weights.push(w);
      owner.push(c);
    }),
  );
  return {
    count: weights.length,
    points: Float64Array.from(points),
    weights: Float64Array.from(weights),
    owner: Int32Array.from(owner),
  };
}

/** A nucleus whose part of a point is smaller beside the nearest one's has none. */
const NO_SHARE = 1e-10;
/** Beyond this Becke's step is 1 or 0 to the last digit. */
const STEP_END = 0.98;

/** Share of nucleus c in a point. */
function sharing(
  centres: readonly Centre[],
  sizes: readonly number[],
): (c: number, x: number, y: number, z: number) => number {
  const n = centres.length;
  const distance = new Float64Array(n);
  const apart = new Float64Array(n * n),
    shift = new Float64Array(n * n);
  centres.forEach((a, i) =>
    centres.forEach((b, j) => {
      apart[i * n + j] = Math.hypot(...a.position.map((v, k) => v - b.position[k]!));
      shift[i * n + j] = borderShift(sizes[i]!, sizes[j]!);
    }),
  );
  /** How far a point is on the side of i of the border between i and j. */
  const side = (i: number, j: number): number => {
    const mu = (distance[i]! - distance[j]!) / apart[i * n + j]!;
    const x = mu + shift[i * n + j]! * (1 - mu * mu);
    return x < -STEP_END ? 1 : x > STEP_END ? 0 : step(x);
  };
  const cell = (i: number): number => {
    let product = 1;
    for (let j = 0; j < n && product > NO_SHARE; j++) if (j !== i) product *= side(i, j);
    return product;
  };
  return (c, x, y, z) => {
    let near = 0;
    for (let i = 0; i < n; i++) {
      const p = centres[i]!.position;
      const [u, v, w] = [x - p[0], y - p[1], z - p[2]];
      distance[i] = Math.sqrt(u * u + v * v + w * w);
      if (distance[i]! < distance[near]!) near = i;
    }
    if (c !== near && side(c, near) < NO_SHARE) return 0;
    const own = cell(c);
    let sum = own;
    for (let i = 0; i < n; i++) if (i !== c && (i === near || side(i, near) >= NO_SHARE)) sum += cell(i);
    return own / sum;
  };
}
