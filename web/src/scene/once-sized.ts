/** Waits for a pane to be laid out. */
import type { Size } from '@nagare/core/draw/camera';

/** Pixels: a pane narrower than this is not laid out yet. */
const LAID_OUT = 120;
/** Frames after which what has no size is not waited for: it stands behind another pane. */
const PATIENCE = 120;

/**
 * Calls `then` in the first frame in which the pane has its size, or when it has none for long.
 * What is returned ends the waiting, and says whether the pane was seen at its size.
 */
export function onceSized(size: () => Size, then: () => void): () => boolean {
  let frame = 0,
    tries = 0,
    done = false;
  const look = (): void => {
    const sized = size().width > LAID_OUT;
    if (sized || ++tries > PATIENCE) {
      then();
      done = sized;
    } else frame = requestAnimationFrame(look);
  };
  frame = requestAnimationFrame(look);
  return () => {
    cancelAnimationFrame(frame);
    return done;
  };
}
