/** Where there is no figure yet: what one could begin with. */
import { useState, type ReactNode } from 'react';
import { TEMPLATES, type TemplateId } from '@nagare/core/depict/templates';
import { Link } from 'react-router';
import { useProject } from '../../store/use-project.tsx';
import { useFigureActs } from './use-new-figure.ts';

export function EmptyTable(): ReactNode {
  const { head, project } = useProject('head', 'project');
  const { begin } = useFigureActs();
  const [busy, setBusy] = useState<TemplateId | undefined>();
  if (!head?.structure?.sites.length)
    return (
      <div className="empty">
        <h3>Nothing to depict yet</h3>
        <p>Figures are made of a model. Solve one, or bring in a CIF with atom sites.</p>
        <Link to={`/projects/${project.id}/intake`}>Go to Intake</Link>
      </div>
    );
  const start = async (id: TemplateId): Promise<void> => {
    setBusy(id);
    await begin(id);
    setBusy(undefined);
  };
  return (
    <div className="empty-table">
      <h3>Which argument should the picture make?</h3>
      <ul>
        {TEMPLATES.map((t) => (
          <li key={t.id}>
            <button className="template" disabled={!!busy} onClick={() => void start(t.id)}>
              <b>{t.name}</b>
              <span>{busy === t.id ? 'Drawing…' : t.hint}</span>
            </button>
          </li>
        ))}
      </ul>
      <p className="soft">
        Everything can be changed afterwards. A figure that was saved as a file can be dropped here.
      </p>
    </div>
  );
}
