/** The renderer-independent scene: structure and view options to primitives in Cartesian Å. Every painter paints this list. */
import { apply3, eigenSymmetric3, type Vec3 } from '../math/matrix3.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { isSymmetryGroup } from '../crystal/controls.ts';
import { applyOperator, IDENTITY, type Operator } from '../crystal/operator.ts';
import { allOperators } from '../crystal/space-group.ts';
import { displacementToCartesian, type Structure } from '../crystal/structure.ts';
import { bondLimit, bonds, composeExact, connectedUnit, type PlacedSite } from '../geometry/bonds.ts';
import { elementOf } from '../crystal/elements.ts';
import { elementColour } from './palette.ts';

/** Which part of the crystal is drawn. */
export type Extent = 'unit' | 'molecules' | 'cell';
export type AtomStyle = 'balls' | 'ellipsoids';

export interface ViewOptions {
  extent: Extent;
  style: AtomStyle;
  /** Probability inside the ellipsoids, 0–1. */
  probability: number;
  showHydrogen: boolean;
  showCell: boolean;
  /** Disorder groups left out, as "A.2". */
  hidden?: readonly string[];
  /** Drawn instead of the extent: a part grown by hand. */
  grown?: readonly PlacedSite[];
}

export interface SceneAtom {
  readonly site: number;
  readonly operator: Operator;
  readonly position: Vec3;
  readonly element: string;
  readonly label: string;
  readonly colour: string;
  /** Columns: half axes, Å; a multiple of the identity for balls. */
  readonly axes: readonly [Vec3, Vec3, Vec3];
  /** A displacement tensor that is not positive definite is drawn as a cube. */
  readonly impossible: boolean;
  /** True for the site as the model holds it, false for a copy. */
  readonly original: boolean;
  readonly ellipsoid: boolean;
  /** In a disorder group beyond the first. */
  readonly lesser: boolean;
}

export interface SceneBond {
  readonly from: number;
  readonly to: number;
  readonly radius: number;
}

export interface SceneLine {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly kind: 'a' | 'b' | 'c' | 'edge';
}

export interface Scene {
  readonly atoms: readonly SceneAtom[];
  readonly bonds: readonly SceneBond[];
  readonly lines: readonly SceneLine[];
  readonly centre: Vec3;
  readonly radius: number;
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

/** Sites and operators of an extent. */
export function placedSites(s: Structure, extent: Extent): PlacedSite[] {
  const unit = s.sites.map((_, site): PlacedSite => ({ site, operator: IDENTITY }));
  if (extent === 'unit') return unit;
  const key = (p: PlacedSite): string =>
    `${p.site}|${applyOperator(p.operator, s.sites[p.site]!.position)
      .map((x) => Math.round(x * 1000))
      .join()}`;
  const out = new Map<string, PlacedSite>();
  if (extent === 'molecules') {
    const list = bonds(s);
    for (const p of unit)
      if (!out.has(key(p)))
        for (const q of connectedUnit(s, list, p, Math.max(200, 6 * s.sites.length))) out.set(key(q), q);
    return [...out.values()];
  }
  const operators = allOperators(s.spaceGroup);
  const edge = 0.001;
  const list = bonds(s);
  const limit = Math.max(200, 8 * s.sites.length);
  const seen = new Set<string>();
  for (const p of unit) {
    if (seen.has(key(p))) continue;
    const piece = connectedUnit(s, list, p, limit);
    for (const q of piece) seen.add(key(q));
    // A molecule is placed whole, by its middle; a framework without end is cut at the faces, atom by atom.
    const pieces =
      piece.length < limit && piece.length > 1
        ? [piece]
        : unit.filter((q) => piece.some((r) => r.site === q.site)).map((q) => [q]);
    for (const group of pieces)
      for (const o of operators) {
        const moved = group.map((q) => ({ site: q.site, operator: composeExact(o, q.operator) }));
        const middle = [0, 1, 2].map(
          (k) =>
            moved.reduce((sum, q) => sum + applyOperator(q.operator, s.sites[q.site]!.position)[k]!, 0) / moved.length,
        );
        const base = middle.map((v) => -Math.floor(v + edge));
        // Lone sites on faces, edges and corners appear on every one of them.
        const choices = middle.map((v, i) =>
          group.length === 1 && Math.abs(v + base[i]!) < edge ? [base[i]!, base[i]! + 1] : [base[i]!],
        );
        for (const i of choices[0]!)
          for (const j of choices[1]!)
            for (const k of choices[2]!)
              for (const q of moved) {
                const placed = {
                  site: q.site,
                  operator: {
                    r: q.operator.r,
                    t: [q.operator.t[0] + i, q.operator.t[1] + j, q.operator.t[2] + k] as Vec3,
                  },
                };
                out.set(key(placed), isUnmoved(placed.operator) ? { site: q.site, operator: IDENTITY } : placed);
              }
      }
  }
  return [...out.values()];
}

const isUnmoved = (o: Operator): boolean =>
  o.r.every((x, i) => x === (i % 4 ? 0 : 1)) && o.t.every((t) => Math.abs(t) < 1e-9);

const BALL: Record<string, number> = { H: 0.14, D: 0.14 };

/** Builds the scene of a structure. */
export function buildScene(s: Structure, view: ViewOptions): Scene {
  const m = orthogonalization(s.cell);
  const k = probabilityRadius(view.probability);
  const unitAxes = s.sites.map((x): { axes: [Vec3, Vec3, Vec3]; impossible: boolean; ellipsoid: boolean } => {
    const hydrogen = x.element === 'H' || x.element === 'D';
    if (view.style === 'ellipsoids' && !hydrogen) {
      const r = x.displacement.kind === 'iso' ? k * Math.sqrt(Math.max(1e-4, x.displacement.u)) : 0;
      if (x.displacement.kind === 'iso')
        return {
          axes: [
            [r, 0, 0],
            [0, r, 0],
            [0, 0, r],
          ],
          impossible: x.displacement.u <= 0,
          ellipsoid: false,
        };
      return {
        axes: [
          [0, 0, 0],
          [0, 0, 0],
          [0, 0, 0],
        ],
        impossible: false,
        ellipsoid: true,
      };
    }
    const r = BALL[x.element] ?? 0.16 + 0.11 * elementOf(x.element).covalentRadius;
    return {
      axes: [
        [r, 0, 0],
        [0, r, 0],
        [0, 0, r],
      ],
      impossible: false,
      ellipsoid: false,
    };
  });
  const hidden = new Set(view.hidden ?? []);
  const places = (view.grown ?? placedSites(s, view.extent))
    .filter((p) => {
      const d = s.sites[p.site]?.disorder;
      return s.sites[p.site] && !(d && hidden.has(`${d.assembly}.${d.group}`));
    })
    .filter((p) => view.showHydrogen || !['H', 'D'].includes(s.sites[p.site]!.element));
  const atoms = places.map((p): SceneAtom => {
    const site = s.sites[p.site]!;
    let { axes, impossible } = unitAxes[p.site]!;
    const { ellipsoid } = unitAxes[p.site]!;
    if (ellipsoid && site.displacement.kind === 'aniso') {
      const u = displacementToCartesian(s.cell, site.displacement.u);
      // Turned with the copy: M R M⁻¹ acts on the eigenvectors.
      const e = eigenSymmetric3(u);
      impossible = e.values[0] <= 0;
      axes = e.vectors.map((v, i) => {
        const length = k * Math.sqrt(Math.max(1e-4, e.values[i]!));
        return rotateCartesian(m, p.operator, v.map((c) => c * length) as unknown as Vec3);
      }) as [Vec3, Vec3, Vec3];
    }
    return {
      site: p.site,
      operator: p.operator,
      position: apply3(m, applyOperator(p.operator, site.position)),
      element: site.element,
      label: site.label,
      colour: elementColour(site.element),
      axes,
      impossible,
      original: p.operator === IDENTITY,
      ellipsoid,
      lesser: !!site.disorder && !['1', '-1'].includes(site.disorder.group),
    };
  });
  const list = sceneBonds(atoms, s);
  const lines: SceneLine[] = [];
  if (view.showCell) {
    const corner = (x: number, y: number, z: number): Vec3 => apply3(m, [x, y, z]);
    for (const i of [0, 1])
      for (const j of [0, 1]) {
        lines.push(
          { from: corner(0, i, j), to: corner(1, i, j), kind: i || j ? 'edge' : 'a' },
          { from: corner(i, 0, j), to: corner(i, 1, j), kind: i || j ? 'edge' : 'b' },
          { from: corner(i, j, 0), to: corner(i, j, 1), kind: i || j ? 'edge' : 'c' },
        );
      }
  }
  const focus = atoms.length ? atoms.map((a) => a.position) : lines.flatMap((l) => [l.from, l.to]);
  const centre = [0, 1, 2].map(
    (i) => focus.reduce((sum, p) => sum + p[i]!, 0) / Math.max(1, focus.length),
  ) as unknown as Vec3;
  const radius =
    Math.max(
      3,
      ...(view.extent === 'cell' ? lines.flatMap((l) => [l.from, l.to]) : [])
        .concat(focus)
        .map((p) => Math.hypot(p[0] - centre[0], p[1] - centre[1], p[2] - centre[2])),
    ) + 1;
  return { atoms, bonds: list, lines, centre, radius };
}

function rotateCartesian(m: readonly number[], o: Operator, v: Vec3): Vec3 {
  if (o === IDENTITY) return v;
  // Upper-triangular inverse by back substitution.
  const z = v[2] / m[8]!,
    y = (v[1] - m[5]! * z) / m[4]!,
    x = (v[0] - m[1]! * y - m[2]! * z) / m[0]!;
  return apply3(m as never, apply3(o.r, [x, y, z]));
}

const operatorName = (o: Operator): string => `${o.r.join()}|${o.t.map((x) => x.toFixed(3)).join()}`;

/** Bonds between drawn atoms, found in boxes so that thousands of atoms stay quick. */
function sceneBonds(atoms: readonly SceneAtom[], s: Structure): SceneBond[] {
  const out: SceneBond[] = [];
  const size = 3.2;
  const boxes = new Map<string, number[]>();
  const limits = new Map<string, number>();
  const boxOf = (p: Vec3): [number, number, number] => [
    Math.floor(p[0] / size),
    Math.floor(p[1] / size),
    Math.floor(p[2] / size),
  ];
  atoms.forEach((a, i) => {
    const [x, y, z] = boxOf(a.position);
    for (let u = -1; u <= 1; u++)
      for (let v = -1; v <= 1; v++)
        for (let w = -1; w <= 1; w++)
          for (const j of boxes.get(`${x + u},${y + v},${z + w}`) ?? []) {
            const b = atoms[j]!;
            const pair = `${a.element}|${b.element}`;
            let limit = limits.get(pair);
            if (limit === undefined) limits.set(pair, (limit = bondLimit(a.element, b.element)));
            const d2 =
              (a.position[0] - b.position[0]) ** 2 +
              (a.position[1] - b.position[1]) ** 2 +
              (a.position[2] - b.position[2]) ** 2;
            if (d2 > limit * limit || d2 < 0.25) continue;
            const p = s.sites[a.site]!.disorder,
              q = s.sites[b.site]!.disorder;
            if (
              p &&
              q &&
              p.assembly === q.assembly &&
              (p.group !== q.group ||
                (isSymmetryGroup(p.group) && operatorName(a.operator) !== operatorName(b.operator)))
            )
              continue;
            out.push({
              from: j,
              to: i,
              radius: a.element === 'H' || b.element === 'H' ? 0.05 : a.lesser || b.lesser ? 0.045 : 0.08,
            });
          }
    const key = `${x},${y},${z}`;
    const list = boxes.get(key);
    if (list) list.push(i);
    else boxes.set(key, [i]);
  });
  return out;
}
