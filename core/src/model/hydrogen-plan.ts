/** The plan of hydrogens before anything is placed: every atom that can carry them, the proposed shape, and the evidence for it. */
import { applyOperator } from '../crystal/operator.ts';
import { operatorOf } from '../crystal/atom-ref.ts';
import { isSymmetryGroup, NO_CONTROLS, type Hold, type HydrogenShape } from '../crystal/controls.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { siteWeight, type Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { displacementFactor, hydrogenLength, idealHydrogens } from '../geometry/hydrogens.ts';
import { meets, parentReference, surroundingsAt, type GroupOf } from '../geometry/parents.ts';
import { add, apply3, cross, norm, normalize, scale, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { hasAnion, hydrogenOptions, type HydrogenOption } from './hydrogen-options.ts';
import { Planner, type Candidate, type Partner, type PlanInput } from './hydrogen-placements.ts';

export interface HydrogenRow {
  /** Site id of the parent and, with it, the disorder group the row stands for. */
  readonly key: string;
  readonly parent: string;
  readonly label: string;
  readonly element: string;
  readonly shape: HydrogenShape | 'none';
  readonly count: number;
  readonly hold: Hold;
  readonly length: number;
  readonly uFactor: number;
  /** Fractional positions. */
  readonly positions: readonly Vec3[];
  /** Density at each position before placing, e Å⁻³. */
  readonly density: readonly number[];
  readonly partners: readonly Partner[];
  /** For groups that turn: mean density around the circle, from 0° in steps of 360/length. */
  readonly circle?: readonly number[];
  /** Degrees, of the choice on the circle. */
  readonly torsion?: number;
  readonly why: string;
  /** How the choice stands: 'sure', 'likely', or 'look' where the evidence is divided. */
  readonly confidence: 'sure' | 'likely' | 'look';
  readonly options: readonly {
    readonly shape: HydrogenShape | 'none';
    readonly count: number;
    readonly score: number;
    readonly why: string;
  }[];
  readonly disorder?: { readonly assembly: string; readonly group: string };
  /** Places per cell weight of the parent (multiplicity/order × occupancy). */
  readonly weight: number;
  /** What a request contradicts. */
  readonly warning?: string;
}

export interface HydrogenPlan {
  readonly rows: readonly HydrogenRow[];
  /** Typical density at hydrogens that geometry leaves no doubt about, e Å⁻³; undefined without a map. */
  readonly typical?: number;
  readonly sigma?: number;
  /** Hydrogens per asymmetric unit: proposed (with those already there) and expected from the formula. */
  readonly proposed: number;
  readonly expected?: number;
}

interface Worker {
  row: { site: number; as: GroupOf; key: string };
  option: HydrogenOption;
  candidates: Candidate[];
  chosen: number;
  circle?: number[];
}

const NAMES: Partial<Record<HydrogenShape, Hold>> = {
  methyl: 'rotating',
  hydroxyl: 'rotating',
  thiol: 'rotating',
  ammonium: 'rotating',
  water: 'restrained',
  'pyramidal NH2': 'rotating',
};
/** How a shape is usually held. */
export const usualHold = (shape: HydrogenShape): Hold => NAMES[shape] ?? 'riding';

/** The disorder groups an atom's hydrogens may belong to: its own, or each of its neighbours' where it has none. */
function contexts(s: Structure, site: number): GroupOf[] {
  const own = s.sites[site]!.disorder;
  if (own) return [own];
  const near = bonds(s).filter((b) => b.from === site && b.distance > 0.7 && !isHydrogen(s.sites[b.to]!.element));
  const groups = new Map<string, GroupOf>();
  for (const n of near) {
    const d = s.sites[n.to]!.disorder;
    if (d && !isSymmetryGroup(d.group)) groups.set(`${d.assembly}|${d.group}`, d);
  }
  const assemblies = new Set([...groups.values()].map((g) => g!.assembly));
  // Bonded to one assembly only: its groups each have their own hydrogens. Otherwise the atom stands as it is.
  return assemblies.size === 1 && groups.size > 1 ? [...groups.values()] : [undefined];
}

/** Weight of one hydrogen of a group per asymmetric unit. */
function weightOf(s: Structure, site: number, as: GroupOf): number {
  const occupancy = as
    ? (s.sites.find((x) => x.disorder?.assembly === as.assembly && x.disorder.group === as.group)?.occupancy ?? 1)
    : s.sites[site]!.occupancy;
  return siteWeight(s, { ...s.sites[site]!, occupancy });
}

/** Works out the plan. Atoms that already carry hydrogens are left out. */
export function planHydrogens(input: PlanInput): HydrogenPlan {
  const s = input.structure;
  const planner = new Planner(input);
  const has = carriers(s);
  const anion = hasAnion(s);
  const open: { site: number; as: GroupOf; key: string; options: HydrogenOption[] }[] = [];
  s.sites.forEach((x, site) => {
    if (isHydrogen(x.element)) return;
    for (const as of contexts(s, site)) {
      const key = `${x.id}|${as ? `${as.assembly}.${as.group}` : ''}`;
      if (has.has(key) || has.has(`${x.id}|`)) continue;
      const { options } = hydrogenOptions(s, site, as, anion);
      if (options.length && !(options.length === 1 && options[0]!.shape === 'none'))
        open.push({ site, as, key, options });
    }
  });
  const lengthOf = (site: number, shape: HydrogenShape): number =>
    hydrogenLength(shape, s.sites[site]!.element, input.temperature);
  if (input.map) {
    // What a hydrogen looks like in this map: at places that geometry leaves no doubt about.
    const sure = open
      .filter(
        (o) =>
          (o.options[0]!.shape === 'aromatic' ||
            o.options[0]!.shape === 'methylene' ||
            o.options[0]!.shape === 'methine') &&
          o.options[0]!.prior - (o.options[1]?.prior ?? -9) > 2 &&
          !o.as,
      )
      .flatMap(
        (o) =>
          planner.placements(
            o.site,
            o.as,
            o.options[0]!.shape as HydrogenShape,
            lengthOf(o.site, o.options[0]!.shape as HydrogenShape),
          ).candidates[0]?.density ?? [],
      )
      .sort((a, b) => a - b);
    planner.typical = Math.max(
      3 * input.map.sigma,
      Math.min(0.9, sure.length > 3 ? sure[Math.floor(sure.length / 2)]! : 0.45),
      0.15,
    );
  }
  const tried = open
    .map((o) => ({
      ...o,
      scored: o.options
        .map((option) => {
          if (option.shape === 'none')
            return {
              option,
              candidates: [] as Candidate[],
              circle: undefined as number[] | undefined,
              score: option.prior,
            };
          const { candidates, circle } = planner.placements(o.site, o.as, option.shape, lengthOf(o.site, option.shape));
          return {
            option,
            candidates,
            circle,
            score: candidates.length
              ? option.prior + candidates[0]!.score - priceOf(option, s.sites[o.site]!.element)
              : -Infinity,
          };
        })
        .filter((x) => x.score > -Infinity)
        .sort((a, b) => b.score - a.score),
    }))
    .filter((o) => o.scored.length);
  const pick = tried.map(() => 0);
  const already = s.sites.reduce((sum, x) => sum + (isHydrogen(x.element) ? siteWeight(s, x) * 1 : 0), 0);
  const total = (): number =>
    already + tried.reduce((sum, o, i) => sum + o.scored[pick[i]!]!.option.count * weightOf(s, o.site, o.as), 0);
  if (input.expected !== undefined)
    meetFormula(tried, pick, total, input.expected, (i) => weightOf(s, tried[i]!.site, tried[i]!.as));
  const workers: Worker[] = tried.flatMap((o, i): Worker[] => {
    const x = o.scored[pick[i]!]!;
    return [
      { row: o, option: x.option, candidates: x.candidates, chosen: 0, ...(x.circle ? { circle: x.circle } : {}) },
    ];
  });
  avoidCollisions(planner, workers);
  const rows = workers.map((w, i): HydrogenRow => {
    const o = tried[i]!,
      x = s.sites[o.site]!,
      shape = w.option.shape;
    const c = w.candidates[w.chosen];
    const gap =
      o.scored[pick[i]!]!.score - Math.max(-12, ...o.scored.filter((_, k) => k !== pick[i]).map((y) => y.score));
    const weak = shape !== 'none' && input.map ? (c?.density.some((r) => r < 0.25 * planner.typical) ?? false) : false;
    return {
      key: o.key,
      parent: x.id,
      label: x.label,
      element: x.element,
      shape,
      count: shape === 'none' ? 0 : w.option.count,
      hold: shape === 'none' ? 'riding' : usualHold(shape),
      length: shape === 'none' ? 0 : lengthOf(o.site, shape),
      uFactor: shape === 'none' ? 0 : displacementFactor(shape),
      positions: (c?.positions ?? []).map((p) => apply3(planner.inverse, p)),
      density: c?.density ?? [],
      partners: c?.partners ?? [],
      ...(w.circle ? { circle: w.circle } : {}),
      ...(c?.torsion !== undefined ? { torsion: c.torsion } : {}),
      why: w.option.why,
      confidence: gap < 1.5 || (weak && gap < 6) ? 'look' : gap < 5 ? 'likely' : 'sure',
      options: o.scored.map((y) => ({
        shape: y.option.shape,
        count: y.option.count,
        score: y.score,
        why: y.option.why,
      })),
      ...(o.as ? { disorder: o.as } : {}),
      weight: weightOf(s, o.site, o.as),
    };
  });
  return {
    rows,
    proposed: total(),
    ...(input.expected !== undefined ? { expected: input.expected } : {}),
    ...(input.map ? { typical: planner.typical, sigma: input.map.sigma } : {}),
  };
}

/** Every hydrogen needs evidence, or a shape with more of them would win by counting noise. */
function priceOf(option: HydrogenOption, element: string): number {
  return element === 'C' ? 0.2 * option.count : 0.3 * option.count;
}

/** Keys of atoms (with the group looked from) that already carry hydrogens. */
function carriers(s: Structure): Set<string> {
  const out = new Set<string>();
  const index = new Map(s.sites.map((x) => [x.id, x]));
  for (const g of (s.controls ?? NO_CONTROLS).hydrogens) {
    const d = index.get(g.hydrogens[0] ?? '')?.disorder;
    out.add(`${g.parent}|${d ? `${d.assembly}.${d.group}` : ''}`);
  }
  const grouped = new Set((s.controls ?? NO_CONTROLS).hydrogens.flatMap((g) => g.hydrogens));
  s.sites.forEach((x, i) => {
    if (!isHydrogen(x.element) || grouped.has(x.id)) return;
    const parent = bonds(s)
      .filter((b) => b.from === i && !isHydrogen(s.sites[b.to]!.element))
      .sort((a, b) => a.distance - b.distance)[0];
    if (parent) out.add(`${s.sites[parent.to]!.id}|${x.disorder ? `${x.disorder.assembly}.${x.disorder.group}` : ''}`);
  });
  return out;
}

/** Changes the least certain choices until the number of hydrogens is the formula's, as long as the evidence does not forbid it. */
function meetFormula(
  tried: readonly { scored: readonly { option: HydrogenOption; score: number }[] }[],
  pick: number[],
  total: () => number,
  expected: number,
  weight: (i: number) => number,
): void {
  for (let round = 0; round < 30; round++) {
    const off = expected - total();
    if (Math.abs(off) < 0.4) return;
    let best: { i: number; k: number; loss: number } | undefined;
    tried.forEach((o, i) =>
      o.scored.forEach((x, k) => {
        const change = (x.option.count - o.scored[pick[i]!]!.option.count) * weight(i);
        if (!change || Math.sign(change) !== Math.sign(off) || Math.abs(change) > Math.abs(off) + 0.4) return;
        const loss = (o.scored[pick[i]!]!.score - x.score) / Math.abs(change);
        if (!best || loss < best.loss) best = { i, k, loss };
      }),
    );
    if (!best || best.loss > 9) return;
    pick[best.i] = best.k;
  }
}

/** Hydrogens of different atoms must not meet: donors with a choice give way, one after another, until nothing changes. */
function avoidCollisions(planner: Planner, workers: Worker[]): void {
  const choosers = workers.filter((w) => w.candidates.length > 1);
  if (!choosers.length) return;
  // Copies of the other parents near each chooser, by symmetry.
  const clash = (w: Worker, c: Candidate): number => {
    let cost = 0;
    for (const n of planner.around(w.row.site)) {
      const operator = operatorOf(planner.s.spaceGroup, n);
      for (const other of workers) {
        if (other.row.site !== n.to || !meets(w.row.as, other.row.as)) continue;
        const set = other.candidates[other.chosen];
        if (!set) continue;
        for (const q of set.positions) {
          const moved = apply3(planner.m, applyOperator(operator, apply3(planner.inverse, q)));
          for (const p of c.positions) {
            const d = norm(subtract(p, moved));
            if (d < 2.05 && d > 1e-3) cost += Math.min(10, ((2.05 - d) / 0.25) ** 2);
          }
        }
      }
    }
    return cost;
  };
  for (let round = 0; round < 6; round++) {
    let changed = false;
    for (const w of choosers) {
      let best = w.chosen,
        score = -Infinity;
      w.candidates.forEach((c, i) => {
        const v = c.score - clash(w, c);
        if (v > score + 1e-9) {
          score = v;
          best = i;
        }
      });
      if (best !== w.chosen) {
        w.chosen = best;
        changed = true;
      }
    }
    if (!changed) return;
  }
}

/** A row for an atom that the plan passed over, without hydrogens yet: the person may ask for any shape on it. */
export function rowFor(s: Structure, site: number): HydrogenRow {
  const x = s.sites[site]!;
  const options = hydrogenOptions(s, site, x.disorder, hasAnion(s)).options.map((o) => ({
    shape: o.shape,
    count: o.count,
    score: o.prior,
    why: o.why,
  }));
  return {
    key: `${x.id}|asked`,
    parent: x.id,
    label: x.label,
    element: x.element,
    shape: 'none',
    count: 0,
    hold: 'riding',
    length: 0,
    uFactor: 0,
    positions: [],
    density: [],
    partners: [],
    why: 'asked for; its neighbours leave no usual place',
    confidence: 'look',
    options: options.length ? options : [{ shape: 'none', count: 0, score: 5, why: 'its neighbours fill its valence' }],
    ...(x.disorder ? { disorder: x.disorder } : {}),
    weight: siteWeight(s, x),
  };
}

/** What places for hydrogens look like. */
export interface JudgedPlaces {
  /** e Å⁻³, at each place. */
  readonly density: number[];
  readonly partners: Partner[];
}

/** Density and hydrogen-bond partners of hydrogens at given Cartesian places, for turning them by hand. */
export function judgePlaces(input: PlanInput, parent: string, places: readonly Vec3[]): JudgedPlaces {
  const planner = new Planner(input);
  const site = input.structure.sites.findIndex((x) => x.id === parent);
  return {
    density: places.map((x) => planner.density(x)),
    partners: places.flatMap((x) =>
      planner.judge(site, input.structure.sites[site]!.disorder, x, []).partners.slice(0, 1),
    ),
  };
}

/** The plan's row for a shape the person asks for; positions are worked out again. `along` (Cartesian direction) sets the axis of shapes that have no rule. */
export function planShape(
  input: PlanInput,
  row: HydrogenRow,
  shape: HydrogenShape,
  choice: { count?: number; along?: Vec3; torsion?: number; typical?: number } = {},
): HydrogenRow {
  const planner = new Planner(input);
  const s = input.structure;
  if (choice.typical) planner.typical = choice.typical;
  const site = s.sites.findIndex((x) => x.id === row.parent);
  const as = row.disorder;
  const length = hydrogenLength(shape, row.element, input.temperature);
  let positions: Vec3[] | undefined,
    circle: number[] | undefined,
    torsion = choice.torsion,
    partners: Partner[] = [];
  const reference = parentReference(s, site, as);
  const around = surroundingsAt(s, reference, (i) => s.sites[i]!.position);
  if (choice.along || shape === 'chosen') {
    const axis = normalize(
      choice.along ?? (around.neighbours[0] ? subtract(around.parent, around.neighbours[0]) : [0, 0, 1]),
    );
    positions = chosenPositions(around.parent, axis, choice.count ?? 1, length, choice.torsion ?? 0);
  } else if (torsion !== undefined) positions = idealHydrogens(shape, around, length, (torsion * Math.PI) / 180);
  else {
    const found = planner.placements(site, as, shape, length);
    const best = found.candidates[0];
    positions = best?.positions;
    circle = found.circle;
    torsion = best?.torsion;
  }
  if (!positions)
    throw new RangeError(
      `${row.label} has ${around.neighbours.length} ${around.neighbours.length === 1 ? 'neighbour' : 'neighbours'}, which leaves no place for the shape "${shape}". Choose another shape, or a direction of your own.`,
    );
  const judged = positions.map((h) => planner.judge(site, as, h, around.neighbours));
  partners = judged.flatMap((j) => j.partners);
  const usual = row.options.find((o) => o.shape === shape && o.count === positions!.length);
  const top = row.options[0];
  const limit = ({ C: 4, N: 4, O: 3, S: 3, B: 6 } as Record<string, number>)[row.element] ?? 8;
  const crowded = around.neighbours.length + positions.length > limit;
  const warning = crowded
    ? `${row.label} would have ${around.neighbours.length + positions.length} neighbours, more than ${elementOf(row.element).symbol} usually bears.`
    : !usual && top
      ? `Its neighbours speak for ${top.shape === 'none' ? 'no hydrogen' : `${top.count} (${top.shape})`}: ${top.why}.`
      : usual && top && usual !== top && top.score - usual.score > 4
        ? `The evidence is for ${top.shape === 'none' ? 'no hydrogen' : top.shape}: ${top.why}.`
        : undefined;
  const density = positions.map((x) => planner.density(x));
  return {
    ...omitTurn(row),
    shape,
    count: positions.length,
    length,
    uFactor: displacementFactor(shape),
    hold: usualHold(shape),
    positions: positions.map((p) => apply3(planner.inverse, p)),
    density,
    partners,
    ...(circle ? { circle } : {}),
    ...(torsion !== undefined ? { torsion } : {}),
    ...(warning ? { warning } : {}),
  };
}

function omitTurn(row: HydrogenRow): HydrogenRow {
  const copy = { ...row } as Record<string, unknown>;
  for (const k of ['circle', 'torsion', 'warning']) delete copy[k];
  return copy as unknown as HydrogenRow;
}

/** `count` hydrogens about an axis that leaves the parent: one along it, two bent about it, three or more on a cone. */
export function chosenPositions(
  parent: Vec3,
  axis: Vec3,
  count: number,
  length: number,
  torsionDegrees: number,
): Vec3[] {
  if (count === 1) return [add(parent, scale(axis, length))];
  const half = ((count === 2 ? 52.5 : 70.5) * Math.PI) / 180;
  const seed: Vec3 = Math.abs(axis[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  const side = normalize(cross(axis, seed));
  return Array.from({ length: count }, (_, i) =>
    add(
      parent,
      scale(
        add(
          scale(axis, Math.cos(half)),
          scale(turn(side, axis, (torsionDegrees * Math.PI) / 180 + (2 * Math.PI * i) / count), Math.sin(half)),
        ),
        length,
      ),
    ),
  );
}
