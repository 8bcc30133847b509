/** Rows of a hydrogen plan into sites, and changes to hydrogens that are there. */
import { NO_CONTROLS, pruneControls, type Controls, type Hold, type HydrogenGroup } from '../crystal/controls.ts';
import { equivalentU, newId, type Site, type Structure } from '../crystal/structure.ts';
import type { HydrogenRow } from './hydrogen-plan.ts';

const letters = 'ABCDEFGH';

/** Labels of a parent's hydrogens: H7 on C7, H7A–C on a methyl, with the element's letters kept where they tell atoms apart (H1N). */
function labelsFor(parent: Site, count: number, taken: Set<string>): string[] {
  const tail = parent.label.replace(/^[A-Za-z]+/, '');
  const mark = parent.element === 'C' ? '' : parent.element;
  const out: string[] = [];
  for (let i = 0; i < count; i++) {
    const base = `H${tail}${mark}${count > 1 ? letters[i] : ''}`;
    let label = base;
    for (let n = 2; taken.has(label); n++) label = `${base}_${n}`;
    taken.add(label);
    out.push(label);
  }
  return out;
}

/** Adds the hydrogens of the rows; each group follows its parent's occupancy and disorder group. */
export function placeHydrogens(s: Structure, rows: readonly HydrogenRow[]): Structure {
  const index = new Map(s.sites.map((x) => [x.id, x]));
  const taken = new Set(s.sites.map((x) => x.label));
  const added = new Map<string, Site[]>();
  const groups: HydrogenGroup[] = [];
  for (const row of rows) {
    const parent = index.get(row.parent);
    if (!parent || row.shape === 'none' || !row.positions.length) continue;
    const occupancy =
      row.disorder && !parent.disorder
        ? (s.sites.find(
            (x) => x.disorder?.assembly === row.disorder!.assembly && x.disorder.group === row.disorder!.group,
          )?.occupancy ?? 1)
        : parent.occupancy;
    const labels = labelsFor(parent, row.positions.length, taken);
    const sites = row.positions.map((position, i): Site => ({
      id: newId(),
      label: labels[i]!,
      element: 'H',
      position,
      occupancy,
      displacement: {
        kind: 'iso',
        u: (row.uFactor || 1.2) * Math.max(0.005, equivalentU(s.cell, parent.displacement)),
      },
      ...(row.disorder ? { disorder: row.disorder } : {}),
    }));
    added.set(parent.id, [...(added.get(parent.id) ?? []), ...sites]);
    groups.push({
      id: newId(),
      parent: parent.id,
      hydrogens: sites.map((x) => x.id),
      shape: row.shape,
      hold: row.hold,
      uFactor: row.uFactor,
      length: row.length,
    });
  }
  const controls = s.controls ?? NO_CONTROLS;
  // Parents that share one free occupancy take their hydrogens with them.
  const occupancies = controls.occupancies.map((o) =>
    o.kind === 'shared'
      ? { ...o, sites: [...o.sites, ...o.sites.flatMap((id) => (added.get(id) ?? []).map((h) => h.id))] }
      : o,
  );
  return {
    ...s,
    sites: s.sites.flatMap((x) => [x, ...(added.get(x.id) ?? [])]),
    controls: { ...controls, occupancies, hydrogens: [...controls.hydrogens, ...groups] },
  };
}

/** Another way of holding hydrogen groups, without moving them. */
export function holdHydrogens(
  s: Structure,
  groupIds: readonly string[],
  change: { hold?: Hold; uFactor?: number },
): Structure {
  const controls = s.controls ?? NO_CONTROLS;
  const chosen = new Set(groupIds);
  return {
    ...s,
    controls: {
      ...controls,
      hydrogens: controls.hydrogens.map((g) => {
        if (!chosen.has(g.id)) return g;
        const hold = change.hold ?? g.hold;
        // The length they ride at is the one they have, so that nothing moves; shapes without a rule of their own keep their directions.
        return { ...g, hold, uFactor: change.uFactor ?? g.uFactor };
      }),
    },
  };
}

/** Structure with other sites; controls that spoke of lost sites are dropped, hydrogens of lost parents go with them. */
export function withSites(s: Structure, sites: readonly Site[]): Structure {
  const ids = new Set(sites.map((x) => x.id));
  const controls = s.controls;
  if (!controls) return { ...s, sites };
  const orphans = new Set(controls.hydrogens.filter((g) => !ids.has(g.parent)).flatMap((g) => g.hydrogens));
  const kept = sites.filter((x) => !orphans.has(x.id));
  return { ...s, sites: kept, controls: pruneControls(controls, new Set(kept.map((x) => x.id))) };
}

export const withControls = (s: Structure, change: Partial<Controls>): Structure => ({
  ...s,
  controls: { ...(s.controls ?? NO_CONTROLS), ...change },
});
