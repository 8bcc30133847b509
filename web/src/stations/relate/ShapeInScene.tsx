/** The shape drawn around the structure, in one orientation with it. */
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SceneColours } from '@nagare/core/draw/colours';
import { shapeLayers } from '@nagare/core/depict/shape-layers';
import type { CrystalFace } from '@nagare/core/space/crystal-shape';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { useProject } from '../../store/use-project.tsx';

const COLOURS = [
  'water',
  'gold',
  'pine',
  'vermilion',
  'indigo',
  'soft',
] as const satisfies readonly (keyof SceneColours)[];
const NONE = [] as const;

export function ShapeInScene({ s, faces }: { s: Structure; faces: readonly CrystalFace[] }): ReactNode {
  const { setExtra } = useProject('setExtra');
  const colours = useSceneColours();
  const [shown, setShown] = useState(false);
  const [colour, setColour] = useState<(typeof COLOURS)[number]>('water');
  const [opacity, setOpacity] = useState(0.25);
  const [edges, setEdges] = useState(true);
  const [names, setNames] = useState(true);
  const layers = useMemo(
    () => (shown ? shapeLayers(s, faces, { colour: colours[colour], opacity, edges, names }, colours.ink) : NONE),
    [shown, s, faces, colours, colour, opacity, edges, names],
  );
  useEffect(() => {
    setExtra('shape', layers);
    return () => setExtra('shape', NONE);
  }, [layers, setExtra]);
  return (
    <>
      <p className="mb-1">
        <label className="word">
          <input type="checkbox" checked={shown} onChange={() => setShown(!shown)} /> draw it around the structure
        </label>
      </p>
      {shown && (
        <div className="void-fields">
          <span role="group" aria-label="Colour of the shape">
            {COLOURS.map((c) => (
              <button
                key={c}
                className="dab"
                style={{ background: colours[c] }}
                aria-label={c}
                aria-pressed={c === colour}
                title={c}
                onClick={() => setColour(c)}
              />
            ))}
          </span>
          <label htmlFor="shape-opacity">opacity</label>
          <input
            id="shape-opacity"
            type="range"
            min={0.05}
            max={1}
            step={0.05}
            value={opacity}
            onChange={(e) => setOpacity(Number(e.target.value))}
          />
          <label className="word">
            <input type="checkbox" checked={edges} onChange={() => setEdges(!edges)} /> edges
          </label>
          <label className="word">
            <input type="checkbox" checked={names} onChange={() => setNames(!names)} /> names of faces
          </label>
        </div>
      )}
    </>
  );
}
