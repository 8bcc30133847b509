/** `depict` of the terminal: a picture of a crystal, as vectors or by tracing rays. */
import { readFileSync } from 'node:fs';
import { encode } from 'fast-png';
import { z } from 'zod';
import type { Structure } from '@nagare/core/crystal/structure';
import { drawFigure } from '@nagare/core/depict/draw-figure';
import { PIXELS_PER_MM, type Figure } from '@nagare/core/depict/figure';
import { figureSvg } from '@nagare/core/depict/page';
import { tracedPage, tracedScene } from '@nagare/core/depict/traced-page';
import { unfitted } from '@nagare/core/depict/templates';
import { extentOfWords, figureScene, rotationOfView, type WordedFigure } from '@nagare/core/draw/figure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { figureSchema as savedFigureSchema } from '@nagare/core/tasks/figure-schemas';
import { FULL, fullOptions, type TraceOptions } from '@nagare/core/draw/ray-trace';
import { itemsOf } from '@nagare/core/draw/scene';
import { paintSvg } from '@nagare/core/draw/svg';
import { writeOut } from './answer-file.ts';
import { BadInput, numberOption, type Answer, type Options, type Say } from './answers.ts';
import { issuePhrase } from '@nagare/core/formats/issue-words';

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

/** A figure as the page saves it; its structures are left for the model that is named. */
const savedSchema = z.object({ format: z.literal('nagare figure'), version: z.literal(1), figure: savedFigureSchema });

function readJson(path: string): unknown {
  try {
    return JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    throw new BadInput(`${path} cannot be read as JSON.`);
  }
}

/** The figure of a file that the page saved, seen and cut as the options say; undefined where the file is in words. */
function savedFigure(s: Structure, options: Options): Figure | undefined {
  const path = options['figure'];
  if (typeof path !== 'string') return undefined;
  const parsed = readJson(path);
  if (!(parsed && typeof parsed === 'object' && 'format' in parsed)) return undefined;
  const found = savedSchema.safeParse(parsed);
  if (!found.success) {
    throw new BadInput(`${path} is no figure: ${issuePhrase(found.error, 'the whole')}.`);
  }
  const { figure } = found.data;
  const { view, extent } = options;
  const rotation = typeof view === 'string' ? rotationOfView(s, view) : undefined;
  const part = typeof extent === 'string' ? extentOfWords(extent) : undefined;
  const fitAnew = rotation || part;
  return {
    ...figure,
    drawings: part ? figure.drawings.map((d) => ({ ...d, extent: part })) : figure.drawings,
    panels: fitAnew
      ? figure.panels.map((p, i) => ({ ...p, view: unfitted(i === 0 && rotation ? rotation : p.view.rotation) }))
      : figure.panels,
  };
}

/** A saved figure as vectors, or its panels traced onto one page. */
function savedAnswer(s: Structure, saved: Figure, out: string, kind: string, options: Options, say: Say): Answer {
  const { figure, scenes } = drawFigure(saved, bonded(s));
  const page = figure.width * PIXELS_PER_MM;
  const width = widthOf(options, Math.round((page * figure.dpi) / 96));
  const size = { width, height: Math.round((figure.height * PIXELS_PER_MM * width) / page) };
  if (kind === 'svg') writeOut(out, figureSvg(figure, scenes));
  else {
    const traced = tracedPage(figure, scenes, width, options['rays'] ? fullOptions(width) : PLAIN, teller(say));
    writeOut(out, encode({ ...traced, channels: 4, depth: 8 }));
  }
  const atoms = scenes.reduce((n, x) => n + itemsOf(x.layers, 'atoms', 'model').length, 0);
  const polyhedra = scenes.reduce((n, x) => n + itemsOf(x.layers, 'polyhedra').length, 0);
  const rays = kind === 'png' && !!options['rays'];
  const without = kind === 'png' ? ' Letters and annotations are in the SVG only.' : '';
  return {
    json: { out, kind, ...size, panels: scenes.length, atoms, polyhedra, rays },
    text: `${figure.name}: ${scenes.length} ${scenes.length === 1 ? 'panel' : 'panels'}, ${atoms} atoms drawn, ${size.width} × ${size.height}. Written to ${out}.${without}`,
  };
}

function widthOf(options: Options, usual: number): number {
  const width = Math.round(numberOption('width', options['width'] as string | undefined, usual));
  if (width < 50 || width > 12000) throw new BadInput(`--width is from 50 to 12000 pixels, not ${width}.`);
  return width;
}

function figureOf(options: Options): WordedFigure {
  const path = options['figure'];
  let read: WordedFigure = {};
  if (typeof path === 'string') {
    const found = figureSchema.safeParse(readJson(path));
    if (!found.success) {
      throw new BadInput(`${path} is no figure: ${issuePhrase(found.error, 'the whole')}.`);
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

/** Tells how much of a picture is traced. */
const teller =
  (say: Say) =>
  (share: number): void =>
    say(`${Math.round(100 * share)} % traced`);

export function depictAnswer(s: Structure, options: Options, say: Say): Answer {
  const out = options['out'];
  const kind = typeof out === 'string' ? /\.(svg|png)$/i.exec(out)?.[1]?.toLowerCase() : undefined;
  if (typeof out !== 'string' || !kind) throw new BadInput('depict needs --out picture.svg or --out picture.png.');
  const saved = savedFigure(s, options);
  if (saved) return savedAnswer(s, saved, out, kind, options, say);
  const width = widthOf(options, 1200);
  const size = { width, height: Math.round(width * SHAPE) };
  const scene = figureScene(s, figureOf(options), size);
  if (kind === 'svg') writeOut(out, paintSvg(scene, size));
  else {
    const traced = tracedScene(scene, size, options['rays'] ? fullOptions(size.width) : PLAIN, teller(say));
    writeOut(out, encode({ ...traced, channels: 4, depth: 8 }));
  }
  const atoms = itemsOf(scene.layers, 'atoms', 'model').length;
  const rays = kind === 'png' && !!options['rays'];
  return {
    json: { out, kind, ...size, atoms, polyhedra: itemsOf(scene.layers, 'polyhedra').length, rays },
    text: `${atoms} atoms drawn, ${size.width} × ${size.height}${rays ? ', with shadows' : ''}. Written to ${out}.`,
  };
}
