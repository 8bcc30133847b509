/** Looks for parts of the model that lie in two places, and models them where the evidence is plain. */
import { NO_CONTROLS, type Restraint } from '../crystal/controls.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { equivalentU, newId, type Structure } from '../crystal/structure.ts';
import { fragments } from '../geometry/bonds.ts';
import { addPlace } from '../model/disorder.ts';
import { farSide, fragmentOf, proposeSecondPlaces, turnableBonds, type PlaceProposal } from '../model/second-place.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { refineStage, type StageSurroundings, type Stage } from './stage.ts';

export interface Suspect {
  readonly sites: readonly number[];
  /** Residual density near these atoms that nothing else explains, e Å⁻³ summed over maxima. */
  readonly evidence: number;
  readonly words: string;
}

const namesOf = (s: Structure, sites: readonly number[]): string =>
  sites.length <= 4
    ? sites.map((i) => s.sites[i]!.label).join(', ')
    : `${s.sites[sites[0]!]!.label} … ${s.sites[sites.at(-1)!]!.label} (${sites.length} atoms)`;

/** Whole fragments and end groups, ranked by the residual maxima around them and by how much their atoms move. */
export function suspects(stage: Stage): Suspect[] {
  const s = stage.structure;
  const floor = Math.max(0.45, 4 * stage.map.sigma);
  const u = s.sites.map((x) => equivalentU(s.cell, x.displacement));
  const middle = [...u].sort((a, b) => a - b)[Math.floor(u.length / 2)] ?? 0.04;
  const near = stage.map.peaks.filter(
    (p) =>
      p.height > floor &&
      p.near[0] &&
      p.near[0].distance > 0.35 &&
      p.near[0].distance < 1.9 &&
      !(elementOf(s.sites[p.near[0].site]!.element).z > 20 && p.near[0].distance < 1.5),
  );
  const heavy = (list: readonly number[]): number[] => list.filter((i) => !isHydrogen(s.sites[i]!.element));
  const candidates: number[][] = fragments(s)
    .map(heavy)
    .filter((f) => f.length >= 2 && f.length <= 40 && f.every((i) => !s.sites[i]!.disorder));
  for (const whole of [...candidates]) {
    const fragment = fragmentOf(s, whole);
    for (const [a, b] of turnableBonds(s, whole)) {
      for (const [p, q] of [
        [a, b],
        [b, a],
      ] as const) {
        const side = farSide(s, fragment, p, q);
        if (!side) continue;
        const sites = heavy(side.map((i) => fragment.sites[i]!)).sort((x, y) => x - y);
        if (sites.length >= 2 && sites.length <= Math.min(16, 0.7 * whole.length)) candidates.push(sites);
        // The far atom may stay where it is while the rest turns about it.
        const beyond = sites.filter((i) => i !== q);
        if (beyond.length >= 2 && beyond.length <= 12) candidates.push(beyond);
      }
    }
  }
  const out = candidates
    .map((sites): Suspect => {
      const set = new Set(sites);
      const evidence = near.reduce((sum, p) => sum + (set.has(p.near[0]!.site) ? p.height : 0), 0);
      const others = near.reduce((sum, p) => sum + (set.has(p.near[0]!.site) ? 0 : p.height), 0);
      const swollen = sites.reduce((sum, i) => sum + u[i]! / middle, 0) / sites.length;
      // Small groups that hold all of the evidence come before large ones that merely contain them.
      return {
        sites,
        evidence: (evidence / Math.sqrt(sites.length)) * Math.max(0.7, Math.min(2, swollen)) - 0.15 * others,
        words: namesOf(s, sites),
      };
    })
    .filter((x) => x.evidence > 0.35);
  const seen = new Set<string>();
  return out
    .sort((p, q) => q.evidence - p.evidence)
    .filter((x) => {
      const k = x.sites.join();
      if (seen.has(k)) return false;
      seen.add(k);
      return true;
    });
}

/** A fragment whose first place has a share of the density: residual maps show the other once its occupancy is refined. */
export async function halved(
  around: StageSurroundings,
  stage: Stage,
  sites: readonly number[],
  start = 0.65,
): Promise<Stage> {
  const s = stage.structure;
  const set = new Set(fragmentOf(s, sites).sites);
  const controls = s.controls ?? NO_CONTROLS;
  const tie = { id: newId(), kind: 'shared' as const, sites: s.sites.filter((_, i) => set.has(i)).map((x) => x.id) };
  const hold: Restraint[] = s.sites.flatMap((x, i): Restraint[] =>
    set.has(i) && !isHydrogen(x.element)
      ? [
          {
            id: newId(),
            kind: 'displacement',
            sites: [x.id],
            target: Math.min(0.05, equivalentU(s.cell, x.displacement)),
            su: 0.01,
          },
        ]
      : [],
  );
  const part: Structure = {
    ...s,
    sites: s.sites.map((x, i) =>
      set.has(i)
        ? {
            ...x,
            occupancy: start,
            displacement: { kind: 'iso' as const, u: Math.min(0.05, equivalentU(s.cell, x.displacement)) },
          }
        : x,
    ),
    controls: {
      ...controls,
      occupancies: [...controls.occupancies, tie],
      restraints: [...controls.restraints, ...hold],
    },
  };
  const refined = await refineStage(around, 'Share of the first place', part, stage.treatment, {
    cycles: 5,
    settled: 0.3,
  });
  const occupancy = refined.structure.sites.find((_, i) => set.has(i))!.occupancy;
  // The tie was only for the map.
  return {
    ...refined,
    structure: {
      ...refined.structure,
      sites: refined.structure.sites.map((x, i) => (set.has(i) ? { ...x, occupancy } : x)),
      controls,
    },
  };
}

/** Tries the likeliest suspects; keeps a second place that lowers R1 plainly. */
export async function modelDisorder(
  around: StageSurroundings,
  stage: Stage,
  mode: 'ask' | 'try',
  gain: number,
  begin: (title: string) => void,
): Promise<{ stage?: Stage; decisions: string[] }> {
  const decisions: string[] = [];
  let best: Stage | undefined;
  let now = stage;
  if (stage.structure.sites.filter((x) => !isHydrogen(x.element)).length < 3) return { decisions };
  for (let round = 0; round < 3; round++) {
    const list = suspects(now);
    if (!list.length) break;
    if (mode === 'ask') {
      decisions.push(
        `${list[0]!.words} may lie in two places (unexplained density of ${list[0]!.evidence.toFixed(1)} e Å⁻³ around it): lay out a second place.`,
      );
      break;
    }
    let won: Stage | undefined,
      merit = Infinity;
    // Doubling more atoms lowers R1 by itself: a small group that does nearly as well is the better answer.
    const meritOf = (r1: number, atoms: number): number => r1 * (1 + 0.03 * atoms);
    for (const suspect of list.slice(0, 4)) {
      begin(`Second place of ${suspect.words}`);
      const found = await tryPlace(around, now, suspect.sites);
      if (
        found &&
        found.readings.r1 < (round ? Math.max(gain, 0.88) : gain) * now.readings.r1 &&
        meritOf(found.readings.r1, suspect.sites.length) < merit
      ) {
        merit = meritOf(found.readings.r1, suspect.sites.length);
        won = {
          ...found,
          message: `${suspect.words} lies in two places. R1 ${(100 * now.readings.r1).toFixed(1)} → ${(100 * found.readings.r1).toFixed(1)} %. ${found.message}`,
        };
      }
      if (won && won.readings.r1 < 0.6 * now.readings.r1) break;
    }
    if (!won) {
      if (list[0]!.evidence > 1.2 && round === 0)
        decisions.push(
          `${list[0]!.words} may lie in two places, but no second place was found that lowers R1 plainly.`,
        );
      break;
    }
    best = now = won;
    if (now.readings.r1 < 0.08) break;
  }
  return { ...(best ? { stage: best } : {}), decisions };
}

/** A proposal refined for a few cycles in the model that would follow from it. */
export interface TriedPlace {
  readonly proposal: PlaceProposal;
  readonly stage: Stage;
  /** Refined occupancy of the copy. */
  readonly share: number;
}

/** Refines the model that each proposal leads to; the lowest R1 first. Copies that fade away or take over are left out. */
export async function tryProposals(
  around: StageSurroundings,
  part: Stage,
  treatment: Treatment,
  sites: readonly number[],
  proposals: readonly PlaceProposal[],
  cycles = 9,
  enough = 0,
): Promise<TriedPlace[]> {
  const s = part.structure;
  const out: TriedPlace[] = [];
  const fragment = fragmentOf(s, sites);
  const occupancy = Math.min(0.8, Math.max(0.2, s.sites[fragment.sites[0]!]!.occupancy));
  const whole: Structure = {
    ...s,
    sites: s.sites.map((x, i) => (fragment.sites.includes(i) ? { ...x, occupancy: 1 } : x)),
  };
  for (const proposal of proposals) {
    await around.context.breath();
    const model = addPlace(whole, { sites: fragment.sites, positions: proposal.positions, occupancy: 1 - occupancy });
    const stage = await refineStage(around, 'Second place', model, treatment, { cycles, settled: 0.1 }).catch(
      () => undefined,
    );
    const share = stage?.structure.sites.find((x) => x.disorder && !s.sites.some((y) => y.id === x.id))?.occupancy ?? 0;
    if (!stage || share < 0.04 || share > 0.96) continue;
    out.push({ proposal, stage, share });
    if (stage.readings.r1 < enough) break;
  }
  return out.sort((p, q) => p.stage.readings.r1 - q.stage.readings.r1);
}

/** Lays out the best proposals for one selection and refines them; the best that makes sense, or undefined. */
export async function tryPlace(
  around: StageSurroundings,
  stage: Stage,
  sites: readonly number[],
): Promise<Stage | undefined> {
  const part = await halved(around, stage, sites).catch(() => undefined);
  if (!part) return undefined;
  const torsions = sites.length > 5 ? turnableBonds(part.structure, sites).slice(0, 3) : [];
  const proposals = proposeSecondPlaces(
    { structure: part.structure, sites, map: part.map, peaks: part.map.peaks.map((p) => p.position), torsions },
    4,
  );
  return (
    await tryProposals(around, part, stage.treatment, sites, proposals.slice(0, 3), 9, 0.55 * stage.readings.r1)
  )[0]?.stage;
}
