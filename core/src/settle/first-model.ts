/** What a first model has too much or too little: atoms that fade, atoms still missing. */
import type { Formula } from '../crystal/formula.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { equivalentU, modelContents, newId, type Structure } from '../crystal/structure.ts';
import type { Stage } from './stage.ts';

/** Atoms that came as an element but fade away: their U runs far beyond everybody's. */
export function ghosts(s: Structure): number[] {
  const heavy = s.sites
    .map((x, i) => ({ i, u: equivalentU(s.cell, x.displacement) }))
    .filter(({ i }) => !isHydrogen(s.sites[i]!.element));
  const u = heavy.map((x) => x.u).sort((a, b) => a - b);
  const middle = u[Math.floor(u.length / 2)] ?? 0.04;
  return heavy.filter((x) => x.u > Math.max(0.2, 5 * middle) && !s.sites[x.i]!.disorder).map((x) => x.i);
}

/** Strong maxima that the formula says are atoms still missing, as sites. */
export function missingAtoms(stage: Stage, contents: Formula | undefined): Structure | undefined {
  const s = stage.structure;
  if (!contents) return undefined;
  const now = modelContents(s);
  const missing = Object.entries(contents)
    .filter(([e]) => !isHydrogen(e))
    .flatMap(([e, n]) => Array.from({ length: Math.max(0, Math.round(n - (now[e] ?? 0))) }, () => e))
    .sort((p, q) => elementOf(q).z - elementOf(p).z);
  const sites = [...s.sites];
  for (const p of stage.map.peaks) {
    if (!missing.length) break;
    const element = missing[0]!,
      near = p.near[0];
    if (p.height < Math.max(1.6, 0.22 * elementOf(element).z) || !near || near.distance < 1.05) continue;
    const bonded = near.distance < 1.95,
      alone = near.distance > 2.3;
    if (!bonded && !alone) continue;
    missing.shift();
    let n = 1;
    while (sites.some((x) => x.label === `${element}${n}`)) n++;
    sites.push({
      id: newId(),
      label: `${element}${n}`,
      element,
      position: p.position,
      occupancy: 1,
      displacement: { kind: 'iso', u: 0.04 },
    });
  }
  return sites.length > s.sites.length ? { ...s, sites } : undefined;
}
