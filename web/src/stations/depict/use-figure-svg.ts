/** Figures as vector files, made in a worker. */
import { useCallback } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Figure } from '@nagare/core/depict/figure';
import type { FigureMaps } from '@nagare/core/depict/figure-surfaces';
import { run } from '../../engine/engine.ts';
import { useProjectStore } from '../../store/use-project.tsx';
import { storedDefinitions } from '../relate/kept-definitions.ts';
import { figureMaps } from './figure-maps.ts';
import { letterWidths } from './shape-canvas.ts';

export interface FigureContents {
  /** By drawing. */
  readonly structures: Record<string, Structure>;
  readonly maps: Record<string, FigureMaps>;
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
        out.maps[d.id] = await figureMaps(store, mark!, d);
      }
      return out;
    },
    [store],
  );
}

export function useFigureSvg(): (figure: Figure) => Promise<string> {
  const contentsOf = useFigureContents();
  return useCallback(
    async (figure) => {
      const contents = await contentsOf(figure);
      const definitions = storedDefinitions();
      return run('figure svg', { figure, ...contents, definitions, letters: letterWidths() }).result;
    },
    [contentsOf],
  );
}
