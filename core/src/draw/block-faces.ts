/** The faces of a block of cells as handles: where they stand, and how far a drag across the screen moves one. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import { apply3, subtract, toVec3, type Vec3 } from '../math/matrix3.ts';
import { toViewer } from './camera.ts';
import type { SceneColours } from './colours.ts';
import type { Camera, Layer } from './scene.ts';

/** Two corners, fractional. */
export interface Block {
  readonly from: Vec3;
  readonly to: Vec3;
}

export interface BlockFace {
  readonly axis: 0 | 1 | 2;
  readonly end: 'from' | 'to';
  /** Cartesian middle of the face, Å. */
  readonly at: Vec3;
}

/** Cells: a block is never thinner than this. */
const THINNEST = 0.25;
/** A face goes in steps of this many cells, whole and half cells among them. */
const STEP = 0.25;
const FURTHEST = 20;

export function blockFaces(cell: Cell, block: Block): BlockFace[] {
  const m = orthogonalization(cell);
  const middle = block.from.map((x, k) => (x + block.to[k]!) / 2);
  return ([0, 1, 2] as const).flatMap((axis) =>
    (['from', 'to'] as const).map((end): BlockFace => {
      const x = toVec3(middle.map((v, k) => (k === axis ? block[end][k]! : v)));
      return { axis, end, at: apply3(m, x) };
    }),
  );
}

/**
 * The cells by which a face moves with a drag of so many pixels (y downwards): along its axis as the axis lies on the
 * screen. Zero where the axis points at the viewer.
 */
export function faceShift(cell: Cell, camera: Camera, axis: 0 | 1 | 2, dx: number, dy: number): number {
  const m = orthogonalization(cell);
  const along = subtract(apply3(m, [0, 1, 2].map((k) => (k === axis ? 1 : 0)) as never), [0, 0, 0]);
  const [u, v] = toViewer(camera, along);
  const square = (u * u + v * v) / camera.scale ** 2;
  // An axis seen on end cannot be dragged along.
  return square < 16 ? 0 : (dx * u - dy * v) / camera.scale / square;
}

/** The block with a face moved by cells, in steps, its other face staying behind it. */
export function movedFace(block: Block, { axis, end }: Pick<BlockFace, 'axis' | 'end'>, by: number): Block {
  const other = block[end === 'from' ? 'to' : 'from'][axis]!;
  const wanted = Math.round((block[end][axis]! + by) / STEP) * STEP;
  const kept = end === 'from' ? Math.min(wanted, other - THINNEST) : Math.max(wanted, other + THINNEST);
  const value = Math.max(-FURTHEST, Math.min(FURTHEST, kept));
  return { ...block, [end]: toVec3(block[end].map((x, k) => (k === axis ? value : x))) };
}

/** The handles as points to be drawn. */
export function faceLayer(cell: Cell, block: Block, colours: SceneColours): Layer {
  return {
    kind: 'points',
    name: 'faces',
    items: blockFaces(cell, block).map(({ at, axis, end }) => ({
      name: `${'abc'[axis]!} ${end}`,
      position: at,
      colour: [colours.vermilion, colours.pine, colours.indigo][axis]!,
      radius: 0.32,
    })),
  };
}
