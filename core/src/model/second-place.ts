/** A second place for part of a model: rigid copies, with chosen torsions, laid on the residual density. */
import { isHome } from '../crystal/atom-ref.ts';
import { metricTensor, orthogonalization } from '../crystal/cell.ts';
import { elementOf, isHydrogen } from '../crystal/elements.ts';
import { allOperators, neighbours, operatorsNear } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds } from '../geometry/bonds.ts';
import { densityAt, type SampledMap } from '../maps/sample.ts';
import {
  add,
  apply3,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  turn,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { seededRandom } from '../math/random.ts';
import { applySuperposition, middle, rotationOfQuaternion, superpose } from '../math/superpose.ts';

export interface PlaceInput {
  readonly structure: Structure;
  /** Sites to be copied; their hydrogens come along by themselves. */
  readonly sites: readonly number[];
  readonly map: SampledMap & { readonly sigma: number };
  /** Fractional positions of residual maxima. */
  readonly peaks: readonly Vec3[];
  /** Bonds (site indices, the second end moves) whose torsions may change. */
  readonly torsions?: readonly (readonly [number, number])[];
  readonly seed?: number;
}

export interface PlaceProposal {
  /** Fractional positions in the order of `sites` of the fragment. */
  readonly positions: readonly Vec3[];
  /** Density at the copy's atoms, weighted by electrons, e Å⁻³. */
  readonly density: number;
  /** Non-hydrogen atoms of the copy on density above 2σ, or within 0.4 Å of the first place. */
  readonly covered: number;
  readonly atoms: number;
  /** R.m.s. distance from the first place, Å. */
  readonly moved: number;
  readonly how: string;
  readonly score: number;
}

export interface Fragment {
  /** Site indices, hydrogens included. */
  readonly sites: readonly number[];
  readonly positions: readonly Vec3[];
  /** Index into `sites` of atoms bonded to something outside, with that neighbour's Cartesian place. */
  readonly anchors: readonly {
    readonly atom: number;
    readonly outside: Vec3;
    readonly length: number;
    readonly site: number;
  }[];
  /** Cartesian places of atoms outside that must not be run into, with the least distance, Å. */
  readonly obstacles: readonly { readonly place: Vec3; readonly least: number; readonly site: number }[];
}

/** The fragment with its surroundings; hydrogens of chosen atoms are taken in. */
export function fragmentOf(s: Structure, chosen: readonly number[]): Fragment {
  const m = orthogonalization(s.cell);
  const list = bonds(s);
  const set = new Set(chosen);
  for (const b of list) if (set.has(b.from) && isHydrogen(s.sites[b.to]!.element)) set.add(b.to);
  const sites = [...set].sort((a, b) => a - b);
  const index = new Map(sites.map((site, i) => [site, i]));
  const positions = sites.map((i) => apply3(m, s.sites[i]!.position));
  const anchors = list
    .filter(
      (b) =>
        index.has(b.from) &&
        !index.has(b.to) &&
        !isHydrogen(s.sites[b.to]!.element) &&
        !isHydrogen(s.sites[b.from]!.element),
    )
    .map((b) => ({ atom: index.get(b.from)!, outside: apply3(m, b.position), length: b.distance, site: b.to }));
  const assembly = s.sites[sites[0]!]?.disorder?.assembly;
  const near = neighbours(
    s.cell,
    s.spaceGroup,
    s.sites.map((x) => x.position),
    { widest: 7, of: (i, j) => (index.has(i) && !isHydrogen(s.sites[j]!.element) ? 7 : 0) },
    sites.filter((i) => !isHydrogen(s.sites[i]!.element)),
  );
  const obstacles = new Map<string, Fragment['obstacles'][number]>();
  for (const n of near) {
    const own = isHome(n);
    // Other places of the same assembly overlap it by their nature.
    if ((index.has(n.to) && own) || (assembly && s.sites[n.to]!.disorder?.assembly === assembly && own)) continue;
    const place = apply3(m, n.position);
    obstacles.set(place.map((x) => x.toFixed(2)).join(), {
      place,
      least: 0.75 * (elementOf(s.sites[n.to]!.element).vdwRadius + 1.6),
      site: n.to,
    });
  }
  return { sites, positions, anchors, obstacles: [...obstacles.values()] };
}

/** Scores placements of a fragment against the residual density; light enough to follow a drag. */
export class PlaceScorer {
  private readonly inverse: Mat3;
  readonly weight: number[];
  private readonly total: number;
  private readonly skip: Set<number>;

  constructor(
    readonly s: Structure,
    readonly fragment: Fragment,
    readonly map: SampledMap & { readonly sigma: number },
  ) {
    this.inverse = inverse3(orthogonalization(s.cell));
    this.weight = fragment.sites.map((i) =>
      isHydrogen(s.sites[i]!.element) ? 0 : Math.sqrt(elementOf(s.sites[i]!.element).z / 6),
    );
    this.total = this.weight.reduce((p, q) => p + q, 0) || 1;
    this.skip = new Set(fragment.anchors.map((a) => a.site));
  }

  fractional(p: Vec3): Vec3 {
    return apply3(this.inverse, p);
  }

  density(p: Vec3): number {
    const f = this.fractional(p);
    return densityAt(this.map, f[0], f[1], f[2]);
  }

  /** Density gathered, less what bumping and stretched bonds to the rest cost, in units of σ. */
  score(x: readonly Vec3[]): number {
    let sum = 0;
    const sigma = this.map.sigma || 1;
    x.forEach((p, i) => {
      if (!this.weight[i]) return;
      const rho = this.density(p) / sigma;
      sum += this.weight[i]! * Math.max(-4, Math.min(9, rho));
      for (const o of this.fragment.obstacles) {
        if (this.skip.has(o.site)) continue;
        const d = norm(subtract(o.place, p));
        if (d < o.least) sum -= 5 * (o.least - d);
      }
    });
    for (const a of this.fragment.anchors) {
      const stretch = Math.abs(norm(subtract(x[a.atom]!, a.outside)) - a.length);
      sum -= 14 * Math.min(2.5, stretch) ** 2;
    }
    return sum / this.total;
  }

  describe(x: readonly Vec3[], how: string): PlaceProposal {
    const heavy = x.map((_, i) => i).filter((i) => this.weight[i]! > 0);
    const first = this.fragment.positions;
    const nearFirst = (p: Vec3): boolean => first.some((q, k) => this.weight[k]! > 0 && norm(subtract(p, q)) < 0.4);
    return {
      positions: x.map((p) => this.fractional(p)),
      how,
      atoms: heavy.length,
      score: this.score(x),
      density: heavy.reduce((sum, i) => sum + this.weight[i]! * this.density(x[i]!), 0) / this.total,
      covered: heavy.filter((i) => this.density(x[i]!) > 2 * this.map.sigma || nearFirst(x[i]!)).length,
      moved: Math.sqrt(
        heavy.reduce((sum, i) => sum + norm(subtract(x[i]!, first[i]!)) ** 2, 0) / Math.max(1, heavy.length),
      ),
    };
  }
}

/** Atoms on the far side of a bond within a fragment (indices into the fragment), or undefined when the bond is in a ring. */
export function farSide(s: Structure, fragment: Fragment, near: number, far: number): number[] | undefined {
  const index = new Map(fragment.sites.map((site, i) => [site, i]));
  const links = new Map<number, number[]>();
  for (const b of bonds(s)) {
    const i = index.get(b.from),
      j = index.get(b.to);
    if (i !== undefined && j !== undefined && isHome(b)) links.set(i, [...(links.get(i) ?? []), j]);
  }
  const a = index.get(near),
    start = index.get(far);
  if (start === undefined) return undefined;
  const seen = new Set([start]);
  const queue = [start];
  for (const at of queue)
    for (const n of links.get(at) ?? []) {
      if (at === start && n === a) continue;
      if (n === a) return undefined;
      if (!seen.has(n)) {
        seen.add(n);
        queue.push(n);
      }
    }
  return [...seen];
}

/** Bonds of a fragment that can turn: single, outside rings, with something on either side; the moving end second. */
export function turnableBonds(s: Structure, sites: readonly number[]): [number, number][] {
  const fragment = fragmentOf(s, sites);
  const inside = new Set(fragment.sites);
  const out: [number, number][] = [];
  for (const b of bonds(s)) {
    if (
      b.from >= b.to ||
      !inside.has(b.from) ||
      !inside.has(b.to) ||
      isHydrogen(s.sites[b.from]!.element) ||
      isHydrogen(s.sites[b.to]!.element)
    )
      continue;
    const one = farSide(s, fragment, b.from, b.to),
      other = farSide(s, fragment, b.to, b.from);
    if (!one || !other) continue;
    const heavy = (list: number[]): number =>
      list.filter((i) => !isHydrogen(s.sites[fragment.sites[i]!]!.element)).length;
    if (heavy(one) < 2 || heavy(other) < 2) continue;
    out.push(heavy(one) <= heavy(other) ? [b.from, b.to] : [b.to, b.from]);
  }
  return out;
}

interface Motion {
  center: Vec3;
  torsions: { axis: [number, number]; moving: number[] }[];
}

/** Climbs to the nearest maximum of the score over shifts, turns and torsions, with shrinking steps. */
function climb(scorer: PlaceScorer, start: readonly Vec3[], motion: Motion): { x: Vec3[]; score: number } {
  let x = [...start],
    score = scorer.score(x);
  const axes: Vec3[] = [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ];
  for (let step = 0.32; step > 0.015; step *= 0.55)
    for (let round = 0; round < 6; round++) {
      let moved = false;
      const attempt = (y: Vec3[]): void => {
        const v = scorer.score(y);
        if (v > score + 1e-5) {
          x = y;
          score = v;
          moved = true;
        }
      };
      for (const a of axes)
        for (const sign of [1, -1]) {
          attempt(x.map((p) => add(p, scale(a, sign * step))));
          const c = middle(x);
          attempt(x.map((p) => add(c, turn(subtract(p, c), a, sign * step * 0.7))));
        }
      for (const { atom, outside } of scorer.fragment.anchors.slice(0, 2)) {
        const axis = normalize(subtract(x[atom]!, outside));
        for (const sign of [1, -1]) attempt(x.map((p) => add(outside, turn(subtract(p, outside), axis, sign * step))));
      }
      for (const t of motion.torsions) for (const sign of [1, -1]) attempt(twist(x, t, sign * step * 1.2));
      if (!moved) break;
    }
  return { x, score };
}

export function twist(
  x: readonly Vec3[],
  t: { axis: readonly [number, number]; moving: readonly number[] },
  angle: number,
): Vec3[] {
  const o = x[t.axis[0]]!,
    axis = normalize(subtract(x[t.axis[1]]!, o));
  const moving = new Set(t.moving);
  return x.map((p, i) => (moving.has(i) ? add(o, turn(subtract(p, o), axis, angle)) : p));
}

/**
 * Proposals for a second place, best first: starts from turns about the bonds that hold the fragment, from residual peaks
 * matched to triples of its atoms, and from turns about its centre; each climbs to a maximum of density. Distinct ones are kept.
 */
export function proposeSecondPlaces(input: PlaceInput, most = 6): PlaceProposal[] {
  const { structure: s, map } = input;
  const fragment = fragmentOf(s, input.sites);
  const scorer = new PlaceScorer(s, fragment, map);
  const random = seededRandom(input.seed ?? 1);
  const x0 = fragment.positions;
  const heavy = fragment.sites.map((_, i) => i).filter((i) => scorer.weight[i]! > 0);
  const index = new Map(fragment.sites.map((site, i) => [site, i]));
  const torsions = (input.torsions ?? []).flatMap(([near, far]) => {
    const moving = farSide(s, fragment, near, far);
    return moving && index.has(near)
      ? [
          {
            axis: [index.get(near)!, index.get(far)!] as [number, number],
            moving: moving.filter((i) => i !== index.get(far)),
          },
        ]
      : [];
  });
  const center = middle(heavy.map((i) => x0[i]!));
  const motion: Motion = { center, torsions };
  const starts: { x: Vec3[]; how: string }[] = [];
  const mirrored = (x: readonly Vec3[]): Vec3[] => x.map((p) => subtract(scale(center, 2), p));
  for (const { atom, outside, site } of fragment.anchors.slice(0, 2)) {
    const axis = normalize(subtract(x0[atom]!, outside));
    for (let a = 15; a < 360; a += 15)
      starts.push({
        x: x0.map((p) => add(outside, turn(subtract(p, outside), axis, (a * Math.PI) / 180))),
        how: `turned about ${s.sites[site]!.label}–${s.sites[fragment.sites[atom]!]!.label}`,
      });
    // The same ring the other way up: mirrored, then swung about its anchor.
    if (heavy.length > 2) {
      const pivot = x0[atom]!;
      const flat = mirrored(x0).map((p) => add(p, subtract(pivot, mirrored([pivot])[0]!)));
      const target = normalize(subtract(middle(heavy.map((i) => x0[i]!)), pivot)),
        now = normalize(subtract(middle(heavy.map((i) => flat[i]!)), pivot));
      const cosine = Math.max(-1, Math.min(1, now[0] * target[0] + now[1] * target[1] + now[2] * target[2]));
      const side = normalize([
        now[1] * target[2] - now[2] * target[1],
        now[2] * target[0] - now[0] * target[2],
        now[0] * target[1] - now[1] * target[0],
      ] as Vec3);
      const swung = flat.map((p) =>
        add(pivot, turn(subtract(p, pivot), norm(side) > 0.5 ? side : [1, 0, 0], Math.acos(cosine))),
      );
      for (let a = 0; a < 360; a += 20)
        starts.push({
          x: swung.map((p) => add(pivot, turn(subtract(p, pivot), axis, (a * Math.PI) / 180))),
          how: 'mirrored',
        });
    }
  }
  if (!fragment.anchors.length || heavy.length < 4) {
    for (let i = 0; i < (heavy.length > 1 ? 260 : 1); i++) {
      const q = [random.normal(), random.normal(), random.normal(), random.normal()];
      const length = Math.hypot(...q);
      const r = rotationOfQuaternion(q.map((v) => v / length) as [number, number, number, number]);
      const shift: Vec3 = [0.5 * random.normal(), 0.5 * random.normal(), 0.5 * random.normal()];
      starts.push({
        x: x0.map((p) => add(add(center, apply3(r, subtract(p, center))), shift)),
        how: 'turned about its centre',
      });
    }
  }
  starts.push(...peakStarts(input, fragment, scorer, heavy, mirrored));
  const scored = starts.map((st) => ({ ...st, score: scorer.score(st.x) })).sort((a, b) => b.score - a.score);
  // Rough starts are many; only the better ones, and not many of one kind, are worth the climb.
  const chosen: typeof scored = [];
  for (const st of scored) {
    if (chosen.length >= 46) break;
    if (chosen.some((c) => rmsBetween(c.x, st.x, heavy) < 0.35)) continue;
    chosen.push(st);
  }
  const climbed = chosen
    .map((st) => ({ ...climb(scorer, st.x, motion), how: st.how }))
    .sort((a, b) => b.score - a.score);
  const out: PlaceProposal[] = [];
  const kept: Vec3[][] = [];
  for (const c of climbed) {
    if (out.length >= most) break;
    const heavyNow = heavy.map((i) => c.x[i]!);
    const identity =
      setDistance(
        heavyNow,
        heavy.map((i) => x0[i]!),
      ) < 0.3;
    if (identity || kept.some((k) => setDistance(k, heavyNow) < 0.3)) continue;
    kept.push(heavyNow);
    out.push(scorer.describe(c.x, c.how));
  }
  return out;
}

const rmsBetween = (a: readonly Vec3[], b: readonly Vec3[], which: readonly number[]): number =>
  Math.sqrt(which.reduce((sum, i) => sum + norm(subtract(a[i]!, b[i]!)) ** 2, 0) / which.length);
/** R.m.s. of nearest distances between two sets: equal sets in another order count as the same place. */
const setDistance = (a: readonly Vec3[], b: readonly Vec3[]): number =>
  Math.sqrt(a.reduce((sum, p) => sum + Math.min(...b.map((q) => norm(subtract(p, q)))) ** 2, 0) / a.length);

/** Superpositions of atom triples on peak triples with like distances, as they are and mirrored. */
function peakStarts(
  input: PlaceInput,
  fragment: Fragment,
  scorer: PlaceScorer,
  heavy: readonly number[],
  mirrored: (x: readonly Vec3[]) => Vec3[],
): { x: Vec3[]; how: string }[] {
  const s = input.structure;
  const m = orthogonalization(s.cell),
    g = metricTensor(s.cell),
    operators = allOperators(s.spaceGroup);
  const centre = scorer.fractional(middle(heavy.map((i) => fragment.positions[i]!)));
  const reach =
    Math.max(
      ...heavy.map((i) => norm(subtract(fragment.positions[i]!, middle(heavy.map((k) => fragment.positions[k]!))))),
    ) + 2;
  const peaks = input.peaks
    .slice(0, 22)
    .map((p) => operatorsNear(operators, g, p as [number, number, number], centre))
    .filter((p) => p.distance < reach)
    .map((p) => apply3(m, p.moved))
    .slice(0, 14);
  if (peaks.length < 3 || heavy.length < 3) return [];
  const out: { x: Vec3[]; how: string; score: number }[] = [];
  for (const source of [fragment.positions, mirrored(fragment.positions)]) {
    const d = (i: number, j: number): number => norm(subtract(source[i]!, source[j]!));
    for (let a = 0; a < peaks.length; a++)
      for (let b = 0; b < peaks.length; b++) {
        if (a === b) continue;
        const ab = norm(subtract(peaks[a]!, peaks[b]!));
        for (const i of heavy)
          for (const j of heavy) {
            if (i === j || Math.abs(d(i, j) - ab) > 0.25) continue;
            for (let c = 0; c < b; c++) {
              if (c === a) continue;
              const ac = norm(subtract(peaks[a]!, peaks[c]!)),
                bc = norm(subtract(peaks[b]!, peaks[c]!));
              for (const k of heavy) {
                if (k === i || k === j || Math.abs(d(i, k) - ac) > 0.25 || Math.abs(d(j, k) - bc) > 0.25) continue;
                const fit = superpose([source[i]!, source[j]!, source[k]!], [peaks[a]!, peaks[b]!, peaks[c]!]);
                if (fit.rms > 0.2) continue;
                const x = source.map((p) => applySuperposition(fit, p));
                out.push({
                  x,
                  how: source === fragment.positions ? 'laid on residual peaks' : 'mirrored, laid on residual peaks',
                  score: scorer.score(x),
                });
                if (out.length > 2600) {
                  out.sort((p, q) => q.score - p.score);
                  out.length = 500;
                }
              }
            }
          }
      }
  }
  return out.sort((p, q) => q.score - p.score).slice(0, 300);
}
