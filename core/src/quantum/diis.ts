/** Direct inversion in the iterative subspace (Pulay 1980, 1982). */
import { LuDecomposition, Matrix } from 'ml-matrix';
import { contracted, weighted } from './matrices.ts';

/** Keeps Fock matrices with their errors and gives the combination whose error is smallest. */
export class Diis {
  private readonly kept: { readonly fock: readonly Float64Array[]; readonly error: readonly Float64Array[] }[] = [];

  constructor(private readonly most = 8) {}

  /** The matrices of each spin to go on with. */
  next(fock: readonly Float64Array[], error: readonly Float64Array[]): readonly Float64Array[] {
    this.kept.push({ fock, error });
    if (this.kept.length > this.most) this.kept.shift();
    const n = this.kept.length;
    const b = Matrix.zeros(n + 1, n + 1);
    for (let i = 0; i < n; i++) {
      b.set(i, n, -1);
      b.set(n, i, -1);
      for (let j = 0; j <= i; j++) {
        const x = this.kept[i]!.error.reduce((sum, e, s) => sum + contracted(e, this.kept[j]!.error[s]!), 0);
        b.set(i, j, x);
        b.set(j, i, x);
      }
    }
    const scale = 1 / Math.max(1e-300, b.get(n - 1, n - 1));
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) b.set(i, j, b.get(i, j) * scale);
    const system = new LuDecomposition(b);
    if (n < 2 || system.isSingular()) return fock;
    const right = Matrix.zeros(n + 1, 1);
    right.set(n, 0, -1);
    const c = system.solve(right).to1DArray().slice(0, n);
    return fock.map((_, s) =>
      weighted(
        this.kept.map((k) => k.fock[s]!),
        c,
      ),
    );
  }
}
