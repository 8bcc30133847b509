/** Restraints that a selection allows, and ones the model asks for, each with a reason. */
import { NO_CONTROLS, type Constraint, type Restraint } from '../crystal/controls.ts';
import { isHydrogen } from '../crystal/elements.ts';
import { displacementToCartesian, equivalentU, newId, type Structure } from '../crystal/structure.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { apply3, cross, dot, norm, normalize, subtract, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { bondedPairs, usualSu } from '../refine/model-restraints.ts';
import { assemblies } from './disorder.ts';
import { judgeEllipsoids } from './ellipsoids.ts';

export interface Offer {
  readonly name: string;
  readonly add: { readonly restraints?: readonly Restraint[]; readonly constraints?: readonly Constraint[] };
  readonly why?: string;
}

/** Everything the selected sites (in the order they were picked) can be bound by, the likeliest first. */
export function offersFor(s: Structure, picked: readonly number[]): Offer[] {
  const id = (i: number): string => s.sites[i]!.id;
  const m = orthogonalization(s.cell);
  const x = (i: number): Vec3 => apply3(m, s.sites[i]!.position);
  const distance = (a: number, b: number): number => norm(subtract(x(a), x(b)));
  const heavy = picked.filter((i) => !isHydrogen(s.sites[i]!.element));
  const all = picked.map(id);
  const out: Offer[] = [];
  const r = (restraint: Restraint, name: string): void => {
    out.push({ name, add: { restraints: [restraint] } });
  };
  const c = (constraint: Constraint, name: string): void => {
    out.push({ name, add: { constraints: [constraint] } });
  };
  if (picked.length === 2) {
    const [a, b] = picked as [number, number];
    const { pairs, ends } = bondedPairs(s, picked, true);
    r(
      {
        id: newId(),
        kind: pairs.length || !ends.length ? 'distance' : 'distance 1,3',
        pairs: [[id(a), id(b)]],
        target: Number(distance(a, b).toFixed(3)),
        su: usualSu.distance,
      },
      'distance at a target',
    );
    r(
      { id: newId(), kind: 'keep apart', pairs: [[id(a), id(b)]], target: 3.2, su: usualSu['keep apart'] },
      'keep apart',
    );
  }
  if (picked.length >= 4 && picked.length % 2 === 0) {
    const pairs = Array.from({ length: picked.length / 2 }, (_, k): [string, string] => [
      id(picked[2 * k]!),
      id(picked[2 * k + 1]!),
    ]);
    r({ id: newId(), kind: 'equal distance', pairs, su: usualSu['equal distance'] }, 'equal distances, pair by pair');
    if (heavy.length === picked.length)
      r(
        {
          id: newId(),
          kind: 'same geometry',
          first: all.slice(0, all.length / 2),
          second: all.slice(all.length / 2),
          su: usualSu['same geometry'],
        },
        'second half: same geometry as the first',
      );
  }
  if (picked.length === 4) {
    const [a, b, d, e] = picked.map(x) as [Vec3, Vec3, Vec3, Vec3];
    const volume = dot(subtract(b, a), cross(subtract(d, a), subtract(e, a)));
    r(
      {
        id: newId(),
        kind: 'chiral volume',
        sites: all as unknown as [string, string, string, string],
        target: Number(volume.toFixed(2)),
        su: usualSu['chiral volume'],
      },
      'chiral volume (first is the centre)',
    );
  }
  if (heavy.length >= 4) r({ id: newId(), kind: 'planar', sites: heavy.map(id), su: usualSu.planar }, 'in one plane');
  if (heavy.length >= 2) {
    const { pairs } = bondedPairs(s, heavy, false);
    if (pairs.length > 1)
      r(
        {
          id: newId(),
          kind: 'equal distance',
          pairs: pairs.map(([p, q]) => [id(p), id(q)] as const),
          su: usualSu['equal distance'],
        },
        'bonds equally long',
      );
    r(
      { id: newId(), kind: 'similar displacement', sites: heavy.map(id), su: usualSu['similar displacement'] },
      'similar displacement',
    );
    if (pairs.length) {
      r(
        { id: newId(), kind: 'enhanced rigid bond', sites: heavy.map(id), su: usualSu['enhanced rigid bond'] },
        'enhanced rigid bonds',
      );
      r({ id: newId(), kind: 'rigid bond', sites: heavy.map(id), su: usualSu['rigid bond'] }, 'rigid bonds');
    }
    c({ id: newId(), kind: 'shared displacement', sites: heavy.map(id) }, 'one displacement shared');
    if (heavy.length === 2) c({ id: newId(), kind: 'shared position', sites: heavy.map(id) }, 'one position shared');
  }
  if (picked.length > 2) c({ id: newId(), kind: 'rigid group', sites: all }, 'rigid group');
  if (heavy.length) {
    r({ id: newId(), kind: 'near isotropic', sites: heavy.map(id), su: usualSu['near isotropic'] }, 'nearly isotropic');
    r(
      {
        id: newId(),
        kind: 'displacement',
        sites: heavy.map(id),
        target: Number(equivalentU(s.cell, s.sites[heavy[0]!]!.displacement).toFixed(3)),
        su: usualSu.displacement,
      },
      'displacement at a target',
    );
    r(
      {
        id: newId(),
        kind: 'occupancy',
        sites: all,
        target: Number(s.sites[picked[0]!]!.occupancy.toFixed(3)),
        su: usualSu.occupancy,
      },
      'occupancy at a target',
    );
  }
  for (const what of ['position', 'displacement', 'occupancy'] as const)
    if (picked.length) c({ id: newId(), kind: 'fixed', sites: all, what: [what] }, `${what} held as it is`);
  return out;
}

/** What the model asks for: disorder without restraints, bonds that fail the rigid-bond test, impossible ellipsoids. */
export function neededRestraints(s: Structure): Offer[] {
  const out: Offer[] = [];
  const controls = s.controls ?? NO_CONTROLS;
  const held = new Set(
    controls.restraints.flatMap((r) =>
      'sites' in r && ['enhanced rigid bond', 'rigid bond', 'similar displacement', 'near isotropic'].includes(r.kind)
        ? [...r.sites]
        : [],
    ),
  );
  for (const a of assemblies(s)) {
    const bare = a.groups
      .flatMap((g) => g.sites)
      .filter((i) => !isHydrogen(s.sites[i]!.element) && !held.has(s.sites[i]!.id));
    if (bare.length > 1)
      out.push({
        name: `similar displacement in assembly ${a.assembly}`,
        why: `${bare.length} disordered atoms whose displacements nothing holds`,
        add: {
          restraints: [
            {
              id: newId(),
              kind: 'enhanced rigid bond',
              sites: bare.map((i) => s.sites[i]!.id),
              su: 0.004,
              why: 'disordered',
            },
            {
              id: newId(),
              kind: 'similar displacement',
              sites: bare.map((i) => s.sites[i]!.id),
              su: 0.04,
              why: 'disordered',
            },
          ],
        },
      });
  }
  const m = orthogonalization(s.cell);
  const heavy = s.sites.map((_, i) => i).filter((i) => !isHydrogen(s.sites[i]!.element));
  const failing: { i: number; j: number; off: number }[] = [];
  for (const [i, j] of bondedPairs(s, heavy, false).pairs) {
    const p = s.sites[i]!,
      q = s.sites[j]!;
    if (p.displacement.kind !== 'aniso' || q.displacement.kind !== 'aniso') continue;
    const n = normalize(subtract(apply3(m, q.position), apply3(m, p.position)));
    const along = (u: Mat3): number => dot(n, apply3(u, n));
    const off = Math.abs(
      along(displacementToCartesian(s.cell, p.displacement.u)) -
        along(displacementToCartesian(s.cell, q.displacement.u)),
    );
    if (off > 0.012) failing.push({ i, j, off });
  }
  for (const f of failing.sort((p, q) => q.off - p.off).slice(0, 4))
    out.push({
      name: `rigid bond ${s.sites[f.i]!.label}–${s.sites[f.j]!.label}`,
      why: `displacements along the bond differ by ${f.off.toFixed(3)} Å²; a wrong element or disorder first, a restraint if neither`,
      add: {
        restraints: [
          {
            id: newId(),
            kind: 'enhanced rigid bond',
            sites: [s.sites[f.i]!.id, s.sites[f.j]!.id],
            su: 0.004,
            why: 'the rigid-bond test fails',
          },
        ],
      },
    });
  const bad = judgeEllipsoids(s).filter((e) => e.kind === 'impossible');
  if (bad.length)
    out.push({
      name: `${bad.map((b) => s.sites[b.site]!.label).join(', ')} nearly isotropic`,
      why: 'the ellipsoid is impossible',
      add: {
        restraints: [
          {
            id: newId(),
            kind: 'near isotropic',
            sites: bad.map((b) => s.sites[b.site]!.id),
            su: 0.01,
            why: 'an ellipsoid was impossible',
          },
        ],
      },
    });
  return out;
}
