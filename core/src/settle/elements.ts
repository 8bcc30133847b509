/** Which element a site holds: its occupancy refined freely says how many electrons are there. */
import { experiment } from '../crystal/experiment.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import type { Formula } from '../crystal/formula.ts';
import { equivalentU, modelContents, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { neighbours } from '../crystal/neighbours.ts';
import { OCCUPANCY, siteOffset } from '../refine/parameters.ts';
import { linearRestraint } from '../refine/restraints.ts';
import { refineStructure, type CycleReport } from '../refine/single-crystal.ts';
import type { TaskContext } from '../task-context.ts';
import { refineStage, type StageSurroundings, type Stage } from './stage.ts';
import type { Treatment } from '../crystal/treatment.ts';

export interface ElementReading {
  readonly site: number;
  readonly label: string;
  readonly element: string;
  /** Occupancy refined from 1, and the electrons it stands for. */
  readonly occupancy: number;
  readonly su: number;
  readonly electrons: number;
  /** Elements that fit within three s.u. or, where none does, the nearest. */
  readonly fits: readonly string[];
  readonly text: string;
}

const LIKELY = [
  'B',
  'C',
  'N',
  'O',
  'F',
  'Na',
  'Mg',
  'Al',
  'Si',
  'P',
  'S',
  'Cl',
  'K',
  'Ca',
  'Cr',
  'Mn',
  'Fe',
  'Co',
  'Ni',
  'Cu',
  'Zn',
  'Ga',
  'Ge',
  'As',
  'Se',
  'Br',
  'Mo',
  'Ru',
  'Rh',
  'Pd',
  'Ag',
  'Cd',
  'Sn',
  'I',
  'W',
  'Re',
  'Pt',
  'Au',
  'Hg',
  'Pb',
];

/** Sites worth testing: those whose displacement differs from their neighbours', and the hetero atoms with what they are bonded to. */
export function suspiciousSites(s: Structure): number[] {
  const list = bonds(s).filter((b) => !isHydrogen(s.sites[b.from]!.element) && !isHydrogen(s.sites[b.to]!.element));
  const u = s.sites.map((x) => equivalentU(s.cell, x.displacement));
  const out = new Set<number>();
  s.sites.forEach((x, i) => {
    if (isHydrogen(x.element) || x.disorder) return;
    const near = list.filter((b) => b.from === i);
    const mean = near.reduce((p, b) => p + u[b.to]!, 0) / Math.max(1, near.length);
    if (near.length && (u[i]! < 0.72 * mean || u[i]! > 1.55 * mean)) out.add(i);
    if (x.element !== 'C' && elementOf(x.element).z < 20) {
      out.add(i);
      for (const b of near) if (s.sites[b.to]!.element === 'C' && !s.sites[b.to]!.disorder) out.add(b.to);
    }
  });
  return [...out].sort((a, b) => a - b);
}

/** Frees the occupancies of the given sites and reads their electrons. */
export async function readElements(
  around: StageSurroundings,
  s: Structure,
  treatment: Treatment,
  sites: readonly number[],
  candidates: readonly string[] = LIKELY,
): Promise<{ readings: ElementReading[]; r1: number }> {
  const stage = await refineStage(around, 'Electrons of the sites', s, treatment, {
    cycles: 5,
    occupancies: sites,
    covariance: true,
    settled: 0.3,
  });
  const readings = sites.map((site): ElementReading => {
    const x = stage.structure.sites[site]!,
      z = elementOf(x.element).z;
    const occupancy = x.occupancy / (s.sites[site]!.occupancy || 1),
      su = (x.occupancySu ?? 0) / (s.sites[site]!.occupancy || 1);
    const electrons = occupancy * z;
    const near = candidates
      .map((e) => ({ e, off: Math.abs(elementOf(e).z - electrons) }))
      .sort((p, q) => p.off - q.off);
    const within = near
      .filter((c) => c.off < Math.max(0.35, 3 * su * z))
      .map((c) => c.e)
      .slice(0, 3);
    const fits = within.length ? within : [near[0]!.e];
    return {
      site,
      label: x.label,
      element: x.element,
      occupancy,
      su,
      electrons,
      fits,
      text: `${x.label} holds ${electrons.toFixed(1)} ± ${(su * z).toFixed(1)} electrons as ${x.element} (${z})${fits.includes(x.element) ? '' : `; ${fits.join(' or ')} fits better`}`,
    };
  });
  return { readings, r1: stage.readings.r1 };
}

/** Element changes the electrons ask for: exchanges that keep the contents, or changes towards the formula where it is known. */
export function correctedElements(
  s: Structure,
  readings: readonly ElementReading[],
  formulaPerUnit: Formula | undefined,
): { structure: Structure; changes: string[] } {
  const changes: string[] = [];
  const sites = [...s.sites];
  const light = readings.filter((r) => ['C', 'N', 'O', 'F'].includes(r.element));
  const exchange = (a: ElementReading, b: ElementReading): void => {
    sites[a.site] = { ...sites[a.site]!, element: b.element };
    sites[b.site] = { ...sites[b.site]!, element: a.element };
    changes.push(`${a.label} is ${b.element} and ${b.label} is ${a.element}`);
  };
  const used = new Set<number>();
  for (const low of light)
    for (const high of light) {
      const zl = elementOf(low.element).z,
        zh = elementOf(high.element).z;
      // Two sites the wrong way round: the lighter element holds clearly more electrons than the heavier.
      if (zl >= zh || used.has(low.site) || used.has(high.site)) continue;
      if (
        low.electrons - high.electrons > Math.max(0.12, 1.0 * Math.hypot(low.su * zl, high.su * zh)) &&
        low.electrons > (zl + zh) / 2 - 0.35 &&
        high.electrons < (zl + zh) / 2 + 0.35
      ) {
        exchange(low, high);
        used.add(low.site).add(high.site);
      }
    }
  if (formulaPerUnit) {
    const now: Record<string, number> = { ...modelContents({ ...s, sites }) };
    for (const r of [...light].sort(
      (p, q) => Math.abs(q.electrons - elementOf(q.element).z) - Math.abs(p.electrons - elementOf(p.element).z),
    )) {
      if (used.has(r.site)) continue;
      const off = r.electrons - elementOf(r.element).z;
      if (Math.abs(off) < 0.45) continue;
      const wanted = ['C', 'N', 'O', 'F']
        .filter(
          (e) =>
            (formulaPerUnit[e] ?? 0) - (now[e] ?? 0) > 0.4 &&
            Math.sign(elementOf(e).z - elementOf(r.element).z) === Math.sign(off),
        )
        .sort((p, q) => Math.abs(elementOf(p).z - r.electrons) - Math.abs(elementOf(q).z - r.electrons))[0];
      if (!wanted || (now[r.element] ?? 0) - (formulaPerUnit[r.element] ?? 0) < 0.4) continue;
      now[wanted] = (now[wanted] ?? 0) + 1;
      now[r.element]!--;
      sites[r.site] = { ...sites[r.site]!, element: wanted };
      changes.push(`${r.label} is ${wanted}`);
    }
  }
  return {
    structure: relabel(
      { ...s, sites },
      readings.map((r) => r.site).filter((i) => sites[i]!.element !== s.sites[i]!.element),
    ),
    changes,
  };
}

/** New labels for sites whose element changed, the first free number of the new element. */
export function relabel(s: Structure, changed: readonly number[]): Structure {
  const sites = [...s.sites];
  for (const i of changed) {
    const element = sites[i]!.element;
    const taken = new Set(sites.filter((_, j) => j !== i).map((x) => x.label));
    // The number stays where it can, and so does the letter of a second place.
    const [, number, suffix] = /(\d+)([A-Z]?)\S*$/.exec(sites[i]!.label) ?? [undefined, '1', ''];
    let n = Number(number);
    if (taken.has(`${element}${n}${suffix}`)) for (n = 1; taken.has(`${element}${n}${suffix}`); n++);
    sites[i] = { ...sites[i]!, label: `${element}${n}${suffix}` };
  }
  return { ...s, sites };
}

/** Sites that stand closer to a stronger one than any bond allows: one of two places, taken for an atom of its own. */
export function tooClose(s: Structure): number[] {
  const out = new Set<number>();
  for (const n of neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    { widest: 1.02, of: (i, j) => (isHydrogen(s.sites[i]!.element) || isHydrogen(s.sites[j]!.element) ? 0 : 1.02) },
  )) {
    const a = s.sites[n.from]!,
      b = s.sites[n.to]!;
    if (
      a.disorder &&
      b.disorder &&
      a.disorder.assembly === b.disorder.assembly &&
      a.disorder.group !== b.disorder.group
    )
      continue;
    if (out.has(n.from) || out.has(n.to)) continue;
    const weaker =
      elementOf(a.element).z < elementOf(b.element).z ||
      (a.element === b.element && equivalentU(s.cell, a.displacement) > equivalentU(s.cell, b.displacement))
        ? n.from
        : n.to;
    out.add(weaker);
  }
  return [...out];
}

/**
 * Elements by rank: all occupancies are refined with their electron sum held, and the formula's elements are dealt out from
 * the site with most electrons down. For models whose fit is still poor; the caller keeps the result only if the fit gains.
 */
export async function rankedElements(
  around: StageSurroundings,
  s: Structure,
  treatment: Treatment,
  contents: Formula,
): Promise<Structure | undefined> {
  const sites = s.sites.map((_, i) => i).filter((i) => !isHydrogen(s.sites[i]!.element));
  const total = sites.reduce((sum, i) => sum + elementOf(s.sites[i]!.element).z * s.sites[i]!.occupancy, 0);
  const result = await refineStructure(
    experiment(s, around.reflections, around.wavelength, { treatment }),
    {
      cycles: 6,
      optimizeWeights: false,
      occupancies: sites,
      covariance: false,
      settled: 0.3,
      restraints: [
        linearRestraint(
          'electrons of all sites',
          sites.map((i) => [siteOffset(i) + OCCUPANCY, elementOf(s.sites[i]!.element).z] as const),
          total,
          total * 1e-4,
        ),
      ],
    },
    { ...around.context, progress: () => undefined } as TaskContext<CycleReport>,
  );
  const ranked = sites
    .map((i) => ({
      i,
      electrons: (result.structure.sites[i]!.occupancy * elementOf(s.sites[i]!.element).z) / s.sites[i]!.occupancy,
    }))
    .sort((p, q) => q.electrons - p.electrons);
  const pool = Object.entries(contents)
    .filter(([e]) => !isHydrogen(e))
    .flatMap(([e, n]) => Array.from({ length: Math.round(n) }, () => e))
    .sort((p, q) => elementOf(q).z - elementOf(p).z);
  const next = [...s.sites];
  ranked.forEach(({ i }, k) => {
    next[i] = { ...next[i]!, element: pool[k] ?? pool.at(-1) ?? next[i]!.element };
  });
  const changed = sites.filter((i) => next[i]!.element !== s.sites[i]!.element);
  return changed.length ? relabel({ ...s, sites: next }, changed) : undefined;
}

/**
 * Exchanges that the displacements suggest: a lighter element that moves too little for its surroundings with a heavier one
 * that moves too much. Copies in other disorder groups change with their partners. Each is tried and kept when R1 falls.
 */
export async function exchangeElements(
  around: StageSurroundings,
  stage: Stage,
  most = 8,
): Promise<{ stage: Stage; changes: string[] }> {
  const changes: string[] = [];
  let now = stage;
  const tried = new Set<string>();
  for (let round = 0; round < most; round++) {
    const s = now.structure;
    const partners = new Map<number, number[]>();
    const index = new Map(s.sites.map((x, i) => [x.id, i]));
    for (const r of s.controls?.restraints ?? [])
      if (r.kind === 'same geometry')
        r.first.forEach((id, k) => {
          const a = index.get(id),
            b = index.get(r.second[k]!);
          if (a !== undefined && b !== undefined && a !== b) partners.set(a, [...(partners.get(a) ?? []), b]);
        });
    const followers = new Set([...partners.values()].flat());
    const list = bonds(s).filter((b) => !isHydrogen(s.sites[b.from]!.element) && !isHydrogen(s.sites[b.to]!.element));
    const u = s.sites.map((x) => Math.max(0.002, equivalentU(s.cell, x.displacement)));
    const ratio = (i: number): number => {
      const near = list.filter((b) => b.from === i);
      return near.length ? u[i]! / (near.reduce((p, b) => p + u[b.to]!, 0) / near.length) : 1;
    };
    const light = s.sites
      .map((_, i) => i)
      .filter((i) => ['C', 'N', 'O', 'F'].includes(s.sites[i]!.element) && !followers.has(i))
      .map((i) => ({ i, z: elementOf(s.sites[i]!.element).z, ratio: ratio(i) }));
    const pairs = light
      .flatMap((a) =>
        light
          .filter((b) => a.z < b.z && a.ratio < 0.9 && b.ratio > a.ratio * 1.25)
          .map((b) => ({ a: a.i, b: b.i, gain: b.ratio / a.ratio })),
      )
      .sort((p, q) => q.gain - p.gain)
      .filter((p) => !tried.has(`${s.sites[p.a]!.id} ${s.sites[p.b]!.id}`));
    const pair = pairs[0];
    if (!pair || pair.gain < 1.25) break;
    tried.add(`${s.sites[pair.a]!.id} ${s.sites[pair.b]!.id}`);
    const sites = [...s.sites],
      touched: number[] = [];
    const set = (i: number, element: string): void => {
      for (const k of [i, ...(partners.get(i) ?? [])]) {
        sites[k] = { ...sites[k]!, element };
        touched.push(k);
      }
    };
    const [ea, eb] = [s.sites[pair.a]!.element, s.sites[pair.b]!.element];
    set(pair.a, eb);
    set(pair.b, ea);
    const next = await refineStage(around, 'Elements', relabel({ ...s, sites }, touched), now.treatment, {
      cycles: 6,
      settled: 0.2,
    }).catch(() => undefined);
    if (!next || next.readings.r1 >= now.readings.r1 * 0.99) continue;
    changes.push(`${s.sites[pair.a]!.label} is ${eb} and ${s.sites[pair.b]!.label} is ${ea}`);
    now = next;
  }
  return { stage: now, changes };
}
