/**
 * Exchange and correlation energies per volume of the two spin densities, and their derivatives. Local: Slater's exchange with
 * the correlation of Vosko, Wilk & Nusair (1980, their fifth form); gradient-corrected: Perdew, Burke & Ernzerhof (1996) on
 * the correlation of Perdew & Wang (1992); hybrid: a quarter of its exchange exact (Adamo & Barone 1999).
 */

/** Value and derivatives at one point: of ρα, ρβ, |∇ρα|², ∇ρα·∇ρβ, |∇ρβ|². */
export interface PointEnergy {
  energy: number;
  alpha: number;
  beta: number;
  aa: number;
  ab: number;
  bb: number;
}

/** Adds what it makes of the densities at a point (electrons/bohr³ …) to `out`, times `scale`. */
type Part = (a: number, b: number, aa: number, ab: number, bb: number, scale: number, out: PointEnergy) => void;

export interface Functional {
  readonly gradient: boolean;
  readonly exactExchange: number;
  at(a: number, b: number, aa: number, ab: number, bb: number, out: PointEnergy): void;
}

/** Densities below this have no exchange and correlation worth adding. */
const EMPTY = 1e-14;
const { PI } = Math;
const SLATER = -0.75 * (3 / PI) ** (1 / 3);

const slater: Part = (a, b, _aa, _ab, _bb, scale, out) => {
  // Spin scaling: ½ E[2ρσ].
  const f = SLATER * 2 ** (1 / 3) * scale;
  if (a > EMPTY) {
    out.energy += f * a ** (4 / 3);
    out.alpha += ((4 * f) / 3) * Math.cbrt(a);
  }
  if (b > EMPTY) {
    out.energy += f * b ** (4 / 3);
    out.beta += ((4 * f) / 3) * Math.cbrt(b);
  }
};

/** Energy per electron of a uniform gas and its derivatives by r_s and ζ. */
interface GasEnergy {
  value: number;
  byRadius: number;
  byPolarisation: number;
}

/** f(ζ), which joins the unpolarised to the polarised gas, and its slope. */
function spinJoin(zeta: number): readonly [number, number] {
  const up = Math.cbrt(1 + zeta),
    down = Math.cbrt(1 - zeta),
    norm = 2 ** (4 / 3) - 2;
  return [((1 + zeta) * up + (1 - zeta) * down - 2) / norm, (4 / 3) * ((up - down) / norm)];
}
/** f″(0). */
const CURVATURE = 8 / (9 * (2 ** (4 / 3) - 2));

/** Joins unpolarised, polarised energy and spin stiffness, each a value and its slope by r_s (Vosko et al. 1980). */
function joined(
  [p, dp]: readonly [number, number],
  [f, df]: readonly [number, number],
  [s, ds]: readonly [number, number],
  zeta: number,
  out: GasEnergy,
): void {
  const [join, slope] = spinJoin(zeta),
    fourth = zeta ** 4;
  const stiff = (join * (1 - fourth)) / CURVATURE,
    full = join * fourth;
  out.value = p + s * stiff + (f - p) * full;
  out.byRadius = dp + ds * stiff + (df - dp) * full;
  out.byPolarisation =
    (s / CURVATURE) * (slope * (1 - fourth) - 4 * join * zeta ** 3) + (f - p) * (slope * fourth + 4 * join * zeta ** 3);
}

/** Padé form of Vosko, Wilk & Nusair in x = √r_s; value and slope by r_s. */
function pade(x: number, a: number, x0: number, b: number, c: number): readonly [number, number] {
  const big = x * x + b * x + c,
    at0 = x0 * x0 + b * x0 + c,
    q = Math.sqrt(4 * c - b * b);
  const angle = Math.atan(q / (2 * x + b)),
    turn = -4 / ((2 * x + b) ** 2 + q * q),
    log = (2 * x + b) / big;
  const value =
    Math.log((x * x) / big) +
    ((2 * b) / q) * angle -
    ((b * x0) / at0) * (Math.log((x - x0) ** 2 / big) + ((2 * (b + 2 * x0)) / q) * angle);
  const slope = 2 / x - log + b * turn - ((b * x0) / at0) * (2 / (x - x0) - log + (b + 2 * x0) * turn);
  return [a * value, (a * slope) / (2 * x)];
}

function vosko(radius: number, zeta: number, out: GasEnergy): void {
  const x = Math.sqrt(radius);
  joined(
    pade(x, 0.0310907, -0.10498, 3.72744, 12.9352),
    pade(x, 0.01554535, -0.325, 7.06042, 18.0578),
    pade(x, -1 / (6 * PI * PI), -0.0047584, 1.13107, 13.0045),
    zeta,
    out,
  );
}

/** Form of Perdew & Wang (1992); value and slope by r_s. */
function interpolated(radius: number, a: number, a1: number, b: readonly number[]): readonly [number, number] {
  const x = Math.sqrt(radius);
  const q = 2 * a * x * (b[0]! + x * (b[1]! + x * (b[2]! + x * b[3]!)));
  const dq = a * (b[0]! / x + 2 * b[1]! + 3 * b[2]! * x + 4 * b[3]! * x * x);
  const log = Math.log(1 + 1 / q);
  return [-2 * a * (1 + a1 * radius) * log, -2 * a * a1 * log + (2 * a * (1 + a1 * radius) * dq) / (q * q + q)];
}

function perdewWang(radius: number, zeta: number, out: GasEnergy): void {
  const [s, ds] = interpolated(radius, 0.0168869, 0.11125, [10.357, 3.6231, 0.88026, 0.49671]);
  joined(
    interpolated(radius, 0.0310907, 0.2137, [7.5957, 3.5876, 1.6382, 0.49294]),
    interpolated(radius, 0.01554535, 0.20548, [14.1189, 6.1977, 3.3662, 0.62517]),
    [-s, -ds],
    zeta,
    out,
  );
}

const gas: GasEnergy = { value: 0, byRadius: 0, byPolarisation: 0 };
const radiusOf = (density: number): number => Math.cbrt(3 / (4 * PI * density));
/** Polarisation, kept off the ends where slopes are infinite. */
const polarisation = (a: number, b: number): number => Math.max(-1 + 1e-10, Math.min(1 - 1e-10, (a - b) / (a + b)));

const localCorrelation: Part = (a, b, _aa, _ab, _bb, scale, out) => {
  const density = a + b;
  if (density < EMPTY) return;
  const zeta = polarisation(a, b),
    radius = radiusOf(density);
  vosko(radius, zeta, gas);
  out.energy += scale * density * gas.value;
  const common = gas.value - (radius / 3) * gas.byRadius;
  out.alpha += scale * (common + (1 - zeta) * gas.byPolarisation);
  out.beta += scale * (common - (1 + zeta) * gas.byPolarisation);
};

const KAPPA = 0.804,
  MU = 0.2195149727645171;

/** E_x of one spin: ½ E_x[2ρσ] with the enhancement 1 + κ − κ/(1 + μs²/κ). */
function enhancedExchange(density: number, square: number): readonly [number, number, number] {
  const rho = 2 * density,
    slater4 = SLATER * rho ** (4 / 3);
  const k = 4 * (3 * PI * PI) ** (2 / 3) * rho ** (8 / 3);
  const s2 = (4 * square) / k;
  const bottom = 1 + (MU * s2) / KAPPA;
  const f = 1 + KAPPA - KAPPA / bottom,
    df = MU / (bottom * bottom);
  return [0.5 * slater4 * f, (slater4 / rho) * ((4 / 3) * f - (8 / 3) * s2 * df), 0.5 * slater4 * df * (4 / k)];
}

const gradientExchange: Part = (a, b, aa, _ab, bb, scale, out) => {
  if (a > EMPTY) {
    const [e, v, g] = enhancedExchange(a, aa);
    out.energy += scale * e;
    out.alpha += scale * v;
    out.aa += scale * g;
  }
  if (b > EMPTY) {
    const [e, v, g] = enhancedExchange(b, bb);
    out.energy += scale * e;
    out.beta += scale * v;
    out.bb += scale * g;
  }
};

const GAMMA = (1 - Math.LN2) / (PI * PI),
  BETA = 0.06672455060314922;

/** H of Perdew, Burke & Ernzerhof (their equation 7) with its derivatives by ε, g = γφ³ and u = t². */
function gradientTerm(energy: number, g: number, u: number): readonly [number, number, number, number] {
  const grown = Math.expm1(-energy / g),
    a = BETA / GAMMA / grown;
  const byEnergy = (a * a * (GAMMA / BETA) * (grown + 1)) / g;
  const top = u * (1 + a * u),
    bottom = 1 + a * u + a * a * u * u;
  const q = 1 + ((BETA / GAMMA) * top) / bottom;
  const scale = (g * (BETA / GAMMA)) / q;
  const byU = scale * ((1 + 2 * a * u) / bottom - (top * (a + 2 * a * a * u)) / (bottom * bottom));
  const byA = scale * ((u * u) / bottom - (top * (u + 2 * a * u * u)) / (bottom * bottom));
  const log = Math.log(q);
  return [g * log, byA * byEnergy, log - (energy / g) * byA * byEnergy, byU];
}

const gradientCorrelation: Part = (a, b, aa, ab, bb, scale, out) => {
  const density = a + b;
  if (density < EMPTY) return;
  const zeta = polarisation(a, b),
    radius = radiusOf(density),
    square = aa + 2 * ab + bb;
  perdewWang(radius, zeta, gas);
  const up = Math.cbrt(1 + zeta),
    down = Math.cbrt(1 - zeta);
  const phi = 0.5 * (up * up + down * down),
    dPhi = (1 / up - 1 / down) / 3;
  const g = GAMMA * phi ** 3,
    dG = 3 * GAMMA * phi * phi * dPhi;
  const screening = (4 * Math.cbrt(3 * PI * PI * density)) / PI;
  const perSquare = 1 / (4 * phi * phi * screening * density * density),
    u = square * perSquare;
  const [h, byEnergy, byG, byU] = gradientTerm(gas.value, g, u);
  out.energy += scale * density * (gas.value + h);
  const common = gas.value + h - (radius / 3) * gas.byRadius * (1 + byEnergy) - (7 / 3) * u * byU;
  const byZeta = gas.byPolarisation * (1 + byEnergy) + byG * dG - (2 * u * dPhi * byU) / phi;
  out.alpha += scale * (common + (1 - zeta) * byZeta);
  out.beta += scale * (common - (1 + zeta) * byZeta);
  const bySquare = scale * density * byU * perSquare;
  out.aa += bySquare;
  out.ab += 2 * bySquare;
  out.bb += bySquare;
};

const sumOf = (parts: readonly (readonly [Part, number])[], gradient: boolean, exactExchange: number): Functional => ({
  gradient,
  exactExchange,
  at(a, b, aa, ab, bb, out) {
    out.energy = out.alpha = out.beta = out.aa = out.ab = out.bb = 0;
    for (const [part, scale] of parts) part(a, b, aa, ab, bb, scale, out);
  },
});

export type MethodName = 'hf' | 'lda' | 'gga' | 'hybrid';
export const METHOD_NAMES: readonly MethodName[] = ['hf', 'lda', 'gga', 'hybrid'];

/** The functional of a method; undefined for Hartree–Fock, which needs none. */
export function functionalOf(method: MethodName): Functional | undefined {
  switch (method) {
    case 'hf':
      return undefined;
    case 'lda':
      return sumOf(
        [
          [slater, 1],
          [localCorrelation, 1],
        ],
        false,
        0,
      );
    case 'gga':
      return sumOf(
        [
          [gradientExchange, 1],
          [gradientCorrelation, 1],
        ],
        true,
        0,
      );
    case 'hybrid':
      return sumOf(
        [
          [gradientExchange, 0.75],
          [gradientCorrelation, 1],
        ],
        true,
        0.25,
      );
  }
}
