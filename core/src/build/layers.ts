/** Layers, chains and clusters as bonds make them: taken out of a crystal one by one, with nothing above or around. */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { spaceGroupFromSymbol } from '../crystal/settings.ts';
import { newId, type Site, type Structure } from '../crystal/structure.ts';
import { bestRotation } from '../draw/camera.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { netsOf, NET_WORDS, dimensionOf, type Net } from '../geometry/nets.ts';
import {
  add,
  apply3,
  cross,
  dot,
  norm,
  normalize,
  scale,
  subtract,
  toMat3,
  toVec3,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { inVacuum, plainSite, type Slab, type SurfaceSite, type VacuumChoice } from './surface.ts';
import { withOwnLabels } from './whole-cell.ts';

/** One layer of a crystal, in Cartesian axes of the crystal. */
interface Sheet {
  readonly net: Net;
  readonly at: readonly Vec3[];
  /** Å along the normal, of the middle. */
  readonly height: number;
}

const mean = (list: readonly number[]): number => list.reduce((sum, x) => sum + x, 0) / Math.max(1, list.length);

export interface LayerSlab extends Slab {
  /** Layers taken. */
  readonly count: number;
  /** Å between the middles of neighbouring layers, from below. */
  readonly steps: readonly number[];
}

/** The vector of a lattice that leads from one layer to a copy of it, nearest to the normal. */
function stackingVector(s: Structure, u: Vec3, v: Vec3): { w: Vec3; period: number } {
  const m = orthogonalization(s.cell);
  const normal = normalize(cross(u, v));
  let best: Vec3 | undefined,
    period = Infinity,
    lean = Infinity;
  for (let i = -3; i <= 3; i++)
    for (let j = -3; j <= 3; j++)
      for (let k = -3; k <= 3; k++) {
        const c = apply3(m, [i, j, k]);
        const h = dot(c, normal);
        if (h < 0.5 || h > period + 1e-6) continue;
        const aside = norm(subtract(c, scale(normal, h)));
        if (h > period - 1e-6 && aside > lean - 1e-9) continue;
        [best, period, lean] = [c, h, aside];
      }
  if (!best) throw new RangeError('Nothing stands above the layer.');
  return { w: best, period };
}

/** Layers taken out of a crystal, Cartesian with x along u and z along the normal, from the lowest atom on. */
export interface TakenLayers {
  readonly atoms: readonly SurfaceSite[];
  /** The layer's shortest translations, and the way to its next copy. */
  readonly vectors: readonly [Vec3, Vec3, Vec3];
  readonly steps: readonly number[];
}

/**
 * So many neighbouring layers of a crystal, u and v the layer's shortest translations. Throws RangeError where bonds make no
 * layers.
 */
export function takeLayers(plain: Structure, count: number): TakenLayers {
  if (!Number.isInteger(count) || count < 1) throw new RangeError('One layer or more can be taken.');
  const s = bonded(plain);
  const sheets = netsOf(s).list.filter((n) => n.dimension === 2);
  const first = sheets[0];
  if (!first)
    throw new RangeError(
      `Bonds make ${article(NET_WORDS[dimensionOf(s)])} of this crystal, no layers. Change the bonds at Relate, or cut a surface.`,
    );
  const m = orthogonalization(s.cell);
  const [p, q] = first.translations.map((n) => apply3(m, n)) as [Vec3, Vec3];
  // An obtuse angle between the two is the habit.
  const u = p,
    v = dot(p, q) > 1e-9 ? scale(q, -1) : q;
  const normal = normalize(cross(u, v));
  const { w, period } = stackingVector(s, u, v);
  const all = sheets
    .filter((n) => parallel(n, m, normal))
    .map((net): Sheet => {
      const at = cartesianOf(s, net.atoms);
      return { net, at, height: mean(at.map((x) => dot(x, normal))) };
    });
  const from = all.find((x) => x.net === first)!;
  const chosen = stacked(all, from, count, w, period);
  const turn = toMat3([...normalize(u), ...cross(normal, normalize(u)), ...normal]);
  const atoms = chosen.flatMap(({ net, at }) =>
    at.map((x, i) => ({ site: plainSite(s.cell, siteOfAtom(s, net.atoms[i]!)), at: apply3(turn, x) })),
  );
  const heights = chosen.map((x) => x.height);
  return {
    atoms: atoms.sort((a, b) => a.at[2] - b.at[2]),
    vectors: [apply3(turn, u), apply3(turn, v), apply3(turn, w)],
    steps: heights.slice(1).map((h, i) => h - heights[i]!),
  };
}

/** So many neighbouring layers in a cell of their own. Throws RangeError as `takeLayers` does. */
export function layerSlab(plain: Structure, count: number, choice: VacuumChoice): LayerSlab {
  const { atoms, vectors, steps } = takeLayers(plain, count);
  return { ...inVacuum(atoms, vectors, choice), count, steps };
}

const article = (what: string): string => (what === 'molecule' ? 'molecules' : `a ${what}`);

const siteOfAtom = (s: Structure, a: AtomRef): Site => s.sites.find((x) => x.id === a.site)!;

const parallel = (n: Net, m: Parameters<typeof apply3>[0], normal: Vec3): boolean =>
  n.translations.every((t) => Math.abs(dot(normalize(apply3(m, t)), normal)) < 1e-4);

/** `count` sheets from one upwards, with the copies that the lattice makes of them. */
function stacked(all: readonly Sheet[], from: Sheet, count: number, w: Vec3, period: number): Sheet[] {
  const above = all.map((x) => {
    const times = Math.ceil((from.height - x.height) / period - 1e-6);
    return moved(x, scale(w, times), times * period);
  });
  const one = above.sort((a, b) => a.height - b.height);
  const out: Sheet[] = [];
  for (let k = 0; out.length < count; k++)
    for (const x of one) if (out.length < count) out.push(moved(x, scale(w, k), k * period));
  return out;
}

const moved = (x: Sheet, by: Vec3, height: number): Sheet => ({
  ...x,
  at: x.at.map((p) => add(p, by)),
  height: x.height + height,
});

/** A chain or a cluster by itself: how many atoms, and how large it is without the vacuum, Å. */
export interface TakenNet {
  readonly structure: Structure;
  readonly size: readonly number[];
}

/** Å: less room than this would join copies. */
const LEAST_ROOM = 3;

/** Axes in which a net lies with its translations first: of a chain z along it, of a cluster its principal axes. */
function ownFrame(points: readonly Vec3[], along: Vec3 | undefined): Mat3 {
  if (!along) return bestRotation(points);
  const z = normalize(along);
  const other: Vec3 = Math.abs(z[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0];
  const x = normalize(cross(other, z));
  return toMat3([...x, ...cross(z, x), ...z]);
}

/**
 * One chain with nothing beside it (c along it), or one cluster with nothing around it, in a right-angled cell. Throws
 * RangeError where bonds make none of the kind.
 */
export function netAlone(plain: Structure, kind: 'chain' | 'cluster', vacuum: number): TakenNet {
  const s = bonded(plain);
  const net = netsOf(s).list.find((n) => n.dimension === (kind === 'chain' ? 1 : 0));
  if (!net)
    throw new RangeError(
      `Bonds make ${article(NET_WORDS[dimensionOf(s)])} of this crystal, no ${kind === 'chain' ? 'chains' : 'clusters'}.`,
    );
  if (!(vacuum >= LEAST_ROOM)) throw new RangeError(`Beside it ${LEAST_ROOM} Å or more must be empty.`);
  const m = orthogonalization(s.cell);
  const at = cartesianOf(s, net.atoms);
  const along = net.translations[0] && apply3(m, net.translations[0]);
  const turn = ownFrame(at, along);
  const turned = at.map((x) => apply3(turn, x));
  const low = [0, 1, 2].map((k) => Math.min(...turned.map((x) => x[k]!)));
  const size = [0, 1, 2].map((k) => Math.max(...turned.map((x) => x[k]!)) - low[k]!);
  const edges = size.map((d, k) => (k === 2 && along ? norm(along) : d + vacuum));
  const sites = turned.map((x, i): Site => {
    const site = plainSite(s.cell, siteOfAtom(s, net.atoms[i]!));
    const f = [0, 1, 2].map((k) => (x[k]! - low[k]! + (k === 2 && along ? 0 : vacuum / 2)) / edges[k]!);
    return { ...site, id: newId(), position: toVec3(f.map((c, k) => (k === 2 && along ? c - Math.floor(c) : c))) };
  });
  const [a, b, c] = edges as [number, number, number];
  const cell = { a, b, c, alpha: 90, beta: 90, gamma: 90 };
  return {
    structure: { cell, spaceGroup: spaceGroupFromSymbol('P 1'), sites: withOwnLabels(sites) },
    size: along ? size.slice(0, 2) : size,
  };
}
