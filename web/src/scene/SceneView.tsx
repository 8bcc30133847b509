/** The crystal in three dimensions. */
import './scene.scss';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Link, useLocation } from 'react-router';
import { atomsPerCell } from '@nagare/core/draw/extent';
import { paintSvg } from '@nagare/core/draw/svg';
import type { Scene } from '@nagare/core/draw/scene';
import { paintLabels } from './label-canvas.ts';
import { saveFile } from '../store/projects.ts';
import { useProject } from '../store/use-project.tsx';
import type { ViewState } from '../store/view-state.ts';
import type { Size } from '@nagare/core/draw/camera';
import { SceneTools } from './SceneTools.tsx';
import { TraceDialog } from './TraceDialog.tsx';
import type { ScenePainter } from './painter.ts';
import { useCamera } from './use-camera.ts';
import { useHands } from './use-hands.ts';
import { useLayers, type SceneLayers } from './use-layers.ts';
import { usePainted, usePainter } from './use-painter.ts';

/** Extents that are looked at without the cell around them. */
const ALONE: ReadonlySet<ViewState['extent']> = new Set(['molecules', 'motif', 'net']);

export default function SceneView({ shown }: { shown: boolean }): ReactNode {
  const { project, head, preview, view, looks, growth, selection, setProblem } = useProject(
    'project',
    'head',
    'preview',
    'view',
    'looks',
    'growth',
    'selection',
    'setProblem',
  );
  const host = useRef<HTMLDivElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const heldRef = useRef(false);
  const [aroundSelection, setAroundSelection] = useState(false);
  const [traced, setTraced] = useState<{ scene: Scene; size: Size } | undefined>();
  const scene = useLayers(aroundSelection, shown);
  const present = !!(preview ?? head?.structure);
  const { painter, failed } = usePainter({ host, overlay }, present);
  const sceneNow = usePainted(painter, overlay, scene.layers, scene.colours.ground);
  useEffect(() => painter?.showDepth(view.optics, scene.colours.ground), [painter, view.optics, scene.colours.ground]);
  const extent = growth.length
    ? 'grown'
    : JSON.stringify([
        view.extent,
        view.block,
        view.radius,
        view.slab,
        view.netRadius,
        looks.polyhedra.map((p) => p.centre),
      ]);
  const camera = useCamera(painter, scene, project.id, extent, selection, !ALONE.has(view.extent), heldRef);
  const hands = useHands(painter, scene, camera, heldRef);
  if (failed)
    return (
      <div className="empty">
        <h3>No picture here</h3>
        <p>{failed}</p>
      </div>
    );
  if (!present) return <NoModel projectId={project.id} />;
  const { onKeyDown, onPointerDown, onPointerMove, onPointerUp, onDoubleClick, onWheel, box } = hands;
  const save = (kind: 'svg' | 'png'): void => {
    const now = sceneNow();
    if (painter && now)
      savePicture(painter, overlay.current, now, kind, project.name).catch((e: Error) => setProblem(e.message));
  };
  const trace = (): void => {
    const now = sceneNow();
    if (painter && now) setTraced({ scene: now, size: { ...painter.size } });
  };
  return (
    <div className="scene">
      <div
        ref={host}
        className="scene-host"
        tabIndex={0}
        role="application"
        aria-label="Crystal. Arrow keys turn, plus and minus zoom, a b c look along the axes, f fits, n picks the next atom, m its molecule."
        onContextMenu={(e) => e.preventDefault()}
        {...{ onKeyDown, onPointerDown, onPointerMove, onPointerUp, onDoubleClick, onWheel }}
      >
        <canvas ref={overlay} className="labels" />
        <p className="first-painting soft" aria-hidden="true">
          Painting…
        </p>
        {box && <div className="box-pick" style={{ left: box.x, top: box.y, width: box.w, height: box.h }} />}
        {hands.lasso.length > 1 && (
          <svg className="lasso" aria-hidden="true">
            <polygon points={hands.lasso.map((p) => `${p.x},${p.y}`).join(' ')} />
          </svg>
        )}
      </div>
      <div className="scene-foot">
        <Counts scene={scene} />
        <SceneTools
          reach={hands.reach}
          setReach={hands.setReach}
          aroundSelection={aroundSelection}
          setAroundSelection={setAroundSelection}
          along={camera.along}
          fit={camera.fit}
          save={save}
          trace={trace}
        />
      </div>
      {traced && (
        <TraceDialog
          parts={[{ ...traced, x: 0, y: 0 }]}
          size={traced.size}
          name={project.name}
          onClose={() => setTraced(undefined)}
        />
      )}
    </div>
  );
}

function NoModel({ projectId }: { projectId: string }): ReactNode {
  const { pathname } = useLocation();
  return (
    <div className="empty">
      <h3>No model yet</h3>
      <p>
        The crystal appears here as soon as there is one: solve it from the intensities, or bring in a CIF with atom
        sites.
      </p>
      {!pathname.endsWith('/solve') && <Link to={`/projects/${projectId}/solve`}>Go to Solve</Link>}
    </div>
  );
}

/** How many atoms the cell holds, and how many are drawn. */
function Counts({ scene }: { scene: SceneLayers }): ReactNode {
  const { structure, atoms, copies, problem } = scene;
  const held = useMemo(() => (structure ? atomsPerCell(structure) : 0), [structure]);
  if (problem)
    return (
      <p className="scene-counts off" role="alert">
        {problem}
      </p>
    );
  if (!structure) return <p className="scene-counts">Building the picture…</p>;
  const drawn = copies
    ? `${atoms.length} are drawn, ${copies} of them copies`
    : `${atoms.length} ${atoms.length === 1 ? 'is' : 'are'} drawn`;
  return (
    <p className="scene-counts" data-testid="scene-counts">
      The cell holds {held} {held === 1 ? 'atom' : 'atoms'}; {drawn}.
    </p>
  );
}

/** The picture on screen as a file, at twice the pixels for raster. */
async function savePicture(
  painter: ScenePainter,
  overlay: HTMLCanvasElement | null,
  scene: Scene,
  kind: 'svg' | 'png',
  name: string,
): Promise<void> {
  const file = `${name.replace(/\s+/g, '-').toLowerCase()}.${kind}`;
  if (kind === 'svg') {
    saveFile(paintSvg(scene, painter.size, { ground: true, title: name }), file, 'image/svg+xml');
    return;
  }
  if (overlay) paintLabels(overlay, scene, painter.size);
  const blob = await painter.picture(scene.ground, overlay);
  saveFile(new Uint8Array(await blob.arrayBuffer()), file, 'image/png');
}
