/** The shape as a solid, and its faces as the loop of a CIF. */
import { useState, type ReactNode } from 'react';
import { shapeSolid } from '@nagare/core/depict/shape-layers';
import type { CrystalFace } from '@nagare/core/space/crystal-shape';
import { useSceneColours } from '../../scene/scene-colours.ts';
import { keepFaces, saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { solidFile } from '../depict/solid-file.ts';
import { faceLoop } from './shape-words.ts';

interface ShapeFilesProps {
  readonly faces: readonly CrystalFace[];
  /** Whether the distances are measured, so that the loop may tell them. */
  readonly inMillimetres: boolean;
}

export function ShapeFiles({ faces, inMillimetres }: ShapeFilesProps): ReactNode {
  const { project, head } = useProject('project', 'head');
  const colours = useSceneColours();
  const [done, setDone] = useState('');
  const solid = (kind: 'glb' | 'stl'): void => {
    const type = kind === 'glb' ? 'model/gltf-binary' : 'model/stl';
    solidFile(shapeSolid(faces, colours.water), kind).then(
      (bytes) => saveFile(bytes, `${project.name}-shape.${kind}`, type),
      (e: Error) => setDone(e.message),
    );
  };
  const copy = (): void =>
    void navigator.clipboard.writeText(faceLoop(faces)).then(
      () => setDone('Copied: the loop of faces, distances in mm.'),
      () => setDone('The browser does not let this page copy.'),
    );
  const keep = (): void =>
    void keepFaces(project, faces, head?.basis).then(() => setDone(`Kept: ${faces.length} faces, distances in mm.`));
  return (
    <>
      <span className="soft">solid</span>
      <button className="word" onClick={() => solid('glb')}>
        glTF
      </button>
      <button className="word" onClick={() => solid('stl')}>
        STL
      </button>
      {inMillimetres && (
        <button
          className="word"
          onClick={keep}
          title="For the correction for absorption at Intake and for the CIF; distances are taken as millimetres"
        >
          Keep as the crystal’s faces
        </button>
      )}
      {inMillimetres && (
        <button className="word" onClick={copy} title="Indices and distances from the middle, taken as millimetres">
          Copy the loop for the CIF
        </button>
      )}
      <span className="soft fine" aria-live="polite">
        {done}
      </span>
    </>
  );
}
