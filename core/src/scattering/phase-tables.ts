/**
 * exp 2πi n·x of every site along each axis, for all indices n that a list of reflections and the rotations of its group
 * reach. exp 2πi h·x is the product of three of them, which costs a fifth of a sine and a cosine.
 */
const TWO_PI = 2 * Math.PI;

/** Largest |index| along each axis of h R for all reflections and rotations (9 numbers each, row by row). */
export function indexReach(
  hkl: { count: number; h: ArrayLike<number>; k: ArrayLike<number>; l: ArrayLike<number> },
  rotations: ArrayLike<number>,
): [number, number, number] {
  const reach: [number, number, number] = [0, 0, 0];
  for (let o = 0; o < rotations.length; o += 9)
    for (let axis = 0; axis < 3; axis++) {
      const p = rotations[o + axis]!,
        q = rotations[o + 3 + axis]!,
        r = rotations[o + 6 + axis]!;
      let most = reach[axis]!;
      for (let i = 0; i < hkl.count; i++) {
        const v = Math.abs(hkl.h[i]! * p + hkl.k[i]! * q + hkl.l[i]! * r);
        if (v > most) most = v;
      }
      reach[axis] = most;
    }
  return reach;
}

/**
 * Cosine and sine for site j and index n along `axis` stand at `offset(axis, n) + 2j`: sites beside one another, since the
 * loop over them is the inner one.
 */
export class PhaseTables {
  readonly values: Float64Array;
  private readonly first: readonly [number, number, number];

  /** `x` holds x, y, z of each site; `reach` comes from `indexReach`. */
  constructor(
    private readonly count: number,
    x: ArrayLike<number>,
    reach: readonly [number, number, number],
  ) {
    const lengths = reach.map((r) => 2 * r + 1);
    this.first = [reach[0], lengths[0]! + reach[1], lengths[0]! + lengths[1]! + reach[2]];
    this.values = new Float64Array(2 * count * lengths.reduce((p, q) => p + q, 0));
    for (let axis = 0; axis < 3; axis++)
      for (let n = 0; n <= reach[axis]!; n++) {
        const plus = this.offset(axis, n),
          minus = this.offset(axis, -n);
        for (let j = 0; j < count; j++) {
          const phase = TWO_PI * n * x[3 * j + axis]!;
          const cos = Math.cos(phase),
            sin = Math.sin(phase);
          this.values[minus + 2 * j] = cos;
          this.values[minus + 2 * j + 1] = -sin;
          this.values[plus + 2 * j] = cos;
          this.values[plus + 2 * j + 1] = sin;
        }
      }
  }

  offset(axis: number, n: number): number {
    return 2 * this.count * (this.first[axis]! + n);
  }
}
