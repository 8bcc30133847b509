/** The picture with shadows: a preview at once, then as large as it is wanted, with progress and a way to stop. */
import './trace.scss';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button, Modal, ProgressBar } from 'react-bootstrap';
import type { Size } from '@nagare/core/draw/camera';
import {
  enlargedScene,
  FINISHES,
  fullOptions,
  PREVIEW,
  type Finish,
  type TraceOptions,
} from '@nagare/core/draw/ray-trace';
import type { Scene } from '@nagare/core/draw/scene';
import { saveFile } from '../store/projects.ts';
import { paintLabels } from './label-canvas.ts';
import { useTrace, type TracePart } from './use-trace.ts';

const WIDTHS = [1200, 2000, 3000, 4000] as const;
/** Pixels of the preview across. */
const PREVIEW_WIDTH = 640;

export interface TraceDialogProps {
  /** Scenes as they stand in the pane or on the page. */
  readonly parts: readonly TracePart[];
  /** Of the pane or page. */
  readonly size: Size;
  readonly name: string;
  /** Laid over the traced picture instead of the scene's labels; `ratio`: pixels of the canvas for one of the size. */
  over?(pen: CanvasRenderingContext2D, ratio: number): void;
  /** Wanted first, pixels. */
  readonly width?: number;
  onClose(): void;
}

const scaledSize = (size: Size, width: number): Size => ({
  width,
  height: Math.round((size.height * width) / size.width),
});

/** Labels over a traced picture, as large as they are in the pane. */
function withLabels(canvas: HTMLCanvasElement, scene: Scene, size: Size): void {
  const over = document.createElement('canvas');
  over.width = canvas.width;
  over.height = canvas.height;
  paintLabels(over, scene, size, canvas.width / size.width);
  canvas.getContext('2d')?.drawImage(over, 0, 0);
}

const enlargedParts = (parts: readonly TracePart[], factor: number): TracePart[] =>
  parts.map(({ scene, size, x, y }) => ({
    scene: enlargedScene(scene, factor),
    size: { width: Math.round(size.width * factor), height: Math.round(size.height * factor) },
    x: Math.round(x * factor),
    y: Math.round(y * factor),
  }));

const pngOf = (canvas: HTMLCanvasElement): Promise<Blob> =>
  new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) =>
        blob ? resolve(blob) : reject(new Error('The browser could not write the picture. Try fewer pixels.')),
      'image/png',
    ),
  );

export function TraceDialog({ parts, size, name, over, width: first = 2000, onClose }: TraceDialogProps): ReactNode {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState<number>(first);
  const [finish, setFinish] = useState<Finish>('satin');
  const [outline, setOutline] = useState(true);
  const [clear, setClear] = useState(false);
  const [told, setTold] = useState('');
  const { progress, problem, start, stop } = useTrace();
  /** What stands whole on the canvas; undefined while it is a preview or a piece. */
  const [whole, setWhole] = useState<Size | undefined>();
  const look = useMemo(() => ({ finish, outline, clear }), [finish, outline, clear]);
  const trace = async (to: number, options: TraceOptions): Promise<boolean> => {
    if (!canvas.current) return false;
    const full = scaledSize(size, to);
    const done = await start(canvas.current, full, enlargedParts(parts, to / size.width), options);
    const pen = canvas.current?.getContext('2d');
    if (done && canvas.current && over && pen) over(pen, canvas.current.width / size.width);
    else if (done && canvas.current) withLabels(canvas.current, parts[0]!.scene, size);
    return done;
  };
  const traceRef = useRef(trace);
  useEffect(() => {
    traceRef.current = trace;
  });
  // Every change shows at once, small.
  useEffect(() => {
    setWhole(undefined);
    void traceRef.current(PREVIEW_WIDTH, { ...PREVIEW, ...look });
  }, [look]);
  const file = `${name.replace(/\s+/g, '-').toLowerCase()}-rays.png`;
  const full = async (): Promise<void> => {
    setTold('');
    setWhole(undefined);
    if (await trace(width, { ...fullOptions(width), ...look })) setWhole(scaledSize(size, width));
  };
  const save = async (): Promise<void> => {
    if (!canvas.current) return;
    saveFile(new Uint8Array(await (await pngOf(canvas.current)).arrayBuffer()), file, 'image/png');
  };
  const copy = async (): Promise<void> => {
    if (!canvas.current) return;
    await navigator.clipboard.write([new ClipboardItem({ 'image/png': await pngOf(canvas.current) })]);
    setTold('Copied.');
  };
  return (
    <Modal show onHide={onClose} size="xl" aria-labelledby="trace-title">
      <Modal.Header closeButton>
        <Modal.Title id="trace-title">The picture by tracing rays</Modal.Title>
      </Modal.Header>
      <Modal.Body className="trace">
        <canvas ref={canvas} className={clear ? 'clear' : ''} role="img" aria-label="Traced picture" />
        <div className="choices">
          <label>
            <span className="soft">across</span>
            <select
              className="form-select form-select-sm"
              aria-label="Pixels across"
              value={width}
              onChange={(e) => setWidth(Number(e.target.value))}
            >
              {[...new Set([...WIDTHS, first])]
                .sort((p, q) => p - q)
                .map((w) => (
                  <option key={w} value={w}>
                    {w} × {scaledSize(size, w).height}
                  </option>
                ))}
            </select>
          </label>
          <label>
            <span className="soft">finish</span>
            <select
              className="form-select form-select-sm"
              aria-label="Finish"
              value={finish}
              onChange={(e) => setFinish(FINISHES.find((f) => f === e.target.value) ?? 'satin')}
            >
              {FINISHES.map((f) => (
                <option key={f}>{f}</option>
              ))}
            </select>
          </label>
          <label className="word">
            <input type="checkbox" checked={outline} onChange={() => setOutline(!outline)} /> outlines
          </label>
          <label className="word">
            <input type="checkbox" checked={clear} onChange={() => setClear(!clear)} /> clear ground
          </label>
        </div>
        {progress !== undefined && <ProgressBar now={100 * progress} label={`${Math.round(100 * progress)} %`} />}
        {problem && (
          <p role="alert" className="mb-0">
            {problem}
          </p>
        )}
      </Modal.Body>
      <Modal.Footer>
        <span className="soft me-auto" role="status">
          {told ||
            (whole
              ? `${whole.width} × ${whole.height} pixels, ready.`
              : progress === undefined
                ? 'A preview.'
                : 'Tracing…')}
        </span>
        {progress !== undefined && (
          <Button variant="outline-secondary" onClick={stop}>
            Stop
          </Button>
        )}
        <Button variant={whole ? 'outline-primary' : 'primary'} onClick={() => void full()}>
          Trace it
        </Button>
        <Button disabled={!whole} onClick={() => void copy()} variant="outline-primary">
          Copy
        </Button>
        <Button disabled={!whole} onClick={() => void save()}>
          Save PNG
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
