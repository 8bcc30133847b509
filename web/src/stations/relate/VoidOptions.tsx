/** How empty space is looked at: the radii of the atoms, and a plane that cuts its surface open. */
import { useState, type ReactNode } from 'react';
import { vanDerWaalsRadius } from '@nagare/core/crystal/elements';
import type { Structure } from '@nagare/core/crystal/structure';
import { toVec3, type Vec3 } from '@nagare/core/math/matrix3';
import type { Cut, Radii } from '@nagare/core/tasks/voids-task';
import { NumberField } from '../../frame/parts.tsx';

interface VoidRadiiProps {
  readonly s: Structure;
  readonly radii: Radii;
  onChange(radii: Radii): void;
}

/** Radii of the elements; those of one's own can be given back. */
export function VoidRadii({ s, radii, onChange }: VoidRadiiProps): ReactNode {
  const elements = [...new Set(s.sites.map((x) => x.element))].sort();
  const changed = Object.keys(radii).length;
  return (
    <details>
      <summary>Radii of the atoms{changed ? `, ${changed} of your own` : ', as usual'}</summary>
      <div className="void-fields">
        {elements.map((element) => (
          <NumberField
            key={element}
            id={`void-radius-${element}`}
            label={`Radius of ${element}`}
            value={radii[element] ?? vanDerWaalsRadius(element)}
            digits={2}
            step={0.05}
            min={0}
            max={5}
            unit={`Å ${element}`}
            commit
            onChange={(radius) => onChange({ ...radii, [element]: radius })}
          />
        ))}
        {changed > 0 && (
          <button className="word" onClick={() => onChange({})}>
            The usual ones
          </button>
        )}
      </div>
    </details>
  );
}

const INDICES = ['h', 'k', 'l'] as const;

/** Cuts the surface by a plane, which can be moved along its normal. */
export function VoidCut({ cut, onChange }: { cut: Cut | undefined; onChange(cut: Cut | undefined): void }): ReactNode {
  const [last, setLast] = useState<Cut>({ hkl: [0, 0, 1], at: 0.5 });
  const set = (next: Cut): void => {
    setLast(next);
    onChange(next);
  };
  // Over the corners of the cell, h x + k y + l z goes from the negative indices' sum to that of the positive ones.
  const ends = (hkl: Vec3): [number, number] => [
    hkl.reduce((sum, x) => sum + Math.min(0, x), 0),
    hkl.reduce((sum, x) => sum + Math.max(0, x), 0),
  ];
  const [low, high] = ends((cut ?? last).hkl);
  const withIndex = (i: number, value: number): void => {
    const hkl = toVec3(last.hkl.map((x, k) => (k === i ? value : x)));
    if (hkl.every((x) => x === 0)) return;
    const [from, to] = ends(hkl);
    set({ hkl, at: (from + to) / 2 });
  };
  return (
    <>
      <label className="word">
        <input type="checkbox" checked={!!cut} onChange={() => onChange(cut ? undefined : last)} /> cut open by a plane
      </label>
      {cut && (
        <div className="void-fields">
          {INDICES.map((name, i) => (
            <NumberField
              key={name}
              id={`void-cut-${name}`}
              label={`Index ${name} of the cutting plane`}
              value={cut.hkl[i]}
              digits={0}
              step={1}
              min={-9}
              max={9}
              unit={name}
              commit
              onChange={(v) => withIndex(i, Math.round(v))}
            />
          ))}
          <label htmlFor="void-cut-at">where</label>
          <input
            id="void-cut-at"
            type="range"
            min={low}
            max={high}
            step={(high - low) / 50}
            value={cut.at}
            onChange={(e) => set({ ...cut, at: Number(e.target.value) })}
          />
          <button className="word" onClick={() => set({ hkl: toVec3(cut.hkl.map((x) => -x + 0)), at: -cut.at })}>
            Keep the other side
          </button>
        </div>
      )}
    </>
  );
}
