/** What is done with channels, cages and rings once they are found. */
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { hiddenChoice } from './figure-edits.ts';
import type { FigureOnTable } from './use-figure.ts';

export interface FoundHands {
  /** A line around each, so many mm outside of its atoms. */
  outline: (list: readonly (readonly AtomRef[])[], margin: number, colour: string) => void;
  /** Everything else hidden; what of them is not drawn yet is added. */
  alone: (atoms: readonly AtomRef[], completed?: boolean) => void;
}

export const foundHands = (
  s: Structure,
  { panel, change, changeDrawing }: Pick<FigureOnTable, 'panel' | 'change' | 'changeDrawing'>,
): FoundHands => ({
  outline: (list, margin, colour) =>
    change(`outlines ${newId()}`, (f) => ({
      ...f,
      annotations: [
        ...f.annotations,
        ...list.map((atoms) => ({
          id: newId(),
          kind: 'outline' as const,
          panel: panel.id,
          atoms,
          margin,
          ink: { colour, width: 0.5 },
        })),
      ],
    })),
  alone: (atoms, completed = false) =>
    changeDrawing(`alone ${newId()}`, (d) =>
      hiddenChoice(s, completed ? { ...d, added: [...d.added, ...atoms] } : d, {
        which: { kind: 'selection', atoms },
        others: true,
      }),
    ),
});
