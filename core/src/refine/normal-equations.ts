/**
 * Normal equations of weighted least squares, gathered in blocks of rows: N = Σ w gᵀg, b = Σ w g Δ.
 * The rank-k update works on 4×4 tiles held in local variables, so each loaded number serves four products.
 */
export class NormalEquations {
  /** Full n×n, lower triangle filled until `complete`. */
  readonly matrix: Float64Array;
  readonly vector: Float64Array;
  /** Padded row length, a multiple of 4. */
  readonly width: number;
  private readonly block: Float64Array;
  private readonly right: Float64Array;
  private rows = 0;

  constructor(
    readonly n: number,
    private readonly depth = 48,
  ) {
    this.width = (n + 3) & ~3;
    this.matrix = new Float64Array(this.width * this.width);
    this.vector = new Float64Array(n);
    this.block = new Float64Array(this.width * depth);
    this.right = new Float64Array(depth);
  }

  /** Storage for the next row of √w·g; fill its first n entries, then call `push`. */
  get row(): Float64Array {
    return this.block.subarray(this.rows * this.width, this.rows * this.width + this.n);
  }

  /** Offset of the next row in `storage`, for loops that avoid making views. */
  get offset(): number {
    return this.rows * this.width;
  }

  get storage(): Float64Array {
    return this.block;
  }

  /** Accepts the row just written with its residual √w·Δ. */
  push(residual: number): void {
    this.right[this.rows++] = residual;
    if (this.rows === this.depth) this.flush();
  }

  private flush(): void {
    const { width: n, block, matrix, rows, right, vector } = this;
    for (let k = 0; k < rows; k++) {
      const r = right[k]!,
        at = k * n;
      for (let i = 0; i < this.n; i++) vector[i]! += r * block[at + i]!;
    }
    const end = rows * n;
    for (let i = 0; i < n; i += 4)
      for (let j = 0; j <= i; j += 4) {
        let a0 = 0,
          a1 = 0,
          a2 = 0,
          a3 = 0,
          b0 = 0,
          b1 = 0,
          b2 = 0,
          b3 = 0,
          c0 = 0,
          c1 = 0,
          c2 = 0,
          c3 = 0,
          d0 = 0,
          d1 = 0,
          d2 = 0,
          d3 = 0;
        for (let p = i, q = j; p < end; p += n, q += n) {
          const y0 = block[q]!,
            y1 = block[q + 1]!,
            y2 = block[q + 2]!,
            y3 = block[q + 3]!;
          const x0 = block[p]!,
            x1 = block[p + 1]!,
            x2 = block[p + 2]!,
            x3 = block[p + 3]!;
          a0 += x0 * y0;
          a1 += x0 * y1;
          a2 += x0 * y2;
          a3 += x0 * y3;
          b0 += x1 * y0;
          b1 += x1 * y1;
          b2 += x1 * y2;
          b3 += x1 * y3;
          c0 += x2 * y0;
          c1 += x2 * y1;
          c2 += x2 * y2;
          c3 += x2 * y3;
          d0 += x3 * y0;
          d1 += x3 * y1;
          d2 += x3 * y2;
          d3 += x3 * y3;
        }
        let m = i * n + j;
        matrix[m]! += a0;
        matrix[m + 1]! += a1;
        matrix[m + 2]! += a2;
        matrix[m + 3]! += a3;
        m += n;
        matrix[m]! += b0;
        matrix[m + 1]! += b1;
        matrix[m + 2]! += b2;
        matrix[m + 3]! += b3;
        m += n;
        matrix[m]! += c0;
        matrix[m + 1]! += c1;
        matrix[m + 2]! += c2;
        matrix[m + 3]! += c3;
        m += n;
        matrix[m]! += d0;
        matrix[m + 1]! += d1;
        matrix[m + 2]! += d2;
        matrix[m + 3]! += d3;
      }
    block.fill(0, 0, end);
    this.rows = 0;
  }

  /** Finishes the sums and returns the symmetric matrix without padding. */
  complete(): Float64Array {
    this.flush();
    const { n, width, matrix } = this;
    const out = new Float64Array(n * n);
    for (let i = 0; i < n; i++) for (let j = 0; j <= i; j++) out[i * n + j] = out[j * n + i] = matrix[i * width + j]!;
    return out;
  }
}
