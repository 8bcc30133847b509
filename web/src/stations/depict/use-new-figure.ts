/** Figures that come, go and change places. */
import { useCallback, useMemo } from 'react';
import type { Figure } from '@nagare/core/depict/figure';
import type { TemplateId } from '@nagare/core/depict/templates';
import { run } from '../../engine/engine.ts';
import { useProjectStore } from '../../store/use-project.tsx';
import { copyOfFigure, freeName, movedTo } from './figure-edits.ts';

export interface FigureActs {
  begin(template: TemplateId): Promise<void>;
  add(figure: Figure): void;
  duplicate(id: string): void;
  remove(id: string): void;
  move(from: number, to: number): void;
  open(id: string): void;
}

export function useFigureActs(): FigureActs {
  const store = useProjectStore();
  const put = useCallback(
    (title: string, figures: readonly Figure[]) => store.getState().setLooks(`figure: ${title}`, { figures }),
    [store],
  );
  const add = useCallback(
    (figure: Figure) => {
      const { looks, setDepicting, select } = store.getState();
      const named = { ...figure, name: freeName(looks.figures, figure.name) };
      put(`new ${figure.id}`, [...looks.figures, named]);
      select([]);
      setDepicting({ figure: figure.id });
    },
    [store, put],
  );
  return useMemo(
    () => ({
      add,
      begin: async (template) => {
        const { head, setProblem } = store.getState();
        if (!head?.structure) return;
        try {
          add(await run('new figure', { structure: head.structure, template }).result);
        } catch (e) {
          setProblem((e as Error).message);
        }
      },
      duplicate: (id) => {
        const figure = store.getState().looks.figures.find((f) => f.id === id);
        if (figure) add(copyOfFigure(figure, figure.name));
      },
      remove: (id) => {
        const { looks, setDepicting } = store.getState();
        const left = looks.figures.filter((f) => f.id !== id);
        put(`removed ${id}`, left);
        setDepicting(left[0] ? { figure: left[0].id } : {});
      },
      move: (from, to) => put('order', movedTo(store.getState().looks.figures, from, to)),
      open: (id) => {
        store.getState().select([]);
        store.getState().setDepicting({ figure: id });
      },
    }),
    [store, put, add],
  );
}
