/** What the panels of a figure draw: built in workers, the picture before kept until the next is there. */
import { useQueries, type UseQueryResult } from '@tanstack/react-query';
import { useMemo } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import { drawingOf, type Drawing, type Figure } from '@nagare/core/depict/figure';
import { mapsWanted, potentialsWanted } from '@nagare/core/depict/figure-surfaces';
import type { PanelScene } from '@nagare/core/depict/panel-scene';
import type { Layer } from '@nagare/core/draw/scene';
import { run } from '../../engine/engine.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { figureFields } from './figure-fields.ts';
import { storedDefinitions } from '../relate/kept-definitions.ts';

export interface DrawnDrawing {
  readonly structure: Structure;
  readonly layers: readonly Layer[];
}

export interface FigureScenes {
  /** In the order of the panels; those that are not drawn yet are left out. */
  readonly scenes: readonly PanelScene[];
  readonly problem: string | undefined;
  readonly working: boolean;
}

/** Of a drawing what its layers depend on. */
const drawnPart = ({ moved: _, ...rest }: Drawing): Omit<Drawing, 'moved'> => rest;

/** Density, and the potential of its atoms, depend on how a mark was refined. */
const isOfMark = ({ surfaces }: Drawing): boolean => mapsWanted(surfaces).length > 0 || potentialsWanted(surfaces);

interface Together {
  readonly drawn: readonly (DrawnDrawing | undefined)[];
  readonly problem: string | undefined;
  readonly working: boolean;
}
const together = (queries: readonly UseQueryResult<DrawnDrawing>[]): Together => ({
  drawn: queries.map((q) => q.data),
  problem: queries.find((q) => q.error)?.error?.message,
  working: queries.some((q) => q.isFetching),
});

export function useFigureScenes(figure: Figure | undefined): FigureScenes {
  const store = useProjectStore();
  const { head, marks, contentOf, result } = useProject('head', 'marks', 'contentOf', 'result');
  const covariance = result?.covariance;
  const drawings = useMemo(() => figure?.drawings ?? [], [figure?.drawings]);
  const markOf = (d: Drawing): string | undefined => (marks.some((m) => m.id === d.mark) ? d.mark : head?.id);
  const { drawn, problem, working } = useQueries({
    combine: together,
    queries: drawings.map((d) => {
      const mark = markOf(d);
      const model = marks.find((m) => m.id === mark)?.model;
      const style = { palette: figure!.palette, ground: figure!.ground };
      return {
        queryKey: ['drawing', model, drawnPart(d), style, isOfMark(d) ? mark : undefined],
        enabled: !!model,
        staleTime: Infinity,
        gcTime: 30_000,
        retry: false,
        structuralSharing: false as const,
        placeholderData: (old: DrawnDrawing | undefined) => old,
        queryFn: async (): Promise<DrawnDrawing> => {
          const content = await contentOf(mark!);
          if (content?.kind !== 'structure') throw new Error('This mark holds no structure that could be drawn.');
          const { structure } = content;
          const maps = await figureFields(store, mark!, d);
          const definitions = storedDefinitions();
          const layers = await run('drawing', { structure, drawing: d, style, definitions, maps }).result;
          return { structure, layers };
        },
      };
    }),
  });
  const scenes = useMemo(
    () =>
      figure
        ? figure.panels.flatMap((panel): PanelScene[] => {
            const at = figure.drawings.indexOf(drawingOf(figure, panel));
            const data = drawn[at];
            if (!data) return [];
            const mine = !figure.drawings[at]!.mark || figure.drawings[at]!.mark === head?.id;
            return [{ panel, ...data, ...(covariance && mine ? { covariance } : {}) }];
          })
        : [],
    [figure, covariance, head?.id, drawn],
  );
  return { scenes, problem, working };
}
