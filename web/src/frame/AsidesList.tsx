/** What of a file was not taken as it was written, with its lines. */
import type { ReactNode } from 'react';
import { asideText, type Aside } from '@nagare/core/formats/asides';
import { useProject } from '../store/use-project.tsx';

/** Asides that are shown before "and more". */
const SHOWN = 12;

export function AsidesList({ asides }: { readonly asides: readonly Aside[] }): ReactNode {
  if (!asides.length) return null;
  const rest = asides.length - SHOWN;
  return (
    <ul className="arrival-asides" aria-label="What was not taken as it was written">
      {asides.slice(0, SHOWN).map((a, i) => (
        <li key={i}>{asideText(a)}</li>
      ))}
      {rest > 0 && <li>and {rest} more of this kind.</li>}
    </ul>
  );
}

/** The same of what the project was made from, folded. */
export function KeptAsides(): ReactNode {
  const { project } = useProject('project');
  const asides = project.source?.asides ?? [];
  if (!asides.length) return null;
  return (
    <details className="mb-2">
      <summary>
        {asides.length === 1 ? 'One thing was' : `${asides.length} things were`} not taken as written in the file
      </summary>
      <AsidesList asides={asides} />
    </details>
  );
}
