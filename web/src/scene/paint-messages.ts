/** What the page tells the worker that paints, and what it hears from it. */
import type { Size } from '@nagare/core/draw/camera';
import type { Camera } from '@nagare/core/draw/scene';
import type { SentLayer } from './packed-layers.ts';

/** From where, and onto what, one looks. */
export interface Look {
  readonly camera: Camera;
  /** Colour of the ground. */
  readonly ground: string;
  /** Nearest and furthest depth of what is shown, Å; far things fade in between. */
  readonly depth: { readonly near: number; readonly far: number };
}

export type PaintOrder =
  | { readonly kind: 'begin'; readonly canvas: OffscreenCanvas; readonly pixelRatio: number }
  /** The layers by their numbers, in order; those that are new are sent along. */
  | {
      readonly kind: 'show';
      readonly order: readonly number[];
      readonly made: readonly (readonly [number, SentLayer])[];
    }
  | { readonly kind: 'look'; readonly look: Look; readonly moved: boolean }
  | { readonly kind: 'size'; readonly size: Size }
  | { readonly kind: 'picture'; readonly request: number; readonly ground?: string; readonly labels?: ImageBitmap };

export type PaintNews =
  | { readonly kind: 'painted'; readonly camera: Camera }
  /** The browser offers no WebGL. */
  | { readonly kind: 'failed' }
  | { readonly kind: 'picture'; readonly request: number; readonly blob: Blob | undefined };
