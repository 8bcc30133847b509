/**
 * A change of a model carried over to a newer state of it: what differs between `base` and `next`, site by site and rule by
 * rule, is done to `onto`. So an edit that was begun on one state still holds when another edit came first.
 */
import type { Controls } from '../crystal/controls.ts';
import { NO_CONTROLS } from '../crystal/controls.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import { withSites } from './place-hydrogens.ts';

const same = (a: unknown, b: unknown): boolean => a === b || JSON.stringify(a) === JSON.stringify(b);

/** Fields of `next` that differ from `base`, put on `onto`; fields that `next` lacks are taken off. */
function patchFields<T extends object>(base: T, next: T, onto: T): T {
  if (base === next) return onto;
  const out = { ...onto } as Record<string, unknown>;
  for (const key of new Set([...Object.keys(base), ...Object.keys(next)])) {
    const a = (base as Record<string, unknown>)[key],
      b = (next as Record<string, unknown>)[key];
    if (same(a, b)) continue;
    if (b === undefined) delete out[key];
    else out[key] = b;
  }
  return out as T;
}

/** A list of things with ids: changed ones patched, removed ones removed, new ones added where `next` has them at the end. */
function patchList<T extends { readonly id: string }>(
  base: readonly T[],
  next: readonly T[],
  onto: readonly T[],
): readonly T[] {
  if (base === next) return onto;
  const before = new Map(base.map((x) => [x.id, x]));
  const after = new Map(next.map((x) => [x.id, x]));
  const kept = onto.flatMap((x) => {
    const a = before.get(x.id),
      b = after.get(x.id);
    if (a && !b) return [];
    return [a && b ? patchFields(a, b, x) : x];
  });
  const there = new Set(onto.map((x) => x.id));
  return [...kept, ...next.filter((x) => !before.has(x.id) && !there.has(x.id))];
}

/** Sites in the order of `next` where only the order changed; else patched in place. */
function patchSites(base: Structure, next: Structure, onto: Structure): readonly Site[] {
  const patched = patchList(base.sites, next.sites, onto.sites);
  const order = new Map(next.sites.map((x, i) => [x.id, i]));
  const wanted = patched.map((x) => order.get(x.id));
  const known = wanted.filter((i) => i !== undefined);
  if (known.every((i, k) => k === 0 || known[k - 1]! < i)) return patched;
  const sorted = patched.filter((x) => order.has(x.id)).sort((p, q) => order.get(p.id)! - order.get(q.id)!);
  let at = 0;
  return patched.map((x) => (order.has(x.id) ? sorted[at++]! : x));
}

/** Two edits may have taken the same free label; the later one moves on to the next. */
function withFreshLabels(sites: readonly Site[], onto: readonly Site[]): readonly Site[] {
  const old = new Map(onto.map((x) => [x.id, x.label]));
  const taken = new Set(sites.filter((x) => old.get(x.id) === x.label).map((x) => x.label));
  return sites.map((x) => {
    if (old.get(x.id) === x.label) return x;
    let { label } = x;
    for (let n = 1; taken.has(label); n++) label = `${x.element}${n}`;
    taken.add(label);
    return label === x.label ? x : { ...x, label };
  });
}

function patchControls(base: Structure, next: Structure, onto: Structure): Controls {
  const a = base.controls ?? NO_CONTROLS,
    b = next.controls ?? NO_CONTROLS,
    c = onto.controls ?? NO_CONTROLS;
  return {
    hydrogens: patchList(a.hydrogens, b.hydrogens, c.hydrogens),
    occupancies: patchList(a.occupancies, b.occupancies, c.occupancies),
    constraints: patchList(a.constraints, b.constraints, c.constraints),
    restraints: patchList(a.restraints, b.restraints, c.restraints),
  };
}

/** The structure after both changes; `onto` itself where nothing of the change is left to do. */
export function rebaseStructure(base: Structure, next: Structure, onto: Structure): Structure {
  if (base === onto) return next;
  // In other axes or another group sites cannot be patched one by one: the change replaces the model.
  if (!same(base.spaceGroup, next.spaceGroup) || !same(base.cell, next.cell)) return next;
  const sites = withFreshLabels(patchSites(base, next, onto), onto.sites);
  const controls = patchControls(base, next, onto);
  const changed: Structure = { ...onto, ...(onto.controls || next.controls ? { controls } : {}) };
  const out = withSites(changed, [...sites]);
  return same(out, onto) ? onto : out;
}

/** How the data are treated after both changes; exclusions are added up by index. */
export function rebaseTreatment(base: Treatment, next: Treatment, onto: Treatment): Treatment {
  if (base === onto) return next;
  const out = patchFields(base, next, onto);
  const key = (r: { h: number; k: number; l: number }): string => `${r.h} ${r.k} ${r.l}`;
  const before = new Set((base.excluded ?? []).map(key)),
    after = new Set((next.excluded ?? []).map(key));
  const excluded = [
    ...(onto.excluded ?? []).filter((r) => !before.has(key(r)) || after.has(key(r))),
    ...(next.excluded ?? []).filter((r) => !before.has(key(r))),
  ];
  const distinct = [...new Map(excluded.map((r) => [key(r), r])).values()];
  const { excluded: _, ...rest } = out;
  return distinct.length ? { ...rest, excluded: distinct } : rest;
}
