/**
 * Numbers that carry their derivatives: forward differentiation by the chain rule, exact to rounding
 * (Wengert 1964, Comm. ACM 7, 463). Each number holds its value and the gradient by a fixed set of variables.
 */
export class Dual {
  constructor(
    readonly value: number,
    readonly gradient: Float64Array,
  ) {}

  /** The variable at `index` of `count`. */
  static variable(value: number, index: number, count: number): Dual {
    const gradient = new Float64Array(count);
    gradient[index] = 1;
    return new Dual(value, gradient);
  }

  static constant(value: number, count: number): Dual {
    return new Dual(value, new Float64Array(count));
  }

  /** A function of this number with value `value` and slope `slope` here. */
  private chain(value: number, slope: number): Dual {
    return new Dual(
      value,
      this.gradient.map((g) => g * slope),
    );
  }

  plus(other: Dual | number): Dual {
    if (typeof other === 'number') return new Dual(this.value + other, this.gradient);
    return new Dual(this.value + other.value, combine(this.gradient, 1, other.gradient, 1));
  }

  minus(other: Dual | number): Dual {
    if (typeof other === 'number') return new Dual(this.value - other, this.gradient);
    return new Dual(this.value - other.value, combine(this.gradient, 1, other.gradient, -1));
  }

  times(other: Dual | number): Dual {
    if (typeof other === 'number') return this.chain(this.value * other, other);
    return new Dual(this.value * other.value, combine(this.gradient, other.value, other.gradient, this.value));
  }

  over(other: Dual): Dual {
    const value = this.value / other.value;
    return new Dual(value, combine(this.gradient, 1 / other.value, other.gradient, -value / other.value));
  }

  /** At zero the slope is infinite; it is taken as zero there, as for the length of a vector that vanishes. */
  root(): Dual {
    const value = Math.sqrt(this.value);
    return this.chain(value, value > 0 ? 0.5 / value : 0);
  }

  absolute(): Dual {
    return this.value < 0 ? this.times(-1) : this;
  }

  /** atan2(this, other), radians. */
  angleWith(other: Dual): Dual {
    const square = this.value ** 2 + other.value ** 2;
    const k = square > 0 ? 1 / square : 0;
    return new Dual(
      Math.atan2(this.value, other.value),
      combine(this.gradient, other.value * k, other.gradient, -this.value * k),
    );
  }
}

function combine(p: Float64Array, a: number, q: Float64Array, b: number): Float64Array {
  const out = new Float64Array(p.length);
  for (let i = 0; i < out.length; i++) out[i] = a * p[i]! + b * q[i]!;
  return out;
}

export type DualVec3 = readonly [Dual, Dual, Dual];

export const addDual = (a: DualVec3, b: DualVec3): DualVec3 => [a[0].plus(b[0]), a[1].plus(b[1]), a[2].plus(b[2])];
export const subtractDual = (a: DualVec3, b: DualVec3): DualVec3 => [
  a[0].minus(b[0]),
  a[1].minus(b[1]),
  a[2].minus(b[2]),
];
export const scaleDual = (a: DualVec3, k: Dual | number): DualVec3 => [a[0].times(k), a[1].times(k), a[2].times(k)];
export const dotDual = (a: DualVec3, b: DualVec3): Dual =>
  a[0].times(b[0]).plus(a[1].times(b[1])).plus(a[2].times(b[2]));
export const crossDual = (a: DualVec3, b: DualVec3): DualVec3 => [
  a[1].times(b[2]).minus(a[2].times(b[1])),
  a[2].times(b[0]).minus(a[0].times(b[2])),
  a[0].times(b[1]).minus(a[1].times(b[0])),
];
export const normDual = (a: DualVec3): Dual => dotDual(a, a).root();
export const unitDual = (a: DualVec3): DualVec3 => {
  const length = normDual(a);
  return [a[0].over(length), a[1].over(length), a[2].over(length)];
};
