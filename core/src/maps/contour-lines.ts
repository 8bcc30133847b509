/** Contour lines of values on a plane grid by marching squares: segments x1 y1 x2 y2 in grid units, x fastest. */
export function contourLines(
  values: ArrayLike<number>,
  nx: number,
  ny: number,
  level: number,
): [number, number, number, number][] {
  const out: [number, number, number, number][] = [];
  for (let y = 0; y + 1 < ny; y++)
    for (let x = 0; x + 1 < nx; x++) {
      const a = values[x + nx * y]! - level,
        b = values[x + 1 + nx * y]! - level,
        c = values[x + 1 + nx * (y + 1)]! - level,
        d = values[x + nx * (y + 1)]! - level;
      const cuts: [number, number][] = [];
      if (a < 0 !== b < 0) cuts.push([x + a / (a - b), y]);
      if (b < 0 !== c < 0) cuts.push([x + 1, y + b / (b - c)]);
      if (c < 0 !== d < 0) cuts.push([x + 1 - c / (c - d), y + 1]);
      if (d < 0 !== a < 0) cuts.push([x, y + 1 - d / (d - a)]);
      if (cuts.length === 2) out.push([...cuts[0]!, ...cuts[1]!]);
      else if (cuts.length === 4) {
        // A saddle: the mean says which corners belong together.
        const inside = a + b + c + d >= 0 === a >= 0;
        const [p, q, r, s] = cuts as [[number, number], [number, number], [number, number], [number, number]];
        if (inside) out.push([...p, ...q], [...r, ...s]);
        else out.push([...s, ...p], [...q, ...r]);
      }
    }
  return out;
}
