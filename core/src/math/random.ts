/** Seeded random numbers, so that the same input always gives the same answer. */
export interface Random {
  /** Uniform in [0, 1). */
  next(): number;
  /** Standard normal. */
  normal(): number;
  /** Integer in [0, n). */
  below(n: number): number;
}

/** A 128-bit xorshift-style generator (sfc32: Doty-Humphrey, PractRand) seeded from one integer. */
export function seededRandom(seed: number): Random {
  let a = 0x9e3779b9,
    b = 0x243f6a88,
    c = seed >>> 0,
    d = 1;
  const raw = (): number => {
    const t = (((a + b) | 0) + d) | 0;
    d = (d + 1) | 0;
    a = b ^ (b >>> 9);
    b = (c + (c << 3)) | 0;
    c = (c << 21) | (c >>> 11);
    c = (c + t) | 0;
    return t >>> 0;
  };
  for (let i = 0; i < 16; i++) raw();
  let spare: number | undefined;
  const next = (): number => raw() / 4294967296;
  return {
    next,
    below: (n) => Math.floor(next() * n),
    normal() {
      if (spare !== undefined) {
        const value = spare;
        spare = undefined;
        return value;
      }
      // Box & Muller 1958; 1 − u keeps the logarithm finite.
      const radius = Math.sqrt(-2 * Math.log(1 - next()));
      const angle = 2 * Math.PI * next();
      spare = radius * Math.sin(angle);
      return radius * Math.cos(angle);
    },
  };
}
