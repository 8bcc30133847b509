/** Depict: the figures of a project and everything that can be said about the one on the table. */
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { withBonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { TEMPLATES } from '@nagare/core/depict/templates';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { AnnotationsSheet } from './AnnotationsSheet.tsx';
import { BesidesSheet } from './BesidesSheet.tsx';
import { ExportSheet } from './ExportSheet.tsx';
import { FindSheet } from './FindSheet.tsx';
import { HidingSheet } from './HidingSheet.tsx';
import { LabelsSheet } from './LabelsSheet.tsx';
import { PageSheet } from './PageSheet.tsx';
import { PanelsSheet } from './PanelsSheet.tsx';
import { RulesSheet } from './RulesSheet.tsx';
import { SurfacesSheet } from './SurfacesSheet.tsx';
import { useFigure, type FigureOnTable } from './use-figure.ts';
import { useFigureActs } from './use-new-figure.ts';

/** The structure that the present panel draws, with the bonds it draws. */
function useDrawnStructure(table: FigureOnTable | undefined): Structure | undefined {
  const { head, marks, contentOf } = useProject('head', 'marks', 'contentOf');
  const drawing = table?.drawing;
  const mark = marks.find((m) => m.id === drawing?.mark)?.id ?? head?.id;
  const { data } = useQuery({
    queryKey: ['drawn structure', mark, drawing?.bonding],
    enabled: mark !== undefined,
    staleTime: Infinity,
    structuralSharing: false,
    placeholderData: (old) => old,
    queryFn: async () => {
      const content = await contentOf(mark!);
      return content?.kind === 'structure' ? bonded(withBonding(content.structure, drawing?.bonding)) : null;
    },
  });
  return data ?? undefined;
}

export function DepictDesk(): ReactNode {
  const table = useFigure();
  const s = useDrawnStructure(table);
  if (!table || !s?.sites.length) return <Beginning />;
  return (
    <>
      <PageSheet table={table} />
      <PanelsSheet s={s} table={table} />
      <RulesSheet s={s} table={table} />
      <HidingSheet s={s} table={table} />
      <FindSheet s={s} table={table} />
      <LabelsSheet s={s} table={table} />
      <AnnotationsSheet table={table} />
      <BesidesSheet s={s} table={table} />
      <SurfacesSheet s={s} table={table} />
      <ExportSheet table={table} />
    </>
  );
}

function Beginning(): ReactNode {
  const { head } = useProject('head');
  const { begin } = useFigureActs();
  return (
    <Sheet
      title="Figures"
      state="A figure is kept with the project: what it shows, how, from where, and what is written over it. It can be changed at any time."
    >
      {head?.structure?.sites.length ? (
        <Button size="sm" onClick={() => void begin(TEMPLATES[0].id)}>
          Make a first figure
        </Button>
      ) : null}
    </Sheet>
  );
}
