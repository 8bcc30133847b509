/** What is selected and what that selection measures at once, with its s.u. */
import { useMemo, type ReactNode } from 'react';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { useProject } from '../store/use-project.tsx';
import { atomName, MOST_IN_PLANE, selectionMeasure } from './selection-measure.ts';

export function SelectionLine(): ReactNode {
  const { head, selection, result, select } = useProject('head', 'selection', 'result', 'select');
  const text = useMemo(() => {
    const s = head?.structure;
    const atoms = s ? selection.filter((a) => siteOf(s, a)) : [];
    if (!s || !atoms.length) return undefined;
    const names = atoms.length > MOST_IN_PLANE ? [`${atoms.length} sites`] : atoms.map((a) => atomName(s, a));
    return { names, value: selectionMeasure(s, atoms, result?.covariance) };
  }, [head, selection, result]);
  if (!text)
    return (
      <div className="selection-line" aria-live="polite">
        <span className="soft">
          Nothing selected. Click atoms to measure: two give a distance, three an angle, four a torsion, more a plane.
        </span>
      </div>
    );
  return (
    <div className="selection-line" aria-live="polite">
      <b className="text-truncate">
        {text.names.slice(0, 8).join(' – ')}
        {text.names.length > 8 ? ' …' : ''}
      </b>
      <span className="value" data-testid="measurement">
        {text.value}
      </span>
      <span className="flex-grow-1" />
      {text.value && (
        <button
          className="word"
          onClick={() => void navigator.clipboard.writeText(`${text.names.join(' – ')}: ${text.value}`)}
        >
          Copy
        </button>
      )}
      <button className="word" onClick={() => select([])}>
        Clear
      </button>
    </div>
  );
}
