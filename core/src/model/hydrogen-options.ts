/**
 * Which hydrogens an atom may carry, from its neighbours: bond lengths and angles speak for each possibility
 * (lengths after Allen et al. 1987, J. Chem. Soc. Perkin Trans. 2, S1). The scores are log-odds; density decides between the rest.
 */
import { originalRef, placeKey, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import type { HydrogenShape } from '../crystal/controls.ts';
import { isMetal } from '../crystal/elements.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Neighbour } from '../crystal/neighbours.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, dot, normalize, subtract } from '../math/matrix3.ts';
import { neighbourRef } from '../geometry/bonds.ts';
import { parentSurroundings, type GroupOf } from '../geometry/parents.ts';

export interface HydrogenOption {
  readonly shape: HydrogenShape | 'none';
  readonly count: number;
  /** Log-odds from geometry. */
  readonly prior: number;
  readonly why: string;
}

const DEG = 180 / Math.PI;

/** Length of a usual single bond to a neighbour, Å. */
const SINGLE: Record<string, number> = {
  'C C': 1.51,
  'C N': 1.46,
  'C O': 1.43,
  'C S': 1.81,
  'N N': 1.42,
  'N S': 1.63,
  'C P': 1.82,
  'C Si': 1.87,
  'B C': 1.58,
  'N O': 1.41,
};
/** Length of the aromatic or conjugated one. */
const CONJUGATED: Record<string, number> = {
  'C C': 1.39,
  'C N': 1.345,
  'C O': 1.36,
  'C S': 1.73,
  'N N': 1.35,
  'N S': 1.6,
  'C P': 1.75,
  'C Si': 1.8,
  'B C': 1.5,
  'N O': 1.36,
};
const key = (p: string, q: string): string => [p, q].sort().join(' ');
/** 0 for a single bond, 1 for a conjugated one, more for a double. */
function shortness(p: string, q: string, d: number): number {
  const a = SINGLE[key(p, q)],
    b = CONJUGATED[key(p, q)];
  return a && b ? (a - d) / (a - b) : 0;
}

export function ringSizes(s: Structure, start: number, as: GroupOf, first: Neighbour, second: Neighbour): number {
  // Shortest way from one neighbour to the other that avoids the atom itself, up to six bonds.
  const index = siteIndices(s);
  const goal = placeKey(s, neighbourRef(s, second));
  let front = [neighbourRef(s, first)];
  const seen = new Set([placeKey(s, front[0]!), placeKey(s, originalRef(s.sites[start]!.id))]);
  for (let size = 3; size <= 7; size++) {
    const next: AtomRef[] = [];
    for (const at of front)
      for (const n of parentSurroundings(s, index.get(at.site)!, as)) {
        const found = neighbourRef(s, n, at);
        const key = placeKey(s, found);
        if (key === goal) return size;
        if (!seen.has(key)) {
          seen.add(key);
          next.push(found);
        }
      }
    front = next;
  }
  return 0;
}

/** True where something in the crystal must carry a negative charge: bare halide, perchlorate and its like, a carboxylate, sulfonate or nitrate. */
export function hasAnion(s: Structure): boolean {
  return s.sites.some((x, i) => {
    const near = parentSurroundings(s, i);
    const ends = near.filter((n) => parentSurroundings(s, n.to).length === 1);
    const oxygens = ends.filter((n) => s.sites[n.to]!.element === 'O').map((n) => n.distance);
    switch (x.element) {
      case 'F':
        return near.length === 0;
      case 'Cl':
      case 'Br':
      case 'I':
        return near.every((n) => isMetal(s.sites[n.to]!.element)) || near.length === 4;
      case 'B':
      case 'P':
        return (
          ends.filter((n) => s.sites[n.to]!.element === 'F').length >= 4 ||
          (x.element === 'P' && oxygens.filter((d) => d < 1.53).length >= 2)
        );
      // Two alike, both shorter than a C–OH: a carboxylic acid shows one long and one short.
      case 'C':
        return (
          oxygens.length === 2 &&
          near.length === 3 &&
          Math.max(...oxygens) < 1.285 &&
          Math.max(...oxygens) - Math.min(...oxygens) < 0.035
        );
      case 'S':
        return oxygens.filter((d) => d < 1.5).length >= 3;
      case 'N':
        return oxygens.length === 3;
      default:
        return false;
    }
  });
}

/** Possibilities for one atom, the likeliest first; empty where it cannot carry hydrogens at all. */
export function hydrogenOptions(
  s: Structure,
  site: number,
  as: GroupOf,
  anion: boolean,
): { options: HydrogenOption[]; neighbours: Neighbour[] } {
  const own = s.sites[site]!;
  const near = parentSurroundings(s, site, as);
  const m = orthogonalization(s.cell);
  const p = apply3(m, own.position);
  const covalent = near.filter((n) => !isMetal(s.sites[n.to]!.element));
  const unit = covalent.map((n) => normalize(subtract(apply3(m, n.position), p)));
  const angle = (i: number, j: number): number => Math.acos(Math.max(-1, Math.min(1, dot(unit[i]!, unit[j]!)))) * DEG;
  const element = (i: number): string => s.sites[covalent[i]!.to]!.element;
  const d = covalent.map((n) => n.distance);
  const n = covalent.length;
  const option = (shape: HydrogenOption['shape'], count: number, prior: number, why: string): HydrogenOption => ({
    shape,
    count,
    prior,
    why,
  });
  const none = (prior: number, why: string): HydrogenOption => option('none', 0, prior, why);
  const say = (i: number): string => `${own.element}–${element(i)} ${d[i]!.toFixed(3)} Å`;
  let options: HydrogenOption[] = [];
  if (own.element === 'C') {
    if (n === 1) {
      const linear = d[0]! < 1.26;
      const first = parentSurroundings(s, covalent[0]!.to, as).filter((x) => x.to !== site);
      const attached = element(0);
      const k = shortness('C', attached, d[0]!);
      if (linear && attached === 'C' && first.length === 1)
        options = [option('alkyne', 1, 3, `${say(0)}, a triple bond`), none(0, 'no hydrogen')];
      else if (linear && attached !== 'C') options = [none(4, `${say(0)} is a multiple bond`)];
      else
        options = [
          option('methyl', 3, 8 * (0.95 - k), `${say(0)} is a single bond`),
          option('terminal vinyl', 2, 8 * (k - 0.95), `${say(0)} is a double bond`),
        ];
    } else if (n === 2) {
      const theta = angle(0, 1);
      if (theta > 160) options = [none(6, `angle ${theta.toFixed(0)}°: a triple bond runs through`)];
      else {
        const k = d.map((x, i) => shortness('C', element(i), x));
        const flat = 5 * (Math.max(...k) - 0.55) + (theta - 117) * 0.35 + 3 * (Math.min(...k) - 0.3);
        const ring = ringSizes(s, site, as, covalent[0]!, covalent[1]!);
        const shape = ring >= 5 && ring <= 6 && Math.min(...k) > 0.45 ? 'aromatic' : 'vinyl';
        options = [
          option(shape, 1, flat, `${say(0)}, ${say(1)}, angle ${theta.toFixed(1)}°: flat`),
          option('methylene', 2, -flat, `${say(0)}, ${say(1)}, angle ${theta.toFixed(1)}°: tetrahedral`),
        ];
      }
    } else if (n === 3) {
      const sum = angle(0, 1) + angle(0, 2) + angle(1, 2);
      options = [
        none(0.5 * (sum - 348), `angles sum to ${sum.toFixed(1)}°: flat`),
        option('methine', 1, 0.5 * (348 - sum), `angles sum to ${sum.toFixed(1)}°: pyramidal`),
      ];
    } else if (n === 4 || n > 4) options = [];
    // Carbon within a cage of borons.
    const cage = covalent.filter((x) => ['B'].includes(s.sites[x.to]!.element)).length;
    if (cage >= 3) options = [option('borane', 1, 2, 'a cage vertex'), none(0, 'substituted outside')];
  } else if (own.element === 'N') {
    const metals = near.length - n;
    if (n === 0) options = metals ? [option('ammonium', 3, 3, 'bound to a metal alone: ammine')] : [];
    else if (n === 1) {
      const attached = element(0),
        k = shortness('N', attached, d[0]!);
      if (d[0]! < 1.19) options = [none(6, `${say(0)}: a triple bond`)];
      else if (attached === 'C') {
        const ammonium = (d[0]! - 1.465) * 60 + (anion ? 2.5 : -1.5);
        if (k > 1.5)
          options = [
            option('planar NH', 1, 1, `${say(0)}: a double bond`),
            none(0, 'deprotonated'),
            option('planar NH2', 2, 5 * (1.7 - k), 'short amine'),
          ];
        else if (k > 0.45)
          options = [
            option('planar NH2', 2, 3, `${say(0)}: conjugated`),
            option('pyramidal NH2', 2, 3 - 5 * (k - 0.3), 'amine'),
            option('ammonium', 3, Math.min(2, ammonium), 'ammonium'),
          ];
        else
          options = [
            option('ammonium', 3, ammonium, `${say(0)}${anion ? ', and there is an anion' : ''}`),
            option('pyramidal NH2', 2, -ammonium, `${say(0)}: amine`),
          ];
      } else if (attached === 'N')
        options =
          d[0]! < 1.3
            ? [none(4, `${say(0)}: a multiple bond`)]
            : [
                option('pyramidal NH2', 2, 1.5, say(0)),
                option('planar NH2', 2, 1.5, say(0)),
                option('ammonium', 3, anion ? 0.5 : -1, say(0)),
              ];
      else if (attached === 'S' || attached === 'P')
        options =
          d[0]! < 1.56
            ? [option('planar NH', 1, 0, say(0)), none(1, say(0))]
            : [option('pyramidal NH2', 2, 2, say(0)), option('planar NH2', 2, 1.8, say(0))];
      else if (attached === 'O') options = [none(2, say(0))];
    } else if (n === 2) {
      const theta = angle(0, 1),
        k = d.map((x, i) => shortness('N', element(i), x));
      const ring = ringSizes(s, site, as, covalent[0]!, covalent[1]!);
      const oxygens = covalent.filter((_, i) => element(i) === 'O').length;
      if (theta > 160 || oxygens === 2) options = [none(6, 'no room')];
      else if (metals)
        options = [
          none(3, 'its lone pair is on the metal'),
          option('planar NH', 1, -2 + (Math.min(...k) < 0.3 ? 4 : 0), 'amine on a metal'),
        ];
      else if (Math.max(...k) > 1.35 && ring !== 6 && ring !== 5) {
        // A short N–N alone is weak evidence: hydrazides have it too.
        const short = k[0]! > k[1]! ? 0 : 1,
          firm = element(short) !== 'N' || d[short]! < 1.28;
        options = [
          none(firm ? 4 : 0.5, `${say(short)}: a double bond`),
          option(
            'planar NH',
            1,
            firm ? -3 + (theta - 120) * 0.3 : 0,
            firm ? 'protonated imine' : `${say(short)}: conjugated`,
          ),
        ];
      } else if (ring === 6 && Math.min(...k) > 0.55)
        options = [
          none((120 - theta) * 1.0 + (anion ? 0 : 1), `ring angle ${theta.toFixed(1)}°`),
          option('planar NH', 1, (theta - 120) * 1.0, `ring angle ${theta.toFixed(1)}°: opened by a proton`),
        ];
      else if (ring === 5 && Math.min(...k) > 0.4)
        options = [
          none((106.8 - theta) * 1.0, `ring angle ${theta.toFixed(1)}°`),
          option('planar NH', 1, (theta - 106.8) * 1.0, `ring angle ${theta.toFixed(1)}°: opened by a proton`),
        ];
      else if (Math.max(...k) > 0.5)
        options = [
          option('planar NH', 1, 2.5, `${say(0)}, ${say(1)}: conjugated`),
          none(0, 'deprotonated'),
          option('pyramidal NH', 1, -1, 'amine'),
        ];
      else {
        const ammonium = (d[0]! + d[1]! - 2.955) * 40 + (anion ? 2.5 : -1.5);
        options = [
          option('pyramidal NH', 1, -ammonium, `${say(0)}, ${say(1)}: amine`),
          option('ammonium NH2', 2, ammonium, `${say(0)}, ${say(1)}${anion ? ', and there is an anion' : ''}`),
          none(-2, 'no hydrogen'),
        ];
      }
    } else if (n === 3) {
      const sum = angle(0, 1) + angle(0, 2) + angle(1, 2);
      const mean = (d[0]! + d[1]! + d[2]!) / 3;
      if (sum < 345 && covalent.every((_, i) => element(i) === 'C') && !metals)
        options = [
          none((1.485 - mean) * 80 + (anion ? -1 : 2), `mean N–C ${mean.toFixed(3)} Å`),
          option('ammonium NH', 1, (mean - 1.485) * 80 + (anion ? 1 : -2), `mean N–C ${mean.toFixed(3)} Å`),
        ];
    }
  } else if (own.element === 'O') {
    if (n === 0) {
      const metals = near.length;
      options =
        metals <= 1
          ? [option('water', 2, 2, metals ? 'bound to a metal alone: water' : 'alone: water')]
          : near[0]!.distance < 1.85
            ? [none(2, 'an oxide bridge'), option('borane', 1, 0, 'a hydroxide bridge')]
            : [option('borane', 1, 1, 'a hydroxide bridge'), none(0, 'an oxide bridge')];
    } else if (n === 1) {
      const attached = element(0),
        x = d[0]!;
      const limit = { C: 1.288, N: 1.36, S: 1.525, P: 1.545, B: 1.3, Si: 1.58, Cl: 1.6, Se: 1.68, As: 1.7, I: 1.95 }[
        attached
      ];
      if (limit !== undefined) {
        let lean = (x - limit) * 90;
        if (attached === 'C') {
          // A carboxylic acid has one long and one short bond; a carboxylate two alike.
          const twin = parentSurroundings(s, covalent[0]!.to, as).filter(
            (q) => q.to !== site && s.sites[q.to]!.element === 'O' && parentSurroundings(s, q.to, as).length === 1,
          );
          if (twin.length && x < 1.36) lean = (x - twin[0]!.distance - 0.05) * 70;
        }
        lean = Math.max(-6, Math.min(6, lean));
        options = [option('hydroxyl', 1, lean, say(0)), none(-lean, say(0))];
        if (near.length > n) options = [none(2, say(0)), option('hydroxyl', 1, lean - 1, say(0))];
      }
    }
  } else if (own.element === 'S' && n === 1 && element(0) === 'C')
    options = d[0]! > 1.77 ? [option('thiol', 1, (d[0]! - 1.77) * 60, say(0)), none(0, 'thiolate')] : [];
  else if (own.element === 'B') {
    const cage = covalent.filter((x) => ['B', 'C'].includes(s.sites[x.to]!.element)).length;
    if (cage >= 4 && n === cage)
      options = [option('borane', 1, 2.5, `${cage} neighbours in the cage`), none(0, 'substituted')];
  }
  return { options: [...options].sort((a, b) => b.prior - a.prior), neighbours: near };
}
