/** The lattice plane that points of a crystal lie in. */
import { cross, subtract, type Vec3, toVec3 } from '../math/matrix3.ts';

/** Indices looked for go to this, and may miss whole numbers by so much. */
const MOST = 9,
  OFF = 0.06;

/** Miller indices of the plane through three places (fractional), small whole numbers; undefined where they are on a line or where no small ones fit. */
export function planeThroughPlaces(a: Vec3, b: Vec3, c: Vec3): Vec3 | undefined {
  // The cross product of two direct vectors has the components of a reciprocal one.
  const h = cross(subtract(b, a), subtract(c, a));
  const largest = Math.max(...h.map(Math.abs));
  if (largest < 1e-6) return undefined;
  for (let n = 1; n <= MOST; n++) {
    const scaled = h.map((x) => (x * n) / largest);
    if (scaled.some((x) => Math.abs(x - Math.round(x)) > OFF)) continue;
    const whole = scaled.map((x) => Math.round(x) + 0);
    // Of the two ways to say it the one that begins positive.
    const sign = (whole.find((x) => x) ?? 1) > 0 ? 1 : -1;
    return toVec3(whole.map((x) => sign * x + 0));
  }
  return undefined;
}
