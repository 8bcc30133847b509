/** How long a round will take and how much memory it needs, before anything is begun. */
import type { Structure } from '../crystal/structure.ts';
import { MOST_KEPT } from '../quantum/exchange-correlation.ts';
import { fittingShells } from '../quantum/fitting-basis.ts';
import { functionCount, type ShellRecipe } from '../quantum/gaussian.ts';
import { SUMMED_PARTS } from '../quantum/crew.ts';
import { functionalOf } from '../quantum/functionals.ts';
import { shellsOf } from '../quantum/basis-sets.ts';
import { dot, subtract, type Vec3 } from '../math/matrix3.ts';
import { alternatives, clustersOf, togetherOf, type Cluster } from './cluster.ts';
import { lowestMultiplicity, type FactorOptions } from './crystal-factors.ts';

/** One molecule as it will be calculated. */
export interface MoleculeForecast {
  /** Labels of the sites of its atoms. */
  readonly labels: readonly string[];
  /** Where these are a part of a molecule: which one, and of how many. */
  readonly part?: { readonly number: number; readonly of: number };
  readonly atoms: number;
  readonly functions: number;
  readonly electrons: number;
  /** Proposed: the sum of formal charges, and the lowest spin multiplicity. */
  readonly charge: number;
  readonly multiplicity: number;
  /** Elements that the basis holds no functions for. */
  readonly missing: readonly string[];
}

export interface Forecast {
  readonly molecules: readonly MoleculeForecast[];
  /** Of what is held at once, in 10⁶ bytes. */
  readonly megabytes: number;
  /** Multiplications of one round, in 10⁹: seconds by what a machine was seen to do. */
  readonly work: number;
}

const functionsOf = (s: ShellRecipe): number => functionCount({ l: s.l, pure: s.l > 1 && !s.cartesian });
const functionsIn = (shells: readonly ShellRecipe[]): number => shells.reduce((n, s) => n + functionsOf(s), 0);

/** Beyond e to minus this, a product of two functions is left out (10⁻¹⁰). */
const NOTHING = 23;

/** Pairs of functions whose products count, by the widest primitive of each shell: exp(−αβR²/(α+β)) at its largest. */
export function countingPairs(shells: readonly { readonly recipe: ShellRecipe; readonly at: Vec3 }[]): number {
  const known = shells.map(({ recipe, at }) => ({
    functions: functionsOf(recipe),
    least: Math.min(...recipe.exponents),
    at,
  }));
  let pairs = 0;
  known.forEach((p, i) => {
    pairs += (p.functions * (p.functions + 1)) / 2;
    for (const q of known.slice(0, i)) {
      const off = subtract(p.at, q.at);
      const reduced = (p.least * q.least) / (p.least + q.least);
      if (reduced * dot(off, off) < NOTHING) pairs += p.functions * q.functions;
    }
  });
  return pairs;
}

/** Usual number of iterations, and of times that a field is made. */
const ITERATIONS = 12,
  FIELD_TIMES = 2.2;
/** Points of the grid per atom, and what a point costs per function beside products of matrices. */
const POINTS = 5500,
  PER_VALUE = 25;
/** What an integral over three functions costs, in multiplications. */
const PER_INTEGRAL = 90;

function costOf(
  c: Cluster,
  options: FactorOptions,
): { functions: number; memory: number; work: number; missing: string[] } {
  let functions = 0,
    fitting = 0;
  const missing = new Set<string>();
  const all: { recipe: ShellRecipe; at: Vec3 }[] = [];
  for (const { element, position: at } of c.centres) {
    const shells = shellsOf(options.wavefunction.basis, element);
    if (!shells) missing.add(element);
    else {
      functions += functionsIn(shells);
      fitting += functionsIn(fittingShells(shells));
      all.push(...shells.map((recipe) => ({ recipe, at })));
    }
  }
  const pairs = countingPairs(all),
    occupied = c.centres.reduce((sum, x) => sum + x.charge, 0) / 2;
  const functional = functionalOf(options.wavefunction.method);
  const exchange = !functional || functional.exactExchange > 0;
  const points = POINTS * c.centres.length,
    // Functions that reach a batch of points: most of a small molecule, fewer of a large one.
    near = Math.min(functions, 60 + 0.45 * functions);
  const kept = functional ? Math.min(MOST_KEPT, points * near * (functional.gradient ? 4 : 1)) : 0;
  const once = pairs * fitting * PER_INTEGRAL + 0.5 * fitting * fitting * pairs;
  const each =
    2 * pairs * fitting +
    (exchange ? 2 * fitting * functions * functions * occupied : 0) +
    (functional ? points * near * (2 * near + 4 * PER_VALUE) : 0);
  const shares = 14_000 * c.own * near * (near + PER_VALUE);
  const times = options.neighbours === 'field' ? FIELD_TIMES : 1;
  return {
    functions,
    memory: 8 * (fitting * pairs + fitting * fitting + 2 * SUMMED_PARTS * functions * functions + kept),
    work: times * (once + ITERATIONS * each + shares),
    missing: [...missing],
  };
}

/** Forecast of one round. Throws ImpossibleMolecule where the model has no molecules. */
export function forecastOf(s: Structure, options: FactorOptions, triples = 0): Forecast {
  const molecules: MoleculeForecast[] = [];
  let megabytes = 0,
    work = 0;
  const done = new Set<string>();
  for (const alternative of alternatives(s)) {
    const labels = new Map(alternative.sites.map((x) => [x.id, x.label]));
    const clusters = options.together
      ? [togetherOf(alternative)]
      : clustersOf(alternative, options.neighbours, options.whole);
    for (const c of clusters) {
      const own = c.atoms.slice(0, c.own);
      if (own.every((a) => done.has(a.site))) continue;
      for (const a of own) done.add(a.site);
      const cost = costOf(c, options);
      // In a field all molecules are held, otherwise one after another.
      megabytes =
        options.neighbours === 'field' ? megabytes + cost.memory / 1e6 : Math.max(megabytes, cost.memory / 1e6);
      work += cost.work / 1e9 + (c.own * triples * 121 * 60) / 1e9;
      const charge = options.charges?.[molecules.length] ?? c.charge;
      molecules.push({
        labels: own.map((a) => labels.get(a.site)!),
        ...(c.part ? { part: c.part } : {}),
        atoms: c.centres.length,
        functions: cost.functions,
        electrons: c.centres.reduce((sum, x) => sum + x.charge, 0) - charge,
        charge,
        multiplicity: options.spins?.[molecules.length] ?? lowestMultiplicity(c, charge),
        missing: cost.missing,
      });
    }
  }
  return { molecules, megabytes, work };
}
