/** The shape that the crystal is expected to grow in: its forms, their shares, the angles between faces, the habit in words. */
import { useMemo, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { PlainTable } from '@nagare/core/publish/tables';
import { crystalShape, type CrystalFace } from '@nagare/core/space/crystal-shape';
import {
  faceAngle,
  faceName,
  formName,
  formsOf,
  habitOf,
  habitWords,
  type CrystalForm,
} from '@nagare/core/space/forms';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { CrystalShape } from '../build/CrystalShape.tsx';
import { TableActions } from './TableActions.tsx';

const formTable = (forms: readonly CrystalForm[], habit: string): PlainTable => ({
  title: 'Forms of the expected shape',
  columns: ['form', 'faces', '% of the surface', 'distance'],
  rows: forms.map((f) => [formName(f.hkl), String(f.faces.length), (100 * f.area).toFixed(2), f.distance.toFixed(4)]),
  notes: [
    `Expected habit: ${habit}. From the spacings of the planes and the reflection conditions; twins and re-entrant faces are left out.`,
  ],
});

export function ShapeSheet({ s }: { s: Structure }): ReactNode {
  const [open, setOpen] = useState(false);
  return (
    <Sheet
      title="Shape of the crystal"
      fold={open}
      state={
        open ? 'From the spacings and the reflection conditions.' : 'What it is expected to look like, face by face.'
      }
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

function Shape({ s }: { s: Structure }): ReactNode {
  const { project } = useProject('project');
  const { faces, forms, habit } = useMemo(() => {
    const list = crystalShape(s);
    return { faces: list, forms: formsOf(s, list), habit: habitWords(habitOf(s, list)) };
  }, [s]);
  const [chosen, setChosen] = useState<Vec3>(forms[0]!.hkl);
  const face = faces.find((f) => f.hkl.join() === chosen.join()) ?? faces[0]!;
  return (
    <>
      <p className="mb-1">
        A <strong>{habit}</strong>.
      </p>
      <CrystalShape chosen={face.hkl} onPick={setChosen} />
      <table className="relate" aria-label="Forms">
        <thead>
          <tr>
            <th>form</th>
            <th className="n">faces</th>
            <th className="n">of the surface</th>
            <th className="n">distance</th>
            <th className="n">to {faceName(face.hkl)}</th>
          </tr>
        </thead>
        <tbody>
          {forms.map((f) => (
            <PickRow key={formName(f.hkl)} chosen={f.faces.includes(face)} onPick={() => setChosen(f.hkl)}>
              <td>{formName(f.hkl)}</td>
              <td className="n">{f.faces.length}</td>
              <td className="n">{(100 * f.area).toFixed(1)} %</td>
              <td className="n">{f.distance.toFixed(3)}</td>
              <td className="n">{anglesTo(face, f)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      <p className="soft fine mb-1">
        Distances from the middle, 1 for the nearest face; angles between normals to the nearest face of each form.
        Twins and re-entrant faces are left out.
      </p>
      <p className="acts mb-0">
        <TableActions table={() => formTable(forms, habit)} fileName={`${project.name}-shape.csv`} />
      </p>
    </>
  );
}

/** The smallest angle from a face to another of a form. */
function anglesTo(face: CrystalFace, form: CrystalForm): string {
  const others = form.faces.filter((f) => f !== face);
  return others.length ? `${Math.min(...others.map((f) => faceAngle(face, f))).toFixed(2)}°` : '–';
}
