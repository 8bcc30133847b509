/** Writing disorder for the person: places as assembly and groups, with the ties and restraints that make the refinement behave. */
import { orthogonalization } from '../crystal/cell.ts';
import {
  isSymmetryGroup,
  NO_CONTROLS,
  type Constraint,
  type Controls,
  type HydrogenGroup,
  type OccupancyTie,
  type Restraint,
} from '../crystal/controls.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { equivalentU, newId, type Site, type Structure } from '../crystal/structure.ts';
import { apply3, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { fragmentOf } from './second-place.ts';

export const nextAssembly = (s: Structure): string => {
  const taken = new Set(s.sites.flatMap((x) => (x.disorder ? [x.disorder.assembly] : [])));
  for (let i = 0; i < 26; i++) if (!taken.has(String.fromCharCode(65 + i))) return String.fromCharCode(65 + i);
  return `A${taken.size}`;
};

export interface Assembly {
  readonly assembly: string;
  readonly groups: readonly {
    readonly group: string;
    readonly sites: readonly number[];
    readonly occupancy: number;
    readonly su: number;
  }[];
  readonly tied: boolean;
}

/** The disorder of a model as people speak of it. */
export function assemblies(s: Structure): Assembly[] {
  const names = [...new Set(s.sites.flatMap((x) => (x.disorder ? [x.disorder.assembly] : [])))].sort();
  return names.map((assembly) => {
    const groups = [
      ...new Set(s.sites.flatMap((x) => (x.disorder?.assembly === assembly ? [x.disorder.group] : []))),
    ].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }));
    return {
      assembly,
      tied: (s.controls ?? NO_CONTROLS).occupancies.some(
        (o) => o.kind === 'assembly' && o.assembly === assembly && !o.held,
      ),
      groups: groups.map((group) => {
        const sites = s.sites.flatMap((x, i) =>
          x.disorder?.assembly === assembly && x.disorder.group === group ? [i] : [],
        );
        const first = s.sites[sites[0]!]!;
        return { group, sites, occupancy: first.occupancy, su: first.occupancySu ?? 0 };
      }),
    };
  });
}

/** Ties that follow from disorder groups of a file: assemblies whose positive groups sum to one. */
export function tiesFromGroups(s: Structure): OccupancyTie[] {
  return assemblies(s).flatMap((a): OccupancyTie[] => {
    const positive = a.groups.filter((g) => !isSymmetryGroup(g.group));
    const same = positive.every((g) => g.sites.every((i) => Math.abs(s.sites[i]!.occupancy - g.occupancy) < 0.011));
    const total = positive.reduce((sum, g) => sum + g.occupancy, 0);
    return positive.length > 1 && same && Math.abs(total - 1) < 0.03
      ? [{ id: newId(), kind: 'assembly', assembly: a.assembly, groups: positive.map((g) => g.group) }]
      : [];
  });
}

export interface SecondPlace {
  /** Sites of the first place, hydrogens included, as `fragmentOf` lists them. */
  readonly sites: readonly number[];
  /** Fractional positions of the copy, in the same order. */
  readonly positions: readonly Vec3[];
  /** Occupancy to start the new place from. */
  readonly occupancy: number;
}

/** Adds the copy as a further group. Everything that follows is written: groups, one shared occupancy, same geometry, displacement. */
export function addPlace(s: Structure, place: SecondPlace): Structure {
  const controls = s.controls ?? NO_CONTROLS;
  const chosen = place.sites;
  const own = chosen.map((i) => s.sites[i]!.disorder).find((d) => d);
  const assembly = own?.assembly ?? nextAssembly(s);
  const groupsNow = own
    ? [...new Set(s.sites.flatMap((x) => (x.disorder?.assembly === assembly ? [x.disorder.group] : [])))]
    : ['1'];
  const firstGroup = own?.group ?? '1';
  const group = String(Math.max(...groupsNow.map((g) => Math.abs(Number(g)) || 1)) + 1);
  const others = groupsNow.length > 1 || own ? 1 - place.occupancy : 1 - place.occupancy;
  const taken = new Set(s.sites.map((x) => x.label));
  const suffix = 'ABCDEFGH'[Number(group) - 1] ?? group;
  const copies = new Map<string, Site>();
  chosen.forEach((i, k) => {
    const x = s.sites[i]!;
    let label = `${x.label.replace(/[A-H]$/, (end) => (own && end === suffix ? '' : end))}${suffix}`;
    for (let n = 2; taken.has(label); n++) label = `${x.label}${suffix}${n}`;
    taken.add(label);
    const { positionSu: _p, occupancySu: _o, ...rest } = x;
    copies.set(x.id, {
      ...rest,
      id: newId(),
      label,
      position: place.positions[k]!,
      occupancy: place.occupancy,
      disorder: { assembly, group },
      displacement: { kind: 'iso', u: Math.min(0.08, Math.max(0.015, equivalentU(s.cell, x.displacement))) },
    });
  });
  const set = new Set(chosen);
  const first = (x: Site): Site => ({
    ...x,
    disorder: { assembly, group: x.disorder?.group ?? firstGroup },
    occupancy: x.occupancy * others,
  });
  const sites = s.sites.flatMap((x, i) => {
    if (set.has(i)) return [first(x)];
    return [x.disorder?.assembly === assembly ? { ...x, occupancy: x.occupancy * others } : x];
  });
  // Copies stand after the last of the first place, in its order.
  const last = Math.max(...chosen);
  const all = [
    ...sites.slice(0, last + 1),
    ...chosen.map((i) => copies.get(s.sites[i]!.id)!),
    ...sites.slice(last + 1),
  ];
  const heavy = chosen.filter((i) => !isHydrogen(s.sites[i]!.element)).map((i) => s.sites[i]!.id);
  const partner = heavy.map((id) => copies.get(id)!.id);
  const fragment = fragmentOf(s, chosen);
  // Atoms that hold the fragment keep their bonds alike in both places.
  const outside = [...new Set(fragment.anchors.map((a) => s.sites[a.site]!.id))];
  const m = orthogonalization(s.cell);
  const close = chosen
    .filter(
      (i) =>
        !isHydrogen(s.sites[i]!.element) &&
        norm(subtract(apply3(m, s.sites[i]!.position), apply3(m, copies.get(s.sites[i]!.id)!.position))) < 0.55,
    )
    .map((i) => s.sites[i]!.id);
  const restraints: Restraint[] = [...controls.restraints];
  if (heavy.length > 1 || outside.length)
    restraints.push({
      id: newId(),
      kind: 'same geometry',
      first: [...heavy, ...outside],
      second: [...partner, ...outside],
      su: 0.02,
      why: 'two places of one fragment',
    });
  if (heavy.length > 1)
    restraints.push(
      {
        id: newId(),
        kind: 'enhanced rigid bond',
        sites: [...heavy, ...partner, ...outside],
        su: 0.01,
        why: 'disordered atoms move with their neighbours',
      },
      { id: newId(), kind: 'similar displacement', sites: [...heavy], su: 0.03, why: 'disordered' },
      { id: newId(), kind: 'similar displacement', sites: [...partner], su: 0.03, why: 'disordered' },
    );
  const constraints: Constraint[] = [
    ...controls.constraints,
    ...close.map((id): Constraint => ({
      id: newId(),
      kind: 'shared displacement',
      sites: [id, copies.get(id)!.id],
      why: 'the two places nearly coincide',
    })),
  ];
  const hydrogens: HydrogenGroup[] = controls.hydrogens.flatMap((g) => {
    const parent = copies.get(g.parent),
      h = g.hydrogens.flatMap((x) => copies.get(x)?.id ?? []);
    return parent && h.length ? [g, { ...g, id: newId(), parent: parent.id, hydrogens: h }] : [g];
  });
  const groups = [...new Set([...groupsNow, firstGroup, group])].sort((p, q) => Number(p) - Number(q));
  const occupancies: OccupancyTie[] = [
    ...controls.occupancies.filter((o) => !(o.kind === 'assembly' && o.assembly === assembly)),
    { id: newId(), kind: 'assembly', assembly, groups },
  ];
  return { ...s, sites: all, controls: { hydrogens, constraints, restraints, occupancies } satisfies Controls };
}

/** Takes one group out of an assembly: its sites go, and where one group is left it becomes ordered again. */
export function removeGroup(s: Structure, assembly: string, group: string): Structure {
  const gone = new Set(
    s.sites.filter((x) => x.disorder?.assembly === assembly && x.disorder.group === group).map((x) => x.id),
  );
  const left = new Set(
    s.sites.flatMap((x) => (x.disorder?.assembly === assembly && x.disorder.group !== group ? [x.disorder.group] : [])),
  );
  const total =
    [...left].reduce(
      (sum, g) =>
        sum + (s.sites.find((x) => x.disorder?.assembly === assembly && x.disorder.group === g)?.occupancy ?? 0),
      0,
    ) || 1;
  const sites = s.sites
    .filter((x) => !gone.has(x.id))
    .map((x): Site => {
      if (x.disorder?.assembly !== assembly) return x;
      if (left.size > 1) return { ...x, occupancy: x.occupancy / total };
      const { disorder: _d, occupancySu: _o, ...rest } = x;
      return { ...rest, occupancy: 1 };
    });
  const controls = s.controls ?? NO_CONTROLS;
  const occupancies = controls.occupancies.flatMap((o): OccupancyTie[] =>
    o.kind === 'assembly' && o.assembly === assembly
      ? left.size > 1
        ? [{ ...o, groups: o.groups.filter((g) => g !== group) }]
        : []
      : [o],
  );
  return { ...s, sites, controls: { ...controls, occupancies } };
}

/** Puts sites in a disorder group. A negative group stands for disorder about a symmetry element; its occupancy is set to a share. */
export function setGroup(s: Structure, sites: readonly number[], assembly: string, group: string): Structure {
  const set = new Set(sites);
  const known = s.sites.find(
    (x, i) => !set.has(i) && x.disorder?.assembly === assembly && x.disorder.group === group,
  )?.occupancy;
  const next: Structure = {
    ...s,
    sites: s.sites.map((x, i): Site => {
      if (!set.has(i)) return x;
      if (!group) {
        const { disorder: _d, ...rest } = x;
        return rest;
      }
      return { ...x, disorder: { assembly, group }, occupancy: known ?? (isSymmetryGroup(group) ? 0.5 : x.occupancy) };
    }),
  };
  const controls = s.controls ?? NO_CONTROLS;
  const a = assemblies(next).find((x) => x.assembly === assembly);
  const positive = (a?.groups ?? []).filter((g) => !isSymmetryGroup(g.group)).map((g) => g.group);
  const rest = controls.occupancies.filter((o) => !(o.kind === 'assembly' && o.assembly === assembly));
  return {
    ...next,
    controls: {
      ...controls,
      occupancies:
        positive.length > 1 ? [...rest, { id: newId(), kind: 'assembly', assembly, groups: positive }] : rest,
    },
  };
}

/** Holds disorder that came from a file without anything to hold it: similar displacements along bonds, one displacement for atoms that nearly coincide. */
export function holdDisorder(s: Structure): Structure {
  const controls = s.controls ?? NO_CONTROLS;
  const m = orthogonalization(s.cell);
  const held = new Set([
    ...controls.restraints.flatMap((r) => ('sites' in r ? [...r.sites] : [])),
    ...controls.constraints.flatMap((c) => [...c.sites]),
  ]);
  const restraints: Restraint[] = [],
    constraints: Constraint[] = [];
  for (const a of assemblies(s)) {
    const groups = a.groups.map((g) =>
      g.sites.filter((i) => !isHydrogen(s.sites[i]!.element) && !held.has(s.sites[i]!.id)),
    );
    const all = groups.flat();
    if (groups.length < 2 || all.length < 2) continue;
    const outside = fragmentOf(s, all).anchors.map((x) => s.sites[x.site]!.id);
    const ids = [...new Set([...all.map((i) => s.sites[i]!.id), ...outside])];
    restraints.push({ id: newId(), kind: 'enhanced rigid bond', sites: ids, su: 0.01, why: 'disordered' });
    for (const g of groups)
      if (g.length > 1)
        restraints.push({
          id: newId(),
          kind: 'similar displacement',
          sites: g.map((i) => s.sites[i]!.id),
          su: 0.03,
          why: 'disordered',
        });
    const taken = new Set<number>();
    for (const i of groups[0]!)
      for (const j of groups.slice(1).flat()) {
        if (
          taken.has(i) ||
          taken.has(j) ||
          norm(subtract(apply3(m, s.sites[i]!.position), apply3(m, s.sites[j]!.position))) > 0.6
        )
          continue;
        taken.add(i).add(j);
        constraints.push({
          id: newId(),
          kind: 'shared displacement',
          sites: [s.sites[i]!.id, s.sites[j]!.id],
          why: 'the two places nearly coincide',
        });
      }
  }
  return restraints.length
    ? {
        ...s,
        controls: {
          ...controls,
          restraints: [...controls.restraints, ...restraints],
          constraints: [...controls.constraints, ...constraints],
        },
      }
    : s;
}
