/** The page: its name, size, ground, palette, letters and legend; and what becomes of the figure as a whole. */
import type { ReactNode } from 'react';
import { laidOut, PAGE_SIZES, withDrawing, type Figure } from '@nagare/core/depict/figure';
import { freeLegendPlace } from '@nagare/core/depict/legend';
import { PALETTES } from '@nagare/core/depict/palettes';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { Slider } from './RuleFields.tsx';
import { measureText } from './shape-canvas.ts';
import type { FigureOnTable } from './use-figure.ts';
import { useFigureScenes } from './use-figure-scenes.ts';
import { useFigureActs } from './use-new-figure.ts';

const GROUNDS = ['#ffffff', '#f6f4ee', '#1f2a33', '#000000'] as const;

export function PageSheet({ table }: { table: FigureOnTable }): ReactNode {
  const { figure, change } = table;
  const acts = useFigureActs();
  const { scenes } = useFigureScenes(figure);
  const set = (title: string, more: Partial<Figure>): void => change(title, (f) => ({ ...f, ...more }));
  const size = PAGE_SIZES.find((p) => p.width === figure.width && p.height === figure.height);
  const resize = (width: number, height: number): void => change('size', (f) => laidOut({ ...f, width, height }));
  return (
    <Sheet
      title="Figure"
      fold
      state={`${figure.width} × ${figure.height} mm, ${figure.panels.length} ${figure.panels.length === 1 ? 'panel' : 'panels'}.`}
      action={
        <span className="acts">
          <button className="word" onClick={() => acts.duplicate(figure.id)}>
            Duplicate
          </button>
          <button className="word off" onClick={() => acts.remove(figure.id)}>
            Remove
          </button>
        </span>
      }
    >
      <div className="field">
        <label htmlFor="figure-name">Name</label>
        <input
          id="figure-name"
          className="form-control form-control-sm"
          value={figure.name}
          onChange={(e) => set('name', { name: e.target.value })}
        />
      </div>
      <div className="field">
        <label htmlFor="figure-size">Size</label>
        <select
          id="figure-size"
          className="form-select form-select-sm"
          value={size?.name ?? ''}
          onChange={(e) => {
            const chosen = PAGE_SIZES.find((p) => p.name === e.target.value);
            if (chosen) resize(chosen.width, chosen.height);
          }}
        >
          {!size && <option value="">of its own</option>}
          {PAGE_SIZES.map((p) => (
            <option key={p.name} value={p.name}>
              {p.name}, {p.width} × {p.height} mm
            </option>
          ))}
        </select>
      </div>
      <div className="field">
        <span className="soft">or</span>
        <span className="d-flex gap-2 align-items-center">
          <NumberField
            id="figure-width"
            label="Width, mm"
            value={figure.width}
            step={1}
            digits={0}
            min={20}
            max={1000}
            onChange={(w) => resize(w, figure.height)}
          />
          ×
          <NumberField
            id="figure-height"
            label="Height, mm"
            value={figure.height}
            step={1}
            digits={0}
            min={20}
            max={1000}
            unit="mm"
            onChange={(h) => resize(figure.width, h)}
          />
        </span>
      </div>
      <div className="field">
        <span className="soft">Ground</span>
        <span className="hues" role="group" aria-label="Ground">
          {GROUNDS.map((g) => (
            <button
              key={g}
              className="hue"
              style={{ background: g }}
              aria-label={`Ground ${g}`}
              aria-pressed={figure.ground === g}
              onClick={() => set('ground', { ground: g })}
            />
          ))}
          <label className="word">
            <input type="checkbox" checked={figure.clear} onChange={() => set('clear', { clear: !figure.clear })} />{' '}
            clear in files
          </label>
        </span>
      </div>
      <div className="field">
        <label htmlFor="figure-palette">Colours</label>
        <select
          id="figure-palette"
          className="form-select form-select-sm"
          value={figure.palette}
          onChange={(e) => set('palette', { palette: e.target.value })}
        >
          {PALETTES.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
      </div>
      <p className="acts mb-1">
        <label className="word">
          <input
            type="checkbox"
            checked={!!figure.legend}
            onChange={() =>
              change('legend', ({ legend, ...rest }) =>
                legend ? rest : { ...rest, legend: freeLegendPlace(figure, scenes, measureText) },
              )
            }
          />{' '}
          legend
        </label>
        {figure.panels.length > 1 && (
          <label className="word">
            <input
              type="checkbox"
              checked={figure.letters}
              onChange={() => set('letters', { letters: !figure.letters })}
            />{' '}
            (a) (b) (c)
          </label>
        )}
      </p>
      <Slider
        label="letters"
        value={figure.ink.size}
        from={1.5}
        to={6}
        step={0.1}
        text={`${figure.ink.size.toFixed(1)} mm`}
        onChange={(v) => set('letters’ size', { ink: { ...figure.ink, size: v } })}
      />
      <Slider
        label="fade with depth"
        value={figure.optics.cue}
        from={0}
        to={0.9}
        step={0.05}
        text={`${Math.round(100 * figure.optics.cue)} %`}
        onChange={(cue) => set('depth', { optics: { ...figure.optics, cue } })}
      />
      <Slider
        label="perspective"
        value={figure.optics.fieldOfView}
        from={0}
        to={60}
        step={1}
        text={figure.optics.fieldOfView ? `${figure.optics.fieldOfView}°` : 'none'}
        onChange={(fieldOfView) => set('depth', { optics: { ...figure.optics, fieldOfView } })}
      />
      <Follows table={table} />
    </Sheet>
  );
}

/** Whether the drawing goes along with newer marks, or stays at the present one. */
function Follows({ table }: { table: FigureOnTable }): ReactNode {
  const { head, marks } = useProject('head', 'marks');
  const { drawing, change } = table;
  const pinned = marks.find((m) => m.id === drawing.mark);
  const flip = (): void =>
    change('mark', (f) =>
      withDrawing(f, drawing.id, ({ mark, ...rest }) => (mark ? rest : head ? { ...rest, mark: head.id } : rest)),
    );
  return (
    <label className="word">
      <input type="checkbox" checked={!pinned} onChange={flip} /> follows the structure to newer marks
      {pinned && <span className="soft"> (now at “{pinned.name ?? pinned.title}”)</span>}
    </label>
  );
}
