/** What the figure becomes: pictures, vector files, solids, a file to go on with, a figure of another structure. */
import { Suspense, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { PIXELS_PER_MM, stereoPair, type Figure } from '@nagare/core/depict/figure';
import { overlayOf, overlayShapes } from '@nagare/core/depict/page';
import { sceneOfPanel, sizeOfPanel, type PanelScene } from '@nagare/core/depict/panel-scene';
import type { TraceDialogProps } from '../../scene/TraceDialog.tsx';
import { lazyPart } from '../../frame/lazy-part.ts';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { figureFile } from './figure-file.ts';
import { figureCanvas, pixelsOf, pngOf } from './figure-pictures.ts';
import { OtherStructure } from './OtherStructure.tsx';
import { measureText, paintShapes } from './shape-canvas.ts';
import { solidFile } from './solid-file.ts';
import { turntable } from './turntable.ts';
import { useFigureScenes } from './use-figure-scenes.ts';
import { useFigureContents, useFigureSvg } from './use-figure-svg.ts';
import type { FigureOnTable } from './use-figure.ts';

const TraceDialog = lazyPart<TraceDialogProps>(() =>
  import('../../scene/TraceDialog.tsx').then((m) => ({ default: m.TraceDialog })),
);

/** A name that every system takes. */
export const fileName = (figure: Figure, ending: string): string =>
  `${
    figure.name
      .trim()
      .replace(/[^\p{L}\p{N}]+/gu, '-')
      .replace(/^-|-$/g, '')
      .toLowerCase() || 'figure'
  }.${ending}`;

const bytesOf = async (blob: Blob): Promise<Uint8Array<ArrayBuffer>> => new Uint8Array(await blob.arrayBuffer());

export function ExportSheet({ table }: { table: FigureOnTable }): ReactNode {
  const { figure, panel, change } = table;
  const { setProblem } = useProject('setProblem');
  const { scenes } = useFigureScenes(figure);
  const svgOf = useFigureSvg();
  const contentsOf = useFigureContents();
  const [told, setTold] = useState('');
  const [busy, setBusy] = useState(false);
  const [traced, setTraced] = useState(false);
  const [turn, setTurn] = useState<{ readonly stop: () => void } | undefined>();
  const here = scenes.find((s) => s.panel.id === panel.id);
  const pixels = pixelsOf(figure, figure.dpi);
  const act = async (name: string, make: () => Promise<string | undefined>): Promise<void> => {
    setBusy(true);
    setTold(`${name}…`);
    try {
      setTold((await make()) ?? '');
    } catch (e) {
      setTold('');
      setProblem((e as Error).message);
    } finally {
      setBusy(false);
    }
  };
  const png = (f: Figure, all: readonly PanelScene[], ending = 'png') =>
    act('Painting', async () => {
      const canvas = await figureCanvas(f, all, f.dpi);
      saveFile(await bytesOf(await pngOf(canvas)), fileName(figure, ending), 'image/png');
      return `${canvas.width} × ${canvas.height} pixels, saved.`;
    });
  const stereo = (): void => {
    if (!here) return;
    const pair = stereoPair(figure, panel);
    void png(
      pair,
      pair.panels.map((p) => ({ ...here, panel: p })),
      'stereo.png',
    );
  };
  const svg = () =>
    act('Writing', async () => {
      saveFile(await svgOf(figure), fileName(figure, 'svg'), 'image/svg+xml');
      return 'SVG saved: panels, labels, annotations and legend are groups with their names.';
    });
  const pdf = () =>
    act('Writing', async () => {
      const { figurePdf } = await import('./figure-pdf.ts');
      saveFile(await figurePdf(figure, await svgOf(figure)), fileName(figure, 'pdf'), 'application/pdf');
      return 'PDF saved, text as text.';
    });
  const copy = () =>
    act('Painting', async () => {
      const canvas = await figureCanvas(figure, scenes, Math.min(figure.dpi, 300));
      await navigator.clipboard.write([new ClipboardItem({ 'image/png': await pngOf(canvas) })]);
      return 'Copied.';
    });
  const solid = (kind: 'glb' | 'stl') =>
    act('Writing', async () => {
      if (!here) return undefined;
      saveFile(
        await solidFile(here.layers, kind),
        fileName(figure, kind),
        kind === 'glb' ? 'model/gltf-binary' : 'model/stl',
      );
      return `Panel saved as solids, 1 unit an ångström.`;
    });
  const own = () =>
    act('Writing', async () => {
      const text = figureFile(figure, (await contentsOf(figure)).structures);
      saveFile(text, fileName(figure, 'figure.json'), 'application/json');
      return 'Saved with its structure. Drop it here, or in another project, and go on.';
    });
  const animate = () => {
    if (!here) return;
    let stopped = false;
    setTurn({ stop: () => (stopped = true) });
    void act('Turning', async () => {
      const bytes = await turntable(figure, here, { isStopped: () => stopped, tell: setTold });
      setTurn(undefined);
      if (!bytes) return 'Stopped.';
      saveFile(bytes, fileName(figure, 'gif'), 'image/gif');
      return 'One turn in 60 pictures, saved.';
    });
  };
  return (
    <Sheet title="Save it" fold state={`At ${figure.dpi} dots an inch ${pixels.width} × ${pixels.height} pixels.`}>
      <div className="field">
        <label htmlFor="figure-dpi">Dots an inch</label>
        <NumberField
          id="figure-dpi"
          value={figure.dpi}
          digits={0}
          step={50}
          min={72}
          max={1200}
          onChange={(dpi) => change('dots an inch', (f) => ({ ...f, dpi: Math.round(dpi) }))}
        />
      </div>
      <p className="saves">
        <Button size="sm" disabled={busy} onClick={() => void png(figure, scenes)}>
          PNG
        </Button>
        <Button size="sm" disabled={busy} onClick={() => void svg()}>
          SVG
        </Button>
        <Button size="sm" variant="outline-primary" disabled={busy} onClick={() => void pdf()}>
          PDF
        </Button>
        <Button size="sm" variant="outline-primary" disabled={busy || !here} onClick={() => setTraced(true)}>
          Rays…
        </Button>
        <Button size="sm" variant="outline-primary" disabled={busy} onClick={() => void copy()}>
          Copy
        </Button>
      </p>
      <p className="acts mb-1">
        <button className="word" disabled={busy} onClick={stereo}>
          Stereo pair
        </button>
        {turn ? (
          <button className="word off" onClick={turn.stop}>
            Stop
          </button>
        ) : (
          <button className="word" disabled={busy} onClick={animate}>
            Turntable
          </button>
        )}
        <button className="word" disabled={busy} onClick={() => void solid('glb')}>
          glTF
        </button>
        <button className="word" disabled={busy} onClick={() => void solid('stl')}>
          STL
        </button>
        <button className="word" disabled={busy} onClick={() => void own()}>
          Figure file
        </button>
      </p>
      <p role="status" className="soft mb-1">
        {told}
      </p>
      <OtherStructure table={table} />
      {traced && here && (
        <Suspense fallback={null}>
          <TracedFigure figure={figure} scenes={scenes} onClose={() => setTraced(false)} />
        </Suspense>
      )}
    </Sheet>
  );
}

/** The figure by tracing rays, with what lies over its panels. */
function TracedFigure({ figure, scenes, onClose }: TracedFigureProps): ReactNode {
  const px = (mm: number): number => mm * PIXELS_PER_MM;
  const over = (pen: CanvasRenderingContext2D, ratio: number): void =>
    paintShapes(pen, overlayShapes(overlayOf(figure, scenes, measureText)), ratio);
  return (
    <TraceDialog
      parts={scenes.map((scene) => ({
        scene: sceneOfPanel(figure, scene),
        size: sizeOfPanel(scene.panel),
        x: px(scene.panel.box.x),
        y: px(scene.panel.box.y),
      }))}
      size={{ width: px(figure.width), height: px(figure.height) }}
      name={figure.name}
      over={over}
      width={Math.min(6000, pixelsOf(figure, figure.dpi).width)}
      onClose={onClose}
    />
  );
}

interface TracedFigureProps {
  readonly figure: Figure;
  readonly scenes: readonly PanelScene[];
  onClose(): void;
}
