/** What changed between two models of one crystal. */
import { orthogonalization } from '../crystal/cell.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, norm, subtract } from '../math/matrix3.ts';

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
  const moved: { label: string; distance: number }[] = [], added: string[] = [], retyped: string[] = [];
  let square = 0, count = 0;
  for (const x of now.sites) {
    const old = byId.get(x.id) ?? byLabel.get(`${x.label} ${x.element}`);
    if (!old || found.has(old.id)) { added.push(x.label); continue; }
    found.add(old.id);
    const distance = norm(subtract(apply3(m, x.position), apply3(m, old.position)));
    square += distance * distance;
    count++;
    if (distance > 0.001) moved.push({ label: x.label, distance });
    if (old.element !== x.element) retyped.push(`${old.label} → ${x.label}`);
  }
  return { moved: moved.sort((p, q) => q.distance - p.distance), rms: count ? Math.sqrt(square / count) : 0, added, lost: before.sites.filter((x) => !found.has(x.id)).map((x) => x.label), retyped };
}
