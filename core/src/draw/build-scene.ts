/** From a structure, an extent and style rules to the layers of a scene. */
import { operatorOf, placeNumber, siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import { withBonding, type Bonding } from '../crystal/bonding.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { elementOf, isHydrogen, isMetal } from '../crystal/elements.ts';
import { applyOperator } from '../crystal/operator.ts';
import { displacementFrame, type Site, type Structure } from '../crystal/structure.ts';
import { proposedBonding } from '../geometry/bonding-proposal.ts';
import { bonds, bondsBySite, neighbourRef } from '../geometry/bonds.ts';
import { sharedPlaces } from '../geometry/coordination.ts';
import {
  apply3,
  eigenSymmetric3,
  inverse3,
  multiply3,
  norm,
  normalize,
  scale,
  subtract,
  type Mat3,
  type Vec3,
} from '../math/matrix3.ts';
import { firstCamera, type Size } from './camera.ts';
import { mixColours, PAPER_COLOURS, type SceneColours } from './colours.ts';
import { colouring, type ColourRule } from './colouring.ts';
import { atomsOfExtent, type Extent } from './extent.ts';
import { isMeasureLabel, labelling, type LabelRule, type MeasureLabel } from './label-rules.ts';
import { measureLabels } from './measure-labels.ts';
import { missingCorners, polyhedra, polyhedronRule, type PolyhedronRule } from './polyhedra.ts';
import {
  surfaceDistance,
  USUAL_LIGHT,
  type AtomPrimitive,
  type AtomShape,
  type BondPrimitive,
  type LabelPrimitive,
  type Layer,
  type LinePrimitive,
  type Scene,
} from './scene.ts';
import { matcherOf, resolveStyles, type AtomStyle, type BondLook, type StyleRule, type Which } from './style.ts';

export interface SceneWish {
  readonly extent: Extent;
  readonly rules: readonly StyleRule[];
  readonly showCell: boolean;
  readonly labels: LabelRule;
  readonly colours: SceneColours;
  /** By their elements where absent. */
  readonly colourBy?: ColourRule;
  /** As it is proposed where absent. */
  readonly bonding?: Bonding;
  readonly polyhedra?: readonly PolyhedronRule[];
  /** Atoms beside those of the extent. */
  readonly added?: readonly AtomRef[];
  /** Sites that are not full, or hold several kinds of atoms, are cut into sectors by their occupancies. */
  readonly sectors?: boolean;
  /** Labels by rules, later ones winning, instead of `labels`. */
  readonly labelRules?: readonly LabelWish[];
  /** Bonds that are not drawn, by their two atoms. */
  readonly withoutBonds?: readonly (readonly [AtomRef, AtomRef])[];
  /** Centres whose polyhedra are not drawn. */
  readonly withoutPolyhedra?: readonly AtomRef[];
}

/** What is written beside which atoms. */
export interface LabelWish {
  readonly which: Which;
  readonly others?: boolean;
  readonly say: LabelRule | MeasureLabel;
}

/** Radius in units of the r.m.s. displacement that encloses a probability: inverse of the chi distribution with three degrees of freedom, by bisection. */
export function probabilityRadius(probability: number): number {
  const inside = (r: number): number => {
    const n = 200,
      h = r / n;
    let sum = 0;
    for (let i = 0; i <= n; i++) {
      const x = i * h;
      sum += (i === 0 || i === n ? 0.5 : 1) * x * x * Math.exp(-0.5 * x * x);
    }
    return Math.sqrt(2 / Math.PI) * sum * h;
  };
  let low = 0.01,
    high = 6;
  for (let i = 0; i < 50; i++) {
    const mid = (low + high) / 2;
    if (inside(mid) < probability) low = mid;
    else high = mid;
  }
  return (low + high) / 2;
}

const sphereAxes = (r: number): [Vec3, Vec3, Vec3] => [
  [r, 0, 0],
  [0, r, 0],
  [0, 0, r],
];

const STICK_RADIUS = 0.08,
  LINE_RADIUS = 0.025;

/** Radius of a ball, Å, by element. */
const ballRadius = (element: string): number =>
  isHydrogen(element) ? 0.14 : 0.16 + 0.11 * elementOf(element).covalentRadius;

interface Form {
  readonly axes: readonly [Vec3, Vec3, Vec3];
  readonly shape: AtomShape;
}

const sphere = (r: number): Form => ({ axes: sphereAxes(r), shape: 'sphere' });

/** Shapes of the sites as they stand in the model; copies are turned. */
class Forms {
  private readonly known = new Map<AtomStyle, (Form | undefined)[]>();
  private readonly reach = new Map<number, number>();

  private readonly toCartesian: ReturnType<typeof displacementFrame>;

  constructor(s: Structure) {
    this.toCartesian = displacementFrame(s.cell);
  }

  /** `index` is the site's place in the structure. */
  of(site: Site, index: number, style: AtomStyle): Form {
    let ofStyle = this.known.get(style);
    if (!ofStyle) this.known.set(style, (ofStyle = []));
    return (ofStyle[index] ??= this.make(site, style));
  }

  private make(site: Site, style: AtomStyle): Form {
    switch (style.look) {
      case 'space-filling':
        return sphere(elementOf(site.element).vdwRadius * style.size);
      case 'sticks':
        return sphere(STICK_RADIUS * style.size);
      case 'lines':
        return sphere(LINE_RADIUS * style.size);
      case 'balls':
        return sphere(ballRadius(site.element) * style.size);
      case 'ellipsoids':
        return isHydrogen(site.element)
          ? sphere(ballRadius(site.element) * style.size)
          : this.ellipsoid(site, style.probability, !!style.open);
    }
  }

  private ellipsoid(site: Site, probability: number, open: boolean): Form {
    let k = this.reach.get(probability);
    if (k === undefined) this.reach.set(probability, (k = probabilityRadius(probability)));
    const d = site.displacement;
    const length = (u: number): number => k * Math.sqrt(Math.max(1e-4, u));
    if (d.kind === 'iso') return { axes: sphereAxes(length(d.u)), shape: d.u <= 0 ? 'cube' : 'sphere' };
    const { values, vectors } = eigenSymmetric3(this.toCartesian(d.u));
    const axis = (i: 0 | 1 | 2): Vec3 => scale(vectors[i], length(values[i]));
    return {
      axes: [axis(0), axis(1), axis(2)],
      shape: values[0] <= 0 ? 'cube' : open ? 'open ellipsoid' : 'ellipsoid',
    };
  }
}

/** Cartesian rotations of the group's operators: M R M⁻¹. */
function cartesianRotations(s: Structure): (operator: number) => Mat3 {
  const m = orthogonalization(s.cell),
    inverse = inverse3(m);
  const known = new Map<number, Mat3>();
  return (operator) => {
    let r = known.get(operator);
    if (!r) {
      const o = operatorOf(s.spaceGroup, { operator, shift: [0, 0, 0] });
      known.set(operator, (r = multiply3(m, multiply3(o.r, inverse))));
    }
    return r;
  };
}

interface DrawnAtom {
  readonly primitive: AtomPrimitive;
  readonly site: Site;
  readonly style: AtomStyle;
}

/** Colour of the part of a place that nobody holds. */
const EMPTY_SHARE = '#ffffff';

/** Who holds a share of a place; nobody where the index is undefined. */
interface ShareOfPlace {
  readonly index: number | undefined;
  readonly share: number;
}

/** By site: undefined where it holds its place alone and whole, its sectors where it leads, else who is drawn by another. */
function sharesOfPlaces(s: Structure): (readonly ShareOfPlace[] | 'of another' | undefined)[] {
  return sharedPlaces(s).map((here, i) => {
    if (s.sites[i]!.occupancy >= 1) return undefined;
    if (here[0] !== i) return 'of another';
    const held = here.map((index) => ({ index, share: s.sites[index]!.occupancy }));
    const left = 1 - held.reduce((sum, x) => sum + x.share, 0);
    return left > 0.005 ? [...held, { index: undefined, share: left }] : held;
  });
}

function drawAtoms(s: Structure, refs: readonly AtomRef[], wish: SceneWish): DrawnAtom[] {
  const m = orthogonalization(s.cell);
  const styleOf = resolveStyles(s, wish.rules);
  const forms = new Forms(s);
  const rotation = cartesianRotations(s);
  const index = siteIndices(s);
  const plainColour = colouring(s, wish.colourBy ?? 'element', wish.colours);
  const shares = wish.sectors ? sharesOfPlaces(s) : undefined;
  const out: DrawnAtom[] = [];
  for (const ref of refs) {
    const place = index.get(ref.site)!;
    const site = s.sites[place]!;
    const style = styleOf(ref, site);
    const shared = shares?.[place];
    if (style.hidden || shared === 'of another') continue;
    const form = forms.of(site, place, style);
    const turned =
      form.shape === 'sphere' || ref.operator === 0
        ? form.axes
        : (form.axes.map((v) => apply3(rotation(ref.operator), v)) as unknown as AtomPrimitive['axes']);
    const colourOf = (of: Site, look: AtomStyle): string => look.colour ?? plainColour({ ...ref, site: of.id }, of);
    const plain = form.shape === 'cube' ? wish.colours.vermilion : colourOf(site, style);
    const fadedOf = (colour: string): string =>
      style.fade ? mixColours(colour, wish.colours.ground, style.fade) : colour;
    out.push({
      site,
      style,
      primitive: {
        ref,
        position: apply3(m, applyOperator(operatorOf(s.spaceGroup, ref), site.position)),
        element: site.element,
        label: site.label,
        colour: fadedOf(plain),
        axes: turned,
        shape: form.shape,
        opacity: style.opacity,
        ...(shared
          ? {
              sectors: shared.map(({ index: i, share }) => ({
                share,
                colour:
                  i === undefined
                    ? EMPTY_SHARE
                    : fadedOf(colourOf(s.sites[i]!, styleOf({ ...ref, site: s.sites[i]!.id }, s.sites[i]!))),
              })),
            }
          : {}),
      },
    });
  }
  return out;
}

function bondRadius(p: DrawnAtom, q: DrawnAtom): number {
  if (p.style.look === 'lines' || q.style.look === 'lines') return LINE_RADIUS * Math.min(p.style.size, q.style.size);
  if (p.style.look === 'sticks' || q.style.look === 'sticks')
    return STICK_RADIUS * Math.min(p.style.size, q.style.size);
  if (p.site.element === 'H' || q.site.element === 'H') return 0.05;
  return p.style.fade || q.style.fade ? 0.045 : 0.08;
}

/** The colour of a bond's half beside an atom of a colour. */
function palerColours(): (colour: string) => string {
  const known = new Map<string, string>();
  return (colour) => {
    let pale = known.get(colour);
    if (pale === undefined) known.set(colour, (pale = mixColours(colour, '#ffffff', 0.25)));
    return pale;
  };
}

/** Å: bond lengths from short to long, as colours from one to the other. */
const LENGTH_COLOURS = ['#2b7f8c', '#c9c3b4', '#c8452b'] as const;

/** The colour of each length between the shortest and the longest of its kind. */
function lengthColours(lengths: readonly number[]): (length: number) => string {
  const least = Math.min(...lengths),
    most = Math.max(...lengths);
  return (length) => {
    const share = most - least > 1e-6 ? (length - least) / (most - least) : 0.5;
    return share < 0.5
      ? mixColours(LENGTH_COLOURS[0], LENGTH_COLOURS[1], 2 * share)
      : mixColours(LENGTH_COLOURS[1], LENGTH_COLOURS[2], 2 * share - 1);
  };
}

/** Share of the way to the surface of an open ellipsoid that its bonds leave out. */
const INTO = 0.97;

/** What of a bond would be seen within open ellipsoids at its ends. */
function skipOpen(p: AtomPrimitive, q: AtomPrimitive): Pick<BondPrimitive, 'skip'> {
  if (p.shape !== 'open ellipsoid' && q.shape !== 'open ellipsoid') return {};
  const along = normalize(subtract(q.position, p.position));
  const skip = (a: AtomPrimitive): number => (a.shape === 'open ellipsoid' ? INTO * surfaceDistance(a.axes, along) : 0);
  return { skip: [skip(p), skip(q)] };
}

/** Colours of bonds by what is bonded. */
const KIND_COLOURS = {
  metals: '#23456b',
  'to a metal': '#a9761a',
  'to hydrogen': '#b9b3a4',
  plain: '#4a545c',
} as const;
export type BondKind = keyof typeof KIND_COLOURS;

export function bondKind(p: string, q: string): BondKind {
  if (isHydrogen(p) || isHydrogen(q)) return 'to hydrogen';
  const metals = Number(isMetal(p)) + Number(isMetal(q));
  return metals === 2 ? 'metals' : metals ? 'to a metal' : 'plain';
}

/** Colours of a bond that do not come from its atoms; undefined where they do. */
function plainColours(look: BondLook | undefined, p: Site, q: Site): [string, string] | undefined {
  if (look?.colouring === 'plain') return [look.colour, look.colour];
  if (look?.colouring !== 'kind') return undefined;
  const colour = KIND_COLOURS[bondKind(p.element, q.element)];
  return [colour, colour];
}

/** How a bond between two atoms looks: as the later of the rules of either end. */
function bondLook(p: AtomStyle, q: AtomStyle): BondLook | undefined {
  if (!p.bonds || !q.bonds) return p.bonds ?? q.bonds;
  return (p.bondRank ?? 0) >= (q.bondRank ?? 0) ? p.bonds : q.bonds;
}

/** Å: dashes of bonds at sites that are not full, and of those drawn dashed. */
const BOND_DASH = 0.16;

const pairKey = (s: Structure, p: AtomRef, q: AtomRef): string => `${placeNumber(s, p)} ${placeNumber(s, q)}`;

/** Bonds of the model between atoms that are drawn, each once. */
function drawBonds(s: Structure, drawn: readonly DrawnAtom[], wish: SceneWish): BondPrimitive[] {
  const left = new Set((wish.withoutBonds ?? []).flatMap(([p, q]) => [pairKey(s, p, q), pairKey(s, q, p)]));
  const at = new Map(drawn.map((a, i) => [placeNumber(s, a.primitive.ref), i]));
  const bySite = bondsBySite(s, bonds(s));
  const index = siteIndices(s);
  const pale = palerColours();
  const out: BondPrimitive[] = [];
  const byLength: number[] = [];
  drawn.forEach((a, i) => {
    if (a.style.look === 'space-filling') return;
    for (const b of bySite[index.get(a.site.id)!]!) {
      const j = at.get(placeNumber(s, neighbourRef(s, b, a.primitive.ref)));
      if (j === undefined || j <= i || drawn[j]!.style.look === 'space-filling') continue;
      const other = drawn[j]!;
      const look = bondLook(a.style, other.style);
      if (look?.hidden || (left.size && left.has(pairKey(s, a.primitive.ref, other.primitive.ref)))) continue;
      if (look?.colouring === 'length') byLength.push(out.length);
      const isPartial = a.site.occupancy < 1 || other.site.occupancy < 1;
      const isDashed = look?.dashes === 'all' || (look?.dashes === 'partial' && isPartial);
      out.push({
        from: a.primitive.position,
        to: other.primitive.position,
        colours: plainColours(look, a.site, other.site) ?? [pale(a.primitive.colour), pale(other.primitive.colour)],
        radius: bondRadius(a, other) * (look?.size ?? 1),
        opacity: Math.min(a.primitive.opacity, other.primitive.opacity),
        atoms: [i, j],
        ...(isDashed ? { dash: BOND_DASH } : {}),
        ...(look?.hollow ? { inner: wish.colours.ground } : {}),
        ...skipOpen(a.primitive, other.primitive),
      });
    }
  });
  const lengthOf = (b: BondPrimitive): number => norm(subtract(b.to, b.from));
  const colourOf = lengthColours(byLength.map((i) => lengthOf(out[i]!)));
  for (const i of byLength) {
    const colour = colourOf(lengthOf(out[i]!));
    out[i] = { ...out[i]!, colours: [colour, colour] };
  }
  return out;
}

/** The twelve edges of the cell, the axes in their colours, and the letters at their ends. */
function cellLayers(s: Structure, colours: SceneColours): Layer[] {
  const m = orthogonalization(s.cell);
  const corner = (x: number, y: number, z: number): Vec3 => apply3(m, [x, y, z]);
  const axisColours = [colours.vermilion, colours.pine, colours.indigo];
  const lines: LinePrimitive[] = [];
  const edge = (from: Vec3, to: Vec3, axis: number, isAxis: boolean): void => {
    lines.push({
      from,
      to,
      colour: isAxis ? axisColours[axis]! : colours.soft,
      width: 1,
      opacity: isAxis ? 1 : 0.45,
    });
  };
  for (const i of [0, 1])
    for (const j of [0, 1]) {
      edge(corner(0, i, j), corner(1, i, j), 0, !i && !j);
      edge(corner(i, 0, j), corner(i, 1, j), 1, !i && !j);
      edge(corner(i, j, 0), corner(i, j, 1), 2, !i && !j);
    }
  const letter = (text: string, at: Vec3): LabelPrimitive => ({
    text,
    at,
    colour: colours.ink,
    clear: 0,
    weight: 2000,
  });
  const labels = [
    letter('o', [0, 0, 0]),
    ...['a', 'b', 'c'].map((n, k) => letter(n, corner(k === 0 ? 1.03 : 0, k === 1 ? 1.03 : 0, k === 2 ? 1.03 : 0))),
  ];
  return [
    { kind: 'lines', name: 'cell', items: lines },
    { kind: 'labels', name: 'cell', items: labels },
  ];
}

/** Beyond so many atoms hardly a label finds a free place, and looking for one at every turn takes time. */
const MOST_LABELS = 3000;

/** A label beside an atom. */
export const atomLabel = (a: AtomPrimitive, colour: string, weight = 0): LabelPrimitive => ({
  text: a.label,
  at: a.position,
  colour,
  clear: 0.9 * Math.max(...a.axes.map((v) => Math.hypot(...v))),
  weight,
  ref: a.ref,
});

/** The atoms of an extent and further ones, each place once. */
function withAdded(s: Structure, atoms: readonly AtomRef[], added: readonly AtomRef[]): readonly AtomRef[] {
  if (!added.length) return atoms;
  const index = siteIndices(s);
  const have = new Set(atoms.map((a) => placeNumber(s, a)));
  const more = added.filter((a) => {
    if (!index.has(a.site)) return false;
    const place = placeNumber(s, a);
    return !have.has(place) && have.add(place);
  });
  return [...atoms, ...more];
}

/** Labels beside atoms, by rules of which the last that speaks of an atom holds. */
function atomLabels(s: Structure, drawn: readonly DrawnAtom[], wish: SceneWish): LabelPrimitive[] {
  const rules = wish.labelRules ?? [{ which: { kind: 'all' as const }, say: wish.labels }];
  const ways = rules
    .flatMap((r) => (isMeasureLabel(r.say) ? [] : [{ holds: matcherOf(s, r), textOf: labelling(s, r.say) }]))
    .reverse();
  return drawn.flatMap(({ primitive, site }): LabelPrimitive[] => {
    const text = ways.find(({ holds }) => holds(primitive.ref, site))?.textOf(primitive.ref, site);
    return text === undefined ? [] : [{ ...atomLabel(primitive, wish.colours.ink), text }];
  });
}

/** All labels, where they are few enough to be read. */
function labelLayer(
  s: Structure,
  drawn: readonly DrawnAtom[],
  drawnBonds: readonly BondPrimitive[],
  wish: SceneWish,
): Layer[] {
  const says = (wish.labelRules ?? [{ say: wish.labels }]).filter((r) => r.say !== 'none');
  if (!says.length || drawn.length > MOST_LABELS) return [];
  const measured = (wish.labelRules ?? []).flatMap((r) =>
    isMeasureLabel(r.say) ? measureLabels(r.say, matcherOf(s, r), drawn, drawnBonds, wish.colours.ink) : [],
  );
  return [{ kind: 'labels', name: 'model', items: [...atomLabels(s, drawn, wish), ...measured] }];
}

/**
 * Layers of a structure: atoms, bonds, polyhedra, cell, labels; bonds as the wish says, else as they are proposed. Throws
 * RangeError where the extent holds too many atoms to draw.
 */
export function buildLayers(plain: Structure, wish: SceneWish): Layer[] {
  const s = withBonding(plain, wish.bonding ?? proposedBonding(plain));
  const rules = wish.polyhedra ?? [];
  const refs = withAdded(s, atomsOfExtent(s, wish.extent), wish.added ?? []);
  const all = drawAtoms(s, [...refs, ...missingCorners(s, refs, rules)], wish);
  const ruleOf = polyhedronRule(s, rules);
  const drawn = rules.length ? all.filter((d) => ruleOf(d.primitive.ref)?.showCentre !== false) : all;
  const bondItems = drawBonds(s, drawn, wish);
  const layers: Layer[] = [
    { kind: 'atoms', name: 'model', items: drawn.map((d) => d.primitive) },
    { kind: 'bonds', name: 'model', items: bondItems },
  ];
  if (rules.length) {
    const known = new Set(refs.map((a) => placeNumber(s, a)));
    for (const a of wish.withoutPolyhedra ?? []) known.delete(placeNumber(s, a));
    const centres = all.flatMap((d) => (known.has(placeNumber(s, d.primitive.ref)) ? [d.primitive] : []));
    layers.push({ kind: 'polyhedra', name: 'model', items: polyhedra(s, centres, rules) });
  }
  if (wish.showCell) layers.push(...cellLayers(s, wish.colours));
  return [...layers, ...labelLayer(s, drawn, bondItems, wish)];
}

/** A scene of its own, for a small picture or a file: the first look at what the wish shows. */
export function buildScene(s: Structure, wish: Partial<SceneWish>, size: Size): Scene {
  const whole: SceneWish = {
    extent: { kind: 'unique' },
    rules: [],
    showCell: false,
    labels: 'none',
    colours: PAPER_COLOURS,
    ...wish,
  };
  const layers = buildLayers(s, whole);
  return { layers, camera: firstCamera(layers, size), light: USUAL_LIGHT, ground: whole.colours.ground };
}
