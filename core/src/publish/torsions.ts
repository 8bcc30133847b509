/** The torsions a structure has. */
import type { Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import type { Place } from '../geometry/measure.ts';

/** Chains of four bonded places about bonds that are not ends, each once. */
export function torsionPlaces(s: Structure): [Place, Place, Place, Place][] {
  const list = bonds(s);
  const out: [Place, Place, Place, Place][] = [];
  const by = new Map<number, typeof list>();
  for (const b of list) by.set(b.from, [...(by.get(b.from) ?? []), b]);
  const key = (x: readonly number[]): string => x.map((v) => v.toFixed(4)).join();
  for (const b of list) {
    const plain = b.operator.r.every((x, i) => x === (i % 4 ? 0 : 1)) && b.operator.t.every((t) => Math.abs(t) < 1e-9);
    // Middle bonds inside the unit; those across symmetry follow from the others.
    if (!plain || b.from > b.to) continue;
    for (const a of by.get(b.from) ?? []) {
      if (a.to === b.to && key(a.position) === key(b.position)) continue;
      for (const c of by.get(b.to) ?? []) {
        if (c.to === b.from && key(c.position) === key(s.sites[b.from]!.position)) continue;
        if (key(a.position) === key(c.position)) continue;
        out.push([
          { site: a.to, operator: a.operator },
          { site: b.from },
          { site: b.to },
          { site: c.to, operator: c.operator },
        ]);
      }
    }
  }
  return out;
}
