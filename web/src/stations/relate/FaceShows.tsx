/** What one face of the crystal shows: atoms, molecules, roughness, polar groups. */
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { faceName } from '@nagare/core/space/forms';
import { run } from '../../engine/engine.ts';
import { useProject } from '../../store/use-project.tsx';
import { TableActions } from './TableActions.tsx';
import { viewTable, viewWords } from './shape-words.ts';

interface FaceShowsProps {
  readonly s: Structure;
  readonly hkl: Vec3;
  /** Å along the normal, where layers are cut; where molecules are furthest apart otherwise. */
  readonly cut: number | undefined;
}

export function FaceShows({ s, hkl, cut }: FaceShowsProps): ReactNode {
  const { head, project, select } = useProject('head', 'project', 'select');
  const { data: view, error } = useQuery({
    queryKey: ['face view', head?.id, hkl, cut],
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () => run('face view', { structure: s, hkl, ...(cut === undefined ? {} : { cut }) }).result,
  });
  return (
    <details>
      <summary>What {faceName(hkl)} shows</summary>
      {error && <p className="mb-1">{error.message}</p>}
      {view && (
        <>
          <p className="mb-1">{viewWords(view)}</p>
          {view.molecules.length > 1 && (
            <p className="mb-1">
              {view.molecules.map((m) => `${m.formula} ${(100 * m.share).toFixed(0)} %`).join(', ')} of the face.
            </p>
          )}
          <table className="relate mb-1" aria-label="Atoms of the face">
            <thead>
              <tr>
                <th>atoms</th>
                <th className="n">of the face</th>
                <th className="n">in 1 nm²</th>
              </tr>
            </thead>
            <tbody>
              {view.kinds.map((k) => (
                <tr key={k.kind}>
                  <td>
                    {k.kind}
                    {k.isPolar && <span className="soft"> polar</span>}
                  </td>
                  <td className="n">{(100 * k.share).toFixed(1)} %</td>
                  <td className="n">{k.perArea.toFixed(1)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="acts mb-1">
            <button className="word" onClick={() => select(view.atoms)}>
              Select its atoms
            </button>
            <TableActions table={() => viewTable(view)} fileName={`${project.name}-face-${hkl.join('-')}.csv`} />
          </p>
        </>
      )}
    </details>
  );
}
