/**
 * The rules that hold a model, compiled into the sparse map from independent to physical parameters. Rules are first gathered
 * into classes of values that are one (shared positions, displacements, occupancies), then each class gets one driver: it is
 * free, held, part of a rigid group, or follows another class. Followers are written after what they follow, so the order in
 * which rules were made does not matter. Two rules that cannot both hold are refused, with both in words.
 */
import { metricTensor, orthogonalization } from '../crystal/cell.ts';
import {
  constraintWords,
  NO_CONTROLS,
  type Constraint,
  type Controls,
  type HydrogenGroup,
  type OccupancyTie,
} from '../crystal/controls.ts';
import { siteSymmetry } from '../crystal/space-group.ts';
import type { Structure } from '../crystal/structure.ts';
import { parentSurroundings } from '../geometry/parents.ts';
import { add, apply3, cross, inverse3, norm, normalize, scale, subtract, type Vec3 } from '../math/matrix3.ts';
import { ConstraintBuilder, type ConstraintMap } from './constraint-map.ts';
import { commonInvariants, displacementRotation, invariantBasis } from './invariants.ts';
import {
  DISPLACEMENT,
  equivalentCoefficients,
  EXTINCTION,
  OCCUPANCY,
  SCALE,
  siteOffset,
  twinOffset,
  type FreeValues,
} from './parameters.ts';

/** Two rules that cannot both hold. */
export class Contradiction extends RangeError {
  constructor(
    readonly first: string,
    readonly second: string,
  ) {
    super(`Two rules cannot both hold: ${first}; and ${second}. Take one of them off.`);
    this.name = 'Contradiction';
  }
}

/** A rigid group in the map: its sites and the first of its six columns (shift in Å, then turn in radians, Cartesian, about `centre`). */
export interface RigidColumns {
  readonly sites: readonly number[];
  readonly column: number;
}

export type CompiledConstraints = ConstraintMap & { readonly rigid: readonly RigidColumns[] };

/** What moves a class of values. */
type Driver =
  | { readonly kind: 'free' }
  | { readonly kind: 'held'; readonly why: string }
  | { readonly kind: 'rigid'; readonly group: number; readonly why: string }
  | { readonly kind: 'follows'; readonly site: number; readonly factor: number; readonly why: string };

/** Sites gathered into classes of which all have one value. */
class Classes {
  private readonly parent: number[];

  constructor(n: number) {
    this.parent = Array.from({ length: n }, (_, i) => i);
  }

  /** The lowest index of the class stands for it. */
  of(i: number): number {
    while (this.parent[i] !== i) i = this.parent[i] = this.parent[this.parent[i]!]!;
    return i;
  }

  join(i: number, j: number): void {
    const [a, b] = [this.of(i), this.of(j)];
    this.parent[Math.max(a, b)] = Math.min(a, b);
  }

  members(i: number): number[] {
    const root = this.of(i);
    return this.parent.flatMap((_, k) => (this.of(k) === root ? [k] : []));
  }
}

/** The rules of a model by site index, and their words. */
class Rules {
  readonly controls: Controls;
  private readonly index: ReadonlyMap<string, number>;

  constructor(readonly s: Structure) {
    this.controls = s.controls ?? NO_CONTROLS;
    this.index = new Map(s.sites.map((x, i) => [x.id, i]));
  }

  sites(ids: readonly string[]): number[] {
    return ids.flatMap((id) => this.index.get(id) ?? []);
  }

  label(site: number): string {
    return this.s.sites[site]!.label;
  }

  words(c: Constraint): string {
    return constraintWords(c, (id) => this.s.sites[this.index.get(id) ?? -1]?.label ?? '?');
  }

  rideWords(g: HydrogenGroup): string {
    return `the hydrogens of ${this.label(this.index.get(g.parent)!)} ride on it`;
  }

  tieWords(t: OccupancyTie): string {
    if (t.kind === 'assembly') return `the groups ${t.groups.join(', ')} of assembly ${t.assembly} share one occupancy`;
    return `${this.sites(t.sites)
      .map((i) => this.label(i))
      .join(', ')} share one occupancy`;
  }

  constraints(kind: Constraint['kind']): { readonly rule: Constraint; readonly sites: number[] }[] {
    return this.controls.constraints
      .filter((c) => c.kind === kind)
      .map((rule) => ({ rule, sites: this.sites(rule.sites) }));
  }

  /** Rules that hold a value as it is. */
  holding(what: 'position' | 'displacement' | 'occupancy'): { readonly rule: Constraint; readonly sites: number[] }[] {
    return this.constraints('fixed').filter(({ rule }) => rule.kind === 'fixed' && rule.what.includes(what));
  }

  /** Hydrogen groups whose parent is there. */
  hydrogens(): { readonly group: HydrogenGroup; readonly parent: number; readonly sites: number[] }[] {
    return this.controls.hydrogens.flatMap((group) => {
      const parent = this.index.get(group.parent);
      return parent === undefined ? [] : [{ group, parent, sites: this.sites(group.hydrogens) }];
    });
  }

  /** Rigid groups of three and more sites. */
  rigidGroups(): { readonly rule: Constraint; readonly sites: number[] }[] {
    return this.constraints('rigid group').filter((g) => g.sites.length > 2);
  }
}

const isHeldHydrogen = (g: HydrogenGroup): boolean => g.hold === 'riding' || g.hold === 'rotating';

/** Classes of one kind of value, each with its driver. */
class DrivenClasses {
  readonly classes: Classes;
  private readonly drivers = new Map<number, Driver>();
  /** Rules that joined sites, for the words of a contradiction. */
  private readonly joined = new Map<number, string>();

  constructor(n: number) {
    this.classes = new Classes(n);
  }

  join(sites: readonly number[], why: string): void {
    for (const i of sites.slice(1)) this.classes.join(sites[0]!, i);
    for (const i of sites) this.joined.set(i, this.joined.get(i) ?? why);
  }

  driver(site: number): Driver {
    return this.drivers.get(this.classes.of(site)) ?? { kind: 'free' };
  }

  /** Gives the class of a site its driver. Throws Contradiction where it has another one already that does not agree. */
  drive(site: number, next: Exclude<Driver, { kind: 'free' }>): void {
    const root = this.classes.of(site);
    const now = this.drivers.get(root);
    if (now && now.kind !== 'free' && !this.agree(now, next)) throw new Contradiction(now.why, next.why);
    if (!now) this.drivers.set(root, next);
  }

  private agree(a: Driver, b: Driver): boolean {
    if (a.kind !== b.kind) return false;
    if (a.kind === 'rigid' && b.kind === 'rigid') return a.group === b.group;
    if (a.kind === 'follows' && b.kind === 'follows')
      return this.classes.of(a.site) === this.classes.of(b.site) && a.factor === b.factor;
    return true;
  }

  /** Classes that follow, each after what it follows. Throws Contradiction where they follow one another in a ring. */
  followersInOrder(): number[] {
    const out: number[] = [];
    const state = new Map<number, 'open' | 'done'>();
    const visit = (root: number): void => {
      if (state.get(root) === 'done') return;
      const d = this.drivers.get(root);
      if (d?.kind !== 'follows') return;
      if (state.get(root) === 'open') throw new Contradiction(d.why, this.joined.get(root) ?? d.why);
      state.set(root, 'open');
      visit(this.classes.of(d.site));
      state.set(root, 'done');
      out.push(root);
    };
    for (const root of [...this.drivers.keys()].sort((p, q) => p - q)) visit(root);
    return out;
  }
}

/** Who moves each position. */
function drivePositions(rules: Rules): DrivenClasses {
  const positions = new DrivenClasses(rules.s.sites.length);
  for (const { rule, sites } of rules.constraints('shared position')) positions.join(sites, rules.words(rule));
  for (const { rule, sites } of rules.holding('position'))
    for (const i of sites) positions.drive(i, { kind: 'held', why: rules.words(rule) });
  rules.rigidGroups().forEach(({ rule, sites }, group) => {
    for (const i of sites) positions.drive(i, { kind: 'rigid', group, why: rules.words(rule) });
  });
  for (const { group, parent, sites } of rules.hydrogens()) {
    if (!isHeldHydrogen(group)) continue;
    const on = positions.driver(parent);
    for (const h of sites) {
      const own = positions.driver(h);
      // Moved with its parent by one rigid group, or held with it: riding asks for nothing more.
      if (own.kind !== 'free' && own.kind !== 'follows' && own.kind === on.kind)
        if (own.kind !== 'rigid' || (on.kind === 'rigid' && own.group === on.group)) continue;
      positions.drive(h, { kind: 'follows', site: parent, factor: 1, why: rules.rideWords(group) });
    }
  }
  return positions;
}

/** Who moves each displacement. Sites of different kinds (isotropic, anisotropic) cannot share. */
function driveDisplacements(rules: Rules): DrivenClasses {
  const { s } = rules;
  const displacements = new DrivenClasses(s.sites.length);
  for (const { rule, sites } of rules.constraints('shared displacement'))
    for (const kind of ['iso', 'aniso'] as const)
      displacements.join(
        sites.filter((i) => s.sites[i]!.displacement.kind === kind),
        rules.words(rule),
      );
  for (const { rule, sites } of rules.holding('displacement'))
    for (const i of sites) displacements.drive(i, { kind: 'held', why: rules.words(rule) });
  for (const { group, parent, sites } of rules.hydrogens()) {
    if (!(group.uFactor > 0)) continue;
    for (const h of sites) {
      if (s.sites[h]!.displacement.kind !== 'iso') continue;
      if (displacements.driver(h).kind === 'held' && displacements.driver(parent).kind === 'held') continue;
      const why = `U of the hydrogens of ${rules.label(parent)} is ${group.uFactor} times its own`;
      displacements.drive(h, { kind: 'follows', site: parent, factor: group.uFactor, why });
    }
  }
  return displacements;
}

/** Occupancies that are one number, or sum to one: each site in one tie at most. */
interface OccupancyPlan {
  /** Columns: sites with their coefficients. */
  readonly columns: readonly (readonly (readonly [site: number, coefficient: number])[])[];
  /** Sites whose occupancy is not free on its own. */
  readonly taken: ReadonlySet<number>;
}

function planOccupancies(rules: Rules): OccupancyPlan {
  const { s } = rules;
  const owner = new Map<number, string>();
  const columns: (readonly [number, number])[][] = [];
  const held = new Set(rules.holding('occupancy').flatMap((f) => f.sites));
  const claim = (sites: readonly number[], why: string): void => {
    for (const i of sites) {
      const before = owner.get(i);
      if (before !== undefined && before !== why) throw new Contradiction(before, why);
      owner.set(i, why);
    }
  };
  for (const tie of rules.controls.occupancies) {
    const why = rules.tieWords(tie);
    const groups = occupancyGroups(s, tie, rules.sites(tie.kind === 'shared' ? tie.sites : []));
    claim(groups.flat(), why);
    if (tie.kind === 'assembly' && tie.held) continue;
    // A held member holds its whole group: they are one number.
    const free = groups.filter((g) => g.length && !g.some((i) => held.has(i)));
    const all = groups.filter((g) => g.length);
    if (tie.kind === 'shared' || all.length === 1) columns.push(...free.map((g) => g.map((i) => [i, 1] as const)));
    else
      for (const g of free.slice(0, -1))
        columns.push([...g.map((i) => [i, 1] as const), ...free.at(-1)!.map((i) => [i, -1] as const)]);
  }
  return { columns, taken: new Set([...owner.keys(), ...held]) };
}

/** Sites of each group of an assembly, or of the one group that shares. */
export function occupancyGroups(s: Structure, tie: OccupancyTie, shared: readonly number[]): number[][] {
  if (tie.kind === 'shared') return [[...shared]];
  return tie.groups.map((g) =>
    s.sites.flatMap((x, i) => (x.disorder?.assembly === tie.assembly && x.disorder.group === g ? [i] : [])),
  );
}

const range = (n: number): number[] => Array.from({ length: n }, (_, i) => i);
const unitRows = (n: number): number[][] => range(n).map((k) => range(n).map((m) => (m === k ? 1 : 0)));

/** Writes the columns and rows of one structure. */
class Compiler {
  private readonly rules: Rules;
  private readonly positions: DrivenClasses;
  private readonly displacements: DrivenClasses;
  private readonly occupancies: OccupancyPlan;
  private readonly builder: ConstraintBuilder;
  private readonly metric;

  constructor(
    private readonly s: Structure,
    private readonly free: FreeValues,
  ) {
    this.rules = new Rules(s);
    this.positions = drivePositions(this.rules);
    this.displacements = driveDisplacements(this.rules);
    this.occupancies = planOccupancies(this.rules);
    this.builder = new ConstraintBuilder(twinOffset(s.sites.length) + (free.twins ?? 0));
    this.metric = metricTensor(s.cell);
  }

  compile(): CompiledConstraints {
    const { builder, free, s } = this;
    builder.add([[SCALE, 1]]);
    if (free.extinction) builder.add([[EXTINCTION, 1]]);
    s.sites.forEach((_, i) => this.siteColumns(i));
    for (const column of this.occupancies.columns)
      builder.add(column.map(([i, k]) => [siteOffset(i) + OCCUPANCY, k] as const));
    const rigid = this.rigidColumns();
    this.followPositions();
    this.turningColumns();
    this.followDisplacements();
    for (let t = 0; t < (free.twins ?? 0); t++) builder.add([[twinOffset(s.sites.length) + t, 1]]);
    return { ...builder.build(), rigid };
  }

  private isFixed(i: number): boolean {
    return this.free.fixed?.has(i) ?? false;
  }

  /** Free values of a site, where it stands for its class. */
  private siteColumns(i: number): void {
    if (this.isFixed(i)) return;
    const at = siteOffset(i);
    if (this.positions.classes.of(i) === i && this.positions.driver(i).kind === 'free')
      for (const v of this.positionBasis(i)) this.builder.add(v.map((x, k) => [at + k, x] as const));
    if (this.free.occupancies?.includes(i) && !this.occupancies.taken.has(i)) this.builder.add([[at + OCCUPANCY, 1]]);
    if (this.displacements.classes.of(i) !== i || this.displacements.driver(i).kind !== 'free') return;
    if (this.s.sites[i]!.displacement.kind === 'iso') this.builder.add([[at + DISPLACEMENT, 1]]);
    else for (const v of this.tensorBasis(i)) this.builder.add(v.map((x, k) => [at + DISPLACEMENT + k, x] as const));
  }

  private operators(i: number): ReturnType<typeof siteSymmetry>['operators'] {
    return siteSymmetry(this.s.spaceGroup, this.metric, this.s.sites[i]!.position).operators;
  }

  private positionBasis(i: number): number[][] {
    const operators = this.operators(i);
    if (operators.length === 1) return unitRows(3);
    return invariantBasis(
      operators.map((o) => o.r),
      3,
    );
  }

  /** Tensors that the places of all members of a class allow. */
  private tensorBasis(i: number): number[][] {
    const sets = this.displacements.classes
      .members(i)
      .map((j) => this.operators(j))
      .filter((o) => o.length > 1);
    const matrices = sets.map((o) => o.map((x) => displacementRotation(this.s.cell, x.r)));
    if (!matrices.length) return unitRows(6);
    return matrices.length === 1 ? invariantBasis(matrices[0]!, 6) : commonInvariants(matrices.flat(), 6);
  }

  private rigidColumns(): RigidColumns[] {
    const { s } = this;
    const toCartesian = orthogonalization(s.cell),
      toFractional = inverse3(toCartesian);
    const unit = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ] as const;
    return this.rules.rigidGroups().map(({ sites }, group): RigidColumns => {
      const xyz = sites.map((i) => apply3(toCartesian, s.sites[i]!.position));
      const centre = scale(
        xyz.reduce((p, q) => add(p, q), [0, 0, 0] as Vec3),
        1 / sites.length,
      );
      const spread = (f: (r: Vec3) => Vec3): number =>
        this.builder.add(
          sites.flatMap((i, m) =>
            apply3(toFractional, f(subtract(xyz[m]!, centre))).map((x, k) => [siteOffset(i) + k, x] as const),
          ),
        );
      const column = spread(() => unit[0]);
      spread(() => unit[1]);
      spread(() => unit[2]);
      for (const axis of unit) spread((r) => cross(axis, r));
      // Sites outside the group that share the place of one inside go with it.
      for (const i of sites) this.copyRows(i, group, new Set(sites));
      return { sites, column };
    });
  }

  private copyRows(leader: number, group: number, inside: ReadonlySet<number>): void {
    const driver = this.positions.driver(leader);
    if (driver.kind !== 'rigid' || driver.group !== group) return;
    const members = this.positions.classes.members(leader);
    // One leader a class, however many of its members the group holds.
    if (members.find((m) => inside.has(m)) !== leader) return;
    for (const m of members)
      if (!inside.has(m)) for (let k = 0; k < 3; k++) this.builder.follow(siteOffset(leader) + k, siteOffset(m) + k);
  }

  /** Members of free classes follow the one that stands for them; riding classes follow their parents'. */
  private followPositions(): void {
    const { classes } = this.positions;
    this.s.sites.forEach((_, i) => {
      const root = classes.of(i);
      if (root !== i && this.positions.driver(i).kind === 'free' && !this.isFixed(i))
        for (let k = 0; k < 3; k++) this.builder.follow(siteOffset(root) + k, siteOffset(i) + k);
    });
    for (const root of this.positions.followersInOrder()) {
      const d = this.positions.driver(root);
      if (d.kind !== 'follows') continue;
      for (const m of classes.members(root))
        for (let k = 0; k < 3; k++) this.builder.follow(siteOffset(d.site) + k, siteOffset(m) + k);
    }
  }

  private turningColumns(): void {
    const { s } = this;
    const toCartesian = orthogonalization(s.cell),
      toFractional = inverse3(toCartesian);
    for (const { group, parent, sites } of this.rules.hydrogens()) {
      if (group.hold !== 'rotating') continue;
      const turning = sites.filter((h) => this.positions.driver(h).kind === 'follows');
      const axis = turning.length ? turningAxis(s, parent, turning) : undefined;
      if (!axis) continue;
      const p = apply3(toCartesian, s.sites[parent]!.position);
      this.builder.add(
        turning.flatMap((h) =>
          apply3(toFractional, cross(axis, subtract(apply3(toCartesian, s.sites[h]!.position), p))).map(
            (x, k) => [siteOffset(h) + k, x] as const,
          ),
        ),
      );
    }
  }

  private followDisplacements(): void {
    const { classes } = this.displacements;
    const equivalent = equivalentCoefficients(this.s.cell);
    this.s.sites.forEach((_, i) => {
      const root = classes.of(i);
      if (root === i || this.displacements.driver(i).kind !== 'free' || this.isFixed(i)) return;
      for (let k = 0; k < 6; k++)
        this.builder.follow(siteOffset(root) + DISPLACEMENT + k, siteOffset(i) + DISPLACEMENT + k);
    });
    for (const root of this.displacements.followersInOrder()) {
      const d = this.displacements.driver(root);
      if (d.kind !== 'follows') continue;
      const from = siteOffset(d.site) + DISPLACEMENT;
      for (const m of classes.members(root)) {
        const to = siteOffset(m) + DISPLACEMENT;
        if (this.s.sites[d.site]!.displacement.kind === 'iso') this.builder.follow(from, to, d.factor);
        else equivalent.forEach((c, k) => this.builder.follow(from + k, to, c * d.factor));
      }
    }
  }
}

/** Constraint map of a structure: what site symmetry and the model's rules leave free. Throws Contradiction. */
export const compileConstraints = (s: Structure, free: FreeValues): CompiledConstraints =>
  new Compiler(s, free).compile();

/** The first contradiction among the rules of a model, in words; undefined where they can all hold. */
export function contradictionOf(s: Structure): string | undefined {
  if (!s.controls) return undefined;
  try {
    compileConstraints(s, { extinction: false });
    return undefined;
  } catch (e) {
    if (e instanceof Contradiction) return e.message;
    throw e;
  }
}

/** Sites whose positions are one, and the one that leads them: a held or rigid member before others, then the first. */
export function sharedPositions(s: Structure): { readonly leader: number; readonly members: readonly number[] }[] {
  const rules = new Rules(s);
  const classes = new Classes(s.sites.length);
  for (const { sites } of rules.constraints('shared position'))
    for (const i of sites.slice(1)) classes.join(sites[0]!, i);
  const first = new Set([...rules.holding('position'), ...rules.rigidGroups()].flatMap((r) => r.sites));
  return s.sites.flatMap((_, i) => {
    if (classes.of(i) !== i) return [];
    const members = classes.members(i);
    return members.length > 1 ? [{ leader: members.find((m) => first.has(m)) ?? i, members }] : [];
  });
}

/** Sites whose displacements are one. */
export function sharedDisplacements(s: Structure): { readonly leader: number; readonly members: readonly number[] }[] {
  const rules = new Rules(s);
  const classes = new Classes(s.sites.length);
  for (const { sites } of rules.constraints('shared displacement'))
    for (const i of sites.slice(1)) classes.join(sites[0]!, i);
  const held = new Set(rules.holding('displacement').flatMap((r) => r.sites));
  return s.sites.flatMap((_, i) => {
    if (classes.of(i) !== i) return [];
    const members = classes.members(i);
    return members.length > 1 ? [{ leader: members.find((m) => held.has(m)) ?? i, members }] : [];
  });
}

/** Sites whose displacement a rule holds as it is. */
export const heldDisplacements = (s: Structure): ReadonlySet<number> =>
  new Set(new Rules(s).holding('displacement').flatMap((f) => f.sites));

/** Sites whose occupancy a rule holds as it is. */
export const heldOccupancies = (s: Structure): ReadonlySet<number> =>
  new Set(new Rules(s).holding('occupancy').flatMap((f) => f.sites));

/** Axis about which the hydrogens of a parent turn: the mean direction of methyl-like groups, the bond for a single hydrogen. */
function turningAxis(s: Structure, parent: number, hydrogens: readonly number[]): Vec3 | undefined {
  const m = orthogonalization(s.cell);
  const p = apply3(m, s.sites[parent]!.position);
  const around = parentSurroundings(s, parent, s.sites[hydrogens[0]!]?.disorder);
  const first = around[0];
  if (first) return normalize(subtract(apply3(m, first.position), p));
  const sum = hydrogens.reduce((t, h) => add(t, subtract(apply3(m, s.sites[h]!.position), p)), [0, 0, 0] as Vec3);
  return norm(sum) > 0.2 ? normalize(sum) : undefined;
}
