/** A model whose hydrogens the data place: what aspherical atoms allow. */
import { isHydrogen } from '../crystal/elements.ts';
import type { HydrogenLength } from '../crystal/form-factors.ts';
import { isotropicTensor, type Site, type Structure } from '../crystal/structure.ts';
import { bondsBySite } from '../geometry/bonds.ts';

/** Whether hydrogens get one displacement or six. */
export type HydrogenFreedom = 'free' | 'anisotropic';
export const HYDROGEN_FREEDOMS: readonly HydrogenFreedom[] = ['free', 'anisotropic'];

/** The model with every hydrogen free of its parent; tensors where they are asked for. */
export function freeHydrogens(s: Structure, freedom: HydrogenFreedom): Structure {
  const sites = s.sites.map((x): Site => {
    if (freedom !== 'anisotropic' || !isHydrogen(x.element) || x.displacement.kind === 'aniso') return x;
    return { ...x, displacement: { kind: 'aniso', u: isotropicTensor(s.cell, x.displacement.u) } };
  });
  if (!s.controls) return { ...s, sites };
  const hydrogens = s.controls.hydrogens.map((g) => ({ ...g, hold: 'free' as const, uFactor: 0 }));
  return { ...s, sites, controls: { ...s.controls, hydrogens } };
}

/** Every hydrogen with the atom it is bonded to and the length of that bond. */
export function hydrogenLengths(s: Structure): readonly HydrogenLength[] {
  const bySite = bondsBySite(s);
  return s.sites.flatMap((site, i): HydrogenLength[] => {
    const nearest = isHydrogen(site.element) ? [...bySite[i]!].sort((p, q) => p.distance - q.distance)[0] : undefined;
    return nearest ? [{ hydrogen: site.id, parent: s.sites[nearest.to]!.id, length: nearest.distance }] : [];
  });
}
