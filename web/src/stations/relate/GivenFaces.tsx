/** Faces with their distances from the middle: typed, dragged, measured; a face can be named by its angles to known ones. */
import { useMemo, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { faceName } from '@nagare/core/space/forms';
import type { GivenFace } from '@nagare/core/crystal/faces';
import { indexByAngles, type MeasuredAngle } from '@nagare/core/space/given-shape';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField } from '../../frame/parts.tsx';

/** Axes and class that faces are given in. */
export type FaceAxes = Pick<Structure, 'cell' | 'spaceGroup'>;

interface GivenFacesProps {
  readonly s: FaceAxes;
  readonly given: readonly GivenFace[];
  readonly complete: boolean;
  onGiven(given: readonly GivenFace[]): void;
  onComplete(complete: boolean): void;
}

const INDICES = ['h', 'k', 'l'];

export function GivenFaces({ s, given, complete, onGiven, onComplete }: GivenFacesProps): ReactNode {
  const longest = Math.max(1e-3, ...given.map((g) => g.distance));
  // Sliders go a good deal beyond the furthest face, and stay as they are while one is dragged.
  const [top, setTop] = useState(2 * longest);
  const change = (i: number, part: Partial<GivenFace>): void =>
    onGiven(given.map((g, k) => (k === i ? { ...g, ...part } : g)));
  const mean = given.reduce((sum, g) => sum + g.distance, 0) / (given.length || 1) || 0.1;
  const addFaces = (faces: readonly GivenFace[]): void => {
    setTop(Math.max(top, ...faces.map((f) => 2 * f.distance)));
    onGiven([...given, ...faces]);
  };
  const addFace = (hkl: Vec3): void => addFaces([{ hkl, distance: Number(mean.toFixed(3)) }]);
  return (
    <>
      <p className="mb-1">
        <label className="word">
          <input type="checkbox" checked={complete} onChange={() => onComplete(!complete)} /> the class makes the other
          faces of each
        </label>
      </p>
      <table className="relate mb-1 given-faces" aria-label="Given faces">
        <thead>
          <tr>
            <th>face</th>
            <th className="n">from the middle, mm</th>
            <td></td>
            <td></td>
          </tr>
        </thead>
        <tbody>
          {given.map((g, i) => (
            <tr key={i}>
              <td>
                <NumberRow
                  id={`given-${i}`}
                  labels={INDICES.map((x) => `Index ${x} of face ${i + 1}`)}
                  values={g.hkl}
                  digits={0}
                  step={1}
                  min={-12}
                  max={12}
                  onChange={(v) => change(i, { hkl: [v[0]!, v[1]!, v[2]!] })}
                />
              </td>
              <td className="n">
                <NumberField
                  id={`given-distance-${i}`}
                  label={`Distance of ${faceName(g.hkl)} from the middle, mm`}
                  value={g.distance}
                  digits={3}
                  step={0.01}
                  min={0.001}
                  onChange={(distance) => {
                    setTop(Math.max(top, 1.5 * distance));
                    change(i, { distance });
                  }}
                />
              </td>
              <td>
                <input
                  type="range"
                  aria-label={`Drag ${faceName(g.hkl)} out and in`}
                  min={0.02 * top}
                  max={top}
                  step={top / 200}
                  value={g.distance}
                  onChange={(e) => change(i, { distance: Number(Number(e.target.value).toFixed(4)) })}
                />
              </td>
              <td>
                <button
                  className="word off"
                  aria-label={`Leave ${faceName(g.hkl)} out`}
                  onClick={() => onGiven(given.filter((_, k) => k !== i))}
                >
                  ×
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="acts mb-1">
        <button className="word" onClick={() => addFace([1, 1, 1])}>
          Add a face
        </button>
      </p>
      <AcrossCrystal onFaces={addFaces} />
      <ByAngles s={s} onFace={addFace} />
    </>
  );
}

/** A face and its opposite by how thick the crystal is between them. */
function AcrossCrystal({ onFaces }: { onFaces(faces: readonly GivenFace[]): void }): ReactNode {
  const [hkl, setHkl] = useState<Vec3>([1, 0, 0]);
  const [across, setAcross] = useState(0.2);
  const [h, k, l] = hkl;
  const opposite: Vec3 = [-h + 0, -k + 0, -l + 0];
  const add = (): void =>
    onFaces([hkl, opposite].map((face) => ({ hkl: face, distance: Number((across / 2).toFixed(4)) })));
  return (
    <details>
      <summary>Two faces by the thickness between them</summary>
      <div className="void-fields">
        <NumberRow
          id="across-face"
          labels={INDICES.map((x) => `Index ${x} of the face that is measured across`)}
          values={hkl}
          digits={0}
          step={1}
          min={-12}
          max={12}
          onChange={(v) => setHkl([v[0]!, v[1]!, v[2]!])}
        />
        <NumberField
          id="across"
          label="Thickness between the face and its opposite, mm"
          value={across}
          digits={3}
          step={0.01}
          min={0.001}
          unit="mm thick"
          onChange={setAcross}
        />
      </div>
      <p className="acts mb-1">
        <button className="word" disabled={hkl.every((x) => x === 0)} onClick={add}>
          Add {faceName(hkl)} and {faceName(opposite)}
        </button>
      </p>
    </details>
  );
}

/** Candidates that are told. */
const MOST = 5;

/** Which face makes the angles that were measured to known ones. */
function ByAngles({ s, onFace }: { s: FaceAxes; onFace(hkl: Vec3): void }): ReactNode {
  const [measured, setMeasured] = useState<readonly MeasuredAngle[]>([
    { to: [1, 0, 0], angle: 90 },
    { to: [0, 0, 1], angle: 45 },
  ]);
  const change = (i: number, part: Partial<MeasuredAngle>): void =>
    setMeasured(measured.map((m, k) => (k === i ? { ...m, ...part } : m)));
  const found = useMemo(() => {
    const isKnown = measured.every((m) => m.to.some((x) => x !== 0));
    return isKnown ? indexByAngles(s, measured).slice(0, MOST) : [];
  }, [s, measured]);
  return (
    <details>
      <summary>Name a face by its angles</summary>
      {measured.map((m, i) => (
        <div key={i} className="void-fields">
          <NumberRow
            id={`known-${i}`}
            labels={INDICES.map((x) => `Index ${x} of known face ${i + 1}`)}
            values={m.to}
            digits={0}
            step={1}
            min={-12}
            max={12}
            onChange={(v) => change(i, { to: [v[0]!, v[1]!, v[2]!] })}
          />
          <NumberField
            id={`known-angle-${i}`}
            label={`Angle between the normals of the face and ${faceName(m.to)}`}
            value={m.angle}
            digits={2}
            step={0.1}
            min={0}
            max={180}
            unit="° between the normals"
            onChange={(angle) => change(i, { angle })}
          />
        </div>
      ))}
      <p className="acts mb-1">
        <button className="word" onClick={() => setMeasured([...measured, { to: [0, 1, 0], angle: 90 }])}>
          One more angle
        </button>
        {measured.length > 1 && (
          <button className="word" onClick={() => setMeasured(measured.slice(0, -1))}>
            One less
          </button>
        )}
      </p>
      <p className="acts mb-1">
        {found.map((f) => (
          <button key={f.hkl.join()} className="word" onClick={() => onFace(f.hkl)}>
            Add {faceName(f.hkl)}, off by {f.deviation.toFixed(2)}°
          </button>
        ))}
      </p>
    </details>
  );
}
