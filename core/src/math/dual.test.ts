import { describe, expect, it } from 'vitest';
import {
  addDual,
  crossDual,
  dotDual,
  Dual,
  normDual,
  scaleDual,
  subtractDual,
  unitDual,
  type DualVec3,
} from './dual.ts';
import { seededRandom } from './random.ts';

const { next: random } = seededRandom(7);
const numbers = (n: number): number[] => Array.from({ length: n }, () => 2 * random() - 1);
const variables = (v: readonly number[]): Dual[] => v.map((x, i) => Dual.variable(x, i, v.length));

/** The gradient of a function against central differences. */
function check(f: (v: readonly Dual[]) => Dual, at: readonly number[]): void {
  const here = f(variables(at));
  const step = 1e-6;
  at.forEach((_, i) => {
    const moved = (sign: number): number => f(variables(at.map((x, k) => (k === i ? x + sign * step : x)))).value;
    expect(here.gradient[i]).toBeCloseTo((moved(1) - moved(-1)) / (2 * step), 5);
  });
}
const vector = (v: readonly Dual[], from = 0): DualVec3 => [v[from]!, v[from + 1]!, v[from + 2]!];

describe('numbers with derivatives', () => {
  it('know sums, differences, products and quotients', () => {
    for (let i = 0; i < 8; i++) {
      const at = numbers(3).map((x) => x + 2.5);
      check(([a, b, c]) => a!.plus(b!).times(c!).minus(a!.over(b!)).plus(0.5).minus(0.25).times(3), at);
    }
  });

  it('know roots, magnitudes and angles in every quadrant', () => {
    check(([a, b]) => a!.times(a!).plus(b!.times(b!)).root(), [0.4, -0.8]);
    check(([a]) => a!.times(3).minus(4).absolute(), [0.5]);
    for (const at of [
      [0.3, 0.8],
      [0.3, -0.8],
      [-0.3, -0.8],
      [-0.3, 0.8],
    ]) {
      const angle = variables(at)[0]!.angleWith(variables(at)[1]!);
      expect(angle.value).toBeCloseTo(Math.atan2(at[0]!, at[1]!), 12);
      check(([y, x]) => y!.angleWith(x!), at);
    }
  });

  it('know vectors', () => {
    const at = numbers(9);
    check((v) => dotDual(crossDual(vector(v), vector(v, 3)), vector(v, 6)), at);
    check((v) => normDual(subtractDual(vector(v), vector(v, 3))), at);
    check((v) => dotDual(unitDual(vector(v)), addDual(vector(v, 3), scaleDual(vector(v, 6), v[0]!))), at);
  });

  it('have the length one for a unit vector, whatever moves', () => {
    const unit = unitDual(vector(variables([0.2, -0.7, 0.4])));
    const length = normDual(unit);
    expect(length.value).toBeCloseTo(1, 12);
    for (const g of length.gradient) expect(g).toBeCloseTo(0, 10);
  });

  it('do not blow up where a length vanishes', () => {
    const zero = normDual(vector(variables([0, 0, 0])));
    expect(zero.value).toBe(0);
    expect([...zero.gradient]).toEqual([0, 0, 0]);
    expect([...Dual.constant(4, 2).gradient]).toEqual([0, 0]);
  });
});
