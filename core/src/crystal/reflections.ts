/** Reflection sets as typed arrays. */

/** Intensities as measured or as given: one entry an observation. */
export interface RawReflections {
  readonly count: number;
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly intensity: Float64Array;
  readonly sigma: Float64Array;
  /** Batch or twin-component number of each observation, where the file had one. */
  readonly batch?: Int16Array;
  /** Six numbers an observation: unit vectors towards the source and along the diffracted beam, in Cartesian axes fixed to the crystal. */
  readonly beams?: Float32Array;
  /** True when the file held a merged list (F² or F), so that nothing can be learnt from agreement. */
  readonly merged: boolean;
  /**
   * Where observations stand in their file, as runs of one line each: index of the run's first observation and its line,
   * alternating. Absent where the file is no plain list, or where observations were left out since.
   */
  readonly lineRuns?: Int32Array;
}

/** Unique reflections after merging, on the scale of the measurement. */
export interface MergedReflections {
  readonly count: number;
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly fsq: Float64Array;
  readonly sigma: Float64Array;
  /** Accepted observations behind each. */
  readonly multiplicity: Uint16Array;
}

/** Grows raw lists without knowing their length beforehand. */
export class RawBuilder {
  private n = 0;
  private hkl = new Int16Array(3 * 4096);
  private values = new Float64Array(2 * 4096);
  private batches: Int16Array | undefined;
  private beams: Float32Array | undefined;
  private readonly runs: number[] = [];

  /** Says on which line of its file the next observation stands. */
  on(line: number): void {
    const [index, first] = [this.runs.at(-2), this.runs.at(-1)];
    if (index === undefined || first! + this.n - index !== line) this.runs.push(this.n, line);
  }

  push(
    h: number,
    k: number,
    l: number,
    intensity: number,
    sigma: number,
    batch?: number,
    beams?: ArrayLike<number>,
  ): void {
    if (3 * this.n === this.hkl.length) {
      const hkl = new Int16Array(this.hkl.length * 2);
      hkl.set(this.hkl);
      this.hkl = hkl;
      const values = new Float64Array(this.values.length * 2);
      values.set(this.values);
      this.values = values;
      if (this.batches) {
        const b = new Int16Array(this.batches.length * 2);
        b.set(this.batches);
        this.batches = b;
      }
      if (this.beams) {
        const b = new Float32Array(this.beams.length * 2);
        b.set(this.beams);
        this.beams = b;
      }
    }
    const i = this.n++;
    this.hkl[3 * i] = h;
    this.hkl[3 * i + 1] = k;
    this.hkl[3 * i + 2] = l;
    this.values[2 * i] = intensity;
    this.values[2 * i + 1] = sigma;
    if (batch !== undefined) {
      this.batches ??= new Int16Array(this.hkl.length / 3);
      this.batches[i] = batch;
    }
    if (beams) {
      this.beams ??= new Float32Array(2 * this.hkl.length);
      for (let k = 0; k < 6; k++) this.beams[6 * i + k] = beams[k]!;
    }
  }

  get count(): number {
    return this.n;
  }

  build(merged: boolean): RawReflections {
    const n = this.n;
    const h = new Int16Array(n),
      k = new Int16Array(n),
      l = new Int16Array(n);
    const intensity = new Float64Array(n),
      sigma = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      h[i] = this.hkl[3 * i]!;
      k[i] = this.hkl[3 * i + 1]!;
      l[i] = this.hkl[3 * i + 2]!;
      intensity[i] = this.values[2 * i]!;
      sigma[i] = this.values[2 * i + 1]!;
    }
    return {
      count: n,
      h,
      k,
      l,
      intensity,
      sigma,
      ...(this.batches ? { batch: this.batches.slice(0, n) } : {}),
      ...(this.beams ? { beams: this.beams.slice(0, 6 * n) } : {}),
      ...(this.runs.length ? { lineRuns: Int32Array.from(this.runs) } : {}),
      merged,
    };
  }
}

/** Line of the file on which observation `i` stands, where that is known. */
export function lineOf({ lineRuns }: Pick<RawReflections, 'lineRuns'>, i: number): number | undefined {
  if (!lineRuns) return undefined;
  let run = 0;
  for (let r = 0; r < lineRuns.length && lineRuns[r]! <= i; r += 2) run = r;
  return lineRuns[run + 1]! + i - lineRuns[run]!;
}

/** The observations that `keep` says, with all that is known of each. */
export function selectObservations(raw: RawReflections, keep: (i: number) => boolean): RawReflections {
  const out = new RawBuilder();
  for (let i = 0; i < raw.count; i++)
    if (keep(i))
      out.push(
        raw.h[i]!,
        raw.k[i]!,
        raw.l[i]!,
        raw.intensity[i]!,
        raw.sigma[i]!,
        raw.batch?.[i],
        raw.beams?.subarray(6 * i, 6 * i + 6),
      );
  return out.build(raw.merged);
}

/** Indices in another basis: h′ = h P, columns of P the new axes. Observations that become fractional are dropped and counted. */
export function transformReflections(
  raw: RawReflections,
  p: readonly number[],
): { raw: RawReflections; dropped: number } {
  const out = new RawBuilder();
  let dropped = 0;
  for (let i = 0; i < raw.count; i++) {
    const h = raw.h[i]!,
      k = raw.k[i]!,
      l = raw.l[i]!;
    const n = [0, 1, 2].map((j) => h * p[j]! + k * p[3 + j]! + l * p[6 + j]!);
    if (n.some((x) => Math.abs(x - Math.round(x)) > 0.01)) {
      dropped++;
      continue;
    }
    out.push(
      Math.round(n[0]!),
      Math.round(n[1]!),
      Math.round(n[2]!),
      raw.intensity[i]!,
      raw.sigma[i]!,
      raw.batch?.[i],
      raw.beams?.subarray(6 * i, 6 * i + 6),
    );
  }
  return { raw: out.build(raw.merged), dropped };
}
