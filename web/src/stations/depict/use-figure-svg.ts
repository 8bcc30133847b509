/** Figures as vector files, made in a worker. */
import { useCallback } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Figure } from '@nagare/core/depict/figure';
import { run } from '../../engine/engine.ts';
import { useProjectStore } from '../../store/use-project.tsx';
import { storedDefinitions } from '../relate/kept-definitions.ts';
import { letterWidths } from './shape-canvas.ts';

/** Structures that the drawings of a figure are of, by drawing. Throws Error where a mark holds none. */
export function useFigureStructures(): (figure: Figure) => Promise<Record<string, Structure>> {
  const store = useProjectStore();
  return useCallback(
    async (figure) => {
      const { head, marks, contentOf } = store.getState();
      const out: Record<string, Structure> = {};
      for (const d of figure.drawings) {
        const mark = marks.some((m) => m.id === d.mark) ? d.mark : head?.id;
        const content = mark === undefined ? undefined : await contentOf(mark);
        if (content?.kind !== 'structure') throw new Error('This mark holds no structure that could be drawn.');
        out[d.id] = content.structure;
      }
      return out;
    },
    [store],
  );
}

export function useFigureSvg(): (figure: Figure) => Promise<string> {
  const structuresOf = useFigureStructures();
  return useCallback(
    async (figure) => {
      const structures = await structuresOf(figure);
      const definitions = storedDefinitions();
      return run('figure svg', { figure, structures, definitions, letters: letterWidths() }).result;
    },
    [structuresOf],
  );
}
