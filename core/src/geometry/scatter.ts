/** For tests: how far values scatter when sites and cell move by their s.u., independently. */
import type { Structure } from '../crystal/structure.ts';
import { seededRandom } from '../math/random.ts';

/** Standard deviation of each value over `trials` moved structures; a value's sign is passed over, since a normal's is free. */
export function scatterOf(s: Structure, values: (moved: Structure) => readonly number[], trials = 12_000): number[] {
  const gauss = seededRandom(99);
  const known = values(s);
  const sums = known.map(() => 0),
    squares = known.map(() => 0);
  const su = s.cell.su ?? [0, 0, 0, 0, 0, 0];
  const names = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'] as const;
  for (let t = 0; t < trials; t++) {
    const cell = { ...s.cell };
    names.forEach((name, k) => (cell[name] += su[k]! && su[k]! * gauss.normal()));
    const sites = s.sites.map((x) => ({
      ...x,
      position: x.position.map((v, k) => v + (x.positionSu?.[k] ?? 0) * gauss.normal()) as never,
    }));
    values({ ...s, cell, sites }).forEach((v, i) => {
      const d = Math.abs(v) - Math.abs(known[i]!);
      sums[i]! += d;
      squares[i]! += d * d;
    });
  }
  return sums.map((sum, i) => Math.sqrt(squares[i]! / trials - (sum / trials) ** 2));
}
