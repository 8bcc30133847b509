/** Figures as vector files, made in a worker. */
import { useCallback } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Figure } from '@nagare/core/depict/figure';
import type { FigureFields } from '@nagare/core/depict/figure-surfaces';
import type { FigureSvgInput } from '@nagare/core/tasks/figure-tasks';
import { run } from '../../engine/engine.ts';
import { useProjectStore } from '../../store/use-project.tsx';
import { storedDefinitions } from '../relate/kept-definitions.ts';
import { figureFields } from './figure-fields.ts';
import { letterWidths } from './shape-canvas.ts';

export interface FigureContents {
  /** By drawing. */
  readonly structures: Record<string, Structure>;
  readonly maps: Record<string, FigureFields>;
}

/** What the drawings of a figure are of. Throws Error in words where a mark holds no structure, or no data for its density. */
export function useFigureContents(): (figure: Figure) => Promise<FigureContents> {
  const store = useProjectStore();
  return useCallback(
    async (figure) => {
      const { head, marks, contentOf } = store.getState();
      const out: FigureContents = { structures: {}, maps: {} };
      for (const d of figure.drawings) {
        const mark = marks.some((m) => m.id === d.mark) ? d.mark : head?.id;
        const content = mark === undefined ? undefined : await contentOf(mark);
        if (content?.kind !== 'structure') throw new Error('This mark holds no structure that could be drawn.');
        out.structures[d.id] = content.structure;
        out.maps[d.id] = await figureFields(store, mark!, d);
      }
      return out;
    },
    [store],
  );
}

/** What is drawn of a figure, as the workers take it. */
function useFigureInput(): (figure: Figure) => Promise<FigureSvgInput> {
  const contentsOf = useFigureContents();
  return useCallback(
    async (figure) => ({
      figure,
      ...(await contentsOf(figure)),
      definitions: storedDefinitions(),
      letters: letterWidths(),
    }),
    [contentsOf],
  );
}

/** A small picture of a figure, as the address of an image. */
export function useFigureThumb(): (figure: Figure) => Promise<string> {
  const inputOf = useFigureInput();
  return useCallback(
    async (figure) => {
      const { svg, raster } = await run('figure thumb', await inputOf(figure)).result;
      if (svg !== undefined) return `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
      const canvas = document.createElement('canvas');
      canvas.width = raster!.width;
      canvas.height = raster!.height;
      const pixels = new ImageData(new Uint8ClampedArray(raster!.data), raster!.width, raster!.height);
      canvas.getContext('2d')?.putImageData(pixels, 0, 0);
      return canvas.toDataURL();
    },
    [inputOf],
  );
}

export function useFigureSvg(): (figure: Figure) => Promise<string> {
  const inputOf = useFigureInput();
  return useCallback(async (figure) => run('figure svg', await inputOf(figure)).result, [inputOf]);
}
