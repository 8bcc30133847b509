/** `depict` of the terminal: a picture of a crystal, as vectors or by tracing rays. */
import { readFileSync, writeFileSync } from 'node:fs';
import { encode } from 'fast-png';
import { z } from 'zod';
import type { Structure } from '@nagare/core/crystal/structure';
import { figureScene, type Figure } from '@nagare/core/draw/figure';
import { FULL, Tracer, type TraceOptions } from '@nagare/core/draw/ray-trace';
import { itemsOf, type Scene } from '@nagare/core/draw/scene';
import { paintSvg } from '@nagare/core/draw/svg';
import { BadInput, numberOption, type Answer, type Options, type Say } from './answers.ts';

const figureSchema = z.strictObject({
  view: z.string().optional(),
  extent: z.string().optional(),
  style: z.array(z.string()).optional(),
  hide: z.array(z.string()).optional(),
  ground: z
    .string()
    .regex(/^#[0-9a-f]{6}$/i)
    .optional(),
});

/** Without --rays: plainly lit, no shadows. */
const PLAIN: TraceOptions = { ...FULL, shadows: 0, occlusion: 0 };
/** Height over width of the picture. */
const SHAPE = 0.75;
/** Pixel rows of one piece of work. */
const ROWS = 40;

function figureOf(options: Options): Figure {
  const path = options['figure'];
  let read: Figure = {};
  if (typeof path === 'string') {
    let parsed: unknown;
    try {
      parsed = JSON.parse(readFileSync(path, 'utf8'));
    } catch {
      throw new BadInput(`${path} cannot be read as JSON.`);
    }
    const found = figureSchema.safeParse(parsed);
    if (!found.success) {
      const { path: at, message } = found.error.issues[0]!;
      throw new BadInput(`${path} is no figure: ${at.join('.') || 'the whole'}: ${message}.`);
    }
    const { view, extent, style, hide, ground } = found.data;
    read = {
      ...(view === undefined ? {} : { view }),
      ...(extent === undefined ? {} : { extent }),
      ...(style === undefined ? {} : { style }),
      ...(hide === undefined ? {} : { hide }),
      ...(ground === undefined ? {} : { ground }),
    };
  }
  const { view, extent, style } = options;
  return {
    ...read,
    ...(typeof view === 'string' ? { view } : {}),
    ...(typeof extent === 'string' ? { extent } : {}),
    ...(typeof style === 'string' ? { style: [...(read.style ?? []), ...style.split(',')] } : {}),
  };
}

function traced(scene: Scene, size: { width: number; height: number }, options: TraceOptions, say: Say): Uint8Array {
  const tracer = new Tracer(scene, size, options);
  const data = new Uint8ClampedArray(4 * size.width * size.height);
  for (let y = 0; y < size.height; y += ROWS) {
    const height = Math.min(ROWS, size.height - y);
    data.set(tracer.tile({ x: 0, y, width: size.width, height }), 4 * size.width * y);
    say(`${Math.round((100 * (y + height)) / size.height)} % traced`);
  }
  return encode({ ...size, data, channels: 4, depth: 8 });
}

export function depictAnswer(s: Structure, options: Options, say: Say): Answer {
  const out = options['out'];
  const kind = typeof out === 'string' ? /\.(svg|png)$/i.exec(out)?.[1]?.toLowerCase() : undefined;
  if (typeof out !== 'string' || !kind) throw new BadInput('depict needs --out picture.svg or --out picture.png.');
  const width = Math.round(numberOption('width', options['width'] as string | undefined, 1200));
  if (width < 50 || width > 12000) throw new BadInput(`--width is from 50 to 12000 pixels, not ${width}.`);
  const size = { width, height: Math.round(width * SHAPE) };
  const scene = figureScene(s, figureOf(options), size);
  if (kind === 'svg') writeFileSync(out, paintSvg(scene, size));
  else writeFileSync(out, traced(scene, size, options['rays'] ? FULL : PLAIN, say));
  const atoms = itemsOf(scene.layers, 'atoms', 'model').length;
  const rays = kind === 'png' && !!options['rays'];
  return {
    json: { out, kind, ...size, atoms, polyhedra: itemsOf(scene.layers, 'polyhedra').length, rays },
    text: `${atoms} atoms drawn, ${size.width} × ${size.height}${rays ? ', with shadows' : ''}. Written to ${out}.`,
  };
}
