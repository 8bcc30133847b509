/** How alike two calculated patterns are, shifts of lines forgiven up to a width. */

/** A line of a pattern. */
export interface PatternLine {
  /** Degrees. */
  readonly twoTheta: number;
  readonly intensity: number;
}

/** Degrees within which lines are taken for one another, less the further they are apart. */
export const USUAL_WIDTH = 1;

/** Σ Σ Iᵢ Iⱼ w(2θᵢ − 2θⱼ), w a triangle. Both lists in order. */
function overlap(a: readonly PatternLine[], b: readonly PatternLine[], width: number): number {
  let sum = 0,
    first = 0;
  for (const p of a) {
    while (first < b.length && b[first]!.twoTheta < p.twoTheta - width) first++;
    for (let j = first; j < b.length && b[j]!.twoTheta <= p.twoTheta + width; j++)
      sum += p.intensity * b[j]!.intensity * (1 - Math.abs(b[j]!.twoTheta - p.twoTheta) / width);
  }
  return sum;
}

/**
 * Similarity of two patterns by their lines, 0 (nothing in common) to 1 (the same up to a factor): the normalised cross-correlation
 * under a triangle (de Gelder, Wehrens & Hageman 2001, J. Comput. Chem. 22, 273). 0 where either has no line.
 */
export function patternSimilarity(
  one: readonly PatternLine[],
  two: readonly PatternLine[],
  width: number = USUAL_WIDTH,
): number {
  const [a, b] = [one, two].map((list) => [...list].sort((p, q) => p.twoTheta - q.twoTheta)) as [
    PatternLine[],
    PatternLine[],
  ];
  const own = overlap(a, a, width) * overlap(b, b, width);
  return own > 0 ? overlap(a, b, width) / Math.sqrt(own) : 0;
}
