/** All figures of the project as a strip of small pictures: open, reorder by dragging or with Alt and the arrows, add. */
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState, type ReactNode } from 'react';
import { Dropdown } from 'react-bootstrap';
import type { Figure } from '@nagare/core/depict/figure';
import { TEMPLATES } from '@nagare/core/depict/templates';
import { useProject } from '../../store/use-project.tsx';
import { CompareFigures } from './CompareFigures.tsx';
import { useFigureThumb } from './use-figure-svg.ts';
import { useFigure } from './use-figure.ts';
import { useFigureActs } from './use-new-figure.ts';

export function FigureStrip(): ReactNode {
  const { looks } = useProject('looks');
  const table = useFigure();
  const acts = useFigureActs();
  const [dragged, setDragged] = useState<number | undefined>();
  const [comparing, setComparing] = useState(false);
  const { figures } = looks;
  if (!figures.length) return null;
  const drop = (to: number): void => {
    if (dragged !== undefined && dragged !== to) acts.move(dragged, to);
    setDragged(undefined);
  };
  return (
    <div className="figure-strip" role="toolbar" aria-label="Figures of this project">
      {figures.map((f, i) => (
        <button
          key={f.id}
          className="figure-thumb"
          aria-pressed={f.id === table?.figure.id}
          title={`${f.name}. Drag to reorder, or Alt with an arrow.`}
          draggable
          onDragStart={() => setDragged(i)}
          onDragOver={(e) => {
            if (dragged !== undefined) e.preventDefault();
          }}
          onDrop={(e) => {
            if (dragged === undefined) return;
            e.preventDefault();
            e.stopPropagation();
            drop(i);
          }}
          onDragEnd={() => setDragged(undefined)}
          onClick={() => acts.open(f.id)}
          onKeyDown={(e) => {
            if (!e.altKey || (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight')) return;
            e.preventDefault();
            acts.move(i, e.key === 'ArrowLeft' ? i - 1 : i + 1);
          }}
        >
          <Thumb figure={f} />
          <span>{f.name}</span>
        </button>
      ))}
      <Dropdown drop="up" className="figure-add">
        <Dropdown.Toggle variant="link" size="sm">
          New figure
        </Dropdown.Toggle>
        <Dropdown.Menu popperConfig={{ strategy: 'fixed' }} renderOnMount>
          {TEMPLATES.map((t) => (
            <Dropdown.Item key={t.id} onClick={() => void acts.begin(t.id)}>
              {t.name}
              <small className="d-block soft">{t.hint}</small>
            </Dropdown.Item>
          ))}
        </Dropdown.Menu>
      </Dropdown>
      {figures.length > 1 && (
        <button className="word" onClick={() => setComparing(true)}>
          Compare
        </button>
      )}
      {comparing && table && (
        <CompareFigures figures={figures} first={table.figure.id} onClose={() => setComparing(false)} />
      )}
    </div>
  );
}

function Thumb({ figure }: { figure: Figure }): ReactNode {
  // A figure that is being changed is drawn small when it rests.
  const rested = useDeferredValue(figure);
  const thumbOf = useFigureThumb();
  const { head } = useProject('head');
  const { data } = useQuery<string>({
    queryKey: ['figure thumb', rested, head?.id],
    staleTime: Infinity,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old) => old,
    queryFn: async ({ signal }) => {
      await new Promise((resolve) => setTimeout(resolve, 400));
      if (signal.aborted) throw new Error('overtaken');
      return thumbOf(rested);
    },
  });
  return data ? <img src={data} alt="" /> : <span className="waits" />;
}
