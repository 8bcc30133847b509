/** The surface of a molecule in its crystal, coloured by how near the others are, and its fingerprint. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import type { PaintedBy } from '@nagare/core/depict/figure-surfaces';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SurfaceBy } from '@nagare/core/contacts/molecule-surface';
import { run } from '../../engine/engine.ts';
import { Sheet } from '../../frame/parts.tsx';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { useProject } from '../../store/use-project.tsx';
import { PAINTED_WORDS, surfaceLayers, surfaceState } from './surface-words.ts';

const NONE = [] as const;

export function SurroundingsSheet({ s }: { s: Structure }): ReactNode {
  const { head, looks, setExtra, selection, pane, setPane } = useProject(
    'head',
    'looks',
    'setExtra',
    'selection',
    'pane',
    'setPane',
  );
  const colours = useSceneColours();
  const [by, setBy] = useState<SurfaceBy | undefined>();
  const [painted, setPainted] = useState<PaintedBy>('closeness');
  const [molecule, setMolecule] = useState<AtomRef | undefined>();
  const query = useQuery({
    queryKey: ['molecule surface', head?.id, looks.bonding, by, molecule],
    enabled: !!by,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () => run('molecule surface', { structure: s, by: by!, ...(molecule ? { molecule } : {}) }).result,
  });
  const found = by ? query.data : undefined;
  useEffect(() => {
    setExtra('surroundings', found ? surfaceLayers(found.surface, painted, colours) : NONE);
  }, [found, painted, colours, setExtra]);
  useEffect(() => () => setExtra('surroundings', NONE), [setExtra]);
  const state = !by
    ? 'Where a molecule ends and its neighbours begin.'
    : (query.error?.message ?? (found ? surfaceState(found.surface, found.formula) : 'Working it out…'));
  const prints = pane === 'fingerprints';
  return (
    <Sheet title="The molecule’s surface" fold state={state}>
      <div className="acts mb-1" role="group" aria-label="Surface">
        {(
          [
            ['density', 'By its share of the density'],
            ['distance', 'By distance'],
          ] as const
        ).map(([kind, words]) => (
          <button
            key={kind}
            className="word"
            aria-pressed={by === kind}
            onClick={() => setBy(by === kind ? undefined : kind)}
          >
            {words}
          </button>
        ))}
        <button className="word" disabled={!selection.length} onClick={() => setMolecule(selection.at(-1))}>
          Of the selected molecule
        </button>
        <button className="word" aria-pressed={prints} onClick={() => setPane(prints ? 'crystal' : 'fingerprints')}>
          {prints ? 'Back to the crystal' : 'Fingerprints'}
        </button>
      </div>
      {found && (
        <>
          <label className="reach">
            <span className="soft">painted by</span>
            <select
              className="form-select form-select-sm w-auto"
              aria-label="What the surface is painted by"
              value={painted}
              onChange={(e) => setPainted(e.target.value as PaintedBy)}
            >
              {Object.entries(PAINTED_WORDS).map(([id, words]) => (
                <option key={id} value={id}>
                  {words}
                </option>
              ))}
            </select>
          </label>
          <p className="scale-bar" aria-label="Scale: near is gold, far is indigo">
            <span className="fine">near</span>
            <i />
            <span className="fine">far</span>
          </p>
        </>
      )}
    </Sheet>
  );
}
