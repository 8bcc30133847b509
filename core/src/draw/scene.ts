/**
 * The scene: a list of typed layers with resolved styles, a camera and a light. The interactive view, the vector file and
 * the ray-traced picture paint this list and nothing else. Cartesian Å; colours "#rrggbb".
 */
import type { AtomRef } from '../crystal/atom-ref.ts';
import { toVec3, type Mat3, type Vec3 } from '../math/matrix3.ts';

/** An open ellipsoid lacks the eighth between its half axes that faces the viewer. */
export type AtomShape = 'sphere' | 'ellipsoid' | 'open ellipsoid' | 'cube';

export interface AtomPrimitive {
  readonly ref: AtomRef;
  readonly position: Vec3;
  readonly element: string;
  readonly label: string;
  readonly colour: string;
  /** Columns: half axes, Å; a multiple of the identity for spheres. A cube stands for an impossible displacement. */
  readonly axes: readonly [Vec3, Vec3, Vec3];
  readonly shape: AtomShape;
  /** 0–1 */
  readonly opacity: number;
  /** Shares of a place that several hold, or that is not full: sectors about the line of sight, clockwise from above. */
  readonly sectors?: readonly Sector[];
}

export interface Sector {
  readonly colour: string;
  /** 0–1; those of an atom make one. */
  readonly share: number;
}

export interface BondPrimitive {
  readonly from: Vec3;
  readonly to: Vec3;
  /** Of the half at `from` and of the half at `to`. */
  readonly colours: readonly [string, string];
  /** Å */
  readonly radius: number;
  readonly opacity: number;
  /** Å: length of the dashes of partial bonds and contacts; whole where it is absent. */
  readonly dash?: number;
  /** Colour along its middle, where it is drawn hollow: its own is then that of its rims. */
  readonly inner?: string;
  /** Å from each end that is not drawn: what would stand in an open ellipsoid. */
  readonly skip?: readonly [number, number];
  /** Indices of the two atoms in the atoms layer of the same name. */
  readonly atoms?: readonly [number, number];
}

export interface PolyhedronPrimitive {
  readonly ref?: AtomRef;
  readonly vertices: readonly Vec3[];
  /** Corners of each face, counter-clockwise from outside, by index. */
  readonly faces: readonly (readonly number[])[];
  readonly colour: string;
  readonly opacity: number;
  readonly edgeColour: string;
  /** Pixels. */
  readonly edgeWidth: number;
}

export interface PlanePrimitive {
  readonly corners: readonly Vec3[];
  readonly colour: string;
  readonly opacity: number;
}

export interface LinePrimitive {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly colour: string;
  /** Pixels. */
  readonly width: number;
  readonly opacity: number;
  readonly dashed?: boolean;
}

export interface SurfacePrimitive {
  readonly positions: Float32Array;
  readonly indices: Uint32Array;
  readonly colour: string;
  /** Colour of its other side: where its triangles are seen clockwise. */
  readonly inside?: string;
  /** Red, green and blue of each vertex, 0–255, where they have colours of their own. */
  readonly shades?: Uint8Array;
  readonly opacity: number;
  /** The triangles' edges drawn over it, 0–1. */
  readonly mesh: number;
}

export interface PointPrimitive {
  readonly name: string;
  readonly position: Vec3;
  readonly colour: string;
  /** Å */
  readonly radius: number;
}

export interface LabelPrimitive {
  readonly text: string;
  readonly at: Vec3;
  readonly colour: string;
  /** Å kept free around the point. */
  readonly clear: number;
  /** Higher is placed first; depth decides among equals. */
  readonly weight: number;
  readonly ref?: AtomRef;
  /** Of the face it names: what is turned away, or seen edge-on, has no name. */
  readonly normal?: Vec3;
  /** Two atoms whose distance, or three whose angle it tells. */
  readonly measured?: readonly AtomRef[];
}

/** A symmetry element cut to the cell: a polygon, two ends, or one point. */
export interface ElementPrimitive {
  /** Its words, by which it is picked. */
  readonly name: string;
  readonly points: readonly Vec3[];
  readonly colour: string;
  readonly picked: boolean;
  /** Planes: segments of the hatching, ends in turn, x y z. */
  readonly hatching?: Float32Array;
}

export interface ArrowPrimitive {
  readonly from: Vec3;
  readonly to: Vec3;
  readonly colour: string;
  /** Å */
  readonly radius: number;
}

/** What a layer is called: "model" holds the atoms that can be picked. */
export type LayerName =
  | 'model'
  | 'ghost'
  | 'selection'
  | 'cell'
  | 'density'
  | 'symmetry'
  | 'measures'
  | 'maxima'
  | 'faces'
  | 'pores'
  | 'contacts'
  | 'wishes'
  | 'surroundings';

export type Layer =
  | { readonly kind: 'atoms'; readonly name: LayerName; readonly items: readonly AtomPrimitive[] }
  | { readonly kind: 'halos'; readonly name: LayerName; readonly items: readonly AtomPrimitive[] }
  | { readonly kind: 'bonds'; readonly name: LayerName; readonly items: readonly BondPrimitive[] }
  | { readonly kind: 'polyhedra'; readonly name: LayerName; readonly items: readonly PolyhedronPrimitive[] }
  | { readonly kind: 'planes'; readonly name: LayerName; readonly items: readonly PlanePrimitive[] }
  | { readonly kind: 'lines'; readonly name: LayerName; readonly items: readonly LinePrimitive[] }
  | { readonly kind: 'surfaces'; readonly name: LayerName; readonly items: readonly SurfacePrimitive[] }
  | { readonly kind: 'points'; readonly name: LayerName; readonly items: readonly PointPrimitive[] }
  | { readonly kind: 'labels'; readonly name: LayerName; readonly items: readonly LabelPrimitive[] }
  | { readonly kind: 'symmetry elements'; readonly name: LayerName; readonly items: readonly ElementPrimitive[] }
  | { readonly kind: 'arrows'; readonly name: LayerName; readonly items: readonly ArrowPrimitive[] };

export type LayerKind = Layer['kind'];
export type LayerItem<K extends LayerKind> = Extract<Layer, { kind: K }>['items'][number];

/** How depth is shown. */
export interface Optics {
  /** Degrees from the lower to the upper edge of the picture; 0 is a parallel projection. */
  readonly fieldOfView: number;
  /** Share by which the furthest atoms fade into the ground, 0–1. */
  readonly cue: number;
  /** Å before the target beyond which nothing is drawn, and behind it; absent where nothing is cut off. */
  readonly front?: number;
  readonly back?: number;
}

export interface Camera {
  /** Rows: the directions to the right, up and towards the viewer. */
  readonly rotation: Mat3;
  /** The point in the middle of the picture. */
  readonly target: Vec3;
  /** Å per pixel, in the plane of the target. */
  readonly scale: number;
  readonly optics?: Optics;
}

export interface Light {
  /** From the scene towards the light, in the viewer's axes. */
  readonly direction: Vec3;
  /** Share of light that falls from everywhere, 0–1. */
  readonly ambient: number;
}

export interface Scene {
  readonly layers: readonly Layer[];
  readonly camera: Camera;
  readonly light: Light;
  /** Colour of the ground. */
  readonly ground: string;
}

export const USUAL_LIGHT: Light = { direction: [-3, 5, 8], ambient: 0.45 };

/** Primitives of one kind, of all layers or of those of one name. */
export function itemsOf<K extends LayerKind>(
  layers: readonly Layer[],
  kind: K,
  name?: LayerName,
): readonly LayerItem<K>[] {
  const found = layers.filter((l) => l.kind === kind && (name === undefined || l.name === name));
  return (
    found.length === 1 ? found[0]!.items : found.flatMap((l) => l.items as readonly unknown[])
  ) as readonly LayerItem<K>[];
}

/** Share of a hollow bond's width, in its middle, that has its inner colour. */
export const HOLLOW = 0.7;

/** Which way each half axis of an ellipsoid must be taken to face the viewer; the half axes in the viewer's axes. */
export const openSigns = (axes: readonly [Vec3, Vec3, Vec3]): Vec3 => toVec3(axes.map((v) => (v[2] >= 0 ? 1 : -1)));

/** Share of white in the colour of what is seen inside an open ellipsoid. */
export const INSIDE_PALE = 0.5;

/** Å from the middle of an ellipsoid to its surface along a unit direction; its half axes stand at right angles. */
export function surfaceDistance(axes: readonly [Vec3, Vec3, Vec3], direction: Vec3): number {
  let sum = 0;
  for (const v of axes) {
    const square = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
    if (square < 1e-12) return 0;
    // |A⁻¹ d| = 1/r for principal axes.
    sum += ((v[0] * direction[0] + v[1] * direction[1] + v[2] * direction[2]) / square) ** 2;
  }
  return sum > 0 ? 1 / Math.sqrt(sum) : 0;
}

/** The ends of a bond without what is not drawn of it. */
export function shownEnds({ from, to, skip }: Pick<BondPrimitive, 'from' | 'to' | 'skip'>): readonly [Vec3, Vec3] {
  if (!skip) return [from, to];
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]);
  const at = (t: number): Vec3 => [0, 1, 2].map((k) => from[k]! + ((to[k]! - from[k]!) * t) / length) as never;
  return [at(Math.min(skip[0], length / 2)), at(length - Math.min(skip[1], length / 2))];
}
