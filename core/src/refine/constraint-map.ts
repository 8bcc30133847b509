/**
 * Parameters: independent values q → physical values p = p0 + M (q − q0), M sparse.
 * Site symmetry, shared values and every other constraint are rows of M; the least-squares loop knows nothing of them.
 */

export interface ConstraintMap {
  readonly physical: number;
  readonly independent: number;
  /** Row i holds entries from start[i] to start[i+1]. */
  readonly start: Int32Array;
  readonly column: Int32Array;
  readonly value: Float64Array;
}

/** The map alone, of something that holds more beside it: what is stored. */
export const plainMap = ({ physical, independent, start, column, value }: ConstraintMap): ConstraintMap => ({
  physical,
  independent,
  start,
  column,
  value,
});

export class ConstraintBuilder {
  private readonly rows: { column: number; value: number }[][];
  private next = 0;

  constructor(private readonly physical: number) {
    this.rows = Array.from({ length: physical }, () => []);
  }

  /** A new independent parameter driving physical ones with the given coefficients. */
  add(terms: readonly (readonly [physical: number, coefficient: number])[]): number {
    for (const [i, value] of terms) if (Math.abs(value) > 1e-12) this.rows[i]!.push({ column: this.next, value });
    return this.next++;
  }

  /** Lets a physical parameter follow another: its row becomes `factor` times the other's, added to what it has. */
  follow(leader: number, follower: number, factor = 1): void {
    for (const e of this.rows[leader]!) this.rows[follower]!.push({ column: e.column, value: e.value * factor });
  }

  build(): ConstraintMap {
    const start = new Int32Array(this.physical + 1);
    this.rows.forEach((r, i) => (start[i + 1] = start[i]! + r.length));
    return {
      physical: this.physical,
      independent: this.next,
      start,
      column: Int32Array.from(this.rows.flatMap((r) => r.map((e) => e.column))),
      value: Float64Array.from(this.rows.flatMap((r) => r.map((e) => e.value))),
    };
  }
}

/** Shift of the physical values for a shift of the independent ones. */
export function expandShift(map: ConstraintMap, shift: Float64Array): Float64Array {
  const out = new Float64Array(map.physical);
  for (let i = 0; i < map.physical; i++)
    for (let e = map.start[i]!; e < map.start[i + 1]!; e++) out[i]! += map.value[e]! * shift[map.column[e]!]!;
  return out;
}
