/** The surface of a molecule in its crystal, coloured by how near the others are, and its fingerprint. */
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { MoleculeSurface, SurfaceBy } from '@nagare/core/contacts/molecule-surface';
import { potentialReach, type PaintedBy } from '@nagare/core/depict/figure-surfaces';
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
  const potentials = head?.treatment.aspherical?.potentials;
  const query = useQuery({
    queryKey: ['molecule surface', head?.id, looks.bonding, by, molecule, !!potentials],
    enabled: !!by,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: () =>
      run('molecule surface', {
        structure: s,
        by: by!,
        ...(molecule ? { molecule } : {}),
        ...(potentials ? { potentials } : {}),
      }).result,
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
              {paintsOf(found.surface).map(([id, words]) => (
                <option key={id} value={id}>
                  {words}
                </option>
              ))}
            </select>
          </label>
          {painted === 'potential' && found.surface.potential ? (
            <PotentialScale potential={found.surface.potential} />
          ) : (
            <p className="scale-bar" aria-label="Scale: near is gold, far is indigo">
              <span className="fine">near</span>
              <i />
              <span className="fine">far</span>
            </p>
          )}
        </>
      )}
    </Sheet>
  );
}

/** What a surface can be painted by, with its words. */
const paintsOf = (s: MoleculeSurface): [string, string][] =>
  Object.entries(PAINTED_WORDS).filter(([id]) => id !== 'potential' || s.potential);

function PotentialScale({ potential }: { potential: Float32Array }): ReactNode {
  const reach = potentialReach(potential);
  const most = (of: (...x: number[]) => number): string =>
    String(Math.round(potential.reduce((p, q) => of(p, q)))).replace('-', '−');
  return (
    <>
      <p className="scale-bar potential" aria-label="Scale: negative is vermilion, positive is indigo">
        <span className="fine">−{reach}</span>
        <i />
        <span className="fine">+{reach} kJ mol⁻¹ e⁻¹</span>
      </p>
      <p className="soft fine mb-1">
        Of the molecule by itself, from its aspherical atoms; from {most(Math.min)} to {most(Math.max)} on this surface.
      </p>
    </>
  );
}
