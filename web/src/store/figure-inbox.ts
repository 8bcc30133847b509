/** Figures that come from outside for the project on screen. */
import type { Figure } from '@nagare/core/depict/figure';

type Taker = (figure: Figure) => void;
const takers = new Map<string, Taker>();

/** Says who takes figures for a project while it is open; call what is returned when it closes. */
export function takeFigures(projectId: string, taker: Taker): () => void {
  takers.set(projectId, taker);
  return () => {
    if (takers.get(projectId) === taker) takers.delete(projectId);
  };
}

/** Hands a figure to an open project; false where it is not open. */
export function handFigure(projectId: string, figure: Figure): boolean {
  const taker = takers.get(projectId);
  taker?.(figure);
  return !!taker;
}
