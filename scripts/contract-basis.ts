/**
 * Makes core/src/quantum/tables/own-basis.json: for every element to Kr even-tempered primitives, contracted to the orbitals of
 * the averaged Hartree–Fock atom. Run with `npm run basis`; it takes some minutes.
 *
 * Recipe: of each l that is occupied, exponents α_l β^i from the most diffuse on; β and the number follow from the row of the
 * element; α_l, one for each l, are those of lowest energy (each in turn by steps that shrink).
 */
import { writeFileSync } from 'node:fs';
import { ELEMENTS } from '@nagare/core/crystal/elements';
import type { ShellRecipe } from '@nagare/core/quantum/gaussian';
import { configuration, HEAVIEST_ATOM, sphericalAtom, type SphericalAtom } from '@nagare/core/quantum/spherical-atom';

/** Ratio of neighbouring exponents. */
const RATIO = 2.4;
/** Steepest s exponent in units of Z²: what resolves the nucleus; that of p and d is a share of it. */
const STEEPEST = (z: number): number => (z < 3 ? 60 : z < 11 ? 120 : 200);
const SHARES = [1, 0.025, 0.008] as const;

/** Number of primitives of an l from a least exponent on. */
function countOf(z: number, l: number, least: number): number {
  const highest = STEEPEST(z) * z ** 2 * SHARES[l]!;
  return Math.max(4, Math.round(Math.log(highest / least) / Math.log(RATIO)) + 1);
}

const tempered = (z: number, l: number, least: number): ShellRecipe[] =>
  Array.from({ length: countOf(z, l, least) }, (_, i) => ({ l, exponents: [least * RATIO ** i], coefficients: [1] }));

const atomOf = (z: number, least: readonly number[]): SphericalAtom =>
  sphericalAtom(
    z,
    z,
    configuration(z).flatMap((n, l) => (n.length ? tempered(z, l, least[l]!) : [])),
  );

/** Least exponents of lowest energy. */
function optimised(z: number, start: readonly number[]): { least: number[]; atom: SphericalAtom } {
  const least = [...start];
  let atom = atomOf(z, least);
  for (let step = 1.25; step > 1.04; step = Math.sqrt(step))
    for (let l = 0; l < 3; l++) {
      if (!configuration(z)[l]!.length) continue;
      for (const factor of [step, 1 / step])
        for (;;) {
          const trial = least.map((x, k) => (k === l ? x * factor : x));
          const other = atomOf(z, trial);
          if (!(other.energy < atom.energy - 1e-7)) break;
          [least[l], atom] = [trial[l]!, other];
        }
    }
  return { least, atom };
}

const digits = (x: number): number => Number(x.toPrecision(9));
const out: Record<string, unknown> = {};
let before: readonly number[] = [0.12, 0.12, 0.3];
for (let z = 1; z <= HEAVIEST_ATOM; z++) {
  const symbol = ELEMENTS[z - 1]!.symbol;
  const { least, atom } = optimised(z, before);
  before = least;
  out[symbol] = {
    energy: Number(atom.energy.toFixed(6)),
    blocks: atom.blocks
      .filter((b) => b.electrons.length)
      .map((b) => ({
        l: b.l,
        exponents: b.recipes.map((r) => digits(r.exponents[0]!)),
        orbitals: b.electrons.map((_, k) => b.recipes.map((_, i) => digits(b.orbitals[i * b.width + k]!))),
      })),
  };
  process.stdout.write(`${symbol} ${atom.energy.toFixed(6)} ${least.map((x) => x.toFixed(4)).join(' ')}\n`);
}
writeFileSync(new URL('../core/src/quantum/tables/own-basis.json', import.meta.url), `${JSON.stringify(out)}\n`);
