/** What every part of an SVG picture is painted with: places, and the lights and cuts that pieces share. */
import { normalize, type Vec3 } from '../math/matrix3.ts';
import { project, type Size } from './camera.ts';
import { mixColours, shadeColour } from './colours.ts';
import { magnification } from './optics.ts';
import type { Scene } from './scene.ts';

/** A piece of the picture and how near it is, Å towards the viewer. */
export interface Piece {
  readonly depth: number;
  readonly text: string;
}

export type Axes = readonly [Vec3, Vec3, Vec3];

/** Light and shade without a colour of their own. */
export const SHARED_LIGHT = 'light';

export const number = (x: number): string => (Math.abs(x) < 5e-3 ? '0' : x.toFixed(2));

/** A paint bucket of one picture: camera, size, and the gradients used so far. */
export class Canvas {
  private readonly gradients = new Map<string, string>();
  private readonly clips: string[] = [];

  constructor(
    readonly scene: Scene,
    readonly size: Size,
    /** Before the names of gradients, where several pictures share a file. */
    private readonly prefix = '',
  ) {}

  /** Where a point stands, and what an Å is there in pixels. */
  at(p: Vec3): { x: number; y: number; depth: number; zoom: number } {
    const { camera } = this.scene;
    const place = project(camera, this.size, p);
    return { ...place, zoom: magnification(camera, this.size, place.depth) / camera.scale };
  }

  /** A radial gradient that lights a ball of this colour (of what lies under it: `SHARED_LIGHT`); its id. */
  lit(colour: string): string {
    const known = this.gradients.get(colour);
    if (known) return known;
    const id = `${this.prefix}lit${this.gradients.size}`;
    this.gradients.set(colour, id);
    return id;
  }

  /** A shape that others are cut to; its id. */
  clip(d: string): string {
    const id = `${this.prefix}cut${this.clips.length}`;
    this.clips.push(`<clipPath id="${id}"><path d="${d}"/></clipPath>`);
    return id;
  }

  /** Definitions of all gradients and cuts that were asked for. */
  definitions(): string {
    const [x, y] = normalize(this.scene.light.direction);
    const fx = number(0.5 + 0.28 * x),
      fy = number(0.5 - 0.28 * y);
    const lights = [...this.gradients]
      .map(([colour, id]) =>
        colour === SHARED_LIGHT
          ? `<radialGradient id="${id}" cx="${fx}" cy="${fy}" r="0.75"><stop offset="0" stop-color="#ffffff" stop-opacity="0.3"/><stop offset="0.55" stop-color="#ffffff" stop-opacity="0"/><stop offset="0.55" stop-color="#000000" stop-opacity="0"/><stop offset="1" stop-color="#000000" stop-opacity="0.38"/></radialGradient>`
          : `<radialGradient id="${id}" cx="${fx}" cy="${fy}" r="0.75"><stop offset="0" stop-color="${mixColours(colour, '#ffffff', 0.3)}"/><stop offset="0.55" stop-color="${colour}"/><stop offset="1" stop-color="${shadeColour(colour, 0.62)}"/></radialGradient>`,
      )
      .join('');
    return lights + this.clips.join('');
  }
}
