/** Depict: the figures of a project and everything that can be said about the one on the table. */
import type { ReactNode } from 'react';
import { Sheet } from '../../frame/parts.tsx';
import { useFigure } from './use-figure.ts';

export function DepictDesk(): ReactNode {
  const table = useFigure();
  return <Sheet title="Figure" state={table ? table.figure.name : 'No figure yet.'} />;
}
