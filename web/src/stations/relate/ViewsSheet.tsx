/** Where the crystal is seen from: along axes, rows, plane normals, a selection's own directions; views with names. */
import { useState, type ReactNode } from 'react';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { turnCamera } from '@nagare/core/draw/camera';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { alongNormal, alongRow } from '@nagare/core/draw/views';
import { alongSelection, type SelectionView } from './views.ts';

const AXES: readonly (readonly [string, 'row' | 'normal', Vec3])[] = [
  ['a', 'row', [1, 0, 0]],
  ['b', 'row', [0, 1, 0]],
  ['c', 'row', [0, 0, 1]],
  ['a*', 'normal', [1, 0, 0]],
  ['b*', 'normal', [0, 1, 0]],
  ['c*', 'normal', [0, 0, 1]],
];
const OWN: readonly (readonly [SelectionView, string, number])[] = [
  ['best', 'The selection’s best view', 2],
  ['axis', 'Along its long axis', 2],
];

export function ViewsSheet({ s }: { s: Structure }): ReactNode {
  const { viewer, selection } = useProject('viewer', 'selection');
  const chosen = selection.filter((a) => siteOf(s, a));
  return (
    <Sheet title="Views" fold shut state="Along an axis, a row [uvw], the normal of (hkl), or as the selection lies.">
      <p className="acts mb-1">
        {AXES.map(([name, kind, v]) => (
          <button
            key={name}
            className="word"
            title={`Look along ${name}`}
            onClick={() => viewer?.look({ rotation: kind === 'row' ? alongRow(s.cell, v) : alongNormal(s.cell, v) })}
          >
            {name}
          </button>
        ))}
        {OWN.map(
          ([kind, name, least]) =>
            chosen.length >= least && (
              <button
                key={kind}
                className="word"
                onClick={() => viewer?.look({ rotation: alongSelection(s, chosen, kind) })}
              >
                {name}
              </button>
            ),
        )}
      </p>
      <Triple name="row" open="[" close="]" onLook={(v) => viewer?.look({ rotation: alongRow(s.cell, v) })} />
      <Triple name="normal of" open="(" close=")" onLook={(v) => viewer?.look({ rotation: alongNormal(s.cell, v) })} />
      <Steps />
      <Depth />
      <NamedViews />
    </Sheet>
  );
}

interface TripleProps {
  readonly name: string;
  readonly open: string;
  readonly close: string;
  onLook(v: Vec3): void;
}

function Triple({ name, open, close, onLook }: TripleProps): ReactNode {
  const [v, setV] = useState<Vec3>([1, 1, 0]);
  const nothing = v.every((x) => x === 0);
  return (
    <div className="triple">
      <span className="soft">
        {name} {open}
      </span>
      {[0, 1, 2].map((k) => (
        <NumberField
          key={k}
          id={`${name}-${k}`}
          label={`Index ${k + 1} of the ${name}`}
          value={v[k]!}
          digits={0}
          step={1}
          onChange={(x) => setV(v.map((y, i) => (i === k ? Math.round(x) : y)) as never)}
        />
      ))}
      <span className="soft">{close}</span>
      <button className="word" disabled={nothing} onClick={() => onLook(v)}>
        Look along it
      </button>
    </div>
  );
}

/** Turns by an exact angle about the lines of the screen. */
function Steps(): ReactNode {
  const { viewer } = useProject('viewer');
  const [angle, setAngle] = useState(15);
  const turn = (about: Parameters<typeof turnCamera>[1]): void => {
    if (viewer) {
      const { rotation, target, scale } = turnCamera(viewer.camera(), about);
      viewer.look({ rotation, target, scale });
    }
  };
  const rad = (angle * Math.PI) / 180;
  return (
    <div className="triple">
      <span className="soft">turn by</span>
      <NumberField
        id="turn-step"
        label="Angle of a turn"
        value={angle}
        digits={0}
        step={5}
        min={1}
        max={180}
        unit="°"
        onChange={setAngle}
      />
      <button className="word" title="About the vertical" onClick={() => turn({ up: -rad })}>
        ←
      </button>
      <button className="word" title="About the vertical" onClick={() => turn({ up: rad })}>
        →
      </button>
      <button className="word" title="About the horizontal" onClick={() => turn({ right: -rad })}>
        ↑
      </button>
      <button className="word" title="About the horizontal" onClick={() => turn({ right: rad })}>
        ↓
      </button>
      <button className="word" title="About the line of sight" onClick={() => turn({ sight: rad })}>
        ↺
      </button>
      <button className="word" title="About the line of sight" onClick={() => turn({ sight: -rad })}>
        ↻
      </button>
    </div>
  );
}

/** Perspective, fading with depth, and what is cut off before and behind. */
function Depth(): ReactNode {
  const { view, setView } = useProject('view', 'setView');
  const { optics } = view;
  const set = (change: Partial<typeof optics>): void => setView({ optics: { ...optics, ...change } });
  const cut = (side: 'front' | 'back', words: string): ReactNode => {
    const { [side]: at, ...others } = optics;
    return (
      <label className="word">
        <input
          type="checkbox"
          checked={at !== undefined}
          onChange={() => setView({ optics: at === undefined ? { ...optics, [side]: 5 } : others })}
        />{' '}
        {words}
      </label>
    );
  };
  return (
    <>
      <div className="triple">
        <label className="word">
          <input
            type="checkbox"
            checked={optics.fieldOfView > 0}
            onChange={() => set({ fieldOfView: optics.fieldOfView ? 0 : 30 })}
          />{' '}
          Perspective
        </label>
        <label className="soft" htmlFor="depth-cue">
          fade with depth
        </label>
        <input
          id="depth-cue"
          type="range"
          min={0}
          max={0.95}
          step={0.05}
          value={optics.cue}
          onChange={(e) => set({ cue: Number(e.target.value) })}
        />
      </div>
      <div className="triple">
        {cut('front', 'Cut off in front')}
        {optics.front !== undefined && (
          <NumberField
            id="clip-front"
            label="Cut off in front of, Å"
            value={optics.front}
            digits={1}
            step={0.5}
            unit="Å"
            onChange={(front) => set({ front })}
          />
        )}
        {cut('back', 'behind')}
        {optics.back !== undefined && (
          <NumberField
            id="clip-back"
            label="Cut off behind, Å"
            value={optics.back}
            digits={1}
            step={0.5}
            unit="Å"
            onChange={(back) => set({ back })}
          />
        )}
      </div>
    </>
  );
}

function NamedViews(): ReactNode {
  const { viewer, looks, setLooks } = useProject('viewer', 'looks', 'setLooks');
  const [name, setName] = useState('');
  const keep = (): void => {
    if (!viewer) return;
    const { rotation, target, scale } = viewer.camera();
    const called = name.trim() || `View ${looks.views.length + 1}`;
    setLooks('view kept', { views: [...looks.views, { id: newId(), name: called, rotation, target, scale }] });
    setName('');
  };
  return (
    <>
      {looks.views.map((v) => (
        <p key={v.id} className="mb-0">
          <button className="word" onClick={() => viewer?.look(v)}>
            {v.name}
          </button>
          <button
            className="word off"
            aria-label={`Forget the view ${v.name}`}
            onClick={() => setLooks('view forgotten', { views: looks.views.filter((x) => x.id !== v.id) })}
          >
            Forget
          </button>
        </p>
      ))}
      <form
        className="triple"
        onSubmit={(e) => {
          e.preventDefault();
          keep();
        }}
      >
        <input
          className="form-control form-control-sm"
          aria-label="Name of the view"
          placeholder="Name"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button className="word" type="submit">
          Keep this view
        </button>
      </form>
    </>
  );
}
