/** A picture traced piece by piece in the workers, put together as the pieces come. */
import { useCallback, useEffect, useRef, useState } from 'react';
import type { Size } from '@nagare/core/draw/camera';
import type { TraceOptions, Tile } from '@nagare/core/draw/ray-trace';
import type { Scene } from '@nagare/core/draw/scene';
import { Cancelled, run, type Running } from '../engine/engine.ts';

/** Pixels a side of a piece. */
const PIECE = 160;
/** Pieces under way at once: the pool has more workers than cores, and the page asks for other things too. */
const AT_ONCE = 4;

/** Pieces of a picture, those in its middle first. */
export function tilesOf({ width, height }: Size, piece = PIECE): Tile[] {
  const out: Tile[] = [];
  for (let y = 0; y < height; y += piece)
    for (let x = 0; x < width; x += piece)
      out.push({ x, y, width: Math.min(piece, width - x), height: Math.min(piece, height - y) });
  const off = (t: Tile): number => Math.hypot(t.x + t.width / 2 - width / 2, t.y + t.height / 2 - height / 2);
  return out.sort((p, q) => off(p) - off(q));
}

/** A scene of the picture, and where it stands, pixels. */
export interface TracePart {
  readonly scene: Scene;
  readonly size: Size;
  readonly x: number;
  readonly y: number;
}

export interface TraceRun {
  /** 0–1 while it is traced; undefined before and after. */
  readonly progress: number | undefined;
  readonly problem: string | undefined;
  /** Traces scenes onto a canvas of a size, where they stand; true when the whole picture stands there. */
  start(canvas: HTMLCanvasElement, size: Size, parts: readonly TracePart[], options: TraceOptions): Promise<boolean>;
  stop(): void;
}

export function useTrace(): TraceRun {
  const [progress, setProgress] = useState<number | undefined>();
  const [problem, setProblem] = useState<string | undefined>();
  const under = useRef(new Set<Running<Uint8ClampedArray>>());
  const turn = useRef(0);
  const stop = useCallback((): void => {
    turn.current++;
    for (const r of under.current) r.cancel();
    under.current.clear();
    setProgress(undefined);
  }, []);
  useEffect(() => stop, [stop]);
  const start = useCallback(
    async (
      canvas: HTMLCanvasElement,
      size: Size,
      parts: readonly TracePart[],
      options: TraceOptions,
    ): Promise<boolean> => {
      stop();
      const mine = turn.current;
      canvas.width = size.width;
      canvas.height = size.height;
      const pen = canvas.getContext('2d');
      const pieces = parts.flatMap((part) => tilesOf(part.size).map((tile) => ({ ...part, tile })));
      const all = pieces.reduce((sum, { tile }) => sum + tile.width * tile.height, 0);
      const ground = parts[0]?.scene.ground;
      if (pen && ground && !options.clear) {
        pen.fillStyle = ground;
        pen.fillRect(0, 0, size.width, size.height);
      }
      let done = 0;
      setProblem(undefined);
      setProgress(0);
      const next = async (): Promise<void> => {
        for (let piece = pieces.shift(); piece && turn.current === mine; piece = pieces.shift()) {
          const { scene, size: of, tile, x, y } = piece;
          const running = run('trace', { scene, size: of, options, tile });
          under.current.add(running);
          const pixels = await running.result;
          under.current.delete(running);
          if (turn.current !== mine) return;
          pen?.putImageData(
            new ImageData(new Uint8ClampedArray(pixels), tile.width, tile.height),
            x + tile.x,
            y + tile.y,
          );
          done += tile.width * tile.height;
          setProgress(done / all);
        }
      };
      try {
        await Promise.all(Array.from({ length: AT_ONCE }, next));
      } catch (e) {
        if (!(e instanceof Cancelled)) setProblem((e as Error).message);
        if (turn.current === mine) stop();
        return false;
      }
      if (turn.current !== mine) return false;
      setProgress(undefined);
      return true;
    },
    [stop],
  );
  return { progress, problem, start, stop };
}
