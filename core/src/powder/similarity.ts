/** How alike two patterns are, shifts of lines forgiven up to a width. */
import type { Pattern } from '../crystal/pattern.ts';
import { estimateBackground } from './peaks.ts';

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

/** Points of a measured pattern that are summed to one: about so many are left. */
const POINTS = 4000;

/** A measured pattern without its background: its points as lines, several put together where they are many. */
export function measuredLines(pattern: Pattern): PatternLine[] {
  const { twoTheta, intensity } = pattern;
  const background = estimateBackground(pattern);
  const together = Math.max(1, Math.floor(twoTheta.length / POINTS));
  const out: PatternLine[] = [];
  for (let i = 0; i < twoTheta.length; i += together) {
    const last = Math.min(twoTheta.length, i + together);
    let sum = 0,
      at = 0;
    for (let j = i; j < last; j++) {
      sum += Math.max(0, intensity[j]! - background[j]!);
      at += twoTheta[j]!;
    }
    out.push({ twoTheta: at / (last - i), intensity: sum });
  }
  return out;
}

/** Similarity of calculated lines with a measured pattern, over the range that was measured; as `patternSimilarity`. */
export function similarityToMeasured(lines: readonly PatternLine[], measured: readonly PatternLine[]): number {
  const [first, last] = [measured[0], measured.at(-1)];
  if (!first || !last) return 0;
  const within = lines.filter((l) => l.twoTheta >= first.twoTheta && l.twoTheta <= last.twoTheta);
  return patternSimilarity(within, measured);
}
