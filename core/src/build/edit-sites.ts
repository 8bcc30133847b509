/** Sites changed one by one: other values, added, removed, moved, split, merged, occupancies that balance charges, hydrogens. */
import { metricTensor, orthogonalization } from '../crystal/cell.ts';
import { pruneControls } from '../crystal/controls.ts';
import { findElement } from '../crystal/elements.ts';
import { siteCharges, usualCharge } from '../crystal/ionic.ts';
import { operatorsNear } from '../crystal/neighbours.ts';
import { allOperators, snapToSymmetry } from '../crystal/space-group.ts';
import { newId, siteMultiplicity, type Site, type Structure } from '../crystal/structure.ts';
import { bonded } from '../geometry/bonding-proposal.ts';
import { sharedPlaces } from '../geometry/coordination.ts';
import { add, apply3, inverse3, scale, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { planHydrogens } from '../model/hydrogen-plan.ts';
import { placeHydrogens } from '../model/place-hydrogens.ts';
import { withoutRules } from './whole-cell.ts';

/** What became of a structure, with the count of its cell in words. */
export interface SiteAnswer {
  readonly structure: Structure;
  readonly words: string;
}

/** What a person may say of one site; what is absent stays. */
export interface SiteValues {
  readonly label?: string | undefined;
  readonly element?: string | undefined;
  /** Fractional. */
  readonly position?: Vec3 | undefined;
  readonly occupancy?: number | undefined;
  /** Isotropic, Å². */
  readonly u?: number | undefined;
  /** Formal charge; null for none said. */
  readonly charge?: number | null | undefined;
}

export const atomsOf = (s: Structure): number => s.sites.reduce((n, x) => n + siteMultiplicity(s, x), 0);

const atoms = (n: number): string => `${n} ${n === 1 ? 'atom' : 'atoms'}`;

function counted(before: Structure, after: Structure, what: string): SiteAnswer {
  const [old, now] = [atomsOf(before), atomsOf(after)];
  const count =
    old === now ? `the cell holds ${atoms(now)} as before` : `${atoms(old)} of the cell before, ${now} after`;
  return { structure: after, words: `${what}; ${count}.` };
}

function siteCalled(s: Structure, id: string): Site {
  const found = s.sites.find((x) => x.id === id);
  if (!found) throw new RangeError('This site is no longer there.');
  return found;
}

const replaced = (s: Structure, sites: readonly Site[]): Structure => {
  const ids = new Set(sites.map((x) => x.id));
  return { ...s, sites, ...(s.controls ? { controls: pruneControls(s.controls, ids) } : {}) };
};

/** A label that nobody has: the element with the lowest free number. */
export function freeLabel(s: Structure, element: string): string {
  const taken = new Set(s.sites.map((x) => x.label));
  let n = 1;
  while (taken.has(`${element}${n}`)) n++;
  return `${element}${n}`;
}

function checkedElement(text: string): string {
  const plain = text.trim();
  const symbol = findElement(plain.slice(0, 1).toUpperCase() + plain.slice(1).toLowerCase())?.symbol;
  if (!symbol) throw new RangeError(`"${text}" is no element.`);
  return symbol;
}

function checkedOccupancy(x: number): number {
  if (!(x > 0 && x <= 1)) throw new RangeError(`An occupancy lies above 0 and not above 1, not at ${x}.`);
  return x;
}

/** A position as it was given, exactly on a special position it nearly stands on. */
const placed = (s: Structure, x: Vec3): Vec3 => {
  if (!x.every(Number.isFinite)) throw new RangeError('A position is three fractions.');
  return snapToSymmetry(s.spaceGroup, metricTensor(s.cell), x);
};

/** Other values for one site. Throws RangeError where one of them cannot be. */
export function changeSite(s: Structure, id: string, values: SiteValues): SiteAnswer {
  const before = siteCalled(s, id);
  const label = values.label?.trim() || before.label;
  if (label !== before.label && s.sites.some((x) => x.label === label))
    throw new RangeError(`Another site is called ${label} already.`);
  const { charge, ...rest } = before;
  const said = values.charge === undefined ? charge : (values.charge ?? undefined);
  let after: Site = { ...rest, label, ...(said === undefined ? {} : { charge: said }) };
  if (values.element !== undefined) after = { ...after, element: checkedElement(values.element) };
  if (values.occupancy !== undefined) {
    const { occupancySu: _, ...free } = after;
    after = { ...free, occupancy: checkedOccupancy(values.occupancy) };
  }
  if (values.u !== undefined) {
    if (!(values.u > 0)) throw new RangeError('U is a positive number in Å².');
    after = { ...after, displacement: { kind: 'iso', u: values.u } };
  }
  if (values.position) {
    const { positionSu: _, ...free } = after;
    after = { ...free, position: placed(s, values.position) };
  }
  const next = replaced(
    s,
    s.sites.map((x) => (x.id === id ? after : x)),
  );
  return counted(s, next, `${after.label} changed`);
}

/** Without these sites and all of their copies. Throws RangeError where nothing would be left. */
export function removeSites(s: Structure, ids: readonly string[]): SiteAnswer {
  const gone = new Set(ids);
  const left = s.sites.filter((x) => !gone.has(x.id));
  if (left.length === s.sites.length) throw new RangeError('None of these sites is there.');
  if (!left.length) throw new RangeError('Nothing would be left.');
  const labels = s.sites.filter((x) => gone.has(x.id)).map((x) => x.label);
  return counted(s, replaced(s, left), `${named(labels)} removed`);
}

const named = (labels: readonly string[]): string =>
  labels.length > 6 ? `${labels.slice(0, 5).join(', ')} and ${labels.length - 5} more` : labels.join(', ');

/** One more site; U as the others have it where none is given. */
export function addSite(
  s: Structure,
  values: SiteValues & { readonly element: string; readonly position: Vec3 },
): SiteAnswer {
  const element = checkedElement(values.element);
  const label = values.label?.trim() || freeLabel(s, element);
  if (s.sites.some((x) => x.label === label)) throw new RangeError(`Another site is called ${label} already.`);
  const { charge } = values;
  const site: Site = {
    id: newId(),
    label,
    element,
    position: placed(s, values.position),
    occupancy: checkedOccupancy(values.occupancy ?? 1),
    displacement: { kind: 'iso', u: values.u ?? 0.02 },
    ...(charge === undefined || charge === null ? {} : { charge }),
  };
  return counted(s, { ...s, sites: [...s.sites, site] }, `${label} added`);
}

/** Sites moved by a vector, Å along x ∥ a, y, z ∥ c*, and with them all of their copies. */
export function moveSites(s: Structure, ids: readonly string[], by: Vec3): SiteAnswer {
  const moved = new Set(ids);
  const shift = apply3(inverse3(orthogonalization(s.cell)), by);
  const sites = s.sites.map((x) => {
    if (!moved.has(x.id)) return x;
    const { positionSu: _, ...rest } = x;
    return { ...rest, position: placed(s, add(x.position, shift)) };
  });
  const labels = s.sites.filter((x) => moved.has(x.id)).map((x) => x.label);
  if (!labels.length) throw new RangeError('None of these sites is there.');
  return counted(s, { ...s, sites }, `${named(labels)} moved`);
}

/** Another element takes a share of a site: two sites in one place. `share` is that of the newcomer, 0 … 1. */
export function splitSite(s: Structure, id: string, element: string, share: number): SiteAnswer {
  const site = siteCalled(s, id);
  if (!(share > 0 && share < 1)) throw new RangeError('The share of the newcomer lies between 0 and 1.');
  const symbol = checkedElement(element);
  const { charge: _c, occupancySu: _o, ...rest } = site;
  const newcomer: Site = {
    ...rest,
    id: newId(),
    element: symbol,
    label: freeLabel(s, symbol),
    occupancy: site.occupancy * share,
  };
  const sites = s.sites.flatMap((x) =>
    x.id === id ? [{ ...x, occupancy: site.occupancy * (1 - share) }, newcomer] : [x],
  );
  const parts = `${site.label} ${figure(site.occupancy * (1 - share))} and ${newcomer.label} ${figure(newcomer.occupancy)}`;
  return { structure: { ...s, sites }, words: `${parts} share one place.` };
}

const figure = (x: number): string => String(Number(x.toFixed(4)));

/** Å within which sites may be merged. */
const MERGED = 1;

/**
 * Sites that stand close together become one place, at the mean of their positions by occupancy: those of one element one
 * site, others sites that share it. Throws RangeError where they do not belong together.
 */
export function mergeSites(s: Structure, ids: readonly string[]): SiteAnswer {
  const chosen = s.sites.filter((x) => ids.includes(x.id));
  const [first, ...others] = chosen;
  if (!first || !others.length) throw new RangeError('Select two sites or more that stand in one place.');
  const metric = metricTensor(s.cell);
  const all = allOperators(s.spaceGroup);
  const near = others.map((x) => {
    const { moved, distance } = operatorsNear(all, metric, x.position, first.position);
    if (distance > MERGED)
      throw new RangeError(
        `${x.label} stands ${distance.toFixed(2)} Å from ${first.label}; within ${MERGED} Å sites become one.`,
      );
    return toVec3(moved);
  });
  const total = chosen.reduce((sum, x) => sum + x.occupancy, 0);
  if (total > 1.0005) throw new RangeError(`Their occupancies add up to ${figure(total)}, more than one place holds.`);
  const mean = [first.position, ...near].reduce<Vec3>(
    (sum, x, i) => add(sum, scale(subtract(x, first.position), chosen[i]!.occupancy / total)),
    first.position,
  );
  const position = placed(s, mean);
  const kept = oneOfEachElement(chosen).map(({ positionSu: _, ...x }) => ({ ...x, position }));
  const byId = new Map(kept.map((x) => [x.id, x]));
  const sites = s.sites.flatMap((x) => (ids.includes(x.id) ? (byId.get(x.id) ?? []) : [x]));
  const words =
    kept.length === 1
      ? `${named(chosen.map((x) => x.label))} became ${kept[0]!.label}`
      : `${named(kept.map((x) => x.label))} share one place`;
  return counted(s, replaced(s, sites), words);
}

function oneOfEachElement(list: readonly Site[]): Site[] {
  const out = new Map<string, Site>();
  for (const x of list) {
    const known = out.get(x.element);
    out.set(x.element, known ? { ...known, occupancy: Math.min(1, known.occupancy + x.occupancy) } : x);
  }
  return [...out.values()];
}

/**
 * The occupancy of a site for which the charges of the cell add up to zero; what shares its place takes the rest. Charges are
 * those of the sites, else the usual ones of their elements. Throws RangeError where that cannot be.
 */
export function balanceOccupancy(s: Structure, id: string): SiteAnswer {
  const site = siteCalled(s, id);
  const i = s.sites.indexOf(site);
  const known = siteCharges(s);
  const charges = s.sites.map((x, k) => x.charge ?? known[k] ?? usualCharge(x.element));
  const unknown = charges.indexOf(undefined);
  if (unknown >= 0) throw new RangeError(`The charge of ${s.sites[unknown]!.label} is not known; give it one first.`);
  const partners = (sharedPlaces(s)[i] ?? []).filter((k) => k !== i);
  if (partners.length > 1)
    throw new RangeError(
      `${site.label} shares its place with ${partners.length} others: set all but one of them by hand.`,
    );
  const partner = partners[0];
  const place = site.occupancy + (partner === undefined ? 0 : s.sites[partner]!.occupancy);
  const weight = siteMultiplicity(s, site);
  const total = s.sites.reduce((sum, x, k) => sum + charges[k]! * x.occupancy * siteMultiplicity(s, x), 0);
  const slope = weight * (charges[i]! - (partner === undefined ? 0 : charges[partner]!));
  if (Math.abs(slope) < 1e-9)
    throw new RangeError(
      `The charge of ${site.label} is that of what shares its place: no occupancy of it balances anything.`,
    );
  const occupancy = site.occupancy - total / slope;
  const most = partner === undefined ? 1 : place;
  if (!(occupancy > 1e-6 && occupancy < most + 1e-6))
    throw new RangeError(
      `${site.label} would have to be ${figure(occupancy)} occupied, outside 0 … ${figure(most)}: its occupancy alone does not balance the charges.`,
    );
  const sites = s.sites.map((x, k) => {
    const { occupancySu: _, ...rest } = x;
    if (k === i) return { ...rest, occupancy: Math.min(1, occupancy) };
    return k === partner ? { ...rest, occupancy: Math.max(0, place - occupancy) } : x;
  });
  const left = sites.filter((x) => x.occupancy > 1e-6);
  const words = `${site.label} goes from ${figure(site.occupancy)} to ${figure(occupancy)}, and the charges of the cell add up to zero.`;
  return { structure: replaced(s, left), words };
}

/** Hydrogens where the geometry of carbon, nitrogen and oxygen asks for them. Throws RangeError where it asks for none. */
export function withHydrogens(s: Structure): SiteAnswer {
  const { rows } = planHydrogens({ structure: bonded(s) });
  const made = placeHydrogens(s, rows);
  const added = made.sites.length - s.sites.length;
  if (added <= 0) throw new RangeError('No atom asks for a hydrogen that is not there already.');
  // A structure without data has nothing to hold.
  const structure = s.controls ? made : withoutRules(made);
  return counted(s, structure, `${added} ${added === 1 ? 'hydrogen' : 'hydrogens'} placed by geometry`);
}
