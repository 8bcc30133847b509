/** What decides the shape of the crystal in a figure: its spacings, energies, or given faces. */
import { useMemo, type ReactNode } from 'react';
import type { GivenFace } from '@nagare/core/crystal/faces';
import type { Structure } from '@nagare/core/crystal/structure';
import { SHAPE_BY, type FigureSurface } from '@nagare/core/depict/figure-surfaces';
import { triedShape } from '@nagare/core/space/given-shape';
import { recordInAxes } from '../../store/experiment.ts';
import { useProject } from '../../store/use-project.tsx';
import { GivenFaces } from '../relate/GivenFaces.tsx';

type Shape = Extract<FigureSurface, { kind: 'shape' }>;

interface ShapeProps {
  readonly s: Structure;
  readonly surface: Shape;
  change(next: Shape): void;
}

const SHAPE_WORDS: Readonly<Record<Shape['by'], string>> = {
  spacings: 'by its spacings',
  energies: 'by attachment energies',
  faces: 'by given faces',
};
/** A block, to begin with. */
const BLOCK: readonly GivenFace[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
].flatMap(([h, k, l]) => [
  { hkl: [h! + 0, k! + 0, l! + 0], distance: 0.1 },
  { hkl: [-h! + 0, -k! + 0, -l! + 0], distance: 0.1 },
]);

export function ShapeFields({ s, surface, change }: ShapeProps): ReactNode {
  const { project, head } = useProject('project', 'head');
  const isOfMolecules = s.sites.some((x) => x.element === 'C');
  const offered = SHAPE_BY.filter((by) => by !== 'energies' || isOfMolecules);
  const choose = (by: Shape['by']): void => {
    if (by !== 'faces' || surface.given) return change({ ...surface, by });
    const measured = recordInAxes(project.experiment, head?.basis).faces;
    // Every face of either is there already: what the class made of one would hide what is typed for its opposite.
    change({ ...surface, by, given: measured ?? BLOCK, complete: false });
  };
  return (
    <>
      <select
        className="form-select form-select-sm mb-1"
        aria-label="Where the shape comes from"
        value={surface.by}
        onChange={(e) => choose(offered.find((by) => by === e.target.value) ?? 'spacings')}
      >
        {offered.map((by) => (
          <option key={by} value={by}>
            {SHAPE_WORDS[by]}
          </option>
        ))}
      </select>
      {surface.by === 'faces' && <GivenFaceFields s={s} surface={surface} change={change} />}
      <label className="word">
        <input type="checkbox" checked={surface.edges} onChange={() => change({ ...surface, edges: !surface.edges })} />{' '}
        edges
      </label>
      <label className="word">
        <input type="checkbox" checked={surface.names} onChange={() => change({ ...surface, names: !surface.names })} />{' '}
        names of faces
      </label>
    </>
  );
}

function GivenFaceFields({ s, surface, change }: ShapeProps): ReactNode {
  const { given = BLOCK, complete = true } = surface;
  const { problem } = useMemo(() => triedShape(s, given, complete), [s, given, complete]);
  return (
    <>
      <GivenFaces
        s={s}
        given={given}
        complete={complete}
        onGiven={(next) => change({ ...surface, given: next })}
        onComplete={(next) => change({ ...surface, complete: next })}
      />
      {problem && (
        <p className="mb-1" role="alert">
          {problem}
        </p>
      )}
    </>
  );
}
