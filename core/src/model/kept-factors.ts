/** Which aspherical form factors still hold after a model was changed by hand. */
import { cellParameters, fractionalDistance, metricTensor } from '../crystal/cell.ts';
import type { FormFactors } from '../crystal/form-factors.ts';
import type { Site, Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';

/** An atom that was moved further than this, Å, is another atom to its surroundings. */
const SAME_ATOM = 0.3;

/** A treatment without aspherical atoms. */
export function withSphericalAtoms({ aspherical: _, ...rest }: Treatment): Treatment {
  return rest;
}

/**
 * Keeps the form factors of the sites that are still what and where they were; the others are spherical until factors are made
 * anew. In another cell or group none are kept.
 */
export function keptFactors(t: Treatment, before: Structure, after: Structure): Treatment {
  if (!t.aspherical || before.sites === after.sites) return t;
  const sameCrystal =
    before.spaceGroup.hall === after.spaceGroup.hall &&
    cellParameters(before.cell).every((x, i) => Math.abs(x - cellParameters(after.cell)[i]!) < 0.05);
  if (!sameCrystal) return withSphericalAtoms(t);
  const g = metricTensor(after.cell),
    now = new Map(after.sites.map((x) => [x.id, x]));
  const holds = (was: Site): boolean => {
    const is = now.get(was.id);
    return is?.element === was.element && fractionalDistance(g, was.position, is.position) < SAME_ATOM;
  };
  const kept = new Set(before.sites.filter(holds).map((x) => x.id));
  const { factors } = t.aspherical;
  if (factors.sites.every((id) => kept.has(id))) return t;
  if (!factors.sites.some((id) => kept.has(id))) return withSphericalAtoms(t);
  return { ...t, aspherical: { ...t.aspherical, factors: onlySites(factors, kept) } };
}

function onlySites(f: FormFactors, kept: ReadonlySet<string>): FormFactors {
  const count = f.h.length;
  const rows = f.sites.flatMap((id, s) => (kept.has(id) ? [s] : []));
  const take = (values: Float64Array): Float64Array => {
    const out = new Float64Array(rows.length * count);
    rows.forEach((s, n) => out.set(values.subarray(s * count, (s + 1) * count), n * count));
    return out;
  };
  return { ...f, sites: rows.map((s) => f.sites[s]!), real: take(f.real), imaginary: take(f.imaginary) };
}
