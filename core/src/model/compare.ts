/** What changed between two models of one crystal. */
import { cellParameters, orthogonalization } from '../crystal/cell.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { displacementToCartesian, type Structure } from '../crystal/structure.ts';
import { apply3, eigenSymmetric3, norm, subtract } from '../math/matrix3.ts';

export interface ModelComparison {
  /** Sites in both that moved by more than 0.001 Å, farthest first. */
  readonly moved: readonly { readonly label: string; readonly distance: number }[];
  readonly rms: number;
  readonly added: readonly string[];
  readonly lost: readonly string[];
  /** "C7 → O1" */
  readonly retyped: readonly string[];
}

/** Sites are the same when their ids are, or else when label and element are. */
export function compareModels(before: Structure, now: Structure): ModelComparison {
  const byId = new Map(before.sites.map((x) => [x.id, x]));
  const byLabel = new Map(before.sites.map((x) => [`${x.label} ${x.element}`, x]));
  const m = orthogonalization(now.cell);
  const found = new Set<string>();
  const moved: { label: string; distance: number }[] = [],
    added: string[] = [],
    retyped: string[] = [];
  let square = 0,
    count = 0;
  for (const x of now.sites) {
    const old = byId.get(x.id) ?? byLabel.get(`${x.label} ${x.element}`);
    if (!old || found.has(old.id)) {
      added.push(x.label);
      continue;
    }
    found.add(old.id);
    const distance = norm(subtract(apply3(m, x.position), apply3(m, old.position)));
    square += distance * distance;
    count++;
    if (distance > 0.001) moved.push({ label: x.label, distance });
    if (old.element !== x.element) retyped.push(`${old.label} → ${x.label}`);
  }
  return {
    moved: moved.sort((p, q) => q.distance - p.distance),
    rms: count ? Math.sqrt(square / count) : 0,
    added,
    lost: before.sites.filter((x) => !found.has(x.id)).map((x) => x.label),
    retyped,
  };
}

/** Whether two models stand in the same axes and group, so that their atoms can be compared place by place. */
export const sameAxes = (a: Structure, b: Structure): boolean =>
  a.spaceGroup.hall === b.spaceGroup.hall &&
  cellParameters(a.cell).every((x, i) => Math.abs(x - cellParameters(b.cell)[i]!) < 0.01 * x);

export interface ModelPrecision {
  /** Mean s.u. of the coordinates of non-hydrogen sites, Å; undefined where none were refined. */
  readonly positionSu: number | undefined;
  /** Largest ratio of the longest to the shortest principal mean-square displacement, and whose. */
  readonly elongation: { readonly ratio: number; readonly label: string } | undefined;
  readonly impossible: number;
}

/** How well determined a model is: s.u. and shapes of its ellipsoids. */
export function modelPrecision(s: Structure): ModelPrecision {
  const lengths = [s.cell.a, s.cell.b, s.cell.c];
  let sum = 0,
    n = 0,
    impossible = 0;
  let elongation: { ratio: number; label: string } | undefined;
  for (const x of s.sites) {
    if (isHydrogen(x.element)) continue;
    x.positionSu?.forEach((u, i) => {
      if (u > 0) {
        sum += u * lengths[i]!;
        n++;
      }
    });
    if (x.displacement.kind !== 'aniso') continue;
    const { values } = eigenSymmetric3(displacementToCartesian(s.cell, x.displacement.u));
    if (values[0] <= 0) {
      impossible++;
      continue;
    }
    const ratio = values[2] / values[0];
    if (!elongation || ratio > elongation.ratio) elongation = { ratio, label: x.label };
  }
  return { positionSu: n ? sum / n : undefined, elongation, impossible };
}
