/** The density of electrons at any points. */
import type { TaskContext } from '../task-context.ts';
import type { Basis } from './gaussian.ts';
import { BATCH, GridFunctions } from './grid-functions.ts';
import { addProduct } from '../math/dense-product.ts';

const rooms = new WeakMap<Basis, GridFunctions>();

/** Density (electrons/bohr³) of a density matrix at points, three coordinates each, bohr. */
export async function densityAt(
  basis: Basis,
  density: Float64Array,
  points: Float64Array,
  context: TaskContext,
): Promise<Float64Array> {
  const { size } = basis,
    count = points.length / 3;
  let f = rooms.get(basis);
  if (!f) rooms.set(basis, (f = new GridFunctions(basis, false)));
  const out = new Float64Array(count),
    sub = new Float64Array(size * size),
    x = new Float64Array(size * BATCH);
  for (let from = 0; from < count; from += BATCH) {
    await context.breath();
    const n = Math.min(BATCH, count - from);
    f.at(
      points,
      Int32Array.from({ length: n }, (_, i) => from + i),
    );
    f.gather(density, size, sub);
    x.fill(0, 0, f.count * n);
    addProduct(sub, f.values, f.count, f.count, n, x);
    for (let i = 0; i < f.count; i++)
      for (let p = 0; p < n; p++) out[from + p]! += f.values[i * n + p]! * x[i * n + p]!;
  }
  return out;
}
