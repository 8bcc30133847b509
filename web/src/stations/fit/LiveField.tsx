/** A parameter that is changed live: arrows, wheel and typing act at once by an increment of the person's own; Esc restores; nothing holds the focus. */
import { useEffect, useRef, useState, type ReactNode, useEffectEvent } from 'react';
import { z } from 'zod';
import { remember, remembered } from '../../store/remembered.ts';

interface Props {
  id: string;
  label: ReactNode;
  name: string;
  value: number;
  su?: number;
  digits: number;
  step: number;
  min?: number;
  max?: number;
  unit?: string;
  free?: boolean | undefined;
  onFree?: ((on: boolean) => void) | undefined;
  onChange(value: number): void;
  onPoint?(on: boolean): void;
}

export function LiveField({
  id,
  label,
  name,
  value,
  su,
  digits,
  step,
  min = -Infinity,
  max = Infinity,
  unit,
  free,
  onFree,
  onChange,
  onPoint,
}: Props): ReactNode {
  const key = `step:${name}`;
  const [by, setBy] = useState(() => remembered(key, z.number().positive(), step));
  const [text, setText] = useState<string | undefined>();
  const before = useRef(value);
  const field = useRef<HTMLInputElement>(null);
  const shown =
    Math.abs(value) >= 1e5 || (value !== 0 && Math.abs(value) < 10 ** -digits)
      ? value.toExponential(3)
      : value.toFixed(digits);
  const resize = (factor: number): void => {
    const next = Number((by * factor).toPrecision(1));
    setBy(next);
    remember(key, next);
  };
  const apply = (v: number): void => {
    setText(undefined);
    onChange(Math.max(min, Math.min(max, v)));
  };
  const turn = useEffectEvent((sign: number) => apply(value - sign * by));
  useEffect(() => {
    const el = field.current;
    const wheel = (e: WheelEvent): void => {
      if (document.activeElement !== el) return;
      e.preventDefault();
      turn(Math.sign(e.deltaY));
    };
    el?.addEventListener('wheel', wheel, { passive: false });
    return () => el?.removeEventListener('wheel', wheel);
  }, []);
  return (
    <div className="live" onMouseEnter={() => onPoint?.(true)} onMouseLeave={() => onPoint?.(false)}>
      {onFree ? (
        <input
          type="checkbox"
          className="form-check-input"
          aria-label={`${name} is refined`}
          title="Refined in the next run"
          checked={!!free}
          onChange={(e) => onFree(e.target.checked)}
        />
      ) : (
        <span />
      )}
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        ref={field}
        className="form-control form-control-sm n"
        inputMode="decimal"
        aria-label={name}
        value={text ?? shown}
        onFocus={(e) => {
          before.current = value;
          e.currentTarget.select();
          onPoint?.(true);
        }}
        onBlur={() => {
          setText(undefined);
          onPoint?.(false);
        }}
        onChange={(e) => {
          const t = e.target.value;
          setText(t);
          const v = Number(t.replace(',', '.'));
          if (t.trim() && Number.isFinite(v) && v >= min && v <= max) onChange(v);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowUp' || e.key === 'ArrowDown') {
            e.preventDefault();
            apply(value + (e.key === 'ArrowUp' ? 1 : -1) * by * (e.shiftKey ? 10 : 1));
          } else if (e.key === 'PageUp' || e.key === 'PageDown') {
            e.preventDefault();
            resize(e.key === 'PageUp' ? 10 : 0.1);
          } else if (e.key === 'Escape') {
            e.stopPropagation();
            apply(before.current);
            e.currentTarget.blur();
          } else if (e.key === 'Enter') e.currentTarget.blur();
        }}
      />
      <span className="soft unit">
        {su ? `±${su.toPrecision(2)} ` : ''}
        {unit}
      </span>
      <span className="by" title="Increment of arrows and wheel; Page Up and Page Down change it, Shift takes ten">
        <button className="plain" tabIndex={-1} aria-label={`Smaller increment of ${name}`} onClick={() => resize(0.1)}>
          ‹
        </button>
        <span className="mono">{by}</span>
        <button className="plain" tabIndex={-1} aria-label={`Larger increment of ${name}`} onClick={() => resize(10)}>
          ›
        </button>
      </span>
    </div>
  );
}
