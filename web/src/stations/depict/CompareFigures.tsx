/** Two figures of the project beside one another, at one scale. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Modal } from 'react-bootstrap';
import type { Figure } from '@nagare/core/depict/figure';
import { useProject } from '../../store/use-project.tsx';
import { useFigureThumb } from './use-figure-svg.ts';

interface CompareFiguresProps {
  readonly figures: readonly Figure[];
  /** Shown at the left. */
  readonly first: string;
  onClose(): void;
}

export function CompareFigures({ figures, first, onClose }: CompareFiguresProps): ReactNode {
  const [shown, setShown] = useState<readonly [string, string]>([
    first,
    figures.find((f) => f.id !== first)?.id ?? first,
  ]);
  const pair = shown.map((id) => figures.find((f) => f.id === id) ?? figures[0]!);
  // mm of paper are as long on either side.
  const widest = Math.max(...pair.map((f) => f.width));
  return (
    <Modal show onHide={onClose} size="xl" aria-labelledby="compare-figures">
      <Modal.Header closeButton>
        <Modal.Title id="compare-figures">Beside one another</Modal.Title>
      </Modal.Header>
      <Modal.Body className="figures-beside">
        {pair.map((figure, i) => (
          <figure key={i}>
            <select
              className="form-select form-select-sm"
              aria-label={i ? 'Figure at the right' : 'Figure at the left'}
              value={figure.id}
              onChange={(e) => setShown(i ? [shown[0], e.target.value] : [e.target.value, shown[1]])}
            >
              {figures.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}
                </option>
              ))}
            </select>
            <Picture figure={figure} share={figure.width / widest} />
            <figcaption className="soft fine">
              {figure.width} × {figure.height} mm
            </figcaption>
          </figure>
        ))}
      </Modal.Body>
    </Modal>
  );
}

/** `share` of the room that its paper takes. */
function Picture({ figure, share }: { figure: Figure; share: number }): ReactNode {
  const thumbOf = useFigureThumb();
  const { head } = useProject('head');
  const { data, error } = useQuery({
    queryKey: ['figure beside', figure, head?.id],
    staleTime: Infinity,
    gcTime: 10_000,
    retry: false,
    queryFn: () => thumbOf(figure),
  });
  if (error) return <p role="alert">{error.message}</p>;
  if (data === undefined) return <p className="soft">Drawing it…</p>;
  return <img alt={figure.name} style={{ width: `${100 * share}%` }} src={data} />;
}
