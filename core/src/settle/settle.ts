/** A settle run: what an expert does from solved atoms to convergence, one stage after another, stopping where a decision is a person's. */
import { formatMeasured } from '../crystal/uncertainty.ts';
import { experiment } from '../crystal/experiment.ts';
import type { Formula } from '../crystal/formula.ts';
import { NO_CONTROLS } from '../crystal/controls.ts';
import { isHydrogen } from '../crystal/elements.ts';
import type { MergedReflections } from '../crystal/reflections.ts';
import { isotropicTensor, type Structure } from '../crystal/structure.ts';
import { twinLaws } from '../data/twin-laws.ts';
import { assembleAsymmetricUnit } from '../geometry/bonds.ts';
import { holdDisorder, tiesFromGroups } from '../model/disorder.ts';
import { judgeEllipsoids, mendEllipsoids } from '../model/ellipsoids.ts';
import { planHydrogens, type HydrogenPlan } from '../model/hydrogen-plan.ts';
import { modelMap } from '../maps/residual.ts';
import { placeHydrogens, withSites } from '../model/place-hydrogens.ts';
import { absoluteStructure, invertStructure, type AbsoluteStructure } from '../refine/absolute-structure.ts';
import { compileConstraints } from '../refine/compile-constraints.ts';
import type { CycleReport } from '../refine/single-crystal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import type { Treatment } from '../crystal/treatment.ts';
import type { TaskContext } from '../task-context.ts';
import {
  correctedElements,
  exchangeElements,
  rankedElements,
  readElements,
  suspiciousSites,
  tooClose,
} from './elements.ts';
import { modelDisorder } from './disorder-trial.ts';
import { ghosts, missingAtoms } from './first-model.ts';
import { openQuestions } from './questions.ts';
import { refineStage, type StageSurroundings, type Stage } from './stage.ts';

export interface SettleInput {
  structure: Structure;
  reflections: MergedReflections;
  wavelength: number;
  treatment?: Treatment;
  /** K. */
  temperature?: number;
  /** Contents of one asymmetric unit by the formula (sites of general position counted whole). */
  contents?: Formula;
  /** Whether disorder is modelled by the run when the evidence is plain, or left to the person. */
  disorder: 'ask' | 'try';
}

export type SettleReport =
  | { kind: 'starting'; title: string }
  | { kind: 'cycle'; title: string; cycle: CycleReport }
  | { kind: 'stage'; stage: Stage };

export interface SettleResult {
  readonly stage: Stage;
  readonly stages: readonly {
    title: string;
    cycles: number;
    r1: number;
    wr2: number;
    s: number;
    parameters: number;
    peak: number;
    hole: number;
    message: string;
  }[];
  /** Sentences for what a person should decide. */
  readonly decisions: readonly string[];
  readonly settled: boolean;
  readonly message: string;
  readonly absolute?: AbsoluteStructure;
}

const aniso = (s: Structure): Structure => ({
  ...s,
  sites: s.sites.map((x) =>
    isHydrogen(x.element) || x.displacement.kind === 'aniso' || x.occupancy < 0.3
      ? x
      : { ...x, displacement: { kind: 'aniso' as const, u: isotropicTensor(s.cell, x.displacement.u) } },
  ),
});

/** Reflections that each value of an anisotropic model asks for. */
const REFLECTIONS_PER_VALUE = 3.5;

/** Values that anisotropic displacements of all but hydrogens leave free: few on special positions. */
function anisotropicValues(s: Structure): number {
  const { controls: _, ...plain } = aniso({ ...s, sites: s.sites.filter((x) => !isHydrogen(x.element)) });
  return compileConstraints(plain, { extinction: false }).independent;
}

/** Hydrogens on N and O that the density of a model without them puts elsewhere than they were placed. */
async function replantDonors(
  around: StageSurroundings,
  stage: Stage,
  input: SettleInput,
): Promise<{ structure: Structure; plan: HydrogenPlan } | undefined> {
  const s = stage.structure;
  const controls = s.controls ?? NO_CONTROLS;
  const donors = controls.hydrogens.filter(
    (g) =>
      ['hydroxyl', 'water', 'ammonium', 'pyramidal NH2', 'pyramidal NH', 'methyl'].includes(g.shape) &&
      (g.hold === 'rotating' || g.shape === 'water' || g.shape === 'pyramidal NH' || g.shape === 'pyramidal NH2'),
  );
  if (!donors.length) return undefined;
  const gone = new Set(donors.flatMap((g) => g.hydrogens));
  const bare = withSites(
    s,
    s.sites.filter((x) => !gone.has(x.id)),
  );
  const e = evaluateStructure(
    experiment(bare, around.reflections, around.wavelength, {
      weights: stage.readings.weights,
      extinction: stage.readings.extinction?.value ?? 0,
      treatment: stage.treatment,
    }),
    stage.readings.scale,
  );
  const map = modelMap('difference', bare, around.reflections, e.data);
  const plan = planHydrogens({
    structure: bare,
    map,
    temperature: input.temperature ?? 150,
    ...(input.contents?.['H'] !== undefined ? { expected: input.contents['H'] } : {}),
  });
  const wanted = new Set(donors.map((g) => g.parent));
  return {
    structure: placeHydrogens(
      bare,
      plan.rows.filter((r) => wanted.has(r.parent)),
    ),
    plan,
  };
}

/** Runs all stages. Progress reports each stage as it ends, so that each can become a mark. */
export async function settle(input: SettleInput, context: TaskContext<SettleReport>): Promise<SettleResult> {
  const around: StageSurroundings = {
    reflections: input.reflections,
    wavelength: input.wavelength,
    context: context as TaskContext<unknown>,
    onCycle: (title, cycle) => context.progress({ kind: 'cycle', title, cycle }),
  };
  const decisions: string[] = [];
  const stages: SettleResult['stages'][number][] = [];
  let treatment: Treatment = input.treatment ?? {};
  let structure = input.structure;
  let stage!: Stage;
  const begin = (title: string): void => context.progress({ kind: 'starting', title });
  const end = (s: Stage, message = s.message): void => {
    stage = { ...s, message };
    structure = s.structure;
    treatment = s.treatment;
    stages.push({
      title: s.title,
      cycles: s.cycles,
      r1: s.readings.r1,
      wr2: s.readings.wr2,
      s: s.readings.s,
      parameters: s.readings.parameters,
      peak: s.map.peaks[0]?.height ?? 0,
      hole: s.map.holes[0]?.height ?? 0,
      message,
    });
    context.progress({ kind: 'stage', stage });
  };
  const sayContents = input.contents;
  // A file may tell its disorder by groups alone.
  if (!structure.controls?.occupancies.length) {
    const ties = tiesFromGroups(structure);
    if (ties.length)
      structure = holdDisorder({
        ...structure,
        controls: { ...(structure.controls ?? NO_CONTROLS), occupancies: ties },
      });
  }
  const hadAniso = structure.sites.some((x) => x.displacement.kind === 'aniso');
  if (!structure.controls && !structure.sites.some((x) => x.disorder)) structure = assembleAsymmetricUnit(structure);

  if (!hadAniso) {
    begin('Isotropic');
    let s = await refineStage(around, 'Isotropic', structure, treatment, { cycles: 10 });
    const faded = [...new Set([...ghosts(s.structure), ...tooClose(s.structure)])];
    if (faded.length && faded.length < s.structure.sites.length / 3) {
      const names = faded.map((i) => s.structure.sites[i]!.label).join(', ');
      s = await refineStage(
        around,
        'Isotropic',
        withSites(
          s.structure,
          s.structure.sites.filter((_, i) => !faded.includes(i)),
        ),
        treatment,
        { cycles: 8 },
      );
      s = {
        ...s,
        message: `${names} ${faded.length === 1 ? 'was' : 'were'} taken out: faded away, or closer to another atom than any bond. ${s.message}`,
      };
    }
    if (sayContents && s.readings.r1 > 0.16) {
      // While the fit is poor the elements of the first model are guesses: the density deals them out anew.
      const dealt = await rankedElements(around, s.structure, treatment, sayContents);
      const next = dealt && (await refineStage(around, 'Isotropic', dealt, treatment, { cycles: 8 }));
      if (next && next.readings.r1 < 0.93 * s.readings.r1)
        s = { ...next, message: `Elements dealt out by the electrons of the sites. ${next.message}` };
    }
    const completed = missingAtoms(s, sayContents);
    if (completed) {
      const before = s.structure.sites.length;
      const next = await refineStage(around, 'Isotropic', completed, treatment, { cycles: 8 });
      if (next.readings.r1 < s.readings.r1)
        s = {
          ...next,
          message: `${completed.sites
            .slice(before)
            .map((x) => x.label)
            .join(', ')} put on the strongest maxima, as the formula asks. ${next.message}`,
        };
    }
    end(s);
  }

  // Twinning is tried where the metric allows it and the fit stays poor.
  if (!treatment.twins?.length) {
    const poor = stage
      ? stage.readings.r1
      : evaluateStructure(experiment(structure, input.reflections, input.wavelength)).figures.r1;
    if (poor > 0.11) {
      const laws = twinLaws(structure.cell, structure.spaceGroup);
      let best: Stage | undefined;
      for (const law of laws.slice(0, 5)) {
        begin(`Twin by ${law.name}`);
        const tried = await refineStage(
          around,
          `Twin by ${law.name}`,
          structure,
          { ...treatment, twins: [{ law: law.law, fraction: 0.15, name: law.name }] },
          { cycles: 8 },
        ).catch(() => undefined);
        const f = tried?.readings.twins?.[0];
        if (
          tried &&
          f &&
          f.fraction > 0.03 &&
          f.fraction < 0.97 &&
          tried.readings.r1 < 0.8 * poor &&
          (!best || tried.readings.r1 < best.readings.r1)
        )
          best = tried;
      }
      if (best)
        end(
          best,
          `The crystal is a twin (${best.treatment.twins![0]!.name}, fraction ${best.treatment.twins![0]!.fraction.toFixed(3)}): R1 falls from ${(100 * poor).toFixed(1)} to ${(100 * best.readings.r1).toFixed(1)} %. ${best.message}`,
        );
    }
  }

  // With a molecule lying two ways, ellipsoids would swallow the second before it is seen; otherwise they come first.
  if (stage && stage.readings.r1 > 0.19) await secondPlaces(0.75);

  const atoms = structure.sites.filter((x) => !isHydrogen(x.element)).length;
  if (input.reflections.count < REFLECTIONS_PER_VALUE * anisotropicValues(structure))
    decisions.push(
      `${input.reflections.count} reflections are too few for anisotropic displacements of ${atoms} atoms; they stay isotropic.`,
    );
  else {
    begin('Anisotropic');
    let s = await refineStage(around, 'Anisotropic', aniso(structure), treatment, { cycles: 12 });
    const completed = missingAtoms(s, sayContents);
    if (completed) {
      const next = await refineStage(around, 'Anisotropic', aniso(completed), treatment, { cycles: 10 });
      if (next.readings.r1 < s.readings.r1) s = next;
    }
    end(await mended(around, s));
  }
  if (!stages.length) end(await refineStage(around, 'As it came', structure, treatment, { cycles: 8 }));
  if (stage.readings.r1 > 0.085 && !treatment.twins?.length) await secondPlaces(0.86);
  await elements();

  begin('Hydrogens');
  const plan = planHydrogens({
    structure,
    map: stage.map,
    temperature: input.temperature ?? 150,
    ...(sayContents?.['H'] !== undefined ? { expected: sayContents['H'] } : {}),
  });
  const placing = plan.rows.filter((r) => r.shape !== 'none');
  if (placing.length) {
    const s = await refineStage(around, 'Hydrogens', placeHydrogens(structure, placing), treatment, { cycles: 12 });
    if (s.readings.r1 > stage.readings.r1)
      decisions.push(
        `Hydrogens at the proposed places raise R1 from ${(100 * stage.readings.r1).toFixed(2)} to ${(100 * s.readings.r1).toFixed(2)} %; none were placed.`,
      );
    else await withHydrogens(s);
  }

  let absolute: AbsoluteStructure | undefined;
  const handOf = (s: Stage): AbsoluteStructure | undefined =>
    s.structure.spaceGroup.centric || s.treatment.twins?.length
      ? undefined
      : absoluteStructure(
          s.structure,
          input.reflections,
          evaluateStructure(
            experiment(s.structure, input.reflections, input.wavelength, { weights: s.readings.weights }),
            s.readings.scale,
          ).data,
        );
  absolute = handOf(stage);
  if (absolute && absolute.x > 0.5 + 2 * absolute.su && absolute.su < 0.2) {
    structure = invertStructure(structure);
    decisions.push(
      `The anomalous signal asked for the other hand (Flack parameter ${formatMeasured(absolute.x, absolute.su, 2)}); the structure was inverted.`,
    );
  }

  begin('Weights and convergence');
  let last = await refineStage(around, 'Weights and convergence', structure, treatment, {
    cycles: 30,
    optimizeWeights: true,
    weights: { a: 0.04, b: 0 },
    settled: 0.01,
    covariance: true,
  });
  last = await mended(around, last, true);
  // Weak decisions of the fit itself: extinction where the strongest reflections fall short.
  const extinct = treatment.extinction === undefined ? await tryExtinction(around, last) : undefined;
  if (extinct) last = extinct;
  for (let more = 0; more < 3 && last.state === 'moving'; more++)
    last = await refineStage(around, 'Weights and convergence', last.structure, last.treatment, {
      cycles: 25,
      optimizeWeights: true,
      weights: last.readings.weights,
      settled: 0.01,
      covariance: true,
      ...(last.readings.extinction ? { extinctionStart: last.readings.extinction.value } : {}),
    });
  absolute = handOf(last) ?? absolute;
  end(
    last,
    `${last.message}${absolute ? ` Flack parameter ${formatMeasured(absolute.x, absolute.su, 3)}. ${absolute.verdict}` : ''}`,
  );
  const settled = last.state === 'settled' && last.readings.maxShiftOverSu < 0.011;
  if (stage.readings.r1 > 0.15)
    decisions.unshift(
      `R1 stays at ${(100 * stage.readings.r1).toFixed(1)} %: something is not yet understood. A wrong space group or cell, a twin, disorder, or a wrong first model are the usual reasons.`,
    );
  decisions.push(...openQuestions(stage));
  return {
    stage,
    stages,
    decisions: [...new Set(decisions)],
    settled,
    message: `${settled ? 'Settled' : 'Not settled'}: R1 ${(100 * stage.readings.r1).toFixed(2)} %, wR2 ${(100 * stage.readings.wr2).toFixed(2)} %, S ${stage.readings.s.toFixed(2)}, largest shift ${stage.readings.maxShiftOverSu.toFixed(3)} s.u.${decisions.length ? ` To decide: ${decisions[0]}` : ''}`,
    ...(absolute ? { absolute } : {}),
  };

  /** Goes on from the first placement: elements once more, turning groups once more, and what stays unsure. */
  async function withHydrogens(first: Stage): Promise<void> {
    end(
      first,
      `${placing.reduce((n, r) => n + r.count, 0)} hydrogens placed on ${placing.length} atoms. ${first.message}`,
    );
    if (await elements()) {
      // Other elements carry other hydrogens: the plan is made again for the corrected model.
      const bare = withSites(
        structure,
        structure.sites.filter((x) => !isHydrogen(x.element)),
      );
      const fresh = await refineStage(
        around,
        'Hydrogens',
        { ...bare, controls: { ...(bare.controls ?? NO_CONTROLS), hydrogens: [] } },
        treatment,
        { cycles: 6 },
      );
      const again = planHydrogens({
        structure: fresh.structure,
        map: fresh.map,
        temperature: input.temperature ?? 150,
        ...(sayContents?.['H'] !== undefined ? { expected: sayContents['H'] } : {}),
      }).rows.filter((r) => r.shape !== 'none');
      end(await refineStage(around, 'Hydrogens', placeHydrogens(fresh.structure, again), treatment, { cycles: 12 }));
    }
    const replanted = await replantDonors(around, stage, input);
    if (replanted) {
      begin('Hydrogens on donors');
      const again = await refineStage(around, 'Hydrogens on donors', replanted.structure, treatment, { cycles: 10 });
      if (again.readings.wr2 <= stage.readings.wr2 * 1.002)
        end(again, `Hydrogens that turn were placed again on the density of a model without them. ${again.message}`);
    }
    for (const r of plan.rows)
      if (r.confidence === 'look')
        decisions.push(
          `${r.label}: ${r.shape === 'none' ? 'left without hydrogen' : `${r.count} ${r.count === 1 ? 'hydrogen' : 'hydrogens'} (${r.shape})`}, but the evidence is divided${r.density.length ? ` (density ${r.density.map((x) => x.toFixed(2)).join(', ')} e Å⁻³ where a sure one shows ${plan.typical?.toFixed(2)})` : ''}.`,
        );
    if (plan.expected !== undefined && Math.abs(plan.expected - plan.proposed) > 0.4)
      decisions.push(
        `The formula asks for ${plan.expected.toFixed(1)} hydrogens in the asymmetric unit; the evidence is for ${plan.proposed.toFixed(1)}.`,
      );
  }

  /** Looks for parts in two places; R1 must fall to a fraction of what it was. */
  async function secondPlaces(gain: number): Promise<void> {
    begin('Second places');
    const found = await modelDisorder(around, stage, input.disorder, gain, begin);
    if (found.stage) {
      end(found.stage);
      const exchanged = await exchangeElements(around, stage);
      if (exchanged.changes.length)
        end(exchanged.stage, `By their displacements, ${exchanged.changes.join('; ')}. ${exchanged.stage.message}`);
      if (input.reflections.count >= 3.5 * 9 * structure.sites.length)
        end(
          await mended(around, await refineStage(around, 'Anisotropic', aniso(structure), treatment, { cycles: 12 })),
        );
    }
    decisions.push(...found.decisions);
  }

  /** Tests the elements of suspicious sites and changes them where the fit gains; true when something changed. */
  async function elements(): Promise<boolean> {
    const exchanged = await exchangeElements(around, stage, 4);
    if (exchanged.changes.length) {
      end(exchanged.stage, `By their displacements, ${exchanged.changes.join('; ')}. ${exchanged.stage.message}`);
      return true;
    }
    const sites = suspiciousSites(structure);
    if (!sites.length || sites.length > 0.8 * structure.sites.length) return false;
    begin('Elements');
    const { readings } = await readElements(around, structure, treatment, sites);
    const { structure: corrected, changes } = correctedElements(structure, readings, sayContents);
    if (!changes.length) return false;
    const tried = await refineStage(around, 'Elements', corrected, treatment, { cycles: 8 });
    if (tried.readings.wr2 >= stage.readings.wr2) return false;
    end(
      tried,
      `By their electrons, ${changes.join('; ')}. R1 ${(100 * stage.readings.r1).toFixed(2)} → ${(100 * tried.readings.r1).toFixed(2)} %.`,
    );
    return true;
  }
}

/** Impossible ellipsoids get restraints and another refinement. */
async function mended<T extends Stage>(
  around: StageSurroundings,
  s: T,
  last = false,
): Promise<T & Awaited<ReturnType<typeof refineStage>>> {
  const bad = judgeEllipsoids(s.structure)
    .filter((e) => e.kind === 'impossible')
    .map((e) => e.site);
  if (!bad.length) return s as T & Awaited<ReturnType<typeof refineStage>>;
  const names = bad.map((i) => s.structure.sites[i]!.label).join(', ');
  const again = await refineStage(around, s.title, mendEllipsoids(s.structure, bad), s.treatment, {
    cycles: last ? 30 : 10,
    optimizeWeights: last,
    weights: s.readings.weights,
    settled: last ? 0.01 : 0.05,
    covariance: last,
  });
  return { ...s, ...again, message: `The ellipsoid of ${names} was impossible; restraints hold it. ${again.message}` };
}

/** Extinction is refined where it is worth more than five s.u. and the fit gains. */
async function tryExtinction(
  around: StageSurroundings,
  s: Stage,
): Promise<Awaited<ReturnType<typeof refineStage>> | undefined> {
  const e = evaluateStructure(
    experiment(s.structure, around.reflections, around.wavelength, {
      weights: s.readings.weights,
      treatment: s.treatment,
    }),
    s.readings.scale,
  ).data;
  const order = Array.from(e.fc2, (f, i) => ({ f, i }))
    .sort((a, b) => b.f - a.f)
    .slice(0, 20);
  const ratio = order.reduce((sum, { i }) => sum + e.fo2[i]! / Math.max(1e-6, e.fc2[i]!), 0) / order.length;
  if (ratio > 0.96) return undefined;
  const tried = await refineStage(
    around,
    'Weights and convergence',
    s.structure,
    { ...s.treatment, extinction: true },
    {
      cycles: 25,
      optimizeWeights: true,
      weights: s.readings.weights,
      settled: 0.01,
      covariance: true,
      extinctionStart: 0.01,
    },
  );
  const x = tried.readings.extinction;
  return x && x.value > 5 * x.su && tried.readings.r1 <= s.readings.r1
    ? { ...tried, message: `Extinction refined to ${x.value.toPrecision(3)}. ${tried.message}` }
    : undefined;
}
