/** Where hydrogens of a shape can stand about an atom, each placement judged by density, hydrogen bonds and crowding. */
import { orthogonalization } from '../crystal/cell.ts';
import type { HydrogenShape } from '../crystal/controls.ts';
import { isHydrogen, isMetal } from '../crystal/elements.ts';
import { neighbours as findNeighbours, type Neighbour } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { idealHydrogens, TURNING, usualCount, type Surroundings } from '../geometry/hydrogens.ts';
import { meets, parentReference, surroundingsAt, type GroupOf } from '../geometry/parents.ts';
import { densityAt, type SampledMap } from '../maps/sample.ts';
import {
  add,
  apply3,
  cross,
  dot,
  inverse3,
  norm,
  normalize,
  scale,
  subtract,
  turn,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';

export interface Partner {
  readonly label: string;
  /** D…A and H…A, Å, and the D–H…A angle in degrees. */
  readonly distance: number;
  readonly reach: number;
  readonly angle: number;
}

export interface PlanInput {
  readonly structure: Structure;
  /** Fo − Fc without the hydrogens in question. */
  readonly map?: SampledMap & { readonly sigma: number };
  readonly temperature?: number;
  /** Hydrogens per asymmetric unit by the formula. */
  readonly expected?: number;
}

const ACCEPTORS: Record<string, number> = { O: 3.2, N: 3.3, F: 3.1, Cl: 3.6, Br: 3.7, I: 3.9, S: 3.7 };
const STEP = 5;

export interface Candidate {
  positions: Vec3[];
  density: number[];
  partners: Partner[];
  score: number;
  torsion?: number;
}

const cosDeg = (p: Vec3, c: Vec3, q: Vec3): number =>
  (Math.acos(Math.max(-1, Math.min(1, dot(normalize(subtract(p, c)), normalize(subtract(q, c)))))) * 180) / Math.PI;

export class Planner {
  readonly m: Mat3;
  readonly inverse: Mat3;
  readonly s: Structure;
  typical = 0.5;
  /** Acceptors and blockers in reach of each site that may donate. */
  private readonly reach = new Map<number, Neighbour[]>();

  constructor(private readonly input: PlanInput) {
    this.s = input.structure;
    this.m = orthogonalization(this.s.cell);
    this.inverse = inverse3(this.m);
  }

  cart(n: { position: Vec3 }): Vec3 {
    return apply3(this.m, n.position);
  }

  density(x: Vec3): number {
    const f = apply3(this.inverse, x);
    return this.input.map ? densityAt(this.input.map, f[0], f[1], f[2]) : 0;
  }

  around(site: number): Neighbour[] {
    let list = this.reach.get(site);
    if (!list) {
      list = findNeighbours(
        this.s.cell,
        this.s.spaceGroup,
        this.s.sites.map((x) => x.position),
        4.2,
        [site],
      ).filter((n) => n.distance > 0.5);
      this.reach.set(site, list);
    }
    return list;
  }

  /** Log-likelihood that a place holds a hydrogen rather than nothing, from the density there. */
  densityScore(rho: number): number {
    if (!this.input.map) return 0;
    const ratio = Math.max(-0.6, Math.min(1.6, rho / this.typical));
    const noise = Math.max(0.28, (1.3 * this.input.map.sigma) / this.typical);
    return (ratio - 0.5) / (noise * noise) / 2;
  }

  /** Hydrogen-bond partners of a donor's hydrogen and how good and how crowded the place is. */
  judge(
    site: number,
    as: GroupOf,
    h: Vec3,
    bonded: readonly Vec3[],
  ): { partners: Partner[]; bond: number; crowd: number } {
    const d = apply3(this.m, this.s.sites[site]!.position);
    const partners: Partner[] = [];
    let bond = 0,
      crowd = 0;
    for (const n of this.around(site)) {
      const other = this.s.sites[n.to]!;
      if (!meets(as, other.disorder)) continue;
      const x = this.cart(n);
      const reach = norm(subtract(x, h));
      const limit = ACCEPTORS[other.element];
      const own = bonded.some((b) => norm(subtract(b, x)) < 0.05);
      if (!own && limit && n.distance < limit) {
        const angle = cosDeg(d, h, x);
        if (angle > 110 && reach < n.distance) {
          partners.push({ label: other.label, distance: n.distance, reach, angle });
          // Straight and short bonds count most (Steiner 2002, Angew. Chem. 41, 48).
          bond = Math.max(bond, ((angle - 110) / 60) * Math.min(1, Math.max(0, (limit - n.distance) / 0.4 + 0.3)));
        }
      }
      if (own) continue;
      const near = isHydrogen(other.element) ? 2.0 : isMetal(other.element) ? 2.3 : limit ? 1.55 : 2.2;
      if (reach < near) crowd += ((near - reach) / 0.35) ** 2;
    }
    return {
      partners: partners.sort((a, b) => a.reach - b.reach).slice(0, 3),
      bond: Math.min(1, bond),
      crowd: Math.min(12, crowd),
    };
  }

  candidate(
    site: number,
    as: GroupOf,
    positions: Vec3[],
    bonded: readonly Vec3[],
    donor: boolean,
    torsion?: number,
  ): Candidate {
    const density = positions.map((x) => this.density(x));
    let score = density.reduce((p, r) => p + this.densityScore(r), 0);
    const partners: Partner[] = [];
    for (const x of positions) {
      const j = this.judge(site, as, x, bonded);
      if (donor) {
        score += 3 * j.bond;
        partners.push(...j.partners);
      }
      score -= j.crowd;
    }
    return { positions, density, partners, score, ...(torsion === undefined ? {} : { torsion }) };
  }

  /** All sensible placements of a shape on an atom, the best first. */
  placements(
    site: number,
    as: GroupOf,
    shape: HydrogenShape,
    length: number,
  ): { candidates: Candidate[]; circle?: number[] } {
    const s = this.s;
    const reference = parentReference(s, site, as);
    const around: Surroundings = surroundingsAt(s, reference, (i) => s.sites[i]!.position);
    const donor = ['N', 'O', 'S'].includes(s.sites[site]!.element);
    const bonded = around.neighbours;
    const make = (positions: Vec3[] | undefined, torsion?: number): Candidate[] =>
      positions ? [this.candidate(site, as, positions, bonded, donor, torsion)] : [];
    if (shape === 'water') return { candidates: this.water(site, as, around, length) };
    const turns =
      (TURNING.has(shape) && shape !== 'pyramidal NH2') ||
      ((shape === 'planar NH' || shape === 'vinyl') && around.neighbours.length === 1);
    if (shape === 'pyramidal NH2' || turns) {
      const count = usualCount[shape];
      const steps = 360 / STEP;
      const all = Array.from({ length: steps }, (_, i) =>
        make(idealHydrogens(shape, around, length, (i * STEP * Math.PI) / 180), i * STEP),
      ).flat();
      if (!all.length) return { candidates: [] };
      const circle = all.map((c) => c.density.reduce((p, q) => p + q, 0) / count);
      // A methyl's circle repeats after a third; only one turn of it is a choice.
      const span = count === 3 ? steps / 3 : steps;
      const scored = all.slice(0, span).map((c) => (donor ? c : { ...c, score: c.score + staggered(c, around) }));
      const tops = scored
        .filter((c, i) => c.score >= scored[(i + 1) % span]!.score && c.score > scored[(i + span - 1) % span]!.score)
        .sort((a, b) => b.score - a.score);
      return { candidates: (tops.length ? tops : scored).slice(0, 5), circle };
    }
    if (shape === 'pyramidal NH')
      return {
        candidates: [1, -1]
          .flatMap((t) => make(idealHydrogens(shape, around, length, t), t))
          .sort((a, b) => b.score - a.score),
      };
    return { candidates: make(idealHydrogens(shape, around, length)) };
  }

  /** Water: pairs of directions at a sensible angle, scored by density and hydrogen bonds together; bent or flat about a metal as the data say. */
  water(site: number, as: GroupOf, around: Surroundings, length: number): Candidate[] {
    const p = around.parent;
    const directions: Vec3[] = [];
    const n = 420,
      golden = Math.PI * (3 - Math.sqrt(5));
    for (let i = 0; i < n; i++) {
      const z = 1 - (2 * (i + 0.5)) / n,
        r = Math.sqrt(1 - z * z);
      directions.push([r * Math.cos(golden * i), r * Math.sin(golden * i), z]);
    }
    const metal = around.neighbours.map((x) => normalize(subtract(x, p)));
    const single = directions.map((d) => {
      const h = add(p, scale(d, length));
      const j = this.judge(site, as, h, around.neighbours);
      const toMetal = metal.reduce((most, u) => Math.max(most, dot(u, d)), -1);
      return {
        d,
        h,
        score: this.densityScore(this.density(h)) + 3 * j.bond - j.crowd - (toMetal > -0.15 ? 8 * (toMetal + 0.15) : 0),
        partners: j.partners,
      };
    });
    const best = [...single].sort((a, b) => b.score - a.score).slice(0, 90);
    const pairs: { a: Vec3; b: Vec3; score: number }[] = [];
    for (let i = 0; i < best.length; i++)
      for (let k = 0; k < i; k++) {
        const angle = (Math.acos(Math.max(-1, Math.min(1, dot(best[i]!.d, best[k]!.d)))) * 180) / Math.PI;
        if (angle < 92 || angle > 120) continue;
        const shared =
          best[i]!.partners[0] &&
          best[i]!.partners[0]?.label === best[k]!.partners[0]?.label &&
          Math.abs(best[i]!.partners[0]!.distance - best[k]!.partners[0]!.distance) < 1e-6
            ? 3
            : 0;
        pairs.push({
          a: best[i]!.d,
          b: best[k]!.d,
          score: best[i]!.score + best[k]!.score - ((angle - 105) / 8) ** 2 - shared,
        });
      }
    pairs.sort((x, y) => y.score - x.score);
    const kept: Candidate[] = [];
    for (const pair of pairs) {
      if (kept.length >= 6) break;
      const [a, b] = openTo(pair.a, pair.b, 105);
      const positions = [add(p, scale(a, length)), add(p, scale(b, length))];
      if (kept.some((c) => sameSet(c.positions, positions, 0.35))) continue;
      kept.push(this.polish(site, as, around, positions, length));
    }
    return kept.sort((x, y) => y.score - x.score);
  }

  /** Small turns of a water about its oxygen that raise the score. */
  private polish(site: number, as: GroupOf, around: Surroundings, start: Vec3[], length: number): Candidate {
    const p = around.parent;
    const value = (positions: Vec3[]): Candidate => this.candidate(site, as, positions, around.neighbours, true);
    let best = value(start);
    for (let step = 0.2; step > 0.02; step /= 2)
      for (let again = 0; again < 4; again++) {
        let moved = false;
        for (const axis of [
          [1, 0, 0],
          [0, 1, 0],
          [0, 0, 1],
        ] as Vec3[])
          for (const sign of [1, -1]) {
            const next = value(
              best.positions.map((x) => add(p, scale(normalize(turn(subtract(x, p), axis, sign * step)), length))),
            );
            if (next.score > best.score + 1e-6) {
              best = next;
              moved = true;
            }
          }
        if (!moved) break;
      }
    return best;
  }
}

/** A mild leaning of methyls to the staggered place where the density says nothing. */
function staggered(c: Candidate, around: Surroundings): number {
  const first = around.neighbours[0];
  if (!first || !around.beyond) return 0;
  return 0.6 * -Math.cos((3 * (c.torsion ?? 0) * Math.PI) / 180);
}

/** Two unit vectors brought to an angle (degrees), their middle kept. */
export function openTo(a: Vec3, b: Vec3, degrees: number): [Vec3, Vec3] {
  const middle = normalize(add(a, b));
  const side = subtract(a, scale(middle, dot(a, middle)));
  const across = norm(side) > 1e-6 ? normalize(side) : normalize(cross(middle, [0.3, 0.5, 0.8]));
  const half = (degrees * Math.PI) / 360;
  return [
    add(scale(middle, Math.cos(half)), scale(across, Math.sin(half))),
    subtract(scale(middle, Math.cos(half)), scale(across, Math.sin(half))),
  ];
}

const sameSet = (p: readonly Vec3[], q: readonly Vec3[], within: number): boolean =>
  p.every((x) => q.some((y) => norm(subtract(x, y)) < within));
