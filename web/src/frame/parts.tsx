/** Small pieces every station uses: sheets, gauges, number fields. */
import './parts.scss';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { z } from 'zod';
import { remember, remembered } from '../store/remembered.ts';

/** A row of a table that is taken with a click or Enter. */
export function PickRow({
  chosen,
  opens,
  onPick,
  children,
}: {
  chosen: boolean;
  /** A row that shows more when it is picked says so with a mark before its first cell. */
  opens?: boolean;
  onPick(): void;
  children: ReactNode;
}): ReactNode {
  return (
    <tr
      tabIndex={0}
      className={['pick', chosen ? 'chosen' : '', opens ? 'opens' : ''].filter(Boolean).join(' ')}
      onClick={onPick}
      onKeyDown={(e) => {
        // Enter in a field of the row is that field's.
        if (e.key === 'Enter' && e.target === e.currentTarget) onPick();
      }}
    >
      {children}
    </tr>
  );
}

/** A piece of the desk: title, one sentence of state, the main action. With `fold` its body opens and closes: as the person left it, and until then as the state of the model asks (`shut` where it asks for nothing). */
export function Sheet({
  title,
  state,
  action,
  fold,
  shut,
  children,
}: {
  title: string;
  state?: ReactNode;
  action?: ReactNode;
  fold?: boolean;
  shut?: boolean;
  children?: ReactNode;
}): ReactNode {
  const key = `fold:${title}`;
  const [chosen, setChosen] = useState(() => remembered(key, z.enum(['shut', 'open']).optional(), undefined));
  const open = !fold || (chosen ? chosen === 'open' : !shut);
  const flip = (): void => {
    const next = open ? 'shut' : 'open';
    remember(key, next);
    setChosen(next);
  };
  return (
    <section className="sheet" aria-label={title}>
      <header>
        {fold ? (
          <h2>
            <button className="plain fold" aria-expanded={open} onClick={flip}>
              <span aria-hidden="true">{open ? '▾' : '▸'}</span> {title}
            </button>
          </h2>
        ) : (
          <h2>{title}</h2>
        )}
        {action}
      </header>
      {state !== undefined && <p className="state">{state}</p>}
      {open && children}
    </section>
  );
}

export interface GaugeProps {
  name: string;
  value: number | undefined;
  text: string;
  /** Ends of the rail. */
  from: number;
  to: number;
  /** The usual target, and which side of it is settled. */
  target: number;
  better: 'below' | 'above' | 'near';
  hint?: string;
}

/** A number on a short rail with a notch at the usual target; the state is said in a word and by position. */
export function Gauge({ name, value, text, from, to, target, better, hint }: GaugeProps): ReactNode {
  const at = (v: number): number => 100 * Math.max(0, Math.min(1, (v - from) / (to - from)));
  const known = value !== undefined && Number.isFinite(value);
  const off =
    known &&
    (better === 'below'
      ? value > target
      : better === 'above'
        ? value < target
        : Math.abs(value - target) > 0.25 * Math.abs(target));
  return (
    <div className="gauge" title={hint}>
      <span>{name}</span>
      <span className="value">{known ? text : '–'}</span>
      <span className="rail" aria-hidden="true">
        <span className="notch" style={{ left: `${at(target)}%` }} />
        {known && <span className={`here${off ? ' off' : ''}`} style={{ left: `${at(value)}%` }} />}
      </span>
      <span className="said" aria-hidden={!off}>
        {off ? 'off' : ''}
      </span>
    </div>
  );
}

interface NumberFieldProps {
  id: string;
  /** Read aloud where no label stands beside it. */
  label?: string;
  value: number | undefined;
  step: number;
  digits: number;
  min?: number;
  max?: number;
  unit?: string;
  onChange(value: number): void;
  /** Applied on Enter, on leaving, and by arrows after a pause, where each change is a step of the course. */
  commit?: boolean;
}

/** What was typed as a number, with a point or a comma; undefined for anything else. */
function readNumber(text: string): number | undefined {
  const n = Number(text.replace(',', '.'));
  return text.trim() && Number.isFinite(n) ? n : undefined;
}

/** A number that steps with arrow keys and wheel, applies at once, and goes back with Esc. */
export function NumberField({
  id,
  label,
  value,
  step,
  digits,
  min = -Infinity,
  max = Infinity,
  unit,
  onChange: report,
  commit,
}: NumberFieldProps): ReactNode {
  const shown = value === undefined ? '' : value.toFixed(digits);
  const [text, setText] = useState(shown);
  const [before, setBefore] = useState<number | undefined>(value);
  const [editing, setEditing] = useState(false);
  const waiting = useRef<number | undefined>(undefined);
  const onChange = (v: number): void => {
    if (commit) waiting.current = v;
    else report(v);
  };
  const flush = (): void => {
    const v = waiting.current;
    waiting.current = undefined;
    if (v !== undefined && v !== value) report(v);
  };
  useEffect(() => {
    if (!editing) setText(shown);
  }, [shown, editing]);
  const apply = (next: number): void => {
    const bounded = Math.max(min, Math.min(max, next));
    setText(bounded.toFixed(digits));
    onChange(bounded);
  };
  return (
    <span className="d-inline-flex align-items-center gap-1">
      <input
        id={id}
        aria-label={label}
        className="form-control form-control-sm n"
        data-at-rest={text === shown}
        inputMode="decimal"
        value={text}
        style={{ width: `${Math.max(8, digits + 6)}ch`, minWidth: '8ch' }}
        onFocus={() => {
          setBefore(value);
          setEditing(true);
        }}
        onBlur={() => {
          setEditing(false);
          setText(shown);
          flush();
        }}
        onChange={(e) => {
          setText(e.target.value);
          const n = readNumber(e.target.value);
          if (n !== undefined && n >= min && n <= max) onChange(n);
        }}
        onKeyDown={(e) => {
          const factor = e.shiftKey ? 10 : 1,
            base = waiting.current ?? value ?? 0;
          if (e.key === 'ArrowUp') {
            e.preventDefault();
            apply(base + factor * step);
          } else if (e.key === 'ArrowDown') {
            e.preventDefault();
            apply(base - factor * step);
          } else if (e.key === 'Escape') {
            e.stopPropagation();
            waiting.current = undefined;
            if (commit) setText(shown);
            else if (before !== undefined) apply(before);
            e.currentTarget.select();
          } else if (e.key === 'Enter') {
            // The focus stays: who types goes on from here.
            const typed = readNumber(text);
            if (typed === undefined || typed < min || typed > max) setText(shown);
            else setText(typed.toFixed(digits));
            setBefore(typed ?? value);
            flush();
            e.currentTarget.select();
          }
        }}
        onWheel={(e) => {
          if (editing) apply((value ?? 0) - Math.sign(e.deltaY) * step);
        }}
      />
      {unit && <span className="soft">{unit}</span>}
    </span>
  );
}

export const percent = (x: number | undefined, digits = 2): string =>
  x === undefined || !Number.isFinite(x) ? '–' : `${(100 * x).toFixed(digits)} %`;
export const thousands = (n: number): string => String(Math.round(n)).replace(/\B(?=(\d{3})+$)/g, '\u2009');
