/** What an atom is to a contact: its role by what it is bonded to, in words that definitions are written with. */
import { siteOf } from '../crystal/atom-ref.ts';
import { elementOf, isHydrogen, isMetal } from '../crystal/elements.ts';
import type { Neighbour } from '../crystal/neighbours.ts';
import type { Structure } from '../crystal/structure.ts';
import { bonds, bondsBySite } from '../geometry/bonds.ts';
import { findRings, type Ring } from '../geometry/rings.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { dot, eigenSymmetric3, subtract, toMat3, type Vec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';

export const ROLES = [
  'water',
  'hydroxyl',
  'carbonyl',
  'carboxylate',
  'ether',
  'nitro',
  'oxo',
  'oxide',
  'amine',
  'amide',
  'ammonium',
  'pyridine',
  'nitrile',
  'aromatic C',
  'aliphatic C',
  'halide',
  'organic halogen',
  'chalcogen',
  'metal',
  'π ring',
] as const;
export type Role = (typeof ROLES)[number];

const HALOGENS: ReadonlySet<string> = new Set(['F', 'Cl', 'Br', 'I']);
const CHALCOGENS: ReadonlySet<string> = new Set(['S', 'Se', 'Te']);

/** Å: C–O shorter than this is a carbonyl, and a triple C–N bond. */
const CARBONYL = 1.3,
  TRIPLE = 1.22;
/** Å that two C–O bonds of a carboxylate may differ by. */
const ALIKE = 0.05;

/** The roles of every site, and the flat rings whose faces contacts may end at. */
export class Roles {
  readonly flat: readonly Ring[];
  private readonly bySite: readonly (readonly Neighbour[])[];
  private readonly inFlat: ReadonlySet<string>;
  private readonly list: readonly (Role | undefined)[];

  constructor(readonly s: Structure) {
    this.bySite = bondsBySite(s, bonds(s));
    this.flat = findRings(s, bonds(s), 6).filter((r) => isFlat(s, r));
    this.inFlat = new Set(this.flat.flatMap((r) => r.atoms.map((a) => a.site)));
    this.list = s.sites.map((_, i) => this.find(i));
  }

  /** Undefined for an atom that contacts are not told of by role. */
  of(site: number): Role | undefined {
    return this.list[site];
  }

  /** Whether a site is one of those named: by role, or by its element's symbol. */
  isOneOf(site: number, names: readonly string[]): boolean {
    const role = this.list[site];
    const { element } = this.s.sites[site]!;
    return names.some((n) => n === role || n === element || (n === 'any' && !isHydrogen(element)));
  }

  /** Bonded atoms: hydrogens, metals, and the rest. */
  private around(i: number): { heavy: Neighbour[]; hydrogens: Neighbour[]; metals: Neighbour[] } {
    const element = (n: Neighbour): string => this.s.sites[n.to]!.element;
    const near = this.bySite[i]!;
    return {
      hydrogens: near.filter((n) => isHydrogen(element(n))),
      metals: near.filter((n) => isMetal(element(n))),
      heavy: near.filter((n) => !isHydrogen(element(n)) && !isMetal(element(n))),
    };
  }

  /** Oxygens bonded to a site and to nothing else but hydrogens and metals, with their distances. */
  private ends(i: number, element = 'O'): Neighbour[] {
    return this.around(i).heavy.filter(
      (n) => this.s.sites[n.to]!.element === element && this.around(n.to).heavy.length === 1,
    );
  }

  private find(i: number): Role | undefined {
    const { element } = this.s.sites[i]!;
    if (isHydrogen(element)) return undefined;
    if (isMetal(element)) return 'metal';
    if (HALOGENS.has(element)) return this.around(i).heavy.length ? 'organic halogen' : 'halide';
    if (CHALCOGENS.has(element)) return 'chalcogen';
    if (element === 'O') return this.oxygen(i);
    if (element === 'N') return this.nitrogen(i);
    if (element === 'C') return this.inFlat.has(this.s.sites[i]!.id) ? 'aromatic C' : 'aliphatic C';
    return undefined;
  }

  private oxygen(i: number): Role {
    const { heavy, hydrogens, metals } = this.around(i);
    if (!heavy.length) return hydrogens.length || !metals.length ? 'water' : 'oxide';
    if (heavy.length > 1) return 'ether';
    const other = heavy[0]!;
    const carrier = this.s.sites[other.to]!.element;
    if (carrier === 'N') return 'nitro';
    if (carrier !== 'C') return hydrogens.length ? 'hydroxyl' : 'oxo';
    if (hydrogens.length) return 'hydroxyl';
    const ends = this.ends(other.to);
    const bare = ends.every((n) => !this.around(n.to).hydrogens.length);
    if (ends.length === 2 && bare && Math.abs(ends[0]!.distance - ends[1]!.distance) < ALIKE) return 'carboxylate';
    // Longer than a double bond, with no hydrogen: one was not located.
    return other.distance < CARBONYL ? 'carbonyl' : 'hydroxyl';
  }

  private nitrogen(i: number): Role | undefined {
    const { heavy, hydrogens, metals } = this.around(i);
    if (!heavy.length) return metals.length ? 'amine' : 'ammonium';
    if (this.ends(i).length >= 2) return 'nitro';
    const bound = heavy.length + hydrogens.length;
    if (bound >= 4) return 'ammonium';
    if (heavy.length === 1 && !hydrogens.length && heavy[0]!.distance < TRIPLE) return 'nitrile';
    const besideCarbonyl = heavy.some(
      (n) => this.s.sites[n.to]!.element === 'C' && this.ends(n.to).some((o) => o.distance < CARBONYL),
    );
    if (hydrogens.length) return besideCarbonyl ? 'amide' : 'amine';
    if (heavy.length === 2) return 'pyridine';
    if (heavy.length === 1) return besideCarbonyl ? 'amide' : 'amine';
    return this.isPyramid(i, heavy) ? 'amine' : undefined;
  }

  /** Its lone pair stands out: the sum of the angles is well below 360°. */
  private isPyramid(i: number, near: readonly Neighbour[]): boolean {
    const s = this.s;
    const m = cartesianOf(s, [{ site: s.sites[i]!.id, operator: 0, shift: [0, 0, 0] }])[0]!;
    const at = cartesianOf(
      s,
      near.map((n) => ({ site: s.sites[n.to]!.id, operator: n.operator, shift: n.shift })),
    ).map((x) => subtract(x, m));
    let sum = 0;
    for (let p = 0; p < at.length; p++) for (let q = 0; q < p; q++) sum += angleOf(at[p]!, at[q]!);
    return sum < 350;
  }
}

const angleOf = (a: Vec3, b: Vec3): number =>
  (Math.acos(Math.max(-1, Math.min(1, dot(a, b) / Math.sqrt(dot(a, a) * dot(b, b))))) * 180) / Math.PI;

/** Å: atoms of an aromatic ring stray less from its plane. */
const FLAT = 0.06;

/** Five or six atoms of carbon, nitrogen, oxygen or sulphur in one plane. */
function isFlat(s: Structure, ring: Ring): boolean {
  if (ring.atoms.length < 5 || ring.atoms.length > 6) return false;
  const elements = ring.atoms.map((a) => siteOf(s, a)!.element);
  if (!elements.every((e) => e === 'C' || e === 'N' || e === 'O' || e === 'S')) return false;
  const points = cartesianOf(s, ring.atoms);
  const plane = planeOf(points);
  return points.every((x) => Math.abs(dot(subtract(x, plane.middle), plane.normal)) < FLAT);
}

/** Unit normal and middle of the best plane: the direction in which the points spread least. */
export function planeOf(points: readonly Vec3[]): { normal: Vec3; middle: Vec3 } {
  const centre = middle(points);
  const spread = new Float64Array(9);
  for (const p of points) {
    const d = subtract(p, centre);
    for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) spread[3 * i + j]! += d[i]! * d[j]!;
  }
  return { normal: eigenSymmetric3(toMat3(spread)).vectors[0], middle: centre };
}

/** Å: sum of van der Waals radii. */
export const contactRadii = (p: string, q: string): number => elementOf(p).vdwRadius + elementOf(q).vdwRadius;
