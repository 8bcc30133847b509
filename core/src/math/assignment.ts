/** Cheapest one-to-one assignment of rows to columns (Kuhn 1955; Munkres 1957), by shortest augmenting paths, O(n³). */

/** `cost` is n×n, row by row. Returns the column of each row. */
export function cheapestAssignment(cost: ArrayLike<number>, n: number): Int32Array {
  const rowPrice = new Float64Array(n + 1),
    columnPrice = new Float64Array(n + 1),
    rowOf = new Int32Array(n + 1),
    before = new Int32Array(n + 1);
  for (let row = 1; row <= n; row++) {
    rowOf[0] = row;
    let column = 0;
    const least = new Float64Array(n + 1).fill(Infinity),
      done = new Uint8Array(n + 1);
    do {
      done[column] = 1;
      const at = rowOf[column]!;
      let step = Infinity,
        next = 0;
      for (let j = 1; j <= n; j++) {
        if (done[j]) continue;
        const reduced = cost[(at - 1) * n + j - 1]! - rowPrice[at]! - columnPrice[j]!;
        if (reduced < least[j]!) {
          least[j] = reduced;
          before[j] = column;
        }
        if (least[j]! < step) {
          step = least[j]!;
          next = j;
        }
      }
      for (let j = 0; j <= n; j++)
        if (done[j]) {
          rowPrice[rowOf[j]!]! += step;
          columnPrice[j]! -= step;
        } else least[j]! -= step;
      column = next;
    } while (rowOf[column] !== 0);
    // Back along the path, every column takes the row of the one before.
    while (column) {
      rowOf[column] = rowOf[before[column]!]!;
      column = before[column]!;
    }
  }
  const out = new Int32Array(n);
  for (let j = 1; j <= n; j++) out[rowOf[j]! - 1] = j - 1;
  return out;
}
