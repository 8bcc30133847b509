/** What Depict takes: a figure as a vector file, its drawing, channels, and tracing a piece of a large picture. */
import { drawFigure, drawnLayers } from '@nagare/core/depict/draw-figure';
import type { Figure } from '@nagare/core/depict/figure';
import { labelShapes } from '@nagare/core/depict/label-shapes';
import { figureSvg } from '@nagare/core/depict/page';
import { sceneOfPanel, sizeOfPanel } from '@nagare/core/depict/panel-scene';
import { roughWidth } from '@nagare/core/depict/shapes';
import { figureFrom, TEMPLATES } from '@nagare/core/depict/templates';
import { enlargedScene, fullOptions, PREVIEW, Tracer, type TraceOptions } from '@nagare/core/draw/ray-trace';
import { itemsOf } from '@nagare/core/draw/scene';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { straightChannels } from '@nagare/core/geometry/channels';
import { porousFramework, tunnelOxide } from '../../demo/src/structures.ts';

type Time = (f: () => unknown, times?: number) => Promise<number>;
type Say = (what: string, ms: number, reference: string, base: number) => void;

/** Pixels a side of a piece of a traced picture, and every which piece is timed: a prime, so that all columns are met. */
const PIECE = 160,
  EVERY = 23;

/** The oxide over three by three cells: some 400 atoms and 100 polyhedra. */
function crowded(): Figure {
  const figure = figureFrom(tunnelOxide(), 'polyhedra');
  return {
    ...figure,
    drawings: figure.drawings.map((d) => ({ ...d, extent: { kind: 'block', from: [0, 0, 0], to: [3, 3, 1] } })),
  };
}

export async function depictLines(time: Time, say: Say): Promise<void> {
  const s = tunnelOxide();
  const { figure, scenes } = drawFigure(crowded(), s);
  const [scene] = scenes;
  const atoms = itemsOf(scene!.layers, 'atoms', 'model').length,
    polyhedra = itemsOf(scene!.layers, 'polyhedra').length;
  const many = `${atoms} atoms and ${polyhedra} polyhedra`;
  const drawn = await time(() => drawnLayers({ ...s }, figure.drawings[0]!, figure), 5);
  const against = 'drawing them';
  say(`SVG of ${many}`, await time(() => figureSvg(figure, scenes), 5), against, drawn);
  const labelled = {
    ...figure,
    drawings: figure.drawings.map((d) => ({
      ...d,
      labels: [{ id: 'l', on: true, which: { kind: 'all' as const }, say: 'element' as const }],
    })),
  };
  const named = drawFigure(labelled, s).scenes[0]!;
  say(`labels of ${atoms} atoms placed`, await time(() => labelShapes(labelled, named, roughWidth), 5), against, drawn);
  say('channels of that oxide', await time(() => straightChannels(bonded(tunnelOxide())), 3), against, drawn);
  say('channels of 424 atoms', await time(() => straightChannels(bonded(porousFramework())), 2), against, drawn);
  for (const template of TEMPLATES)
    say(
      `a figure begun: ${template.name}`,
      await time(() => drawFigure(figureFrom(s, template.id), s), 2),
      against,
      drawn,
    );
  const traced = async (width: number, options: TraceOptions): Promise<number> => {
    const size = { width, height: 0.75 * width };
    const tracer = new Tracer(
      enlargedScene(sceneOfPanel(figure, scene!), width / sizeOfPanel(scene!.panel).width),
      size,
      options,
    );
    let pixels = 0,
      k = 0;
    const began = performance.now();
    for (let y = 0; y < size.height; y += PIECE)
      for (let x = 0; x < width; x += PIECE) {
        if (width > 1000 && k++ % EVERY) continue;
        const tile = { x, y, width: Math.min(PIECE, width - x), height: Math.min(PIECE, size.height - y) };
        tracer.tile(tile);
        pixels += tile.width * tile.height;
      }
    return ((performance.now() - began) * width * size.height) / pixels;
  };
  await traced(640, PREVIEW);
  say(`the preview of ${many} by rays, one core`, await traced(640, PREVIEW), against, drawn);
  say(`4 000 × 3 000 of ${many} by rays, one core`, await traced(4000, fullOptions(4000)), against, drawn);
}
