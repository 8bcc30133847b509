/**
 * A molecule with free torsions placed in a known cell by parallel tempering (Swendsen & Wang 1986; for powders Favre-Nicolin & Černý 2002,
 * J. Appl. Cryst. 35, 734): copies at several temperatures move, turn and twist at random, exchange places, and the coldest settles where
 * calculated and extracted intensities agree. Reflections that overlap are compared as sums.
 */
import { originalRef, positionOf, siteOf } from '../crystal/atom-ref.ts';
import { orthogonalization, reciprocalMetric, type Cell } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import type { Pattern } from '../crystal/pattern.ts';
import { bondLimit, bonds, connectedUnit, fragments } from '../geometry/bonds.ts';
import { PatternCalculator } from './engine.ts';
import type { FitModel } from './model.ts';
import { allOperators, type SpaceGroup } from '../crystal/space-group.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import { add, apply3, inverse3, norm, normalize, subtract, turn, type Vec3 } from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { middle, rotationOfQuaternion } from '../math/superpose.ts';
import { formFactor, gaussianFactor } from '../scattering/form-factor.ts';
import type { TaskContext } from '../task-context.ts';

export interface LooseMolecule {
  readonly elements: readonly string[];
  /** Cartesian, Å. */
  readonly positions: readonly Vec3[];
  readonly bonds: readonly (readonly [number, number])[];
}

/** Sums of m·|F|² that are observed together: indices of reflections and their sum. */
export interface IntensityGroups {
  readonly h: Int16Array;
  readonly k: Int16Array;
  readonly l: Int16Array;
  readonly multiplicity: ArrayLike<number>;
  /** Group of each reflection, rising. */
  readonly group: Int32Array;
  readonly observed: Float64Array;
}

export interface PlaceInput {
  readonly cell: Cell;
  readonly spaceGroup: SpaceGroup;
  readonly molecule: LooseMolecule;
  readonly intensities: IntensityGroups;
  readonly seed: number;
  readonly seconds: number;
  /** Torsions held as they are; otherwise every single bond between parts that matter turns. */
  readonly rigid?: boolean;
}

export interface PlaceReport {
  readonly steps: number;
  readonly best: number;
  readonly torsions: number;
}

export interface PlaceResult {
  readonly structure: Structure;
  /** Σ|Io − kIc| / ΣIo over the groups. */
  readonly r: number;
  readonly torsions: number;
  readonly steps: number;
}

export interface Torsion {
  readonly from: number;
  readonly to: number;
  /** Atoms that turn: those on the far side. */
  readonly moving: readonly number[];
}

/** Bonds that may turn: not in rings, with something other than hydrogen on both sides, and not shorter than a single bond. */
export function freeTorsions(m: LooseMolecule): Torsion[] {
  const around = m.elements.map((): number[] => []);
  for (const [p, q] of m.bonds) {
    around[p]!.push(q);
    around[q]!.push(p);
  }
  const side = (from: number, to: number): number[] => {
    const seen = new Set([to]),
      queue = [to];
    while (queue.length)
      for (const n of around[queue.pop()!]!)
        if (!seen.has(n) && n !== from) {
          seen.add(n);
          queue.push(n);
        }
    return [...seen];
  };
  const out: Torsion[] = [];
  for (const [p, q] of m.bonds) {
    if (around[p]!.length < 2 || around[q]!.length < 2) continue;
    const length = norm(subtract(m.positions[p]!, m.positions[q]!));
    const single = 0.97 * (elementOf(m.elements[p]!).covalentRadius + elementOf(m.elements[q]!).covalentRadius) - 0.06;
    if (length < single) continue;
    const far = side(p, q);
    // In a ring both ends are on the same side.
    if (far.includes(p) || inRing(around, p, q)) continue;
    const near = m.elements.map((_, i) => i).filter((i) => !far.includes(i));
    const heavy = (list: readonly number[], pivot: number): boolean =>
      list.some((i) => i !== pivot && !isHydrogen(m.elements[i]!));
    if (!heavy(far, q) || !heavy(near, p)) continue;
    const small = far.length <= near.length;
    out.push(
      small
        ? { from: p, to: q, moving: far.filter((i) => i !== q) }
        : { from: q, to: p, moving: near.filter((i) => i !== p) },
    );
  }
  return out;
}

function inRing(around: readonly number[][], p: number, q: number): boolean {
  const seen = new Set([p]),
    queue = around[p]!.filter((n) => n !== q);
  queue.forEach((n) => seen.add(n));
  while (queue.length) {
    const at = queue.pop()!;
    if (at === q) return true;
    for (const n of around[at]!)
      if (!seen.has(n)) {
        seen.add(n);
        queue.push(n);
      }
  }
  return false;
}

/** Position (fractional), quaternion and torsions in one array. */
type Pose = Float64Array;

class Placer {
  readonly torsions: Torsion[];
  private readonly operators;
  private readonly toFractional;
  private readonly centred: Vec3[];
  private readonly heavy: number[];
  private readonly f: Float64Array;
  private readonly limit: Vec3;
  private readonly ex: Float64Array[];
  readonly sums: Float64Array;

  constructor(readonly input: PlaceInput) {
    const { molecule, cell, spaceGroup, intensities } = input;
    this.torsions = input.rigid ? [] : freeTorsions(molecule);
    this.operators = allOperators(spaceGroup);
    this.toFractional = inverse3(orthogonalization(cell));
    const c = middle(molecule.positions);
    this.centred = molecule.positions.map((p) => subtract(p, c));
    this.heavy = molecule.elements.flatMap((e, i) => (isHydrogen(e) ? [] : [i]));
    const g = reciprocalMetric(cell),
      n = intensities.h.length;
    this.f = new Float64Array(this.heavy.length * n);
    this.heavy.forEach((atom, j) => {
      const factor = gaussianFactor(molecule.elements[atom]!);
      for (let i = 0; i < n; i++) {
        const h = intensities.h[i]!,
          k = intensities.k[i]!,
          l = intensities.l[i]!;
        const s2 = (h * h * g[0] + k * k * g[4] + l * l * g[8] + 2 * (h * k * g[1] + h * l * g[2] + k * l * g[5])) / 4;
        this.f[j * n + i] = formFactor(factor, Math.sqrt(s2)) * Math.exp(-8 * Math.PI * Math.PI * 0.04 * s2);
      }
    });
    const most = (v: Int16Array): number => v.reduce((m, x) => Math.max(m, Math.abs(x)), 0);
    this.limit = [most(intensities.h), most(intensities.k), most(intensities.l)];
    this.ex = this.limit.map((m) => new Float64Array(2 * (2 * m + 1)));
    this.sums = new Float64Array(intensities.observed.length);
  }

  get size(): number {
    return 7 + this.torsions.length;
  }

  /** Cartesian atoms of a pose, about the origin plus its position. */
  atoms(pose: Pose): Vec3[] {
    const out = this.centred.slice();
    this.torsions.forEach((t, i) => {
      const angle = pose[7 + i]!,
        axis = normalize(subtract(out[t.to]!, out[t.from]!)),
        origin = out[t.to]!;
      for (const a of t.moving) out[a] = add(origin, turn(subtract(out[a]!, origin), axis, angle));
    });
    const size = Math.hypot(pose[3]!, pose[4]!, pose[5]!, pose[6]!);
    const r = rotationOfQuaternion([pose[3]! / size, pose[4]! / size, pose[5]! / size, pose[6]! / size]);
    return out.map((p) => apply3(r, p));
  }

  fractional(pose: Pose): Vec3[] {
    return this.atoms(pose).map((p) => add(apply3(this.toFractional, p), [pose[0]!, pose[1]!, pose[2]!]));
  }

  /** Disagreement of the pose, Σ w (Io − kIc)² / Σ w Io², with w = 1/(Io + mean). */
  cost(pose: Pose): number {
    const { intensities } = this.input,
      n = intensities.h.length;
    const atoms = this.fractional(pose);
    const A = new Float64Array(n),
      B = new Float64Array(n);
    const [ex, ey, ez] = this.ex as [Float64Array, Float64Array, Float64Array];
    this.heavy.forEach((atom, j) => {
      for (const o of this.operators) {
        const p = atoms[atom]!;
        for (let axis = 0; axis < 3; axis++) {
          const x = o.r[3 * axis]! * p[0] + o.r[3 * axis + 1]! * p[1] + o.r[3 * axis + 2]! * p[2] + o.t[axis]!;
          const table = this.ex[axis]!,
            m = this.limit[axis]!;
          const c = Math.cos(2 * Math.PI * x),
            s = Math.sin(2 * Math.PI * x);
          let re = 1,
            im = 0;
          for (let k = 0; k <= m; k++) {
            table[2 * (m + k)] = re;
            table[2 * (m + k) + 1] = im;
            table[2 * (m - k)] = re;
            table[2 * (m - k) + 1] = -im;
            const next = re * c - im * s;
            im = re * s + im * c;
            re = next;
          }
        }
        const [mh, mk, ml] = this.limit,
          base = j * n;
        for (let i = 0; i < n; i++) {
          const a = 2 * (mh + intensities.h[i]!),
            b = 2 * (mk + intensities.k[i]!),
            d = 2 * (ml + intensities.l[i]!);
          const r1 = ex[a]! * ey[b]! - ex[a + 1]! * ey[b + 1]!,
            i1 = ex[a]! * ey[b + 1]! + ex[a + 1]! * ey[b]!;
          const f = this.f[base + i]!;
          A[i]! += f * (r1 * ez[d]! - i1 * ez[d + 1]!);
          B[i]! += f * (r1 * ez[d + 1]! + i1 * ez[d]!);
        }
      }
    });
    const { observed, group, multiplicity } = intensities;
    this.sums.fill(0);
    for (let i = 0; i < n; i++) this.sums[group[i]!]! += multiplicity[i]! * (A[i]! * A[i]! + B[i]! * B[i]!);
    const mean = observed.reduce((p, q) => p + q, 0) / observed.length;
    let oc = 0,
      cc = 0,
      oo = 0;
    for (let g = 0; g < observed.length; g++) {
      const w = 1 / (observed[g]! + 0.3 * mean);
      oc += w * observed[g]! * this.sums[g]!;
      cc += w * this.sums[g]! * this.sums[g]!;
      oo += w * observed[g]! * observed[g]!;
    }
    return cc > 0 ? 1 - (oc * oc) / (cc * oo) : 1;
  }

  /** Conventional R of the last cost. */
  residual(): number {
    const { observed } = this.input.intensities;
    const k = observed.reduce((p, q) => p + q, 0) / this.sums.reduce((p, q) => p + q, 0);
    let top = 0,
      bottom = 0;
    for (let g = 0; g < observed.length; g++) {
      top += Math.abs(observed[g]! - k * this.sums[g]!);
      bottom += observed[g]!;
    }
    return top / bottom;
  }

  structure(pose: Pose): Structure {
    const { molecule, cell, spaceGroup } = this.input;
    const counts: Record<string, number> = {};
    const sites = this.fractional(pose).map((position, i): Site => {
      const element = molecule.elements[i]!,
        n = (counts[element] = (counts[element] ?? 0) + 1);
      return {
        id: `placed-${element}${n}`,
        label: `${element}${n}`,
        element,
        position: position as Vec3,
        occupancy: 1,
        displacement: { kind: 'iso', u: isHydrogen(element) ? 0.05 : 0.04 },
      };
    });
    return { cell, spaceGroup, sites };
  }
}

/** Runs the search until its time is up or nothing betters the best for long. Throws RangeError for a molecule without atoms or with too few intensities. */
export async function placeMolecule(input: PlaceInput, context: TaskContext<PlaceReport>): Promise<PlaceResult> {
  if (!input.molecule.elements.some((e) => !isHydrogen(e)))
    throw new RangeError('There is no molecule to place. Choose a structure that holds one.');
  if (input.intensities.observed.length < 8)
    throw new RangeError('There are too few intensities to place a molecule. Extract them over a longer range.');
  const placer = new Placer(input),
    random = seededRandom(input.seed),
    size = placer.size;
  const replicas = 8;
  const temperature = Array.from({ length: replicas }, (_, i) => 0.002 * 1.9 ** i);
  const fresh = (): Pose =>
    Float64Array.from({ length: size }, (_, i) =>
      i < 3 ? random.next() : i < 7 ? random.normal() : 2 * Math.PI * random.next(),
    );
  const poses = temperature.map(fresh),
    costs = poses.map((p) => placer.cost(p));
  const reach = temperature.map(() => new Float64Array(3).fill(0.3));
  let best = poses[0]!.slice(),
    bestCost = Infinity,
    steps = 0,
    since = 0;
  const started = performance.now();
  while (performance.now() - started < 1000 * input.seconds && since < 60_000) {
    await context.breath();
    for (let r = 0; r < replicas; r++)
      for (let s = 0; s < 12; s++) {
        const next = poses[r]!.slice();
        const kind = random.below(placer.torsions.length ? 3 : 2),
          width = reach[r]![kind]!;
        // Now and then the whole pose is drawn anew where it is hot.
        if (kind === 0) for (let i = 0; i < 3; i++) next[i]! += width * 0.3 * random.normal();
        else if (kind === 1) {
          const length = Math.hypot(next[3]!, next[4]!, next[5]!, next[6]!);
          for (let i = 3; i < 7; i++) next[i] = next[i]! / length + width * 0.6 * random.normal();
        } else
          next[7 + random.below(placer.torsions.length)]! +=
            random.next() < 0.1 ? 2 * Math.PI * random.next() : width * 2 * random.normal();
        const cost = placer.cost(next);
        steps++;
        since++;
        const taken = cost < costs[r]! || random.next() < Math.exp((costs[r]! - cost) / temperature[r]!);
        // Steps are widened or narrowed to be taken about every third time.
        reach[r]![kind] = Math.min(1, Math.max(0.004, width * (taken ? 1.06 : 0.972)));
        if (!taken) continue;
        poses[r] = next;
        costs[r] = cost;
        if (cost < bestCost - 1e-5) {
          bestCost = cost;
          best = next.slice();
          since = 0;
        }
      }
    for (let r = 0; r + 1 < replicas; r++)
      if (random.next() < Math.exp((costs[r]! - costs[r + 1]!) * (1 / temperature[r]! - 1 / temperature[r + 1]!))) {
        [poses[r], poses[r + 1]] = [poses[r + 1]!, poses[r]!];
        [costs[r], costs[r + 1]] = [costs[r + 1]!, costs[r]!];
      }
    context.progress({ steps, best: bestCost, torsions: placer.torsions.length });
  }
  // The best is walked downhill in ever shorter steps.
  for (let width = 0.05; width > 2e-4; width *= 0.85)
    for (let s = 0; s < 40; s++) {
      const next = best.map((v, i) => v + width * (i < 3 ? 0.2 : 1) * random.normal() * (random.next() < 0.5 ? 1 : 0));
      const cost = placer.cost(next);
      if (cost < bestCost) {
        bestCost = cost;
        best = next;
      }
      if (s % 10 === 0) await context.breath();
    }
  placer.cost(best);
  return { structure: placer.structure(best), r: placer.residual(), torsions: placer.torsions.length, steps };
}

/** Groups extracted reflections that fall together within a share of their width. */
export function groupIntensities(
  list: {
    h: Int16Array;
    k: Int16Array;
    l: Int16Array;
    multiplicity: ArrayLike<number>;
    position: ArrayLike<number>;
    width: ArrayLike<number>;
    f2: ArrayLike<number>;
  },
  most = 120,
): IntensityGroups {
  const n = list.h.length,
    group: number[] = [],
    observed: number[] = [];
  let used = 0;
  for (let i = 0; i < n; i++) {
    const joined = i > 0 && list.position[i]! - list.position[i - 1]! < 0.6 * list.width[i]!;
    if (!joined) {
      if (observed.length === most) break;
      observed.push(0);
    }
    observed[observed.length - 1]! += list.multiplicity[i]! * list.f2[i]!;
    group.push(observed.length - 1);
    used++;
  }
  return {
    h: list.h.slice(0, used),
    k: list.k.slice(0, used),
    l: list.l.slice(0, used),
    multiplicity: Array.from({ length: used }, (_, i) => list.multiplicity[i]!),
    group: Int32Array.from(group),
    observed: Float64Array.from(observed),
  };
}

/** The largest molecule of a structure, put together across symmetry. Throws RangeError for a framework without end. */
export function looseMolecule(s: Structure): LooseMolecule {
  const list = bonds(s);
  const start = fragments(s, list).sort((p, q) => q.length - p.length)[0]?.[0] ?? 0;
  const unit = connectedUnit(s, list, originalRef(s.sites[start]!.id), 400);
  if (unit.length >= 400) throw new RangeError('This structure is a framework without end, not a molecule.');
  const m = orthogonalization(s.cell);
  const positions = unit.map((p) => apply3(m, positionOf(s, p))),
    elements = unit.map((p) => siteOf(s, p)!.element);
  const pairs: [number, number][] = [];
  for (let i = 0; i < unit.length; i++)
    for (let j = i + 1; j < unit.length; j++)
      if (norm(subtract(positions[i]!, positions[j]!)) < bondLimit(elements[i]!, elements[j]!)) pairs.push([i, j]);
  return { elements, positions, bonds: pairs };
}

/** Groups of extracted intensities of a phase, the first `most` sums of a pattern. */
export function extractedGroups(model: FitModel, phase: number, pattern: Pattern, most = 120): IntensityGroups {
  const p = model.phases[phase]!;
  if (!p.extraction || !p.extracted)
    throw new RangeError(
      `The intensities of ${p.name} have not been extracted yet. Run “Cell and intensities without a structure” first.`,
    );
  const calculator = new PatternCalculator(pattern, model.patterns[0]!, model.phases),
    t = calculator.calculate().tables[phase]!,
    { list, f2 } = calculator.works[phase]!;
  const keep = Array.from({ length: list.count }, (_, i) => i).filter(
    (i) =>
      t.position[i * t.lines]! > calculator.points.x[0]! &&
      t.position[i * t.lines]! < calculator.points.x[calculator.points.count - 1]!,
  );
  const pick = (v: Int16Array): Int16Array => Int16Array.from(keep, (i) => v[i]!);
  return groupIntensities(
    {
      h: pick(list.h),
      k: pick(list.k),
      l: pick(list.l),
      multiplicity: keep.map((i) => list.multiplicity[i]!),
      position: keep.map((i) => t.position[i * t.lines]!),
      width: keep.map((i) => t.gauss[i * t.lines]! + t.lorentz[i * t.lines]!),
      f2: keep.map((i) => f2[i]!),
    },
    most,
  );
}
