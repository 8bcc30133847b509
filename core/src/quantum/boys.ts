/** The Boys function F_m(T) = ∫₀¹ t²ᵐ exp(−Tt²) dt (Boys 1950), by a table and a Taylor series. */

/** Highest m that is served: four f shells and two derivatives. */
export const HIGHEST_BOYS = 18;
const TERMS = 7,
  STEP = 0.1,
  LIMIT = 32,
  ROW = HIGHEST_BOYS + TERMS + 1;

/** F_m(T) for m = 0 … highest by the convergent series for the last, the others by downward recursion. */
function series(t: number, highest: number): Float64Array {
  const out = new Float64Array(highest + 1);
  const small = Math.exp(-t);
  let term = 1 / (2 * highest + 1),
    sum = term;
  for (let i = 1; term > 1e-17 * sum; i++) {
    term *= (2 * t) / (2 * highest + 2 * i + 1);
    sum += term;
  }
  out[highest] = small * sum;
  for (let m = highest - 1; m >= 0; m--) out[m] = (2 * t * out[m + 1]! + small) / (2 * m + 1);
  return out;
}

const steps = Math.round(LIMIT / STEP) + 1;
const table = new Float64Array(steps * ROW);
for (let i = 0; i < steps; i++) table.set(series(i * STEP, ROW - 1), i * ROW);

/** Puts F_0(T) … F_highest(T) into `out`. Absolute error below 1e-14. */
export function boys(t: number, highest: number, out: Float64Array): void {
  if (t < LIMIT) {
    const row = Math.round(t / STEP),
      d = row * STEP - t;
    const at = row * ROW + highest;
    // dF_m/dT = −F_(m+1).
    let sum = table[at + TERMS - 1]!;
    for (let k = TERMS - 1; k > 0; k--) sum = table[at + k - 1]! + (d / k) * sum;
    out[highest] = sum;
    if (!highest) return;
    const small = Math.exp(-t);
    for (let m = highest - 1; m >= 0; m--) out[m] = (2 * t * out[m + 1]! + small) / (2 * m + 1);
    return;
  }
  const small = Math.exp(-t);
  out[0] = 0.5 * Math.sqrt(Math.PI / t);
  for (let m = 0; m < highest; m++) out[m + 1] = ((2 * m + 1) * out[m]! - small) / (2 * t);
}
