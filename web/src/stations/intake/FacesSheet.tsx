/** The faces of the crystal that was measured: given, seen as a solid, kept for the correction for absorption and the CIF. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import type { Cell } from '@nagare/core/crystal/cell';
import type { GivenFace } from '@nagare/core/crystal/faces';
import type { SpaceGroup } from '@nagare/core/crystal/space-group';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { faceName } from '@nagare/core/space/forms';
import { volumeOf } from '@nagare/core/space/given-shape';
import { run } from '../../engine/engine.ts';
import { Sheet } from '../../frame/parts.tsx';
import { keepFaces } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { CrystalShape } from '../build/CrystalShape.tsx';
import { GivenFaces } from '../relate/GivenFaces.tsx';

export function FacesSheet(): ReactNode {
  const { project } = useProject('project');
  const { cell, group, experiment } = project;
  if (!cell || !group) return null;
  const kept = experiment.faces;
  return (
    <Sheet
      title="Faces of the crystal"
      fold
      state={kept ? `${kept.length} faces are kept.` : 'Not measured; absorption by the faces needs them.'}
      action={
        kept ? (
          <button className="word" onClick={() => void keepFaces(project, [])}>
            Take them away
          </button>
        ) : undefined
      }
    >
      <MeasuredFaces key={JSON.stringify(kept ?? [])} cell={cell} group={group} kept={kept ?? []} />
    </Sheet>
  );
}

interface MeasuredFacesProps {
  readonly cell: Cell;
  readonly group: SpaceGroup;
  readonly kept: readonly GivenFace[];
}

function MeasuredFaces({ cell, group, kept }: MeasuredFacesProps): ReactNode {
  const { project } = useProject('project');
  const [given, setGiven] = useState<readonly GivenFace[]>(kept);
  const [complete, setComplete] = useState(false);
  const [chosen, setChosen] = useState<Vec3 | undefined>();
  const shape = useQuery({
    queryKey: ['measured faces', project.id, group.hall, given, complete],
    enabled: given.length > 0,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      run('crystal shape', {
        structure: { cell, spaceGroup: group, sites: [] },
        by: 'faces',
        given: [...given],
        complete,
      }).result,
  });
  const faces = shape.data?.faces ?? [];
  const isKept = JSON.stringify(given) === JSON.stringify(kept);
  const face = faces.find((f) => f.hkl.join() === chosen?.join()) ?? faces[0];
  return (
    <>
      {!given.length && (
        <p className="mb-1">
          Give each face by its indices and its distance from the middle of the crystal, or two opposite ones by the
          thickness between them.
        </p>
      )}
      <GivenFaces
        s={{ cell, spaceGroup: group }}
        given={given}
        complete={complete}
        onGiven={setGiven}
        onComplete={setComplete}
      />
      {shape.error && given.length > 0 && (
        <p className="mb-1" role="alert">
          {shape.error.message}
        </p>
      )}
      {face && !shape.error && given.length > 0 && (
        <>
          <div className="relate-shape">
            <CrystalShape faces={faces} chosen={face.hkl} act="Look at" onPick={setChosen} />
          </div>
          <p className="mb-1">
            {faces.length} faces around {volumeOf(faces).toPrecision(3)} mm³; {faceName(face.hkl)} has{' '}
            {face.area.toPrecision(3)} mm².
          </p>
          {shape.data?.remarks.map((r) => (
            <p key={r} className="soft fine mb-1">
              {r}
            </p>
          ))}
          <Button size="sm" disabled={isKept && !complete} onClick={() => void keepFaces(project, faces)}>
            Keep these faces
          </Button>
        </>
      )}
    </>
  );
}
