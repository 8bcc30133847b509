/** A canvas drawn again when what it shows or its size changes. */
import { useEffect, useRef, useEffectEvent } from 'react';

export function useCanvas(draw: (c: HTMLCanvasElement) => void): React.RefObject<HTMLCanvasElement | null> {
  const ref = useRef<HTMLCanvasElement>(null);
  const paint = useEffectEvent(() => {
    if (ref.current) draw(ref.current);
  });
  const pending = useRef(0);
  useEffect(() => {
    cancelAnimationFrame(pending.current);
    pending.current = requestAnimationFrame(() => paint());
  });
  useEffect(() => {
    const seen = new ResizeObserver(() => paint());
    if (ref.current) seen.observe(ref.current);
    const themed = new MutationObserver(() => paint());
    themed.observe(document.documentElement, { attributes: true });
    void document.fonts.ready.then(() => paint());
    return () => {
      seen.disconnect();
      themed.disconnect();
    };
  }, []);
  return ref;
}
