/** The shape of the crystal: by its lattice, by energies or by given faces; its forms, angles, habit, and what a face shows. */
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import type { CrystalFace } from '@nagare/core/space/crystal-shape';
import {
  faceAngle,
  faceName,
  formName,
  formsOf,
  habitOf,
  habitWords,
  type CrystalForm,
} from '@nagare/core/space/forms';
import type { GivenFace } from '@nagare/core/crystal/faces';
import { SHAPE_SOURCES, type ShapeAnswer, type ShapeInput, type ShapeSource } from '@nagare/core/tasks/shape-task';
import { decimal } from '@nagare/core/math/decimal';
import { run } from '../../engine/engine.ts';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { recordInAxes } from '../../store/experiment.ts';
import { useProject } from '../../store/use-project.tsx';
import { CrystalShape } from '../build/CrystalShape.tsx';
import { FaceShows } from './FaceShows.tsx';
import { GivenFaces } from './GivenFaces.tsx';
import { ShapeFiles } from './ShapeFiles.tsx';
import { ShapeInScene } from './ShapeInScene.tsx';
import { formTable, SOURCE_WORDS } from './shape-words.ts';
import { TableActions } from './TableActions.tsx';

export function ShapeSheet({ s }: { s: Structure }): ReactNode {
  const [open, setOpen] = useState(false);
  return (
    <Sheet
      title="Shape of the crystal"
      fold={open}
      state={open ? 'Turn it by dragging; click a face to see what it shows.' : 'What it looks like, face by face.'}
      action={
        <button className="word" aria-pressed={open} onClick={() => setOpen(!open)}>
          {open ? 'Take it away' : 'Show it'}
        </button>
      }
    >
      {open && <Shape s={s} />}
    </Sheet>
  );
}

/** What the faces are worked out from. */
interface ShapeWish {
  readonly by: ShapeSource;
  readonly given: readonly GivenFace[];
  readonly complete: boolean;
}

function Shape({ s }: { s: Structure }): ReactNode {
  const { head, project } = useProject('head', 'project');
  const [wish, setWish] = useState<ShapeWish>({ by: 'spacings', given: [], complete: true });
  const query = useQuery({
    queryKey: ['crystal shape', head?.id, wish],
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    // A shape that does not close leaves the last one that did.
    placeholderData: keepPreviousData,
    queryFn: () => run('crystal shape', inputOf(s, wish)).result,
  });
  const [last, setLast] = useState<ShapeAnswer | undefined>();
  useEffect(() => {
    if (query.data) setLast(query.data);
  }, [query.data]);
  const found = query.data ?? last;
  const forms = useMemo(() => (found ? formsOf(s, found.faces) : []), [s, found]);
  const choose = (by: ShapeSource): void => {
    const measured = recordInAxes(project.experiment, head?.basis).faces;
    if (by !== 'faces' || wish.given.length) setWish({ ...wish, by });
    // Faces that were measured are all of them.
    else if (measured) setWish({ by, given: measured, complete: false });
    else setWish({ ...wish, by, given: forms.map((f) => ({ hkl: f.hkl, distance: round(f.distance) })) });
  };
  return (
    <>
      <p className="acts mb-1" role="group" aria-label="Where the shape comes from">
        {SHAPE_SOURCES.map((by) => (
          <button key={by} className="word" aria-pressed={wish.by === by} onClick={() => choose(by)}>
            {SOURCE_WORDS[by]}
          </button>
        ))}
      </p>
      {query.error && (
        <p className="mb-1" role="alert">
          {query.error.message}
        </p>
      )}
      {wish.by === 'faces' && (
        <GivenFaces
          s={s}
          given={wish.given}
          complete={wish.complete}
          onGiven={(given) => setWish({ ...wish, given })}
          onComplete={(complete) => setWish({ ...wish, complete })}
        />
      )}
      {found && forms.length > 0 && <Found s={s} found={found} forms={forms} by={wish.by} />}
    </>
  );
}

const inputOf = (structure: Structure, { by, given, complete }: ShapeWish): ShapeInput =>
  by === 'faces' ? { structure, by, given: [...given], complete } : { structure, by };

const round = (x: number): number => Number(x.toFixed(3));

interface FoundProps {
  readonly s: Structure;
  readonly found: ShapeAnswer;
  readonly forms: readonly CrystalForm[];
  readonly by: ShapeSource;
}

function Found({ s, found, forms, by }: FoundProps): ReactNode {
  const { project } = useProject('project');
  const { faces, energies } = found;
  const [chosen, setChosen] = useState<Vec3>(forms[0]!.hkl);
  const face = faces.find((f) => f.hkl.join() === chosen.join()) ?? faces[0]!;
  const habit = habitWords(habitOf(s, faces));
  const gains = energies && new Map(energies.map((e) => [e.hkl.join(), e.energy]));
  const cut = energies?.find((e) => e.hkl.join() === face.hkl.join())?.cut;
  return (
    <>
      <p className="mb-1">
        A <strong>{habit}</strong>.
      </p>
      <div className="relate-shape">
        <CrystalShape faces={faces} chosen={face.hkl} act="Look at" onPick={setChosen} />
      </div>
      <table className="relate" aria-label="Forms">
        <thead>
          <tr>
            <th>form</th>
            <th className="n">faces</th>
            <th className="n">share</th>
            <th className="n">{gains ? 'gains, kJ/mol' : 'distance'}</th>
            <th className="n">to {faceName(face.hkl)}</th>
          </tr>
        </thead>
        <tbody>
          {forms.map((f) => (
            <PickRow key={formName(f.hkl)} chosen={f.faces.includes(face)} onPick={() => setChosen(f.hkl)}>
              <td>{formName(f.hkl)}</td>
              <td className="n">{f.faces.length}</td>
              <td className="n">{(100 * f.area).toFixed(1)} %</td>
              <td className="n">{gains ? gainText(gains.get(f.hkl.join())) : f.distance.toFixed(3)}</td>
              <td className="n">{anglesTo(face, f)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {found.remarks.map((r) => (
        <p key={r} className="soft fine mb-1">
          {r}
        </p>
      ))}
      <p className="soft fine mb-1">
        Shares are of the surface; {by === 'faces' ? '' : 'distances from the middle, 1 for the nearest face; '}angles
        between normals, to the nearest face of each form. Twins and re-entrant faces are left out.
      </p>
      <FaceShows s={s} hkl={face.hkl} cut={cut} />
      <ShapeInScene s={s} faces={faces} />
      <p className="acts mb-0">
        <span className="soft">forms</span>
        <TableActions table={() => formTable(forms, habit, by, gains)} fileName={`${project.name}-shape.csv`} />
        <ShapeFiles faces={faces} inMillimetres={by === 'faces'} />
      </p>
    </>
  );
}

const gainText = (gain: number | undefined): string => (gain === undefined ? '' : decimal(gain, 1));

/** The smallest angle from a face to another of a form. */
function anglesTo(face: CrystalFace, form: CrystalForm): string {
  const others = form.faces.filter((f) => f !== face);
  return others.length ? `${Math.min(...others.map((f) => faceAngle(face, f))).toFixed(2)}°` : '–';
}
