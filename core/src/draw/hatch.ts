/** Hatching of a flat polygon in space: full lines for mirrors, broken ones for glides, with an arrow along the gliding part. */
import { add, cross, dot, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';

/** Line segments (x, y, z of both ends in turn) that hatch the polygon about 0.9 Å apart, its outline included. */
export function hatch(polygon: readonly Vec3[], style: 'full' | 'broken', glide: Vec3, spacing = 0.9): Float32Array {
  const out: number[] = [];
  const line = (a: Vec3, b: Vec3): void => void out.push(...a, ...b);
  polygon.forEach((p, i) => line(p, polygon[(i + 1) % polygon.length]!));
  const origin = polygon[0]!;
  const u = normalize(subtract(polygon[1]!, origin));
  const normal = normalize(cross(u, subtract(polygon[2]!, origin)));
  const v = cross(normal, u);
  const flat = polygon.map((p) => {
    const d = subtract(p, origin);
    return [dot(d, u), dot(d, v)] as const;
  });
  const place = (x: number, y: number): Vec3 => add(origin, add(scale(u, x), scale(v, y)));
  // Lines slope at 30° to the first edge, so that two planes at right angles do not hatch alike.
  const c = Math.cos(Math.PI / 6),
    s = Math.sin(Math.PI / 6);
  const level = (x: number, y: number): number => -s * x + c * y;
  const levels = flat.map(([x, y]) => level(x, y));
  for (let k = Math.ceil(Math.min(...levels) / spacing); k * spacing < Math.max(...levels); k++) {
    const cuts: number[] = [];
    flat.forEach(([x1, y1], i) => {
      const [x2, y2] = flat[(i + 1) % flat.length]!;
      const a = level(x1, y1) - k * spacing,
        b = level(x2, y2) - k * spacing;
      if (a * b >= 0) return;
      const t = a / (a - b);
      cuts.push(c * (x1 + t * (x2 - x1)) + s * (y1 + t * (y2 - y1)));
    });
    if (cuts.length < 2) continue;
    const [from, to] = [Math.min(...cuts), Math.max(...cuts)];
    const point = (along: number): Vec3 => place(c * along - s * k * spacing, s * along + c * k * spacing);
    if (style === 'full') line(point(from), point(to));
    else for (let x = from; x < to; x += 0.8) line(point(x), point(Math.min(to, x + 0.45)));
  }
  if (norm(glide) > 1e-6) {
    const middle = scale(
      polygon.reduce((sum, p) => add(sum, p), [0, 0, 0] as Vec3),
      1 / polygon.length,
    );
    const tip = add(middle, glide),
      d = normalize(glide),
      side = cross(normal, d);
    line(middle, tip);
    for (const f of [1, -1]) line(tip, add(tip, add(scale(d, -0.45), scale(side, 0.25 * f))));
  }
  return Float32Array.from(out);
}
